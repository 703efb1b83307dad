"""Water and vents: how an incubator stands, what every mix would give, and the way to lockdown."""

from __future__ import annotations

from functools import partial
from itertools import product

from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
)

from stathmis.core.errors import UserError
from stathmis.logbook.records import Incubator, WaterSurface
from stathmis.services import clock, knowledge, notify
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.findings import box
from stathmis.services.findings.box import BoxSheet
from stathmis.services.findings.combinations import Cell
from stathmis.services.findings.states import FoundState
from stathmis.services.moisture import states as own_states
from stathmis.services.moisture import water
from stathmis.ui.moisture.box_grid import BoxGrid
from stathmis.ui.pieces import Chooser, FoldingView, button, clear, label, scrolling_page, yielding
from stathmis.ui.theme import Theme
from stathmis.ui.work import AFTER_PAINT_MS, Latest
from stathmis.words import box as box_words
from stathmis.words import dates

SHARES = {0.0: "dry", 0.25: "a quarter wet", 0.5: "half wet", 0.75: "three quarters", 1.0: "all wet"}
GRID_WORDS = {"now": "now", "tonight": "in the coldest hours", "lockdown": "at lockdown"}
SHOWN = 8


class WaterView(FoldingView):
    """Water and vents of the incubator in view."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 900)
        self.desk = desk
        self.incubator: Incubator | None = None
        self.course: Course | None = None
        self.sheet: BoxSheet | None = None
        self.shares: dict[int, Chooser] = {}
        self.which = "now"
        self._touched = False
        self._latest = Latest()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        columns = self.folding_row(28)
        left, right = QVBoxLayout(), QVBoxLayout()
        for column in (left, right):
            column.setSpacing(8)
        columns.addLayout(left, 4)
        columns.addLayout(right, 6)
        page.addLayout(columns, 1)
        self._build_stands(left)
        self._build_says(right)

    def _build_stands(self, left: QVBoxLayout) -> None:
        left.addWidget(label("How it stands", "heading"))
        self.note = label("", "muted", wrap=True)
        left.addWidget(self.note)
        self._surfaces = QVBoxLayout()
        left.addLayout(self._surfaces)
        self.vent, self.poured, self.since = QLineEdit(), QLineEdit(), QLineEdit()
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        for i, (text, edit, hint, name) in enumerate(
            (
                ("vent open", self.vent, "half, 1/3, 40 %", "How far the vents are open"),
                ("refilled with, ml", self.poured, "only if you did", "Water poured, in ml"),
                ("since", self.since, "now", "Since when it stands so"),
            )
        ):
            edit.setPlaceholderText(hint)
            edit.setAccessibleName(name)
            edit.textEdited.connect(self._edited)
            edit.returnPressed.connect(self.log)
            grid.addWidget(label(text, "small"), i, 0)
            grid.addWidget(edit, i, 1)
        left.addLayout(grid)
        self.problem = label("", "problem", wrap=True)
        self.problem.hide()
        left.addWidget(self.problem)
        row = QHBoxLayout()
        self.log_button = button("Log this change", self.log, "main")
        row.addWidget(self.log_button)
        row.addStretch(1)
        left.addLayout(row)
        self._build_new(left)
        left.addWidget(label("What the log settled to", "name"))
        self._states = QVBoxLayout()
        self._states.setSpacing(2)
        left.addLayout(self._states)
        left.addStretch(1)

    def _build_new(self, left: QVBoxLayout) -> None:
        self.name, self.area, self.volume = QLineEdit(), QLineEdit(), QLineEdit()
        row = QHBoxLayout()
        for edit, hint, name, wide in (
            (self.name, "trough, cup or wick", "Name of a water surface to enter", 0),
            (self.area, "20 x 6 cm", "Its surface: cm², or length x breadth in cm", 92),
            (self.volume, "ml", "What it holds, in ml", 64),
        ):
            edit.setPlaceholderText(hint)
            edit.setAccessibleName(name)
            edit.returnPressed.connect(self.add_surface)
            if wide:
                edit.setFixedWidth(self.theme.px(wide))
            row.addWidget(edit, 0 if wide else 1)
        row.addWidget(button("Enter it", self.add_surface, "link"))
        left.addLayout(row)
        self.new_problem = label("", "problem", wrap=True)
        self.new_problem.hide()
        left.addWidget(self.new_problem)

    def _build_says(self, right: QVBoxLayout) -> None:
        self.doubt = label("", "name", "undecided", wrap=True)
        right.addWidget(self.doubt)
        self.headline = label("", "name", "moisture", wrap=True)
        right.addWidget(self.headline)
        self._choices = QHBoxLayout()
        self._choices.setSpacing(16)
        self.choices: dict[str, QPushButton] = {}
        for key, text in GRID_WORDS.items():
            made = button(text, partial(self.show_grid, key), "tab")
            made.setCheckable(True)
            self.choices[key] = made
            self._choices.addWidget(made)
        self._choices.addStretch(1)
        right.addLayout(self._choices)
        self.grid = BoxGrid(self.theme)
        self.grid.looked_at.connect(self._looked_at)
        self.grid.taken.connect(self.take)
        right.addWidget(self.grid)
        row = QHBoxLayout()
        self.looked_at = label("", "small", wrap=True)
        row.addWidget(self.looked_at, 1)
        self.take_button = button("Take it over", lambda: self.take(self.grid.cell), "link")
        row.addWidget(self.take_button)
        right.addLayout(row)
        self._lines = QVBoxLayout()
        right.addLayout(self._lines)
        self._ramp = QVBoxLayout()
        right.addLayout(self._ramp)
        self.why = label("", "small", wrap=True)
        right.addWidget(self.why)
        right.addStretch(1)

    def show_incubator(self, incubator: Incubator, course: Course | None) -> None:
        """Show an incubator as it stands; what is being typed for it stays."""
        if self.incubator is None or incubator.id != self.incubator.id:
            self.sheet, self._touched = None, False
            for edit in (self.vent, self.poured, self.since, self.name, self.area, self.volume):
                edit.setText("")
        self.incubator, self.course = incubator, course
        self._show_surfaces()
        self._show_sheet()
        desk = self.desk
        book = desk.book
        self._latest.start(
            lambda progress, cancelled: box.box_sheet(book, incubator, course),
            self._arrived,
            notify.tell_error,
            AFTER_PAINT_MS,
        )

    def _show_surfaces(self) -> None:
        assert self.incubator is not None
        kept = {key: chosen.currentData() for key, chosen in self.shares.items()} if self._touched else {}
        clear(self._surfaces)
        self.shares = {}
        own = water.surfaces(self.desk.book, self.incubator)
        now = water.setting_at(water.events_of(self.desk.book, self.incubator), self.desk.now_ms)
        stands = shares_for(own, now.surface_cm2)
        for surface in own:
            row = QHBoxLayout()
            words = f"{surface.surface_cm2:.0f} cm²"
            words += f", {surface.volume_ml:.0f} ml" if surface.volume_ml is not None else ""
            names = QVBoxLayout()
            names.setSpacing(0)
            names.addWidget(label(surface.name, wrap=True))
            names.addWidget(label(words, "small"))
            row.addLayout(names, 1)
            chooser = yielding(Chooser())
            chooser.setAccessibleName(f"How much of the {surface.name} is wet and uncovered")
            for share, text in SHARES.items():
                chooser.addItem(text, share)
            chooser.setCurrentIndex(chooser.findData(kept.get(surface.id, stands.get(surface.id, 0.0))))
            chooser.activated.connect(self._edited)
            chooser.setMinimumWidth(self.theme.px(120))
            row.addWidget(chooser)
            away = button("take away", partial(self._remove, surface), "link")
            away.setAccessibleName(f"Take {surface.name} off the list")
            row.addWidget(away)
            self._surfaces.addLayout(row)
            self.shares[surface.id] = chooser
        self.note.setText(box_words.now_words(now) if own else "Surface sets the humidity, depth how long it lasts.")
        if not self._touched:
            self.vent.setText(water.opening_typed(now.opening))

    def _edited(self, *_: object) -> None:
        self._touched = True
        self.problem.hide()

    def _remove(self, surface: WaterSurface) -> None:
        water.remove_surface(self.desk, surface)

    def add_surface(self) -> None:
        """Enter a trough, cup or wick."""
        assert self.incubator is not None
        typed = self.name.text(), self.area.text(), self.volume.text()
        for edit in (self.name, self.area, self.volume):
            edit.setText("")
        try:
            water.add_surface(self.desk, self.incubator, *typed)
        except UserError as error:
            for edit, text in zip((self.name, self.area, self.volume), typed, strict=True):
                edit.setText(text)
            self.new_problem.setText(str(error))
            self.new_problem.show()
            self.area.setFocus()
            return
        self.new_problem.hide()
        self.name.setFocus()

    def log(self) -> None:
        """Log how it stands."""
        assert self.incubator is not None
        typed, touched = (self.poured.text(), self.since.text()), self._touched
        try:
            at = clock.parse_moment(self.since.text(), self.desk.now_ms, self.desk.book.zone)
            opening = water.opening_in(self.vent.text()) if self.vent.text().strip() else None
            poured = water.amount_in(self.poured.text()) if self.poured.text().strip() else None
            wet = {key: float(chosen.currentData()) for key, chosen in self.shares.items()}
            self._touched = False
            self.poured.setText("")
            self.since.setText("")
            logged = water.log_change(self.desk, self.incubator, wet, opening, at, poured)
        except UserError as error:
            self._touched = touched
            self.poured.setText(typed[0])
            self.since.setText(typed[1])
            self.problem.setText(str(error))
            self.problem.show()
            return
        self.problem.hide()
        caution = knowledge.cautions()["water"]
        notify.tell("info", f"{'Change' if logged == 1 else 'Changes'} logged. Ctrl+Z takes it back. {caution}")

    def _arrived(self, found: BoxSheet) -> None:
        if self.incubator is None or found.incubator.id != self.incubator.id:
            return
        self.sheet = found
        self._show_sheet()

    def _show_sheet(self) -> None:
        sheet, desk = self.sheet, self.desk
        clear(self._lines)
        clear(self._ramp)
        clear(self._states)
        shown = sheet is not None and bool(sheet.surfaces)
        for widget in (self.grid, self.looked_at, self.take_button, *self.choices.values()):
            widget.setVisible(shown)
        self.why.setVisible(shown)
        if sheet is None:
            self.headline.setText("Reading the log …")
            self.doubt.hide()
            return
        self.headline.setText(box_words.headline(sheet))
        doubts = [d for d in (box_words.doubt(sheet), box_words.unmoved(sheet)) if d]
        self.doubt.setText(" ".join(doubts))
        self.doubt.setVisible(bool(doubts))
        for key, made in self.choices.items():
            made.setVisible(shown and key in sheet.grids)
        self.show_grid(self.which if self.which in sheet.grids else "now")
        for line in box_words.lines(desk.book, sheet):
            self._lines.addWidget(label(line, "muted", wrap=True))
        if shown:
            self._show_ramp(sheet)
        self.why.setText(" ".join(box_words.why(desk.book, sheet)))
        self._show_states(sheet)

    def _show_ramp(self, sheet: BoxSheet) -> None:
        said = box_words.ramp_lines(self.desk.book, sheet)
        if not said:
            return
        head = QHBoxLayout()
        head.addWidget(label("The way to lockdown", "name"))
        head.addStretch(1)
        head.addWidget(label("vents then", "small"))
        chooser = yielding(Chooser())
        chooser.setAccessibleName("How the vents are held at lockdown")
        for key, text in box.VENT_HABITS.items():
            chooser.addItem(text.partition(":")[0].lower(), key)
        chooser.setMinimumWidth(self.theme.px(200))
        chooser.setToolTip(box.VENT_HABITS[sheet.vent_habit])
        chooser.setCurrentIndex(chooser.findData(sheet.vent_habit))
        chooser.activated.connect(lambda _i: own_states.choose_vent_habit(self.desk, chooser.currentData()))
        head.addWidget(chooser)
        self._ramp.addLayout(head)
        for line in said:
            self._ramp.addWidget(label(line, wrap=True))
        self._ramp.addWidget(label(box.VENT_HABITS[sheet.vent_habit], "small", wrap=True))

    def _show_states(self, sheet: BoxSheet) -> None:
        newest = list(reversed(sheet.states))[:SHOWN]
        if not newest:
            words = "Nothing yet: each change of water or vent, once settled, stands here with what it gave."
            self._states.addWidget(label(words, "small", wrap=True))
        for found in newest:
            at = self.desk.book.local(found.since_ms)
            row = QHBoxLayout()
            use = QCheckBox()
            use.setChecked(found.used)
            use.setEnabled(not found.problem)
            words = f"{dates.moment(at)}  {box_words.state_words(found)}"
            use.setAccessibleName(f"Use {words}")
            use.setToolTip("Use it to learn what this box does")
            use.clicked.connect(partial(self._use, found))
            row.addWidget(use)
            row.addWidget(label(words, "small", wrap=True), 1)
            self._states.addLayout(row)

    def _use(self, found: FoundState) -> None:
        assert self.incubator is not None
        if found.used:
            own_states.drop(self.desk, self.incubator, found)
        else:
            own_states.include(self.desk, found)

    def show_grid(self, which: str) -> None:
        """Show what every mix gives now, in the coldest hours, or at lockdown."""
        self.which = which
        for key, made in self.choices.items():
            made.setChecked(key == which)
        if self.sheet is not None and which in self.sheet.grids:
            self.grid.show_grid(self.sheet.grids[which], self.sheet.now)

    def _looked_at(self, cell: Cell) -> None:
        if self.sheet is not None and self.which in self.sheet.grids:
            self.looked_at.setText(box_words.cell_words(self.sheet.grids[self.which], cell))

    def take(self, cell: Cell | None) -> None:
        """Put a mix into the fields at the left, ready to be logged."""
        if cell is None or self.sheet is None:
            return
        half = [f"half of {s.name}" for s in self.sheet.surfaces]
        for surface in self.sheet.surfaces:
            share = 1.0 if surface.name in cell.combination.names else 0.0
            if f"half of {surface.name}" in cell.combination.names and len(half) == 1:
                share = 0.5
            chooser = self.shares.get(surface.id)
            if chooser is not None and cell.combination.names != ("as now",):
                chooser.setCurrentIndex(chooser.findData(share))
        self.vent.setText(water.opening_typed(cell.opening))
        self._edited()
        self.log_button.setFocus()


def shares_for(own: list[WaterSurface], surface_cm2: float | None) -> dict[int, float]:
    """Which surfaces are wet, and how much of each, for a wetted surface in cm²; all dry where none fits."""
    if surface_cm2 is None or len(own) > 6:
        return {}
    for steps in ((0.0, 1.0), (0.0, 0.5, 1.0), tuple(SHARES)):
        for shares in product(steps, repeat=len(own)):
            total = sum(s.surface_cm2 * share for s, share in zip(own, shares, strict=True))
            if abs(total - surface_cm2) < 0.05:
                return {s.id: share for s, share in zip(own, shares, strict=True)}
    return {}
