"""Makes things tests need often: instruments with references, and checks as a keeper would type them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from stathmis.logbook import keeping, readings
from stathmis.logbook.readings import Series
from stathmis.logbook.records import Channel, Incubator
from stathmis.services import batches, setting_up
from stathmis.services.batches import Course
from stathmis.services.clock import DAY_MS
from stathmis.services.eggs import findings
from stathmis.services.instruments import checking
from stathmis.services.instruments.checking import Check
from stathmis.services.instruments.draft import Draft, Row, new_draft
from stathmis.services.setting_up import NewChannel
from stathmis.services.workbench import Workbench

Point = tuple[str, str] | tuple[str, dict[str, str]]


def instrument(bench: Workbench, name: str, quantity: str = "temperature", **more: object) -> Channel:
    """Enter an instrument with one channel (0.1 °C, or 1 %) and return it."""
    unit = str(more.pop("unit", "°C" if quantity == "temperature" else "%"))
    step = float(more.pop("step", 0.1 if quantity == "temperature" else 1.0))  # type: ignore[arg-type]
    accuracy = float(more.pop("accuracy", 1.0 if quantity == "temperature" else 5.0))  # type: ignore[arg-type]
    channel = NewChannel(quantity, unit, step, accuracy)  # type: ignore[arg-type]
    kind = str(more.pop("kind", "probe"))
    made = setting_up.add_instrument(bench, name, kind, [channel], **more)  # type: ignore[arg-type]
    return keeping.all_of(bench.logbook, Channel, instrument_id=made)[0]


def reference(bench: Workbench, name: str = "Lab", quantity: str = "temperature", **more: object) -> Channel:
    """Enter a reference (0.01 °C, or 0.1 %) whose certificate of 30 days ago says: add 0.10 ± 0.04 (k = 2)."""
    points = more.pop("points", None) or (
        [(0.0, 0.1, 0.04), (45.0, 0.1, 0.04)] if quantity == "temperature" else [(30.0, 0.0, 1.0), (80.0, 0.0, 1.0)]
    )
    days = int(more.pop("days", 30))  # type: ignore[call-overload]
    drift = float(more.pop("drift", 0.0))  # type: ignore[arg-type]
    step = 0.01 if quantity == "temperature" else 0.1
    found = instrument(bench, name, quantity, step=step, accuracy=0.1, reference=True, **more)
    dated = bench.now_ms - days * DAY_MS
    setting_up.add_certificate(bench, found.id, dated, points, drift_per_year=drift)  # type: ignore[arg-type]
    return found


def typed(
    bench: Workbench,
    channel: Channel,
    points: Sequence[Point],
    method: str = "side",
    against: Channel | None = None,
    *,
    model: str = "auto",
    **allowances: str,
) -> Draft:
    """A check as typed: (this one shows, reference shows or the other fields by key) a point."""
    made = new_draft(channel, bench.altitude_m, method)
    made.model = model
    taken = made.sets[0]
    taken.reference_id = None if against is None else against.id
    taken.allowances.update(allowances)
    taken.rows = [Row(shown, {"reference": cell} if isinstance(cell, str) else dict(cell)) for shown, cell in points]
    return made


def checked(bench: Workbench, channel: Channel, points: Sequence[Point], **how: object) -> tuple[Draft, Check]:
    """A check as typed, and what it comes to."""
    draft = typed(bench, channel, points, **how)  # type: ignore[arg-type]
    return draft, checking.evaluate(bench, draft)


def put_to_use(bench: Workbench, draft: Draft, valid_from_ms: int | None = None) -> int:
    """Put a draft to use, from now by default."""
    at = bench.now_ms if valid_from_ms is None else valid_from_ms
    return checking.put_to_use(bench, draft, checking.evaluate(bench, draft), at)


def batch_with_log(
    bench: Workbench, air: np.ndarray, species: str = "chicken", machine: str = "forced"
) -> tuple[Course, Channel]:
    """A batch whose checked logger showed this air, one reading a minute, ending five minutes ago."""
    made = setting_up.add_incubator(bench, "Cabinet", machine, 37.5)
    incubator = next(i for i in bench.incubators() if i.id == made)
    lab = reference(bench, points=[(0.0, 0.0, 0.04), (45.0, 0.0, 0.04)])
    logger = instrument(bench, "Logger", step=0.01, incubator_id=made)
    put_to_use(bench, typed(bench, logger, [("37.50 37.51 37.49", "37.50 37.50")], against=lab), 0)
    start = bench.now_ms - (air.size + 5) * 60_000
    setting_up.set_batch(bench, incubator, "", species, "steady", 12, start)
    times = start + np.arange(air.size, dtype=np.int64) * 60_000
    keep = np.isfinite(air)
    shown = Series(times[keep], air[keep].round(2))
    readings.store_import(bench.logbook, "l.csv", bench.now_ms, {logger.id: shown}, 0, 0)
    bench.changed()
    course = batches.running(bench, next(i for i in bench.incubators() if i.id == made))
    assert course is not None
    return course, logger


def batch_late(bench: Workbench, day: float = 20.5, species: str = "chicken", eggs: int = 12) -> Course:
    """A batch that was set so many days ago, without a log."""
    already = len(bench.incubators())
    made = setting_up.add_incubator(bench, f"Cabinet {already}" if already else "Cabinet", "forced", 37.5)
    incubator = keeping.one(bench.logbook, Incubator, made)
    setting_up.set_batch(bench, incubator, "", species, "steady", eggs, bench.now_ms - round(day * DAY_MS))
    found = batches.running(bench, incubator)
    assert found is not None
    return found


def found(bench: Workbench, course: Course, mark: str, kind: str, hours_ago: float = 0.0, **more: bool) -> None:
    """Something found at an egg, so many hours ago."""
    findings.log_finding(bench, course, mark, kind, bench.now_ms - round(hours_ago * 3_600_000), **more)


def logged(bench: Workbench, rh: np.ndarray) -> Course:
    """A batch with a humidity log of one reading a minute, up to now."""
    course, _ = batch_with_log(bench, np.full(20 * 1440, 37.5))
    lab = reference(bench, "Lab hygrometer", "humidity")
    moist = instrument(bench, "Moist", "humidity", step=0.1, incubator_id=course.incubator.id)
    put_to_use(bench, typed(bench, moist, [("33.0 33.1", "33.0"), ("60.0 60.1", "60.0")], against=lab), 0)
    times = bench.now_ms - np.arange(rh.size, 0, -1, dtype=np.int64) * 60_000
    readings.store_import(bench.logbook, "m.csv", bench.now_ms, {moist.id: Series(times, rh)}, 0, 0)
    bench.changed()
    own = batches.running(bench, course.incubator)
    assert own is not None
    return own
