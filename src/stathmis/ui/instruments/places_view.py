"""Places in an incubator: warm and cold spots, the layers of still air, and the set point that centers the truth."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QWidget

from stathmis.core.errors import UserError
from stathmis.core.units import difference_from_inside
from stathmis.logbook.records import Incubator
from stathmis.services import knowledge, notify
from stathmis.services.advice import heat
from stathmis.services.desk import Desk
from stathmis.services.instruments import places
from stathmis.services.instruments.overview import instruments_for
from stathmis.services.instruments.place_words import even_words, layer_words
from stathmis.services.instruments.places import PLACES, Cell, PlacesResult
from stathmis.ui.instruments.plan_picture import PlanPicture
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.page import Page, column, holder, row
from stathmis.ui.kit.pieces import button, label, problem_label, rule, say, set_property
from stathmis.ui.level import Level, LevelState
from stathmis.ui.theme import Theme
from stathmis.words import advice as said
from stathmis.words import dates
from stathmis.words.catalogue import _, as_number


class PlacesView(Page):
    """One incubator at a time: a map of places (or of heights, in still air) and its controller."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 800)
        self._desk, self._theme = desk, theme
        self._incubator: Incubator | None = None
        self.result: PlacesResult | None = None
        self.incubator = Chooser(_("Incubator"), changed=self._chosen)
        self._problem, self._says, self._why = (
            problem_label(),
            label("", "name", wrap=True),
            label("", "muted", wrap=True),
        )
        self._controller, self._controller_note = label("", "big", wrap=True), label("", "muted", wrap=True)
        self._level, self._mean = Level(theme), label("", "name", wrap=True)
        theme.fit(self._level, FixedWidth=200)
        self._now = holder(row(self._level, (self._mean, 1), spacing=12))
        self.keep = button(_("&Keep this map"), lambda: self._keep(self.result, None))
        words = _(
            "Read each place at egg height, lid shut, once it has settled: one instrument moved from place to "
            "place, or several at once."
        )
        self.picture = PlanPicture(theme)
        middle = self.folding_row(24)
        middle.addWidget(self._map_fields(), 5)
        middle.addWidget(self.picture, 5)
        for part in (
            column(row(self.incubator, 1), label(_("Set point"), "heading")),
            column(self._controller, self._now, self._controller_note, rule()),
            column(label(_("Warm and cold places"), "heading"), label(words, "muted", wrap=True), middle),
            column(self._problem, self._says, self._why, row(self.keep, 1), self._heights(), 1),
        ):
            self.page.addLayout(part)
        theme.changed.connect(self.refresh)

    def _map_fields(self) -> QWidget:
        self.instrument = Chooser(_("Instrument moved from place to place"), changed=self._evaluate)
        name = _("Thermostat swings by, plus or minus")
        self.swing = field(name, width=(self._theme, 56), typed=self._evaluate)
        self._swing_unit = label("", "muted")
        self.several = QCheckBox(_("several instruments at once"))
        self.several.toggled.connect(self._show_several)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        self.cells: dict[str, QLineEdit] = {}
        self._who: dict[str, Chooser] = {}
        for y, names in enumerate(PLACES):
            for x, name in enumerate(names):
                edit = field(
                    _("Reading {name}", name=_(name)), typed=self._evaluate, entered=partial(self._step_from, name)
                )
                who = Chooser(_("Instrument {name}", name=_(name)), changed=self._evaluate, yielding=True)
                who.hide()
                self.cells[name], self._who[name] = edit, who
                for below, widget in enumerate((label(_(name), "small"), edit, who)):
                    grid.addWidget(widget, 3 * y + below, x)
        top = row((self.instrument, 1), label(_("swing ±"), "muted"), self.swing, self._swing_unit)
        return holder(column(top, self.several, grid, 1))

    def _heights(self) -> QWidget:
        """Two or three heights, for still air."""
        wide, typed = (self._theme, 88), self._evaluate_heights
        self.egg_top = field(_("Height of the egg tops over the floor, cm"), width=wide, typed=typed)
        self.levels: list[tuple[QLineEdit, QLineEdit]] = []
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        for i, words in enumerate((_("lower"), _("upper"), _("one more"))):
            height = field(_("Height of the {words} reading, cm", words=words), width=wide, typed=typed)
            shown = field(_("The {words} reading", words=words), width=wide, typed=typed)
            cells = (label(words, "muted"), height, label("cm", "muted"), shown, label(_("it shows"), "muted"))
            for x, widget in enumerate(cells):
                grid.addWidget(widget, i, x)
            self.levels.append((height, shown))
        grid.setColumnStretch(5, 1)
        self._layer_problem, self._layer_says = problem_label(), label("", "name", wrap=True)
        self.keep_layers = button(_("Keep these &heights"), self._keep_heights)
        self.layer_result: PlacesResult | None = None
        box = column(
            rule(),
            label(_("Layers of still air"), "heading"),
            label(knowledge.cautions()["layers"], "", "eggs", wrap=True),
            row(label(_("Egg tops at"), "muted"), self.egg_top, label(_("cm over the floor."), "muted"), 1),
            grid,
            self._layer_problem,
            self._layer_says,
            row(self.keep_layers, 1),
        )
        self._layers_box = holder(box)
        return self._layers_box

    def refresh(self) -> None:
        """Show the incubator as it stands; what is being typed stays."""
        desk = self._desk
        if self._swing_unit.text() != desk.book.temperature_unit:
            self._swing_unit.setText(desk.book.temperature_unit)
            self.swing.setText(
                as_number(float(difference_from_inside(places.SWING_K, desk.book.temperature_unit)), "g")
            )
        incubators = [(i.name, i.id) for i in desk.book.incubators()]
        instruments = [(i.name, channel.id) for i, channel in instruments_for(desk.book, "temperature")]
        for box in (self.incubator, self.instrument, *self._who.values()):
            with QSignalBlocker(box):
                box.offer(incubators if box is self.incubator else instruments, box.currentData())
        self._chosen()

    def _chosen(self, _incubator_id: object = None) -> None:
        wanted = self.incubator.currentData()
        before = self._incubator
        self._incubator = next((i for i in self._desk.book.incubators() if i.id == wanted), None)
        if before is not None and self._incubator is not None and before.id != self._incubator.id:
            for edit in (*self.cells.values(), self.egg_top, *(e for pair in self.levels for e in pair)):
                edit.setText("")
        self._layers_box.setVisible(self._incubator is not None and self._incubator.air == "still")
        self._show_controller()
        self._evaluate()
        self._evaluate_heights()

    def _show_several(self, on: bool) -> None:
        for who in self._who.values():
            who.setVisible(on)
        self.instrument.setEnabled(not on)
        self._evaluate()

    def _step_from(self, name: str) -> None:
        order = list(self.cells)
        self.cells[order[(order.index(name) + 1) % len(order)]].setFocus()

    def _typed(self) -> list[Cell]:
        moved = self.instrument.currentData()
        several = self.several.isChecked()
        return [
            Cell(name, self._who[name].currentData() if several else moved, edit.text())
            for name, edit in self.cells.items()
        ]

    def _evaluate(self, _what: object = None) -> None:
        desk = self._desk
        self.result = result = places.compare_places(desk.book, self._typed(), self.swing.text())
        wrong = {place: text for place, _, text in result.problems}
        for name, edit in self.cells.items():
            set_property(edit, "wrong", name in wrong)
        set_property(self.swing, "wrong", "" in wrong)
        text = next(iter(wrong.items()), ("", ""))
        say(self._problem, f"{text[0]}: {text[1]}" if text[0] else text[1])
        says, why = even_words(desk.book, result)
        if not any(e.text().strip() for e in self.cells.values()) and self._incubator is not None:
            kept = places.newest_survey(desk.book, self._incubator, "places")
            if kept is not None:
                result = places.from_survey(desk.book, *kept)
                says, why = even_words(desk.book, result)
                says = _(
                    "Map of {done_ms}. {says}",
                    done_ms=dates.day(desk.book.local(kept[0].done_ms), year=True),
                    says=says,
                )
        say(self._says, says)
        say(self._why, why)
        self.picture.show_result(result, desk.book.temperature_unit, says)
        self.keep.setEnabled(self.result.even is not None and not self.result.problems)

    def _evaluate_heights(self, _typed: object = None) -> None:
        moved = self.instrument.currentData()
        cells = [Cell(_("height {i}", i=i + 1), moved, s.text(), h.text()) for i, (h, s) in enumerate(self.levels)]
        result = None
        if any(c.typed.strip() for c in cells):
            result = places.compare_heights(self._desk.book, cells, self.swing.text(), self.egg_top.text())
        self.layer_result = result
        problems = result.problems if result is not None else ()
        wrong = {(place, field) for place, field, _ in problems}
        for i, (height, shown) in enumerate(self.levels):
            set_property(height, "wrong", (f"height {i + 1}", "height") in wrong or ("", "height") in wrong)
            set_property(shown, "wrong", (f"height {i + 1}", "typed") in wrong)
        set_property(self.egg_top, "wrong", ("", "egg_top") in wrong)
        say(self._layer_problem, problems[0][2] if problems else "")
        say(self._layer_says, layer_words(self._desk.book, result) if result is not None else "")
        self.keep_layers.setEnabled(result is not None and result.layered is not None and not result.problems)

    def _keep_heights(self) -> None:
        self._keep(self.layer_result, self.egg_top.text())

    def _keep(self, result: PlacesResult | None, egg_top: str | None) -> None:
        if result is None or self._incubator is None:
            return
        try:
            places.keep_survey(self._desk, self._incubator, result, egg_top)
        except UserError as error:
            notify.tell_error(error)
            return
        for edit in self.cells.values() if egg_top is None else ():
            edit.setText("")
        self._evaluate()
        notify.tell("info", _("Kept. Ctrl+Z takes it back."))

    def _show_controller(self) -> None:
        self._now.hide()
        if self._incubator is None:
            say(self._controller, "")
            say(self._controller_note, _("Enter an incubator first."))
            return
        book = self._desk.book
        found = heat.advise(book, self._incubator)
        told = said.heat(book, found)
        say(self._controller, told.text)
        say(self._controller_note, told.note)
        if found.mean is not None:
            say(self._mean, said.mean_words(book, found))
            state = LevelState("temperature", found.band, found.mean.value, found.decision)
            self._level.show_state(state, self._mean.text())
            self._now.show()
