"""Warm and cold places in an incubator, and the layers of still air: typed readings to a picture and advice."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import hypot, sqrt

import numpy as np

from stathmis.core.checks.places import Evenness, Layers, evenness, layers
from stathmis.core.checks.straight_line import FitError
from stathmis.core.errors import UserError
from stathmis.core.units import difference_to_inside, parse_typed
from stathmis.logbook import surveys
from stathmis.logbook.records import Channel, Incubator, Survey, SurveyPoint
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.findings.corrections import resolution_u
from stathmis.services.instruments.reference_values import FieldError, number_in, readings_in
from stathmis.words.catalogue import _
from stathmis.words.instruments import places as say

PLACES = (
    ("back left", "back", "back right"),
    ("left", "middle", "right"),
    ("front left", "front", "front right"),
)
"""Places seen from above, the door or window at the front."""

SWING_K = 0.1
"""Half-width of the thermostat's swing while the instrument is moved on, K. Source: common practice; editable."""

WORTH_ROTATING_K = 0.3
"""A spread of this much between places is worth moving eggs round for, K. Source: common practice (half a band)."""


@dataclass(frozen=True)
class Cell:
    """One place as typed: which instrument (channel) stood there, what it showed, and its height for layers."""

    place: str
    channel_id: int | None
    typed: str
    height: str = ""


@dataclass(frozen=True)
class Found:
    """A place that could be read: corrected value (°C), its own standard uncertainty, and the raw mean."""

    cell: Cell
    channel: Channel
    value: float
    u_own: float
    reading: float
    height_cm: float | None


@dataclass(frozen=True)
class PlacesResult:
    """What a survey says: places found, problems by place and field, and the comparison (None while too few)."""

    found: tuple[Found, ...]
    problems: tuple[tuple[str, str, str], ...]
    even: Evenness | None = None
    layered: Layers | None = None


def compare_places(book: Book, cells: Sequence[Cell], swing: str) -> PlacesResult:
    """Compare places from one or several instruments. swing: half-width of the thermostat's cycles as typed, in the
    keeper's temperature unit."""
    found, problems = _read(book, cells, swing, with_height=False)
    even = None
    if len(found) >= 2:
        groups, u_group = _groups(book, found)
        even = evenness([f.value for f in found], [f.u_own for f in found], groups, u_group)
    return PlacesResult(tuple(found), tuple(problems), even)


def compare_heights(book: Book, cells: Sequence[Cell], swing: str, egg_top: str) -> PlacesResult:
    """The gradient of still air and the temperature at egg-top height (cm over the floor, as typed)."""
    found, problems = _read(book, cells, swing, with_height=True)
    layered = None
    try:
        top = number_in(egg_top, "egg_top", say.THE_HEIGHT_OF_THE_EGG(), 0.0, 100.0)
        if len(found) >= 2:
            groups, u_group = _groups(book, found)
            shared = max(u_group) if len(set(groups)) == 1 else 0.0
            own = [f.u_own if shared else hypot(f.u_own, u_group[g]) for f, g in zip(found, groups, strict=True)]
            heights = [f.height_cm or 0.0 for f in found]
            layered = layers(heights, [f.value for f in found], own, top, shared)
    except FieldError as error:
        problems.append(("", error.field, str(error)))
    except FitError:
        problems.append(("", "height", say.BOTH_READINGS_ARE_AT_ONE()))
    return PlacesResult(tuple(found), tuple(problems), None, layered)


def _read(
    book: Book, cells: Sequence[Cell], swing: str, *, with_height: bool
) -> tuple[list[Found], list[tuple[str, str, str]]]:
    found: list[Found] = []
    problems: list[tuple[str, str, str]] = []
    try:
        half = number_in(swing, "swing", say.THE_SWING_OF_THE_THERMOSTAT(), 0.0, 10.0)
        u_swing = float(difference_to_inside(half, book.temperature_unit)) / sqrt(3.0)
    except FieldError as error:
        return [], [("", "swing", str(error))]
    for cell in cells:
        if not cell.typed.strip():
            continue
        try:
            if cell.channel_id is None:
                raise FieldError("instrument", say.CHOOSE_THE_INSTRUMENT_THAT_STOOD())
            channel = book.channel(cell.channel_id)
            shown = readings_in(cell.typed, channel, "typed")
            height = number_in(cell.height, "height", say.THE_HEIGHT(), 0.0, 100.0) if with_height else None
        except FieldError as error:
            problems.append((cell.place, error.field, str(error)))
            continue
        mean = float(np.mean(shown))
        corrected = book.corrections.correct(channel, mean, book.now_ms)
        scatter = float(np.std(shown, ddof=1)) / sqrt(len(shown)) if len(shown) > 1 else 0.0
        own = hypot(scatter, resolution_u(channel))
        u_own = hypot(float(difference_to_inside(own, channel.unit)), u_swing)
        found.append(Found(cell, channel, corrected.value, u_own, mean, height))
    return found, problems


def _groups(book: Book, found: Sequence[Found]) -> tuple[list[int], list[float]]:
    """Which instrument read each place, and the standard uncertainty of each one's correction."""
    order = list(dict.fromkeys(f.channel.id for f in found))
    u_group = []
    for channel_id in order:
        own = next(f for f in found if f.channel.id == channel_id)
        _, u = book.corrections.in_force(own.channel, book.now_ms).curve.apply(own.reading)
        u_group.append(float(difference_to_inside(u, own.channel.unit)))
    return [order.index(f.channel.id) for f in found], u_group


def keep_survey(desk: Desk, incubator: Incubator, result: PlacesResult, egg_top: str | None) -> None:
    """Keep a survey; undoable. egg_top: height as typed, for heights.

    Raises UserError while it has problems or fewer than two places.
    """
    if result.problems or len(result.found) < 2:
        raise UserError(*say.TWO_PLACES_OR_MORE_ARE())
    kind = "heights" if result.layered is not None else "places"
    egg_top_cm = parse_typed(egg_top).value if egg_top is not None else None
    with desk.edit(_("survey kept")) as edit:
        made = edit.add(Survey, incubator_id=incubator.id, done_ms=desk.now_ms, kind=kind, egg_top_cm=egg_top_cm)
        for f in result.found:
            edit.add(
                SurveyPoint,
                survey_id=made,
                channel_id=f.channel.id,
                place=f.cell.place,
                height_cm=f.height_cm,
                typed=f.cell.typed.strip(),
                reading=f.reading,
                u_own=f.u_own,
            )


def newest_survey(book: Book, incubator: Incubator, kind: str) -> tuple[Survey, list[SurveyPoint]] | None:
    """The newest survey of a kind kept for an incubator."""
    return next((s for s in surveys.surveys(book.snapshot, incubator.id) if s[0].kind == kind), None)


def from_survey(book: Book, survey: Survey, points: Sequence[SurveyPoint]) -> PlacesResult:
    """A survey kept before, compared anew with the corrections as they were known to hold then."""
    found = []
    for p in points:
        channel = book.channel(p.channel_id)
        corrected = book.corrections.correct(channel, p.reading, survey.done_ms)
        cell = Cell(p.place, p.channel_id, p.typed)
        found.append(Found(cell, channel, corrected.value, p.u_own, p.reading, p.height_cm))
    groups, u_group = _groups(book, found)
    even = evenness([f.value for f in found], [f.u_own for f in found], groups, u_group)
    return PlacesResult(tuple(found), (), even)
