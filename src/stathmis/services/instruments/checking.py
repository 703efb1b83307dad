"""Checking an instrument: what is typed, by whatever methods, to a correction with its budget, and to verdicts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import hypot, inf, sqrt

import numpy as np

from stathmis.core.calibration import Correction, Fit, fit
from stathmis.core.checks.influences import Effect, Influence
from stathmis.core.checks.settling import Settling, settling
from stathmis.core.checks.straight_line import FitError
from stathmis.core.errors import UserError
from stathmis.core.uncertainty import Budget, Component, type_b_resolution
from stathmis.core.units import NotANumberError, difference_from_inside, parse_typed
from stathmis.logbook import calibrations
from stathmis.logbook.calibrations import Conditions
from stathmis.logbook.records import CalibrationPoint, Channel, Instrument
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.findings.corrections import SLOPE_ALLOWANCE, prior, resolution_u, slope_reach
from stathmis.services.instruments.doubts import doubts
from stathmis.services.instruments.draft import Draft, PointSet, Row
from stathmis.services.instruments.methods import RESPONSE_S
from stathmis.services.instruments.points import Point, Problem, influences_of
from stathmis.services.instruments.reference_values import (
    FieldError,
    ReferenceValue,
    Scatter,
    allowance_size,
    corrected_with_effects,
    readings_in,
    reference_value,
)
from stathmis.services.instruments.zones import ZoneVerdict, verdicts, working_point
from stathmis.words import dates
from stathmis.words.catalogue import _
from stathmis.words.instruments import checks as say
from stathmis.words.instruments.labels import (
    FLICKER_IN_USE,
    HYSTERESIS_LABEL,
    OWN_SCATTER,
    OWN_STEPS,
    STEPS_IN_USE,
)
from stathmis.words.numbers import reason

NO_SCATTER = Scatter(0.0, 0.0)


@dataclass(frozen=True)
class Check:
    """A check as far as it can be computed."""

    channel: Channel
    points: tuple[Point, ...]
    problems: tuple[Problem, ...]
    warnings: tuple[Problem, ...]
    fitted: Fit | None
    trouble: str
    at: float
    hysteresis: float | None
    verdicts: tuple[ZoneVerdict, ...] = ()
    flicker: Scatter = NO_SCATTER

    @property
    def correction(self) -> Correction | None:
        """The correction with k of the working point; None while there is none."""
        if self.fitted is None:
            return None
        return replace(self.fitted.correction, coverage_factor=self.budget_at(self.at).coverage_factor)

    def budget_at(self, reading: float) -> Budget:
        """All influences on a corrected reading, in the channel's unit."""
        assert self.fitted is not None
        return self.fitted.budget_at(reading, self.in_use(self.channel.resolution))

    def in_use(self, step: float) -> list[Component]:
        """What a single reading brings along when it is read later from a display of such steps."""
        flicker = self.flicker
        found = [type_b_resolution(STEPS_IN_USE, step)]
        if flicker.deviation:
            found.append(Component(FLICKER_IN_USE, flicker.deviation, "normal", flicker.degrees_of_freedom))
        return found

    @property
    def budget(self) -> Budget | None:
        """The budget at the working point."""
        return None if self.fitted is None else self.budget_at(self.at)

    def corrected_at(self, shown: float) -> tuple[float, float]:
        """Corrected value and expanded uncertainty U of a reading, in the channel's unit."""
        correction = self.correction
        assert correction is not None
        value, u = correction.apply(shown, hypot(resolution_u(self.channel), self.flicker.deviation))
        return value, u * correction.coverage_factor

    def note(self, set_index: int, row: int, field: str = "") -> str:
        """The first problem or warning of a row (or field) in words, empty when there is none."""
        for p in (*self.problems, *self.warnings):
            if (p.set_index, p.row) == (set_index, row) and (not field or p.field == field):
                return p.text
        return ""


