"""What stands on the printed sheet of a check: facts, points, budget, the chain to the reference, and a small table."""

from __future__ import annotations

from dataclasses import dataclass
from math import isinf

import numpy as np

from stathmis.core.calibration import Correction
from stathmis.core.uncertainty import Budget
from stathmis.core.units import from_inside
from stathmis.logbook import calibrations
from stathmis.logbook.calibrations import Calibration
from stathmis.logbook.records import CalibrationPoint, Channel
from stathmis.services.book import Book
from stathmis.services.findings.corrections import resolution_u
from stathmis.services.instruments.methods import methods
from stathmis.services.instruments.zones import ZoneVerdict, verdicts, working_point, working_zone
from stathmis.words import dates
from stathmis.words.numbers import count, places_for, signed, unit_word

MODEL_WORDS = {"offset": "one offset", "line": "a straight line", "quadratic": "a quadratic"}


@dataclass(frozen=True)
class CheckSheet:
    """A check in words and tables, ready to be set on paper; numbers are written out with their units' decimals."""

    title: str
    facts: tuple[tuple[str, str], ...]
    result: str
    points_head: tuple[str, ...]
    points: tuple[tuple[str, ...], ...]
    budget_head: tuple[str, ...]
    budget: tuple[tuple[str, ...], ...]
    verdicts: tuple[str, ...]
    chain: tuple[str, ...]
    table: tuple[tuple[str, str], ...]
    unit: str
    correction: Correction
    raw_points: tuple[CalibrationPoint, ...]
    zone: tuple[float, float]


def sheet(book: Book, calibration: Calibration) -> CheckSheet:
    """The sheet of a check that is in the logbook."""
    channel = book.channel(calibration.channel_id)
    instrument = book.instrument(channel.instrument_id)
    unit, c = unit_word(channel.unit), calibration.correction
    points = calibrations.points_of(book.snapshot, calibration.id)
    places = places_for(channel.resolution / 10)
    at = c.reading_for(working_point(book, channel))
    value, u = c.apply(at, resolution_u(channel))
    U = u * c.coverage_factor
    done, valid = book.local(calibration.done_ms), calibration.valid_from_ms
    names = methods()
    facts = (
        ("Instrument", f"{instrument.name}, {unit}, steps of {channel.resolution:g}"),
        ("Checked", f"{dates.moment(done, year=True)}, {calibration.conditions.state}"),
        ("Method", ", ".join(names[k].name for k in calibration.conditions.method.split("+") if k in names)),
        ("In use", "for all its readings" if valid == 0 else f"from {dates.moment(book.local(valid), year=True)}"),
        (
            "Curve",
            f"{MODEL_WORDS[c.model]}, {count(len(points), 'point')}, {c.domain[0]:.1f} to {c.domain[1]:.1f} {unit}",
        ),
        ("Allowed for", calibration.conditions.notes or "nothing noted"),
    )
    rows = tuple(
        (
            str(i + 1),
            p.source or "reference",
            f"{p.reading:.{places}f}",
            f"{p.reference:.{places}f}",
            signed(p.reference - p.reading, places),
            f"{2 * float(np.hypot(p.u_reading, p.u_reference)):.{places}f}",
            f"{p.residual:.1f}".replace("-", "−"),
            p.direction,
        )
        for i, p in enumerate(points)
    )
    return CheckSheet(
        title=f"Check of {instrument.name}",
        facts=facts,
        result=f"When it shows {at:.{places}f} {unit}, add {signed(value - at, places)} ± {U:.{places}f} {unit} "
        f"(95 %, k = {c.coverage_factor:.2f}).",
        points_head=("", "reference", "it shows", "true", "add", "U of the point", "off the curve, in u", "order"),
        points=rows,
        budget_head=BUDGET_HEAD,
        budget=budget_rows(Budget(tuple(calibrations.budget_of(book.snapshot, calibration.id))), unit),
        verdicts=tuple(verdict_words(v, channel) for v in verdicts(book, channel, c)),
        chain=tuple(chain(book, calibration)),
        table=correction_table(channel, c, working_zone(book, channel)),
        unit=unit,
        correction=c,
        raw_points=tuple(points),
        zone=working_zone(book, channel),
    )


BUDGET_HEAD = ("influence", "u", "distribution", "counts times", "contributes")


