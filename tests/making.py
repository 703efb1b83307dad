"""Makes things tests need often: instruments with references, and checks as a keeper would type them."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from hypothesis import settings
from hypothesis import strategies as st

from stathmis.core.course.way import CANDLINGS, Way
from stathmis.logbook.records import Channel, Incubator, Reading
from stathmis.logbook.snapshot import Series
from stathmis.services import setting_up
from stathmis.services.advice import heat
from stathmis.services.advice import now as adviser
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs import findings
from stathmis.services.files import logger_import
from stathmis.services.instruments import checking
from stathmis.services.instruments.checking import Check
from stathmis.services.instruments.draft import Draft, Row, new_draft
from stathmis.services.rounds import RoundSheet
from stathmis.services.setting_up import NewChannel
from stathmis.words.advice import Said, said

TRIALS = int(os.environ.get("STATHMIS_TRIALS", "400"))
"""Calibrations simulated where a stated 95 % is counted: 10,000 in the long run, with slack for chance to match."""
LONG = TRIALS >= 10_000


def cases(few: int) -> settings:
    """So many cases of a property each of which is a whole simulation; a hundred in the long run."""
    return settings(max_examples=100 if LONG else few)


ANY_WAY = st.builds(
    Way,
    candling=st.sampled_from(sorted(CANDLINGS)),
    candling_days=st.lists(st.floats(0.5, 30), max_size=4).map(lambda days: tuple(sorted(days))),
    turning=st.sampled_from(["machine", "by hand", "none"]),
    cooling=st.sampled_from(["", "none", "by hand", "by machine"]),
    turns_a_day=st.integers(1, 48),
    coolings_a_day=st.integers(1, 6),
    counter_day=st.none() | st.floats(1, 40),
    still_offset_k=st.none() | st.floats(0, 3),
    setting_rh=st.none() | st.tuples(st.floats(5, 50), st.floats(51, 100)),
    set_c=st.none() | st.floats(20, 42),
    wished=st.sampled_from(["", "females", "males"]),
    airing_day=st.none() | st.integers(0, 6),
    box=st.text(max_size=40),
    held=st.sampled_from(["air", "shell"]),
    late_hot_k=st.none() | st.floats(0.3, 5),
    late_dry_rh=st.none() | st.floats(1, 60),
)
"""Whatever a keeper may say of a way."""


def environment(**more: str) -> dict[str, str]:
    """What a process of ours is started in: without a display, from this source."""
    quiet = {"QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(Path(__file__).resolve().parent.parent / "src")}
    return {**os.environ, **quiet, **more}


def holds_95(inside: int) -> bool:
    """Whether a stated 95 % holds the truth in 94-96 % of 10,000 trials; of fewer, chance may add as much again."""
    slack = max(0.0, 2.0 * (0.95 * 0.05) ** 0.5 * (TRIALS**-0.5 - 0.01))
    return abs(inside / TRIALS - 0.95) <= 0.01 + slack


def typed_in(desk: Desk, rows: Sequence[tuple[int, int, float, str, str]]) -> list[int]:
    """Readings typed by hand, as they stand: channel id, UTC ms, value, its unit, what was typed. Returns their ids."""
    names = ("channel_id", "time_ms", "value", "unit", "typed")
    with desk.edit("readings logged") as edit:
        return [edit.add(Reading, **dict(zip(names, row, strict=True)), logged_ms=desk.now_ms) for row in rows]


def mend(desk: Desk, kind: type, record_id: int, **fields: object) -> None:
    """Change fields of a record as no page does."""
    with desk.edit("mended") as edit:
        edit.change(kind, record_id, **fields)


def told(desk: Desk, sheet: RoundSheet, *verdicts_and_box: Any) -> list[Said]:
    """What is advised, in words."""
    return [said(desk.book, a) for a in adviser.advise(desk.book, sheet, *verdicts_and_box)]


def set_point_words(desk: Desk, incubator: Incubator) -> str:
    """What the controller's page says first."""
    return said(desk.book, heat.advise(desk.book, incubator)).text


def machine(desk: Desk, name: str, air: str = "forced") -> Incubator:
    """A new incubator."""
    made = setting_up.add_incubator(desk, name, air)
    return desk.book.one(Incubator, made)


def put_setting(desk: Desk, key: str, value: str) -> None:
    """Change a setting as no page does."""
    with desk.edit("set") as edit:
        edit.set(key, value)


Point = tuple[str, str] | tuple[str, dict[str, str]]


def instrument(desk: Desk, name: str, quantity: str = "temperature", **more: object) -> Channel:
    """Enter an instrument with one channel (0.1 °C, or 1 %) and return it."""
    unit = str(more.pop("unit", "°C" if quantity == "temperature" else "%"))
    step = float(more.pop("step", 0.1 if quantity == "temperature" else 1.0))  # type: ignore[arg-type]
    accuracy = float(more.pop("accuracy", 1.0 if quantity == "temperature" else 5.0))  # type: ignore[arg-type]
    channel = NewChannel(quantity, unit, step, accuracy)  # type: ignore[arg-type]
    kind = str(more.pop("kind", "probe"))
    made = setting_up.add_instrument(desk, name, kind, [channel], **more)  # type: ignore[arg-type]
    return desk.book.records(Channel, instrument_id=made)[0]


