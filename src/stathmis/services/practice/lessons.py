"""Lessons: what stands in the egg room, what it is worth believing, and what goes wrong in it, each for one skill."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Literal

from stathmis.core.hatch.review import CAUSES
from stathmis.core.units import Quantity
from stathmis.devices.simulated_incubator import Machine, SimulatedSensor
from stathmis.words.catalogue import N_

What = Literal["power", "turner stuck", "helper", "cold night", "warm day"]


@dataclass(frozen=True)
class Display:
    """An instrument: its name and kind, what it shows and how it lies; logger: it writes by itself; reference: it can
    be believed."""

    name: str
    kind: str
    shows: tuple[tuple[Quantity, SimulatedSensor], ...]
    logger: bool = False
    reference: bool = False


@dataclass(frozen=True)
class Mishap:
    """Something that comes by itself: on which day, for how many hours (a colder night: K in amount)."""

    what: What
    day: float
    hours: float = 0.0
    amount: float = 0.0


@dataclass(frozen=True)
class Lesson:
    """What is practised. begins: on which day of the batch it is taken over; machine: as it truly is; room: °C, its
    swing, and how it wanders; displays; mishaps; age_d, posted: of the eggs; planted: the cause a review should name
    (a key of core.hatch.review.CAUSES, "" for none)."""

    key: str
    species: str
    eggs: int
    machine: Machine
    displays: tuple[Display, ...]
    mishaps: tuple[Mishap, ...] = ()
    begins: float = -0.1
    room_c: float = 21.0
    room_swing_k: float = 1.5
    room_wander_k: float = 0.5
    room_rh: float = 45.0
    age_d: float = 4.0
    posted: float = 0.0
    planted: str = ""
    surfaces: tuple[tuple[str, float, float], ...] = field(
        default=((N_("long trough"), 110.0, 170.0), (N_("short trough"), 80.0, 120.0), (N_("hatch tray"), 600.0, 900.0))
    )
    vent: float = 0.33


def _thermometer(offset: float, step: float = 0.1, noise: float = 0.03, slope: float = 1.0) -> SimulatedSensor:
    return SimulatedSensor(offset=offset, slope=slope, noise=noise, resolution=step, lag_s=120.0)


def _hygrometer(offset: float, step: float = 1.0, drift: float = 0.0) -> SimulatedSensor:
    return SimulatedSensor(offset=offset, noise=0.4, resolution=step, lag_s=240.0, drift_per_day=drift)


def _fault(measured: str, side: float) -> str:
    """The cause a review should name, by what is measured for it and on which side it is usual."""
    return next(c.key for c in CAUSES if c.measured == measured and c.usual * side > 0)


MACHINE = Machine(
    set_point_c=37.5, differential_k=0.2, heater_w=60.0, heater_lag_s=90.0, volume_l=45.0, air_j_per_k=2500.0,
    water_cm2=110.0, trough_ml=170.0, vent=0.33, eggs=24, egg_g=58.0, leak_l_s=0.02, vent_l_s=0.12,
)  # fmt: skip
LOGGER = Display(
    N_("Shelf logger"), "logger", (("temperature", _thermometer(0.05, 0.01)), ("humidity", _hygrometer(1.0, 0.1))),
    logger=True,
)  # fmt: skip
FEVER = Display(
    N_("Fever thermometer"), "fever thermometer", (("temperature", _thermometer(0.03, 0.1, 0.02)),), reference=True
)
LID = Display(N_("Lid display"), "lid display", (("temperature", _thermometer(0.0)), ("humidity", _hygrometer(0.0))))
STICK = Display(N_("Stick thermometer"), "stick", (("temperature", _thermometer(-0.1, 0.5)),))

LESSONS: dict[str, Lesson] = {
    one.key: one
    for one in (
        Lesson(
            "believe", "chicken", 24, replace(MACHINE, set_point_c=36.6),
            (replace(LID, shows=(("temperature", _thermometer(0.9)), ("humidity", _hygrometer(4.0)))), STICK, FEVER),
            planted=_fault("mean_k", -1.0),
        ),
        Lesson(
            "dry cupboard", "chicken", 24, replace(MACHINE, leak_l_s=0.035, water_cm2=80.0, trough_ml=120.0),
            (replace(LID, shows=(("temperature", _thermometer(0.1)), ("humidity", _hygrometer(14.0)))), LOGGER),
            room_rh=28.0, room_c=22.5, planted=_fault("loss_off", 1.0),
            surfaces=(("cup", 80.0, 120.0), (N_("long trough"), 150.0, 230.0), (N_("hatch tray"), 700.0, 1050.0)),
        ),
        Lesson(
            "cold night", "chicken", 24, replace(MACHINE, heater_w=34.0), (LID, LOGGER),
            (Mishap("cold night", 3.5, 10.0, 8.0), Mishap("cold night", 4.5, 10.0, 9.0), Mishap("power", 8.6, 2.5),
             Mishap("cold night", 10.5, 10.0, 10.0), Mishap("cold night", 11.5, 10.0, 10.0)),
            room_c=17.5, room_swing_k=2.5, planted=_fault("swing_k", 1.0),
        ),
        Lesson(
            "posted eggs", "chicken", 24, MACHINE, (LID, LOGGER), begins=-1.0, age_d=11.0, posted=1.0,
            planted=_fault("stored_over_days", 1.0),
        ),
        Lesson(
            "at the pip", "chicken", 24, replace(MACHINE, water_cm2=190.0, trough_ml=290.0), (LID, LOGGER),
            (Mishap("helper", 20.4),), begins=17.5, planted=_fault("openings_at_pip", 1.0),
        ),
        Lesson(
            "hurry", "chicken", 24, replace(MACHINE, water_cm2=80.0, trough_ml=120.0), (LID, LOGGER),
            begins=17.6, room_rh=35.0, planted=_fault("lockdown_rh_off", -1.0),
        ),
        Lesson(
            "season", "coturnix", 30, replace(MACHINE, egg_g=12.0, eggs=30, set_point_c=38.2),
            (replace(LID, shows=(("temperature", _thermometer(-0.6)), ("humidity", _hygrometer(-6.0, drift=0.3)))),
             LOGGER, FEVER),
            (Mishap("power", 4.4, 3.0), Mishap("turner stuck", 6.0, 60.0), Mishap("helper", 16.6)),
            planted=_fault("lockdown_rh_off", -1.0),
        ),
    )
}  # fmt: skip
"""The ladder, in its order."""
FREE = "free"


def lesson_of(key: str, seed: int) -> Lesson:
    """A lesson by its key; a free run by its number, drawn from that. Raises KeyError for any other key."""
    if key != FREE:
        return LESSONS[key]
    import numpy as np

    rng = np.random.default_rng([seed, 77])
    off = float(rng.normal(0.0, 0.5))
    mishaps = [
        Mishap("power", float(rng.uniform(2, 17)), float(rng.uniform(1, 6))),
        Mishap("cold night", float(rng.integers(2, 18)) + 0.5, 10.0, float(rng.uniform(3, 12))),
    ]
    if rng.random() < 0.5:
        mishaps.append(Mishap("turner stuck", float(rng.uniform(2, 10)), 72.0))
    if rng.random() < 0.5:
        mishaps.append(Mishap("helper", float(rng.uniform(20.1, 20.9))))
    machine = replace(
        MACHINE,
        set_point_c=37.5 - off,
        heater_w=float(rng.uniform(35, 80)),
        leak_l_s=float(rng.uniform(0.012, 0.035)),
        vent_l_s=float(rng.uniform(0.08, 0.2)),
        differential_k=float(rng.uniform(0.1, 0.5)),
    )
    lid = replace(LID, shows=(("temperature", _thermometer(off)), ("humidity", _hygrometer(float(rng.normal(0, 7))))))
    return Lesson(
        FREE, "chicken", 24, machine, (lid, LOGGER, FEVER), tuple(mishaps),
        room_c=float(rng.uniform(18, 24)), room_swing_k=float(rng.uniform(0.5, 3)),
        room_rh=float(rng.uniform(28, 62)), age_d=float(rng.uniform(2, 10)),
    )  # fmt: skip
