"""A reference's certificate: its points, U and k, date, drift and end; a new one takes over on its date."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtWidgets import QLineEdit, QWidget

from stathmis.core.errors import UserError
from stathmis.core.units import NotANumberError, parse_typed
from stathmis.logbook.records import Channel
from stathmis.services import notify, setting_up
from stathmis.services.clock import utc_ms
from stathmis.services.desk import Desk
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.page import FieldGrid, column, put
from stathmis.ui.kit.pieces import button, label, problem_label, say, set_property
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.catalogue import _, as_number
from stathmis.words.numbers import unit_word


class CertificateForm(QWidget):
    """The certificates of one channel, and fields for a new one."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self._channel: Channel | None = None
        self._known, self.problem = label("", "muted", wrap=True), problem_label()
        grid = FieldGrid()

        def add(words: str, hint: str = "") -> QLineEdit:
            return grid.add(words, field(words, hint, entered=self.keep))

        self.points = add(_("Points of a new one"), _("reading, correction, U:  37.5 0.05 0.04;  40 0.05 0.04"))
        self.k = add(_("k of its U"))
        self.dated = add(_("Dated"), "2026-01-31")
        self.expires = add(_("Runs out on"), _("optional"))
        self.drift = add(_("May drift in a year by ±"))
        enter = button(_("Enter &certificate"), self.keep)
        put(self, column(label(_("Certificate"), "heading"), self._known, grid, self.problem, enter), top=8)

    def begin(self, channel: Channel) -> None:
        """Show a channel's certificate, with empty fields for a new one."""
        self._channel = channel
        for edit in (self.points, self.dated, self.expires):
            edit.setText("")
        self.k.setText("2")
        self.drift.setText("0")
        self._show_known()

    def _show_known(self) -> None:
        assert self._channel is not None
        desk, unit = self._desk, unit_word(self._channel.unit)
        points = desk.book.corrections.certificate_of(self._channel.id, desk.now_ms)
        if not points:
            self._known.setText(_("None entered."))
            return
        dated = dates.day(desk.book.local(points[0].dated_ms), year=True)
        ends = points[0].expires_ms
        until = "" if ends is None else _(", runs out {ends}", ends=dates.day(desk.book.local(ends), year=True))
        rows = "; ".join(
            _(
                "at {reading:g} add {correction:+g} ± {expanded_uncertainty:g}",
                reading=p.reading,
                correction=p.correction,
                expanded_uncertainty=p.expanded_uncertainty,
            )
            for p in points
        )
        drift = points[0].drift_per_year
        moved = _(" May drift ± {drift:g} {unit} a year.", drift=drift, unit=unit) if drift else ""
        words = f"{dated}{until}, k = {as_number(points[0].coverage_factor, 'g')}: {rows} {unit}.{moved}".replace(
            "-", "−"
        )
        self._known.setText(words)

    def _number(self, edit: QLineEdit, what: str) -> float:
        try:
            return parse_typed(edit.text()).value
        except NotANumberError:
            raise _FieldError(edit, _("{what} is a number, such as 2.", what=what)) from None

    def _day(self, edit: QLineEdit, what: str) -> int:
        text = edit.text().strip()
        try:
            day = datetime.strptime(text, "%Y-%m-%d")
        except ValueError:
            raise _FieldError(edit, _("{what} is a day such as 2026-01-31.", what=what)) from None
        return utc_ms(day.replace(hour=12), self._desk.book.zone)

    def keep(self) -> None:
        """Enter what is typed."""
        assert self._channel is not None
        edits = (self.points, self.k, self.dated, self.expires, self.drift)
        wrong: QLineEdit | None = None
        text = ""
        try:
            points = setting_up.read_certificate(self.points.text())
            k = self._number(self.k, "k")
            dated = self._day(self.dated, _("The date"))
            expires = self._day(self.expires, _("The end")) if self.expires.text().strip() else None
            drift = self._number(self.drift, _("The drift"))
            setting_up.add_certificate(self._desk, self._channel.id, dated, points, k, drift, expires)
        except _FieldError as error:
            wrong, text = error.edit, str(error)
        except UserError as error:
            wrong, text = self.points, str(error)
        for edit in edits:
            set_property(edit, "wrong", edit is wrong)
        say(self.problem, text)
        if wrong is not None:
            wrong.setFocus()
            return
        notify.tell("info", _("Certificate entered. Ctrl+Z takes it back."))
        self.begin(self._channel)


class _FieldError(ValueError):
    def __init__(self, edit: QLineEdit, text: str) -> None:
        super().__init__(text)
        self.edit = edit
