"""Try it first: a change is chosen, and both futures stand over each other with what the eggs feel; then it is done."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from stathmis.core.errors import UserError
from stathmis.logbook.records import Incubator
from stathmis.services import trial
from stathmis.services.advice import trying
from stathmis.services.advice.trying import Figure, Tried
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.findings import ahead
from stathmis.services.findings.ahead import Ahead
from stathmis.services.findings.doings import Change
from stathmis.ui.fan_picture import FanPicture, bands_of, shown_of
from stathmis.ui.kit.attempt import attempt
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.lines import Lines, Rows
from stathmis.ui.kit.page import FieldGrid, Page, column, holder, row, table
from stathmis.ui.kit.pieces import button, label, problem_label, say, set_property, set_text
from stathmis.ui.theme import Theme
from stathmis.ui.work import Latest
from stathmis.words import ahead as words
from stathmis.words.catalogue import _, as_number

LANE_PX = 128


class _Row:
    """One cost of both futures."""

    def __init__(self) -> None:
        self._name = label()
        self._numbers = [label() for _ in range(3)]
        for one in self._numbers:
            one.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.cells: list[QWidget] = [self._name, *self._numbers]

    def show_figure(self, book: Book, figure: Figure) -> None:
        """Show it, told apart where it differs."""
        name, *told = words.cost(book, figure)
        set_text(self._name, name)
        for one, text in zip(self._numbers, told, strict=True):
            set_text(one, text)
        set_property(self._numbers[2], "role", "name" if abs(figure.difference) > figure.U else "muted")


class TryView(Page):
    """The machine in view, and what a change would do to it; in_view: which machine that is."""

    def __init__(self, desk: Desk, theme: Theme, in_view: Callable[[], int | None]) -> None:
        super().__init__(theme, 860)
        self.desk, self._in_view = desk, in_view
        self._incubator: Incubator | None = None
        self.tried: Tried | None = None
        self._change: Change | None = None
        self._latest = Latest()
        self._title = label("", "title", wrap=True)
        self.page.addWidget(self._title)
        left, right = self.columns(4, 9, stretch=1)
        self._build_choice(left)
        self._build_futures(right)

    def _build_choice(self, left: QVBoxLayout) -> None:
        left.addWidget(label(_("What would you change?"), "heading"))
        self.what = Chooser(
            _("What to try"), [(_(text), what) for what, text in words.KINDS.items()], changed=self._chosen
        )
        left.addWidget(self.what)
        grid = FieldGrid("small")
        self.amount = field(_("How much"), entered=self.look)
        self.mix = Chooser(_("What is wet"), yielding=True)
        self.lasts = field(_("For how long"), _("20 min, 1.5 h"), entered=self.look)
        self.after = field(_("In so many hours; empty means now"), _("now"), entered=self.look)
        self._names = {w: label(t, "small") for w, t in self._fields().items()}
        for which, shown in (("amount", self.amount), ("mix", self.mix), ("lasts", self.lasts), ("after", self.after)):
            grid.add(self._names[which], shown)
        left.addWidget(holder(grid))
        self.problem = problem_label()
        left.addWidget(self.problem)
        self.look_button = button(_("Look at both futures"), self.look, "main")
        self.do_button = button("", self.do)
        left.addLayout(row(self.look_button, 1))
        self._caution = label("", "small", "eggs", wrap=True)
        left.addWidget(self._caution)
        left.addLayout(row(self.do_button, 1))
        left.addStretch(1)

    @staticmethod
    def _fields() -> dict[str, str]:
        return {"amount": _("how much"), "mix": _("wet"), "lasts": _("for"), "after": _("in, hours")}

    def _build_futures(self, right: QVBoxLayout) -> None:
        self._verdict = label("", "name", wrap=True)
        right.addWidget(self._verdict)
        self._lines = Lines(right, "muted")
        self.picture = FanPicture(self.theme, LANE_PX)
        right.addWidget(self.picture)
        self._legend = label("", "small", wrap=True)
        right.addWidget(self._legend)
        self._grid = table(
            (_("over two days"), _("as it is"), _("tried"), _("difference")), (1, 0, 0, 0), right=(1, 2, 3)
        )
        self._rows = Rows(self._grid, _Row, ruled=False)
        self._table = holder(column(self._grid))
        right.addWidget(self._table)
        self._nothing = label("", "muted", wrap=True)
        right.addWidget(self._nothing)
        right.addStretch(1)

    def begin(self) -> None:
        """The choice has the cursor."""
        self.what.setFocus()

    def refresh(self) -> None:
        """Show the machine in view; what is typed stays while it is the same."""
        book = self.desk.book
        machine = next((i for i in book.incubators() if i.id == self._in_view()), None)
        if machine is None:
            machine = next(iter(book.incubators()), None)
        fresh = self._incubator is None or machine is None or machine.id != self._incubator.id
        self._incubator = machine
        if machine is None:
            return
        self._title.setText(_("Try it first, in {name}", name=machine.name))
        self.mix.keep([(m.words, m.surface_cm2) for m in trial.mixes(book, machine)])
        if fresh:
            self.tried, self._change = None, None
            if self.mix.count():
                self.mix.setCurrentIndex(self.mix.count() - 1)
            self._chosen(self.what.currentData())
        self._work()

    def _course(self) -> Course | None:
        return batches.running(self.desk.book, self._incubator) if self._incubator is not None else None

    def _chosen(self, what: str) -> None:
        """Another kind of change: its fields, with what is usual."""
        if self._incubator is None:
            return
        amount, lasts = trial.usual(self.desk.book, self._incubator, what)  # type: ignore[arg-type]
        self.amount.setText(amount)
        self.lasts.setText(lasts)
        mixed = what == "water" and self.mix.count() > 0
        shown = {
            "amount": what in ("set point", "vent", "night", "window") or (what == "water" and not mixed),
            "mix": mixed,
            "lasts": what in trial.LASTING,
            "after": True,
        }
        unit = self.desk.book.temperature_unit
        of = {"set point": unit, "water": "cm²", "vent": _("open"), "night": unit, "window": _("{u} outside", u=unit)}
        set_text(self._names["amount"], of.get(what, _("how much")))
        for which, edit in (("amount", self.amount), ("mix", self.mix), ("lasts", self.lasts), ("after", self.after)):
            edit.setVisible(shown[which])
            self._names[which].setVisible(shown[which])
        self.problem.hide()

    def look(self) -> None:
        """Read what is typed, and work both futures out."""
        if self._incubator is None:
            return
        what = self.what.currentData()
        amount = self.amount.text()
        if what == "water" and self.mix.count():
            amount = as_number(self.mix.currentData(), "g")
        try:
            self._change = trial.read(
                self.desk.book, self._incubator, what, amount, self.lasts.text(), self.after.text()
            )
        except UserError as error:
            say(self.problem, str(error))
            return
        self.problem.hide()
        self._work()

    def _work(self) -> None:
        """Off the window's thread: the machine as it goes on, and with the change where one is chosen."""
        book, machine, course, change = self.desk.book, self._incubator, self._course(), self._change
        if machine is None:
            return

        def found() -> tuple[Ahead | None, Tried | None]:
            as_is = ahead.ahead(book, machine, course)
            tried = trying.tried(book, machine, course, (change,)) if change is not None and as_is is not None else None
            return as_is, tried

        self._latest.find(found, lambda told: self._show(*told))

    def _show(self, as_is: Ahead | None, tried: Tried | None) -> None:
        book, machine = self.desk.book, self._incubator
        self.tried = tried
        if machine is None:
            return
        self._nothing.setVisible(as_is is None)
        if as_is is None:
            set_text(self._nothing, words.nothing())
        for part in (self._verdict, self._legend, self._table, self.do_button):
            part.setVisible(as_is is not None and tried is not None)
        changes = [words.change(book, one) for one in tried.changes] if tried is not None else []
        if as_is is None:
            self._lines.say([])
            self.picture.show_ahead(book, None, "", "")
            return
        name, said = words.picture(book, machine, as_is, tried, changes)
        self.picture.show_ahead(book, shown_of(as_is, tried, bands_of(self._course(), as_is)), name, said)
        self._lines.say(list(words.lines(book, as_is)) if tried is None else [])
        self._caution.setVisible(tried is not None)
        if tried is None or self._change is None:
            return
        set_text(self._verdict, f"{', '.join(changes)}: {words.verdict(book, tried)}")
        set_text(self._legend, words.legend())
        for line, figure in zip(self._rows.show(len(tried.figures)), tried.figures, strict=True):
            line.show_figure(book, figure)
        self._table.setVisible(bool(tried.figures))
        said_of = words.done(book, self._change)
        set_text(self.do_button, said_of)
        self.do_button.setVisible(bool(said_of) and self._change.what in trying.DOABLE)
        set_text(self._caution, words.caution(self._change))

    def do(self) -> None:
        """It is done, and logged."""
        machine, change = self._incubator, self._change
        if machine is None or change is None:
            return

        def action() -> str:
            trial.do(self.desk, machine, change)
            return _("{what}: logged.", what=words.change(self.desk.book, change))

        if attempt(self.problem, action):
            self._change = None
            self.refresh()