def reference(desk: Desk, name: str = "Lab", quantity: str = "temperature", **more: object) -> Channel:
    """Enter a reference (0.01 °C, or 0.1 %) whose certificate of 30 days ago says: add 0.10 ± 0.04 (k = 2)."""
    points = more.pop("points", None) or (
        [(0.0, 0.1, 0.04), (45.0, 0.1, 0.04)] if quantity == "temperature" else [(30.0, 0.0, 1.0), (80.0, 0.0, 1.0)]
    )
    days = int(more.pop("days", 30))  # type: ignore[call-overload]
    drift = float(more.pop("drift", 0.0))  # type: ignore[arg-type]
    step = 0.01 if quantity == "temperature" else 0.1
    found = instrument(desk, name, quantity, step=step, accuracy=0.1, reference=True, **more)
    dated = desk.now_ms - days * DAY_MS
    setting_up.add_certificate(desk, found.id, dated, points, drift_per_year=drift)  # type: ignore[arg-type]
    return found


def typed(
    desk: Desk,
    channel: Channel,
    points: Sequence[Point],
    method: str = "side",
    against: Channel | None = None,
    *,
    model: str = "auto",
    **allowances: str,
) -> Draft:
    """A check as typed: (this one shows, reference shows or the other fields by key) a point."""
    made = new_draft(channel, desk.book.altitude_m, method)
    made.model = model
    taken = made.sets[0]
    taken.reference_id = None if against is None else against.id
    taken.allowances.update(allowances)
    taken.rows = [Row(shown, {"reference": cell} if isinstance(cell, str) else dict(cell)) for shown, cell in points]
    return made


def checked(desk: Desk, channel: Channel, points: Sequence[Point], **how: object) -> tuple[Draft, Check]:
    """A check as typed, and what it comes to."""
    draft = typed(desk, channel, points, **how)  # type: ignore[arg-type]
    return draft, checking.evaluate(desk.book, draft)


def put_to_use(desk: Desk, draft: Draft, valid_from_ms: int | None = None) -> int:
    """Put a draft to use, from now by default."""
    at = desk.now_ms if valid_from_ms is None else valid_from_ms
    return checking.put_to_use(desk, draft, checking.evaluate(desk.book, draft), at)


def batch_with_log(
    desk: Desk, air: np.ndarray, species: str = "chicken", machine: str = "forced"
) -> tuple[Course, Channel]:
    """A batch whose checked logger showed this air, one reading a minute, ending five minutes ago."""
    made = setting_up.add_incubator(desk, "Cabinet", machine, 37.5)
    incubator = next(i for i in desk.book.incubators() if i.id == made)
    lab = reference(desk, points=[(0.0, 0.0, 0.04), (45.0, 0.0, 0.04)])
    logger = instrument(desk, "Logger", step=0.01, incubator_id=made)
    put_to_use(desk, typed(desk, logger, [("37.50 37.51 37.49", "37.50 37.50")], against=lab), 0)
    start = desk.now_ms - (air.size + 5) * 60_000
    setting_up.set_batch(desk, incubator, "", species, "steady", 12, start)
    times = start + np.arange(air.size, dtype=np.int64) * 60_000
    keep = np.isfinite(air)
    shown = Series(times[keep], air[keep].round(2))
    logger_import.keep_series(desk, "l.csv", {logger.id: shown})
    course = batches.running(desk.book, next(i for i in desk.book.incubators() if i.id == made))
    assert course is not None
    return course, logger


def batch_late(desk: Desk, day: float = 20.5, species: str = "chicken", eggs: int = 12) -> Course:
    """A batch that was set so many days ago, without a log."""
    already = len(desk.book.incubators())
    made = setting_up.add_incubator(desk, f"Cabinet {already}" if already else "Cabinet", "forced", 37.5)
    incubator = desk.book.one(Incubator, made)
    setting_up.set_batch(desk, incubator, "", species, "steady", eggs, desk.now_ms - round(day * DAY_MS))
    found = batches.running(desk.book, incubator)
    assert found is not None
    return found


def found(desk: Desk, course: Course, mark: str, kind: str, hours_ago: float = 0.0, **more: bool) -> None:
    """Something found at an egg, so many hours ago."""
    findings.log_finding(desk, course, mark, kind, desk.now_ms - round(hours_ago * 3_600_000), **more)


def logged(desk: Desk, rh: np.ndarray) -> Course:
    """A batch with a humidity log of one reading a minute, up to now."""
    course, _ = batch_with_log(desk, np.full(20 * 1440, 37.5))
    lab = reference(desk, "Lab hygrometer", "humidity")
    moist = instrument(desk, "Moist", "humidity", step=0.1, incubator_id=course.incubator.id)
    put_to_use(desk, typed(desk, moist, [("33.0 33.1", "33.0"), ("60.0 60.1", "60.0")], against=lab), 0)
    times = desk.now_ms - np.arange(rh.size, 0, -1, dtype=np.int64) * 60_000
    logger_import.keep_series(desk, "m.csv", {moist.id: Series(times, rh)})
    own = batches.running(desk.book, course.incubator)
    assert own is not None
    return own
