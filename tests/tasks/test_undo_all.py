"""Whatever a keeper does in any order, undoing all leaves the logbook as it was, and redoing it as it became."""

from __future__ import annotations

import ast
import os
import shutil
import signal
import sqlite3
import tempfile
from collections.abc import Callable
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import stathmis.services
from making import put_to_use, typed
from stathmis.core.course.way import Way
from stathmis.core.errors import UserError
from stathmis.devices.source import KINDS
from stathmis.logbook import tables
from stathmis.logbook.opening import LogbookError, open_logbook
from stathmis.logbook.records import (
    Away,
    BreakOut,
    Channel,
    EggFinding,
    Event,
    Incubator,
    Instrument,
    Placement,
    Probe,
    Reading,
    ShellSeries,
    WatchedFolder,
    Weighing,
)
from stathmis.logbook.snapshot import Series
from stathmis.services import rounds, setting_up, trial
from stathmis.services.batch import batches, own_species, power_cut, profiles
from stathmis.services.batch.species import species_of
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.eggs import break_out, delivery, findings, laying, moving, pull, shells
from stathmis.services.eggs.break_out import Draft
from stathmis.services.eggs.laying import Described
from stathmis.services.files import backing_up, logger_import
from stathmis.services.findings import states
from stathmis.services.findings.doings import Change
from stathmis.services.instruments import at_hand, checking, history, places
from stathmis.services.moisture import sizes, water, weights
from stathmis.services.moisture import states as own_states
from stathmis.services.on_paper import columns, written
from stathmis.services.on_paper.written import Visit
from stathmis.services.plan import clutch, conflicts, lockdown, planning, tasks, turning
from stathmis.services.reading_field import interpret
from stathmis.services.setting_up import NewChannel
from stathmis.services.watch import folder_watch, live
from stathmis.services.watch.live import NewProbe

NOW_MS = 1_779_093_600_000


def everything(desk: Desk) -> dict[str, Any]:
    """All records that count, by kind, what loggers left, and the settings."""
    found: dict[str, Any] = {kind.__name__: desk.book.records(kind) for kind in tables.kinds()}
    for channel in desk.book.records(Channel):
        found[f"dense {channel.id}"] = desk.book.snapshot.heads(channel.id)
    return {**found, "settings": dict(desk.book.snapshot.settings)}


def _course(desk: Desk, which: int) -> Any:
    machines = desk.book.incubators()
    found = batches.running(desk.book, machines[which]) if which < len(machines) else None
    if found is None:
        raise UserError("That batch has ended in this story.")
    return found


def _weigh(desk: Desk, n: int) -> None:
    course = _course(desk, 0)
    row = weights.OnScale("", 27, f"{560 - n % 7}.5", sure=True)
    found = weights.interpret(desk.book, course, row, desk.now_ms)
    assert found is not None
    weights.log_weighings(desk, course, [found], desk.now_ms, 0.1)


def _plan(desk: Desk, n: int) -> None:
    planning.add_plan(desk, desk.book.incubators()[2], "chicken", "steady", 1 + n % 30, NOW_MS + (2 + n % 40) * DAY_MS)


def _move(desk: Desk, n: int) -> None:
    own = planning.plans(desk.book)
    plan = own[n % len(own)]
    steps = [s for s in plan.steps if s.key != "hatch"]
    planning.move_step(desk, plan, steps[n % len(steps)].key, steps[n % len(steps)].at_ms + (n % 5 - 2) * DAY_MS)


def _task(desk: Desk, n: int) -> None:
    own = tasks.today(desk.book)
    task = own[n % len(own)]
    (tasks.reopen if task.state != "open" else tasks.done)(desk, task)


def _find(desk: Desk, n: int) -> None:
    kinds = ("alive", "doubtful", "late dead", "external pip", "out", "rotten")
    findings.log_finding(desk, _course(desk, 0), str(1 + n % 30), kinds[n % 6], desk.now_ms, take_out=n % 5 == 0)


def _lockdown(desk: Desk, n: int) -> None:
    run = lockdown.run(desk.book, planning.plan_of(desk.book, _course(desk, 1).batch))
    if n % 4 == 0:
        (lockdown.open_lid if run.opened_ms is None else lockdown.shut_lid)(desk, run)
    else:
        lockdown.tick(desk, run, run.steps[n % len(run.steps)].key)