def evaluate(book: Book, draft: Draft) -> Check:
    """Turn a draft into a correction. Faulty rows are named and left out, never guessed."""
    channel = draft.channel
    scatter = _pooled(book, draft)
    points, problems = _points(book, draft, scatter)
    target = working_point(book, channel)
    hysteresis, trouble = None, ""
    try:
        hysteresis = _hysteresis_typed(draft)
    except FieldError as error:
        problems.append(Problem(-1, -1, error.field, str(error)))
    fitted = None
    if points:
        try:
            fitted, hysteresis = _fit(draft, points, hysteresis or 0.0)
        except FitError as error:
            trouble = f"{reason(error)}."
    if fitted is not None:
        # where the instrument shows the working point by its own correction
        target = fitted.correction.reading_for(target)
    found = Check(
        channel,
        tuple(points),
        tuple(problems),
        tuple(doubts(book, draft, points, fitted)),
        fitted,
        trouble,
        target,
        hysteresis,
        flicker=scatter.get(channel.id, NO_SCATTER),
    )
    return replace(found, verdicts=verdicts(book, channel, found.correction)) if fitted is not None else found


def _pooled(book: Book, draft: Draft) -> dict[int, Scatter]:
    """Scatter of each instrument's replicates, pooled over all its points, by channel id."""
    groups: dict[int, list[list[float]]] = {}
    for points in draft.sets:
        columns = [("shown", draft.channel.id), ("reference", points.reference_id), ("wet", points.second_id)]
        for row in points.rows:
            for field, channel_id in columns:
                text = row.shown if field == "shown" else row.cells.get(field, "")
                if channel_id is None or not text.strip():
                    continue
                channel = book.channel(channel_id)
                try:
                    near = points.method.near_c if field == "shown" else None
                    groups.setdefault(channel_id, []).append(readings_in(text, channel, field, near))
                except FieldError:
                    continue
    found = {}
    for channel_id, runs in groups.items():
        dof = sum(len(g) - 1 for g in runs)
        squares = sum(float(np.var(g)) * len(g) for g in runs)
        found[channel_id] = Scatter(sqrt(squares / dof), float(dof)) if dof else Scatter(0.0, 0.0)
    return found


def _points(book: Book, draft: Draft, scatter: dict[int, Scatter]) -> tuple[list[Point], list[Problem]]:
    points: list[Point] = []
    problems: list[Problem] = []
    for i, taken in enumerate(draft.sets):
        for allowance in taken.method.allowances:
            try:
                allowance_size(taken, allowance)
            except FieldError as error:
                problems.append(Problem(i, -1, error.field, str(error)))
        if any(p.set_index == i for p in problems):
            continue
        if taken.logged is not None:
            points += _logged_points(book, draft.channel, taken, i)
        for r, row in enumerate(taken.rows):
            if row.empty:
                continue
            wrong: list[FieldError] = []
            shown, value = [], None
            try:
                shown = readings_in(row.shown, draft.channel, "shown", taken.method.near_c)
            except FieldError as error:
                wrong.append(error)
            try:
                value = reference_value(book, draft.channel, taken, row, scatter)
            except FieldError as error:
                wrong.append(error)
            problems += [Problem(i, -1 if _of_set(e.field) else r, e.field, str(e), e.awaited) for e in wrong]
            if shown and value is not None:
                points.append(_point(book, draft, taken, (i, r), shown, value, scatter))
    return points, list(dict.fromkeys(problems))


def _of_set(field: str) -> bool:
    return field in ("reference_id", "second", "pressure", "altitude", "emissivity", "gun_setting")


def _point(
    book: Book,
    draft: Draft,
    taken: PointSet,
    place: tuple[int, int],
    shown: Sequence[float],
    value: ReferenceValue,
    scatter: dict[int, Scatter],
) -> Point:
    channel, row = draft.channel, taken.rows[place[1]]
    pool = scatter.get(channel.id, NO_SCATTER)
    own = Effect(
        OWN_SCATTER,
        channel.unit,
        pool.deviation,
        1.0 / sqrt(len(shown)),
        degrees_of_freedom=pool.degrees_of_freedom or inf,
        cause="scatter",
    )
    steps = Effect(OWN_STEPS, channel.unit, resolution_u(channel), distribution="rectangular")
    typed = [row.cells.get(key, "").strip() for key in ("reference", "wet", "walls", "salt", "jar")]
    return Point(
        set_index=place[0],
        row=place[1],
        shown=row.shown.strip(),
        reference_shown=" · ".join(t for t in typed if t),
        reading=float(np.mean(shown)),
        reference=value.value,
        on_reading=(own, steps),
        on_reference=value.effects,
        source=value.source,
        direction=row.direction,
        settled=_settled(book, channel, taken, row, shown),
    )


