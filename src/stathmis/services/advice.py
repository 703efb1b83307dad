"""What now: one or two plain actions, safety first, then doubts about instruments, then heat, then humidity.

Each action carries its why: the readings, the correction, the rule and its source.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from stathmis.core.conformity import INSIDE, OUTSIDE, UNDECIDED
from stathmis.core.units import difference_from_inside
from stathmis.logbook.records import Quantity
from stathmis.services import clock, knowledge
from stathmis.services.last_action import last_action, words
from stathmis.services.rounds import RoundSheet
from stathmis.services.verdict import Judged, Verdict
from stathmis.services.wording import band_text, count, u_text, unit_word, value_text, with_u
from stathmis.services.workbench import Workbench

if TYPE_CHECKING:
    from stathmis.services.moisture.box import BoxSheet

HOUR_MS = 3_600_000
SETTLING_MS = 3 * HOUR_MS
"""After water, vent, lid or set point, wait this long before the next change. Source: common practice (1-3 h)."""
LARGEST_SCALED_K = 1.0
"""What the last action taught makes no step larger than this. Source: our own, cautious."""
DANGER_C = 40.0
"""Egg temperature that kills within hours. Source: common practice."""

BOX_RULE = "This box's own settled states and the room's vapor (vapor balance)."

_ACTED = {"temperature": ("set_point", "lid", "vent"), "humidity": ("water", "vent", "lid")}


@dataclass(frozen=True)
class Action:
    """What to do, the caution or reminder that belongs to it, and why, line by line."""

    text: str
    note: str = ""
    why: tuple[str, ...] = field(default=())
    urgent: bool = False


def advise(
    bench: Workbench,
    sheet: RoundSheet,
    temperature: Verdict | None,
    humidity: Verdict | None,
    box: BoxSheet | None = None,
) -> list[Action]:
    """At most two actions for an incubator, the most pressing first; none where all is well.

    box: what its water and vents give, where that is known.
    """
    if sheet.course is None:
        return []
    found: list[Action] = []
    for verdict in (temperature, humidity):
        if verdict is not None and verdict.quantity == "temperature":
            found += _danger(bench, verdict)
    for verdict in (temperature, humidity):
        if verdict is not None:
            found += _doubts(bench, verdict)
    if temperature is not None and not any(a.urgent for a in found):
        found += _heat(bench, sheet, temperature)
    if humidity is not None:
        found += _moisture(bench, sheet, humidity, box)
    return found[:2]


def _why(bench: Workbench, verdict: Verdict, rule: str) -> tuple[str, ...]:
    unit = bench.shown_unit(verdict.quantity)
    lines = []
    for r in verdict.readings:
        corrected = with_u(r.corrected.value, r.corrected.U, verdict.quantity, unit)
        lines.append(f"{r.instrument.name} shows {r.shown:g} {unit_word(r.channel.unit)}; corrected {corrected}.")
    together = with_u(verdict.corrected.value, verdict.corrected.U, verdict.quantity, unit)
    lines.append(f"Together, weighed by their uncertainty: {together} (95 %).")
    if verdict.band is not None:
        lines.append(f"Band now: {band_text(verdict.band.low, verdict.band.high, verdict.quantity, unit)}.")
    lines.append(rule)
    return tuple(lines)


def _danger(bench: Workbench, verdict: Verdict) -> list[Action]:
    if verdict.corrected.value < DANGER_C or verdict.decision != OUTSIDE:
        return []
    unit = bench.shown_unit("temperature")
    return [
        Action(
            f"Cool it now: {with_u(verdict.corrected.value, verdict.corrected.U, 'temperature', unit)}.",
            "Open the lid for a few minutes, look at the fan and the set point, then watch it come down.",
            _why(bench, verdict, "Eggs at 40 °C and more die within hours; heat kills faster than cold."),
            urgent=True,
        )
    ]


def _doubts(bench: Workbench, verdict: Verdict) -> list[Action]:
    unit = bench.shown_unit(verdict.quantity)
    if verdict.suspects:
        worst = verdict.suspects[0]
        return [
            Action(
                f"Check the {worst.instrument.name}: it disagrees with the others beyond their uncertainties.",
                "Until then lean on the instrument with the narrowest bubble.",
                _why(bench, verdict, "Two disagree where |E_n| is above 1 (ISO/IEC 17043); this is not a vote."),
            )
        ]
    if verdict.decision == UNDECIDED and verdict.band is not None:
        best = min(verdict.readings, key=lambda r: r.corrected.U)
        half = 0.5 * (verdict.band.high - verdict.band.low)
        if half < best.corrected.U:
            return [
                Action(
                    f"Check the {best.instrument.name}: {u_text(best.corrected.U, verdict.quantity, unit)} "
                    f"{unit_word(unit)} is too coarse to tell.",
                    "Under Instruments, compare it with your reference.",
                    _why(bench, verdict, "Inside or outside is said only at 95 % probability (JCGM 106)."),
                )
            ]
    return []


def _waiting(bench: Workbench, sheet: RoundSheet, quantity: Quantity) -> str:
    """Why to wait before touching anything, empty where there is no reason."""
    events = bench.events_between(sheet.incubator.id, sheet.at_ms - SETTLING_MS, sheet.at_ms)
    recent = [e for e in events if e.kind in _ACTED[quantity]]
    if recent:
        last = recent[-1]
        again = bench.local(last.time_ms + SETTLING_MS)
        what = {"water": "Water went in", "vent": "The vent was moved", "lid": "The lid was open"}
        ago = clock.in_words(sheet.at_ms - last.time_ms)
        return f"{what.get(last.kind, 'The set point was changed')} {ago} ago; let it settle until {again:%H:%M}."
    if quantity == "temperature" and sheet.course is not None and 0 <= sheet.course.day(sheet.at_ms) < 0.125:
        return "The eggs went in less than 3 h ago and are still warming; leave the controller alone."
    return ""


def _heat(bench: Workbench, sheet: RoundSheet, verdict: Verdict) -> list[Action]:
    if verdict.decision != OUTSIDE or verdict.band is None:
        return []
    unit = bench.shown_unit("temperature")
    wait = _waiting(bench, sheet, "temperature")
    rule = "Change one thing at a time, wait 1-3 h, read again (common practice)."
    if wait:
        return [Action(f"Wait. {wait}", "One change at a time.", _why(bench, verdict, rule))]
    change = verdict.band.middle - verdict.corrected.value
    last = last_action(bench, sheet.incubator, "temperature", sheet.at_ms)
    told: tuple[str, ...] = (words(bench, last, sheet.at_ms),) if last is not None else ()
    if last is not None and last.gain is not None and 0.3 <= last.gain <= 3.0:
        # this controller's own answer to the last change, instead of one for one
        change = _no_leap(change, change / last.gain)
        told += (f"Its air moved {last.gain:.1f} times as far as the set point then, so the step is chosen by that.",)
    tenths = round(float(difference_from_inside(change, unit)), 1)
    direction = "Raise" if tenths > 0 else "Lower"
    now = f"{value_text(verdict.corrected.value, verdict.corrected.U, 'temperature', unit)} {unit}"
    to = f"{value_text(verdict.band.middle, 0.05, 'temperature', unit)} {unit}"
    return [
        Action(
            f"{direction} the set point by {abs(tenths):.1f} {unit}: {now} now, {to} wanted.",
            "Then leave it for 3 h and read again.",
            told + _why(bench, verdict, rule),
        )
    ]


def _no_leap(plain: float, scaled: float) -> float:
    """A step of the set point scaled by what the last one did, K, but never a leap because of it: hot kills quickly."""
    most = max(abs(plain), LARGEST_SCALED_K)
    return max(-most, min(most, scaled))


def _moisture(bench: Workbench, sheet: RoundSheet, verdict: Verdict, box: BoxSheet | None) -> list[Action]:
    if verdict.decision != OUTSIDE or verdict.band is None:
        # still inside, but not as this water and vent gave before: water that sinks is told before it is too late
        odd = _doubt(box) if box is not None and box.used else ""
        return [Action(odd, "", _why(bench, verdict, BOX_RULE))] if odd and verdict.band is not None else []
    assert sheet.course is not None
    rule = "Water surface sets humidity, depth only how long it lasts; more vent is drier (common practice)."
    wait = _waiting(bench, sheet, "humidity")
    if wait:
        return [Action(f"Wait. {wait}", "One change at a time.", _why(bench, verdict, rule))]
    now = f"{value_text(verdict.corrected.value, verdict.corrected.U, 'humidity', '%')} % RH now"
    last = last_action(bench, sheet.incubator, "humidity", sheet.at_ms)
    told = words(bench, last, sheet.at_ms) if last is not None else ""
    wanted = band_text(verdict.band.low, verdict.band.high, "humidity", "%")
    if sheet.course.species.kind == "reptile":
        text = f"Moisten the substrate: {now}" if verdict.low else f"Air the box: {now}"
        return [Action(f"{text}, {wanted} wanted.", knowledge.cautions()["eggs"], _why(bench, verdict, rule))]
    phase = sheet.course.phase(sheet.at_ms)
    if phase is not None and phase.name != "hatch" and box is not None and box.used:
        learned = _by_box(bench, verdict, box, now, told)
        if learned is not None:
            return [learned]
    if verdict.low:
        return [
            Action(
                f"Add water surface: {now}, {wanted} wanted.",
                f"{told} Warm water, through the port if there is one; read again in an hour. "
                f"{knowledge.cautions()['water']}".strip(),
                _why(bench, verdict, rule),
            )
        ]
    if phase is not None and phase.name == "hatch":
        rule = "Wet chicks raise the humidity by themselves, 80 % and more (common practice)."
        text = f"Leave the lid shut: {now} is usual while chicks dry. Open the vent more if the window streams."
        return [Action(text, knowledge.cautions()["eggs"], _why(bench, verdict, rule))]
    return [
        Action(
            f"Open the vent a step, or cover part of the water: {now}, {wanted} wanted.",
            f"{told} Never close a vent completely. Read again in an hour.".strip(),
            _why(bench, verdict, rule),
        )
    ]


def _doubt(box: BoxSheet) -> str:
    """What makes the box's prediction doubtful, in words."""
    from stathmis.services.moisture import box_words

    return box_words.doubt(box)


