"""Entering what a keeper has: incubators, instruments and where they hang, certificates, batches."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stathmis.core.course.profile import DayCount
from stathmis.core.errors import UserError
from stathmis.core.units import Quantity, Unit, parse_typed
from stathmis.logbook.edits import Edit
from stathmis.logbook.records import Batch, CertificatePoint, Channel, Incubator, Instrument, Placement, StoredPlan
from stathmis.services.batch import profiles
from stathmis.services.batch.species import species_of
from stathmis.services.book import Book
from stathmis.services.clock import is_zone
from stathmis.services.desk import Desk
from stathmis.words import dates
from stathmis.words import setting_up as say
from stathmis.words.catalogue import N_, Spoken, _, begun
from stathmis.words.numbers import eggs_of


@dataclass(frozen=True)
class NewChannel:
    """One quantity an instrument shows; accuracy is ± this much as its maker states, in its unit."""

    quantity: Quantity
    unit: Unit
    resolution: float
    accuracy: float
    response_s: float | None = None


KINDS = Spoken(
    {
        "lid display": N_("Lid display"),
        "probe": N_("Digital probe"),
        "stick": N_("Stick thermometer"),
        "hygrometer": N_("Hygrometer"),
        "logger": N_("Logger"),
        "lab thermometer": N_("Lab thermometer"),
        "fever thermometer": N_("Fever thermometer"),
        "infrared gun": N_("Infrared gun"),
    }
)

TYPICAL = {"temperature": (0.1, 1.0), "humidity": (1.0, 7.0)}
"""Resolution and accuracy (°C, %) taken where the keeper knows none. Source: common practice, cautious."""
OF_A_KIND: dict[str, dict[Quantity, tuple[float, float]]] = {
    "probe": {"temperature": (0.1, 0.5), "humidity": (1.0, 5.0)},
    "logger": {"temperature": (0.1, 0.5), "humidity": (1.0, 4.0)},
    "hygrometer": {"temperature": (0.1, 1.0), "humidity": (1.0, 7.0)},
    "lab thermometer": {"temperature": (0.1, 0.2)},
    "fever thermometer": {"temperature": (0.1, 0.1)},
    "infrared gun": {"temperature": (0.1, 1.5)},
}
"""The same by kind, where one is usually better or worse. Source: common practice; fever thermometers ± 0.1 °C between
35 and 42 °C."""


def typical(kind: str, quantity: Quantity) -> tuple[float, float]:
    """Resolution and accuracy of a kind where the keeper knows none, °C or %. Source: TYPICAL, OF_A_KIND."""
    return OF_A_KIND.get(kind, {}).get(quantity, TYPICAL[quantity])


def channel_range(quantity: Quantity, unit: Unit, kind: str = "") -> tuple[float, float]:
    """Lowest and highest number such a channel can sensibly show, in its unit."""
    if quantity == "humidity":
        return 0.0, 100.0
    if kind == "fever thermometer":
        return (32.0, 43.0) if unit == "°C" else (90.0, 109.0)
    # up to steam: a probe may be checked there
    return (-10.0, 110.0) if unit == "°C" else (14.0, 230.0)


def _need_name(name: str, what: str) -> str:
    if not name.strip():
        raise UserError(*say.THE_WHAT_NEEDS_A_NAME(what=what))
    return name.strip()


def add_incubator(desk: Desk, name: str, air: str, set_point_c: float | None = None) -> int:
    """Enter an incubator; undoable. air: "forced", "still", or "room" for the room the incubators stand in.

    Raises UserError without a name, with one taken, or for a second room.
    """
    named = _need_name(name, "incubator")
    if any(i.name.casefold() == named.casefold() for i in desk.book.records(Incubator)):
        raise UserError(*say.THERE_IS_AN_INCUBATOR_NAMED(named=named))
    room = desk.book.room()
    if air == "room" and room is not None:
        raise UserError(*say.THE_ROOM_IS_ENTERED_ALREADY(room=room.name))
    (made,) = desk.add(
        _("{named} entered", named=named), [(Incubator, {"name": named, "air": air, "set_point_c": set_point_c})]
    )
    return made


def add_instrument(
    desk: Desk,
    name: str,
    kind: str,
    channels: Sequence[NewChannel],
    *,
    reference: bool = False,
    incubator_id: int | None = None,
    place: str = "",
    at_egg_top: bool = True,
    from_ms: int = 0,
) -> int:
    """Enter an instrument with what it shows, and hang it in an incubator if one is given; undoable.

    from_ms: since when it hangs there, UTC ms; by default all along, so that its logger's older files count too.
    Raises UserError without a name, without a quantity, or with a resolution or accuracy not above 0.
    """
    named = _need_name(name, "instrument")
    if not channels:
        raise UserError(*say.WHAT_DOES_IT_SHOW())
    for channel in channels:
        if not channel.resolution > 0 or not channel.accuracy > 0:
            raise UserError(*say.STEPS_AND_ACCURACY_ARE_NUMBERS())
    with desk.edit(_("{named} entered", named=named)) as edit:
        made = edit.add(Instrument, name=named, kind=kind, role="reference" if reference else "working")
        for channel in channels:
            low, high = channel_range(channel.quantity, channel.unit, kind)
            edit.add(
                Channel,
                instrument_id=made,
                quantity=channel.quantity,
                unit=channel.unit,
                resolution=channel.resolution,
                accuracy=channel.accuracy,
                low=low,
                high=high,
                response_s=channel.response_s,
            )
        if incubator_id is not None:
            _hang(edit, made, incubator_id, place.strip(), at_egg_top=at_egg_top, from_ms=from_ms)
    return made


def _hang(
    edit: Edit,
    instrument_id: int,
    incubator_id: int,
    place: str,
    *,
    at_egg_top: bool,
    from_ms: int,
    batch_id: int | None = None,
) -> None:
    edit.add(
        Placement,
        instrument_id=instrument_id,
        incubator_id=incubator_id,
        place=place or (say.AT_THE_EGG_TOPS() if at_egg_top else _("elsewhere")),
        at_egg_top=at_egg_top,
        from_ms=from_ms,
        to_ms=None,
        batch_id=batch_id,
    )


def move_instrument(
    desk: Desk,
    instrument_id: int,
    incubator_id: int | None,
    *,
    at_egg_top: bool,
    place: str = "",
    batch: Batch | None = None,
) -> None:
    """Hang an instrument somewhere else from now on (None: into the drawer); undoable.

    place: in words; batch: a clutch there, into whose box it goes. Raises UserError when it hangs just so already.
    """
    instrument = desk.book.one(Instrument, instrument_id)
    before = desk.book.records(Placement, instrument_id=instrument_id, to_ms=None)
    box = batch.id if batch is not None else None
    if [(p.incubator_id, p.at_egg_top, p.batch_id) for p in before] == (
        [] if incubator_id is None else [(incubator_id, at_egg_top, box)]
    ):
        raise UserError(*say.INSTRUMENT_HANGS_THERE_ALREADY(instrument=instrument.name))
    now = desk.now_ms
    with desk.edit(_("{instrument} moved", instrument=instrument.name)) as edit:
        for placement in before:
            edit.change(Placement, placement.id, to_ms=now)
        if incubator_id is not None:
            _hang(edit, instrument_id, incubator_id, place, at_egg_top=at_egg_top, from_ms=now, batch_id=box)


def set_place(desk: Desk, name: str, altitude_m: float, zone: str = "") -> None:
    """Name the place, its altitude (m) and its time zone (as before where it is empty); undoable.

    Instants stay as they are logged; what is shown, and where days begin, follows. Raises UserError for an altitude no
    keeper lives at, and a zone nobody knows.
    """
    if zone and not is_zone(zone):
        raise UserError(*dates.no_zone(zone))
    if not -500 <= altitude_m <= 6000:
        raise UserError(*say.ALTITUDE_M_M_IS_NO(altitude_m=altitude_m))
    with desk.edit(_("place changed")) as edit:
        edit.set("name", name.strip())
        edit.set("altitude_m", f"{altitude_m:g}")
        if zone and zone != desk.book.zone:
            edit.set("time_zone", zone)


def read_certificate(text: str) -> list[tuple[float, float, float]]:
    """Points of a certificate as typed: reading, correction and U apart by spaces, points by semicolons.

    Raises UserError for a point that is not three numbers.
    """
    points = []
    for part in text.split(";"):
        cells = part.split()
        if not cells:
            continue
        try:
            reading, correction, U = (parse_typed(c).value for c in cells)
        except ValueError:
            raise UserError(*say.PART_IS_NOT_READING_CORRECTION(part=part.strip())) from None
        points.append((reading, correction, U))
    return points


def add_certificate(
    desk: Desk,
    channel_id: int,
    dated_ms: int,
    points: Sequence[tuple[float, float, float]],
    k: float = 2.0,
    drift_per_year: float = 0.0,
    expires_ms: int | None = None,
) -> None:
    """Enter a reference's certificate, which takes over from an older one on its date; undoable.

    points: reading, correction, U, in the channel's unit; drift_per_year: half-width by which it may move in a year,
    same unit; expires_ms: when it is due again, UTC ms. Raises UserError for no points, U or k not above 0, two points
    at one reading, a date to come or an end before the date.
    """
    if not points:
        raise UserError(*say.THE_CERTIFICATE_NEEDS_A_POINT())
    if any(not U > 0 for _, _, U in points) or not k > 0:
        raise UserError(*say.U_AND_K_ON_A())
    if len({reading for reading, _, _ in points}) < len(points):
        raise UserError(*say.TWO_POINTS_STAND_AT_THE())
    if not drift_per_year >= 0:
        raise UserError(*say.DRIFT_IN_A_YEAR_IS())
    if dated_ms > desk.now_ms:
        raise UserError(*say.THE_CERTIFICATE_IS_DATED_IN())
    if expires_ms is not None and expires_ms <= dated_ms:
        raise UserError(*say.THE_CERTIFICATE_RUNS_OUT_BEFORE())
    channel = desk.book.one(Channel, channel_id)
    if any(not channel.low <= reading <= channel.high for reading, _, _ in points):
        raise UserError(*say.A_CERTIFICATES_READING_LIES_OUTSIDE(low=channel.low, high=channel.high))
    with desk.edit(_("certificate entered")) as edit:
        for reading, correction, U in points:
            edit.add(
                CertificatePoint,
                channel_id=channel_id,
                dated_ms=dated_ms,
                reading=reading,
                correction=correction,
                expanded_uncertainty=U,
                coverage_factor=k,
                drift_per_year=drift_per_year,
                expires_ms=expires_ms,
            )


def change_channel(desk: Desk, channel: Channel, resolution: float, accuracy: float, response_s: float | None) -> None:
    """Mend what was entered about an instrument's display; undoable. Units as in Channel.

    Raises UserError for numbers not above 0.
    """
    if not resolution > 0 or not accuracy > 0 or (response_s is not None and not response_s > 0):
        raise UserError(*say.STEPS_ACCURACY_AND_RESPONSE_TIME())
    with desk.edit(_("instrument changed")) as edit:
        edit.change(Channel, channel.id, resolution=resolution, accuracy=accuracy, response_s=response_s)


def remove_incubator(desk: Desk, incubator: Incubator) -> None:
    """Take an incubator away; undoable, its log stays in the file.

    Raises UserError where a batch runs or is planned in it, or an instrument hangs there.
    """
    running = [b.name for b in desk.book.records(Batch) if b.incubator_id == incubator.id and b.ended_ms is None]
    planned = [p.name for p in desk.book.records(StoredPlan) if p.incubator_id == incubator.id and p.batch_id is None]
    hanging = [i.name for i, _, _ in desk.book.hanging_in(incubator.id, desk.now_ms)]
    if running:
        raise UserError(*say.RUNNING_IS_SET_IN_INCUBATOR(running=running[0], incubator=incubator.name))
    if planned:
        raise UserError(*say.PLANNED_IS_PLANNED_FOR_INCUBATOR(planned=planned[0], incubator=incubator.name))
    if hanging:
        raise UserError(*say.THE_HANGING_HANGS_IN_INCUBATOR(hanging=hanging[0], incubator=incubator.name))
    desk.strike(_("{incubator} taken away", incubator=incubator.name), Incubator, [incubator.id])


def set_batch(
    desk: Desk,
    incubator: Incubator,
    name: str,
    species: str,
    regime: str,
    eggs: int,
    set_ms: int,
    day_count: DayCount = "from 0",
) -> int:
    """Set a batch in an incubator at a time (UTC ms), beside others if there are any; undoable.

    Raises UserError for no eggs, and for a regime the species cannot keep.
    """
    if eggs < 1:
        raise UserError(*say.HOW_MANY_EGGS())
    if regime not in {c.key for c in profiles.choices(desk.book, species)}:
        kept = species_of(desk.book, species).name
        raise UserError(*say.KEPT_EGGS_CANNOT_FOLLOW_THAT(kept=begun(kept)))
    named = name.strip() or eggs_of(eggs, species_of(desk.book, species).name)
    with desk.edit(_("{named} set", named=named)) as edit:
        return edit.add(
            Batch,
            incubator_id=incubator.id,
            name=named,
            species=species,
            regime=regime,
            eggs=eggs,
            set_ms=set_ms,
            ended_ms=None,
            day_count=day_count,
        )


def usual_day_count(book: Book) -> DayCount:
    """How this keeper numbers days: as in the newest batch."""
    known = book.records(Batch)
    return known[-1].day_count if known else "from 0"


def end_batch(desk: Desk, batch: Batch) -> None:
    """End a batch now; undoable."""
    with desk.edit(_("{batch} ended", batch=batch.name)) as edit:
        edit.change(Batch, batch.id, ended_ms=desk.now_ms)
