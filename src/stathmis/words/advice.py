"""Advice in words: what to do, the note that belongs to it, and why, line by line. Round, the column, the controller's
page and reports all say it from here."""

from __future__ import annotations

from dataclasses import dataclass

from stathmis.core.units import difference_from_inside
from stathmis.services import clock, knowledge
from stathmis.services.advice.heat import HeatAdvice
from stathmis.services.advice.instruments import InstrumentAdvice
from stathmis.services.advice.moisture import MoistureAdvice
from stathmis.services.advice.now import Advice
from stathmis.services.advice.reasons import Reason, Upset
from stathmis.services.book import Book
from stathmis.services.last_action import words as last_words
from stathmis.services.verdict import Judged, Verdict
from stathmis.words.numbers import band_text, count, u_text, unit_word, value_text, with_u

RULES = {
    "one thing at a time": "Change one thing at a time, wait 1-3 h, read again (common practice).",
    "danger": "Eggs at 40 °C and more die within hours; heat kills faster than cold.",
    "swing": "A thermostat swings round its mean: the mean over whole cycles counts, not one moment (common practice).",
    "far off": "Air more than 1 °C off is seldom the set point: power, heater, lid or thermometer (common practice).",
    "disagree": "Two disagree where |E_n| is above 1 (ISO/IEC 17043); this is not a vote.",
    "coarse": "Inside or outside is said only at 95 % probability (JCGM 106).",
    "water": "Water surface sets humidity, depth only how long it lasts; more vent is drier (common practice).",
    "chicks": "Wet chicks raise the humidity by themselves, 80 % and more (common practice).",
    "box": "From {states} of this box: vapor from the water against vapor out of the vents.",
}
HAPPENED = {
    "water": "Water went in",
    "vent": "The vent was moved",
    "lid": "The lid was open",
    "set_point": "The set point was changed",
    "cool": "They were cooled",
    "power": "The power was off",
    "set": "The eggs went in",
}


@dataclass(frozen=True)
class Said:
    """What to do, the caution or reminder that belongs to it, and why; key tells one kind of advice from another."""

    text: str
    note: str = ""
    why: tuple[str, ...] = ()
    urgent: bool = False
    key: str = ""


def said(book: Book, advice: Advice) -> Said:
    """A piece of advice in words."""
    if isinstance(advice, HeatAdvice):
        return heat(book, advice)
    if isinstance(advice, MoistureAdvice):
        return _moisture(book, advice)
    return _instrument(book, advice)


def short(book: Book, advice: Advice) -> str:
    """A piece of advice in a few words, for a narrow card."""
    if isinstance(advice, InstrumentAdvice):
        return f"check the {advice.judged.instrument.name}"
    if isinstance(advice, MoistureAdvice):
        if advice.kind == "mix" and advice.change is not None:
            from stathmis.services.moisture import box_words

            text = box_words.change_words(advice.change)
            return text[:1].lower() + text[1:]
        return _SHORT_MOISTURE[advice.kind]
    step = abs(round(float(difference_from_inside(advice.step_k, book.temperature_unit)), 1))
    if advice.kind == "move":
        return f"{'raise' if advice.step_k > 0 else 'lower'} the set point by {step:.1f} {book.temperature_unit}"
    return _SHORT_HEAT.get(advice.kind, "leave the set point")


_SHORT_HEAT = {
    "danger": "cool it now",
    "wait": "wait, it is settling",
    "young": "leave the controller alone today",
    "look": "look at power, heater and lid",
    "sample": "read it again",
}
_SHORT_MOISTURE = {
    "wait": "wait, it is settling",
    "doubt": "look at water, lid and hygrometer",
    "more water": "add water surface",
    "less water": "open the vent a step",
    "lid shut": "leave the lid shut",
    "moisten": "moisten the substrate",
    "air": "air the box",
}


def why(book: Book, reason: Reason) -> tuple[str, ...]:
    """Readings, corrections, band, rule and source."""
    lines = [last_words(book, reason.last, book.now_ms)] if reason.last is not None else []
    if reason.verdict is not None:
        lines += _readings(book, reason.verdict)
    lines.append(RULES[reason.rule].format(states=count(reason.states, "settled state")))
    return tuple(lines)


