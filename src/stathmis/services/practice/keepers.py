"""Keepers who know the truth of a practice world, to hold a keeper against: a steady hand, and one who does nothing."""

from __future__ import annotations

from itertools import product

import numpy as np

from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.devices.simulated_incubator import EGG_CONDUCTANCE_MG_D_HPA
from stathmis.services.practice.lessons import Lesson
from stathmis.services.practice.world import DAY_S, Act, World

VISIT_S = 8 * 3600.0
SETTING_RH, LOCKDOWN_RH = 50.0, 68.0
OPENINGS = (0.2, 0.33, 0.5, 0.75)
LOW_WATER = 0.45
COLD_ROOM_C = 13.0


def steady_hand(world: World, until_s: float) -> None:
    """Live a world on to a time (s) as a keeper who sees the truth: at every visit heat, water and vents as asked, the
    lockdown in time, the lid left shut at the pip."""
    while world.now_s < until_s - 1e-6:
        acts = visit(world)
        world.go_on(min(until_s, world.now_s + VISIT_S), acts)


def nothing_done(world: World, until_s: float) -> None:
    """Live it on with the eggs put in, and nothing else ever done."""
    if world.set_s is None:
        first = min(until_s, max(0.0, world.now_s))
        world.go_on(first)
        world.go_on(first, [Act(first, "eggs in")])
    world.go_on(until_s)


def visit(world: World) -> list[Act]:
    now, lesson, species = world.now_s, world.lesson, world.species
    acts = []
    ready = 0.0 if not lesson.posted else lesson.begins * DAY_S + 0.5 * DAY_S
    if world.set_s is None and now >= ready - 1.0:
        acts.append(Act(now, "eggs in"))
    day = (now - world.set_s) / DAY_S if world.set_s is not None else -1.0
    lockdown = species.stop_turning_day is not None and day >= species.stop_turning_day
    if abs(world.box.machine.set_point_c - species.set_c) > 0.02:
        # the controller's own number is what it is moved by
        acts.append(Act(now, "set point", species.set_c - world.off_k))
    if world.room.at(now + VISIT_S / 2)[0] < COLD_ROOM_C or world.room.at(now + VISIT_S)[0] < COLD_ROOM_C:
        acts.append(Act(now, "warm room"))
    pipping = day >= 0.955 * species.days
    if world.turner_stuck:
        acts.append(Act(now, "look at turner"))
    if lockdown and not world.turner_out:
        acts.append(Act(now, "turner out"))
    if pipping and world.turner_out:
        return acts
    wanted = LOCKDOWN_RH if lockdown else SETTING_RH
    area, vent = _mix(world, wanted)
    m = world.box.machine
    low = world.box.state.water_ml < LOW_WATER * m.trough_ml
    off = abs(world.box.rh - wanted) > 6.0
    if low or (off and abs(area - m.water_cm2) > 1.0) or (lockdown and world.box.state.water_ml < 0.9 * m.trough_ml):
        acts.append(Act(now, "water", area))
    if off and abs(vent - m.vent) > 0.02:
        acts.append(Act(now, "vent", vent))
    return acts


def surfaces(lesson: Lesson) -> list[float]:
    """Every wetted surface a lesson's machine can have, cm²."""
    areas = [area for _name, area, _ml in lesson.surfaces]
    sums = {
        round(sum(a for a, on in zip(areas, which, strict=True) if on), 1)
        for which in product((0, 1), repeat=len(areas))
    }
    return sorted(sums - {0.0})


def _mix(world: World, wanted: float) -> tuple[float, float]:
    """Surface and opening that come nearest to a humidity, by the box's own balance."""
    m = world.box.machine
    _c, room_hpa = world.room.at(world.now_s)
    air = world.species.set_c
    saturated = float(saturation_vapor_pressure(air))
    at_water = float(saturation_vapor_pressure(air - m.water_cooling_k))
    eggs = m.eggs * EGG_CONDUCTANCE_MG_D_HPA / 86400.0 * 1e-6 * 461.5 * (air + 273.15) / 100.0 * 1000.0
    best = min(
        product(surfaces(world.lesson), OPENINGS),
        key=lambda mix: abs(_rh(m, mix, room_hpa, at_water, saturated, eggs) - wanted) + abs(mix[1] - m.vent),
    )
    return float(best[0]), float(best[1])


def _rh(m: object, mix: tuple[float, float], room_hpa: float, at_water: float, saturated: float, eggs: float) -> float:
    flow = m.leak_l_s + mix[1] * m.vent_l_s  # type: ignore[attr-defined]
    wet = m.evaporation_l_s_cm2 * mix[0] / 10.0  # type: ignore[attr-defined]
    inside = (flow * room_hpa + wet * at_water + eggs * saturated) / (flow + wet + eggs)
    return float(np.clip(100.0 * inside / saturated, 0.0, 100.0))
