"""What is stated, held against a world that is not as the model assumes (see world.py): one table, measured now.

Usage: truth.py [section …] [--runs N]. Sections: fits, loss, flocks, steps, alarms, cut, slips.
"""

from __future__ import annotations

import sys
from math import sqrt

import numpy as np
import world
from world import DAY_S, NOW_MS, Hygrometer

from stathmis.core.calibration import Choice, fit_correction
from stathmis.core.cooling import worked_back
from stathmis.core.hatch.hatch_stats import ranks, rate
from stathmis.services.advice import heat
from stathmis.services.batch.power_cut import BOX_FACTOR, BOX_HOURS
from stathmis.services.findings import loss
from stathmis.services.moisture import weights
from stathmis.services.watch import alarms

Z = 1.96


def fits(
    trouble: str, size: float, points: int, runs: int, seed: int = 0, u: float = 0.05, model: Choice = "auto"
) -> float:
    """How often 95 % at four readings holds the truth, the curve chosen by itself, for an instrument with a bend of so
    many u in the middle, or one of whose points is off by so many."""
    rng = np.random.default_rng([seed, points, round(10 * size)])
    at, true = np.array([20.0, 30.0, 37.5, 42.0]), np.linspace(15.0, 45.0, points)

    def correction(reading: np.ndarray) -> np.ndarray:
        bend = size * u * (1.0 - ((reading - 30.0) / 15.0) ** 2) if trouble == "bend" else 0.0
        return 0.4 + 0.01 * (reading - 30.0) + bend

    inside = 0
    for _ in range(runs):
        reading = true + rng.normal(0, u / sqrt(2), points)
        reference = true + correction(true) + rng.normal(0, u / sqrt(2), points)
        if trouble == "odd point":
            reference[rng.integers(points)] += rng.choice([-1, 1]) * size * u
        made = fit_correction(reading, reference, u / sqrt(2), u / sqrt(2), model)
        value, found = made.apply(at)
        inside += int((np.abs(value - at - correction(at)) <= made.coverage_factor * found).sum())
    return inside / runs / at.size


LOSS_VARIANTS: dict[str, dict[str, float | str]] = {
    "as it is assumed": {},
    "still air": {"air": "still"},
    "2,400 m": {"altitude": 2400.0},
    "hygrometer 6 % off, humidity changed": {"offset": 6.0, "changed": 20.0},
    "humidity changed": {"changed": 15.0},
}