def response_s(book: Book, channel: Channel, taken: PointSet) -> float:
    """Response time of the slowest instrument in a set of points, s."""
    times = [channel.response_s or RESPONSE_S[channel.quantity]]
    for other_id in (taken.reference_id, taken.second_id):
        if other_id is not None and taken.method.needs_instrument:
            other = book.channel(other_id)
            times.append(other.response_s or RESPONSE_S[other.quantity])
    return max(times)


def settle_limit(channel: Channel) -> float:
    """How much may be left to go, in the channel's unit: half a display step, at least 0.02 K or 0.3 %."""
    least = float(difference_from_inside(0.02, channel.unit)) if channel.quantity == "temperature" else 0.3
    return max(0.5 * channel.resolution, least)


def _settled(book: Book, channel: Channel, taken: PointSet, row: Row, shown: Sequence[float]) -> Settling | None:
    if len(row.moments) != len(shown) or len(shown) < 2:
        return None
    times = [m / 1000.0 for m in row.moments]
    # several numbers copied from paper in one go say nothing about time
    if times[-1] - times[0] < 2.0 * (len(times) - 1):
        return None
    limit = settle_limit(channel)
    return settling(times, list(shown), response_s(book, channel, taken), limit, channel.resolution)


def _logged_points(book: Book, channel: Channel, taken: PointSet, set_index: int) -> list[Point]:
    """Points from two logs: blocks of paired means. The instruments hung as they did all the time."""
    assert taken.logged is not None and taken.reference_id is not None
    pairs = taken.logged.pairs
    other = book.channel(taken.reference_id)
    instrument = book.instrument(other.instrument_id)
    allowed = [
        Effect(a.label, a.unit(channel.unit), a.standard(allowance_size(taken, a)), 1.0, True, a.distribution)
        for a in taken.method.allowances
    ]
    per = float(difference_from_inside(1.0, channel.unit)) / float(difference_from_inside(1.0, other.unit))
    made = []
    for i, (at, reading, shown) in enumerate(zip(pairs.times_s, pairs.reading, pairs.reference, strict=True)):
        value, effects = corrected_with_effects(book, instrument, other, float(shown), channel.unit)
        flicker = Effect(
            say.BLOCK_TO_BLOCK_SCATTER(),
            channel.unit,
            pairs.scatter,
            degrees_of_freedom=float(pairs.degrees_of_freedom),
        )
        steps = Effect(OWN_STEPS, channel.unit, resolution_u(channel), distribution="rectangular")
        theirs = Effect(
            _("Display steps of {instrument}", instrument=instrument.name),
            other.unit,
            resolution_u(other),
            per,
            distribution="rectangular",
        )
        moment = book.local(at * 1000.0)
        made.append(
            Point(
                set_index,
                -2 - i,
                f"{reading:.3f}",
                f"{shown:.3f}",
                float(reading),
                value,
                (flicker, steps),
                (*effects, *allowed, theirs),
                _("{instrument}, log of {moment}", instrument=instrument.name, moment=dates.moment(moment)),
                "",
            )
        )
    return made


def _hysteresis_typed(draft: Draft) -> float:
    text = draft.hysteresis.strip() or "0"
    try:
        value = parse_typed(text).value
    except NotANumberError:
        value = -1.0
    if value < 0:
        raise FieldError("hysteresis", say.HOW_MUCH_RISING_AND_FALLING())
    return value


