"""Whatever a keeper does in any order, undoing all leaves the logbook as it was, and redoing it as it became."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stathmis.core.errors import UserError
from stathmis.core.schedule import Habits
from stathmis.logbook import keeping
from stathmis.logbook.opening import open_logbook
from stathmis.logbook.records import Batch
from stathmis.services import batches, rounds, setting_up
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.eggs import break_out, findings, laying, moving, take_off
from stathmis.services.eggs.break_out import Draft
from stathmis.services.eggs.laying import Described
from stathmis.services.moisture import sizes, water, weights
from stathmis.services.plan import conflicts, lockdown, planning, tasks, turning
from stathmis.services.workbench import Workbench

NOW_MS = 1_779_093_600_000


def everything(bench: Workbench) -> dict[str, list[Any]]:
    """All records that count, by kind."""
    return {kind.__name__: keeping.all_of(bench.logbook, kind) for kind in keeping.KINDS}  # type: ignore[type-var]


def _course(bench: Workbench, which: int) -> Any:
    machines = bench.incubators()
    found = batches.running(bench, machines[which]) if which < len(machines) else None
    if found is None:
        raise UserError("That batch has ended in this story.")
    return found


def _weigh(bench: Workbench, n: int) -> None:
    course = _course(bench, 0)
    row = weights.Row("", 27, f"{560 - n % 7}.5", sure=True)
    found = weights.interpret(bench, course, row, bench.now_ms)
    assert found is not None
    weights.log_weighings(bench, course, [found], bench.now_ms, 0.1)


def _plan(bench: Workbench, n: int) -> None:
    planning.add_plan(bench, bench.incubators()[2], "chicken", "steady", 1 + n % 30, NOW_MS + (2 + n % 40) * DAY_MS)


def _move(bench: Workbench, n: int) -> None:
    own = planning.plans(bench)
    plan = own[n % len(own)]
    steps = [s for s in plan.steps if s.key != "hatch"]
    planning.move_step(bench, plan, steps[n % len(steps)].key, steps[n % len(steps)].at_ms + (n % 5 - 2) * DAY_MS)


def _task(bench: Workbench, n: int) -> None:
    own = tasks.today(bench)
    task = own[n % len(own)]
    (tasks.reopen if task.state != "open" else tasks.done)(bench, task)


def _find(bench: Workbench, n: int) -> None:
    kinds = ("alive", "doubtful", "late dead", "external pip", "out", "rotten")
    findings.log_finding(bench, _course(bench, 0), str(1 + n % 30), kinds[n % 6], bench.now_ms, take_out=n % 5 == 0)


def _lockdown(bench: Workbench, n: int) -> None:
    run = lockdown.run(bench, planning.plan_of(bench, _course(bench, 1).batch))
    if n % 4 == 0:
        (lockdown.open_lid if run.opened_ms is None else lockdown.shut_lid)(bench, run)
    else:
        lockdown.tick(bench, run, run.steps[n % len(run.steps)].key)


def _water(bench: Workbench, n: int) -> None:
    own = water.surfaces(bench, bench.incubators()[0])
    wet = {s.id: (0.0, 0.5, 1.0)[(n >> i) % 3] for i, s in enumerate(own)}
    water.log_change(bench, bench.incubators()[0], wet, (0.25, 0.5, 1.0)[n % 3], bench.now_ms, 50.0 + n % 9)


def _surface(bench: Workbench, n: int) -> None:
    machine = bench.incubators()[n % 3]
    own = water.surfaces(bench, machine)
    if own and n % 2:
        water.remove_surface(bench, own[n % len(own)])
    else:
        water.add_surface(bench, machine, f"dish {n}", str(10 + n % 90), "")


def _habits(bench: Workbench, n: int) -> None:
    own = planning.plans(bench)
    turned = ("machine", "by hand", "none")[n % 3]
    planning.change_habits(bench, own[n % len(own)], Habits(weighing=n % 2 == 0, turning=turned))


def _species(bench: Workbench, n: int) -> None:
    own = planning.plans(bench)
    planning.change_species(bench, own[n % len(own)], ("duck", "chicken", "leopard_gecko", "emu")[n % 4])


ACTIONS: tuple[Callable[[Workbench, int], Any], ...] = (
    _weigh,
    _plan,
    _move,
    _task,
    _find,
    _lockdown,
    _water,
    _surface,
    _habits,
    _species,
    lambda b, n: rounds.log_event(b, b.incubators()[n % 2], "vent", f"{n % 100} %", b.now_ms),
    lambda b, n: sizes.log_size(b, _course(b, 0), str(1 + n % 8), "41", "31", "", b.now_ms),
    lambda b, n: turning.log_turn(b, _course(b, n % 2), b.now_ms),
    lambda b, n: conflicts.add_away(b, NOW_MS + n * DAY_MS, NOW_MS + (n + 2) * DAY_MS, "fair"),
    lambda b, n: conflicts.set_capacity(b, b.incubators()[n % 3], 1 + n),
    lambda b, n: laying.lay_out(b, _course(b, 1), 1 + n % 9),
    lambda b, n: moving.swap(b, _course(b, 0), [(str(1 + n % 30), str(1 + (n * 7) % 30))]),
    lambda b, n: moving.move_batch(b, _course(b, n % 2), b.incubators()[n % 3], b.now_ms),
    lambda b, n: moving.move_some(b, _course(b, 0), [str(n % 30), str(n % 29)], b.incubators()[n % 3], b.now_ms),
    lambda b, n: laying.add_egg(b, _course(b, 0), f"m{n % 50}", Described(breed="game", mass="22")),
    lambda b, n: laying.describe(b, _course(b, 0), str(1 + n % 30), Described(source=f"yard {n}")),
    lambda b, n: laying.change_shape(b, _course(b, 0), ("ring", "rows", "grid")[n % 3]),  # type: ignore[arg-type]
    lambda b, n: break_out.open_egg(b, _course(b, 0), str(1 + n % 30), Draft("late", "", ["wet"]), b.now_ms),
    lambda b, n: take_off.take(b, _course(b, 0), 1 + n % 2, b.now_ms, "red", "", {"weak": n % 2}),
    lambda b, n: setting_up.remove_incubator(b, b.incubators()[n % 3]),
    lambda b, n: setting_up.end_batch(b, b.records(Batch)[-1]) if n % 11 == 0 else None,
)


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
@given(st.lists(st.tuples(st.integers(0, len(ACTIONS) - 1), st.integers(0, 200)), min_size=3, max_size=14))
def test_undoing_all_leaves_the_logbook_as_it_was(
    demo_file: Path, tmp_path: Path, story: list[tuple[int, int]]
) -> None:
    path = tmp_path / "story.stathmis"
    shutil.copy(demo_file, path)
    logbook = open_logbook(path)
    try:
        bench = Workbench(logbook, FixedClock(NOW_MS))
        before = everything(bench)
        for action, n in story:
            bench.clock.at_ms += 60_000  # type: ignore[attr-defined]
            try:
                ACTIONS[action](bench, n)
            except UserError as error:
                # what a keeper can mend is told in words, with nothing half done
                assert error.what
        after = everything(bench)
        while bench.undo() is not None:
            pass
        assert everything(bench) == before
        while bench.redo() is not None:
            pass
        assert everything(bench) == after
    finally:
        logbook.close()
    # and after a restart it is what it was
    again = open_logbook(path)
    assert everything(Workbench(again, FixedClock(NOW_MS))) == after
    again.close()