def _by_box(bench: Workbench, verdict: Verdict, box: BoxSheet, now: str, told: str) -> Action | None:
    """The mix of water and vent that this box's own log says will do."""
    # the box is read in with the first one that is learned
    from stathmis.services.moisture import box_words

    doubt = box_words.doubt(box)
    if doubt:
        return Action(doubt, told, _why(bench, verdict, BOX_RULE))
    found = box_words.change(box)
    if found is None:
        return None
    text, cell = found
    wait = box_words.settled_words(box, cell).removeprefix(", settled ") or "in 1-3 h"
    rule = f"From {count(box.used, 'settled state')} of this box: vapor from the water against vapor out of the vents."
    water = f"{knowledge.cautions()['water']}" if "ill the" in text else ""
    note = f"{told} Read again in an hour. {water}".strip()
    return Action(f"{text}: {now}, about {box_words.percent(cell)} {wait}.", note, _why(bench, verdict, rule))


def sentence(bench: Workbench, verdict: Verdict) -> str:
    """The verdict in one sentence."""
    if verdict.band is None:
        return "Nothing to hold in this phase."
    unit = bench.shown_unit(verdict.quantity)
    band = band_text(verdict.band.low, verdict.band.high, verdict.quantity, unit)
    if verdict.decision == INSIDE:
        return f"On profile: inside {band}."
    if verdict.decision == OUTSIDE:
        return f"{'Below' if verdict.low else 'Above'} the band {band}."
    return f"Can't tell: the bubble lies across the edge of {band}."


def word(judged: Judged | Verdict) -> str:
    """Decision in the keeper's words: "inside", "outside, low", "can't tell"."""
    if judged.decision == UNDECIDED:
        return "can't tell"
    return judged.decision
