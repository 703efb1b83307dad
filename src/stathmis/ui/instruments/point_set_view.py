"""Points of a check taken by one method: its steps, its settings and allowances, and a row for each point."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.core.errors import UserError
from stathmis.core.fixed_points import SALTS
from stathmis.services import clock, knowledge
from stathmis.services.desk import Desk
from stathmis.services.instruments import checking, logged_pairs
from stathmis.services.instruments.checking import Check
from stathmis.services.instruments.draft import PointSet, Row, new_set
from stathmis.services.instruments.methods import FIELDS, methods_for
from stathmis.services.instruments.points import Point
from stathmis.services.instruments.reference_values import WICKS
from stathmis.services.instruments.words import settling_words
from stathmis.ui.pieces import Chooser, button, clear, label, set_property
from stathmis.ui.theme import Theme
from stathmis.words.numbers import count, places_for, signed, unit_word

_DIRECTIONS = (("", "–"), ("rising", "rising"), ("falling", "falling"))
_STRETCH = {"came": 0, "this one shows": 4, "salt": 6, "jar at": 2}
"""How the columns of a row share the room; others take 4."""
_PRESSURES = (
    ("altitude", "standard for the altitude"),
    ("report", "weather report, sea level"),
    ("here", "measured here"),
)


class _Choice(Chooser):
    """A list from which Enter goes on, as from a field."""

    entered = Signal()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter goes on; anything else as ever."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit()
        else:
            super().keyPressEvent(event)


class _RowWidgets:
    """The widgets of one point."""

    def __init__(self, view: PointSetView, row: Row, at: int) -> None:
        self.row, self._view = row, view
        grid, number = view.grid, len(view.rows) + 1
        grid.addWidget(label(str(number), "small"), at, 0)
        self.edits: dict[str, QLineEdit] = {}
        self.order: list[QWidget] = []
        self.shown = self._edit("shown", f"Point {number}, this one shows")
        grid.addWidget(self.shown, at, 1)
        column = 2
        for key, heading in FIELDS[view.points.method.reference]:
            widget: QWidget
            if key == "salt":
                widget = self._salt(number)
            else:
                widget = self._edit(key, f"Point {number}, {heading}")
            grid.addWidget(widget, at, column)
            column += 1
        if view.channel_quantity == "humidity":
            grid.addWidget(self._direction(number), at, column)
            column += 1
        self.true, self.difference = label(""), label("", "name")
        for cell in (self.true, self.difference):
            cell.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(cell, at, column)
            column += 1
        self.note = label("", "small", wrap=True)
        self.note.hide()
        grid.addWidget(self.note, at + 1, 1, 1, column - 1)

    def _edit(self, key: str, name: str) -> QLineEdit:
        made = QLineEdit(self.row.shown if key == "shown" else self.row.cells.get(key, ""))
        made.setAccessibleName(name)
        made.setMinimumWidth(self._view.theme.px(48))
        made.textEdited.connect(lambda text, k=key: self._typed(k, text))
        made.returnPressed.connect(lambda: self._view.step_from(made))
        self.edits[key] = made
        self.order.append(made)
        return made

    def _typed(self, key: str, text: str) -> None:
        if key == "shown":
            self.row.type_shown(text, self._view.desk.now_ms)
        else:
            self.row.cells[key] = text
        self._view.changed.emit()

    def _salt(self, number: int) -> Chooser:
        box = _Choice()
        box.entered.connect(lambda: self._view.step_from(box))
        box.addItem("choose", "")
        for salt in SALTS.values():
            box.addItem(salt.name, salt.formula)
        box.setCurrentIndex(max(0, box.findData(self.row.cells.get("salt", ""))))
        box.setMinimumContentsLength(7)
        box.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setAccessibleName(f"Point {number}, salt in the jar")
        box.currentIndexChanged.connect(lambda _i: self._chosen("salt", str(box.currentData())))
        self.order.append(box)
        return box

    def _direction(self, number: int) -> Chooser:
        box = _Choice()
        box.entered.connect(lambda: self._view.step_from(box))
        for key, text in _DIRECTIONS:
            box.addItem(text, key)
        box.setCurrentIndex([k for k, _ in _DIRECTIONS].index(self.row.direction))
        box.setMinimumContentsLength(3)
        box.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setAccessibleName(f"Point {number}, which way it came")
        box.currentIndexChanged.connect(lambda _i: self._turned(str(box.currentData())))
        self.order.append(box)
        return box

    def _turned(self, direction: str) -> None:
        self.row.direction = direction
        self._view.changed.emit()

    def _chosen(self, key: str, value: str) -> None:
        self.row.cells[key] = value
        self._view.changed.emit()


class PointSetView(QWidget):
    """One set of points; changed fires on every key, rebuilt when its method changed."""

    changed = Signal()
    rebuilt = Signal()

    def __init__(self, desk: Desk, theme: Theme, points: PointSet, channel_id: int, *, first: bool = True) -> None:
        super().__init__()
        self._first = first
        self.desk, self.theme, self.points = desk, theme, points
        self.channel = desk.book.channel(channel_id)
        self.rows: list[_RowWidgets] = []
        self._allow: dict[str, QLineEdit] = {}
        self._settings: dict[str, QWidget] = {}
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(6)
        # the list of ways stays while what is below is built anew: its keyboard search must not be cut short
        top = QHBoxLayout()
        self.method = Chooser()
        self.method.setAccessibleName("Way of checking")
        for m in methods_for(self.channel.quantity):
            self.method.addItem(m.name, m.key)
        self.method.setCurrentIndex(self.method.findData(self.points.method.key))
        self.method.currentIndexChanged.connect(lambda _i: self._switch_method())
        top.addWidget(self.method)
        self._beside = QHBoxLayout()
        top.addLayout(self._beside, 1)
        outer.addLayout(top)
        self.layout_ = QVBoxLayout()
        self.layout_.setSpacing(6)
        outer.addLayout(self.layout_)
        self._build()

    @property
    def channel_quantity(self) -> str:
        """Temperature or humidity."""
        return self.channel.quantity

    def _build(self) -> None:
        clear(self.layout_)
        clear(self._beside)
        self.rows, self._allow, self._settings = [], {}, {}
        self._heading()
        self._problem = label("", "problem", wrap=True)
        self._problem.hide()
        self.layout_.addWidget(self._problem)
        for i, step in enumerate(self.points.method.steps, start=1):
            self.layout_.addWidget(label(f"{i}  {step}", "muted", wrap=True))
        if self.points.method.caution:
            self.layout_.addWidget(label(knowledge.cautions()[self.points.method.caution], "", "eggs", wrap=True))
        self._logged = label("", "name", wrap=True)
        self._logged.hide()
        self.layout_.addWidget(self._logged)
        self.layout_.addWidget(self._table())
        self.layout_.addLayout(self._below())
        self.layout_.addWidget(self._allowances())

    def _heading(self) -> None:
        """Reference(s) beside the method; settings on a line of their own where there are any."""
        first, second = self._beside, QHBoxLayout()
        kind = self.points.method.reference
        if kind in ("instrument", "gun"):
            first.addWidget(label("against" if kind == "instrument" else "gun or tip", "muted"))
            first.addWidget(self._chooser("reference_id", self.channel.quantity, "Reference to compare with"), 1)
        elif kind == "bulbs":
            for key, text in (("reference_id", "dry"), ("second_id", "wet")):
                first.addWidget(label(text, "muted"))
                first.addWidget(self._chooser(key, "temperature", f"Thermometer of the {text} bulb"), 1)
        first.addStretch(1)
        if kind == "bulbs":
            self._choice(second, "wick", "wick in", [(k, words) for k, (words, _) in WICKS.items()])
        if self.points.method.needs_pressure:
            self._choice(second, "pressure_from", "pressure", list(_PRESSURES))
            self._setting(second, "pressure", "hPa", "Air pressure in hPa")
            self._setting(second, "altitude", "m", "Altitude in meters")
        if kind == "gun":
            self._setting(second, "emissivity", "emissivity of the shell", "Emissivity of the shell", before=True)
            self._setting(second, "gun_setting", "gun set to", "Emissivity the gun is set to", before=True)
        if second.count():
            second.addStretch(1)
            self.layout_.addLayout(second)
        # only now do the fields have a parent: shown before, they would be windows of their own for a moment
        self._show_pressure_fields()

    def _chooser(self, key: str, quantity: str, name: str) -> Chooser:
        box = Chooser()
        for other, theirs in checking.references(self.desk.book, self.channel, quantity):
            mark = "" if other.role == "reference" else " (no reference)"
            box.addItem(other.name + mark, theirs.id)
        chosen = getattr(self.points, key)
        if chosen is None and box.count():
            chosen = box.itemData(0)
            setattr(self.points, key, chosen)
        box.setCurrentIndex(box.findData(chosen))
        box.setMinimumContentsLength(10)
        box.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToContents)
        box.setAccessibleName(name)

        def choose(_index: int) -> None:
            setattr(self.points, key, box.currentData())
            self.points.logged = None
            self.changed.emit()

        box.currentIndexChanged.connect(choose)
        self._settings[key] = box
        return box

    def _choice(self, row: QHBoxLayout, key: str, text: str, options: list[tuple[str, str]]) -> None:
        box = Chooser()
        for value, words in options:
            box.addItem(words, value)
        box.setCurrentIndex(max(0, box.findData(self.points.settings.get(key))))
        box.setAccessibleName(text)

        def choose(_index: int) -> None:
            self.points.settings[key] = str(box.currentData())
            self._show_pressure_fields()
            self.changed.emit()

        box.currentIndexChanged.connect(choose)
        row.addWidget(label(text, "muted"))
        row.addWidget(box)
        self._settings[key] = box

    def _setting(self, row: QHBoxLayout, key: str, text: str, name: str, *, before: bool = False) -> None:
        edit = self._small_edit(self.points.settings.get(key, ""), name)

        def typed(value: str) -> None:
            self.points.settings[key] = value
            self.changed.emit()

        edit.textEdited.connect(typed)
        words = label(text, "muted")
        for widget in (words, edit) if before else (edit, words):
            row.addWidget(widget)
        edit.setProperty("partner", words)
        self._settings[key] = edit

    def _small_edit(self, text: str, name: str) -> QLineEdit:
        edit = QLineEdit(text)
        edit.setFixedWidth(self.theme.px(72))
        edit.setAccessibleName(name)
        return edit

    def _show_pressure_fields(self) -> None:
        how = self.points.settings.get("pressure_from", "altitude")
        for key, wanted in (("pressure", how != "altitude"), ("altitude", how != "here")):
            if key in self._settings:
                self._settings[key].setVisible(wanted)
                self._settings[key].property("partner").setVisible(wanted)

    def _switch_method(self) -> None:
        method = next(m for m in methods_for(self.channel.quantity) if m.key == self.method.currentData())
        fresh = new_set(self.channel, method, self.desk.book.altitude_m)
        kept = [row.shown for row in self.points.rows]
        # what the instrument showed stays; what belonged to the other method goes
        for row, shown in zip(fresh.rows, kept, strict=False):
            row.shown = shown
        for name, value in vars(fresh).items():
            setattr(self.points, name, value)
        self._build()
        self.rebuilt.emit()

    def _table(self) -> QWidget:
        holder = QWidget()
        self.grid = QGridLayout(holder)
        self.grid.setContentsMargins(0, 4, 0, 0)
        self.grid.setHorizontalSpacing(8)
        self.grid.setVerticalSpacing(4)
        unit = unit_word(self.channel.unit)
        headings = ["", "this one shows", *(h for _, h in FIELDS[self.points.method.reference])]
        if self.channel.quantity == "humidity":
            headings.append("came")
        headings += [f"true, {unit}", "add"]
        for column, text in enumerate(headings):
            heading = label(text, "small", wrap=True)
            right = column >= len(headings) - 2
            side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
            heading.setAlignment(side | Qt.AlignmentFlag.AlignBottom)
            self.grid.addWidget(heading, 0, column)
            if 0 < column < len(headings) - 2:
                self.grid.setColumnStretch(column, _STRETCH.get(text, 4))
        for row in self.points.rows:
            self.rows.append(_RowWidgets(self, row, 1 + 2 * len(self.rows)))
        return holder

    def _below(self) -> QVBoxLayout:
        """One more point, and picking points from logs."""
        both = QVBoxLayout()
        line = QHBoxLayout()
        self._more: list[QWidget] = [
            button("One &more point" if self._first else "One more point", self.add_row, "link")
        ]
        line.addWidget(self._more[0])
        both.addLayout(line)
        if self.points.method.key == "side":
            logs = "Pick from the &logs …" if self._first else "Pick from the logs …"
            self._more.append(button(logs, self._toggle_logs, "link"))
            line.addWidget(self._more[1])
            self._from_logs = QWidget()
            row = QHBoxLayout(self._from_logs)
            row.setContentsMargins(0, 0, 0, 0)
            now = self.desk.book.local(self.desk.now_ms)
            self.log_from = QLineEdit(f"{self.desk.book.local(self.desk.now_ms - 86_400_000):%Y-%m-%d %H:%M}")
            self.log_to = QLineEdit(f"{now:%Y-%m-%d %H:%M}")
            for text, edit in (("from", self.log_from), ("to", self.log_to)):
                edit.setAccessibleName(f"Logs {text}")
                edit.returnPressed.connect(self.pick_from_logs)
                row.addWidget(label(text, "muted"))
                row.addWidget(edit)
            self._take = button("Take these", self.pick_from_logs)
            row.addWidget(self._take)
            row.addStretch(1)
            self._log_problem = label("", "problem", wrap=True)
            self._log_problem.hide()
            self._from_logs.hide()
            both.addWidget(self._from_logs)
            both.addWidget(self._log_problem)
        line.addStretch(1)
        return both

    def _toggle_logs(self) -> None:
        self._from_logs.setVisible(not self._from_logs.isVisible())
        if self._from_logs.isVisible():
            self.log_from.setFocus()

    def pick_from_logs(self) -> None:
        """Pair both logs over the stretch typed."""
        desk = self.desk
        problem = ""
        try:
            start = clock.parse_moment(self.log_from.text(), desk.now_ms, desk.book.zone)
            end = clock.parse_moment(self.log_to.text(), desk.now_ms, desk.book.zone)
            if self.points.reference_id is None:
                raise UserError("There is no reference yet.", "Choose one above.")
            self.points.logged = logged_pairs.pick(desk.book, self.channel, self.points.reference_id, start, end)
        except UserError as error:
            problem = str(error)
            self.points.logged = None
        self._log_problem.setText(problem)
        self._log_problem.setVisible(bool(problem))
        self.changed.emit()

    def _allowances(self) -> QWidget:
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(3, 1)
        for at, a in enumerate(self.points.method.allowances):
            grid.addWidget(label(f"{a.label} ±", "muted"), at, 0)
            edit = self._small_edit(self.points.allowances.get(a.key, ""), f"{a.label}, plus or minus")
            edit.textEdited.connect(self._allow_typed(a.key))
            grid.addWidget(edit, at, 1)
            grid.addWidget(label(a.unit(self.channel.unit), "muted"), at, 2)
            grid.addWidget(label(f"usual: {a.why}", "small", wrap=True), at, 3)
            self._allow[f"allow:{a.key}"] = edit
        return holder

    def _allow_typed(self, key: str) -> Callable[[str], None]:
        def typed(text: str) -> None:
            self.points.allowances[key] = text
            self.changed.emit()

        return typed

    def tab_order(self) -> list[QWidget]:
        """Its fields in the order in which they stand."""
        rows = [w for row in self.rows for w in row.order]
        logs = [self.log_from, self.log_to, self._take] if self.points.method.key == "side" else []
        return [self.method, *self._settings.values(), *rows, *self._more, *logs, *self._allow.values()]

    def add_row(self) -> None:
        """One more empty point."""
        row = Row()
        self.points.rows.append(row)
        self.rows.append(_RowWidgets(self, row, 1 + 2 * len(self.rows)))
        self.rebuilt.emit()

    def step_from(self, widget: QWidget) -> None:
        """Enter goes to the next field, and from the last one to a new row."""
        order = [w for row in self.rows for w in row.order]
        at = order.index(widget)
        if at + 1 == len(order):
            self.add_row()
            QTimer.singleShot(0, self.rows[-1].shown.setFocus)
        else:
            order[at + 1].setFocus()

    def show_check(self, check: Check | None, set_index: int) -> None:
        """Show what became of each row, and what is wrong where."""
        points = {p.row: p for p in check.points if p.set_index == set_index} if check else {}
        for i, widgets in enumerate(self.rows):
            self._show_row(widgets, points.get(i), check, (set_index, i))
        text, wrong = "", set()
        for p in (*check.problems, *check.warnings) if check else ():
            if p.set_index == set_index and p.row == -1:
                text = text or p.text
                if check is not None and p in check.problems:
                    wrong.add(p.field)
        self._problem.setText(text)
        set_property(self._problem, "role", "problem" if wrong else "small")
        set_property(self._problem, "ink", "" if wrong else "warning")
        self._problem.setVisible(bool(text))
        for key, widget in (*self._allow.items(), *self._settings.items()):
            set_property(widget, "wrong", key in wrong)
        self._show_logged()

    def _show_logged(self) -> None:
        found = self.points.logged
        self._logged.setVisible(found is not None)
        if found is not None:
            lag = found.pairs.lag_s
            late = f", {abs(lag):.0f} s {'behind' if lag > 0 else 'ahead of'} the reference" if abs(lag) >= 5 else ""
            self._logged.setText(
                f"{count(found.pairs.reading.size, 'block')} from {count(found.readings, 'logged reading')}{late}."
            )

    def _show_row(self, widgets: _RowWidgets, point: Point | None, check: Check | None, place: tuple[int, int]) -> None:
        unit = self.channel.unit
        places = places_for(self.channel.resolution / 10)
        widgets.true.setText(f"{point.reference:.{places}f}" if point else "")
        widgets.difference.setText(signed(point.reference - point.reading, places) if point else "")
        problems = [p for p in check.problems if (p.set_index, p.row) == place] if check else []
        # a row that is still being typed is not scolded for what is still to come
        waiting = [p for p in problems if p.awaited]
        real = [p for p in problems if p not in waiting]
        for key, edit in widgets.edits.items():
            set_property(edit, "wrong", any(p.field == key for p in real))
        notes = [p.text for p in real]
        notes += [p.text for p in check.warnings if (p.set_index, p.row) == place] if check else []
        if point is not None and point.settled is not None and not notes:
            limit = checking.settle_limit(self.channel)
            response = checking.response_s(self.desk.book, self.channel, self.points)
            notes = [settling_words(point.settled, limit, response, unit)]
        widgets.note.setText(notes[0] if notes else "")
        set_property(widgets.note, "role", "problem" if real else "small")
        widgets.note.setVisible(bool(notes))