def _fit(draft: Draft, points: Sequence[Point], hysteresis: float) -> tuple[Fit, float]:
    """The fit, and the half-width by which rising and falling differ: measured where both were taken."""
    channel = draft.channel

    def fitted(half: float, *, both: bool = False) -> Fit:
        rows = list(influences_of(points))
        if half > 0:
            none, alike = np.zeros(len(points)), np.ones(len(points))
            # in use it stands anywhere in its loop, and where only one way was taken so it did in the check
            u = half / sqrt(3.0) if both else half * sqrt(2.0 / 3.0)
            rows.append(Influence(HYSTERESIS_LABEL, channel.unit, u, none, alike, True, "rectangular"))
        return fit(
            [p.reading for p in points],
            [p.reference for p in points],
            rows,
            draft.model,  # type: ignore[arg-type]
            slope_allowance=SLOPE_ALLOWANCE[channel.quantity],
            slope_reach=slope_reach(channel),
            prior=prior(channel),
        )

    first = fitted(hysteresis)
    directions = [p.direction for p in points]
    if {"rising", "falling"} <= set(directions):
        c = first.correction
        left = np.array([p.reference - c.apply(p.reading)[0] for p in points])
        means = [left[[d == way for d in directions]].mean() for way in ("rising", "falling")]
        hysteresis = 0.5 * abs(float(means[0] - means[1]))
        return fitted(hysteresis, both=True), hysteresis
    return first, hysteresis


def put_to_use(desk: Desk, draft: Draft, check: Check, valid_from_ms: int) -> int:
    """Store a check and use its correction for readings from a time (UTC ms) on; undoable. Returns its id.

    Raises UserError when the check has no correction or rows with problems, and for a check as left that would
    reach back to before the instrument was adjusted.
    """
    if check.correction is None or check.fitted is None:
        raise UserError(*say.THERE_IS_NO_CORRECTION_YET())
    if check.problems:
        raise UserError(*say.SOME_FIELDS_CANNOT_BE_READ())
    if draft.state == "as left" and valid_from_ms < desk.now_ms:
        raise UserError(*say.AS_LEFT_HOLDS_FROM_NOW())
    kept = [
        CalibrationPoint(
            0,
            0,
            p.shown,
            p.reference_shown,
            p.reading,
            p.reference,
            p.u_reading,
            p.u_reference,
            p.source,
            p.direction,
            r,
        )
        for p, r in zip(check.points, check.fitted.residuals.tolist(), strict=True)
    ]
    budget = check.budget
    assert budget is not None
    with desk.edit(say.CORRECTION_PUT_TO_USE()) as edit:
        return calibrations.add_calibration(
            edit,
            check.channel.id,
            next((s.reference_id for s in draft.sets if s.method.needs_instrument), None),
            desk.now_ms,
            valid_from_ms,
            check.correction,
            _conditions(desk.book, draft),
            kept,
            budget.components,
            check.flicker.deviation,
        )


def _conditions(book: Book, draft: Draft) -> Conditions:
    chain = None
    notes = []
    for taken in draft.sets:
        if taken.method.needs_instrument and taken.reference_id is not None and chain is None:
            other = book.channel(taken.reference_id)
            chain = book.corrections.in_force(other, book.now_ms).calibration_id
        for allowance in taken.method.allowances:
            unit = allowance.unit(draft.channel.unit)
            size = taken.allowances.get(allowance.key, "").strip()
            notes.append(f"{allowance.label}: ± {size} {unit}".strip())
        if taken.logged is not None:
            start, end = (book.local(t) for t in (taken.logged.start_ms, taken.logged.end_ms))
            notes.append(
                say.FROM_THE_LOGS_START_TO(
                    start=dates.moment(start), end=dates.moment(end), lag_s=taken.logged.pairs.lag_s
                )
            )
    keys = list(dict.fromkeys(s.method.key for s in draft.sets))
    return Conditions("+".join(keys), draft.state, "; ".join(notes), chain)


def references(book: Book, channel: Channel, quantity: str | None = None) -> list[tuple[Instrument, Channel]]:
    """Instruments this channel can be checked against: references first, then the others; same quantity by default."""
    instruments = {i.id: i for i in book.records(Instrument)}
    wanted = quantity or channel.quantity
    found = [
        (instruments[c.instrument_id], c)
        for c in book.records(Channel)
        if c.quantity == wanted and c.id != channel.id and c.instrument_id in instruments
    ]
    return sorted(found, key=lambda pair: pair[0].role != "reference")
