"""The hatch under way: counts, quiet countdowns, stragglers, and whether the lid may be opened."""

from __future__ import annotations

from dataclasses import dataclass
from math import exp, log

import numpy as np

from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import EggFinding
from stathmis.services import knowledge
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import HOUR_MS
from stathmis.services.eggs.tray import TraySheet
from stathmis.services.findings.runs import Run, recorded
from stathmis.services.moisture.water import events_of
from stathmis.words import dates
from stathmis.words import hatch as hatch_words
from stathmis.words.catalogue import Spoken, _, as_number, begun
from stathmis.words.eggs import hatching as say
from stathmis.words.numbers import count

PIP_TO_OUT_H = (12.0, 24.0)
OUT_TO_DRY_H = (12.0, 24.0)
"""Source of all: common practice."""
OPEN_SCHOOLS = Spoken(
    {
        "never": say.NEVER_WHILE_ANY_EGG_IS,
        "quickly": say.QUICKLY_FOR_DRY_CHICKS_WHILE,
    }
)
SAFE_RH = 60.0
"""Below this a pipped egg's membrane begins to dry. Source: common practice."""
BEFORE_MS, AFTER_MS = 20 * 60_000, 3 * HOUR_MS
LEAST_DROP = 3.0
WET_RISE_RH = 5.0
WATER_EXPLAINS_MS = 3 * HOUR_MS


@dataclass(frozen=True)
class LidRecord:
    """What an opened lid does here, from the log: how far the humidity falls (percent), and how long it takes to come
    back (minutes); from how many openings."""

    drop: float
    recovery_min: float
    openings: int


@dataclass(frozen=True)
class WetRise:
    """The humidity that wet chicks make: what it was before and is now, percent, and since when (UTC ms)."""

    before: float
    now: float
    since_ms: int


@dataclass(frozen=True)
class Hatching:
    """A hatch at a time. counts by stage; pipped: eggs that have begun and are not out; first_pip_ms, first_out_ms: UTC
    ms; rh: humidity now and its U, percent; lid: what opening does here; wet: the rise wet chicks make; overdue: marks
    of eggs that pipped more than a day ago and are not out, with the hours since; unseen: from lockdown on, eggs still
    in the shell may be pipped though none is logged."""

    course: Course
    counts: dict[str, int]
    pipped: int
    first_pip_ms: int | None
    first_out_ms: int | None
    last_out_ms: int | None
    rh: tuple[float, float] | None
    lid: LidRecord | None
    wet: WetRise | None = None
    overdue: tuple[tuple[str, float], ...] = ()
    unseen: bool = False


def hatching(book: Book, course: Course, sheet: TraySheet) -> Hatching:
    """The hatch of a batch now."""
    counts = dict.fromkeys(("internal pip", "external pip", "zip", "out", "dry", "taken"), 0)
    for egg in sheet.eggs:
        if egg.state in counts and not (egg.out and egg.state != "taken"):
            counts[egg.state] += 1
    for finding in sheet.counted:
        if finding.kind in counts:
            counts[finding.kind] += finding.count
    if not sheet.eggs:
        # counts are of what has happened: who is out was pipped before
        dead = sum(f.count for f in sheet.counted if f.kind == "pipped dead")
        counts["external pip"] = max(0, counts["external pip"] - counts["out"] - dead)
    all_found = sheet.all_findings
    pipped = counts["external pip"] + counts["zip"]
    now = book.now_ms
    moist = recorded(book, course.stretches(course.start_ms, now), "humidity", course.batch.set_ms).judged
    first_pip = _first(all_found, ("external pip", "zip", "out"))
    rh = None
    if moist is not None and now - int(moist.times_ms[-1]) < 3 * HOUR_MS:
        rh = (float(moist.corrected[-1]), NORMAL_95 * float(moist.u[-1]))
    return Hatching(
        course,
        counts,
        pipped,
        _first(all_found, ("external pip", "zip")),
        _first(all_found, ("out",)),
        max((f.time_ms for f in all_found if f.kind == "out"), default=None),
        rh,
        _lid(book, course, moist),
        wet_rise(book, course, moist, first_pip),
        _overdue(sheet, now),
        course.is_late(now) and sheet.tally.open > 0,
    )