def loss_inside(
    variant: str, runs: int, seed: int = 0, *, air: str = "forced", altitude: float = 0.0, offset: float = 0.0,
    changed: float = 0.0,
) -> tuple[float, float]:  # fmt: skip
    """How often the forecast of day 11 holds the loss on day 18 within its U, and that U on average; offset: of an
    unchecked hygrometer of ± 5 %, percent (0: drawn); changed: how much drier it has been since day 9."""
    rng = np.random.default_rng([seed, len(variant)])
    inside, wide = 0, []
    for _ in range(runs):
        term, at_day, lockdown = 21.0, 11.0, 18.0
        mass, conductance = rng.normal(60.0, 3.0), 11.0 * rng.lognormal(0.0, 0.15)
        conductance *= 1013.25 / (1013.25 * (1.0 - 2.25577e-5 * altitude) ** 5.25588)
        off = offset * rng.choice([-1.0, 1.0]) if offset else rng.uniform(-5.0, 5.0)
        moist = Hygrometer(rng.normal(1.0, 0.03), off)
        hot = rng.uniform(-0.3, 0.3)
        transfer = rng.uniform(18.0, 30.0) if air == "forced" else rng.uniform(8.0, 12.0)
        days = np.arange(0.0, lockdown, 1.0 / 144.0)
        true_air = np.full(days.size, 37.5) + 0.1 * np.sin(days * 2 * np.pi)
        shown_first = rng.uniform(50.0, 62.0)
        shown_after = shown_first - changed
        true_rh = np.where(days < at_day - 2.0, moist.truth(shown_first), moist.truth(shown_after))
        true_rh = true_rh + rng.normal(0, 0.5, days.size)
        # in still air what is read at the egg tops is warmer than the shells, by more in one box than in another
        layer = rng.uniform(0.3, 0.9) if air == "still" else 0.0
        read_air = true_air + layer
        shell = true_air + world.shell_over_air(days, term, mass, transfer, rng.uniform(2.8, 4.0))
        vapor = 0.01 * true_rh * world.vapor_pressure(read_air)
        rates = conductance * (world.vapor_pressure(shell) - vapor) / 1000.0
        lost = np.concatenate([[0.0], np.cumsum(rates)[:-1] / 144.0])
        set_ms = NOW_MS - round(at_day * DAY_S * 1000)
        with world.desk_at(NOW_MS, altitude) as desk:
            box = world.machine(desk, air)
            heat = world.logger(desk, box, "temperature", 0.1, 0.3 * sqrt(3.0) / 1.0)
            damp = world.logger(desk, box, "humidity", 0.1, 5.0)
            until = days < at_day
            times = set_ms + np.round(days[until] * DAY_S * 1000).astype(np.int64)
            world.logged(desk, heat, times, np.round(read_air[until] + hot, 1))
            world.logged(desk, damp, times, moist.shows(true_rh[until]))
            course = world.eggs(desk, box, set_ms)
            for day in (0.0, 4.0, 7.0, 10.9):
                each = mass - float(np.interp(day, days, lost))
                world.weighed(desk, course, set_ms + round(day * DAY_S * 1000), 24 * each + rng.normal(0, 0.5), 1.0)
            sheet = loss.loss_sheet(desk.book, course, weights.weighings(desk.book, course.batch.id))
            assert sheet is not None and sheet.forecast is not None
            truth = 100.0 * float(np.interp(lockdown, days, lost)) / mass
            value, u = sheet.forecast
            inside += abs(value - truth) <= Z * u
            wide.append(Z * u)
    return inside / runs, float(np.mean(wide))


def needless_steps(swing_k: float, looks: int, seed: int = 0, minutes: float = 25.0) -> float:
    """How often a keeper is told to move the set point of a box whose mean is right, whose thermostat swings so far to
    either side; a checked logger, looked at whenever."""
    rng = np.random.default_rng([seed, round(100 * swing_k)])
    seconds = np.arange(0.0, 3 * DAY_S, 60.0)
    # a thermostat's saw: up with the heater, slowly down without
    phase = (seconds / 60.0 / minutes) % 1.0
    saw = np.where(phase < 0.3, -1.0 + 2.0 * phase / 0.3, 1.0 - 2.0 * (phase - 0.3) / 0.7)
    air = 37.5 + swing_k * saw + rng.normal(0, 0.08) + rng.normal(0, 0.02, seconds.size)
    told = 0
    with world.desk_at(NOW_MS) as desk:
        box = world.machine(desk)
        heat_logger = world.logger(desk, box, "temperature", 0.1, 0.15)
        times = NOW_MS + np.round(seconds * 1000).astype(np.int64)
        world.logged(desk, heat_logger, times, np.round(air, 1))
        world.eggs(desk, box, NOW_MS - round(5 * DAY_S * 1000))
        for at in rng.uniform(1.2 * DAY_S, 3 * DAY_S, looks):
            desk.clock.at_ms = NOW_MS + round(float(at) * 1000)  # type: ignore[attr-defined]
            told += heat.advise(desk.book, box).kind in ("move", "look")
    return told / looks


def flocks(groups: int, runs: int, seed: int = 0) -> float:
    """How often one of so many flocks that hatch alike is ranked behind."""
    rng = np.random.default_rng([seed, groups])
    apart = 0
    for _ in range(runs):
        counts = rng.binomial(40, rng.uniform(0.5, 0.85), groups).tolist()
        apart += max(ranks([rate(n, 40) for n in counts])) > 1
    return apart / runs


