"""Advice that could harm a batch, counted on a box that is made otherwise than the model assumes (see world.py).

Usage: safety.py [--runs N]. Each run is a box of eggs in which one thing goes wrong, logged or not; what would be
advised is asked every half hour from then on, and held against what was really so. Unsafe is: a set point moved in a
box whose thermostat holds what it should; a vent opened or water taken away where the vapor is not above what is asked,
or while the heat is lost; water added where the vapor is enough. Then the calls of the alarms, and when they come.
"""

from __future__ import annotations

import sys
from collections import Counter

import numpy as np
import world
from truth import calls, looked_at, told_after
from world import DAY_S, NOW_MS

from stathmis.logbook.records import Event
from stathmis.services import rounds
from stathmis.services.advice import heat
from stathmis.services.advice.now import advise

TROUBLES = (
    "cut", "cut, logged", "dead heater", "stuck heater", "wet hygrometer", "drift up", "drift down", "lid",
    "lid, logged", "stuck probe", "cold room", "nothing",
)  # fmt: skip
EVERY_S = 1800.0


def lived(trouble: str, rng: np.random.Generator) -> tuple[np.ndarray, ...]:
    """Seconds, true air, what the logger shows of it, true and shown % RH, when it began, and how long it lasted."""
    days = 9.0 if trouble.startswith("drift") else 4.5
    begin = 2.0 * DAY_S + rng.uniform(0.0, 4 * 3600.0)
    lasts = rng.uniform(1.0, 8.0) * 3600.0 if trouble.startswith("cut") else rng.uniform(10.0, 30.0) * 60.0
    cabinet, damp = world.Cabinet(dead_k=rng.uniform(0.05, 0.25)), world.Damp(water_g=5000.0, full_g=160.0)
    step, count = 10.0, round(days * DAY_S / 10.0)
    air, vapor = np.empty(count), np.empty(count)
    for i in range(count):
        now = i * step
        on = begin <= now < begin + lasts
        broken = now >= begin
        room = 21.0 - (14.0 if trouble == "cold room" and broken else 0.0)
        cabinet.step(
            step, room, lid=on and trouble.startswith("lid"),
            power=not ((on and trouble.startswith("cut")) or (broken and trouble == "dead heater")),
            stuck_on=broken and trouble == "stuck heater",
        )  # fmt: skip
        damp.step(step, cabinet.air_c, 10.0, lid=on and trouble.startswith("lid"))
        air[i], vapor[i] = cabinet.air_c, damp.vapor_hpa
    kept = slice(None, None, 6)
    seconds, air = np.arange(count)[kept] * step, air[kept]
    # the box is trimmed to 37.50 on average, and its water to what is asked
    usual = seconds < begin
    air = air + 37.5 - air[usual & (seconds > 6 * 3600.0)].mean()
    vapor = vapor[kept] * 0.5 * world.vapor_hpa(37.5) / vapor[kept][usual].mean()
    rh = np.minimum(99.0, 100.0 * vapor / world.vapor_pressure(air))
    shown, moist = air + rng.normal(0, 0.02, air.size), rh + rng.normal(0, 0.4, air.size)
    if trouble.startswith("drift"):
        shown = shown + (0.1 if trouble.endswith("up") else -0.1) * np.maximum(0.0, seconds - begin) / DAY_S
    if trouble == "stuck probe":
        shown = np.where(seconds < begin, shown, shown[np.searchsorted(seconds, begin)])
    if trouble == "wet hygrometer":
        moist = np.where((seconds >= begin) & (seconds < begin + 6 * 3600.0), 98.0, moist)
    held = 100.0 * vapor / world.vapor_hpa(37.5)
    return seconds, air, shown, held, moist, np.array([begin, lasts])


def unsafe(trouble: str, seed: int) -> tuple[Counter[str], int]:
    """What was advised that could harm, by its kind, and how often was looked."""
    rng = np.random.default_rng([seed, TROUBLES.index(trouble)])
    seconds, air, shown, held, moist, (begin, lasts) = lived(trouble, rng)
    bad: Counter[str] = Counter()
    looks = 0
    with world.desk_at(NOW_MS) as desk:
        box = world.machine(desk)
        times = NOW_MS + np.round(seconds * 1000).astype(np.int64)
        world.logged(desk, world.logger(desk, box, "temperature", 0.05, 0.1), times, np.round(shown, 2))
        world.logged(desk, world.logger(desk, box, "humidity", 0.1, 2.0), times, np.round(moist, 1))
        late = trouble == "wet hygrometer" and seed % 2 == 1
        world.eggs(desk, box, NOW_MS - round((16.4 if late else 4.0) * DAY_S * 1000))
        if trouble.endswith("logged"):
            kind = "power" if trouble.startswith("cut") else "lid"
            row = {"incubator_id": box.id, "time_ms": NOW_MS + round(begin * 1000), "kind": kind, "note": ""}
            desk.add("what was done", [(Event, {**row, "minutes": lasts / 60.0})])
        # the thermostat still holds what it held, and the water gives what it gave
        for now in np.arange(begin + 60.0, min(begin + 2.0 * DAY_S, seconds[-1]), EVERY_S):
            desk.clock.at_ms = NOW_MS + round(float(now) * 1000)  # type: ignore[attr-defined]
            looks += 1
            sheet = rounds.sheet(desk.book, box)
            told = advise(desk.book, sheet, sheet.verdict("temperature"), sheet.verdict("humidity"))
            set_point = heat.advise(desk.book, box)
            if set_point.kind in ("move", "center") and trouble not in ("stuck heater", "cold room"):
                bad[f"set point, {set_point.kind}"] += 1
            band = sheet.band("humidity")
            at = int(np.searchsorted(seconds, now))
            for one in told:
                if band is None or one.kind not in ("more water", "less water", "mix"):
                    continue
                cold = air[at] < 36.5 or trouble in ("dead heater", "stuck heater")
                if one.kind == "less water" and (cold or held[at] <= band.high):
                    bad["vent opened or water taken"] += 1
                if one.kind == "more water" and held[at] >= band.low:
                    bad["water added"] += 1
    return bad, looks


def swinging(minutes: float) -> int:
    """False calls in a week of a thermostat that swings by a degree in so many minutes."""
    seconds = np.arange(0.0, 7 * DAY_S, 60.0)
    return calls(looked_at(seconds, 37.5 + np.sin(2 * np.pi * seconds / 60.0 / minutes), every_s=600.0))


def main() -> None:
    """Print the table."""
    runs = int(sys.argv[sys.argv.index("--runs") + 1]) if "--runs" in sys.argv else 8
    total: Counter[str] = Counter()
    for trouble in TROUBLES:
        bad: Counter[str] = Counter()
        looks = 0
        for seed in range(runs):
            found, looked = unsafe(trouble, seed)
            bad, looks = bad + found, looks + looked
        total += bad
        told = ", ".join(f"{n} {what}" for what, n in bad.items()) or "none unsafe"
        print(f"{trouble:16} {runs} runs, {looks} looks: {told}", flush=True)
    print(f"all: {sum(total.values())} unsafe")
    for minutes in (6.0, 15.0, 30.0, 40.0, 60.0):
        print(f"± 1 K every {minutes:.0f} min: {swinging(minutes)} false calls a week", flush=True)
    for what in ("power cut", "runaway", "stuck sensor", "dry trough"):
        print(f"{what}: told after {told_after(what, 4, every_s=120.0):.0f} min", flush=True)


if __name__ == "__main__":
    main()