def _readings(book: Book, verdict: Verdict) -> list[str]:
    unit = book.shown_unit(verdict.quantity)
    lines = []
    for r in verdict.readings:
        corrected = with_u(r.corrected.value, r.corrected.U, verdict.quantity, unit)
        shows = f"{r.instrument.name} shows {r.shown:g} {unit_word(r.channel.unit)}"
        lines.append(f"{shows}; {mean_of(r)}corrected {corrected}.")
    together = with_u(verdict.corrected.value, verdict.corrected.U, verdict.quantity, unit)
    lines.append(f"Together, weighed by their uncertainty: {together} (95 %).")
    if verdict.band is not None:
        lines.append(f"Band now: {band_text(verdict.band.low, verdict.band.high, verdict.quantity, unit)}.")
    return lines


def mean_of(judged: Judged) -> str:
    """ "mean of the last 2 h 40 min, " for a logger, else empty."""
    return f"mean of the last {clock.in_words(judged.mean_s * 1000.0)}, " if judged.mean_s else ""


def _settling(book: Book, upset: Upset) -> str:
    if upset.kind == "set":
        return "The eggs went in less than 3 h ago and are still warming; leave the controller alone."
    again = book.local(upset.until_ms)
    ago = clock.in_words(book.now_ms - upset.time_ms)
    return f"{HAPPENED.get(upset.kind, 'Something was done')} {ago} ago; let it settle until {again:%H:%M}."


def heat(book: Book, advice: HeatAdvice) -> Said:
    """What to do about the heat."""
    unit = book.temperature_unit
    verdict, kind = advice.verdict, advice.kind
    reasons = why(book, advice.reason)
    step = abs(round(float(difference_from_inside(advice.step_k, unit)), 1))
    way = "Raise" if advice.step_k > 0 else "Lower"
    if kind == "danger" and verdict is not None:
        hot = max((r.newest or r.corrected for r in verdict.readings), key=lambda c: c.value)
        hot = hot if hot.value > verdict.corrected.value else verdict.corrected
        return Said(
            f"Cool it now: {with_u(hot.value, hot.U, 'temperature', unit)}.",
            "Open the lid for a few minutes, look at the fan and the set point, then watch it come down.",
            reasons,
            urgent=True,
            key="danger",
        )
    if kind == "wait" and advice.upset is not None:
        return Said(f"Wait. {_settling(book, advice.upset)}", "One change at a time.", reasons, key="wait heat")
    if kind == "young":
        return Said(
            "Leave the controller alone today.",
            f"The eggs are still warming. {knowledge.cautions()['chase']}",
            reasons,
            key="young",
        )
    if verdict is not None and kind in ("look", "passing", "move", "sample"):
        now = f"{value_text(verdict.corrected.value, verdict.corrected.U, 'temperature', unit)} {unit}"
        wanted = f"{value_text(advice.band.middle, 0.05, 'temperature', unit)} {unit}"
        if kind == "move":
            told: tuple[str, ...] = ()
            if advice.gain is not None:
                times = f"{advice.gain:.1f} times as far as the set point then"
                told = (f"Its air moved {times}, so the step is chosen by that.",)
            return Said(
                f"{way} the set point by {step:.1f} {unit}: {now} now, {wanted} wanted.",
                "Then leave it for 3 h and read again.",
                reasons[:1] + told + reasons[1:],
                key="move",
            )
        if kind == "look":
            then = f" Only when all are well: {way.lower()} the set point by {step:.1f} {unit} and read again in 3 h."
            return Said(
                f"Look at power, heater, lid and thermometer first: {now} now, {wanted} wanted.",
                f"Tenths on the controller do not explain that.{then if step else ''}",
                reasons,
                key="look",
            )
        if kind == "passing" and advice.mean is not None:
            mean = with_u(advice.mean.value.value, advice.mean.value.U, "temperature", unit)
            return Said(
                f"Leave the set point: {now} now, but {mean} over the last {advice.mean.hours:.0f} h.",
                "The room, the lid or the eggs pull it just now; look again in an hour or two.",
                reasons,
                key="passing",
            )
        swing = float(difference_from_inside(advice.swing_k, unit))
        return Said(
            f"Read it again over the next hours: {now} now, {wanted} wanted.",
            f"One reading is a moment of the thermostat's swing (± {swing:.1f} {unit}): too little to move the set "
            "point by.",
            reasons,
            key="sample",
        )
    return _centered(book, advice, reasons)


