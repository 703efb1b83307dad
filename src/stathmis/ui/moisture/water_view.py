"""Water and vents: how an incubator stands, what every mix would give, and the way to lockdown."""

from __future__ import annotations

from functools import partial
from itertools import product

from PySide6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.logbook.records import Incubator, WaterSurface
from stathmis.services import clock, knowledge
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.findings import box
from stathmis.services.findings.box import BoxSheet
from stathmis.services.findings.combinations import Cell
from stathmis.services.findings.states import FoundState
from stathmis.services.moisture import states as own_states
from stathmis.services.moisture import water
from stathmis.ui.forms import AltitudeQuestion
from stathmis.ui.kit.attempt import attempt, emptied
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.lines import Lines, Pool
from stathmis.ui.kit.page import Page, column, holder, put, row
from stathmis.ui.kit.pieces import button, given, label, problem_label, say, set_text
from stathmis.ui.moisture.box_grid import BoxGrid
from stathmis.ui.theme import Theme
from stathmis.ui.work import Latest
from stathmis.words import box as box_words
from stathmis.words import dates, typed
from stathmis.words.catalogue import N_, Spoken, _, as_number, midway

SHARES = Spoken(
    {0.0: N_("dry"), 0.25: N_("a quarter wet"), 0.5: N_("half wet"), 0.75: N_("three quarters"), 1.0: N_("all wet")}
)
GRID_WORDS = Spoken({"now": N_("now"), "tonight": N_("in the coldest hours"), "lockdown": N_("at lockdown")})
SHOWN = 8


class _Surface(QWidget):
    """A trough, cup or wick: how much of it is wet, and a way to take it off the list."""

    def __init__(self, view: WaterView) -> None:
        super().__init__()
        self._surface: WaterSurface | None = None
        self._name, self._size = label("", wrap=True), label("", "small")
        options = [(text, share) for share, text in SHARES.items()]
        self.share = Chooser(options=options, picked=view._edited, yielding=True)
        view.theme.fit(self.share, MinimumWidth=120)
        remove = partial(water.remove_surface, view.desk)
        self._away = button(_("take away"), given(lambda: self._surface, remove), "link")
        put(self, row((column(self._name, self._size, spacing=0), 1), self.share, self._away))

    def show_surface(self, surface: WaterSurface, share: float) -> None:
        self._surface = surface
        set_text(self._name, surface.name)
        held = f", {as_number(surface.volume_ml, '.0f')} ml" if surface.volume_ml is not None else ""
        set_text(self._size, f"{as_number(surface.surface_cm2, '.0f')} cm²{held}")
        self.share.setAccessibleName(_("How much of the {surface} is wet and uncovered", surface=surface.name))
        self.share.choose(share)
        self._away.setAccessibleName(_("Take {surface} off the list", surface=surface.name))


class _State(QWidget):
    """How the incubator stood and what that gave; ticked where it is learned from."""

    def __init__(self, view: WaterView) -> None:
        super().__init__()
        self._found: FoundState | None = None
        self._use, self._words = QCheckBox(), label("", "small", wrap=True)
        self._use.setToolTip(_("Use it to learn what this box does"))
        self._use.clicked.connect(lambda _on: self._found and view.use(self._found))
        put(self, row(self._use, (self._words, 1)))

    def show_state(self, found: FoundState, when: str) -> None:
        self._found = found
        words = f"{when}  {box_words.state_words(found)}"
        self._use.setChecked(found.used)
        self._use.setEnabled(not found.problem)
        self._use.setAccessibleName(_("Use {words}", words=words))
        set_text(self._words, words)


