"""The hatch as a course over hours: how many had pipped, were out and dry, when they are to be expected, and what must
be ready before."""

from __future__ import annotations

from dataclasses import dataclass

from stathmis.core.uncertainty import NORMAL_95
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import HOUR_MS
from stathmis.services.eggs.hatching import PIP_TO_OUT_H
from stathmis.services.eggs.tray import TraySheet
from stathmis.services.findings import judgement
from stathmis.services.plan import planning, tasks

STAGES: dict[str, tuple[str, ...]] = {
    "pipped": ("external pip", "zip", "out", "dry", "taken"),
    "out": ("out", "dry", "taken"),
    "dry": ("dry", "taken"),
}
"""What is counted, and the findings that say so."""
COUNTED = {"external pip": "pipped", "out": "out", "dry": "dry"}
READY = ("lockdown", "brooder", "brooder warm")
"""Steps of a plan that must be done before the first chick is out."""
ROOM_MS = 12 * HOUR_MS


@dataclass(frozen=True)
class Ready:
    """Something that must be ready: what, by when (UTC ms), and whether it is."""

    title: str
    due_ms: int
    done: bool


@dataclass(frozen=True)
class HatchCourse:
    """The hatch of a batch, times in UTC ms. stages: by STAGES, the times at which one more egg came so far, in order;
    expected: from when to when the hatch is, with its middle; out_by: from when to when the first pipped egg is out by
    (None before the first pip); last: until when stragglers are waited for."""

    course: Course
    start_ms: int
    end_ms: int
    stages: dict[str, tuple[int, ...]]
    expected: tuple[int, int, int]
    out_by: tuple[int, int] | None
    last_ms: int
    ready: tuple[Ready, ...]


def hatch_course(book: Book, course: Course, sheet: TraySheet) -> HatchCourse:
    """The hatch of a batch as it went so far and as it is to be expected; by its own temperatures where they are
    logged."""
    eggs = judgement.judged_run(book, course).eggs
    shift, U = 0.0, 0.0
    if eggs is not None and eggs.shift_days is not None:
        shift, U = eggs.shift_days, NORMAL_95 * eggs.u_shift_days
    species = course.species
    days = (species.days_low + shift - U, species.days + shift, species.days_high + shift + U)
    low, middle, high = (course.at_ms(day) for day in days)
    last = course.at_ms(max(species.days + 2.0, species.days_high))
    stages = {stage: _times(sheet, stage) for stage in STAGES}
    first = min((times[0] for times in stages.values() if times), default=None)
    out_by = None
    if stages["pipped"]:
        soon, late = (stages["pipped"][0] + round(h * HOUR_MS) for h in PIP_TO_OUT_H)
        out_by = (soon, late)
    plan = planning.plan_of(book, course.batch)
    ready = tuple(Ready(t.title, t.due_ms, t.state == "done") for t in tasks.tasks_of(book, plan) if t.step in READY)
    lockdown = course.at_ms(course.lockdown_day) if course.lockdown_day is not None else low
    start = min(lockdown, low, *(r.due_ms for r in ready), *([first] if first is not None else []))
    came = max((t for times in stages.values() for t in times), default=0)
    return HatchCourse(
        course, start - ROOM_MS, max(last, high, came) + ROOM_MS, stages, (low, middle, high), out_by, last, ready
    )


def _times(sheet: TraySheet, stage: str) -> tuple[int, ...]:
    """When each egg came so far, by its own findings and by counts."""
    own = [egg.first_ms(STAGES[stage]) for egg in sheet.eggs]
    counts = [f.time_ms for f in sheet.counted if COUNTED.get(f.kind) == stage for _one in range(f.count)]
    return tuple(sorted([*(t for t in own if t is not None), *counts]))
