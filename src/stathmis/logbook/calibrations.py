"""Calibrations in and out: the fitted correction with the points it rests on."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from math import inf, isinf
from typing import Any

import numpy as np
from sqlalchemy import select, update

from stathmis.core.calibration import Correction
from stathmis.core.uncertainty import Component
from stathmis.logbook import schema
from stathmis.logbook.opening import Logbook
from stathmis.logbook.records import CalibrationPoint


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

    reference_channel_id is None where the reference is no instrument (ice, steam, salt).
    """

    id: int
    channel_id: int
    reference_channel_id: int | None
    done_ms: int
    valid_from_ms: int
    correction: Correction
    conditions: Conditions


def add_calibration(
    logbook: Logbook,
    channel_id: int,
    reference_channel_id: int | None,
    done_ms: int,
    valid_from_ms: int,
    correction: Correction,
    conditions: Conditions,
    points: Sequence[CalibrationPoint],
    budget: Sequence[Component],
) -> int:
    """Store a calibration with its points and budget in one transaction and return its id."""
    with logbook.writing() as connection:
        calibration_id = int(
            connection.execute(
                schema.calibration.insert().values(
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
                )
            ).inserted_primary_key[0]  # type: ignore[index]
        )
        connection.execute(
            schema.calibration_point.insert(), [{"calibration_id": calibration_id, **asdict(p)} for p in points]
        )
        if budget:
            connection.execute(schema.budget_line.insert(), [_line(calibration_id, c) for c in budget])
    return calibration_id


def _line(calibration_id: int, component: Component) -> dict[str, Any]:
    fields = asdict(component)
    # a database has no infinity: no number means as good as certain
    fields["degrees_of_freedom"] = None if isinf(component.degrees_of_freedom) else component.degrees_of_freedom
    return {"calibration_id": calibration_id, **fields}


def calibrations(logbook: Logbook) -> list[Calibration]:
    """All calibrations that stand, by channel and time from which they are valid."""
    table = schema.calibration
    query = (
        select(table)
        .where(table.c.withdrawn_ms.is_(None))
        .order_by(table.c.channel_id, table.c.valid_from_ms, table.c.id)
    )
    with logbook.reading() as connection:
        return [_calibration(row) for row in connection.execute(query)]


def _calibration(row: Any) -> Calibration:
    correction = Correction(
        model=row.model,
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
        row.id, row.channel_id, row.reference_channel_id, row.done_ms, row.valid_from_ms, correction, conditions
    )


def points_of(logbook: Logbook, calibration_id: int) -> list[CalibrationPoint]:
    """The points a calibration rests on, in the order they were taken."""
    table = schema.calibration_point
    query = (
        select(*(table.c[name] for name in CalibrationPoint.__dataclass_fields__))
        .where(table.c.calibration_id == calibration_id)
        .order_by(table.c.id)
    )
    with logbook.reading() as connection:
        return [CalibrationPoint(**row._mapping) for row in connection.execute(query)]


def budget_of(logbook: Logbook, calibration_id: int) -> list[Component]:
    """The budget a calibration was put to use with, at its working point; empty for ones made before it was kept."""
    table = schema.budget_line
    names = Component.__dataclass_fields__
    query = select(*(table.c[n] for n in names)).where(table.c.calibration_id == calibration_id).order_by(table.c.id)
    with logbook.reading() as connection:
        rows = [dict(row._mapping) for row in connection.execute(query)]
    return [Component(**{**r, "degrees_of_freedom": r["degrees_of_freedom"] or inf}) for r in rows]


def withdraw_calibration(logbook: Logbook, calibration_id: int, at_ms: int | None) -> None:
    """Withdraw a calibration at a time (UTC ms), or bring it back with None."""
    table = schema.calibration
    with logbook.writing() as connection:
        connection.execute(update(table).where(table.c.id == calibration_id).values(withdrawn_ms=at_ms))
