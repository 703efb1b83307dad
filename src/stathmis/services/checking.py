"""Checking an instrument against a reference: paired readings to a correction with its uncertainty, and a verdict."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import hypot, inf, sqrt

import numpy as np

from stathmis.core.calibration import Correction, FitError, fit_correction
from stathmis.core.errors import UserError
from stathmis.core.uncertainty import Budget, Component, coverage_factor, type_b_resolution
from stathmis.core.units import difference_from_inside, difference_to_inside, from_inside, to_inside
from stathmis.logbook import calibrations, keeping
from stathmis.logbook.records import CalibrationPoint, Channel, Instrument
from stathmis.services import batches
from stathmis.services.corrections import NORMAL_95, SLOPE_ALLOWANCE, InForce, resolution_u
from stathmis.services.reading_field import interpret
from stathmis.services.workbench import Workbench

UNEVENNESS = {"temperature": 0.05, "humidity": 1.0}
"""Half-width by which two sensors side by side may really differ (K, %). Source: common practice; editable."""

CHECK_EVERY_DAYS = {"temperature": 365, "humidity": 182}
"""Thermometers yearly, hygrometers every half year. Source: common practice."""


@dataclass(frozen=True)
class PointEntry:
    """One row of a check as typed: replicates on both sides, apart by spaces or semicolons."""

    shown: str
    reference_shown: str

    @property
    def empty(self) -> bool:
        """Whether nothing was typed on either side."""
        return not (self.shown.strip() or self.reference_shown.strip())


@dataclass(frozen=True)
class RowProblem:
    """What is wrong with a row (from 0) and side ("shown" or "reference")."""

    row: int
    side: str
    text: str


@dataclass(frozen=True)
class Check:
    """A check as far as it can be computed: points used, complaints, and the correction with its budget."""

    channel: Channel
    reference: Channel
    points: tuple[CalibrationPoint, ...]
    problems: tuple[RowProblem, ...]
    correction: Correction | None
    trouble: str
    budget: Budget | None
    at: float

    def corrected_at(self, shown: float) -> tuple[float, float]:
        """Corrected value and expanded uncertainty U of a reading, in the channel's unit."""
        assert self.correction is not None
        value, u = self.correction.apply(shown, resolution_u(self.channel))
        return value, u * self.correction.coverage_factor


def _replicates(text: str, channel: Channel) -> tuple[list[float], str]:
    values = []
    for part in re.split(r"[;\s]+", text.strip()):
        field = interpret(part, channel)
        if field.problem:
            return [], field.problem
        if field.shown is not None:
            values.append(field.shown)
    return values, "" if values else "A reading is missing here."


def _pooled(groups: Sequence[Sequence[float]]) -> tuple[float, float]:
    """Pooled standard deviation of replicates over all points, and its degrees of freedom (0: no replicates)."""
    dof = sum(len(g) - 1 for g in groups)
    squares = sum(float(np.var(g)) * len(g) for g in groups)
    return (sqrt(squares / dof), float(dof)) if dof else (0.0, 0.0)


_Kept = tuple[PointEntry, list[float], list[float]]


def _read_rows(
    entries: Sequence[PointEntry], channel: Channel, reference: Channel
) -> tuple[list[_Kept], tuple[RowProblem, ...]]:
    """Rows that can be read, with the replicates of both sides, and what is wrong with the others."""
    kept: list[_Kept] = []
    problems: list[RowProblem] = []
    for row, entry in enumerate(entries):
        if entry.empty:
            continue
        shown, wrong_shown = _replicates(entry.shown, channel)
        ref, wrong_ref = _replicates(entry.reference_shown, reference)
        problems += [RowProblem(row, "shown", wrong_shown)] if wrong_shown else []
        problems += [RowProblem(row, "reference", wrong_ref)] if wrong_ref else []
        if shown and ref:
            kept.append((entry, shown, ref))
    return kept, tuple(problems)


def evaluate(
    bench: Workbench,
    channel: Channel,
    reference: Channel,
    entries: Sequence[PointEntry],
    unevenness: float,
    model: str = "auto",
) -> Check:
    """Turn typed rows into a correction. Faulty rows are named and left out, never guessed.

    unevenness: half-width in the channel's unit. model: "auto", "offset" or "line".
    """
    kept, problems = _read_rows(entries, channel, reference)
    target = _working_point(bench, channel)
    if not kept:
        return Check(channel, reference, (), problems, None, "", None, target)
    s_shown, dof_shown = _pooled([shown for _, shown, _ in kept])
    s_reference, dof_reference = _pooled([ref for _, _, ref in kept])
    force = bench.corrections.in_force(reference, bench.now_ms)
    steps = float(difference_to_inside(1.0, reference.unit)) / float(difference_to_inside(1.0, channel.unit))
    points, shared = [], 0.0
    for entry, shown, ref in kept:
        true, u_curve = _reference_value(channel, reference, force, float(np.mean(ref)))
        shared = max(shared, u_curve)
        u_seen = steps * hypot(s_reference / sqrt(len(ref)), resolution_u(reference))
        points.append(
            CalibrationPoint(
                shown=entry.shown.strip(),
                reference_shown=entry.reference_shown.strip(),
                reading=float(np.mean(shown)),
                reference=true,
                u_reading=hypot(s_shown / sqrt(len(shown)), resolution_u(channel)),
                u_reference=hypot(u_seen, unevenness / sqrt(3.0)),
            )
        )
    try:
        fitted = fit_correction(
            [p.reading for p in points],
            [p.reference for p in points],
            [p.u_reading for p in points],
            [p.u_reference for p in points],
            model,  # type: ignore[arg-type]
            u_common=shared,
            slope_allowance=SLOPE_ALLOWANCE[channel.quantity],
        )
    except FitError as error:
        return Check(channel, reference, tuple(points), problems, None, f"{error}.", None, target)
    # the instrument reads off the working point by its own correction
    target -= fitted.apply(target)[0] - target
    scatter = (s_shown, dof_shown, s_reference, dof_reference)
    budget = _budget(channel, fitted, shared, scatter, points, target)
    correction = replace(fitted, coverage_factor=coverage_factor(budget.effective_dof))
    return Check(channel, reference, tuple(points), problems, correction, "", budget, target)


