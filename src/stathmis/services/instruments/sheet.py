"""What stands on the printed sheet of a check: facts, points, budget, the chain to the reference, and a small table."""

from __future__ import annotations

from collections.abc import Sequence
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
from stathmis.words.catalogue import N_, Spoken, _, as_number
from stathmis.words.instruments import sheet as say
from stathmis.words.numbers import count, places_for, signed, unit_word

MODEL_WORDS = Spoken(
    {
        "offset": say.ONE_OFFSET,
        "line": say.A_STRAIGHT_LINE,
        "quadratic": say.A_QUADRATIC,
        "averaged": say.OFFSET_SLOPE_AND_BEND,
    }
)


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
    return CheckSheet(
        title=_("Check of {instrument}", instrument=instrument.name),
        facts=_facts(book, calibration, channel, len(points)),
        result=say.WHEN_IT_SHOWS_AT_UNIT(
            at=as_number(at, f".{places}f"),
            unit=unit,
            value=signed(value - at, places),
            u=as_number(U, f".{places}f"),
            coverage_factor=c.coverage_factor,
        ),
        points_head=(
            "",
            _("reference"),
            _("it shows"),
            _("true"),
            _("add"),
            _("U of the point"),
            say.OFF_THE_CURVE_IN_U(),
            _("order"),
        ),
        points=_point_rows(points, places),
        budget_head=tuple(_(h) for h in BUDGET_HEAD),
        budget=budget_rows(Budget(tuple(calibrations.budget_of(book.snapshot, calibration.id))), unit),
        verdicts=tuple(verdict_words(v, channel) for v in verdicts(book, channel, c)),
        chain=tuple(chain(book, calibration)),
        table=correction_table(channel, c, working_zone(book, channel)),
        unit=unit,
        correction=c,
        raw_points=tuple(points),
        zone=working_zone(book, channel),
    )


def _facts(book: Book, calibration: Calibration, channel: Channel, points: int) -> tuple[tuple[str, str], ...]:
    unit, c = unit_word(channel.unit), calibration.correction
    done, valid = book.local(calibration.done_ms), calibration.valid_from_ms
    names = methods()
    return (
        (
            _("Instrument"),
            _(
                "{instrument}, {unit}, steps of {resolution:g}",
                instrument=book.instrument(channel.instrument_id).name,
                unit=unit,
                resolution=channel.resolution,
            ),
        ),
        (_("Checked"), f"{dates.moment(done, year=True)}, {_(calibration.conditions.state)}"),
        (_("Method"), ", ".join(names[k].name for k in calibration.conditions.method.split("+") if k in names)),
        (
            _("In use"),
            say.FOR_ALL_ITS_READINGS()
            if valid == 0
            else _("from {valid}", valid=dates.moment(book.local(valid), year=True)),
        ),
        (
            _("Curve"),
            _(
                "{model_words}, {points}, {low:.1f} to {high:.1f} {unit}",
                model_words=MODEL_WORDS[c.model],
                points=count(points, "{n} point", "{n} points"),
                low=c.domain[0],
                high=c.domain[1],
                unit=unit,
            ),
        ),
        (_("Allowed for"), calibration.conditions.notes or _("nothing noted")),
    )


def _point_rows(points: Sequence[CalibrationPoint], places: int) -> tuple[tuple[str, ...], ...]:
    return tuple(
        (
            str(i + 1),
            p.source or _("reference"),
            as_number(p.reading, f".{places}f"),
            as_number(p.reference, f".{places}f"),
            signed(p.reference - p.reading, places),
            as_number(2 * float(np.hypot(p.u_reading, p.u_reference)), f".{places}f"),
            as_number(p.residual, ".1f").replace("-", "−"),
            p.direction,
        )
        for i, p in enumerate(points)
    )


BUDGET_HEAD = (N_("influence"), "u", N_("distribution"), N_("counts times"), N_("contributes"))


