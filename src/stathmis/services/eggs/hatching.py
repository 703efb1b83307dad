"""The hatch under way: counts, quiet countdowns, stragglers, and whether the lid may be opened."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from stathmis.logbook.records import EggFinding
from stathmis.services import knowledge
from stathmis.services.batches import Course
from stathmis.services.clock import DAY_MS, in_words
from stathmis.services.eggs.tray import TraySheet
from stathmis.services.moisture.water import events_of
from stathmis.services.runs import Run, combined, runs_between
from stathmis.services.wording import count
from stathmis.services.workbench import Workbench

HOUR_MS = 3_600_000
PIP_TO_OUT_H = (12.0, 24.0)
OUT_TO_DRY_H = (12.0, 24.0)
WITHOUT_FEED_H = (48.0, 72.0)
"""Source of all: common practice."""
OPEN_SCHOOLS = {
    "never": "Never while any egg is pipped: the membrane dries onto the chick.",
    "quickly": "Quickly for dry chicks, while the humidity recovers: a crowd of chicks rolls the pipped eggs about.",
}
SAFE_RH = 60.0
"""Below this a pipped egg's membrane begins to dry. Source: common practice."""
BEFORE_MS, AFTER_MS = 20 * 60_000, 3 * HOUR_MS
LEAST_DROP = 3.0


@dataclass(frozen=True)
class LidRecord:
    """What an opened lid does here, from the log: how far the humidity falls (percent), and how long it takes to come
    back (minutes); from how many openings."""

    drop: float
    recovery_min: float
    openings: int


@dataclass(frozen=True)
class Hatching:
    """A hatch at a time. counts by stage; pipped: eggs that have begun and are not out; first_pip_ms, first_out_ms: UTC
    ms; rh: humidity now and its U, percent; lid: what opening does here."""

    course: Course
    counts: dict[str, int]
    pipped: int
    first_pip_ms: int | None
    first_out_ms: int | None
    last_out_ms: int | None
    rh: tuple[float, float] | None
    lid: LidRecord | None


def hatching(bench: Workbench, course: Course, sheet: TraySheet) -> Hatching:
    """The hatch of a batch now."""
    counts = dict.fromkeys(("internal pip", "external pip", "zip", "out", "dry", "taken"), 0)
    for egg in sheet.eggs:
        if egg.state in counts and not (egg.out and egg.state != "taken"):
            counts[egg.state] += 1
    for finding in sheet.counted:
        if finding.kind in counts:
            counts[finding.kind] += finding.count
    if not sheet.eggs:
        # counts are of what has happened: who is out was pipped before
        counts["external pip"] = max(0, counts["external pip"] - counts["out"])
    all_found = [f for egg in sheet.eggs for f in egg.findings] + list(sheet.counted)
    pipped = counts["external pip"] + counts["zip"]
    now = bench.now_ms
    moist = combined(bench, runs_between(bench, course.incubator, "humidity", now - 30 * DAY_MS, now, now))[0]
    rh = None
    if moist is not None and now - int(moist.times_ms[-1]) < 3 * HOUR_MS:
        rh = (float(moist.corrected[-1]), 2.0 * float(moist.u[-1]))
    return Hatching(
        course,
        counts,
        pipped,
        _first(all_found, ("external pip", "zip")),
        _first(all_found, ("out",)),
        max((f.time_ms for f in all_found if f.kind == "out"), default=None),
        rh,
        _lid(bench, course, moist),
    )


def _first(findings: list[EggFinding], kinds: tuple[str, ...]) -> int | None:
    return min((f.time_ms for f in findings if f.kind in kinds), default=None)


