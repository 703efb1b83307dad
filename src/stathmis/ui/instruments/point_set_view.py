"""Points of a check taken by one method: its steps, its settings and allowances, and a row for each point."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.core.errors import UserError
from stathmis.core.fixed_points import SALTS
from stathmis.services import clock, knowledge
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.instruments import checking, draft, logged_pairs
from stathmis.services.instruments.checking import Check
from stathmis.services.instruments.draft import PointSet, Row, new_set
from stathmis.services.instruments.methods import FIELDS, methods_for
from stathmis.services.instruments.points import Point
from stathmis.services.instruments.reference_values import WICKS
from stathmis.services.instruments.words import settling_words
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.page import column, holder, put, row, table
from stathmis.ui.kit.pieces import button, clear, label, problem_label, say, set_property
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import N_, _, as_number
from stathmis.words.numbers import count, places_for, signed, unit_word

_DIRECTIONS = (("–", ""), ("rising", "rising"), ("falling", "falling"))
_STRETCH = {"came": 0, "this one shows": 4, "salt": 8, "jar at": 2}
"""How the columns of a row share the room; others take 4."""
_PRESSURES = (
    (N_("standard for the altitude"), "altitude"),
    (N_("weather report, sea level"), "report"),
    (N_("measured here"), "here"),
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
        self.shown = self._edit("shown", _("Point {number}, this one shows", number=number))
        grid.addWidget(self.shown, at, 1)
        column = 2
        for key, heading in FIELDS[view.points.method.reference]:
            widget: QWidget
            if key == "salt":
                widget = self._salt(number)
            else:
                widget = self._edit(key, _("Point {number}, {heading}", number=number, heading=_(heading)))
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
        known = self.row.shown if key == "shown" else self.row.cells.get(key, "")
        made = field(name, text=known, typed=partial(self._typed, key), entered=lambda: self._view.step_from(made))
        # three readings of one point stand side by side: "28 29 28"
        self._view.theme.fit(made, MinimumWidth=84 if key == "shown" else 48)
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
        salts = [(_("choose"), ""), *((_(salt.name), salt.formula) for salt in SALTS.values())]
        name = _("Point {number}, salt in the jar", number=number)
        return self._choice(7, name, salts, self.row.cells.get("salt", ""), partial(self._chosen, "salt"))

    def _direction(self, number: int) -> Chooser:
        return self._choice(
            3,
            _("Point {number}, which way it came", number=number),
            [(_(text), way) for text, way in _DIRECTIONS],
            self.row.direction,
            self._turned,
        )

    def _choice(
        self,
        letters: int,
        name: str,
        options: Sequence[tuple[str, str]],
        chosen: str,
        changed: Callable[[str], object],
    ) -> Chooser:
        box = _Choice(name, options, chosen, changed=changed, yielding=True)
        box.setMinimumContentsLength(letters)
        box.entered.connect(lambda: self._view.step_from(box))
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
        # the list of ways stays while what is below is built anew: its keyboard search must not be cut short
        ways = [(m.name, m.key) for m in methods_for(self.channel.quantity)]
        self.method = Chooser(_("Way of checking"), ways, points.method.key, changed=self._switch_method, yielding=True)
        self.method.setMinimumContentsLength(20)
        self._beside, self.layout_ = row(), column(spacing=4)
        put(self, column(row(self.method, (self._beside, 1)), self.layout_, spacing=4))
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
        self._problem = problem_label()
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
        """The reference beside the method; two of them, and settings, on lines of their own where there are any."""
        first, second, third = self._beside, row(), row()
        kind = self.points.method.reference
        if kind in ("instrument", "gun"):
            first.addWidget(label(_("against") if kind == "instrument" else _("gun or tip"), "muted"))
            first.addWidget(self._chooser("reference_id", self.channel.quantity, _("Reference to compare with")), 1)
        elif kind == "bulbs":
            self._choice(first, "wick", _("wick in"), [(_(how[0]), key) for key, how in WICKS.items()])
            for key, text in (("reference_id", _("dry")), ("second_id", _("wet"))):
                second.addWidget(label(text, "muted"))
                second.addWidget(self._chooser(key, "temperature", _("Thermometer of the {text} bulb", text=text)))
        first.addStretch(1)
        if self.points.method.needs_pressure:
            self._choice(third, "pressure_from", "pressure", [(_(text), key) for text, key in _PRESSURES])
            self._setting(third, "pressure", "hPa", _("Air pressure in hPa"))
            self._setting(third, "altitude", "m", _("Altitude in meters"))
        if kind == "gun":
            self._setting(second, "emissivity", _("emissivity of the shell"), _("Emissivity of the shell"), before=True)
            self._setting(second, "gun_setting", _("gun set to"), _("Emissivity the gun is set to"), before=True)
            self._setting(third, "gun_c", _("the gun itself is at"), _("How warm the gun itself is"), before=True)
            third.addWidget(label(_("{unit}; empty: as the room", unit=self.desk.book.temperature_unit), "muted"))
        if kind == "salt":
            self._setting(second, "jar_hours", _("h in the jar"), _("Hours it lies in the jar before it is read"))
        for line in (second, third):
            if line.count():
                line.addStretch(1)
                self.layout_.addLayout(line)
        # only now do the fields have a parent: shown before, they would be windows of their own for a moment
        self._show_pressure_fields()

    def _chooser(self, key: str, quantity: str, name: str) -> Chooser:
        found = checking.references(self.desk.book, self.channel, quantity)
        mark = {other.id: "" if other.role == "reference" else _(" (no reference)") for other, _own in found}
        options = [(other.name + mark[other.id], theirs.id) for other, theirs in found]
        if getattr(self.points, key) is None and options:
            setattr(self.points, key, options[0][1])

        def choose(channel_id: int) -> None:
            setattr(self.points, key, channel_id)
            self.points.logged = None
            self.changed.emit()

        box = Chooser(name, options, getattr(self.points, key), changed=choose)
        box.setMinimumContentsLength(10)
        self._settings[key] = box
        return box

    def _choice(self, into: QHBoxLayout, key: str, text: str, options: Sequence[tuple[str, str]]) -> None:
        def choose(what: str) -> None:
            draft.choose(self.points, self.channel, key, what)
            for a in self.points.method.allowances:
                self._allow[f"allow:{a.key}"].setText(self.points.allowances[a.key])
            self._show_pressure_fields()
            self.changed.emit()

        self._settings[key] = box = Chooser(text, options, self.points.settings.get(key), changed=choose)
        into.addWidget(label(text, "muted"))
        into.addWidget(box)

    def _setting(self, into: QHBoxLayout, key: str, text: str, name: str, *, before: bool = False) -> None:
        known = self.points.settings
        edit = field(name, text=known.get(key, ""), width=(self.theme, 72), typed=partial(self._set, known, key))
        words = label(text, "muted")
        for widget in (words, edit) if before else (edit, words):
            into.addWidget(widget)
        edit.setProperty("partner", words)
        self._settings[key] = edit

    def _set(self, known: dict[str, str], key: str, text: str) -> None:
        known[key] = text
        self.changed.emit()

    def _show_pressure_fields(self) -> None:
        how = self.points.settings.get("pressure_from", "altitude")
        for key, wanted in (("pressure", how != "altitude"), ("altitude", how != "here")):
            if key in self._settings:
                self._settings[key].setVisible(wanted)
                self._settings[key].property("partner").setVisible(wanted)

    def _switch_method(self, key: str) -> None:
        method = next(m for m in methods_for(self.channel.quantity) if m.key == key)
        fresh = new_set(self.channel, method, self.desk.book.altitude_m)
        kept = [one.shown for one in self.points.rows]
        # what the instrument showed stays; what belonged to the other method goes
        for one, shown in zip(fresh.rows, kept, strict=False):
            one.shown = shown
        for name, value in vars(fresh).items():
            setattr(self.points, name, value)
        self._build()
        self.rebuilt.emit()

    def _table(self) -> QWidget:
        typed = [N_("this one shows"), *(h for _, h in FIELDS[self.points.method.reference])]
        typed += [N_("came")] if self.channel.quantity == "humidity" else []
        headings = ["", *typed, _("true, {unit_word}", unit_word=unit_word(self.channel.unit)), N_("add")]
        n = len(headings)
        shares = [0, *(_STRETCH.get(text, 4) for text in typed), 0, 0]
        self.grid = table(headings, shares, right=(n - 2, n - 1), spacing=8)
        for one in self.points.rows:
            self.rows.append(_RowWidgets(self, one, 1 + 2 * len(self.rows)))
        return holder(self.grid, top=4)

    def _below(self) -> QVBoxLayout:
        """One more point, and picking points from logs."""
        # the keys are for the first set of points: two with the same would do nothing
        words = (_("One &more point"), _("Pick from the &logs …"))
        more, logs = words if self._first else (w.replace("&", "") for w in words)
        self._more: list[QWidget] = [button(more, self.add_row, "link")]
        if self.points.method.key != "side":
            return column(row(*self._more, 1))
        self._more.append(button(logs, self._toggle_logs, "link"))
        book, now_ms, pick = self.desk.book, self.desk.now_ms, self.pick_from_logs
        self.log_from = field(_("Logs from"), text=f"{book.local(now_ms - DAY_MS):%Y-%m-%d %H:%M}", entered=pick)
        self.log_to = field(_("Logs to"), text=f"{book.local(now_ms):%Y-%m-%d %H:%M}", entered=pick)
        self._take, self._log_problem = button(_("Take these"), pick), problem_label()
        self._from_logs = holder(
            row(label(_("from"), "muted"), self.log_from, label(_("to"), "muted"), self.log_to, self._take, 1)
        )
        self._from_logs.hide()
        return column(row(*self._more, 1), self._from_logs, self._log_problem)

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
                raise UserError(_("There is no reference yet."), _("Choose one above."))
            self.points.logged = logged_pairs.pick(desk.book, self.channel, self.points.reference_id, start, end)
        except UserError as error:
            problem = str(error)
            self.points.logged = None
        say(self._log_problem, problem)
        self.changed.emit()

    def _allowances(self) -> QWidget:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        for at, share in ((0, 2), (3, 3)):
            grid.setColumnStretch(at, share)
        known = self.points.allowances
        for at, a in enumerate(self.points.method.allowances):
            name, typed = _("{label}, plus or minus", label=a.label), partial(self._set, known, a.key)
            edit = field(name, text=known.get(a.key, ""), width=(self.theme, 72), typed=typed)
            grid.addWidget(label(f"{a.label} ±", "muted", wrap=True), at, 0)
            grid.addWidget(edit, at, 1)
            grid.addWidget(label(a.unit(self.channel.unit), "muted"), at, 2)
            grid.addWidget(label(_("usual: {why}", why=a.why), "small", wrap=True), at, 3)
            self._allow[f"allow:{a.key}"] = edit
        return holder(grid)

    def tab_order(self) -> list[QWidget]:
        """Its fields in the order in which they stand."""
        rows = [w for one in self.rows for w in one.order]
        logs = [self.log_from, self.log_to, self._take] if self.points.method.key == "side" else []
        return [self.method, *self._settings.values(), *rows, *self._more, *logs, *self._allow.values()]

    def add_row(self) -> None:
        """One more empty point."""
        self.points.rows.append(Row())
        self.rows.append(_RowWidgets(self, self.points.rows[-1], 1 + 2 * len(self.rows)))
        self.rebuilt.emit()

    def step_from(self, widget: QWidget) -> None:
        """Enter goes to the next field, and from the last one to a new row."""
        order = [w for one in self.rows for w in one.order]
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
        set_property(self._problem, "role", "problem" if wrong else "small")
        set_property(self._problem, "ink", "" if wrong else "warning")
        say(self._problem, text)
        for key, widget in (*self._allow.items(), *self._settings.items()):
            set_property(widget, "wrong", key in wrong)
        self._show_logged()

    def _show_logged(self) -> None:
        found = self.points.logged
        self._logged.setVisible(found is not None)
        if found is not None:
            lag = found.pairs.lag_s
            late = (
                _(", {lag:.0f} s {word} the reference", lag=abs(lag), word=_("behind") if lag > 0 else _("ahead of"))
                if abs(lag) >= 5
                else ""
            )
            self._logged.setText(
                _(
                    "{blocks} from {loggeds}{late}.",
                    blocks=count(found.pairs.reading.size, "{n} block", "{n} blocks"),
                    loggeds=count(found.readings, "{n} logged reading", "{n} logged readings"),
                    late=late,
                )
            )

    def _show_row(self, widgets: _RowWidgets, point: Point | None, check: Check | None, place: tuple[int, int]) -> None:
        unit = self.channel.unit
        places = places_for(self.channel.resolution / 10)
        widgets.true.setText(as_number(point.reference, f".{places}f") if point else "")
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
