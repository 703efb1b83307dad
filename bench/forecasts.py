"""Forecasts of the next 48 hours, and of what a change will do, held against what came: in the simulated incubator and
in a world of other equations (see world.py), with rooms that have weather.

Usage: forecasts.py [fan|try] [--runs N]
"""

from __future__ import annotations

import sys
import warnings
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from copy import deepcopy
from dataclasses import dataclass
from functools import lru_cache, partial

import numpy as np
import world
from numpy.typing import NDArray
from world import DAY_S, NOW_MS, Cabinet, Damp, Weather

from stathmis.devices.simulated_incubator import Machine, SimulatedIncubator
from stathmis.logbook.records import Event, Incubator
from stathmis.services import setting_up
from stathmis.services.advice import trying
from stathmis.services.desk import Desk
from stathmis.services.findings import ahead
from stathmis.services.findings.doings import Change
from stathmis.services.moisture import water

Array = NDArray[np.float64]
Act = tuple[float, str, float]
"""Seconds, what, how much (see _do)."""
BACK_D, AHEAD_H = 6.0, 48
EVERY_S = 300.0


@dataclass
class Ran:
    """Air, humidity and room of a world every five minutes."""

    seconds: Array
    air_c: Array
    rh: Array
    room_c: Array
    room_hpa: Array
    water: Array


class Ours:
    """The simulated incubator, its parts drawn anew."""

    def __init__(self, rng: np.random.Generator, weather: Weather) -> None:
        area = float(rng.uniform(80, 260))
        self.area = area
        self.depth = float(rng.uniform(0.6, 1.8))
        machine = Machine(
            set_point_c=37.5, differential_k=float(rng.uniform(0.1, 0.6)), heater_w=float(rng.uniform(45, 90)),
            heater_lag_s=float(rng.uniform(30, 200)), volume_l=float(rng.uniform(25, 90)), water_cm2=area,
            trough_ml=area * self.depth, vent=0.3, leak_l_s=float(rng.uniform(0.012, 0.04)),
            vent_l_s=float(rng.uniform(0.08, 0.2)), evaporation_l_s_cm2=float(rng.uniform(0.0010, 0.0022)),
            air_j_per_k=float(rng.uniform(900, 6000)), eggs=0, egg_g=58.0,
        )  # fmt: skip
        self.box = SimulatedIncubator(machine, 0.0, 15.0, weather.at)
        # as it would have stood for long
        self.box.state.air_c, self.box.state.egg_c = 37.5, 37.5
        self.box.state.shell_c, self.box.state.vapor_hpa = 34.0, 28.0

    def set_to(self, celsius: float) -> None:
        """The controller is moved."""
        self.box.machine.set_point_c = celsius

    def vent(self, opening: float) -> None:
        """The vents stand so far open."""
        self.box.machine.vent = opening

    def fill(self) -> None:
        """Water up to the brim, with the lid open for a minute."""
        self.box.fill()
        self.box.open_lid(60.0)

    def lid(self, seconds: float) -> None:
        """Open for so long."""
        self.box.open_lid(seconds)

    def cut(self, seconds: float) -> None:
        """No mains."""
        self.box.cut_power(seconds)

    def go(self, seconds: float) -> None:
        """Go on."""
        self.box.step(seconds)

    def reads(self) -> tuple[float, float, float]:
        """Air °C, humidity %, share of the water left."""
        return self.box.state.air_c, self.box.rh, self.box.state.water_ml / self.box.machine.trough_ml