class WaterView(Page):
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
        self.altitude = AltitudeQuestion(desk, theme)
        self.page.addWidget(self.altitude)
        left, right = self.columns(4, 6, stretch=1)
        self._build_stands(left)
        self._build_says(right)

    def _build_stands(self, left: QVBoxLayout) -> None:
        left.addWidget(label(_("How it stands"), "heading"))
        self.note = label("", "muted", wrap=True)
        left.addWidget(self.note)
        self._surfaces = Pool(left, lambda: _Surface(self))
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)

        def add(text: str, name: str, hint: str) -> QLineEdit:
            made, at = field(name, hint, entered=self.log, typed=self._edited), grid.rowCount()
            grid.addWidget(label(text, "small"), at, 0)
            grid.addWidget(made, at, 1)
            return made

        self.vent = add(_("vent open"), _("How far the vents are open"), _("half, 1/3, 40 %"))
        self.poured = add(_("refilled with, ml"), _("Water poured, in ml"), _("only if you did"))
        self.since = add(_("since"), _("Since when it stands so"), typed.own("now"))
        left.addLayout(grid)
        self.problem = problem_label()
        left.addWidget(self.problem)
        self.log_button = button(_("Log this change"), self.log, "main")
        left.addLayout(row(self.log_button, 1))
        self._build_new(left)
        left.addWidget(label(_("What the log settled to"), "name"))
        self._unsettled = Lines(left, "small")
        self._states = Pool(left, lambda: _State(self), spacing=2)
        left.addStretch(1)

    def _build_new(self, left: QVBoxLayout) -> None:
        add = self.add_surface
        self.name = field(_("Name of a water surface to enter"), _("trough, wick"), entered=add)
        area = _("Its surface: cm², or length x breadth in cm")
        self.surface = field(area, "20 x 6 cm", width=(self.theme, 92), entered=add)
        self.volume = field(_("What it holds, in ml"), "ml", width=(self.theme, 64), entered=add)
        left.addLayout(row((self.name, 1), self.surface, self.volume, button(_("Enter it"), add, "link")))
        self.new_problem = problem_label()
        left.addWidget(self.new_problem)

    def _build_says(self, right: QVBoxLayout) -> None:
        self.doubt = label("", "name", "undecided", wrap=True)
        right.addWidget(self.doubt)
        self.headline = label("", "name", "moisture", wrap=True)
        right.addWidget(self.headline)
        words = GRID_WORDS.items()
        self.choices = {key: button(text, partial(self.show_grid, key), "tab") for key, text in words}
        right.addLayout(row(*self.choices.values(), 1, spacing=16))
        self.grid = BoxGrid(self.theme)
        self.grid.looked_at.connect(self._looked_at)
        self.grid.taken.connect(self.take)
        right.addWidget(self.grid)
        self.looked_at = label("", "small", wrap=True)
        self.take_button = button(_("Take it over"), lambda: self.take(self.grid.cell), "link")
        right.addLayout(row((self.looked_at, 1), self.take_button))
        self._lines = Lines(right, "muted")
        options = [(midway(text.partition(":")[0]), key) for key, text in box.VENT_HABITS.items()]
        choose = partial(own_states.choose_vent_habit, self.desk)
        self.habit = Chooser(_("How the vents are held at lockdown"), options, picked=choose, yielding=True)
        self.theme.fit(self.habit, MinimumWidth=200)
        head = row(label(_("The way to lockdown"), "name"), 1, label(_("vents then"), "small"), self.habit)
        self._ramp_head = holder(head)
        right.addWidget(self._ramp_head)
        self._ramp = Lines(right)
        self.why = label("", "small", wrap=True)
        right.addWidget(self.why)
        right.addStretch(1)

    def show_incubator(self, incubator: Incubator, course: Course | None) -> None:
        """Show an incubator as it stands; what is being typed for it stays."""
        if self.incubator is None or incubator.id != self.incubator.id:
            self.sheet, self._touched = None, False
            for edit in (self.vent, self.poured, self.since, self.name, self.surface, self.volume):
                edit.setText("")
        self.incubator, self.course = incubator, course
        self._show_surfaces()
        self._show_sheet()
        book = self.desk.book
        self._latest.find(lambda: box.box_sheet(book, incubator, course), self._arrived)

    def _show_surfaces(self) -> None:
        assert self.incubator is not None
        kept = {key: chosen.currentData() for key, chosen in self.shares.items()} if self._touched else {}
        own = water.surfaces(self.desk.book, self.incubator)
        now = water.setting_at(water.events_of(self.desk.book, self.incubator), self.desk.now_ms)
        stands = shares_for(own, now.surface_cm2)
        lines = dict(zip((s.id for s in own), self._surfaces.show(len(own)), strict=True))
        self.shares = {key: line.share for key, line in lines.items()}
        for surface in own:
            lines[surface.id].show_surface(surface, kept.get(surface.id, stands.get(surface.id, 0.0)))
        self.note.setText(box_words.now_words(now) if own else _("Surface sets the humidity, depth how long it lasts."))
        if not self._touched:
            self.vent.setText(water.opening_typed(now.opening))

    def _edited(self, _typed: object = None) -> None:
        self._touched = True
        self.problem.hide()

    def add_surface(self) -> None:
        """Enter a trough, cup or wick."""
        incubator = self.incubator
        assert incubator is not None

        def action() -> str:
            with emptied(self.name, self.surface, self.volume) as typed:
                water.add_surface(self.desk, incubator, *typed)
                return _("{typed} entered.", typed=typed[0].strip())

        (self.name if attempt(self.new_problem, action) else self.surface).setFocus()

    def log(self) -> None:
        """Log how it stands."""
        incubator, touched = self.incubator, self._touched
        assert incubator is not None

        def action() -> str:
            opening = water.opening_in(self.vent.text()) if self.vent.text().strip() else None
            wet = {key: float(chosen.currentData()) for key, chosen in self.shares.items()}
            with emptied(self.poured, self.since) as (amount, when):
                at = clock.parse_moment(when, self.desk.now_ms, self.desk.book.zone)
                poured = water.amount_in(amount) if amount.strip() else None
                self._touched = False
                logged = water.log_change(self.desk, incubator, wet, opening, at, poured)
            return _(
                "{word} logged. {cautions}",
                word=_("Change") if logged == 1 else _("Changes"),
                cautions=knowledge.cautions()["water"],
            )

        if not attempt(self.problem, action):
            self._touched = touched

    def _arrived(self, found: BoxSheet) -> None:
        if self.incubator is None or found.incubator.id != self.incubator.id:
            return
        self.sheet = found
        self._show_sheet()

    def _show_sheet(self) -> None:
        sheet, desk = self.sheet, self.desk
        shown = sheet is not None and bool(sheet.surfaces)
        for widget in (self.grid, self.looked_at, self.take_button, *self.choices.values()):
            widget.setVisible(shown)
        self.why.setVisible(shown)
        if sheet is None:
            self.headline.setText(_("Reading the log …"))
            self.doubt.hide()
            for lines in (self._lines, self._ramp, self._unsettled):
                lines.say([])
            self._states.show(0)
            self._ramp_head.hide()
            return
        self.headline.setText(box_words.headline(sheet))
        book = self.desk.book
        doubts = (box_words.doubt(sheet), box_words.odd(book, sheet), box_words.unmoved(sheet))
        say(self.doubt, " ".join(d for d in doubts if d))
        for key, made in self.choices.items():
            made.setVisible(shown and key in sheet.grids)
        self.show_grid(self.which if self.which in sheet.grids else "now")
        self._lines.say(box_words.lines(desk.book, sheet))
        ramp = box_words.ramp_lines(desk.book, sheet) if shown else []
        self._ramp_head.setVisible(bool(ramp))
        self.habit.choose(sheet.vent_habit)
        self.habit.setToolTip(box.VENT_HABITS[sheet.vent_habit])
        self._ramp.say([*ramp, (box.VENT_HABITS[sheet.vent_habit], "small")] if ramp else [])
        self.why.setText(" ".join(box_words.why(desk.book, sheet)))
        newest = list(reversed(sheet.states))[:SHOWN]
        none = _("Nothing yet: each change of water or vent, once settled, stands here with what it gave.")
        self._unsettled.say([] if newest else [none])
        for line, found in zip(self._states.show(len(newest)), newest, strict=True):
            line.show_state(found, dates.moment(desk.book.local(found.since_ms)))

    def use(self, found: FoundState) -> None:
        """Learn from a state, or no more."""
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
        for surface in self.sheet.surfaces:
            chooser = self.shares.get(surface.id)
            if chooser is not None and cell.combination.share is not None:
                chooser.choose(cell.combination.wet.get(surface.name, 0.0))
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
