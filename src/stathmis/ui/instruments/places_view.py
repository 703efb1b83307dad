"""Places in an incubator: warm and cold spots, the layers of still air, and the set point that centers the truth."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

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
from stathmis.ui.level import Level, LevelState
from stathmis.ui.pieces import Chooser, FoldingView, button, clear, label, rule, scrolling_page, set_property
from stathmis.ui.theme import Theme
from stathmis.words import advice as said
from stathmis.words import dates


class PlacesView(FoldingView):
    """One incubator at a time: a map of places (or of heights, in still air) and its controller."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 800)
        self._desk, self._theme = desk, theme
        self._incubator: Incubator | None = None
        self.result: PlacesResult | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        page.addLayout(self._choices())
        self._problem = label("", "problem", wrap=True)
        self._problem.hide()
        page.addWidget(label("Set point", "heading"))
        self._controller = QVBoxLayout()
        page.addLayout(self._controller)
        page.addWidget(rule())
        page.addWidget(label("Warm and cold places", "heading"))
        page.addWidget(
            label(
                "Read each place at egg height, lid shut, once it has settled: one instrument moved from place to "
                "place, or several at once.",
                "muted",
                wrap=True,
            )
        )
        middle = self.folding_row(24)
        middle.addWidget(self._map_fields(), 5)
        self.picture = PlanPicture(theme)
        middle.addWidget(self.picture, 5)
        page.addLayout(middle)
        page.addWidget(self._problem)
        self._says = label("", "name", wrap=True)
        page.addWidget(self._says)
        self._why = label("", "muted", wrap=True)
        page.addWidget(self._why)
        self.keep = button("&Keep this map", lambda: self._keep(self.result, None))
        line = QHBoxLayout()
        line.addWidget(self.keep)
        line.addStretch(1)
        page.addLayout(line)
        page.addWidget(rule())
        page.addWidget(self._heights())
        page.addStretch(1)
        theme.changed.connect(self.refresh)

    def _choices(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.incubator, self.instrument = Chooser(), Chooser()
        self.incubator.setAccessibleName("Incubator")
        self.incubator.currentIndexChanged.connect(lambda _i: self._chosen())
        row.addWidget(self.incubator)
        row.addStretch(1)
        return row

    def _map_fields(self) -> QWidget:
        holder = QWidget()
        layout = QVBoxLayout(holder)
        layout.setContentsMargins(0, 0, 0, 0)
        top = QHBoxLayout()
        self.instrument.setAccessibleName("Instrument moved from place to place")
        self.instrument.currentIndexChanged.connect(lambda _i: self._evaluate())
        self.swing = QLineEdit()
        self.swing.setFixedWidth(self._theme.px(56))
        self.swing.setAccessibleName("Thermostat swings by, plus or minus")
        self.swing.textEdited.connect(lambda _t: self._evaluate())
        top.addWidget(self.instrument, 1)
        top.addWidget(label("swing ±", "muted"))
        top.addWidget(self.swing)
        self._swing_unit = label("", "muted")
        top.addWidget(self._swing_unit)
        layout.addLayout(top)
        self.several = QCheckBox("several instruments at once")
        self.several.toggled.connect(self._show_several)
        layout.addWidget(self.several)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        self.cells: dict[str, QLineEdit] = {}
        self._who: dict[str, Chooser] = {}
        for row, names in enumerate(PLACES):
            for column, name in enumerate(names):
                edit, who = QLineEdit(), Chooser()
                edit.setAccessibleName(f"Reading {name}")
                edit.textEdited.connect(lambda _t: self._evaluate())
                edit.returnPressed.connect(lambda e=edit: self._step_from(e))
                who.setAccessibleName(f"Instrument {name}")
                who.setMinimumContentsLength(6)
                who.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
                who.currentIndexChanged.connect(lambda _i: self._evaluate())
                who.hide()
                self.cells[name], self._who[name] = edit, who
                grid.addWidget(label(name, "small"), 3 * row, column)
                grid.addWidget(edit, 3 * row + 1, column)
                grid.addWidget(who, 3 * row + 2, column)
        layout.addLayout(grid)
        layout.addStretch(1)
        return holder

    def _heights(self) -> QWidget:
        """Two or three heights, for still air."""
        self._layers_box = QWidget()
        layout = QVBoxLayout(self._layers_box)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(label("Layers of still air", "heading"))
        layout.addWidget(label(knowledge.cautions()["layers"], "", "eggs", wrap=True))
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(label("Egg tops at", "muted"))
        self.egg_top = QLineEdit()
        self.egg_top.setAccessibleName("Height of the egg tops over the floor, cm")
        row.addWidget(self.egg_top)
        row.addWidget(label("cm over the floor.", "muted"))
        row.addStretch(1)
        layout.addLayout(row)
        self.levels: list[tuple[QLineEdit, QLineEdit]] = []
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        for i, words in enumerate(("lower", "upper", "one more")):
            height, shown = QLineEdit(), QLineEdit()
            height.setAccessibleName(f"Height of the {words} reading, cm")
            shown.setAccessibleName(f"The {words} reading")
            for column, widget in enumerate(
                (label(words, "muted"), height, label("cm", "muted"), shown, label("it shows", "muted"))
            ):
                grid.addWidget(widget, i, column)
            self.levels.append((height, shown))
        grid.setColumnStretch(5, 1)
        for edit in (self.egg_top, *(e for pair in self.levels for e in pair)):
            edit.setFixedWidth(self._theme.px(88))
            edit.textEdited.connect(lambda _t: self._evaluate_heights())
        layout.addLayout(grid)
        self._layer_problem = label("", "problem", wrap=True)
        self._layer_problem.hide()
        layout.addWidget(self._layer_problem)
        self._layer_says = label("", "name", wrap=True)
        layout.addWidget(self._layer_says)
        self.keep_layers = button("Keep these &heights", self._keep_heights)
        line = QHBoxLayout()
        line.addWidget(self.keep_layers)
        line.addStretch(1)
        layout.addLayout(line)
        self.layer_result: PlacesResult | None = None
        return self._layers_box

    def refresh(self) -> None:
        """Show the incubator as it stands; what is being typed stays."""
        desk = self._desk
        if self._swing_unit.text() != desk.book.temperature_unit:
            self._swing_unit.setText(desk.book.temperature_unit)
            self.swing.setText(f"{float(difference_from_inside(places.SWING_K, desk.book.temperature_unit)):g}")
        chosen = self.incubator.currentData()
        self.incubator.blockSignals(True)
        self.incubator.clear()
        for incubator in desk.book.incubators():
            self.incubator.addItem(incubator.name, incubator.id)
        self.incubator.setCurrentIndex(max(0, self.incubator.findData(chosen)))
        self.incubator.blockSignals(False)
        for box in (self.instrument, *self._who.values()):
            before = box.currentData()
            box.blockSignals(True)
            box.clear()
            for instrument, channel in instruments_for(desk.book, "temperature"):
                box.addItem(instrument.name, channel.id)
            box.setCurrentIndex(max(0, box.findData(before)))
            box.blockSignals(False)
        self._chosen()

    def _chosen(self) -> None:
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

    def _step_from(self, edit: QLineEdit) -> None:
        order = list(self.cells.values())
        order[(order.index(edit) + 1) % len(order)].setFocus()

    def _typed(self) -> list[Cell]:
        moved = self.instrument.currentData()
        several = self.several.isChecked()
        return [
            Cell(name, self._who[name].currentData() if several else moved, edit.text())
            for name, edit in self.cells.items()
        ]

    def _evaluate(self) -> None:
        desk = self._desk
        self.result = result = places.compare_places(desk.book, self._typed(), self.swing.text())
        wrong = {place: text for place, _, text in result.problems}
        for name, edit in self.cells.items():
            set_property(edit, "wrong", name in wrong)
        set_property(self.swing, "wrong", "" in wrong)
        text = next(iter(wrong.items()), ("", ""))
        self._problem.setText(f"{text[0]}: {text[1]}" if text[0] else text[1])
        self._problem.setVisible(bool(text[1]))
        says, why = even_words(desk.book, result)
        if not any(e.text().strip() for e in self.cells.values()) and self._incubator is not None:
            kept = places.newest_survey(desk.book, self._incubator, "places")
            if kept is not None:
                result = places.from_survey(desk.book, *kept)
                says, why = even_words(desk.book, result)
                says = f"Map of {dates.day(desk.book.local(kept[0].done_ms), year=True)}. {says}"
        self._says.setText(says)
        self._says.setVisible(bool(says))
        self._why.setText(why)
        self._why.setVisible(bool(why))
        self.picture.show_result(result, desk.book.temperature_unit, says)
        self.keep.setEnabled(self.result.even is not None and not self.result.problems)

    def _evaluate_heights(self) -> None:
        moved = self.instrument.currentData()
        cells = [Cell(f"height {i + 1}", moved, s.text(), h.text()) for i, (h, s) in enumerate(self.levels)]
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
        self._layer_problem.setText(problems[0][2] if problems else "")
        self._layer_problem.setVisible(bool(problems))
        says = layer_words(self._desk.book, result) if result is not None else ""
        self._layer_says.setText(says)
        self._layer_says.setVisible(bool(says))
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
        notify.tell("info", "Kept. Ctrl+Z takes it back.")

    def _show_controller(self) -> None:
        clear(self._controller)
        if self._incubator is None:
            self._controller.addWidget(label("Enter an incubator first.", "muted"))
            return
        book = self._desk.book
        found = heat.advise(book, self._incubator)
        told = said.heat(book, found)
        self._controller.addWidget(label(told.text, "big", wrap=True))
        if found.mean is not None:
            line = QHBoxLayout()
            line.setSpacing(12)
            level = Level(self._theme)
            level.setFixedWidth(self._theme.px(200))
            words = said.mean_words(book, found)
            level.show_state(LevelState("temperature", found.band, found.mean.value, found.decision), words)
            line.addWidget(level)
            line.addWidget(label(words, "name", wrap=True), 1)
            self._controller.addLayout(line)
        self._controller.addWidget(label(told.note, "muted", wrap=True))
