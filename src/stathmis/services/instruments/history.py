"""An instrument's checks over time: its drift, when it will leave its tolerance, and when it is due."""

from __future__ import annotations

from dataclasses import dataclass, replace

from stathmis.core.checks.drift import Drift, fit_drift, leaves_tolerance
from stathmis.core.units import difference_from_inside
from stathmis.logbook.calibrations import Calibration
from stathmis.logbook.records import (
    CertificatePoint,
    Channel,
    Placement,
    StoredCalibration,
)
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services.batch.batches import COURSES_REST_ON
from stathmis.services.book import Book, finding
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.desk import Desk
from stathmis.services.findings.corrections import resolution_u, usual_drift
from stathmis.services.instruments.doubts import CHECK_EVERY_DAYS, certificate_expires_ms
from stathmis.services.instruments.zones import working_point, working_zone
from stathmis.words.catalogue import _
from stathmis.words.instruments import sheet as say


@dataclass(frozen=True)
class PastCheck:
    """A check with what it found at the working point, in the channel's unit: error = reading - true."""

    calibration: Calibration
    error: float
    U: float


@dataclass(frozen=True)
class History:
    """Checks in order of time, with the drift fitted to them.

    tolerance: what the error may move before the instrument no longer tells (half the working band), channel's unit;
    in_force_error: the error the correction in force takes away; leaves_ms: when |what is left| + U passes the
    tolerance (UTC ms), None within ten years; due_ms: when to check again, with the reason; drift None: never checked.
    """

    channel: Channel
    checks: tuple[PastCheck, ...]
    drift: Drift | None
    tolerance: float
    in_force_error: float
    leaves_ms: int | None
    due_ms: int | None
    due_why: str


CHECKS_REST_ON = (StoredCalibration, CertificatePoint, Channel, Placement, *COURSES_REST_ON, SETTINGS)


def history(book: Book, channel: Channel) -> History:
    """The checks of a channel and what they say about the next one."""
    return _history(book, channel, book.now_ms // HOUR_MS)


@finding(*CHECKS_REST_ON)
def _history(book: Book, channel: Channel, _hour: int) -> History:
    """hour: what is asked of a channel may change with the stage of a batch."""
    target = working_point(book, channel)
    checks = []
    for one in sorted(book.corrections.calibrations_of(channel.id), key=lambda c: (c.done_ms, c.id)):
        shown = one.correction.reading_for(target)
        value, u = one.correction.apply(shown, resolution_u(channel))
        checks.append(PastCheck(one, shown - value, u * one.correction.coverage_factor))
    low, high = working_zone(book, channel)
    tolerance = float(difference_from_inside(0.5 * (high - low), channel.unit))
    interval = CHECK_EVERY_DAYS[channel.quantity] * DAY_MS
    if not checks:
        expires = certificate_expires_ms(book, channel)
        why = say.ITS_CERTIFICATE_RUNS_OUT() if expires is not None else _("never checked")
        return History(channel, (), None, tolerance, 0.0, None, expires, why)
    # what was adjusted starts anew: only checks since then tell its drift
    adjusted = max((i for i, c in enumerate(checks) if c.calibration.conditions.state == "as left"), default=0)
    since = checks[adjusted:]
    usual = usual_drift(channel) / 365.25
    drift = fit_drift(
        [c.calibration.done_ms / DAY_MS for c in since],
        [c.error for c in since],
        [max(c.U / 2.0, 1e-6) for c in since],
        usual,
    )
    force = book.corrections.in_force(channel, book.now_ms)
    in_force = next((c.error for c in checks if c.calibration.id == force.calibration_id), checks[-1].error)
    left = replace(drift, value=drift.value - in_force)
    last_ms = checks[-1].calibration.done_ms
    leaves = leaves_tolerance(left, tolerance, max(last_ms, book.now_ms) / DAY_MS)
    leaves_ms = None if leaves is None else round(leaves * DAY_MS)
    due_ms, why = last_ms + interval, _("the trade's interval")
    if drift.fitted and leaves_ms is not None and leaves_ms < due_ms:
        due_ms, why = leaves_ms, _("its own drift")
    return History(channel, tuple(checks), drift, tolerance, in_force, leaves_ms, due_ms, why)


def is_due(book: Book, channel: Channel) -> bool:
    """Whether a channel wants checking now: never checked, its interval over, or drifted too far."""
    due = history(book, channel).due_ms
    return due is None or book.now_ms > due


def set_between_checks(desk: Desk, channel: Channel, between: bool) -> None:
    """Let corrections run straight between two checks, or hold the last one; undoable."""
    after = "between" if between else "hold"
    if channel.between_checks == after:
        return
    with desk.edit(say.WAY_BETWEEN_CHECKS_CHANGED()) as edit:
        edit.change(Channel, channel.id, between_checks=after)