def _water(desk: Desk, n: int) -> None:
    own = water.surfaces(desk.book, desk.book.incubators()[0])
    wet = {s.id: (0.0, 0.5, 1.0)[(n >> i) % 3] for i, s in enumerate(own)}
    water.log_change(desk, desk.book.incubators()[0], wet, (0.25, 0.5, 1.0)[n % 3], desk.now_ms, 50.0 + n % 9)


def _surface(desk: Desk, n: int) -> None:
    machine = desk.book.incubators()[n % 3]
    own = water.surfaces(desk.book, machine)
    if own and n % 2:
        water.remove_surface(desk, own[n % len(own)])
    else:
        water.add_surface(desk, machine, f"dish {n}", str(10 + n % 90), "")


def _habits(desk: Desk, n: int) -> None:
    own = planning.plans(desk.book)
    turned = ("machine", "by hand", "none")[n % 3]
    way = Way(weighing=n % 2 == 0, turning=turned, set_c=37.2 + 0.1 * (n % 3))
    planning.change_way(desk, own[n % len(own)], way, whole=n % 2 == 0)


def _species(desk: Desk, n: int) -> None:
    own = planning.plans(desk.book)
    planning.change_species(desk, own[n % len(own)], ("duck", "chicken", "leopard_gecko", "emu")[n % 4])


def _first(desk: Desk) -> Any:
    return desk.book.incubators()[0]


def _task_of(desk: Desk, n: int) -> Any:
    own = [t for t in tasks.today(desk.book) if t.state == "open"]
    return own[n % len(own)]


def _checked(desk: Desk, n: int) -> None:
    first = desk.book.hanging_in(_first(desk).id, desk.now_ms)
    channel = next(c for i, _, own in first if i.kind != "logger" for c in own if c.quantity == "temperature")
    (lab, *_) = [c for _, c in checking.references(desk.book, channel)]
    put_to_use(desk, typed(desk, channel, [("37.0 37.1", f"37.{n % 9}"), ("38.0", f"38.{n % 7}")], against=lab))


def _survey(desk: Desk, n: int) -> None:
    machine = _first(desk)
    own = [c for _, _, own in desk.book.hanging_in(machine.id, desk.now_ms) for c in own if c.quantity == "temperature"]
    cells = [places.Cell("back left", own[0].id, f"37.{n % 9}"), places.Cell("front right", own[0].id, "37.2")]
    places.keep_survey(desk, machine, places.compare_places(desk.book, cells, "0.1"), None)


def _channel(desk: Desk, n: int) -> Channel:
    own = desk.book.records(Channel)
    return own[n % len(own)]


def _typed_round(desk: Desk, n: int) -> None:
    sheet = rounds.sheet(desk.book, _first(desk))
    line = next(x for x in sheet.lines if x.channel.quantity == "humidity")
    rounds.log_round(desk, {line.channel.id: interpret(str(30 + n % 50), line.channel)}, desk.now_ms)


def _brought(desk: Desk, n: int) -> None:
    times = desk.now_ms - np.arange(5 + n % 9, 0, -1, dtype=np.int64) * 1000
    logger_import.keep_series(desk, f"{n}.csv", {_channel(desk, 0).id: Series(times, np.full(times.size, 37.5))})


def _taken_in(desk: Desk, n: int) -> None:
    folder = Path(tempfile.mkdtemp(prefix="stathmis-test-"))
    try:
        at = desk.book.local(desk.now_ms - 60_000)
        (folder / f"{n}.csv").write_text(f"time,temp °C\n{at:%Y-%m-%d %H:%M:%S},37.5\n", encoding="utf-8")
        plan = logger_import.propose(desk.book, folder / f"{n}.csv")
        logger_import.store(desk, logger_import.examine(desk.book, plan))
    finally:
        shutil.rmtree(folder)


def _watched(desk: Desk, n: int) -> None:
    folder = Path(tempfile.mkdtemp(prefix="stathmis-test-"))
    try:
        (folder / "a.csv").write_text("time,temp °C\n2026-05-07 08:00,37.5\n", encoding="utf-8")
        folder_watch.watch_folder(desk, logger_import.propose(desk.book, folder / "a.csv"))
    finally:
        shutil.rmtree(folder)


