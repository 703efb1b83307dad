"""The demo's instruments: how each sees the truth, where it hangs, and the checks it has been through."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from stathmis.core.fixed_points import salt_humidity
from stathmis.core.units import Quantity
from stathmis.devices.simulated_incubator import SimulatedSensor
from stathmis.logbook.records import Channel, Incubator
from stathmis.services import setting_up
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.instruments import checking, draft, places
from stathmis.services.setting_up import NewChannel
from stathmis.words.catalogue import N_, _
from stathmis.words.numbers import typed_text


def sensor(offset: float, slope: float, noise: float, resolution: float, lag_min: float = 0.0) -> SimulatedSensor:
    return SimulatedSensor(offset, slope, 0.0, noise, resolution, 60.0 * lag_min)


Channels = dict[tuple[str, str], Channel]


@dataclass(frozen=True)
class Face:
    """An instrument of the drawer: its channels as (quantity, sensor, stated accuracy)."""

    name: str
    kind: str
    channels: tuple[tuple[Quantity, SimulatedSensor, float], ...]
    place: str = N_("at the egg tops")
    at_egg_top: bool = True
    over_eggs_cm: float = 0.0


ROUND = sensor(13.0, 0.88, 0.3, 1.0, 12.0)
"""The round hygrometer as it is now; it read lower in the years before."""

CABINET = (
    Face(
        N_("Lid display"),
        "lid display",
        (
            ("temperature", sensor(-0.85, 1.009, 0.03, 0.1), 1.0),
            ("humidity", sensor(9.0, 0.93, 0.4, 1.0, 5.0), 9.0),
        ),
        N_("built in, under the lid"),
    ),
    Face(N_("Blue probe"), "probe", (("temperature", sensor(0.12, 1.0, 0.02, 0.1, 2.0), 0.5),)),
    Face(N_("Long stick"), "stick", (("temperature", sensor(0.35, 1.0, 0.05, 0.5, 9.0), 0.8),)),
    Face(N_("Round hygrometer"), "hygrometer", (("humidity", ROUND, 5.0),)),
    Face(
        N_("Shelf logger"),
        "logger",
        (
            ("temperature", sensor(-0.21, 1.0, 0.01, 0.01, 2.0), 0.5),
            ("humidity", sensor(2.4, 0.97, 0.1, 0.1, 3.0), 3.0),
        ),
    ),
)
STILL_BOX = (
    Face(
        N_("Box dial"),
        "lid display",
        (("temperature", sensor(0.6, 1.0, 0.05, 0.5, 6.0), 1.0),),
        N_("in the lid, 6 cm above the eggs"),
        at_egg_top=False,
        over_eggs_cm=6.0,
    ),
    Face(N_("Red probe"), "probe", (("temperature", sensor(-0.18, 1.0, 0.02, 0.1, 2.0), 0.5),)),
    Face(N_("Card hygrometer"), "hygrometer", (("humidity", sensor(-4.0, 1.0, 0.4, 1.0, 10.0), 6.0),)),
)

ROOM = (
    Face(
        N_("Wall hygrometer"),
        "hygrometer",
        (
            ("temperature", sensor(0.4, 1.0, 0.05, 0.1, 6.0), 1.0),
            ("humidity", sensor(-3.0, 1.0, 0.4, 1.0, 10.0), 5.0),
        ),
        N_("on the wall, at the height of the machines"),
    ),
)


def references(desk: Desk, clock: FixedClock, now_ms: int) -> None:
    clock.at_ms = now_ms - 250 * DAY_MS
    setting_up.add_instrument(
        desk, _("Certified probe"), "lab thermometer", [NewChannel("temperature", "°C", 0.01, 0.1)], reference=True
    )
    setting_up.add_instrument(
        desk, _("Bench hygrometer"), "hygrometer", [NewChannel("humidity", "%", 0.1, 2.0)], reference=True
    )
    certificates = (
        [(0.0, 0.02, 0.04), (20.0, 0.03, 0.04), (37.5, 0.05, 0.04), (45.0, 0.05, 0.05)],
        [(33.0, 0.6, 1.2), (53.0, 0.4, 1.2), (75.0, -0.3, 1.4)],
    )
    drifts = (0.02, 0.5)
    for channel, points, drift in zip(desk.book.records(Channel), certificates, drifts, strict=True):
        setting_up.add_certificate(desk, channel.id, clock.at_ms, points, drift_per_year=drift)


def hang(desk: Desk, faces: tuple[Face, ...], incubator_id: int, from_ms: int) -> Channels:
    found: Channels = {}
    for face in faces:
        made = setting_up.add_instrument(
            desk,
            _(face.name),
            face.kind,
            [
                NewChannel(quantity, "°C" if quantity == "temperature" else "%", sensor.resolution, accuracy)
                for quantity, sensor, accuracy in face.channels
            ],
            incubator_id=incubator_id,
            place=_(face.place),
            at_egg_top=face.at_egg_top,
            from_ms=from_ms,
        )
        for channel in desk.book.records(Channel, instrument_id=made):
            found[face.name, channel.quantity] = channel
    return found


def check(
    desk: Desk, channel: Channel, sensor: SimulatedSensor, rng: np.random.Generator, at: tuple[float, ...]
) -> None:
    """Compare with the reference at true values, two readings each, and put the correction to use from then on."""
    reference = checking.references(desk.book, channel)[0][1]
    points = desk.book.corrections.certificate_of(reference.id)
    taken = draft.new_draft(channel, desk.book.altitude_m, "side")
    taken.sets[0].reference_id = reference.id
    taken.sets[0].rows = []
    for true in at:
        correction = float(np.interp(true, [p.reading for p in points], [p.correction for p in points]))
        spread = 0.02 if channel.quantity == "temperature" else 0.4
        shown = sensor.series(np.full(2, true + rng.normal(0.0, spread)), 60.0, rng)
        step = reference.resolution
        ref = np.round((true - correction + rng.normal(0.0, spread / 2, 2)) / step) * step
        row = draft.Row(" ".join(typed_text(v, channel.resolution) for v in shown))
        row.cells["reference"] = " ".join(typed_text(v, step) for v in ref)
        taken.sets[0].rows.append(row)
    checking.put_to_use(desk, taken, checking.evaluate(desk.book, taken), desk.now_ms)


def salt_jars(desk: Desk, channel: Channel, sensor: SimulatedSensor, rng: np.random.Generator) -> None:
    """Three jars at room temperature, and the correction put to use from then on."""
    taken = draft.new_draft(channel, desk.book.altitude_m, "salt")
    taken.sets[0].rows = []
    for salt in ("MgCl2", "Mg(NO3)2", "NaCl"):
        true = salt_humidity(salt, 21.5)[0] + rng.normal(0.0, 0.3)
        shown = sensor.series(np.full(3, true), 60.0, rng)
        row = draft.Row(" ".join(typed_text(v, channel.resolution) for v in shown), {"salt": salt, "jar": "21.5C"})
        taken.sets[0].rows.append(row)
    checking.put_to_use(desk, taken, checking.evaluate(desk.book, taken), desk.now_ms)


def survey_places(desk: Desk, incubator: Incubator, rng: np.random.Generator) -> None:
    """The certified probe moved through nine places of the empty cabinet."""
    probe = desk.book.records(Channel)[0]
    off = {"back left": 0.14, "back": 0.22, "back right": 0.17, "front left": -0.24, "front": -0.12}
    cells = []
    for name in (n for row in places.PLACES for n in row):
        true = 37.55 + off.get(name, -0.16 if name == "front right" else 0.0) + rng.normal(0.0, 0.03, 3)
        cells.append(places.Cell(name, probe.id, " ".join(f"{v:.2f}" for v in true)))
    places.keep_survey(desk, incubator, places.compare_places(desk.book, cells, "0.1"), None)