def looked_at(
    seconds: np.ndarray, air: np.ndarray, *, rh: np.ndarray | None = None, species: str = "chicken", day: float = 6.0,
    every_s: float = 120.0, from_s: float = 6 * 3600.0, to_s: float | None = None,
) -> list[tuple[float, str]]:  # fmt: skip
    """What alarms call at each look of a keeper's window, s and kind: a logger of ± 0.3 K (and ± 3 % RH) read once a
    minute, of a batch that was set so many days before the log begins."""
    begin_ms = NOW_MS
    with world.desk_at(NOW_MS) as desk:
        box = world.machine(desk)
        heat = world.logger(desk, box, "temperature", 0.05, 0.3)
        times = begin_ms + np.round(seconds * 1000).astype(np.int64)
        world.logged(desk, heat, times, np.round(air, 2))
        if rh is not None:
            world.logged(desk, world.logger(desk, box, "humidity", 0.1, 3.0), times, np.round(rh, 1))
        world.eggs(desk, box, begin_ms - round(day * DAY_S * 1000), species)
        called = []
        for now in np.arange(from_s, (seconds[-1] if to_s is None else to_s) + 1.0, every_s):
            desk.clock.at_ms = begin_ms + round(float(now) * 1000)  # type: ignore[attr-defined]
            called += [(float(now), alarm.kind) for alarm in alarms.alarms(desk.book)]
    return called


def calls(called: list[tuple[float, str]], apart_s: float = 900.0) -> int:
    """How often the keeper was called: what stands on, or comes back within a quarter of an hour, is one call."""
    last: dict[str, float] = {}
    made = 0
    for now, kind in called:
        made += now - last.get(kind, -1e9) > apart_s
        last[kind] = now
    return made


def false_alarms(what: str, seed: int = 0, days: float = 7.0, every_s: float = 120.0) -> int:
    """Calls in a week in which nothing was wrong that a keeper must be called for."""
    rng = np.random.default_rng([seed, len(what)])
    if what == "21 lids":
        lids = [(DAY_S * (i + rng.uniform(0.3, 0.7)) / 3.0, rng.uniform(300, 600)) for i in range(1, round(3 * days))]
        return calls(looked_at(*world.week_of_air(days, rng, lids=lids), every_s=every_s))
    if what == "7 coolings":
        # by the way of most: a quarter of an hour
        lids = [(DAY_S * (i + 0.4 + rng.uniform(-0.05, 0.05)), 15 * 60.0) for i in range(1, round(days))]
        return calls(looked_at(*world.week_of_air(days, rng, lids=lids), species="duck", day=9.0, every_s=every_s))
    return calls(looked_at(*world.week_of_air(days, rng, dead_k=0.3, slow=True), every_s=every_s))


def told_after(what: str, seed: int = 0, every_s: float = 60.0) -> float:
    """Minutes until the keeper is told of a fault; inf where never."""
    rng = np.random.default_rng([seed, len(what)])
    begin = 0.6 * DAY_S + rng.uniform(0, 7200)
    species = "duck" if what.endswith("ducks") else "chicken"
    if what.startswith("power cut"):
        seconds, air = world.week_of_air(1.0, rng, cut=(begin, 4 * 3600.0))
    elif what == "runaway":
        seconds, air = world.week_of_air(1.0, rng, runaway=begin)
    else:
        seconds, air = world.week_of_air(1.0, rng)
    rh, day = None, 9.0
    if what == "stuck sensor":
        air = np.where(seconds < begin, air, np.round(air[np.searchsorted(seconds, begin)], 2))
    if what == "power cut, ducks":
        # nobody lifts the lid: the vapor stays, and cooler air is moister
        rh = np.minimum(96.0, 50.0 * world.vapor_pressure(37.5) / world.vapor_pressure(air))
        rh = rh + rng.normal(0, 0.5, seconds.size)
    if what == "25 % RH in lockdown":
        day = 18.3
        rh = np.where(seconds < begin, 68.0, 25.0) + rng.normal(0, 0.5, seconds.size)
    if what == "dry trough":
        # the trough sinks from then on: towards the room's own humidity within two days
        rh = 48.0 - np.maximum(seconds - begin, 0.0) / 3600.0 * 1.5 + rng.normal(0, 0.5, seconds.size)
    looks = {"every_s": every_s, "from_s": begin - 1800.0, "to_s": begin + 3 * 3600.0}
    called = looked_at(seconds, air, rh=rh, species=species, day=day, **looks)
    before = [now for now, _kind in called if now < begin]
    after = [now for now, _kind in called if now >= begin]
    return float("-inf") if before else (min(after) - begin) / 60.0 if after else float("inf")