def budget_rows(budget: Budget, unit: str) -> tuple[tuple[str, ...], ...]:
    """A budget as rows of text: influence, its u with unit, distribution, sensitivity, contribution; then the sums."""
    if not budget.components:
        return ()
    rows = [
        (
            x.label,
            f"{x.standard_uncertainty:.3g} {unit if x.unit in ('', '%') else x.unit}",
            x.distribution + ("" if isinf(x.degrees_of_freedom) else f", {x.degrees_of_freedom:.0f} free"),
            f"{x.sensitivity:.3g}",
            f"{x.contribution:.3f} {unit}",
        )
        for x in sorted(budget.components, key=lambda x: -x.contribution)
    ]
    dof = budget.effective_dof
    free = "many" if isinf(dof) or dof > 1000 else f"{dof:.0f}"
    total = (
        f"together: U = k u = {budget.expanded_uncertainty:.3f} {unit} at 95 %",
        "",
        f"{free} degrees of freedom",
        f"k = {budget.coverage_factor:.2f}",
        f"{budget.standard_uncertainty:.3f} {unit}",
    )
    return (*rows, total)


def verdict_words(verdict: ZoneVerdict, channel: Channel) -> str:
    """ "37.2–37.8 °C (North cabinet, setting): can tell, ± 0.12 °C"."""
    low, high = (float(from_inside(v, channel.unit)) for v in (verdict.zone.band.low, verdict.zone.band.high))
    unit = unit_word(channel.unit)
    places = 0 if channel.unit == "%" else 1
    word = "can tell" if verdict.can_decide else "too coarse"
    U = f"{verdict.U:.{places + 1}f}"
    return f"{low:.{places}f}–{high:.{places}f} {unit} ({verdict.zone.what}): {word}, ± {U} {unit}"


def chain(book: Book, calibration: Calibration) -> list[str]:
    """How a check leads to something outside: its reference, that one's own check or certificate, and so on."""
    lines: list[str] = []
    seen: set[int] = set()
    step: Calibration | None = calibration
    while step is not None and step.id not in seen:
        seen.add(step.id)
        natural = sorted({p.source for p in calibrations.points_of(book.snapshot, step.id) if p.source})
        if step.reference_channel_id is None:
            lines.append("Against nature itself: " + ", ".join(natural) + ".")
            break
        reference = book.channel(step.reference_channel_id)
        name = book.instrument(reference.instrument_id).name
        known = {c.id: c for c in book.corrections.calibrations_of(reference.id)}
        below = step.conditions.reference_calibration_id
        if below is not None:
            nearer = known.get(below)
            when = (
                f"its own check of {dates.day(book.local(nearer.done_ms), year=True)}"
                if nearer
                else "a check withdrawn since"
            )
            lines.append(f"Against {name}, by {when}.")
            step = nearer
            continue
        points = book.corrections.certificate_of(reference.id, step.done_ms)
        if points:
            dated = book.local(points[0].dated_ms)
            U = max(p.expanded_uncertainty for p in points)
            lines.append(
                f"Against {name}, by its certificate of {dates.day(dated, year=True)} ({count(len(points), 'point')}, "
                f"U up to {U:g} {unit_word(reference.unit)}, k = {points[0].coverage_factor:g})."
            )
        else:
            lines.append(f"Against {name}, known by its maker's accuracy only (± {reference.accuracy:g}).")
        break
    return lines


def correction_table(
    channel: Channel, correction: Correction, zone: tuple[float, float]
) -> tuple[tuple[str, str], ...]:
    """A small table to tape to the incubator: it shows, it is. zone: °C or %."""
    low, high = (correction.reading_for(float(from_inside(v, channel.unit))) for v in zone)
    step = 0.2 if channel.unit == "°C" else 0.5 if channel.unit == "°F" else 5.0
    start = np.floor(low / step - 1.0) * step
    stop = np.ceil(high / step + 1.0) * step
    shown = np.arange(start, stop + step / 2, step)
    shown = shown[(shown >= channel.low) & (shown <= channel.high)]
    places = 0 if channel.unit == "%" else 1
    value, _ = correction.apply(shown)
    if channel.unit == "%":
        value = np.clip(value, 0.0, 100.0)
    return tuple((f"{s:.{places}f}", f"{v:.{places}f}") for s, v in zip(shown, value, strict=True))
