"""What a keeper should know about a check but may overrule: doubtful references, copied rows, points off the curve."""

from __future__ import annotations

from collections.abc import Sequence

from stathmis.core.calibration import Fit
from stathmis.core.units import from_inside
from stathmis.logbook.records import Channel
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS
from stathmis.services.instruments.draft import Draft, PointSet
from stathmis.services.instruments.points import Point, Problem
from stathmis.services.instruments.zones import working_point
from stathmis.words import dates
from stathmis.words.catalogue import _
from stathmis.words.instruments import checks as say

CHECK_EVERY_DAYS = {"temperature": 365, "humidity": 182}
"""Thermometers yearly, hygrometers every half year. Source: common practice."""


def doubts(book: Book, draft: Draft, points: Sequence[Point], fitted: Fit | None) -> list[Problem]:
    """What the keeper should know but may overrule."""
    found: list[Problem] = []
    for i, taken in enumerate(draft.sets):
        if taken.method.needs_instrument and taken.reference_id is not None:
            text = _reference_doubt(book, draft.channel, taken, [p for p in points if p.set_index == i])
            found += [Problem(i, -1, "reference_id", text)] if text else []
    seen: dict[tuple[str, str, str], Point] = {}
    for p in points:
        before = seen.setdefault((p.shown, p.reference_shown, p.direction), p)
        if before is not p:
            text = say.THE_SAME_AS_ROW_ROW(row=before.row + 1)
            found.append(Problem(p.set_index, p.row, "shown", text))
    if fitted is not None:
        found += _one_end(book, draft.channel, fitted)
        for index in fitted.suspects:
            p = points[index]
            text = say.OFF_THE_CURVE_BY_RESIDUALS(
                residuals=abs(fitted.residuals[index]), residual_limit=fitted.residual_limit
            )
            found.append(Problem(p.set_index, p.row, "shown", text))
    return found


def _one_end(book: Book, channel: Channel, fitted: Fit) -> list[Problem]:
    low, high = fitted.correction.domain
    wanted = fitted.correction.reading_for(working_point(book, channel))
    far = 3.0 if channel.unit == "°C" else 5.4 if channel.unit == "°F" else 10.0
    if low - far <= wanted <= high + far:
        return []
    unit = "%" if channel.unit == "%" else channel.unit
    span = (
        _("at {low:.1f} {unit}", low=low, unit=unit)
        if high - low < 0.05
        else _("between {low:.1f} and {high:.1f} {unit}", low=low, high=high, unit=unit)
    )
    text = say.ALL_POINTS_LIE_SPAN_AND(span=span, wanted=wanted, unit=unit)
    return [Problem(-1, -1, "points", text)]


def _reference_doubt(book: Book, channel: Channel, taken: PointSet, points: Sequence[Point]) -> str:
    """What is doubtful about a reference: due, out of its range, unchecked, or worse than what is checked."""
    assert taken.reference_id is not None
    other = book.channel(taken.reference_id)
    name = book.instrument(other.instrument_id).name
    force = book.corrections.in_force(other, book.now_ms)
    expires = certificate_expires_ms(book, other)
    if force.basis == "certificate" and expires is not None and book.now_ms > expires:
        ended = dates.day(book.local(expires), year=True)
        return say.THE_CERTIFICATE_OF_NAME_RAN(name=name, ended=ended)
    if force.basis == "stated accuracy":
        return say.NAME_WAS_NEVER_CHECKED_ITSELF(name=name)
    low, high = force.curve.domain
    read = [float(from_inside(p.reference, other.unit)) if other.unit != channel.unit else p.reference for p in points]
    if channel.quantity == other.quantity and read and (min(read) < low - 1.0 or max(read) > high + 1.0):
        unit = "%" if other.unit == "%" else other.unit
        return say.NAME_WAS_CHECKED_FROM_LOW(name=name, low=low, high=high, unit=unit)
    own = book.corrections.correct(channel, working_point(book, channel), book.now_ms).U
    theirs = book.corrections.correct(other, working_point(book, other), book.now_ms).U
    if channel.quantity == other.quantity and own < theirs:
        return say.NAME_THEIRS_IS_LESS_SURE(name=name, theirs=theirs, own=own)
    return ""


def certificate_expires_ms(book: Book, channel: Channel) -> int | None:
    """When a reference's certificate runs out, UTC ms: as written on it, else by the trade's interval."""
    points = book.corrections.certificate_of(channel.id, book.now_ms)
    if not points:
        return None
    written = points[0].expires_ms
    return points[0].dated_ms + CHECK_EVERY_DAYS[channel.quantity] * DAY_MS if written is None else written
