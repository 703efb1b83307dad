"""What a keeper without a reference has in the house: what each of it would tell of an instrument, computed."""

from __future__ import annotations

from dataclasses import dataclass
from math import hypot, sqrt
from typing import Literal

from stathmis.core.moisture import TERM_SPREAD
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import difference_to_inside, from_inside
from stathmis.logbook.records import CertificatePoint, Channel, Incubator, Instrument, Placement, StoredCalibration
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services.batch import batches
from stathmis.services.batch.batches import COURSES_REST_ON
from stathmis.services.book import Book, finding
from stathmis.services.desk import Desk
from stathmis.services.eggs.tray import TRAY_RESTS_ON
from stathmis.services.instruments import checking
from stathmis.services.instruments.by_hatches import u_by_hatches
from stathmis.services.instruments.draft import Row, new_draft
from stathmis.services.instruments.zones import working_zone
from stathmis.services.setting_up import typical
from stathmis.words.catalogue import _, as_number

Thing = Literal["fever", "ice", "kettle", "salt", "scale", "hatches"]
THINGS: tuple[Thing, ...] = ("fever", "ice", "kettle", "salt", "scale", "hatches")
METHODS: dict[Thing, str] = {"fever": "fever", "ice": "ice", "kettle": "steam", "salt": "salt"}
"""The way of checking each goes with; by the scale and by past hatches nothing is checked point by point."""
MOIST = ("salt", "scale")
"""What tells of a hygrometer; the others of a thermometer."""
FEVER = "fever thermometer"
BUILT_IN = "lid display"
DRY = (BUILT_IN, "hygrometer", FEVER)
"""Kinds that nobody dips into water or steam; one that is built in goes into no jar either."""
HOT = ("probe", "logger")
"""Kinds that may stand boiling water."""
IN_WATER_K, IN_AIR_K = 0.05, 0.3
"""How far two tips are apart in a stirred flask, and in the air of a box whose highest a fever thermometer holds (half-
widths). Source: common practice."""


@dataclass(frozen=True)
class Told:
    """What a thing would tell: U of a corrected reading at the working point, K or %, and whether that is enough for
    the band."""

    thing: Thing
    U: float
    enough: bool


@finding(
    StoredCalibration, CertificatePoint, Instrument, Channel, Placement, *COURSES_REST_ON, *TRAY_RESTS_ON, SETTINGS
)
def ways(book: Book, channel: Channel) -> list[Told]:
    """What the things at hand would tell of a channel, the best first; nothing of what cannot check it."""
    found = []
    for thing in THINGS:
        if thing not in book.settings.at_hand or (thing in MOIST) == (channel.quantity == "temperature"):
            continue
        kind = book.instrument(channel.instrument_id).kind
        if thing == "fever" and _in_the_room(book, channel):
            # good from 35 °C on only
            continue
        dipped = thing in ("ice", "kettle")
        if thing == "salt" and kind == BUILT_IN:
            continue
        if (dipped and kind in DRY) or (thing == "kettle" and kind not in HOT) or (thing == "fever" and kind == FEVER):
            continue
        U = _told(book, channel, kind, thing)
        if U is not None:
            low, high = working_zone(book, channel)
            found.append(Told(thing, U, 0.5 * (high - low) > U))
    return sorted(found, key=lambda t: t.U)


def best(book: Book, channel: Channel, U_now: float) -> Told | None:
    """The way at hand that makes a channel surest, if surer than it is now (U, K or %); else the scale, for eggs that
    are weighed say themselves what to hold. None where neither is at hand."""
    told = ways(book, channel)
    surer = [t for t in told if t.thing != "scale" and U_now > t.U]
    return next(iter(surer or [t for t in told if t.thing == "scale"]), None)


def _told(book: Book, channel: Channel, kind: str, thing: Thing) -> float | None:
    if thing == "fever":
        return _by_fever(book, channel, kind)
    if thing == "scale":
        return _by_scale(book, channel)
    if thing == "hatches":
        u = u_by_hatches(book, channel)
        step = float(difference_to_inside(channel.resolution, channel.unit)) / sqrt(12.0)
        return NORMAL_95 * hypot(u, step) if u is not None else None
    return _by_method(book, channel, thing)


def hangs_in(book: Book, channel: Channel) -> Incubator | None:
    """The machine a channel hangs in now."""
    for incubator in book.incubators():
        if any(channel in own for *_, own in book.hanging_in(incubator.id, book.now_ms)):
            return incubator
    return None


def _by_scale(book: Book, channel: Channel) -> float | None:
    """U of what the loss of eggs tells of a hygrometer beside them: no better than their shells are known.

    Source: loss = G (ps - e): the relative uncertainty of G is that of the deficit.
    """
    incubator = hangs_in(book, channel)
    course = batches.running(book, incubator) if incubator is not None else None
    if course is None or course.species.kind != "bird":
        return None
    low, high = working_zone(book, channel)
    return NORMAL_95 * TERM_SPREAD * (100.0 - 0.5 * (low + high))


def _in_the_room(book: Book, channel: Channel) -> bool:
    room = book.room()
    hangs = book.hanging_in(room.id, book.now_ms) if room is not None else []
    return any(instrument.id == channel.instrument_id for instrument, _, _ in hangs)


def _by_method(book: Book, channel: Channel, thing: Thing) -> float | None:
    """U after one point by a fixed point of nature, as the check itself would find it."""
    draft = new_draft(channel, book.altitude_m or 0.0, METHODS[thing])
    shown = {"ice": 0.0, "kettle": 98.0}.get(thing)
    text = "75" if shown is None else as_number(float(from_inside(shown, channel.unit)), ".1f")
    cells = {"salt": "NaCl", "jar": "22C"} if thing == "salt" else {}
    draft.sets[0].rows[0] = Row(text, cells)
    found = checking.evaluate(book, draft)
    if found.correction is None:
        return None
    return float(difference_to_inside(found.corrected_at(found.at)[1], channel.unit))


def _by_fever(book: Book, channel: Channel, kind: str) -> float:
    """U after a comparison with a fever thermometer: one of the logbook's, else a usual one. Source: JCGM 100."""
    step, accuracy = typical(FEVER, "temperature")
    theirs = _fever(book)
    if theirs is not None:
        step, accuracy = (float(difference_to_inside(v, theirs.unit)) for v in (theirs.resolution, theirs.accuracy))
    own = float(difference_to_inside(channel.resolution, channel.unit))
    apart = IN_AIR_K if kind in DRY else IN_WATER_K
    # the display's steps act while it is compared, and again when it is read
    parts = (accuracy / sqrt(3.0), step / sqrt(12.0), apart / sqrt(3.0), own / sqrt(12.0), own / sqrt(12.0))
    return NORMAL_95 * sqrt(sum(p * p for p in parts))


def _fever(book: Book) -> Channel | None:
    """The logbook's own fever thermometer."""
    kinds = {i.id: i.kind for i in book.records(Instrument)}
    return next((c for c in book.records(Channel) if kinds.get(c.instrument_id) == FEVER), None)


def choose(desk: Desk, thing: Thing, *, here: bool) -> None:
    """Say that a thing is at hand, or is not; undoable."""
    now = desk.book.settings.at_hand
    after = now | {thing} if here else now - {thing}
    with desk.edit(_("things at hand")) as edit:
        edit.set("at_hand", " ".join(sorted(after)))