def budget_rows(budget: Budget, unit: str) -> tuple[tuple[str, ...], ...]:
    """A budget as rows of text: influence, its u with unit, distribution, sensitivity, contribution; then the sums."""
    if not budget.components:
        return ()
    rows = [
        (
            _(x.label),
            f"{as_number(x.standard_uncertainty, '.3g')} {unit if x.unit in ('', '%') else x.unit}",
            _(x.distribution)
            + (
                ""
                if isinf(x.degrees_of_freedom)
                else _(", {degrees_of_freedom:.0f} free", degrees_of_freedom=x.degrees_of_freedom)
            ),
            as_number(x.sensitivity, ".3g"),
            f"{as_number(x.contribution, '.3f')} {unit}",
        )
        for x in sorted(budget.components, key=lambda x: -x.contribution)
    ]
    dof = budget.effective_dof
    free = _("many") if isinf(dof) or dof > 1000 else as_number(dof, ".0f")
    total = (
        _(
            "together: U = k u = {expanded_uncertainty:.3f} {unit} at 95 %",
            expanded_uncertainty=budget.expanded_uncertainty,
            unit=unit,
        ),
        "",
        _("{free} degrees of freedom", free=free),
        f"k = {as_number(budget.coverage_factor, '.2f')}",
        f"{as_number(budget.standard_uncertainty, '.3f')} {unit}",
    )
    return (*rows, total)


def verdict_words(verdict: ZoneVerdict, channel: Channel) -> str:
    """ "37.2–37.8 °C (North cabinet, setting): can tell, ± 0.12 °C"."""
    unit = unit_word(channel.unit)
    places = 0 if channel.unit == "%" else 1
    word = _("can tell") if verdict.can_decide else _("too coarse")
    U = as_number(verdict.U, f".{places + 1}f")
    ends = (from_inside(v, channel.unit) for v in (verdict.zone.band.low, verdict.zone.band.high))
    span = "–".join(as_number(float(v), f".{places}f") for v in ends)
    return f"{span} {unit} ({verdict.zone.what}): {word}, ± {U} {unit}"


def chain(book: Book, calibration: Calibration) -> list[str]:
    """How a check leads to something outside: its reference, that one's own check or certificate, and so on."""
    lines: list[str] = []
    seen: set[int] = set()
    step: Calibration | None = calibration
    while step is not None and step.id not in seen:
        seen.add(step.id)
        natural = sorted({p.source for p in calibrations.points_of(book.snapshot, step.id) if p.source})
        if step.reference_channel_id is None:
            lines.append(_("Against nature itself: ") + ", ".join(natural) + ".")
            break
        reference = book.channel(step.reference_channel_id)
        name = book.instrument(reference.instrument_id).name
        known = {c.id: c for c in book.corrections.calibrations_of(reference.id)}
        below = step.conditions.reference_calibration_id
        if below is not None:
            nearer = known.get(below)
            when = (
                say.ITS_OWN_CHECK_OF_DONE(done_ms=dates.day(book.local(nearer.done_ms), year=True))
                if nearer
                else _("a check withdrawn since")
            )
            lines.append(_("Against {name}, by {when}.", name=name, when=when))
            step = nearer
            continue
        points = book.corrections.certificate_of(reference.id, step.done_ms)
        if points:
            dated = book.local(points[0].dated_ms)
            U = max(p.expanded_uncertainty for p in points)
            lines.append(
                say.AGAINST_NAME_BY_ITS_CERTIFICATE(
                    name=name,
                    dated=dates.day(dated, year=True),
                    points=count(len(points), "{n} point", "{n} points"),
                    u=U,
                    unit_word=unit_word(reference.unit),
                    coverage_factor=points[0].coverage_factor,
                )
            )
        else:
            lines.append(say.AGAINST_NAME_KNOWN_BY_ITS(name=name, accuracy=reference.accuracy))
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
    return tuple((as_number(s, f".{places}f"), as_number(v, f".{places}f")) for s, v in zip(shown, value, strict=True))
