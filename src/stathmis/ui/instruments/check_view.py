"""Checking one instrument: points by one or several methods, the correction growing beside them, and using it."""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from stathmis.core.errors import UserError
from stathmis.logbook.records import Channel, Instrument
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.instruments import checking, zones
from stathmis.services.instruments.checking import Check
from stathmis.services.instruments.draft import Draft, new_draft, new_set
from stathmis.services.instruments.methods import methods_for
from stathmis.ui.instruments.check_result import CheckResult
from stathmis.ui.instruments.point_set_view import PointSetView
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.page import Page, column, holder, row
from stathmis.ui.kit.pieces import button, clear, label, rule, set_property
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import N_, _
from stathmis.words.numbers import unit_word

if TYPE_CHECKING:
    from stathmis.ui.instruments.correction_chart import CorrectionChart

_MODELS = (
    (N_("averaged"), "auto"),
    (N_("one offset"), "offset"),
    (N_("straight line"), "line"),
    (N_("quadratic"), "quadratic"),
)
_STATES = ((N_("as found"), "as found"), (N_("as left, after adjusting it"), "as left"))


class CheckView(Page):
    """The check of one channel. draft is what is typed; check is what it comes to."""

    left = Signal()
    kept = Signal(int)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 800)
        self._desk, self._theme = desk, theme
        self.channel: Channel | None = None
        self.draft: Draft | None = None
        self.check: Check | None = None
        self.sets: list[PointSetView] = []
        self.chart: CorrectionChart | None = None
        self._title = label("", "title")
        self._back = button(_("Back  Esc"), self.left.emit, "link")
        self.page.addLayout(row(self._title, 1, self._back))
        left, self._chart_holder = self.columns(7, 4, spacing=24)
        self._sets_holder = column(spacing=12)
        self._another = button(_("Add points by a&nother way"), self.add_set, "link")
        left.addLayout(self._sets_holder)
        left.addLayout(row(self._another, 1))
        left.addStretch(1)
        self.page.addWidget(rule())
        self._build_choices()
        self._result = CheckResult(theme)
        self.use_now = button(_("&Use this from now"), lambda: self.put_to_use(past=False), "main")
        self.use_past = button(_("Use it for the &past too"), lambda: self.put_to_use(past=True))
        self.page.addWidget(self._result)
        self.page.addLayout(row(self.use_now, self.use_past, 1, spacing=12))
        self.page.addStretch(1)
        theme.changed.connect(self._evaluate)

    def _build_choices(self) -> None:
        """Shape of the correction, as found or as left, hysteresis."""
        self.model = Chooser(
            _("Shape of the correction"), [(_(text), key) for text, key in _MODELS], changed=self._choose
        )
        self.state = Chooser(_("As found or as left"), [(_(text), key) for text, key in _STATES], changed=self._choose)
        differ = _("Rising and falling readings differ by, plus or minus")
        self.hysteresis = field(differ, width=(self._theme, 64), typed=self._choose)
        self._hysteresis = holder(
            row(label(_("rising and falling differ ±"), "muted"), self.hysteresis, label("%", "muted"), 1)
        )
        choices = self.folding_row()
        choices.addLayout(row(label(_("curve"), "muted"), self.model, 1))
        choices.addLayout(row(label(_("instrument"), "muted"), self.state, 1))
        choices.addWidget(self._hysteresis)
        self.page.addLayout(choices)

    def begin(self, instrument: Instrument, channel: Channel, method: str | None = None) -> None:
        """Start a check of a channel with empty rows."""
        self.channel = channel
        self.draft = new_draft(channel, self._desk.book.altitude_m, method)
        self._title.setText(
            _("Check {instrument}, {unit_word}", instrument=instrument.name, unit_word=unit_word(channel.unit))
        )
        for box in (self.model, self.state):
            box.blockSignals(True)
            box.setCurrentIndex(0)
            box.blockSignals(False)
        self.hysteresis.setText(self.draft.hysteresis)
        self._hysteresis.setVisible(channel.quantity == "humidity")
        self._build_sets()
        self._evaluate()
        self.sets[0].rows[0].shown.setFocus()

    def _build_sets(self) -> None:
        assert self.draft is not None and self.channel is not None
        clear(self._sets_holder)
        self.sets = []
        for i, points in enumerate(self.draft.sets):
            view = PointSetView(self._desk, self._theme, points, self.channel.id, first=i == 0)
            view.changed.connect(self._evaluate)
            view.rebuilt.connect(self._rebuilt)
            self.sets.append(view)
            self._sets_holder.addWidget(view)
        self._order_tabs()

    def _rebuilt(self) -> None:
        self._order_tabs()
        self._evaluate()

    def _order_tabs(self) -> None:
        """Tab goes down the page: sets of points come and go, so their order is told anew."""
        after = [self._another, self.model, self.state, self.hysteresis, self._result.budget]
        order = [self._back, *(w for view in self.sets for w in view.tab_order()), *after, self.use_now, self.use_past]
        for one, next_one in pairwise(order):
            QWidget.setTabOrder(one, next_one)

    def add_set(self) -> None:
        """Points by another method, beside those taken already; the first method not used yet."""
        if self.draft is None or self.channel is None:
            return
        used = {s.method.key for s in self.draft.sets}
        free = [m for m in methods_for(self.channel.quantity) if m.key not in used]
        self.draft.sets.append(
            new_set(self.channel, (free or methods_for(self.channel.quantity))[0], self._desk.book.altitude_m)
        )
        self._build_sets()
        self._evaluate()
        self.sets[-1].method.setFocus()

    def load(self, draft: Draft) -> None:
        """Show a whole draft, as if it had been typed."""
        self.draft, self.channel = draft, draft.channel
        self._build_sets()
        self._evaluate()

    def _choose(self, _what: object = None) -> None:
        if self.draft is None:
            return
        self.draft.model = str(self.model.currentData())
        self.draft.state = str(self.state.currentData())
        self.draft.hysteresis = self.hysteresis.text()
        self._evaluate()

    def _evaluate(self) -> None:
        draft = self.draft
        if draft is None or self.channel is None:
            return
        self.check = check = checking.evaluate(self._desk.book, draft)
        for i, view in enumerate(self.sets):
            view.show_check(check, i)
        set_property(self.hysteresis, "wrong", any(p.field == "hysteresis" for p in check.problems))
        lonely = draft.sets[0].method.needs_instrument and draft.sets[0].reference_id is None
        self._result.show_check(draft, check, lonely)
        ready = check.correction is not None
        self.use_now.setEnabled(ready)
        # what was adjusted just now says nothing about before
        self.use_past.setEnabled(ready and draft.state == "as found")
        if check.points and self.chart is None:
            from stathmis.ui.instruments.correction_chart import CorrectionChart

            self.chart = CorrectionChart(self._theme)
            self._theme.fit(self.chart, FixedHeight=300)
            self._chart_holder.addWidget(self.chart)
            self._chart_holder.addStretch(1)
        if self.chart is not None:
            self.chart.show_check(check, zones.working_zone(self._desk.book, self.channel))

    def put_to_use(self, *, past: bool) -> None:
        """Use the correction from now, or for all readings so far as well."""
        if self.draft is None or self.check is None:
            return
        try:
            made = checking.put_to_use(self._desk, self.draft, self.check, 0 if past else self._desk.now_ms)
        except UserError as error:
            notify.tell_error(error)
            return
        since = _("all its readings") if past else _("readings from now on")
        notify.tell(
            "info", _("In force for {since}; what was shown stays as it was. Ctrl+Z takes it back.", since=since)
        )
        self.kept.emit(made)