class Theirs:
    """A cabinet of other equations, with moisture by mass, wood, and another thermostat."""

    def __init__(self, rng: np.random.Generator, weather: Weather) -> None:
        self.weather = weather
        self.area = float(rng.uniform(80, 260))
        self.depth = float(rng.uniform(0.6, 1.8))
        self.heat = Cabinet(
            dead_k=float(rng.uniform(0.08, 0.3)), power_w=float(rng.uniform(60, 110)),
            air_j=float(rng.uniform(1500, 5000)), wall_j=float(rng.uniform(6000, 16000)),
            air_wall=float(rng.uniform(2.5, 5.0)), wall_room=float(rng.uniform(1.2, 2.2)),
            leak=float(rng.uniform(0.2, 0.5)), sensor_s=float(rng.uniform(15, 90)),
        )  # fmt: skip
        full = self.area * self.depth
        self.damp = Damp(
            volume_l=float(rng.uniform(30, 90)), changes_h=float(rng.uniform(1.0, 3.5)),
            more_open_h=float(rng.uniform(4, 12)), wood_g_hpa=float(rng.uniform(0.0, 1.5)) + 1e-3,
            gives=float(rng.uniform(5, 14)), tray_cm2=self.area, full_g=full, water_g=full,
            edges=float(rng.uniform(0.05, 0.4)),
        )  # fmt: skip
        self.now, self.lid_until, self.back_at = 0.0, -1.0, -1.0

    def set_to(self, celsius: float) -> None:
        """The controller is moved."""
        self.heat.set_c = celsius

    def vent(self, opening: float) -> None:
        """The vents stand so far open."""
        self.damp.vent = opening

    def fill(self) -> None:
        """Water up to the brim."""
        self.damp.water_g = self.damp.full_g
        self.lid(60.0)

    def lid(self, seconds: float) -> None:
        """Open for so long."""
        self.lid_until = self.now + seconds

    def cut(self, seconds: float) -> None:
        """No mains."""
        self.back_at = self.now + seconds

    def go(self, seconds: float) -> None:
        """Go on."""
        for _ in range(round(seconds / 15.0)):
            room_c, room_hpa = self.weather.at(self.now)
            lid = self.now < self.lid_until
            self.heat.step(15.0, room_c, lid=lid, power=self.now >= self.back_at)
            self.damp.step(15.0, self.heat.air_c, room_hpa, lid=lid)
            self.now += 15.0

    def reads(self) -> tuple[float, float, float]:
        """Air °C, humidity %, share of the water left."""
        return self.heat.air_c, self.damp.rh(self.heat.air_c), self.damp.water_g / self.damp.full_g


World = Ours | Theirs
KINDS: dict[str, type[World]] = {"ours": Ours, "theirs": Theirs}


def _do(box: World, what: str, amount: float) -> None:
    {
        "set point": box.set_to,
        "vent": box.vent,
        "lid": lambda m: box.lid(60.0 * m),
        "cool": lambda m: box.lid(60.0 * m),
        "power": lambda m: box.cut(60.0 * m),
    }.get(what, lambda _: box.fill())(amount)


def _life(box: World, rng: np.random.Generator) -> list[Act]:
    """What a keeper did over the days before: lids, refills, a vent, a set point, a cut."""
    end = BACK_D * DAY_S
    done: list[Act] = [
        (0.3 * DAY_S * i + float(rng.uniform(0, 9000)), "lid", float(rng.uniform(0.7, 4))) for i in range(20)
    ]
    at = float(rng.uniform(0.2, 1.0)) * DAY_S
    every = float(rng.uniform(1.0, 2.2)) * DAY_S
    while at < end - 1800:
        done.append((at, "water", 0.0))
        at += every * float(rng.uniform(0.7, 1.3))
    if rng.random() < 0.5:
        done.append((float(rng.uniform(1, 5.6)) * DAY_S, "vent", float(rng.choice([0.15, 0.5, 0.8]))))
    if rng.random() < 0.4:
        done.append((float(rng.uniform(1, 5.6)) * DAY_S, "set point", 37.5 + float(rng.choice([-0.3, -0.2, 0.2, 0.3]))))
    if rng.random() < 0.25:
        done.append((float(rng.uniform(1, 5.6)) * DAY_S, "power", float(rng.uniform(30, 150))))
    return sorted(a for a in done if a[0] < end - 600)


def _go(box: World, weather: Weather, acts: list[Act], begin: int, count: int) -> Array:
    """So many stretches of EVERY_S from a begin on, with what is done in them: a column for each, as in Ran."""
    todo = sorted(acts)
    rows = np.empty((6, count))
    for i in range(count):
        now = (begin + i) * EVERY_S
        while todo and todo[0][0] < now + 1e-6:
            _do(box, *todo.pop(0)[1:])
        box.go(EVERY_S)
        rows[:, i] = (now + EVERY_S, *box.reads()[:2], *weather.at(now + EVERY_S), box.reads()[2])
    return rows


@lru_cache(maxsize=1)
def _until_now(kind: str, seed: int) -> tuple[World, Weather, list[Act], Array]:
    """A world as it stands now, its weather, what was done to it, and how it was: several futures begin from it."""
    rng = np.random.default_rng([seed, len(kind)])
    weather = Weather(10, rng)
    box = KINDS[kind](rng, weather)
    done = _life(box, rng)
    return box, weather, done, _go(box, weather, done, 0, round(BACK_D * DAY_S / EVERY_S))


def ran(kind: str, seed: int, more: list[Act]) -> tuple[World, list[Act], Ran]:
    """A world over its days before and two days on, with acts more after now (s from now)."""
    before, weather, done, rows = _until_now(kind, seed)
    box = deepcopy(before)
    acts = [(BACK_D * DAY_S + a, what, v) for a, what, v in more]
    ahead_of_it = _go(box, weather, acts, rows.shape[1], round(AHEAD_H * 3600.0 / EVERY_S))
    return box, done, Ran(*np.concatenate([rows, ahead_of_it], axis=1))


