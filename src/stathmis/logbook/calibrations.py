"""Calibrations in and out: the fitted correction with the points it rests on."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from math import inf, isinf

import numpy as np

from stathmis.core.calibration import Correction
from stathmis.core.uncertainty import Component
from stathmis.logbook.edits import Edit
from stathmis.logbook.records import BudgetLine, CalibrationPoint, StoredCalibration
from stathmis.logbook.snapshot import Snapshot


@dataclass(frozen=True)
class Conditions:
    """How a check was made: method key(s), "as found" or "as left", notes on its conditions, what the reference had."""

    method: str = "side"
    state: str = "as found"
    notes: str = ""
    reference_calibration_id: int | None = None


@dataclass(frozen=True)
class Calibration:
    """A check that was put to use: valid from a time (UTC ms) until the next one; in the channel's unit.

    reference_channel_id is None where the reference is no instrument (ice, steam, salt); flicker: standard deviation of
    single readings, as far as the check showed it.
    """

    id: int
    channel_id: int
    reference_channel_id: int | None
    done_ms: int
    valid_from_ms: int
    correction: Correction
    conditions: Conditions
    flicker: float = 0.0


def add_calibration(
    edit: Edit,
    channel_id: int,
    reference_channel_id: int | None,
    done_ms: int,
    valid_from_ms: int,
    correction: Correction,
    conditions: Conditions,
    points: Sequence[CalibrationPoint],
    budget: Sequence[Component],
    flicker: float,
) -> int:
    """Store a calibration with its points and budget and return its id; ids in the points are not looked at."""
    made = edit.add(
        StoredCalibration,
        channel_id=channel_id,
        reference_channel_id=reference_channel_id,
        done_ms=done_ms,
        valid_from_ms=valid_from_ms,
        model=correction.model,
        coefficients=json.dumps(correction.coefficients.tolist()),
        covariance=json.dumps(correction.covariance.tolist()),
        pivot=correction.pivot,
        domain_low=correction.domain[0],
        domain_high=correction.domain[1],
        chi_square=correction.chi_square,
        degrees_of_freedom=correction.degrees_of_freedom,
        coverage_factor=correction.coverage_factor,
        slope_allowance=correction.slope_allowance,
        widened=correction.widened,
        method=conditions.method,
        state=conditions.state,
        conditions=conditions.notes,
        reference_calibration_id=conditions.reference_calibration_id,
        flicker=flicker,
    )
    for point in points:
        fields = {name: value for name, value in asdict(point).items() if name != "id"}
        edit.add(CalibrationPoint, **{**fields, "calibration_id": made})
    for line in budget:
        # a database has no infinity: no number means as good as certain
        freedom = None if isinf(line.degrees_of_freedom) else line.degrees_of_freedom
        edit.add(BudgetLine, calibration_id=made, **{**asdict(line), "degrees_of_freedom": freedom})
    return made


def calibrations(snapshot: Snapshot) -> list[Calibration]:
    """All calibrations that stand, by channel and time from which they are valid."""
    stored = sorted(snapshot.records(StoredCalibration), key=lambda c: (c.channel_id, c.valid_from_ms, c.id))
    return [_calibration(row) for row in stored]


def _calibration(row: StoredCalibration) -> Calibration:
    correction = Correction(
        model=row.model,  # type: ignore[arg-type]
        coefficients=np.array(json.loads(row.coefficients)),
        covariance=np.array(json.loads(row.covariance)),
        pivot=row.pivot,
        domain=(row.domain_low, row.domain_high),
        chi_square=row.chi_square,
        degrees_of_freedom=row.degrees_of_freedom,
        coverage_factor=row.coverage_factor,
        slope_allowance=row.slope_allowance,
        widened=row.widened,
    )
    conditions = Conditions(row.method, row.state, row.conditions, row.reference_calibration_id)
    return Calibration(
        row.id,
        row.channel_id,
        row.reference_channel_id,
        row.done_ms,
        row.valid_from_ms,
        correction,
        conditions,
        row.flicker,
    )


def points_of(snapshot: Snapshot, calibration_id: int) -> list[CalibrationPoint]:
    """The points a calibration rests on, in the order they were taken."""
    return list(snapshot.records(CalibrationPoint, calibration_id=calibration_id))


def budget_of(snapshot: Snapshot, calibration_id: int) -> list[Component]:
    """The budget a calibration was put to use with, at its working point; empty for ones made before it was kept."""
    return [
        Component(
            line.label,
            line.standard_uncertainty,
            line.distribution,
            line.degrees_of_freedom or inf,
            line.sensitivity,
            line.unit,
        )
        for line in snapshot.records(BudgetLine, calibration_id=calibration_id)
    ]
