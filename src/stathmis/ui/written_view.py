"""From paper: what was written in pencil on a card or a round's sheet, typed back row by row with its own times."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from itertools import groupby

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QGridLayout, QLabel, QLayout, QLineEdit, QPushButton, QScrollArea, QWidget

from stathmis.core.errors import UserError
from stathmis.logbook.records import Batch, Channel, Incubator, Instrument, Placement, Reading
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.on_paper import columns, written
from stathmis.services.on_paper.columns import Column
from stathmis.services.on_paper.written import Read, Visit
from stathmis.ui.kit.fields import Chooser
from stathmis.ui.kit.page import Page, column, put, row
from stathmis.ui.kit.pieces import button, clear, label, problem_label, say, set_property, set_text
from stathmis.ui.theme import Theme
from stathmis.words import card as card_words
from stathmis.words import written as words
from stathmis.words.catalogue import _

FIRST_ROWS = 6
WHOLE_ROUND = 0
"""Stands for the sheet of a round, where a card is known by its machine's id."""


class _Cell(QLineEdit):
    """The arrows go from visit to visit; Enter takes an offer, or goes on."""

    def __init__(self, view: WrittenView, at: int, place: int) -> None:
        super().__init__()
        self._view, self.at, self.place = view, at, place
        self.textEdited.connect(lambda _text: view.typed(at))
        self.returnPressed.connect(lambda: view.entered(at, place))
        self.setAlignment(Qt.AlignmentFlag.AlignRight if place else Qt.AlignmentFlag.AlignLeft)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows besides Tab."""
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        else:
            self._view.go(self.at + step, self.place)


class _Row:
    """One visit: its cells, and below them what is to be mended."""

    def __init__(self, view: WrittenView, grid: QGridLayout, at: int, wide: int) -> None:
        self.cells = [_Cell(view, at, place) for place in range(wide + 1)]
        self.problem: QLabel = problem_label()
        self.offer: QPushButton = button("", partial(view.take_offer, at), "link")
        # Tab goes on to the next field; Enter takes the offer
        self.offer.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.offer.hide()
        line = 3 + 2 * at
        for place, cell in enumerate(self.cells):
            grid.addWidget(cell, line, place)
        grid.addLayout(row((self.problem, 1), self.offer), line + 1, 0, 1, wide + 2)

    @property
    def visit(self) -> Visit:
        """As it is typed."""
        return Visit(self.cells[0].text(), tuple(c.text() for c in self.cells[1:]))


class _Wide(QWidget):
    """The columns: as wide as they are, and the area around them as high as they need."""

    def __init__(self, layout: QLayout, area: QScrollArea) -> None:
        super().__init__()
        self.setObjectName("page")
        self._area = area
        put(self, layout)

    def event(self, event: QEvent) -> bool:
        """After a change of content, ask for the height that takes."""
        done = super().event(event)
        if event.type() in (QEvent.Type.LayoutRequest, QEvent.Type.Resize, QEvent.Type.Show):
            bar = self._area.horizontalScrollBar()
            room = bar.sizeHint().height() if self.minimumSizeHint().width() > self._area.width() else 0
            layout = self.layout()
            wrapped = layout.totalHeightForWidth(self.width()) if layout is not None else 0
            self._area.setFixedHeight(max(wrapped, self.sizeHint().height()) + room)
        return done


class WrittenView(Page):
    """The page for typing back."""

    rests_on = frozenset[type | str]({Batch, Channel, Incubator, Instrument, Placement, Reading, SETTINGS})

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme)
        self._desk = desk
        self._columns: tuple[Column, ...] = ()
        self.rows: list[_Row] = []
        self._read: list[Read] = []
        about = _("What was written in pencil, row by row: the day once, then the times alone as they stand there.")
        self.paper = Chooser(_("Which paper"), picked=lambda _chosen: self._build())
        self._grid_of = column()
        # many displays, or large letters: the columns go on beyond the window
        self._columns_area = QScrollArea()
        self._columns_area.setObjectName("beyond")
        self._columns_area.setWidgetResizable(True)
        self._columns_area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._columns_area.setFrameShape(QFrame.Shape.NoFrame)
        self._columns_area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._columns_area.setWidget(_Wide(self._grid_of, self._columns_area))
        self._none = label(_("No display that is read by eye hangs anywhere yet."), "muted", wrap=True)
        self.log = button(_("&Log them"), self.keep, "main")
        self._problem = problem_label()
        self.page.addLayout(
            column(
                label(_("From paper"), "title"),
                label(about, "muted", wrap=True),
                row(label(_("Written on"), "muted"), self.paper, 1),
                self._none,
                self._columns_area,
                self._problem,
                row(self.log, 1),
                1,
            )
        )
        self.refresh()

    def begin(self) -> None:
        """Come in at the first time."""
        if self.rows:
            self.rows[0].cells[0].setFocus()

    def refresh(self) -> None:
        """Show the columns as the machines hang now; what was typed stays while they are the same."""
        book = self._desk.book
        cards = [(_("the card of {name}", name=i.name), i.id) for i in book.incubators()]
        self.paper.keep([(_("the sheet of a round"), WHOLE_ROUND), *cards])
        self._build()

    def _build(self) -> None:
        book, chosen = self._desk.book, self.paper.currentData()
        machine = next((i for i in book.incubators() if i.id == chosen), None)
        found = columns.of_round(book) if machine is None else columns.of_card(book, machine)
        same = [c.line.channel for c in found] == [c.line.channel for c in self._columns] and bool(self.rows)
        self._columns = found
        self._none.setVisible(not found)
        self.log.setVisible(bool(found))
        if not same:
            clear(self._grid_of)
            self.rows = []
            if found:
                self._grid = QGridLayout()
                self._grid.setHorizontalSpacing(4)
                self._grid.setVerticalSpacing(2)
                self._head()
                self._grid_of.addLayout(self._grid)
                for _number in range(FIRST_ROWS):
                    self._add_row()
        self._judge()

    def _head(self) -> None:
        self._grid.addWidget(label(card_words.time(), "small"), 2, 0)
        self._grid.setColumnMinimumWidth(0, self.theme.px(120))
        place = 1
        for name, own in groupby(self._columns, key=lambda one: one.incubator.name):
            wide = len(list(own))
            self._grid.addWidget(label(name, "name", wrap=True), 0, place, 1, wide)
            place += wide
        for place, one in enumerate(self._columns, start=1):
            name, shows = card_words.column(one)
            self._grid.addWidget(label(name, "small", wrap=True), 1, place, Qt.AlignmentFlag.AlignBottom)
            self._grid.addWidget(label(shows, "small", wrap=True), 2, place)
            self._grid.setColumnStretch(place, 1)
            self._grid.setColumnMinimumWidth(place, self.theme.px(64))

    def _add_row(self) -> None:
        at = len(self.rows)
        made = _Row(self, self._grid, at, len(self._columns))
        made.cells[0].setPlaceholderText(_("18 May 8:10") if at == 0 else "")
        made.cells[0].setAccessibleName(_("Visit {n}, day and time", n=at + 1))
        for cell, one in zip(made.cells[1:], self._columns, strict=True):
            name, shows = card_words.column(one)
            words_of = _("Visit {n}, {machine}, {name}", n=at + 1, machine=one.incubator.name, name=name)
            cell.setAccessibleName(words_of)
            cell.setToolTip(shows)
        self.rows.append(made)

    def typed(self, at: int) -> None:
        """Something was typed in a row; the last one is followed by another."""
        if at == len(self.rows) - 1:
            self._add_row()
        self._judge()

    def _judge(self) -> None:
        visits = [r.visit for r in self.rows]
        self._read = written.read(self._desk.book, self._columns, visits)
        say(self._problem, "")
        for shown, found in zip(self.rows, self._read, strict=True):
            self._show_row(shown, found)
        readings, fresh = sum(len(r.new) for r in self._read), sum(bool(r.new) for r in self._read)
        set_text(self.log, words.button(readings, fresh))

    def _show_row(self, shown: _Row, found: Read) -> None:
        set_property(shown.cells[0], "wrong", bool(found.problem))
        said = [found.problem] if found.problem else []
        for place, cell in enumerate(shown.cells[1:]):
            field = found.fields.get(place)
            set_property(cell, "wrong", bool(field and field.problem))
            if field is not None and field.problem:
                said.append(f"{self._columns[place].line.instrument.name}: {field.problem}")
            elif place in found.there:
                said.append(f"{self._columns[place].line.instrument.name}: {words.there()}")
        say(shown.problem, " ".join(said))
        offered = next((f.offer for f in found.fields.values() if f.offer), "")
        shown.offer.setVisible(bool(offered))
        set_text(shown.offer, _("Enter: make it {offer}", offer=offered))

    def go(self, at: int, place: int) -> None:
        """Go to a cell, where there is one."""
        if 0 <= at < len(self.rows):
            self.rows[at].cells[place].setFocus()
            self._columns_area.ensureWidgetVisible(self.rows[at].cells[place])
            self.area.ensureWidgetVisible(self.rows[at].cells[place])

    def entered(self, at: int, place: int) -> None:
        """Enter: what is offered is taken; else the next cell, row after row."""
        field = self._read[at].fields.get(place - 1)
        if field is not None and field.offer:
            self.take_offer(at)
        elif place < len(self._columns):
            self.go(at, place + 1)
        else:
            self.go(at + 1, 0)

    def take_offer(self, at: int) -> None:
        """Take the first offer of a row."""
        place = next((i for i, f in sorted(self._read[at].fields.items()) if f.offer), None)
        if place is not None:
            self.rows[at].cells[place + 1].setText(self._read[at].fields[place].offer)
            self.rows[at].cells[place + 1].setFocus()
            self._judge()

    def keep(self) -> None:
        """Log all that is new; what is not clear keeps all of it waiting, so that none is forgotten."""
        try:
            readings, visits = written.keep(self._desk, self._columns, [r.visit for r in self.rows])
        except UserError as error:
            say(self._problem, str(error))
            self._go_to_wrong(self._read)
            return
        for shown in self.rows:
            for cell in shown.cells:
                cell.clear()
        self._judge()
        self.begin()
        notify.tell("info", words.logged(readings, visits))

    def _go_to_wrong(self, found: Sequence[Read]) -> None:
        for at, one in enumerate(found):
            if one.problem:
                return self.go(at, 0)
            wrong = next((i for i, f in one.fields.items() if f.problem), None)
            if wrong is not None:
                return self.go(at, wrong + 1)
        return None