def kept(desk: Desk, box: World, done: list[Act], truth: Ran, rng: np.random.Generator) -> tuple[Incubator, Ran]:
    """Its logbook as of now: two checked loggers, most of what was done, and the room as keepers read it."""
    start = NOW_MS - round(BACK_D * DAY_S * 1000)
    inside = world.machine(desk)
    heat = world.logger(desk, inside, "temperature", 0.05, 0.3)
    moist = world.logger(desk, inside, "humidity", 0.5, 3.0)
    shown_c = np.round(truth.air_c + rng.normal(0, 0.1) + rng.normal(0, 0.03, truth.air_c.size), 2)
    shown_rh = np.round(truth.rh + rng.normal(0, 2) + rng.normal(0, 0.3, truth.rh.size), 1)
    times = start + np.round(truth.seconds * 1000).astype(np.int64)
    past = times <= NOW_MS
    world.logged(desk, heat, times[past], shown_c[past])
    world.logged(desk, moist, times[past], shown_rh[past])
    read = rng.random()
    if read < 0.6:
        setting_up.add_incubator(desk, "Room", "room")
        room = desk.book.room()
        assert room is not None
        every = 12 if read < 0.3 else 144
        for quantity, values in (
            ("temperature", truth.room_c),
            ("humidity", 100.0 * truth.room_hpa / world.vapor_pressure(truth.room_c)),
        ):
            channel = (
                world.logger(desk, room, quantity + " room", 0.1, 0.5) if False else _room_logger(desk, room, quantity)
            )
            part = np.flatnonzero(past)[::every]
            shown = np.round(values[part] + rng.normal(0, 0.15, part.size), 1)
            world.logged(desk, channel, times[part], shown)
    trough = water.add_surface(desk, inside, "trough", f"{box.area:.1f}", f"{box.area * box.depth:.0f}")
    water.log_change(desk, inside, {trough: 1.0}, 0.3, start)
    for at, what, amount in done:
        if what == "lid" and rng.random() < 0.3:
            continue
        when = start + round(at * 1000)
        desk.clock.at_ms = when + 60_000  # type: ignore[attr-defined]
        fields = {"incubator_id": inside.id, "time_ms": when, "note": ""}
        more = {
            "lid": {"kind": "lid", "minutes": round(amount)},
            "water": {"kind": "water"},
            "vent": {"kind": "vent", "opening": amount},
            "set point": {"kind": "set_point", "set_point_c": amount},
            "power": {"kind": "power", "minutes": round(amount)},
        }[what]
        desk.add("done", [(Event, {**fields, **more})])
    desk.clock.at_ms = NOW_MS  # type: ignore[attr-defined]
    return inside, Ran(truth.seconds, shown_c, shown_rh, truth.room_c, truth.room_hpa, truth.water)


def _room_logger(desk: Desk, room: Incubator, quantity: str):
    unit = "°C" if quantity == "temperature" else "%"
    new = setting_up.NewChannel(quantity, unit, 0.1, 0.5)  # type: ignore[arg-type]
    made = setting_up.add_instrument(desk, f"room {quantity}", "probe", [new], incubator_id=room.id)
    from stathmis.logbook.records import Channel

    return desk.book.records(Channel, instrument_id=made)[0]


def one_fan(kind: str, seed: int) -> dict[str, Array]:
    """Readings of the 48 hours to come against the fan of now, hour by hour: share inside, and squared errors of the
    fan's middle, of what was read last, and of the day's mean."""
    box, done, truth = ran(kind, seed, [])
    rng = np.random.default_rng([seed, 99])
    with world.desk_at(NOW_MS) as desk:
        inside, shown = kept(desk, box, done, truth, rng)
        found = ahead.ahead(desk.book, inside, None)
        assert found is not None
        now = round(BACK_D * DAY_S / EVERY_S)
        made: dict[str, Array] = {}
        for quantity, values in (("temperature", shown.air_c), ("humidity", shown.rh)):
            fan = found.fans[quantity]  # type: ignore[index]
            later = values[now:]
            seconds = NOW_MS + 1000.0 * (truth.seconds[now:] - BACK_D * DAY_S)
            low, middle, high = (
                np.interp(seconds, fan.times_ms, v, right=np.nan) for v in (fan.low, fan.middle, fan.high)
            )
            hours = AHEAD_H
            rows = [
                (later >= low) & (later <= high),
                *(later - guess for guess in (middle, values[now - 1], values[now - 288 : now].mean())),
                high - low,
            ]
            # a fan that is short says nothing beyond
            rows = [np.where(np.isfinite(low), row, np.nan).reshape(hours, 12) for row in rows]
            with np.errstate(invalid="ignore"), warnings.catch_warnings():
                warnings.simplefilter("ignore")
                rows = [np.nanmean(row, axis=1) for row in rows]
            # errors of the hour's mean: a thermostat's swing is nobody's to forecast
            made[quantity] = np.array([rows[0], *(row**2 for row in rows[1:4]), rows[4]])
        made["strange"] = np.array([len(found.strange)])
    return made