def _profile(desk: Desk, n: int) -> int:
    own = profiles.start_from(desk.book, "chicken", "steady")
    return profiles.keep_profile(desk, replace(own, name=f"mine {n} {desk.now_ms}"))


def _newest(desk: Desk, kind: type, make: Callable[[Desk, int], Any], n: int) -> Any:
    """The newest record of a kind, entered first where there is none."""
    if not desk.book.records(kind):
        make(desk, n)
    return desk.book.records(kind)[-1]


def _states(desk: Desk) -> Any:
    machine = _first(desk)
    air = states.air_of(desk.book, machine, 0, desk.now_ms)
    return states.find_states(desk.book, machine, air, desk.now_ms)


def _include(desk: Desk) -> None:
    own_states.drop(desk, _first(desk), next(s for s in _states(desk) if s.dropped_id is None))
    own_states.include(desk, next(s for s in _states(desk) if s.dropped_id is not None))


def _away(desk: Desk, n: int) -> None:
    conflicts.add_away(desk, NOW_MS + n * DAY_MS, NOW_MS + (n + 2) * DAY_MS, "fair")


def _probe(desk: Desk, n: int) -> None:
    fields = {"t": (_channel(desk, 0).id, "°C")}
    live.add_probe(desk, NewProbe(f"P{n} {desk.now_ms}", f"/dev/x{desk.now_ms}", fields, KINDS[n % len(KINDS)]))


def _written(desk: Desk, n: int) -> None:
    own = columns.of_round(desk.book)
    cells = tuple(str(30 + n % 50) if i == 0 else "" for i in range(len(own)))
    if not own:
        raise UserError("no display hangs anywhere")
    written.keep(desk, own, [Visit(f"{desk.book.local(desk.now_ms):%Y-%m-%d %H:%M}", cells)])


def _planned(desk: Desk, n: int) -> Any:
    _plan(desk, n)
    return next(p for p in reversed(planning.plans(desk.book)) if p.batch is None)


def _weighing(desk: Desk, n: int) -> None:
    weights.strike_weighing(desk, desk.book.records(Weighing)[-1])


def _reopened(desk: Desk, n: int) -> None:
    task = _task_of(desk, n)
    tasks.skip(desk, task, "rain")
    tasks.reopen(desk, next(t for t in tasks.today(desk.book) if (t.subject, t.step) == (task.subject, task.step)))


def _lid(desk: Desk, n: int) -> None:
    run = lockdown.run(desk.book, planning.plan_of(desk.book, _course(desk, 1).batch))
    (lockdown.open_lid if run.opened_ms is None else lockdown.shut_lid)(desk, run)


def _move_instrument(desk: Desk, n: int) -> None:
    instrument = desk.book.records(Instrument)[n % len(desk.book.records(Instrument))]
    here = {p.incubator_id for p in desk.book.records(Placement, instrument_id=instrument.id, to_ms=None)}
    to = next(i.id for i in desk.book.incubators() if i.id not in here)
    setting_up.move_instrument(desk, instrument.id, to, at_egg_top=n % 2 == 0)


def _new_machine(desk: Desk, n: int) -> int:
    return setting_up.add_incubator(desk, f"Box {n} {desk.now_ms}", "still", 38.5)


def _taken_away(desk: Desk, n: int) -> None:
    made = _new_machine(desk, n)
    setting_up.remove_incubator(desk, desk.book.one(Incubator, made))


def _described(desk: Desk, n: int) -> None:
    laying.describe(desk, _course(desk, 0), str(1 + n % 30), Described(source=f"yard {n}"))


def _taken(desk: Desk, n: int) -> None:
    course, mark = _course(desk, 0), str(1 + n % 30)
    for kind in ("external pip", "out"):
        findings.log_finding(desk, course, mark, kind, desk.now_ms)
    pull.take(desk, course, 1, desk.now_ms, "red", "", {"weak": n % 2})


def _set(desk: Desk, n: int) -> None:
    waiting = [p for p in planning.plans(desk.book) if p.batch is None]
    planning.set_eggs(desk, waiting[0] if waiting else _planned(desk, n), desk.now_ms)