def _centered(book: Book, advice: HeatAdvice, reasons: tuple[str, ...]) -> Said:
    unit, c = book.temperature_unit, advice.centering
    if advice.mean is None:
        return Said(
            "Not enough readings since the last change to say.",
            "Wait 3 h after a change, then read it a few times over a day.",
            reasons,
            key="unknown",
        )
    if c is None:
        return Said(
            "Log what the controller is set to, under Round, to have its next setting computed.",
            "",
            reasons,
            key="unset",
        )
    if advice.kind == "leave":
        return Said(
            f"Leave it at {c.set_point:.1f} {unit}.",
            f"The mean is {abs(c.exact):.2f} {unit} from the middle: less than half a tenth step of the controller.",
            reasons,
            key="leave",
        )
    if advice.kind == "unclear":
        return Said(
            f"Leave it at {c.set_point - c.change:.1f} {unit} for now: can't tell.",
            f"The mean seems {abs(c.exact):.2f} {unit} {'low' if c.exact > 0 else 'high'}, less than its uncertainty. "
            "A better check of the thermometer would settle it.",
            reasons,
            key="unclear",
        )
    way = "up" if c.change > 0 else "down"
    return Said(
        f"Set it {way} by {abs(c.change):.1f} {unit}, to {c.set_point:.1f} {unit}.",
        f"The air then stands {abs(c.left):.2f} {unit} from the middle. One change, then wait 3 h before judging it.",
        reasons,
        key="center",
    )


def _moisture(book: Book, advice: MoistureAdvice) -> Said:
    # read in with the first box that is learned: the first paint does not wait for it
    from stathmis.services.moisture import box_words

    verdict, kind = advice.verdict, advice.kind
    reasons = why(book, advice.reason)
    last = last_words(book, advice.last, book.now_ms) if advice.last is not None else ""
    cautions = knowledge.cautions()
    now = f"{value_text(verdict.corrected.value, verdict.corrected.U, 'humidity', '%')} % RH now"
    band = verdict.band
    wanted = "" if band is None else band_text(band.low, band.high, "humidity", "%")
    if kind == "doubt" and advice.box is not None:
        return Said(box_words.doubt(advice.box), last, reasons, key=kind)
    if kind == "wait" and advice.upset is not None:
        return Said(f"Wait. {_settling(book, advice.upset)}", "One change at a time.", reasons, key="wait moisture")
    if kind in ("moisten", "air"):
        text = f"Moisten the substrate: {now}" if kind == "moisten" else f"Air the box: {now}"
        return Said(f"{text}, {wanted} wanted.", cautions["eggs"], reasons, key=kind)
    if kind == "mix" and advice.box is not None and advice.change is not None:
        cell = advice.change.cell
        wait = box_words.settled_words(advice.box, cell).removeprefix(", settled ") or "in 1-3 h"
        water = cautions["water"] if advice.change.fill else ""
        text = f"{box_words.change_words(advice.change)}: {now}, about {box_words.percent(cell)} {wait}."
        return Said(text, f"{last} Read again in an hour. {water}".strip(), reasons, key=kind)
    if kind == "more water":
        note = f"{last} Warm water, through the port if there is one; read again in an hour. {cautions['water']}"
        return Said(f"Add water surface: {now}, {wanted} wanted.", note.strip(), reasons, key=kind)
    if kind == "lid shut":
        text = f"Leave the lid shut: {now} is usual while chicks dry. Open the vent more if the window streams."
        return Said(text, cautions["eggs"], reasons, key=kind)
    note = f"{last} Never close a vent completely. Read again in an hour."
    text = f"Open the vent a step, or cover part of the water: {now}, {wanted} wanted."
    return Said(text, note.strip(), reasons, key=kind)


def _instrument(book: Book, advice: InstrumentAdvice) -> Said:
    unit = book.shown_unit(advice.verdict.quantity)
    name = advice.judged.instrument.name
    reasons = why(book, advice.reason)
    if advice.kind == "disagrees":
        return Said(
            f"Check the {name}: it disagrees with the others beyond their uncertainties.",
            "Until then lean on the instrument with the narrowest bubble.",
            reasons,
            key=f"check {advice.judged.channel.id}",
        )
    U = u_text(advice.judged.corrected.U, advice.verdict.quantity, unit)
    return Said(
        f"Check the {name}: {U} {unit_word(unit)} is too coarse to tell.",
        "Under Instruments, compare it with your reference.",
        reasons,
        key=f"check {advice.judged.channel.id}",
    )


def mean_words(book: Book, advice: HeatAdvice) -> str:
    """The mean a set point is judged by: "mean 37.49 ± 0.10 °C over 23 h (1 380 readings); to hold: 37.5 °C"."""
    if advice.mean is None:
        return ""
    unit = book.temperature_unit
    mean = with_u(advice.mean.value.value, advice.mean.value.U, "temperature", unit)
    middle = f"{value_text(advice.band.middle, 0.5, 'temperature', unit)} {unit}"
    return f"mean {mean} over {advice.mean.hours:.0f} h ({count(advice.mean.readings, 'reading')}); to hold: {middle}"
