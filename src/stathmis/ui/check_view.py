"""Checking one instrument: paired readings typed row by row, the correction growing beside them, and using it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QBoxLayout, QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, difference_from_inside, from_inside, parse_typed
from stathmis.logbook import calibrations
from stathmis.logbook.records import Channel, Instrument
from stathmis.services import checking, knowledge, notify
from stathmis.services.checking import Check, PointEntry
from stathmis.services.wording import count, signed, typed_text, unit_word
from stathmis.services.workbench import Workbench
from stathmis.ui.pieces import FoldingView, button, clear, label, rule, scrolling_page, set_property
from stathmis.ui.theme import Theme

if TYPE_CHECKING:
    from stathmis.ui.correction_chart import CorrectionChart

_ROWS_AT_FIRST = 4
_MODELS = (("auto", "chosen by the points"), ("offset", "one offset"), ("line", "straight line"))


class _Row:
    """The widgets of one point."""

    def __init__(self, view: CheckView, grid: QGridLayout, at: int) -> None:
        number = len(view.rows) + 1
        grid.addWidget(label(str(number), "small"), at, 0)
        self.shown, self.reference = QLineEdit(), QLineEdit()
        for column, (edit, who) in enumerate(((self.shown, "this one"), (self.reference, "reference")), start=1):
            edit.setAccessibleName(f"Point {number}, {who} shows")
            edit.textEdited.connect(lambda _text: view.edited())
            edit.returnPressed.connect(lambda e=edit: view.step_from(e))
            grid.addWidget(edit, at, column)
        self.true, self.difference = label(""), label("", "name")
        for column, cell in ((3, self.true), (4, self.difference)):
            cell.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(cell, at, column)
        self.problem = label("", "problem", wrap=True)
        self.problem.hide()
        grid.addWidget(self.problem, at + 1, 1, 1, 4)

    @property
    def entry(self) -> PointEntry:
        """What is typed."""
        return PointEntry(self.shown.text(), self.reference.text())


class CheckView(FoldingView):
    """The check of one channel."""

    left = Signal()

    def __init__(self, bench: Workbench, theme: Theme) -> None:
        super().__init__(theme, 800)
        self._bench, self._theme = bench, theme
        self.channel: Channel | None = None
        self.check: Check | None = None
        self.rows: list[_Row] = []
        self.chart: CorrectionChart | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        outer.addWidget(area)
        head = QHBoxLayout()
        self._title = label("", "title")
        head.addWidget(self._title)
        head.addStretch(1)
        head.addWidget(button("Back  Esc", self.left.emit, "link"))
        page.addLayout(head)
        self._how = label("", "muted", wrap=True)
        page.addWidget(self._how)
        page.addLayout(self._build_choices())
        self._apart_problem = label("", "problem")
        self._apart_problem.hide()
        page.addWidget(self._apart_problem)
        middle = self.folding_row(24)
        left = QVBoxLayout()
        self._grid_holder = QVBoxLayout()
        left.addLayout(self._grid_holder)
        more = QHBoxLayout()
        more.addWidget(button("One more point", self.add_row, "link"))
        more.addStretch(1)
        left.addLayout(more)
        left.addStretch(1)
        middle.addLayout(left, 6)
        self._chart_holder = QVBoxLayout()
        middle.addLayout(self._chart_holder, 5)
        page.addLayout(middle)
        page.addWidget(rule())
        self._result = QVBoxLayout()
        page.addLayout(self._result)
        use = QHBoxLayout()
        use.setSpacing(12)
        self.use_now = button("&Use this from now", lambda: self.put_to_use(past=False), "main")
        self.use_past = button("Use it for the &past too", lambda: self.put_to_use(past=True))
        use.addWidget(self.use_now)
        use.addWidget(self.use_past)
        use.addStretch(1)
        page.addLayout(use)
        self._history = QVBoxLayout()
        page.addLayout(self._history)
        page.addStretch(1)
        theme.changed.connect(self._evaluate)

    def _build_choices(self) -> QBoxLayout:
        """Reference, shape of the correction, and how much the sensors may really differ."""
        choices = self.folding_row()
        self.reference = QComboBox()
        self.reference.setAccessibleName("Reference to compare with")
        self.reference.currentIndexChanged.connect(lambda _i: self.edited())
        self.model = QComboBox()
        self.model.setAccessibleName("Shape of the correction")
        for key, text in _MODELS:
            self.model.addItem(text, key)
        self.model.currentIndexChanged.connect(lambda _i: self.edited())
        self.unevenness = QLineEdit()
        self.unevenness.setFixedWidth(self._theme.px(72))
        self.unevenness.setAccessibleName("How much the two sensors may really differ")
        self.unevenness.textEdited.connect(lambda _t: self.edited())
        for text, widget in (
            ("against", self.reference),
            ("correction", self.model),
            ("apart by up to ±", self.unevenness),
        ):
            pair = QHBoxLayout()
            pair.addWidget(label(text, "muted"))
            pair.addWidget(widget)
            choices.addLayout(pair)
        self._apart_unit = label("", "muted")
        pair.addWidget(self._apart_unit)
        pair.addStretch(1)
        choices.addStretch(1)
        return choices

    def begin(self, instrument: Instrument, channel: Channel) -> None:
        """Start a check of a channel with empty rows."""
        self.channel = channel
        unit = unit_word(channel.unit)
        self._title.setText(f"Check {instrument.name}, {unit}")
        caution = knowledge.cautions()["bath" if channel.quantity == "temperature" else "alarm"]
        where = "touching, at egg-top height, or in a warm-water bath" if channel.quantity == "temperature" else "close"
        wait = "5–15 min" if channel.quantity == "temperature" else "30–60 min"
        self._how.setText(
            f"Put both sensors together ({where}), wait {wait}, then read both two or three times, apart by spaces. "
            f"Near one temperature gives an offset; points well apart give a straight line."
            + (f" {caution}" if channel.quantity == "temperature" else "")
        )
        self.reference.blockSignals(True)
        self.reference.clear()
        for other, theirs in checking.references(self._bench, channel):
            mark = "reference" if other.role == "reference" else "no reference"
            self.reference.addItem(f"{other.name} ({mark})", theirs)
        self.reference.blockSignals(False)
        self.model.setCurrentIndex(0)
        self.unevenness.setText(
            f"{float(difference_from_inside(checking.UNEVENNESS[channel.quantity], channel.unit)):g}"
        )
        self._apart_unit.setText("%" if channel.unit == "%" else channel.unit)
        self._build_rows()
        self._show_history()
        self._evaluate()
        self.rows[0].shown.setFocus()

    def _build_rows(self) -> None:
        clear(self._grid_holder)
        self.rows = []
        holder = QWidget()
        self._grid = QGridLayout(holder)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(4)
        for column, text in enumerate(("", "this one shows", "reference shows", "reference is", "add")):
            heading = label(text, "small")
            if column > 2:
                heading.setAlignment(Qt.AlignmentFlag.AlignRight)
            self._grid.addWidget(heading, 0, column)
        self._grid.setColumnStretch(1, 1)
        self._grid.setColumnStretch(2, 1)
        for column in (3, 4):
            self._grid.setColumnMinimumWidth(column, self._theme.px(60))
        self._grid_holder.addWidget(holder)
        for _ in range(_ROWS_AT_FIRST):
            self.add_row()

    def add_row(self) -> None:
        """One more empty point."""
        self.rows.append(_Row(self, self._grid, 1 + 2 * len(self.rows)))

    def fill(self, entries: list[PointEntry]) -> None:
        """Type a whole check."""
        while len(self.rows) < len(entries):
            self.add_row()
        for row, entry in zip(self.rows, entries, strict=False):
            row.shown.setText(entry.shown)
            row.reference.setText(entry.reference_shown)
        self._evaluate()

    def step_from(self, edit: QLineEdit) -> None:
        """Enter goes to the next field, and from the last one to a new row."""
        order = [e for row in self.rows for e in (row.shown, row.reference)]
        at = order.index(edit)
        if at + 1 == len(order):
            self.add_row()
            QTimer.singleShot(0, self.rows[-1].shown.setFocus)
        else:
            order[at + 1].setFocus()

    def edited(self) -> None:
        """Something was typed or chosen."""
        self._evaluate()

    def _typed_unevenness(self) -> float | None:
        try:
            value = parse_typed(self.unevenness.text()).value
        except NotANumberError:
            value = -1.0
        wrong = value < 0
        set_property(self.unevenness, "wrong", wrong)
        self._apart_problem.setText("How much the two may differ is a number from 0 up, such as 0.05." if wrong else "")
        self._apart_problem.setVisible(wrong)
        return None if wrong else value

    def _evaluate(self) -> None:
        channel = self.channel
        if channel is None:
            return
        reference = self.reference.currentData()
        apart = self._typed_unevenness()
        self.check = None
        if reference is not None and apart is not None:
            entries = [row.entry for row in self.rows]
            self.check = checking.evaluate(
                self._bench, channel, reference, entries, apart, str(self.model.currentData())
            )
        self._show_rows()
        self._show_result()
        if self.check is not None and self.check.points and self.chart is None:
            from stathmis.ui.correction_chart import CorrectionChart

            self.chart = CorrectionChart(self._theme)
            self.chart.setFixedHeight(self._theme.px(280))
            self._chart_holder.addWidget(self.chart)
        if self.chart is not None:
            self.chart.show_check(self.check, checking.working_zone(self._bench, channel))

    def _show_rows(self) -> None:
        check = self.check
        good = {(p.shown, p.reference_shown): p for p in check.points} if check else {}
        problems = {(p.row, p.side): p.text for p in check.problems} if check else {}
        for i, row in enumerate(self.rows):
            point = good.get((row.entry.shown.strip(), row.entry.reference_shown.strip()))
            wrong = [problems.get((i, side), "") for side in ("shown", "reference")]
            waiting = bool(row.shown.text().strip()) != bool(row.reference.text().strip())
            for edit, text in zip((row.shown, row.reference), wrong, strict=True):
                set_property(edit, "wrong", bool(text) and bool(edit.text().strip()))
            text = next((t for t in wrong if t), "")
            row.problem.setText(text)
            row.problem.setVisible(bool(text) and not waiting)
            step = check.channel.resolution / 10 if check else 0.01
            row.true.setText(typed_text(point.reference, step) if point else "")
            row.difference.setText(signed(point.reference - point.reading, _places(step)) if point else "")

    def _show_result(self) -> None:
        clear(self._result)
        check = self.check
        if self.reference.count() == 0:
            words = "There is nothing to compare with. Enter a reference under Enter or change."
            self._result.addWidget(label(words, "problem", wrap=True))
        ready = check is not None and check.correction is not None
        self.use_now.setEnabled(ready)
        self.use_past.setEnabled(ready)
        if check is None or check.correction is None:
            words = check.trouble if check is not None and check.trouble else "No point yet."
            self._result.addWidget(label(words, "muted", wrap=True))
            return
        unit, correction = unit_word(check.channel.unit), check.correction
        value, U = check.corrected_at(check.at)
        places = _places(check.channel.resolution / 10)
        add = f"{signed(value - check.at, places)} ± {U:.{places}f} {unit}"
        self._result.addWidget(label(f"When it shows {check.at:.1f} {unit}: add {add}", "big"))
        self._result.addWidget(label(self._can_decide(check, U), "name", wrap=True))
        shape = "a straight line" if correction.model == "line" else "one offset"
        words = (
            f"{shape.capitalize()} through {count(len(check.points), 'point')}; checked from "
            f"{correction.domain[0]:.1f} to {correction.domain[1]:.1f} {unit}, beyond that the uncertainty grows. "
            f"U holds at 95 % (k = {correction.coverage_factor:.2f})."
        )
        if correction.widened > 1:
            words += (
                f" The points disagree more than their uncertainties allow: U was widened {correction.widened:.1f} "
                "times. Read again, and wait longer."
            )
        self._result.addWidget(label(words, "muted", wrap=True))
        if check.budget is not None:
            parts = sorted(check.budget.components, key=lambda c: -c.contribution)
            largest = ", ".join(f"{c.label.lower()} {c.contribution:.{places + 1}f}" for c in parts)
            words = f"What makes up U, as standard uncertainties in {unit}: {largest}."
            self._result.addWidget(label(words, "small", wrap=True))

    def _can_decide(self, check: Check, U: float) -> str:
        zone_inside = checking.working_zone(self._bench, check.channel)
        low, high = (float(from_inside(v, check.channel.unit)) for v in zone_inside)
        half, unit = 0.5 * (high - low), unit_word(check.channel.unit)
        zone = f"{low:.1f}–{high:.1f} {unit}"
        if half > U:
            return f"Good enough: it can tell whether you are inside {zone}."
        return f"Too coarse: ± {U:.1f} {unit} cannot tell whether you are inside {zone}."

    def put_to_use(self, *, past: bool) -> None:
        """Use the correction from now, or for all readings so far as well."""
        apart = self._typed_unevenness()
        if self.check is None or apart is None:
            return
        try:
            checking.put_to_use(self._bench, self.check, apart, 0 if past else self._bench.now_ms)
        except UserError as error:
            notify.tell_error(error)
            return
        since = "all its readings" if past else "readings from now on"
        notify.tell("info", f"In force for {since}; what was shown stays as it was. Ctrl+Z takes it back.")
        self.left.emit()

    def _show_history(self) -> None:
        clear(self._history)
        assert self.channel is not None
        bench = self._bench
        found = bench.corrections.calibrations_of(self.channel.id)
        if found:
            self._history.addSpacing(8)
            self._history.addWidget(label("Checks before", "heading"))
        for one in reversed(found):
            done = bench.local(one.done_ms)
            points = calibrations.points_of(bench.logbook, one.id)
            at = 0.5 * (one.correction.domain[0] + one.correction.domain[1])
            value, u = one.correction.apply(at)
            unit = unit_word(self.channel.unit)
            shape = "straight line" if one.correction.model == "line" else "offset"
            self._history.addWidget(
                label(
                    f"{done:%d %b %Y}: {shape}, {count(len(points), 'point')}; at {at:.1f} {unit} add "
                    f"{signed(value - at, 2)} ± {u * one.correction.coverage_factor:.2f} {unit}",
                    "muted",
                    wrap=True,
                )
            )


def _places(step: float) -> int:
    return len(f"{step:.6f}".rstrip("0").partition(".")[2])
