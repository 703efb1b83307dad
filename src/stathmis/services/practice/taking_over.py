"""A lesson as it is taken over: its logbook and what stands there, and the days before under a steady hand that logs
what it does.
"""

from __future__ import annotations

from itertools import combinations
from pathlib import Path

from stathmis.logbook.opening import create_logbook
from stathmis.logbook.records import Event, Incubator
from stathmis.services import setting_up
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.moisture import water
from stathmis.services.plan import planning
from stathmis.services.practice import deeds, keepers
from stathmis.services.practice.lessons import Lesson, lesson_of
from stathmis.services.practice.under_way import SET_MS, Practice
from stathmis.services.practice.world import DAY_S, Act, World
from stathmis.services.setting_up import NewChannel
from stathmis.words import practice as words
from stathmis.words.catalogue import _

WEIGHED_D = (1 / 3, 5.0, 10.0, 15.0)


def begin(path: Path, key: str, seed: int) -> None:
    """Write the logbook of a lesson (or a free run) to a new file, as it is taken over. Raises LogbookError."""
    lesson = lesson_of(key, seed)
    kept = {"name": words.title(key), "time_zone": "UTC", "altitude_m": "0"}
    logbook = create_logbook(path, kept)
    try:
        world = World(lesson, seed)
        clock = FixedClock(SET_MS + round(1000.0 * world.begins_s))
        desk = Desk(logbook, clock)
        _furnish(desk, lesson)
        made = Practice(desk, clock, key, seed, world)
        take_over(made)
    finally:
        logbook.close()


def _furnish(desk: Desk, lesson: Lesson) -> None:
    """The machine, its water, the room and the drawer."""
    from stathmis.services import knowledge

    species = knowledge.species()[lesson.species]
    machine = setting_up.add_incubator(desk, words.MACHINE(), "forced", species.set_c)
    setting_up.add_incubator(desk, words.ROOM(), "room")
    incubator = desk.book.one(Incubator, machine)
    for name, area, ml in lesson.surfaces:
        water.add_surface(desk, incubator, _(name), f"{area:g}", f"{ml:g}")
    water.log_change(desk, incubator, _wet(desk, incubator, lesson.machine.water_cm2), lesson.vent, desk.now_ms)
    for display in lesson.displays:
        channels = []
        for quantity, sensor in display.shows:
            unit = "°C" if quantity == "temperature" else "%"
            accuracy = setting_up.typical(display.kind, quantity)[1]
            channels.append(NewChannel(quantity, unit, sensor.resolution, accuracy))  # type: ignore[arg-type]
        setting_up.add_instrument(
            desk, _(display.name), display.kind, channels, reference=display.reference,
            incubator_id=None if display.reference else machine,
        )  # fmt: skip
    room = desk.book.room()
    assert room is not None
    both = [NewChannel("temperature", "°C", 0.1, 0.5), NewChannel("humidity", "%", 1.0, 3.0)]
    setting_up.add_instrument(desk, words.ROOM_LOGGER(), "logger", both, incubator_id=room.id)


def take_over(practice: Practice) -> None:
    """Live up to where the keeper takes over, with a steady hand that logs what it does."""
    lesson, world = practice.lesson, practice.world
    until = lesson.begins * DAY_S
    if lesson.posted:
        set_ms = SET_MS + DAY_MS
        planning.add_plan(
            practice.desk, practice.incubator, lesson.species, "steady", lesson.eggs, set_ms,
            words.batch(lesson.eggs), SET_MS - round(lesson.age_d * DAY_MS), "",
        )  # fmt: skip
    while world.now_s < until - 1.0:
        acts = keepers.visit(world) if world.now_s >= 0.0 else []
        for act in acts:
            _log_act(practice, act)
        # before the eggs go in there is nothing to do; then they are weighed as a steady hand does
        if any(abs(world.now_s - d * DAY_S) < 1.0 for d in WEIGHED_D):
            deeds.weigh(practice)
        practice.advance(min(until, world.now_s + keepers.VISIT_S if world.now_s >= 0.0 else 0.0), acts)
    if not lesson.posted and world.set_s is None:
        act = Act(world.now_s, "eggs in")
        _log_act(practice, act)
        practice.advance(world.now_s, [act])
    practice.notice()
    practice.keep()


def _log_act(practice: Practice, act: Act) -> None:
    """What the hand before did stands in the log."""
    practice.clock.at_ms = SET_MS + round(1000.0 * act.at_s)
    base = {"incubator_id": practice.incubator.id, "time_ms": practice.clock.at_ms, "note": ""}
    if act.what == "eggs in":
        deeds.set_eggs(practice)
    elif act.what == "set point":
        practice.desk.add(_("set point changed"), [(Event, {**base, "kind": "set_point", "set_point_c": act.amount})])
    elif act.what == "water":
        # as a jug shows it
        poured = round(max(0.0, practice.world.brim_ml(act.amount) - practice.world.box.state.water_ml), -1)
        wet = _wet(practice.desk, practice.incubator, act.amount)
        water.log_change(practice.desk, practice.incubator, wet, None, practice.clock.at_ms, poured)
    elif act.what == "vent":
        practice.desk.add(_("vent changed"), [(Event, {**base, "kind": "vent", "opening": act.amount})])


def _wet(desk: Desk, incubator: Incubator, surface_cm2: float) -> dict[int, float]:
    """Which of the surfaces make up so much, by their ids."""
    own = water.surfaces(desk.book, incubator)
    sets = [part for count in range(1, len(own) + 1) for part in combinations(own, count)]
    nearest = min(sets, key=lambda part: abs(sum(s.surface_cm2 for s in part) - surface_cm2))
    return {s.id: 1.0 for s in nearest}