def _reference_value(channel: Channel, reference: Channel, force: InForce, shown: float) -> tuple[float, float]:
    """The reference's corrected value, and what its certificate leaves uncertain, in the checked channel's unit."""
    value, u = force.curve.apply(shown)
    u = u * force.coverage_factor / NORMAL_95
    return (
        float(from_inside(to_inside(value, reference.unit), channel.unit)),
        float(difference_from_inside(difference_to_inside(u, reference.unit), channel.unit)),
    )


def _budget(
    channel: Channel,
    fitted: Correction,
    shared: float,
    scatter: tuple[float, float, float, float],
    points: Sequence[CalibrationPoint],
    target: float,
) -> Budget:
    """Influences on a corrected reading at the working point, in the channel's unit.

    The fit's variance there is shared out over its causes in the proportion in which they make up a point's variance.
    """
    s_shown, dof_shown, s_reference, dof_reference = scatter
    _, total = fitted.apply(target)
    fit_u = sqrt(max(total**2 - shared**2, 0.0))
    count = len(points)
    replicates = max(1.0, (dof_shown + count) / count)
    reference_replicates = max(1.0, (dof_reference + count) / count)
    raw = [
        ("Scatter of this instrument", s_shown / sqrt(replicates), "normal", dof_shown or inf),
        ("Scatter of the reference", s_reference / sqrt(reference_replicates), "normal", dof_reference or inf),
        ("Steps of both displays, unevenness between the sensors", 0.0, "rectangular", inf),
    ]
    parts = [u**2 for _, u, _, _ in raw]
    point_variance = float(np.mean([p.u_reading**2 + p.u_reference**2 for p in points]))
    parts[2] = max(point_variance - parts[0] - parts[1], 0.0)
    components = [
        Component(label, fit_u * sqrt(part / point_variance), distribution, dof)
        for (label, _, distribution, dof), part in zip(raw, parts, strict=True)
    ]
    components.append(Component("Reference certificate", shared))
    components.append(type_b_resolution("Display steps when it is read in use", channel.resolution))
    return Budget(tuple(c for c in components if c.standard_uncertainty > 0))


def _working_point(bench: Workbench, channel: Channel) -> float:
    """Where this instrument works: the middle of the band of the batch it hangs with, else 37.5 °C or 50 %."""
    low, high = working_zone(bench, channel)
    return float(from_inside(0.5 * (low + high), channel.unit))


def working_zone(bench: Workbench, channel: Channel) -> tuple[float, float]:
    """The band (°C or %) this instrument is to decide about: its batch's now, else common ones."""
    now = bench.now_ms
    for incubator in bench.incubators():
        course = batches.running(bench, incubator)
        for instrument, _, channels in bench.hanging_in(incubator.id, now):
            if course is not None and any(c.id == channel.id for c in channels) and instrument:
                band = course.band(channel.quantity, now)
                if band is not None:
                    return band.low, band.high
    return (37.2, 37.8) if channel.quantity == "temperature" else (45.0, 55.0)


def put_to_use(bench: Workbench, check: Check, unevenness: float, valid_from_ms: int) -> None:
    """Store a check and use its correction for readings from a time (UTC ms) on; undoable.

    Raises UserError when the check has no correction or rows with problems.
    """
    if check.correction is None:
        raise UserError("There is no correction yet.", "Enter at least one point.")
    if check.problems:
        raise UserError("Some rows cannot be read.", "Mend or empty them first.")
    calibration_id = calibrations.add_calibration(
        bench.logbook,
        check.channel.id,
        check.reference.id,
        bench.now_ms,
        valid_from_ms,
        check.correction,
        unevenness,
        check.points,
    )
    bench.did(
        "correction put to use",
        undo=lambda: calibrations.withdraw_calibration(bench.logbook, calibration_id, bench.now_ms),
        redo=lambda: calibrations.withdraw_calibration(bench.logbook, calibration_id, None),
    )


def references(bench: Workbench, channel: Channel) -> list[tuple[Instrument, Channel]]:
    """Instruments this channel can be checked against: references first, then the others, same quantity."""
    instruments = {i.id: i for i in keeping.all_of(bench.logbook, Instrument)}
    found = [
        (instruments[c.instrument_id], c)
        for c in keeping.all_of(bench.logbook, Channel)
        if c.quantity == channel.quantity and c.id != channel.id and c.instrument_id in instruments
    ]
    return sorted(found, key=lambda pair: pair[0].role != "reference")


def is_due(bench: Workbench, channel: Channel) -> bool:
    """Whether a channel's last check or certificate is older than the trade's interval, or there is none."""
    since = bench.corrections.in_force(channel, bench.now_ms).since_ms
    return since is None or bench.now_ms - since > CHECK_EVERY_DAYS[channel.quantity] * 86_400_000