def cut_inside(runs: int, seed: int = 0) -> tuple[float, float, float, float]:
    """How often a power cut of unknown length is worked back: its beginning and the eggs' lowest inside what is stated,
    and how wide that is on average (h, K)."""
    rng = np.random.default_rng([seed, 77])
    begun = lowest = 0
    wide = []
    for _ in range(runs):
        # a wall of more or less heat, in a room of its own
        box = world.Cabinet(
            wall_j=9000.0 * rng.lognormal(0.0, 0.3), air_wall=3.0 * rng.lognormal(0.0, 0.25), leak=rng.uniform(0.2, 0.6)
        )
        room, mass, hours = rng.uniform(12.0, 24.0), rng.choice([12.0, 58.0, 90.0]), rng.uniform(0.3, 7.0)
        for _i in range(2000):
            box.step(10.0, room)
        before = box.air_c
        core = world.Ball(mass, before + rng.uniform(0.0, 0.6))
        for _i in range(round(hours * 360.0)):
            box.step(10.0, room, power=False)
            core.step(10.0, box.air_c)
        read = box.air_c + rng.normal(0, 0.15), core.surface_c + rng.normal(0, 0.4)
        found = worked_back(
            room + rng.normal(0, 0.3), before, before, mass, BOX_HOURS["forced"], BOX_FACTOR, 10.0,
            (read[0], 0.15), (read[1], 0.4) if rng.random() < 0.6 else None,
        )  # fmt: skip
        begun += found.hours.low <= hours <= found.hours.high
        lowest += found.core_c.low <= core.middle_c <= found.core_c.high
        wide.append((found.hours.high - found.hours.low, found.core_c.high - found.core_c.low))
    width = np.mean(wide, axis=0) / 2.0
    return begun / runs, lowest / runs, float(width[0]), float(width[1])


SLIPS = ("steam by altitude alone", "gun in a warm box", "jar after 5 h", "still wick, said so", "other branch")


def slip_inside(what: str, runs: int, seed: int = 0) -> float:
    """How often 95 % holds the truth after one check by a way, with the slip that goes with it; the instrument is off
    by something, and is read in use where it was checked (a hygrometer on the other branch)."""
    rng = np.random.default_rng([seed, len(what)])
    inside = 0
    with world.desk_at(NOW_MS) as desk:
        probe = world.instrument(desk, "Probe", "temperature", 0.1, 1.0)
        card = world.instrument(desk, "Card", "humidity", 1.0, 7.0)
        lab = world.instrument(desk, "Lab", "temperature", 0.01, 0.05)
        gun = world.instrument(desk, "Gun", "temperature", 0.1, 0.3, "infrared gun")
        for _ in range(runs):
            off = rng.normal(0.0, 0.4)
            channel, settings, in_use = (probe, {}, 0.0) if what in SLIPS[:2] else (card, {}, 0.0)
            if what == SLIPS[0]:
                # the weather moves the pressure, not the altitude
                true = world.boiling(float(1013.25 + rng.normal(0.0, 8.0))) + rng.normal(0.0, 0.04)
                method, shown, cells, by = "steam", true + off, {}, None
            elif what == SLIPS[1]:
                true, own_c, walls = 37.5 + rng.normal(0, 0.3), rng.normal(21.0, 1.5), rng.normal(34.0, 1.5)
                seen = world.gun_shows(true, walls, own_c, 0.95 + rng.uniform(-0.02, 0.02)) + rng.normal(0, 0.15)
                method, shown, by = "infrared", true + off + rng.normal(0, 0.15), gun.id
                cells = {"reference": f"{seen:.1f}", "walls": f"{walls + rng.uniform(-2, 2):.0f}"}
            elif what == SLIPS[3]:
                true = rng.uniform(45.0, 60.0)
                wet = world.wet_bulb(37.5, true, 1.2e-3 * rng.lognormal(0.0, 0.12))
                method, shown, by, settings = "wet_dry", true + 5 * off + rng.normal(0, 0.4), lab.id, {"wick": "still"}
                cells = {"reference": f"{37.5 + rng.normal(0, 0.03):.2f}", "wet": f"{wet + rng.normal(0, 0.03):.2f}"}
            else:
                true = 75.3 + rng.normal(0.0, 0.4)
                early = what == SLIPS[2]
                left = 30.0 * np.exp(-5.0 / rng.uniform(1.2, 2.2)) if early else 0.0
                loop = 0.0 if early else 2.0
                method, by, settings = "salt", None, {"jar_hours": "5" if early else "16"}
                shown, cells, in_use = true - left + 5 * off, {"salt": "NaCl", "jar": "22C"}, loop
            found = world.checked(desk, channel, method, shown, cells, by, settings)
            error = off if channel is probe else 5 * off
            read = round(float(true + error + in_use), 1)
            inside += abs(found.corrected_at(read)[0] - true) <= found.corrected_at(read)[1]
    return inside / runs