def _count(desk: Desk, n: int) -> None:
    laid = bool(laying.own_eggs(desk.book, _course(desk, 1)))
    findings.log_count(desk, _course(desk, 0 if laid else 1), "out", 1, desk.now_ms)


def _power(desk: Desk, n: int) -> None:
    machine = _first(desk)
    power_cut.log_power_cut(desk, machine, power_cut.cool_down(desk.book, machine, "2", "20"), desk.now_ms)


def _opened_egg(desk: Desk, n: int) -> None:
    break_out.open_egg(desk, _course(desk, 0), str(1 + n % 30), Draft("late", "", ["wet"]), desk.now_ms)


def _instrument(desk: Desk, n: int) -> None:
    new = [NewChannel("temperature", "°C", 0.1, 0.5), NewChannel("humidity", "%", 1.0, 5.0)]
    setting_up.add_instrument(desk, f"Stick {n} {desk.now_ms}", "stick", new, incubator_id=_first(desk).id)


def _certified(desk: Desk, n: int) -> None:
    low = [c for c in desk.book.records(Channel) if c.quantity == "temperature" and c.unit == "°C"]
    setting_up.add_certificate(desk, low[n % len(low)].id, desk.now_ms - n, [(37.5, 0.1, 0.05)])


def _reshaped(desk: Desk, n: int) -> None:
    other = next(s for s in ("ring", "rows", "grid") if s != _course(desk, 0).batch.tray)
    laying.change_shape(desk, _course(desk, 0), other)  # type: ignore[arg-type]


def _between(desk: Desk, n: int) -> None:
    channel = _channel(desk, n)
    history.set_between_checks(desk, channel, channel.between_checks != "between")


def _own_species(desk: Desk, n: int) -> int:
    draft = own_species.draft_of(species_of(desk.book, "duck"), "°C", copy=True)
    return own_species.keep(desk, own_species.typed(draft, "name", f"teal {n} {desk.now_ms}"))


def _unmoved(desk: Desk, n: int) -> None:
    plan = planning.plans(desk.book)[0]
    planning.move_step(desk, plan, "lockdown", plan.set_ms + (19 + n % 3) * DAY_MS)
    planning.unmove_step(desk, planning.plans(desk.book)[0], "lockdown")


def _paired(desk: Desk, n: int) -> clutch.Awaited:
    clutch.log_pairing(desk, "leopard_gecko", f"Fig {n}", desk.now_ms - DAY_MS)
    return next(a for a in clutch.awaited(desk.book) if a.pairing.mother == f"Fig {n}")


def _shells(desk: Desk, n: int) -> None:
    channel = shells.instruments(desk.book)[n % 2][1]
    shells.log_shells(desk, _course(desk, 0), channel, f"37.{n % 10}C 37.8C 38C", "", desk.now_ms)


