"""Alarms: what cannot wait until the next round. Judged on the eggs, not on a lid that was open for a minute.

An alarm in the application is no substitute for the machine's own over-temperature cut-out.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from stathmis.core.course import forecast
from stathmis.core.course.upsets import cycling, sudden_drops
from stathmis.core.egg_heat import egg_temperature
from stathmis.core.series import median
from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import Box, Incubator, WaterSurface
from stathmis.services.advice.heat import DANGER_C
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.batch.power_cut import BOX_HOURS
from stathmis.services.book import Book
from stathmis.services.findings.ahead import DRYING_RESPONSES_S, QUICK_S, ahead
from stathmis.services.findings.runs import Run, lately, temperature_runs
from stathmis.services.findings.vapor import OPENED_SHARE, vapor_kept
from stathmis.services.watch.alarm import Alarm
from stathmis.services.watch.live import ProbeStatus
from stathmis.services.watch.mute_loggers import FRESH_MS, mute_loggers

LOOK_BACK_MS = 6 * 3_600_000
EGG_LIMIT_K = 1.0
"""Eggs this far from the middle of what is asked are worth a call. Source: common practice (alarms at 1-1.5 K)."""
AIR_LIMIT_K = 1.5
BEYOND_BAND_K = 0.5
"""Where a way asks a wide band, eggs are called for so far beyond it, and the air twice as far."""
AIR_LASTS_MS = 10 * 60_000
"""Air must be this far off for this long, with no lid opening known. Source: common practice."""
LID_MS = 45 * 60_000
"""So long after a lid opening, water or a change of the set point the air may be on its way back."""
OPENING_S = 90 * 60.0
"""Eggs may be cool for so long after a sharp drop of the air that is over."""
JUST_S = 15 * 60.0
"""A drop as young as this may be an open lid."""
WARMER_K, GRACE_S = 1.0, 300.0
"""A cooling that is over is so much warmer than at its coldest, so long after its end at the latest."""
DRY_RH = 15.0
"""In lockdown and hatch the air may be so far below its band before it is called for. Source: common practice (a pipped
egg's membrane dries)."""
LATE = ("lockdown", "hatch")
TREND_MS, AHEAD_S = 40 * 60_000, 3600.0
"""The air of so long is carried on, for so long."""
LIKELY = 0.67
"""What is coming is told where three in four such forecasts come true: so many standard uncertainties to one side."""
SILENT_MS = 5 * 60_000
AWAITED = ("lid", "water", "set_point", "cool")


RISING_K, RISING_S = 0.5, 240.0
"""Air that has come up by so much in so long is on its way back: the lid was shut. Source: common practice."""
DRYING = ((25 * 60_000, 4.0), (75 * 60_000, 1.2))
LEFT_WITHIN_S = 4 * 3600.0
"""Humidity that fell by so much (percent) in so long, steadily, and will have left its band within so long, is told
before it has. Source: our own: more than a room's day moves it."""
AT_ONCE_MS, AT_ONCE = 5 * 60_000, 0.6
"""Of a fall that is more than by this share within so long a lid was the cause, no trough."""
DRY_SETTING_RH = 25.0
"""So far below its band the air of a box with water is never, before lockdown. Source: our own."""
BACK_MS = 20 * 60_000
"""A lid or a refill explains dry air for so long, and longer only while the humidity rises. Source: common practice."""
SWING_K, SWING_OVER, SWING_MS = 0.1, 1.25, 12 * 3_600_000
"""Air no further from its mean than it usually swings, and a little, is on no way out."""
COOLING_MS = 45 * 60_000
"""A cooling that was logged without its length takes no longer. Source: common practice."""


def alarms(book: Book, probes: Sequence[ProbeStatus] = ()) -> list[Alarm]:
    """All alarms now, danger first."""
    found = [alarm for course in _watched(book) for alarm in _of_course(book, course)]
    for one in probes:
        last = one.status.heard_ms
        if one.silent and last is not None and book.now_ms - last > SILENT_MS:
            minutes = (book.now_ms - last) // 60_000
            found.append(Alarm("silent", None, False, minutes=minutes, probe=one))
    return sorted(found, key=lambda a: not a.danger)


def _watched(book: Book) -> list[Course]:
    """The newest batch of each machine, and every clutch whose box has an instrument of its own, by its name."""
    watched = []
    for incubator in book.incubators():
        for i, course in enumerate(batches.all_running(book, incubator)):
            if isinstance(course.incubator, Box):
                box = replace(course.incubator, name=f"{incubator.name}, {course.batch.name}")
                watched.append(replace(course, incubator=box))
            elif i == 0:
                watched.append(course)
    return watched


def _of_course(book: Book, course: Course) -> Iterator[Alarm]:
    """What the eggs, the air or the water of a batch call for, one of them; and each logger that tells nothing."""
    if not course.batch.set_ms <= book.now_ms <= course.end_ms:
        return
    found = _of_heat(book, course) or _of_moisture(book, course) or _drying(book, course)
    if found is not None:
        yield found
    yield from mute_loggers(book, course)


def _of_heat(book: Book, course: Course) -> Alarm | None:
    now, incubator = book.now_ms, course.incubator
    start = max(now - LOOK_BACK_MS, course.batch.set_ms)
    runs = [r for r in temperature_runs(book, incubator, start, now) if now - int(r.times_ms[-1]) <= FRESH_MS]
    if not runs:
        return None
    run = min(runs, key=lambda r: (not r.dense, float(np.median(r.u))))
    offset = course.still_offset_k
    air = run.corrected - offset
    newest, U = float(air[-1]), NORMAL_95 * float(run.u[-1])
    if newest - U >= DANGER_C:
        return Alarm("hot", incubator, True, warm=True, celsius=newest + offset)
    return _of_eggs(book, course, run, air) or _of_air(book, course, run, air) if run.dense else None


def _drying(book: Book, course: Course) -> Alarm | None:
    """The humidity falls steadily, and will soon have left what is asked: a trough that runs dry, before it has."""
    now = book.now_ms
    band = course.band("humidity", now)
    if band is None or course.species.kind != "bird" or now - course.batch.set_ms < LOOK_BACK_MS:
        return None
    if course.band("humidity", max(now - LOOK_BACK_MS, course.batch.set_ms)) != band:
        return None
    # what a lid or a refill did is over before it is looked at
    done = [e.time_ms + BACK_MS // 2 for e in book.events_between(course.incubator.id, now - LID_MS, now)
            if e.kind in AWAITED]  # fmt: skip
    whole = lately(book, course.incubator, "humidity", max([now - DRYING[-1][0], *done]), now)
    if whole is None or not whole.dense or now - int(whole.times_ms[-1]) > FRESH_MS:
        return None
    for back_ms, by in DRYING:
        run = whole.between(int(whole.times_ms[-1]) - back_ms, int(whole.times_ms[-1]))
        if run is None or run.times_ms.size < 12 or run.times_ms[-1] - run.times_ms[0] < 0.5 * back_ms:
            continue
        going = forecast.going_on(run.times_ms / 1000.0, run.corrected, DRYING_RESPONSES_S, LEFT_WITHIN_S)
        # a lid or a change of the vent is a step: too unsure to go on from
        sure = going.values + LIKELY * going.u < band.low
        if _falls(run, by) and going.rate * back_ms / 1000.0 <= -by / 2.0 and sure.any():
            left_ms = round(1000.0 * float(going.times_s[np.argmax(going.values < band.low)]))
            return Alarm("drying", course.incubator, False, rh=(float(going.values[0]), band.low), at_ms=left_ms)
    left = _runs_dry(book, course) if whole.corrected[-1] >= band.low and not done else None
    if left is None:
        return None
    return Alarm("drying", course.incubator, False, rh=(float(whole.corrected[-1]), band.low), at_ms=left)


def _falls(run: Run, by: float) -> bool:
    """Whether the humidity fell by so much over a stretch, and not all at once."""
    # a reading's own noise is no fall
    v = np.convolve(np.pad(run.corrected, 2, mode="edge"), np.full(5, 0.2), mode="valid")
    before = np.searchsorted(run.times_ms, run.times_ms - AT_ONCE_MS)
    fell = median(v[:5]) - median(v[-5:])
    return bool(fell >= by and float((v[before] - v).max()) <= max(AT_ONCE * fell, by / 2.0))


def _runs_dry(book: Book, course: Course) -> int | None:
    """When the air will leave its band for the water running dry, within the time such a thing is told (UTC ms)."""
    if not book.records(WaterSurface, incubator_id=course.incubator.id):
        # without a surface nothing is known of how long its water lasts
        return None
    found = ahead(book, course.incubator, course)
    if found is None or found.dry is None:
        return None
    until = book.now_ms + round(1000.0 * LEFT_WITHIN_S)
    left = [one.when.at_ms for one in found.leaving if one.quantity == "humidity" and one.side == "low"]
    return left[0] if left and found.dry.soonest_ms <= left[0] <= until else None


def limits_k(course: Course, at_ms: float, half_k: float, usual_k: float, beyond_k: float) -> tuple[float, float]:
    """How far below and above the middle is called for at a time (UTC ms), K: the keeper's own limits, else the usual,
    wider for wide bands (half_k: half of the band)."""
    usual = max(usual_k, half_k + beyond_k)
    late = course.is_late(at_ms)
    cold, hot = course.way.alarm_at("cold_k", late=late), course.way.alarm_at("hot_k", late=late)
    return (usual if cold is None else cold), (usual if hot is None else hot)


def _of_moisture(book: Book, course: Course) -> Alarm | None:
    """The air has been too dry or too moist for a while, by the keeper's limits; in lockdown too dry by the usual."""
    now = book.now_ms
    phase = course.phase(now)
    if phase is None or phase.humidity is None or now - course.batch.set_ms < LOOK_BACK_MS:
        return None
    if course.band("humidity", max(now - LOOK_BACK_MS, course.batch.set_ms)) != phase.humidity:
        # what is asked has just changed: the keeper and the water need their time
        return None
    late = course.is_late(now)
    dry, moist = course.way.alarm_at("dry_rh", late=late), course.way.alarm_at("moist_rh", late=late)
    if dry is None and course.species.kind == "bird":
        dry = DRY_RH if phase.name in LATE else DRY_SETTING_RH
    if dry is None and moist is None:
        return None
    run = lately(book, course.incubator, "humidity", max(now - LOOK_BACK_MS, course.batch.set_ms), now)
    if run is None or not run.dense or now - int(run.times_ms[-1]) > FRESH_MS:
        return None
    last = run.times_ms >= run.times_ms[-1] - AIR_LASTS_MS
    if int(last.sum()) < 3 or run.times_ms[last][-1] - run.times_ms[last][0] < 0.8 * AIR_LASTS_MS:
        return None
    done = [e for e in book.events_between(course.incubator.id, now - LID_MS, now) if e.kind in AWAITED]
    rises = float(run.corrected[last][-1] - run.corrected[last][0]) >= 1.0
    if any(now - e.time_ms <= BACK_MS for e in done) or (done and rises):
        return None
    rh, U, band = run.corrected[last], NORMAL_95 * run.u[last], phase.humidity
    minutes = AIR_LASTS_MS // 60_000
    if dry is not None and (rh + U < band.low - dry).all():
        return Alarm("moisture", course.incubator, False, rh=(float(rh[-1]), band.low), minutes=minutes)
    if moist is not None and (rh - U > band.high + moist).all():
        return Alarm("moisture", course.incubator, False, rh=(float(rh[-1]), band.high), minutes=minutes)
    return None


def _awaited(book: Book, course: Course) -> bool:
    """Whether something was done lately that the air may still be on its way back from, or the eggs are just set."""
    now = book.now_ms
    done = book.events_between(course.incubator.id, now - LID_MS, now)
    return any(e.kind in AWAITED for e in done) or now - course.batch.set_ms < LOOK_BACK_MS


def _of_eggs(book: Book, course: Course, run: Run, air: np.ndarray) -> Alarm | None:
    """The eggs are beyond their limit, or will be within the hour if it goes on like this."""
    incubator, (held_c, half_k) = course.incubator, course.held(run.times_ms[-1])
    limits = limits_k(course, float(run.times_ms[-1]), float(half_k), EGG_LIMIT_K, BEYOND_BAND_K)
    seconds = run.times_ms / 1000.0
    core = egg_temperature(seconds, air, course.species.egg_g, incubator.air == "forced", max_gap_s=run.max_gap_s)
    # eggs set cold are still warming: nothing to call for
    if not np.isfinite(core[-1]) or run.times_ms[-1] - course.batch.set_ms < LOOK_BACK_MS:
        return None
    off, u = float(core[-1] - held_c), float(run.u[-1])
    if off < 0 and (_coming_back(seconds, air) or _cooled_as_meant(book, course, seconds, air)):
        return None
    if off < 0 and _cooled_as_logged(book, course, seconds, air):
        return None
    eggs = float(core[-1]) + float(course.warmed_by(run.times_ms[-1]).core_k)
    limit_k = limits[off > 0]
    if abs(off) - NORMAL_95 * u > limit_k:
        return Alarm("eggs", incubator, off > 0, warm=off > 0, celsius=eggs)
    return _leaving(book, course, run, air, off, eggs, limits)


def _leaving(
    book: Book, course: Course, run: Run, air: np.ndarray, off: float, eggs: float, limits: tuple[float, float]
) -> Alarm | None:
    """The eggs will be beyond their limit soon if the air goes on like this; off: how far their cores are from the
    middle by now, K; eggs: as warm as they are, °C."""
    incubator, seconds = course.incubator, run.times_ms / 1000.0
    recent = seconds >= seconds[-1] - TREND_MS / 1000.0
    if int(recent.sum()) < forecast.LEAST:
        return None
    responses = (3600.0 * BOX_HOURS[incubator.air], QUICK_S)
    ahead = forecast.going_on(seconds[recent], air[recent], responses, AHEAD_S)
    side = float(np.sign(ahead.rate))
    if side * off < 0:
        return None
    limit_k, forced = limits[side > 0], incubator.air == "forced"
    coming = ahead.times_s[1:]
    times = np.concatenate([seconds, coming])

    def beyond(less_k: np.ndarray) -> np.ndarray:
        """Of the times ahead those by which the cores will be out, if the air goes so much less far."""
        going = np.concatenate([air, (ahead.values - side * less_k)[1:]])
        core = egg_temperature(times, going, course.species.egg_g, forced, max_gap_s=run.max_gap_s)
        held_c = np.asarray(course.held(coming * 1000.0)[0])
        return np.flatnonzero(side * (core[seconds.size :] - held_c) > limit_k)

    if _swings(book, incubator, air[-1] + course.still_offset_k, side):
        return None
    # a swing is no drift; by how much the instrument may be off is in neither
    if not beyond(LIKELY * ahead.u).size:
        return None
    when = round(1000.0 * float(coming[beyond(np.zeros(ahead.u.size))[0]]))
    limit = eggs - off + side * limit_k
    return Alarm("trend", incubator, side > 0, warm=side > 0, celsius=eggs, limit_c=limit, at_ms=when)


def _swings(book: Book, incubator: Incubator | Box, air_c: float, side: float) -> bool:
    """Whether the air is no further to a side than it goes with every turn of this thermostat."""
    run = lately(book, incubator, "temperature", book.now_ms - SWING_MS, book.now_ms)
    seen = cycling(run.times_ms / 1000.0, run.corrected) if run is not None and run.dense else None
    if run is None or seen is None:
        return False
    return side * (air_c - float(run.corrected.mean())) <= SWING_OVER * seen.swing + SWING_K


def _cooled_as_logged(book: Book, course: Course, seconds: np.ndarray, air: np.ndarray) -> bool:
    """Whether a cooling that was logged, on whatever day and for however long, is under way or on its way back."""
    now_s = float(seconds[-1])
    for event in book.events_between(course.incubator.id, book.now_ms - LOOK_BACK_MS, book.now_ms):
        if event.kind != "cool":
            continue
        minutes = event.minutes if event.minutes is not None else max(COOLING_MS / 60_000, course.way.cool_minutes)
        over_s = now_s - event.time_ms / 1000.0 - 60.0 * minutes
        lowest = float(air[seconds >= event.time_ms / 1000.0].min(initial=air[-1]))
        # eggs that were cold for long are warmed for as long
        back_s = max(LID_MS / 1000.0, 60.0 * minutes)
        if over_s <= GRACE_S or (over_s <= back_s and air[-1] >= lowest + WARMER_K):
            return True
    return False


def _coming_back(seconds: np.ndarray, air: np.ndarray) -> bool:
    """Whether the air dropped sharply a while ago and is on its way back, or dropped just now: a lid, not a fault."""
    drops = sudden_drops(seconds, air)
    if not drops or seconds[-1] - drops[-1].start_s > OPENING_S:
        return False
    last = drops[-1]
    back = float(air[-1]) >= last.lowest + 0.5 * (last.before - last.lowest)
    return back or seconds[-1] - last.start_s < JUST_S


def _rising(seconds: np.ndarray, air: np.ndarray) -> bool:
    """Whether air that was cold is on its way back: someone shut the lid."""
    return bool(air[-1] - air[seconds >= seconds[-1] - RISING_S].min() >= RISING_K)


def _shut(book: Book, course: Course, since_s: float) -> bool:
    """Whether the box was shut all the time since a sharp drop of its air: its vapor is still inside. False too where
    the humidity is not logged."""
    kept = vapor_kept(book, course.incubator, round(since_s * 1000))
    return kept is not None and kept > OPENED_SHARE


def _cooled_as_meant(book: Book, course: Course, seconds: np.ndarray, air: np.ndarray) -> bool:
    """Whether a sharp drop is as young as a cooling that belongs to the way, and its way back; logged or not."""
    if not course.cooled(1000.0 * float(seconds[-1])):
        return False
    drops = sudden_drops(seconds, air)
    if not drops or _shut(book, course, drops[-1].start_s):
        # a power cut begins like a cooling, but nobody lifts the lid
        return False
    over_s = seconds[-1] - drops[-1].start_s - 60.0 * course.way.cool_minutes
    # a power cut begins like a cooling; only one of them ends
    back = float(air[-1]) >= drops[-1].lowest + WARMER_K
    return over_s <= GRACE_S or (over_s <= LID_MS / 1000.0 and back)


def _of_air(book: Book, course: Course, run: Run, air: np.ndarray) -> Alarm | None:
    """The air has been far off for a while, and nothing that was done explains it."""
    incubator = course.incubator
    if _awaited(book, course) or _cooled_as_logged(book, course, run.times_ms / 1000.0, air):
        return None
    last = run.times_ms >= run.times_ms[-1] - AIR_LASTS_MS
    held_c, half_k = course.held(run.times_ms[last])
    off = air[last] - held_c
    if int(last.sum()) < 3 or run.times_ms[last][-1] - run.times_ms[last][0] < 0.8 * AIR_LASTS_MS:
        return None
    limits = limits_k(course, float(run.times_ms[-1]), float(half_k.max()), AIR_LIMIT_K, 2 * BEYOND_BAND_K)
    beyond = np.abs(off) - NORMAL_95 * run.u[last] > np.where(off > 0, limits[1], limits[0])
    if not beyond.all() or np.ptp(np.sign(off)) != 0:
        return None
    warm, air_c = bool(off[-1] > 0), float(run.corrected[-1])
    seconds = run.times_ms / 1000.0
    if not warm and (_rising(seconds, air) or _cooled_as_meant(book, course, seconds, air)):
        return None
    return Alarm("air", incubator, warm, warm=warm, celsius=air_c, minutes=AIR_LASTS_MS // 60_000)
