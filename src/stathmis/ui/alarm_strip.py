"""The strip over the page where an alarm stands until it was seen: words, why, and how long to be quiet about it."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication, QWidget

from stathmis.core.errors import UserError
from stathmis.services import notify
from stathmis.services.desk import Desk
from stathmis.services.watch import alarm_log, alarms
from stathmis.services.watch.alarm import Alarm
from stathmis.services.watch.alarm_log import QUIET_MS, Answer
from stathmis.services.watch.live import LiveProbes
from stathmis.ui import reminder
from stathmis.ui.kit.page import column, row
from stathmis.ui.kit.pieces import button, label, set_property
from stathmis.ui.work import Background
from stathmis.words.alarms import caution, said
from stathmis.words.catalogue import _

TURN_MS = 30_000


class AlarmStrip(QWidget):
    """Looks for alarms every half minute, off the window's thread."""

    def __init__(self, desk: Desk, live: LiveProbes) -> None:
        super().__init__()
        self._desk, self._live = desk, live
        self.alarm: Alarm | None = None
        self._quiet_until: dict[str, int] = {}
        self._looked = False
        self._told: set[str] = set()
        self._job: Background | None = None
        self.setObjectName("page")
        self.words, self.why = label("", "name", wrap=True), label("", "small", wrap=True)
        self.seen = button(_("Seen, quiet for an hour"), lambda: self._quiet("seen"), "main")
        name = _("Quiet for ten minutes")
        self.snooze = button(_("10 min"), lambda: self._quiet("later"), name=name)
        line = row((column(self.words, self.why, spacing=0), 1), self.seen, self.snooze)
        line.setContentsMargins(32, 8, 16, 8)
        self.setLayout(line)
        self.hide()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.look)
        self._timer.start(TURN_MS)

    def look(self) -> None:
        """Look for alarms now."""
        if self._job is not None:
            return
        desk, probes = self._desk, self._live.statuses()
        _ = desk.book.corrections, desk.book.incubators()  # read here once, not by the worker
        book = desk.book
        self._job = Background(lambda progress, cancelled: alarms.alarms(book, probes))
        self._job.done.connect(self._found)
        self._job.failed.connect(self._failed)
        self._job.start()

    def _failed(self, error: object) -> None:
        self._job = None
        notify.tell_error(error)  # type: ignore[arg-type]

    def _found(self, found: object) -> None:
        self._job = None
        assert isinstance(found, list)
        now = self._desk.now_ms
        book = self._desk.book
        loud = [a for a in found if max(self._quiet_until.get(a.key, 0), alarm_log.quiet_until(book, a)) <= now]
        if not self._looked:
            # what was told before a restart is not told again
            self._looked, self._told = True, {a.key for a in loud if alarm_log.told_lately(book, a)}
        # what has passed may be told again when it comes back
        self._told &= {a.key for a in found}
        self.alarm = loud[0] if loud else None
        self.setVisible(self.alarm is not None)
        if self.alarm is None:
            return
        mark = _("Danger") if self.alarm.danger else _("Look at this")
        told = said(self._desk.book, self.alarm)
        self.words.setText(f"{mark}: {told.words}")
        self.words.setAccessibleName(self.words.text())
        set_property(self.words, "ink", "outside" if self.alarm.danger else "undecided")
        self.why.setText(f"{told.why} {caution()}")
        for one in loud:
            if one.key not in self._told:
                self._told.add(one.key)
                # first call the keeper: a full disk must not keep an alarm quiet
                QApplication.beep()
                reminder.tell_desktop(*said(self._desk.book, one), urgent=one.danger)
                self._log(one, "")

    def _quiet(self, answer: Answer) -> None:
        if self.alarm is None:
            return
        self._quiet_until[self.alarm.key] = self._desk.now_ms + QUIET_MS[answer]
        self._told.discard(self.alarm.key)
        self._log(self.alarm, answer)
        self.alarm = None
        self.hide()
        self.look()

    def _log(self, alarm: Alarm, answer: Answer) -> None:
        try:
            alarm_log.log_alarm(self._desk, alarm, answer)
        except UserError as error:
            notify.tell_error(error)

    def stop(self) -> None:
        """Look no longer."""
        self._timer.stop()
