"""The review of a batch: what its own log and eggs say of each likely cause, and the one thing to change next time."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

from stathmis.core import review as core
from stathmis.core.hatch_stats import Tally
from stathmis.core.review import Measured, Review, Weighed
from stathmis.core.units import difference_from_inside
from stathmis.services import judgement
from stathmis.services.batches import Course, events_along
from stathmis.services.eggs.tray import TraySheet, tray
from stathmis.services.moisture import loss, weights
from stathmis.services.plan import planning, turning
from stathmis.services.runs import combined_along, runs_along
from stathmis.services.wording import count, signed
from stathmis.services.workbench import Workbench

HOUR_MS = 3_600_000
TOLD = 4
PLAIN = 0.5
"""What moves the odds by less than e to this power says little."""
"""So many causes are told, the weightiest first."""
WORDS = {
    "temperature low": "The temperature was low on average",
    "temperature high": "The temperature was high on average",
    "too moist in setting": "Too moist before lockdown: the eggs lost too little",
    "too dry in setting": "Too dry before lockdown: the eggs lost too much",
    "too dry in lockdown": "Too dry in lockdown: chicks stick in the membrane",
    "turning gaps": "Too long between turns",
    "old eggs": "Eggs kept too long before setting",
    "opened at the pip": "The lid was opened while eggs were pipped",
    "infertile eggs": "Many eggs were infertile",
}
CHANGES = {
    "too moist in setting": "Hold it drier before lockdown next time, and weigh the eggs: the school by weight.",
    "too dry in setting": "Hold it moister before lockdown next time, and weigh the eggs: the school by weight.",
    "too dry in lockdown": "More water surface before the lid is shut for lockdown; see the way to it under Moisture.",
    "turning gaps": "Turn an odd number of times a day, and late in the evening; or have it done by a machine.",
    "old eggs": "Set within a week of laying; plan the collecting days backward from the set day.",
    "opened at the pip": "Leave the lid shut from the first pip until the chicks are dry.",
    "infertile eggs": "Look at the flock, not at the incubator: cock and hens, age, season, and how eggs were handled.",
}


@dataclass(frozen=True)
class BatchReview:
    """A review. tally: what came of the eggs; weighed: None while the hatch is not over; evidence: as measured; shift:
    how much later than expected it hatched, days."""

    course: Course
    tally: Tally
    weighed: Review | None
    evidence: dict[str, Measured]
    shift: Measured | None


def batch_review(bench: Workbench, course: Course) -> BatchReview:
    """The review of a batch as its log and its calibrations stand now."""
    sheet = tray(bench, course.batch)
    over = course.batch.ended_ms is not None or (sheet.tally.open == 0 and sheet.tally.hatched > 0)
    known = any((sheet.tally.hatched, sheet.tally.clear, sheet.tally.fertile))
    if not over or not known:
        return BatchReview(course, sheet.tally, None, {}, None)
    found = evidence(bench, course, sheet)
    shift = _shift(course, sheet)
    return BatchReview(course, sheet.tally, core.review(sheet.tally, found, shift), found, shift)


def evidence(bench: Workbench, course: Course, sheet: TraySheet) -> dict[str, Measured]:
    """What was measured of a batch for each cause; what was not is left out."""
    found: dict[str, Measured] = {}
    eggs = judgement.follow(bench, course).eggs
    if eggs is not None and eggs.mean is not None:
        middle = 0.5 * (eggs.band[0] + eggs.band[1])
        found["mean_k"] = Measured(eggs.mean.value - middle, 0.5 * eggs.mean.U)
    weighed = weights.weighings(bench, course.batch.id)
    if course.lockdown_day is not None and len(weighed) > 1:
        lost = loss.loss_sheet(bench, course, weighed, course.at_ms(course.lockdown_day))
        if lost is not None and lost.loss_now is not None:
            found["loss_off"] = Measured(lost.loss_now[0] - lost.wanted[1], lost.loss_now[1])
    found |= _lockdown(bench, course, sheet)
    plan = planning.plan_of(bench, course.batch)
    if plan.stored_days is not None:
        found["stored_over_days"] = Measured(max(0.0, plan.stored_days - 7.0), 0.5)
    if plan.habits.turning == "by hand" and course.lockdown_day is not None:
        found["turning_gap_h"] = Measured(max(0.0, _longest_gap(bench, course) - turning.LONGEST_GAP_H), 1.0)
    return found


def _longest_gap(bench: Workbench, course: Course) -> float:
    """Longest time without a turn between setting and lockdown, hours."""
    assert course.lockdown_day is not None
    stop = course.at_ms(course.lockdown_day)
    turns = [e.time_ms for e in events_along(bench, course, course.batch.set_ms, stop) if e.kind == "turn"]
    edges = [course.batch.set_ms, *(t for t in turns if t > course.batch.set_ms), stop]
    return max(b - a for a, b in pairwise(edges)) / HOUR_MS


def _lockdown(bench: Workbench, course: Course, sheet: TraySheet) -> dict[str, Measured]:
    """The humidity from lockdown to the first chick, and openings between the first pip and the last chick."""
    found: dict[str, Measured] = {}
    times = {k: sorted(_times(sheet, k)) for k in ("external pip", "out")}
    band = next((p.humidity for p in course.phases if p.name == "lockdown"), None)
    if course.lockdown_day is not None and band is not None:
        start = course.at_ms(course.lockdown_day) + 6 * HOUR_MS
        stop = times["out"][0] if times["out"] else course.at_ms(course.species.days)
        if stop > start:
            run = combined_along(bench, runs_along(bench, course.stretches(start, stop), "humidity", start))[0]
            if run is not None and run.times_ms.size >= 3:
                off = min(0.0, float(run.corrected.mean()) - band.low)
                found["lockdown_rh_off"] = Measured(off, float(run.u.mean()))
    if times["external pip"]:
        last = times["out"][-1] if times["out"] else times["external pip"][-1]
        lids = [e for e in events_along(bench, course, times["external pip"][0], last) if e.kind == "lid"]
        inside = sum(times["external pip"][0] < e.time_ms < last for e in lids)
        found["openings_at_pip"] = Measured(float(inside), 0.0)
    return found


def _times(sheet: TraySheet, kind: str) -> list[int]:
    single = [f.time_ms for egg in sheet.eggs for f in egg.findings if f.kind == kind]
    return single + [f.time_ms for f in sheet.counted if f.kind == kind for _ in range(f.count)]


def _shift(course: Course, sheet: TraySheet) -> Measured | None:
    """How much later than expected the middle chick came, days; uncertain by how seldom one looked."""
    out = sorted(_times(sheet, "out"))
    if not out:
        return None
    return Measured(course.day(out[len(out) // 2]) - course.species.days, 0.25)


def lines(bench: Workbench, found: BatchReview) -> list[str]:
    """The review in words: the clear cause or none, what speaks for and against, what was not measured."""
    if found.weighed is None:
        return ["The review comes when the hatch is over: end the batch, or log what came of every egg."]
    said = []
    clear = found.weighed.clear
    if clear is None:
        said.append("No clear cause stands out in this run.")
    else:
        said.append(f"Most likely: {WORDS[clear.cause.key].lower()} ({100 * clear.weight:.0f} % of the weight).")
    for one in found.weighed.weighed[:TOLD]:
        if one.weight >= 0.04 or one is clear:
            said.append(f"{WORDS[one.cause.key]}, {100 * one.weight:.0f} %: {_basis(bench, found, one)}.")
    missing = sorted({w.cause.measured for w in found.weighed.weighed if not w.measured} - {"clear_only"})
    if missing:
        said.append(f"Not measured: {', '.join(UNKNOWN[m] for m in missing)}.")
    if found.tally.eggs < 12:
        said.append("So few eggs say little; take it as a hint.")
    return said


UNKNOWN = {
    "mean_k": "the temperature",
    "loss_off": "the loss of weight at lockdown",
    "lockdown_rh_off": "the humidity in lockdown",
    "turning_gap_h": "turning by hand",
    "stored_over_days": "how old the eggs were",
    "openings_at_pip": "openings while eggs were pipped",
}


def _basis(bench: Workbench, found: BatchReview, one: Weighed) -> str:
    parts = []
    key = one.cause.measured
    if key in found.evidence:
        way = "for it" if one.by_measure > PLAIN else "against it" if one.by_measure < -PLAIN else "says little"
        parts.append(f"{measured_words(bench, key, found.evidence[key])} ({way})")
    way = "for it" if one.by_eggs > PLAIN else "against it" if one.by_eggs < -PLAIN else "say little"
    parts.append(f"the eggs {'speak ' + way if way != 'say little' else way}")
    return ", ".join(parts)


def measured_words(bench: Workbench, key: str, value: Measured) -> str:
    """A measured value in words."""
    v, U = value.value, 2.0 * value.u
    if key == "mean_k":
        unit = bench.temperature_unit
        off, wide = (float(difference_from_inside(x, unit)) for x in (v, U))
        return f"{signed(off, 1)} ± {max(0.1, wide):.1f} {unit} off the profile on average"
    return {
        "loss_off": f"{signed(v, 1)} ± {max(0.1, U):.1f} percentage points off the loss aimed at",
        "lockdown_rh_off": "humidity in lockdown not below its band" if v == 0 else f"{-v:.0f} % RH below its band",
        "turning_gap_h": "no gap over 12 h" if v == 0 else f"a gap of {v + 12:.0f} h",
        "stored_over_days": "set within a week" if v == 0 else f"kept {v + 7:.0f} days",
        "openings_at_pip": f"opened {count(round(v), 'time')} while eggs were pipped",
    }[key]


def change(bench: Workbench, found: BatchReview) -> str:
    """The one thing to change next time, with the effect to be expected; empty while there is none to tell."""
    if found.weighed is None:
        return ""
    if found.weighed.clear is None:
        return "Change nothing for this run's sake; check an instrument that is due, and log the next one."
    key = found.weighed.clear.cause.key
    if not key.startswith("temperature"):
        return CHANGES[key]
    off = found.evidence.get("mean_k")
    unit = bench.temperature_unit
    if off is None:
        way = "Raise" if key == "temperature low" else "Lower"
        return f"{way} the set point by two tenths, and check the thermometer first: it was not measured."
    tenths = round(float(difference_from_inside(-off.value, unit)), 1)
    days = abs(off.value) / 0.56
    direction, when = ("Raise", "earlier") if tenths > 0 else ("Lower", "later")
    return (
        f"{direction} the set point by {abs(tenths):.1f} {unit}: the next hatch should come about {days:.1f} days "
        f"{when} (approximate)."
    )
