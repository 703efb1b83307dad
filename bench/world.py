"""A world that is not our simulator: other equations for air, eggs and instruments, to hold what is stated against.

Nothing here is imported from the application but what enters a keeper's readings into a logbook.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from math import exp
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from numpy.typing import NDArray

from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import Channel, Incubator
from stathmis.logbook.snapshot import Series
from stathmis.services import setting_up
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.instruments import draft as drafting
from stathmis.services.instruments.checking import Check, evaluate
from stathmis.services.moisture import weights
from stathmis.services.moisture.weights import OnScale
from stathmis.services.setting_up import NewChannel

Array = NDArray[np.float64]

NOW_MS = 1_780_000_000_000
DAY_S = 86_400.0


def vapor_pressure(celsius: Array | float) -> Array:
    """Over water, hPa, after Buck (1981), not the application's Hardy."""
    t = np.asarray(celsius, dtype=np.float64)
    return np.asarray(6.1121 * np.exp((18.678 - t / 234.5) * t / (257.14 + t)))


def vapor_hpa(celsius: float) -> float:
    """The same of one temperature, which is asked for at every step."""
    return 6.1121 * exp((18.678 - celsius / 234.5) * celsius / (257.14 + celsius))


def shell_over_air(day: Array, term: float, mass_g: float, transfer: float, power: float = 3.3) -> Array:
    """How much warmer than the air a hen's shell is, K: oxygen by a power of the age (a fit by eye to a hen's oxygen by
    day, from memory), 20 J/ml, a ball's area, transfer in W/(m² K)."""
    oxygen_ml_h = 24.0 * (mass_g / 60.0) ** 0.72 * np.minimum(1.0, (day / term / 0.9) ** power)
    radius = (3e-6 * mass_g / 1.06 / (4.0 * np.pi)) ** (1 / 3)
    area = 4.0 * np.pi * radius**2
    drying = 0.0066 * mass_g / DAY_S * 2420.0
    return np.asarray((oxygen_ml_h / 3600.0 * 20.0 - drying) / (transfer * area))


@dataclass(frozen=True)
class Hygrometer:
    """Shows true x slope + offset, to a percent."""

    slope: float
    offset: float

    def shows(self, true: Array) -> Array:
        """Its display."""
        return np.round(self.slope * true + self.offset, 1)

    def truth(self, shown: float) -> float:
        """What is true when it shows this."""
        return (shown - self.offset) / self.slope


@contextmanager
def desk_at(now_ms: int, altitude_m: float = 0.0) -> Iterator[Desk]:
    """An empty logbook at a time."""
    with TemporaryDirectory() as folder:
        kept = {"name": "World", "time_zone": "UTC", "altitude_m": f"{altitude_m:g}"}
        desk = Desk(create_logbook(Path(folder) / "w.stathmis", kept), FixedClock(now_ms))
        try:
            yield desk
        finally:
            desk.logbook.close()


def instrument(desk: Desk, name: str, quantity: str, step: float, accuracy: float, kind: str = "probe") -> Channel:
    """An instrument in the drawer, good to ± accuracy as its maker says."""
    unit = "°C" if quantity == "temperature" else "%"
    new = NewChannel(quantity, unit, step, accuracy)  # type: ignore[arg-type]
    made = setting_up.add_instrument(desk, name, kind, [new])
    return desk.book.records(Channel, instrument_id=made)[0]


def checked(
    desk: Desk,
    channel: Channel,
    method: str,
    shown: float,
    cells: dict[str, str],
    by: int | None,
    settings: dict[str, str],
) -> Check:
    """A check of one point by a way, as a keeper would type it."""
    made = drafting.new_draft(channel, 0.0, method)
    points = made.sets[0]
    points.reference_id = points.second_id = by
    for key, what in settings.items():
        drafting.choose(points, channel, key, what)
    points.rows = [drafting.Row(f"{shown:.1f}", cells)]
    return evaluate(desk.book, made)


def boiling(pressure_hpa: float) -> float:
    """Boiling point by Antoine's equation (60-150 °C), °C."""
    return float(1730.63 / (8.07131 - np.log10(pressure_hpa / 1.33322)) - 233.426)


def wet_bulb(dry_c: float, rh: float, coefficient: float) -> float:
    """Of a practical psychrometer at 1013.25 hPa, by bisection, °C."""
    low, high = 0.0, dry_c
    for _ in range(60):
        wet = 0.5 * (low + high)
        found = vapor_hpa(wet) - coefficient * 1013.25 * (dry_c - wet)
        low, high = (wet, high) if found < 0.01 * rh * vapor_hpa(dry_c) else (low, wet)
    return 0.5 * (low + high)