ACTIONS: dict[str, Callable[[Desk, int], Any]] = {
    "eggs.break_out.open_egg": _opened_egg,
    "eggs.break_out.strike": lambda d, n: break_out.strike(d, _newest(d, BreakOut, _opened_egg, n)),
    "eggs.findings.log_finding": _find,
    "eggs.findings.log_count": _count,
    "eggs.findings.strike": lambda d, n: findings.strike(d, d.book.records(EggFinding)[-1]),
    "eggs.laying.lay_out": lambda d, n: laying.lay_out(d, _course(d, 1), 1 + n % 9),
    "eggs.laying.add_egg": lambda d, n: laying.add_egg(
        d, _course(d, 0), f"m{d.now_ms % 99991}", Described(breed="game", mass="22")
    ),
    "eggs.laying.describe": _described,
    "eggs.laying.change_shape": _reshaped,
    "eggs.moving._put": lambda d, n: moving.swap(d, _course(d, 0), [(str(1 + n % 30), str(1 + (n + 7) % 30))]),
    "eggs.moving.move_batch": lambda d, n: moving.move_batch(d, _course(d, n % 2), d.book.incubators()[2], d.now_ms),
    "eggs.moving.move_some": lambda d, n: moving.move_some(
        d, _course(d, 0), [str(1 + n % 30), str(1 + (n + 1) % 30)], d.book.incubators()[2], d.now_ms
    ),
    "eggs.delivery.note": lambda d, n: delivery.note(d, planning.plans(d.book)[0], "cracked", str(1 + n % 7)),
    "eggs.pull.take": _taken,
    "watch.folder_watch.watch_folder": _watched,
    "watch.folder_watch.stop_watching": lambda d, n: folder_watch.stop_watching(
        d, _newest(d, WatchedFolder, _watched, n)
    ),
    "instruments.checking.put_to_use": _checked,
    "instruments.history.set_between_checks": _between,
    "instruments.places.keep_survey": _survey,
    "watch.live.add_probe": _probe,
    "watch.live.remove_probe": lambda d, n: live.remove_probe(d, _newest(d, Probe, _probe, n)),
    "files.logger_import.keep_series": _brought,
    "files.logger_import.store": _taken_in,
    "moisture.states.choose_vent_habit": lambda d, n: own_states.choose_vent_habit(d, ("narrow", "open")[n % 2]),
    "moisture.sizes.log_size": lambda d, n: sizes.log_size(d, _course(d, 0), str(1 + n % 8), "41", "31", "", d.now_ms),
    "moisture.states.drop": lambda d, n: own_states.drop(
        d, _first(d), next(s for s in _states(d) if s.dropped_id is None)
    ),
    "moisture.states.include": lambda d, n: _include(d),
    "moisture.water.add_surface": lambda d, n: water.add_surface(
        d, d.book.incubators()[n % 3], f"dish {d.now_ms}", str(10 + n % 90), ""
    ),
    "moisture.water.remove_surface": lambda d, n: water.remove_surface(d, water.surfaces(d.book, _first(d))[-1]),
    "moisture.water.log_change": _water,
    "moisture.weights.log_weighings": _weigh,
    "moisture.weights.strike_weighing": _weighing,
    "plan.clutch.log_box": lambda d, n: clutch.log_box(d, _course(d, 0), str(400 + n)),
    "plan.clutch.log_pairing": _paired,
    "plan.clutch.strike_pairing": lambda d, n: clutch.strike_pairing(d, _paired(d, n)),
    "eggs.shells.log_shells": _shells,
    "eggs.shells.strike": lambda d, n: shells.strike(d, _newest(d, ShellSeries, _shells, n)),
    "plan.conflicts.add_away": _away,
    "plan.conflicts.remove_away": lambda d, n: conflicts.remove_away(d, _newest(d, Away, _away, n)),
    "plan.conflicts.set_capacity": lambda d, n: conflicts.set_capacity(d, d.book.incubators()[n % 3], 1 + n),
    "plan.lockdown._lid": _lid,
    "plan.lockdown.tick": _lockdown,
    "plan.planning.add_plan": _plan,
    "plan.planning.move_step": _move,
    "plan.planning.change_way": _habits,
    "plan.planning.change_species": _species,
    "plan.planning.drop_plan": lambda d, n: planning.drop_plan(d, _planned(d, n)),
    "plan.planning.set_eggs": _set,
    "plan.tasks.done": lambda d, n: tasks.done(d, _task_of(d, n)),
    "plan.tasks._mark": lambda d, n: tasks.skip(d, _task_of(d, n), "rain"),
    "plan.tasks.mark_seen": lambda d, n: tasks.mark_seen(d, planning.plans(d.book)[0], "turner seen"),
    "plan.tasks.reopen": _reopened,
    "plan.turning.log_turn": lambda d, n: turning.log_turn(d, _course(d, n % 2), d.now_ms),
    "batch.power_cut.log_power_cut": _power,
    "batch.profiles.keep_profile": _profile,
    "batch.profiles.remove_profile": lambda d, n: profiles.remove_profile(d, _profile(d, n)),
    "batch.profiles.follow": lambda d, n: profiles.follow(
        d, _course(d, 0).batch, ("moist", "lean", "steady")[n % 3], ("from 1", "down")[n % 2]
    ),
    "trial.do": lambda d, n: trial.do(d, _first(d), Change("vent", (1 + n % 90) / 100)),
    "rounds.log_round": _typed_round,
    "rounds.strike_reading": lambda d, n: rounds.strike_reading(d, d.book.records(Reading)[-1].id, "wrong"),
    "rounds.log_event": lambda d, n: rounds.log_event(d, _first(d), "vent", f"{n % 100} %", d.now_ms),
    "rounds.strike_event": lambda d, n: rounds.strike_event(d, d.book.records(Event)[-1].id),
    "setting_up.add_incubator": _new_machine,
    "setting_up.add_instrument": _instrument,
    "setting_up.move_instrument": _move_instrument,
    "files.backing_up.set_second_folder": lambda d, n: backing_up.set_second_folder(d, "/usr" if n % 2 else "/"),
    "setting_up.set_place": lambda d, n: setting_up.set_place(d, f"Shed {n}", 100.0 + n),
    "setting_up.add_certificate": _certified,
    "setting_up.change_channel": lambda d, n: setting_up.change_channel(d, _channel(d, n), 0.5, 1.0 + n, None),
    "setting_up.remove_incubator": _taken_away,
    "setting_up.set_batch": lambda d, n: setting_up.set_batch(
        d, d.book.incubators()[2], "", "chicken", "steady", 1 + n, d.now_ms
    ),
    "batch.own_species.keep": _own_species,
    "batch.own_species.remove": lambda d, n: own_species.remove(d, _own_species(d, n)),
    "plan.planning.unmove_step": _unmoved,
    "setting_up.end_batch": lambda d, n: setting_up.end_batch(d, _course(d, 1).batch),
    "instruments.at_hand.choose": lambda d, n: at_hand.choose(d, "ice", here="ice" not in d.book.settings.at_hand),
    "on_paper.written.keep": _written,
}
UNCHANGED_AT_LAST = (
    "reopen",
    "include",
    "remove_profile",
    "remove_incubator",
    "own_species.remove",
    "unmove_step",
    "strike_pairing",
)
"""What they take away is entered first: at last all is as before."""
NOTED = {"watch.alarm_log.log_alarm", "watch.foresight.keep", "plan.calendar.write"}
"""What the application notes by itself: no edit of the keeper's, and undo passes it by."""


