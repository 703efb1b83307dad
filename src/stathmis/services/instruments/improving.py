"""What would make an instrument good enough: each change computed by fitting anew with it, none guessed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import sqrt

import numpy as np
from numpy.typing import NDArray

from stathmis.core import fixed_points
from stathmis.core.calibration import fit
from stathmis.core.checks.influences import Effect
from stathmis.core.checks.straight_line import FitError
from stathmis.core.units import from_inside
from stathmis.services.findings.corrections import SLOPE_ALLOWANCE, prior, slope_reach
from stathmis.services.instruments.checking import Check
from stathmis.services.instruments.draft import Draft, split_readings
from stathmis.services.instruments.points import Point, influences_of
from stathmis.services.instruments.reference_values import OF_REFERENCE
from stathmis.services.instruments.zones import ZoneVerdict
from stathmis.words.catalogue import _, as_number
from stathmis.words.instruments import checks as say
from stathmis.words.numbers import unit_word

Array = NDArray[np.float64]

MORE_READINGS = 10
"""How many readings a point the advice "read more often" asks for. Source: common practice."""


@dataclass(frozen=True)
class Prospect:
    """A change in words, the U it would give at the zone (channel's unit), and whether that is enough."""

    words: str
    U: float
    enough: bool


def prospects(draft: Draft, check: Check, verdict: ZoneVerdict) -> list[Prospect]:
    """Changes that would lower U at a zone by a twentieth or more, the best first.

    Empty where the instrument can decide already, or there is nothing fitted.
    """
    if check.fitted is None or verdict.can_decide:
        return []
    resolution = check.channel.resolution
    tried = [
        (
            say.READING_EACH_POINT_MORE_READINGS(more_readings=MORE_READINGS),
            _more_readings(check.points),
            _seen_more(check),
        ),
        (_one_more_words(draft, check, verdict), _one_more(draft, check, verdict), check),
        (say.A_REFERENCE_WITHOUT_ANY_ERROR(), _without_shared(check.points), check),
    ]
    found = []
    for words, points, by in tried:
        U = _u_with(draft, by, points, verdict.reading, resolution) if points and words else None
        if U is not None and U < 0.95 * verdict.U:
            found.append(Prospect(words, U, verdict.half > U))
    finer = _u_with(draft, check, check.points, verdict.reading, resolution / 10.0)
    if finer is not None and finer < 0.95 * verdict.U:
        words = say.A_DISPLAY_IN_STEPS_OF(
            finer=resolution / 10, unit_word=unit_word(check.channel.unit), resolution=resolution
        )
        found.append(Prospect(words, finer, verdict.half > finer))
    return sorted(found, key=lambda p: p.U)


def _seen_more(check: Check) -> Check:
    """The check with the instrument's flicker seen as often as it would be."""
    n = max(1.0, check.flicker.degrees_of_freedom / max(1, len(check.points)) + 1.0)
    dof = check.flicker.degrees_of_freedom * max(1.0, (MORE_READINGS - 1.0) / max(1.0, n - 1.0))
    return replace(check, flicker=replace(check.flicker, degrees_of_freedom=dof))


def _u_with(draft: Draft, check: Check, points: Sequence[Point], reading: float, step: float) -> float | None:
    """U at a reading, were the check made of these points and the display of such steps."""
    assert check.fitted is not None
    kept = [i for i in check.fitted.influences if i.label not in {e.label for p in points for e in _effects(p)}]
    # only what the points do not bring along (hysteresis) is taken over, stretched to their number
    extra = [
        replace(
            i, on_reading=_stretched(i.on_reading, len(points)), on_reference=_stretched(i.on_reference, len(points))
        )
        for i in kept
        if i.shared and i.on_reference.size and (i.on_reference == 1.0).all()
    ]
    try:
        found = fit(
            [p.reading for p in points],
            [p.reference for p in points],
            [*influences_of(points), *extra],
            draft.model,  # type: ignore[arg-type]
            slope_allowance=SLOPE_ALLOWANCE[check.channel.quantity],
            slope_reach=slope_reach(check.channel),
            prior=prior(check.channel),
        )
    except FitError:
        return None
    return found.budget_at(reading, check.in_use(step)).expanded_uncertainty


def _stretched(row: Array, count: int) -> Array:
    return np.full(count, float(row[0]))


def _effects(point: Point) -> tuple[Effect, ...]:
    return (*point.on_reading, *point.on_reference)


def _more_readings(points: Sequence[Point]) -> list[Point]:
    def calmer(effects: tuple[Effect, ...], now: int) -> tuple[Effect, ...]:
        gain = sqrt(min(1.0, max(now, 1) / MORE_READINGS))
        scatter = [e.cause == "scatter" for e in effects]
        more = [e.degrees_of_freedom * MORE_READINGS / max(now, 1) for e in effects]
        return tuple(
            replace(e, sensitivity=e.sensitivity * gain, degrees_of_freedom=dof) if s else e
            for e, s, dof in zip(effects, scatter, more, strict=True)
        )

    made = []
    for p in points:
        count = len(split_readings(p.shown))
        made.append(replace(p, on_reading=calmer(p.on_reading, count), on_reference=calmer(p.on_reference, count)))
    return made


def _without_shared(points: Sequence[Point]) -> list[Point]:
    """As if the reference instrument knew the truth: its certificate, drift, own check or stated accuracy gone."""
    own = (OF_REFERENCE, "table")
    return [replace(p, on_reference=tuple(e for e in p.on_reference if e.cause not in own)) for p in points]


def _unused_salt(draft: Draft, check: Check, verdict: ZoneVerdict) -> str:
    """The salt nearest to a zone that has no jar yet; lithium chloride is never advised: it is toxic."""
    used = {row.cells.get("salt") for s in draft.sets for row in s.rows if not row.empty}
    free = [s for s in fixed_points.SALTS.values() if s.formula not in used and s.formula != "LiCl"]
    if not free:
        return ""
    middle = verdict.zone.band.middle
    return min(free, key=lambda s: abs(s.rh[len(s.rh) // 2] - middle)).formula


def _one_more_words(draft: Draft, check: Check, verdict: ZoneVerdict) -> str:
    if any(s.method.reference == "salt" for s in draft.sets):
        salt = _unused_salt(draft, check, verdict)
        return say.ONE_MORE_JAR_OF_SALTS(salts=_(fixed_points.SALTS[salt].name)) if salt else ""
    unit = check.channel.unit
    middle = float(from_inside(verdict.zone.band.middle, unit))
    return say.ONE_MORE_POINT_NEAR_MIDDLE(
        middle=as_number(middle, f".{1 if unit != '%' else 0}f"), unit_word=unit_word(unit)
    )


def _one_more(draft: Draft, check: Check, verdict: ZoneVerdict) -> list[Point]:
    """The points with one more, made like the nearest of them, at the zone (or at the nearest salt)."""
    correction = check.correction
    assert correction is not None
    wanted = verdict.reading
    salts = any(s.method.reference == "salt" for s in draft.sets)
    if salts:
        salt = _unused_salt(draft, check, verdict)
        if not salt:
            return []
        row = fixed_points.SALTS[salt]
        wanted = correction.reading_for(row.rh[len(row.rh) // 2])
    like = min(check.points, key=lambda p: abs(p.reading - wanted))
    effects = tuple(
        replace(e, label=_("{label}, another", label=_(e.label))) if e.cause == "table" else e
        for e in like.on_reference
    )
    # taken at the curve itself: what is asked is how sure it would be, not what it would show
    true = correction.apply(wanted)[0]
    return [*check.points, replace(like, reading=wanted, reference=true, on_reference=effects, row=-1)]