def _overdue(sheet: TraySheet, now_ms: int) -> tuple[tuple[str, float], ...]:
    """Eggs pipped longer ago than it takes as a rule."""
    found = []
    for egg in sheet.eggs:
        since = egg.first_ms(("external pip",))
        if since is None or egg.out or egg.hatched or now_ms - since < PIP_TO_OUT_H[1] * HOUR_MS:
            continue
        found.append((egg.mark, (now_ms - since) / HOUR_MS))
    return tuple(found)


def wet_rise(book: Book, course: Course, run: Run | None, first_pip_ms: int | None) -> WetRise | None:
    """The rise of humidity that wet chicks make: well above what it was before, after the first pip, with no water,
    vent or lid logged that would explain it; None where there is none.

    Source: common practice (wet chicks raise it to 80 % and more by themselves).
    """
    if run is None or not run.dense or first_pip_ms is None:
        return None
    before = (run.times_ms >= first_pip_ms - 6 * HOUR_MS) & (run.times_ms < first_pip_ms)
    after = run.times_ms >= first_pip_ms
    if before.sum() < 10 or after.sum() < 10:
        return None
    level = float(np.median(run.corrected[before]))
    values, times = run.corrected[after], run.times_ms[after]
    high = values > level + WET_RISE_RH
    if not high[-5:].all():
        return None
    falls = np.flatnonzero(~high)
    since = int(times[falls[-1] + 1]) if falls.size else int(times[0])
    for event in events_of(book, course.incubator):
        if event.kind in ("water", "vent", "filled") and since - WATER_EXPLAINS_MS <= event.time_ms <= since:
            return None
    return WetRise(level, float(np.median(values[-5:])), since)


def wet_words(book: Book, found: WetRise) -> str:
    """What a rise by wet chicks asks for."""
    since = book.local(found.since_ms)
    return say.WET_CHICKS_THE_HUMIDITY_ROSE(before=found.before, now=found.now, since=dates.clock(since))


def help_out(book: Book, found: Hatching) -> list[str]:
    """Whether to help a chick out: no, unless an egg pipped more than a day ago; then under these conditions."""
    if not found.overdue:
        return [say.HELP_A_CHICK_OUT_NO()]
    which = ", ".join(f"{mark} ({as_number(hours, '.0f')} h)" for mark, hours in found.overdue)
    said = [say.PIPPED_LONGER_THAN_A_DAY(which=which, rule_of_help=hatch_words.rule_of_help(found.course.way))]
    said.append(say.KEEPERS_WHO_DO_HELP_DO())
    if found.rh is not None and found.rh[0] < SAFE_RH:
        said.append(say.FIRST_OF_ALL_THE_HUMIDITY(rh=found.rh[0]))
    said.append(say.LOG_IT_AT_THE_EGG())
    return said


def _first(findings: list[EggFinding], kinds: tuple[str, ...]) -> int | None:
    return min((f.time_ms for f in findings if f.kind in kinds), default=None)


def _lid(book: Book, course: Course, run: Run | None) -> LidRecord | None:
    """How far the humidity fell, and how long it took to come back, at the openings in the log; medians."""
    if run is None or not run.dense:
        return None
    drops, minutes = [], []
    for event in events_of(book, course.incubator):
        if event.kind not in ("lid", "cool"):
            continue
        before = (run.times_ms >= event.time_ms - BEFORE_MS) & (run.times_ms < event.time_ms)
        after = (run.times_ms >= event.time_ms) & (run.times_ms <= event.time_ms + AFTER_MS)
        if before.sum() < 3 or after.sum() < 10:
            continue
        level = float(np.median(run.corrected[before]))
        values, times = run.corrected[after], run.times_ms[after]
        lowest = int(np.argmin(values))
        drop = level - float(values[lowest])
        if drop < LEAST_DROP:
            continue
        back = np.flatnonzero((values >= level - max(1.5, 0.15 * drop)) & (np.arange(values.size) > lowest))
        if back.size:
            drops.append(drop)
            minutes.append((int(times[back[0]]) - event.time_ms) / 60_000.0)
    if not drops:
        return None
    return LidRecord(float(np.median(drops)), float(np.median(minutes)), len(drops))


OPEN_MIN = 2.0
"""So long the lid is open. Source: common practice (quickly)."""


def after_opening(rh: float, lid: LidRecord) -> tuple[list[float], list[float]]:
    """The humidity (percent) after so many minutes, where the lid is opened quickly now: it falls as far as it did
    here, and comes back as a box does, to within a seventh in the time that took. Source: first-order response."""
    back = max(1.0, lid.recovery_min - OPEN_MIN)
    minutes = [float(m) for m in np.linspace(0.0, max(30.0, 1.5 * lid.recovery_min), 61)]
    tau = back / log(1.0 / 0.15)
    lost = [min(1.0, m / OPEN_MIN) if m <= OPEN_MIN else exp(-(m - OPEN_MIN) / tau) for m in minutes]
    return minutes, [max(0.0, rh - lid.drop * share) for share in lost]