def _lid(bench: Workbench, course: Course, run: Run | None) -> LidRecord | None:
    """How far the humidity fell, and how long it took to come back, at the openings in the log; medians."""
    if run is None or not run.dense:
        return None
    drops, minutes = [], []
    for event in events_of(bench, course.incubator):
        if event.kind not in ("lid", "cool"):
            continue
        before = (run.times_ms >= event.time_ms - BEFORE_MS) & (run.times_ms < event.time_ms)
        after = (run.times_ms >= event.time_ms) & (run.times_ms <= event.time_ms + AFTER_MS)
        if before.sum() < 3 or after.sum() < 10:
            continue
        level = float(np.median(run.corrected[before]))
        values, times = run.corrected[after], run.times_ms[after]
        lowest = int(np.argmin(values))
        drop = level - float(values[lowest])
        if drop < LEAST_DROP:
            continue
        back = np.flatnonzero((values >= level - max(1.5, 0.15 * drop)) & (np.arange(values.size) > lowest))
        if back.size:
            drops.append(drop)
            minutes.append((int(times[back[0]]) - event.time_ms) / 60_000.0)
    if not drops:
        return None
    return LidRecord(float(np.median(drops)), float(np.median(minutes)), len(drops))


def may_open(found: Hatching, school: str) -> tuple[str, str]:
    """May I open? The answer ("no", "better not", "quickly", "yes") and why, with the risk in words."""
    lid = found.lid
    falls = (
        f"Here the humidity falls by {lid.drop:.0f} % RH and takes {lid.recovery_min:.0f} min to come back "
        f"(from {count(lid.openings, 'opening')} in the log)."
        if lid is not None
        else "How far the humidity falls here is not in the log yet."
    )
    if found.pipped == 0:
        return "yes", f"No egg is pipped that is not out. Be quick all the same. {falls}"
    eggs = f"{count(found.pipped, 'egg')} pipped and not out"
    if school == "never":
        risk = "the membrane of a pipped egg dries onto the chick, and it dies in the shell"
        return "no", f"{eggs}: {risk}. Chicks live 48 to 72 h on the yolk. {falls}"
    if found.rh is not None and lid is not None:
        low = found.rh[0] - lid.drop
        if low >= SAFE_RH:
            return "quickly", f"{eggs}; it would fall to about {low:.0f} % RH. Seconds, not minutes. {falls}"
        return "better not", f"{eggs}; it would fall to about {low:.0f} % RH, and their membranes begin to dry. {falls}"
    return "better not", f"{eggs}, and the humidity is not known well enough to say what opening costs. {falls}"


def lines(bench: Workbench, found: Hatching) -> list[str]:
    """Counts and quiet countdowns."""
    now, said = bench.now_ms, []
    words = knowledge.findings()
    standing = [f"{n} {words[k].word}" for k, n in found.counts.items() if n]
    if standing:
        said.append(", ".join(standing).capitalize() + ".")
    if found.pipped and found.first_pip_ms is not None:
        said.append(_countdown(bench, "First pip", found.first_pip_ms, PIP_TO_OUT_H, "out"))
    if found.first_out_ms is not None:
        said.append(_countdown(bench, "First out", found.first_out_ms, WITHOUT_FEED_H, "fed and watered"))
        dry = found.last_out_ms
        if dry is not None and now - dry < OUT_TO_DRY_H[1] * HOUR_MS:
            said.append(_countdown(bench, "Last out", dry, OUT_TO_DRY_H, "dry"))
    end = found.course.at_ms(max(found.course.species.days + 2.0, found.course.species.days_high))
    if now < end:
        last = bench.local(end)
        said.append(f"Stragglers: wait until {last:%a} {last.day} {last:%b %H:%M} before anything is switched off.")
    else:
        said.append("The time of stragglers is over: look for pips, listen, then open what is left.")
    return said


def _countdown(bench: Workbench, what: str, since_ms: int, hours: tuple[float, float], until: str) -> str:
    soon, late = (since_ms + round(h * HOUR_MS) for h in hours)
    first, last = bench.local(soon), bench.local(late)
    now = bench.now_ms
    left = f"in {in_words(soon - now)}" if now < soon else "now" if now < late else f"{in_words(now - late)} over"
    began = bench.local(since_ms)
    return f"{what} {began:%a %H:%M}: {until} from {first:%a %H:%M} to {last:%a %H:%M} ({left})."