def editors() -> set[str]:
    """Every function of the services that edits the logbook, by its source."""
    root = Path(stathmis.services.__file__).parent
    found = set()
    for path in root.rglob("*.py"):
        for f in ast.parse(path.read_text(encoding="utf-8")).body:
            if isinstance(f, ast.FunctionDef) and f.args.args and f.args.args[0].arg == "desk":
                text = ast.unparse(f)
                if any(f"desk.{verb}(" in text for verb in ("edit", "add", "strike")):
                    found.add(".".join([*path.relative_to(root).with_suffix("").parts, f.name]))
    return found


def test_no_action_is_left_out() -> None:
    assert editors() == set(ACTIONS) | NOTED


@pytest.fixture
def story(demo_file: Path, tmp_path: Path) -> Path:
    """A copy of the demo logbook."""
    return Path(shutil.copy(demo_file, tmp_path / "story.stathmis"))


def made_so_far(desk: Desk) -> int:
    """How many edits are in the journal."""
    with desk.logbook.reading() as connection:
        return int(connection.execute("SELECT count(*) FROM edit").fetchone()[0])


def opened(path: Path, at_ms: int = NOW_MS) -> Desk:
    return Desk(open_logbook(path), FixedClock(at_ms))


def test_every_action_is_taken_back_and_done_again_also_after_a_restart(story: Path) -> None:
    desk = opened(story)
    try:
        for i, (name, action) in enumerate(ACTIONS.items()):
            desk.clock.at_ms += 60_000  # type: ignore[attr-defined]
            before, already = everything(desk), made_so_far(desk)
            action(desk, i)
            after = everything(desk)
            steps = made_so_far(desk) - already
            assert after != before or name.endswith(UNCHANGED_AT_LAST), name
            assert steps >= 1, f"{name} leaves no trace in the journal"
            for _ in range(steps):
                assert desk.undo() is not None
            assert everything(desk) == before, f"{name} taken back"
            if i % 4 == 0:
                at = desk.now_ms
                desk.logbook.close()
                desk = opened(story, at)
            for _ in range(steps):
                assert desk.redo() is not None
            assert everything(desk) == after, f"{name} done again"
            assert desk.redo() is None
            if name in ("setting_up.end_batch", "eggs.moving.move_batch", "plan.planning.change_species"):
                desk.undo()
    finally:
        desk.logbook.close()