def main() -> None:
    """Print the table."""
    words = [w for w in sys.argv[1:] if not w.startswith("--")]
    runs = int(sys.argv[sys.argv.index("--runs") + 1]) if "--runs" in sys.argv else 0
    words = [w for w in words if not w.isdigit()] or ["fits", "loss", "flocks", "steps", "alarms", "cut", "slips"]
    if "fits" in words:
        print(
            "95 % of a fit holds the truth in %, curve chosen by itself: straight, bends of 1 2 3 5 u, odd point 3 5 u"
        )
        for points in (3, 4, 5, 6, 8):
            cases = [("", 0.0), *(("bend", k) for k in (1.0, 2.0, 3.0, 5.0)), ("odd point", 3.0), ("odd point", 5.0)]
            print(f"  {points} points:", *(f"{100 * fits(t, k, points, runs or 2000):.1f}" for t, k in cases))
    if "loss" in words:
        print("forecast of the loss at lockdown inside its U in %, and that U in points")
        for variant, what in LOSS_VARIANTS.items():
            share, U = loss_inside(variant, runs or 150, **what)  # type: ignore[arg-type]
            print(f"  {variant}: {100 * share:.0f}, {U:.1f}")
    if "steps" in words:
        for swing in (0.3, 0.45, 0.6):
            shares = [needless_steps(swing, 60, seed) for seed in range(runs or 8)]
            print(f"needless steps of the set point, thermostat ± {swing} K: {100 * np.mean(shares):.1f} %")
    if "alarms" in words:
        for what in ("21 lids", "7 coolings", "± 1 K in 40 min"):
            print(f"calls a week, {what}:", *(false_alarms(what, seed) for seed in range(runs or 3)))
        for what in ("power cut", "power cut, ducks", "runaway", "stuck sensor", "25 % RH in lockdown", "dry trough"):
            print(f"told after min, {what}:", *(f"{told_after(what, seed):.0f}" for seed in range(runs or 5)))
    if "cut" in words:
        shares = cut_inside(runs or 200)
        told = "unknown power cut, inside in %: beginning {:.0f} (± {:.1f} h), lowest egg {:.0f} (± {:.1f} K)"
        print(told.format(100 * shares[0], shares[2], 100 * shares[1], shares[3]))
    if "slips" in words:
        for what in SLIPS:
            print(f"95 % holds the truth in %, {what}: {100 * slip_inside(what, runs or 300):.0f}")
    if "flocks" in words:
        print("equal flocks ranked apart in %:", *(f"{n}: {100 * flocks(n, runs or 2000):.1f}" for n in (2, 4, 6, 12)))


if __name__ == "__main__":
    main()