def fans(runs: int) -> None:
    """The table of forecasts."""
    for kind in KINDS:
        with ProcessPoolExecutor(2) as pool:
            found = list(pool.map(partial(one_fan, kind), range(runs)))
        print(f"{kind}: {runs} worlds, {sum(int(f['strange'][0]) for f in found)} strange")
        for quantity in ("temperature", "humidity"):
            rows = np.nanmean(np.array([f[quantity] for f in found]), axis=0)
            shares = rows[0]
            print(f"  {quantity:12} inside {shares.mean():.3f}  worst hours {shares.min():.3f} .. {shares.max():.3f}")
            for hours in ((0, 1), (1, 3), (3, 6), (6, 12), (12, 24), (24, 36), (36, 48)):
                part = slice(*hours)
                err = np.sqrt(rows[1:4, part].mean(axis=1))
                print(
                    f"    {hours[0]:2}-{hours[1]:2} h  inside {shares[part].mean():.3f}  error {err[0]:.3f}"
                    f"  last reading {err[1]:.3f}  daily mean {err[2]:.3f}  width {rows[4, part].mean():.2f}"
                )


CHANGES: tuple[Callable[[World], Change], ...] = (
    lambda box: Change("set point", 37.2),
    lambda box: Change("vent", 0.7),
    lambda box: Change("vent", 0.1),
    lambda box: Change("water", box.area),
    lambda box: Change("lid", 0.0, 10.0),
    lambda box: Change("cool", 0.0, 20.0),
    lambda box: Change("power", 0.0, 90.0),
)


def one_try(kind: str, seed: int) -> list[tuple[str, int, float, float, float]]:
    """One change against both worlds: what, after how many hours, and for each quantity the difference foreseen, its U,
    and the difference there was (means of an hour)."""
    box, done, truth = ran(kind, seed, [])
    change = CHANGES[seed % len(CHANGES)](box)
    amount = change.lasts_min if change.what in ("lid", "cool", "power") else change.amount
    _, _, other = ran(kind, seed, [(0.0, change.what, amount)])
    made = []
    with world.desk_at(NOW_MS // 600_000 * 600_000) as desk:
        inside, _shown = kept(desk, box, done, truth, np.random.default_rng([seed, 99]))
        desk.clock.at_ms = NOW_MS // 600_000 * 600_000  # type: ignore[attr-defined]
        found = trying.tried(desk.book, inside, None, (change,))
        assert found is not None
        now = round(BACK_D * DAY_S / EVERY_S)
        for quantity, one, two in (("temperature", truth.air_c, other.air_c), ("humidity", truth.rh, other.rh)):
            fan = found.apart[quantity]  # type: ignore[index]
            for hour in (1, 2, 3, 6, 12, 24, 47):
                part = slice(now + 12 * hour - 6, now + 12 * hour + 6)
                was = float((two[part] - one[part]).mean())
                low, middle, high = fan.at(found.as_is.at_ms + 3_600_000 * hour)
                made.append((f"{quantity} {change.what}", hour, middle, 0.5 * (high - low), was))
    return made


def tries(runs: int) -> None:
    """The table of changes that were tried."""
    for kind in KINDS:
        with ProcessPoolExecutor(2) as pool:
            found = [row for rows in pool.map(partial(one_try, kind), range(runs)) for row in rows]
        inside = [abs(was - middle) <= U for _what, _hour, middle, U, was in found]
        print(f"{kind}: {runs} changes, differences inside their U {np.mean(inside):.3f}")
        for what in sorted({row[0] for row in found}):
            own = [row for row in found if row[0] == what]
            share = np.mean([abs(w - m) <= U for _, _, m, U, w in own])
            off = np.sqrt(np.mean([(w - m) ** 2 for _, _, m, _, w in own]))
            size = np.sqrt(np.mean([w**2 for *_, w in own]))
            wide = np.mean([U for *_, U, _ in own])
            print(f"    {what:24} inside {share:.3f}  off {off:.2f} of {size:.2f}  mean U {wide:.2f}")


def main() -> None:
    """Print the tables asked for."""
    runs = int(sys.argv[sys.argv.index("--runs") + 1]) if "--runs" in sys.argv else 100
    if "try" not in sys.argv:
        fans(runs)
    if "fan" not in sys.argv:
        tries(runs)


if __name__ == "__main__":
    main()
