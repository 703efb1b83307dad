"""What a round means: heat and moisture against their bands, and what to do. Its widgets live on with the page."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QSizePolicy, QWidget

from stathmis.services.book import Book
from stathmis.services.findings.verdict import Judged, Verdict
from stathmis.services.rounds import RoundSheet
from stathmis.ui.kit.lines import Lines, Pool
from stathmis.ui.kit.page import column, put, row
from stathmis.ui.kit.pieces import button, label, set_property, set_text
from stathmis.words import dates
from stathmis.words.advice import Said
from stathmis.words.catalogue import _
from stathmis.words.numbers import with_u
from stathmis.words.verdicts import sentence as sentence_of
from stathmis.words.verdicts import word


class VerdictLines(QWidget):
    """One quantity: whether it is on profile, its value with U, and what that means."""

    def __init__(self, title: str, ink: str) -> None:
        super().__init__()
        self._word, self._value = label(), label("", "big")
        self._sentence = label("", "muted", wrap=True)
        head = row(label(title, "name", ink), self._word, 1, spacing=12)
        put(self, column(head, self._value, self._sentence, 1, spacing=2))

    def show_verdict(self, book: Book, verdict: Verdict | None, *, fresh: bool, room: bool) -> None:
        """Show a verdict, or that there is none; fresh: it is being typed just now."""
        self._value.setVisible(verdict is not None)
        self._word.setVisible(verdict is not None and verdict.band is not None)
        if verdict is None:
            set_text(self._sentence, _("Not read today."))
            return
        set_text(self._word, word(verdict))
        set_property(self._word, "ink", verdict.decision)
        unit = book.shown_unit(verdict.quantity)
        set_text(self._value, with_u(verdict.corrected.value, verdict.corrected.U, verdict.quantity, unit))
        sentence = "" if room else sentence_of(book, verdict)
        if verdict.time_ms < book.now_ms - 60_000 and not fresh:
            names = ", ".join(sorted({r.instrument.name for r in verdict.readings}))
            ago = dates.duration(book.now_ms - verdict.time_ms)
            sentence = f"{sentence} {_('Read {ago} ago ({names}).', ago=ago, names=names)}".strip()
        set_text(self._sentence, sentence)


class ActionCard(QFrame):
    """A piece of advice, its caution, and why, opened by a key or the mouse."""

    def __init__(self, why_open: set[str]) -> None:
        super().__init__()
        self._why_open, self._key = why_open, ""
        self.setObjectName("card")
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self._text, self._note = label("", "name", wrap=True), label("", "muted", wrap=True)
        self._reasons = label("", "small", wrap=True)
        self._why = button(_("Why?"), self._toggle, "link")
        box = column(self._text, self._note, row(self._why, 1), self._reasons, spacing=4)
        box.setContentsMargins(16, 12, 16, 12)
        self.setLayout(box)

    def show_said(self, action: Said) -> None:
        """Show a piece of advice."""
        self._key = action.key
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
    """Both quantities, then the advice."""

    set_batch_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._why_open: set[str] = set()
        self._shown: object = None
        self._lines = VerdictLines(_("Heat"), "heat"), VerdictLines(_("Moisture"), "moisture")
        page = column(row(*((lines, 1) for lines in self._lines), spacing=16))
        self._cards = Pool(page, lambda: ActionCard(self._why_open))
        self._warnings = Lines(page)
        self._nothing = label("", "muted", wrap=True)
        self._set_batch = button(_("Set a batch"), self.set_batch_wanted.emit)
        page.addWidget(self._nothing)
        page.addLayout(row(self._set_batch, 1))
        page.addStretch(1)
        put(self, page)

    def show_verdicts(
        self,
        book: Book,
        sheet: RoundSheet,
        found: Sequence[Verdict | None],
        told: Sequence[Said],
        warned: Sequence[str],
        typed: dict[int, Judged],
    ) -> None:
        """Show verdicts of heat and moisture, advice and warnings; typed: channels being typed just now."""
        state = (sheet.incubator, sheet.course is None, found, told, warned, sorted(typed), book.now_ms)
        if (state, book.temperature_unit) == self._shown:
            return
        self._shown = state, book.temperature_unit
        room = sheet.incubator.air == "room"
        for lines, verdict in zip(self._lines, found, strict=True):
            fresh = verdict is not None and any(j.channel.quantity == verdict.quantity for j in typed.values())
            lines.show_verdict(book, verdict, fresh=fresh, room=room)
        for card, action in zip(self._cards.show(len(told)), told, strict=True):
            card.show_said(action)
        self._warnings.say([(words, "", "undecided") for words in warned])
        lonely = sheet.course is None and not room
        words = _("The room the machines stand in: its air decides how much water they need.") if room else ""
        set_text(self._nothing, _("No batch is set here, so there is no band to hold.") if lonely else words)
        self._nothing.setVisible(room or lonely)
        self._set_batch.setVisible(lonely)