def gun_shows(shell_c: float, walls_c: float, own_c: float, emissivity: float) -> float:
    """What an infrared gun set to 0.95 shows: radiation over all wavelengths, °C."""
    shell, walls, own = ((t + 273.15) ** 4 for t in (shell_c, walls_c, own_c))
    return float(((emissivity * shell + (1.0 - emissivity) * walls - 0.05 * own) / 0.95) ** 0.25 - 273.15)


def machine(desk: Desk, air: str = "forced") -> Incubator:
    """An incubator."""
    made = setting_up.add_incubator(desk, "Box", air, 37.5)  # type: ignore[arg-type]
    return desk.book.one(Incubator, made)


def logger(desk: Desk, incubator: Incubator, quantity: str, step: float, accuracy: float) -> Channel:
    """A logger hung in it, good to ± accuracy as its maker says."""
    unit = "°C" if quantity == "temperature" else "%"
    new = NewChannel(quantity, unit, step, accuracy)  # type: ignore[arg-type]
    made = setting_up.add_instrument(desk, quantity, "logger", [new], incubator_id=incubator.id, at_egg_top=True)
    return desk.book.records(Channel, instrument_id=made)[0]


def logged(desk: Desk, channel: Channel, times_ms: NDArray[np.int64], shown: Array) -> None:
    """Its file is brought in."""
    logger_import.keep_series(desk, f"{channel.id}.csv", {channel.id: Series(times_ms, shown)})


def eggs(desk: Desk, incubator: Incubator, set_ms: int, species: str = "chicken", count: int = 24) -> Course:
    """A batch."""
    setting_up.set_batch(desk, incubator, "", species, "steady", count, set_ms)
    found = batches.running(desk.book, incubator)
    assert found is not None
    return found


def weighed(desk: Desk, course: Course, at_ms: int, mass_g: float, scale_g: float) -> None:
    """The whole tray on the scale."""
    row = OnScale("", course.batch.eggs, f"{mass_g:.1f}", sure=True)
    found = weights.interpret(desk.book, course, row, at_ms)
    assert found is not None
    weights.log_weighings(desk, course, [found], at_ms, scale_g)


@dataclass
class Cabinet:
    """Air and wall of a heated box: two lumps, a thermostat with a dead band and a sensor that lags; W, J/K, W/K."""

    set_c: float = 37.5
    dead_k: float = 0.2
    power_w: float = 60.0
    air_j: float = 2500.0
    wall_j: float = 9000.0
    air_wall: float = 3.0
    wall_room: float = 1.6
    leak: float = 0.35
    sensor_s: float = 25.0
    air_c: float = 37.5
    wall_c: float = 31.0
    sensed_c: float = 37.5
    on: bool = False

    def step(
        self, seconds: float, room_c: float, *, lid: bool = False, power: bool = True, stuck_on: bool = False
    ) -> None:
        """Go on for some seconds."""
        self.sensed_c += (self.air_c - self.sensed_c) * min(1.0, seconds / self.sensor_s)
        if self.sensed_c < self.set_c - self.dead_k:
            self.on = True
        elif self.sensed_c > self.set_c + self.dead_k:
            self.on = False
        heat = self.power_w if power and (self.on or stuck_on) else 0.0
        through = self.air_wall * (self.air_c - self.wall_c)
        out = (self.leak + (9.0 if lid else 0.0)) * (self.air_c - room_c)
        self.air_c += (heat - through - out) * seconds / self.air_j
        self.wall_c += (through - self.wall_room * (self.wall_c - room_c)) * seconds / self.wall_j


class Ball:
    """An egg in still air as a ball of shells that pass heat to each other, explicit steps."""

    def __init__(self, mass_g: float, start_c: float, shells: int = 6) -> None:
        radius = (3e-6 * mass_g / 1.05 / (4.0 * np.pi)) ** (1 / 3)
        edges = np.linspace(0.0, radius, shells + 1)
        self._heat = 4 / 3 * np.pi * np.diff(edges**3) * 1.05e6 * 3.4
        self._pass = 0.52 * 4 * np.pi * edges[1:-1] ** 2 / (radius / shells)
        surface = 4 * np.pi * radius**2
        self._out = 1.0 / (1.0 / (9.0 * surface) + radius / shells / 2 / (0.52 * surface))
        self._c = np.full(shells, start_c)

    def step(self, seconds: float, air_c: float) -> None:
        """Go on for some seconds."""
        flow = self._pass * np.diff(self._c)
        gain = np.zeros(self._c.size)
        gain[:-1] += flow
        gain[1:] -= flow
        gain[-1] += self._out * (air_c - self._c[-1])
        self._c = self._c + gain * seconds / self._heat

    @property
    def middle_c(self) -> float:
        """Its middle."""
        return float(self._c[0])

    @property
    def surface_c(self) -> float:
        """Its outermost shell."""
        return float(self._c[-1])


Stretches = list[tuple[float, float]]


