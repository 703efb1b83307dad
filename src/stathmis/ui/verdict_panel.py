"""What to do after a round: each piece of advice with its buttons. Its widgets live on with the page."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QSizePolicy, QWidget

from stathmis.services.rounds import RoundSheet
from stathmis.ui.kit.lines import Lines, Pool
from stathmis.ui.kit.page import column, put, row
from stathmis.ui.kit.pieces import button, label, set_property, set_text
from stathmis.words.advice import Said, Step
from stathmis.words.catalogue import _

MOST_STEPS = 3
"""No piece of advice has more buttons."""


class ActionCard(QFrame):
    """A piece of advice with what can be done about it at once, its caution, and why, which folds out below."""

    def __init__(self, why_open: set[str], do: Callable[[Step], object]) -> None:
        super().__init__()
        self._why_open, self._key, self._do = why_open, "", do
        self.setObjectName("card")
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self._text, self._note = label("", "name", wrap=True), label("", "muted", wrap=True)
        self._reasons = label("", "small", wrap=True)
        self._why = button(_("Why?"), self._toggle, "link")
        self.buttons = [button("", partial(self._press, i)) for i in range(MOST_STEPS)]
        self._steps: Sequence[Step] = ()
        box = column(self._text, self._note, row(*self.buttons, self._why, 1), self._reasons, spacing=4)
        box.setContentsMargins(16, 12, 16, 12)
        self.setLayout(box)

    def _press(self, at: int) -> None:
        self._do(self._steps[at])

    def show_said(self, action: Said, steps: Sequence[Step]) -> None:
        """Show a piece of advice and what can be done about it."""
        self._key, self._steps = action.key, steps
        for at, made in enumerate(self.buttons):
            made.setVisible(at < len(steps))
            if at < len(steps):
                set_text(made, steps[at].text)
        set_text(self._text, action.text)
        set_property(self._text, "ink", "error" if action.urgent else "")
        set_text(self._note, action.note)
        self._note.setVisible(bool(action.note))
        set_text(self._reasons, "\n".join(action.why))
        self._show_why()

    def _toggle(self) -> None:
        self._why_open.symmetric_difference_update({self._key})
        self._show_why()

    def _show_why(self) -> None:
        is_open = self._key in self._why_open
        self._reasons.setVisible(is_open)
        set_text(self._why, _("Why? Hide") if is_open else _("Why?"))


class VerdictPanel(QWidget):
    """The advice, and what stands in its way."""

    set_batch_wanted = Signal()
    step_wanted = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._why_open: set[str] = set()
        self._shown: object = None
        page = column()
        self._cards = Pool(page, lambda: ActionCard(self._why_open, self.step_wanted.emit))
        self._warnings = Lines(page)
        self._nothing = label("", "muted", wrap=True)
        self._set_batch = button(_("Set a batch"), self.set_batch_wanted.emit)
        self._surer, self._next = label("", "muted", wrap=True), button("", self._go_on, "link")
        self._step: Step | None = None
        page.addLayout(row((self._surer, 1), self._next))
        page.addWidget(self._nothing)
        page.addLayout(row(self._set_batch, 1))
        page.addStretch(1)
        put(self, page)

    def _go_on(self) -> None:
        if self._step is not None:
            self.step_wanted.emit(self._step)

    def show_advice(
        self,
        sheet: RoundSheet,
        told: Sequence[tuple[Said, Sequence[Step]]],
        warned: Sequence[str],
        surer: tuple[str, Step] | None,
    ) -> None:
        """Show advice and warnings; surer: where nothing presses, what would make it surer."""
        state = (sheet.incubator, sheet.course is None, told, warned, surer)
        if state == self._shown:
            return
        self._shown = state
        room = sheet.incubator.air == "room"
        for card, (action, steps) in zip(self._cards.show(len(told)), told, strict=True):
            card.show_said(action, steps)
        for shown in (self._surer, self._next):
            shown.setVisible(surer is not None)
        if surer is not None:
            words, self._step = surer
            set_text(self._surer, words)
            set_text(self._next, self._step.text)
        self._warnings.say([(words, "", "undecided") for words in warned])
        lonely = sheet.course is None and not room
        words = _("The room the machines stand in: its air decides how much water they need.") if room else ""
        set_text(self._nothing, _("No batch is set here, so there is no band to hold.") if lonely else words)
        self._nothing.setVisible(room or lonely)
        self._set_batch.setVisible(lonely)