@settings(max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
@given(st.lists(st.tuples(st.sampled_from(sorted(ACTIONS)), st.integers(0, 200)), min_size=3, max_size=14))
def test_undoing_all_leaves_the_logbook_as_it_was(demo_file: Path, tmp_path: Path, told: list[tuple[str, int]]) -> None:
    path = Path(shutil.copy(demo_file, tmp_path / "story.stathmis"))
    desk = opened(path)
    try:
        before, first = everything(desk), made_so_far(desk)
        for action, n in told:
            desk.clock.at_ms += 60_000  # type: ignore[attr-defined]
            try:
                ACTIONS[action](desk, n)
            except (UserError, StopIteration, IndexError, AssertionError) as error:
                # what a keeper can mend is told in words, with nothing half done
                assert not isinstance(error, UserError) or error.what
        after, steps = everything(desk), made_so_far(desk) - first
        for _ in range(steps):
            assert desk.undo() is not None
        assert everything(desk) == before
        at = desk.now_ms
        desk.logbook.close()
        desk = opened(path, at)
        for _ in range(steps):
            assert desk.redo() is not None
        assert everything(desk) == after
    finally:
        desk.logbook.close()
        for end in ("-wal", "-shm", ".lock"):
            path.with_name(path.name + end).unlink(missing_ok=True)


KILLED = (
    "setting_up.add_instrument", "instruments.checking.put_to_use", "eggs.moving.move_some", "plan.planning.set_eggs",
    "moisture.weights.log_weighings", "files.logger_import.keep_series", "batch.profiles.follow",
)  # fmt: skip


@pytest.mark.parametrize("name", KILLED)
def test_killed_between_any_two_statements_it_is_whole_or_not_there(story: Path, tmp_path: Path, name: str) -> None:
    copy = Path(shutil.copy(story, tmp_path / "whole.stathmis"))
    desk = opened(copy)
    before = everything(desk)
    ACTIONS[name](desk, 3)
    after = everything(desk)
    desk.logbook.close()
    ends = set()
    # every one of the first statements, then ever larger steps: a long edit writes many rows alike
    for statement in (*range(1, 12), *(round(12 * 1.3**i) for i in range(30))):
        path = Path(shutil.copy(story, tmp_path / f"k{statement}.stathmis"))
        child = os.fork()
        if child == 0:
            try:
                _die_at(opened(path), ACTIONS[name], statement)
            finally:
                os._exit(0)
        _, status = os.waitpid(child, 0)
        desk = opened(path)
        found = everything(desk)
        desk.logbook.close()
        assert found in (before, after), f"half of {name} after {statement} statements"
        ends.add(found == after)
        if not os.WIFSIGNALED(status):
            break
    assert ends == {True, False}, "killed before and after it was kept"


def _die_at(desk: Desk, action: Callable[[Desk, int], Any], statement: int) -> None:
    """Do it, and be killed just before a statement."""
    seen = 0

    def before(_text: str) -> None:
        nonlocal seen
        seen += 1
        if seen == statement:
            os.kill(os.getpid(), signal.SIGKILL)

    with desk.logbook.writing() as work:
        work.connection.set_trace_callback(before)
    seen = 0
    action(desk, 3)


def test_undo_says_what_does_not_fit_and_changes_nothing(story: Path) -> None:
    desk = opened(story)
    setting_up.set_place(desk, "Shed", 300.0)
    rounds.log_event(desk, _first(desk), "note", "mine", desk.now_ms)
    event = desk.book.records(Event)[-1]
    desk.logbook.close()
    with closing(sqlite3.connect(story)) as other:
        other.execute("UPDATE event SET note = 'another program' WHERE id = ?", (event.id,))
        other.commit()
    desk = opened(story)
    before = everything(desk)
    with pytest.raises(LogbookError, match="changed since by another"):
        desk.undo()
    assert everything(desk) == before
    desk.logbook.close()
    with closing(sqlite3.connect(story)) as other:
        other.execute("UPDATE edit_row SET \"of\" = 'moon' WHERE edit_id = (SELECT max(id) FROM edit)")
        other.commit()
    desk = opened(story)
    with pytest.raises(LogbookError, match="does not know"):
        desk.undo()
    assert everything(desk) == before
    desk.logbook.close()
