"""Ready for eggs? The warm-up judged from the log: settled, swing, recovery, turner, humidity and the water it took."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from stathmis.core.conformity import decide
from stathmis.core.course.profile import Band
from stathmis.core.course.upsets import sudden_drops
from stathmis.core.uncertainty import NORMAL_95
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.findings.runs import Run, lately
from stathmis.services.moisture import water
from stathmis.services.plan.planning import Plan, phases
from stathmis.services.plan.tasks import marks
from stathmis.words.catalogue import _
from stathmis.words.numbers import band_text, with_u
from stathmis.words.plan import preflight as say

LOOKED_AT_MS = 2 * DAY_MS
SETTLED_HOURS = 6.0
"""So long it should have held before eggs depend on it. Source: common practice (24 h dry, 24 h with water)."""
MOST_SWING_K = 0.5
"""Short swings of the air up to this are a thermostat's cycling. Source: common practice."""
MOST_DRIFT_K = 0.3
RECOVERY_MIN = 90.0
"""After an opening the air is back within this. Source: common practice (1-3 h with cold eggs)."""


@dataclass(frozen=True)
class Answer:
    """One question of the pre-flight: what it is about, the answer ("yes", "no" or "unknown"), and in words."""

    about: str
    answer: str
    words: str


@dataclass(frozen=True)
class Preflight:
    """The warm-up judged: findings, and whether the machine is ready for eggs."""

    findings: tuple[Answer, ...]

    @property
    def ready(self) -> bool:
        """Whether every question that can be answered is answered with yes, and heat is among them."""
        answers = {f.about: f.answer for f in self.findings}
        return "no" not in answers.values() and answers["settled"] == "yes" and answers["band"] == "yes"

    @property
    def headline(self) -> str:
        """Ready or not, in a sentence."""
        wrong = [f.about for f in self.findings if f.answer == "no"]
        missing = [f.about for f in self.findings if f.answer == "unknown"]
        if wrong:
            return say.NOT_READY_FOR_EGGS_SEE(wrong=", ".join(wrong))
        if not self.ready:
            return say.NOT_KNOWN_YET_WHETHER_IT(missing=", ".join(missing))
        return _("Ready for eggs.") + (_(" Not seen: {missing}.", missing=", ".join(missing)) if missing else "")


def preflight(book: Book, plan: Plan) -> Preflight:
    """The last two days of a plan's machine, judged for the eggs to come."""
    now, incubator = book.now_ms, plan.incubator
    start = now - LOOKED_AT_MS
    course = phases(book, plan)
    heat = course[0].temperature_c
    warm, moist = (lately(book, incubator, q, start, now) for q in ("temperature", "humidity"))
    found = [*_heat(book, warm, heat, now), _recovery(warm), _turner(book, plan)]
    found.append(_moisture(book, plan, moist, course[0].humidity, now))
    return Preflight(tuple(f for f in found if f is not None))


def _last(run: Run | None, now: int) -> Run | None:
    return run if run is not None and now - int(run.times_ms[-1]) < 14 * HOUR_MS else None


def _heat(book: Book, run: Run | None, band: Band, now: int) -> list[Answer]:
    run = _last(run, now)
    if run is None:
        words = say.NO_TEMPERATURE_WAS_READ_LATELY()
        return [Answer("settled", "unknown", words), Answer("band", "unknown", words)]
    late = run.times_ms >= run.times_ms[-1] - SETTLED_HOURS * HOUR_MS
    hours = float(np.ptp(run.times_ms[late])) / HOUR_MS
    values, seconds = run.corrected[late], run.times_ms[late] / 1000.0
    unit = book.temperature_unit
    mean, u = float(values.mean()), float(np.median(run.u[late]))
    found = []
    if hours < 0.75 * SETTLED_HOURS or values.size < 3:
        found.append(Answer("settled", "unknown", say.IT_WAS_READ_OVER_HOURS(hours=hours)))
    else:
        slope = float(np.polyfit(seconds - seconds[0], values, 1)[0]) * (seconds[-1] - seconds[0])
        swing = float(np.quantile(values, 0.975) - np.quantile(values, 0.025)) / 2.0
        steady = abs(slope) <= MOST_DRIFT_K and swing <= MOST_SWING_K
        scale = 1.8 if unit == "°F" else 1.0
        words = say.OVER_HOURS_H_IT_DRIFTED(hours=hours, slope=abs(slope) * scale, unit=unit, swing=swing * scale)
        found.append(Answer("settled", "yes" if steady else "no", words))
    decision = str(decide(mean, u, band.low, band.high))
    said = with_u(mean, NORMAL_95 * u, "temperature", unit)
    words = _("{said}, {band_text} wanted", said=said, band_text=band_text(band.low, band.high, "temperature", unit))
    answer = {"inside": "yes", "outside": "no", "undecided": "unknown"}[decision]
    found.append(Answer("band", answer, words))
    return found


def _recovery(run: Run | None) -> Answer | None:
    """How quickly the air was back after the lid was open."""
    if run is None or not run.dense:
        return Answer("recovery", "unknown", say.OPEN_THE_LID_FOR_A())
    drops = sudden_drops(run.times_ms / 1000.0, run.corrected)
    if not drops:
        return Answer("recovery", "unknown", say.THE_LID_WAS_NOT_OPENED())
    recoveries = [d.recovery_s for d in drops if d.recovery_s is not None]
    if not recoveries:
        return Answer("recovery", "no", say.IT_WAS_NOT_BACK_WITHIN())
    minutes = max(recoveries) / 60.0
    return Answer(
        "recovery", "yes" if minutes <= RECOVERY_MIN else "no", say.BACK_WITHIN_MINUTES_MIN_OF(minutes=minutes)
    )


def _turner(book: Book, plan: Plan) -> Answer | None:
    if plan.way.turning != "machine" or plan.species.stop_turning_day is None:
        return None
    mark = marks(book).get((plan.subject, "turner seen"))
    if mark is None:
        return Answer("turner", "unknown", say.MARK_AN_EGG_LOOK_AGAIN())
    return Answer("turner", "yes", _("seen moving"))


def _moisture(book: Book, plan: Plan, run: Run | None, band: Band | None, now: int) -> Answer | None:
    if band is None:
        return None
    run = _last(run, now)
    if run is None:
        return Answer("humidity", "unknown", say.NO_HUMIDITY_WAS_READ_LATELY())
    late = run.times_ms >= run.times_ms[-1] - 2 * HOUR_MS
    mean, u = float(run.corrected[late].mean()), float(np.median(run.u[late]))
    setting = water.setting_at(water.events_of(book, plan.incubator), now)
    with_water = say.WITH_SO_MUCH_WATER(surface_cm2=setting.surface_cm2) if setting.surface_cm2 is not None else ""
    wanted = band_text(band.low, band.high, "humidity", "%")
    words = _(
        "{with_u}{with_water}, {wanted} wanted",
        with_u=with_u(mean, NORMAL_95 * u, "humidity", "%"),
        with_water=with_water,
        wanted=wanted,
    )
    answer = {"inside": "yes", "outside": "no", "undecided": "unknown"}[str(decide(mean, u, band.low, band.high))]
    return Answer("humidity", answer, words)