def week_of_air(
    days: float, rng: np.random.Generator, *, lids: Stretches | None = None, cut: tuple[float, float] | None = None,
    runaway: float | None = None, dead_k: float = 0.2, slow: bool = False, step_s: float = 10.0,
) -> tuple[Array, Array]:  # fmt: skip
    """Seconds and true air, °C, a value a minute; lids and cut: when and how long, s; runaway: from when on, s; slow: a
    thermostat that swings over many minutes."""
    box = Cabinet(dead_k=dead_k, sensor_s=120.0 if slow else 25.0)
    opened = sorted(lids or [])
    count = round(days * DAY_S / step_s)
    air = np.empty(count)
    at = 0
    for i in range(count):
        now = i * step_s
        while at < len(opened) and now >= opened[at][0] + opened[at][1]:
            at += 1
        lid = at < len(opened) and opened[at][0] <= now
        power = cut is None or not cut[0] <= now < cut[0] + cut[1]
        room = 20.5 + 1.5 * np.sin(2 * np.pi * now / DAY_S) + 0.2 * np.sin(now / 1700.0)
        box.step(step_s, room, lid=lid, power=power, stuck_on=runaway is not None and now >= runaway)
        air[i] = box.air_c
    every = round(60.0 / step_s)
    return np.arange(count)[::every] * step_s, air[::every] + rng.normal(0, 0.02, air[::every].size)


@dataclass
class Damp:
    """Moisture of a Cabinet's air by mass, not by flows of vapor: kg of water in air that is changed, wood that takes
    it up and gives it back, and a trough whose edges fall dry; g, m², g/(m² h hPa)."""

    volume_l: float = 55.0
    changes_h: float = 2.5
    more_open_h: float = 8.0
    wood_g_hpa: float = 0.8
    wood_h: float = 5.0
    gives: float = 9.0
    tray_cm2: float = 150.0
    full_g: float = 160.0
    water_g: float = 160.0
    edges: float = 0.25
    vent: float = 0.3
    vapor_hpa: float = 20.0
    wood_hpa: float = 20.0

    def step(self, seconds: float, air_c: float, room_hpa: float, *, lid: bool = False) -> None:
        """Go on for some seconds."""
        hours = seconds / 3600.0
        g_hpa = 0.7e-3 * self.volume_l
        still_wet = min(1.0, self.water_g / (self.edges * self.full_g)) ** 0.7
        surface = 0.96 * vapor_hpa(air_c - 2.2)
        lost = hours * self.gives * self.tray_cm2 * 1e-4 * still_wet * max(0.0, surface - self.vapor_hpa)
        lost = min(lost, self.water_g)
        changed = self.changes_h + self.more_open_h * self.vent + (160.0 if lid else 0.0)
        out = g_hpa * (1.0 - exp(-changed * hours)) * (self.vapor_hpa - room_hpa)
        soaked = self.wood_g_hpa * (1.0 - exp(-hours / self.wood_h)) * (self.vapor_hpa - self.wood_hpa)
        self.wood_hpa += soaked / self.wood_g_hpa
        self.water_g -= lost
        self.vapor_hpa = max(0.2, self.vapor_hpa + (lost - out - soaked) / g_hpa)

    def rh(self, air_c: float) -> float:
        """Percent."""
        return min(100.0, 100.0 * self.vapor_hpa / vapor_hpa(air_c))


class Weather:
    """A room with days of its own: a daily swing that changes, fronts that come and go, moister and drier air."""

    def __init__(self, days: int, rng: np.random.Generator) -> None:
        hours = np.arange(0.0, 24.0 * days + 2.0, 0.5)
        front, moist = np.zeros(hours.size), np.zeros(hours.size)
        for i in range(1, hours.size):
            front[i] = 0.993 * front[i - 1] + rng.normal(0.0, 0.11)
            moist[i] = 0.99 * moist[i - 1] + rng.normal(0.0, 0.14)
        swing = rng.uniform(0.4, 2.5) * (
            1.0 + 0.3 * np.interp(hours, 24.0 * np.arange(days + 2), rng.normal(size=days + 2))
        )
        phase = rng.uniform(8.0, 11.0)
        celsius = rng.uniform(18.5, 24.0) + swing * np.sin(2 * np.pi * (hours - phase) / 24.0) + front
        hpa = np.maximum(3.0, rng.uniform(8.0, 14.0) + moist + 0.08 * swing * np.sin(2 * np.pi * (hours - 12) / 24))
        # one at a time is asked for, step by step: lists give that several times as quickly
        self._celsius, self._hpa = celsius.tolist(), hpa.tolist()

    def at(self, seconds: float) -> tuple[float, float]:
        """°C and hPa."""
        at = seconds / 1800.0
        i = int(at)
        share = at - i
        c, h = self._celsius, self._hpa
        return c[i] + share * (c[i + 1] - c[i]), h[i] + share * (h[i + 1] - h[i])