def open_school(book: Book, course: Course) -> str:
    """Whether the lid is opened while eggs are pipped, a key of OPEN_SCHOOLS: by the way, else as was set for all."""
    kept = course.way.opening or book.settings.opening_at_hatch
    return kept if kept in OPEN_SCHOOLS else "never"


def may_open(found: Hatching, school: str) -> tuple[str, str]:
    """May I open? The answer ("no", "better not", "quickly", "yes") and why, with the risk in words."""
    lid = found.lid
    falls = (
        say.HERE_THE_HUMIDITY_FALLS_BY(
            drop=lid.drop, recovery_min=lid.recovery_min, openings=count(lid.openings, "{n} opening", "{n} openings")
        )
        if lid is not None
        else say.HOW_FAR_THE_HUMIDITY_FALLS()
    )
    if found.pipped == 0 and not found.unseen:
        return "yes", say.NO_EGG_IS_PIPPED_THAT(falls=falls)
    eggs = say.EGGS_PIPPED_AND_NOT_OUT(eggs=count(found.pipped, "{n} egg", "{n} eggs"))
    if found.pipped == 0:
        eggs = say.PIPPED_THOUGH_NONE_IS_LOGGED()
    if school == "never":
        risk = say.THE_MEMBRANE_OF_A_PIPPED()
        return "no", say.EGGS_RISK_CHICKS_LIVE_TO(eggs=eggs, risk=risk, falls=falls)
    if found.rh is not None and lid is not None:
        low = found.rh[0] - lid.drop
        if low >= SAFE_RH:
            return "quickly", say.EGGS_IT_WOULD_FALL_TO(eggs=eggs, low=low, falls=falls)
        return "better not", say.EGGS_IT_WOULD_FALL_TO_ABOUT(eggs=eggs, low=low, falls=falls)
    return "better not", say.EGGS_AND_THE_HUMIDITY_IS(eggs=eggs, falls=falls)


def lines(book: Book, found: Hatching) -> list[str]:
    """Counts and quiet countdowns."""
    now, said = book.now_ms, []
    words = knowledge.findings()
    standing = [f"{n} {words[k].word}" for k, n in found.counts.items() if n]
    if standing:
        said.append(begun(", ".join(standing)) + ".")
    if found.pipped and found.first_pip_ms is not None:
        said.append(_countdown(book, _("First pip"), found.first_pip_ms, PIP_TO_OUT_H, "out"))
    if found.wet is not None:
        said.append(wet_words(book, found.wet))
    if found.first_out_ms is not None:
        limit = found.course.way.feed_limit_h
        last = book.local(found.first_out_ms + round(limit * HOUR_MS))
        began = dates.weekday_clock(book.local(found.first_out_ms))
        said.append(say.FOOD_AND_WATER_AS_SOON(began=began, last=dates.weekday_clock(last)))
        dry = found.last_out_ms
        if dry is not None and now - dry < OUT_TO_DRY_H[1] * HOUR_MS:
            said.append(_countdown(book, _("Last out"), dry, OUT_TO_DRY_H, "dry"))
    end = found.course.at_ms(max(found.course.species.days + 2.0, found.course.species.days_high))
    if now < end:
        last = book.local(end)
        said.append(say.STRAGGLERS_WAIT_UNTIL_LAST_BEFORE(last=dates.moment(last, weekday=True)))
    else:
        said.append(say.THE_TIME_OF_STRAGGLERS_IS())
    return said


def _countdown(book: Book, what: str, since_ms: int, hours: tuple[float, float], until: str) -> str:
    soon, late = (since_ms + round(h * HOUR_MS) for h in hours)
    began, first, last = (dates.weekday_clock(book.local(t)) for t in (since_ms, soon, late))
    now = book.now_ms
    left = (
        _("in {soon}", soon=dates.duration(soon - now))
        if now < soon
        else _("now")
        if now < late
        else _("{now} over", now=dates.duration(now - late))
    )
    return _(
        "{what} {began}: {until} from {first} to {last} ({left}).",
        what=what,
        began=began,
        until=_(until),
        first=first,
        last=last,
        left=left,
    )
