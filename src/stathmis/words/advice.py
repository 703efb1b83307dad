"""Advice in words: what to do, the note that belongs to it, and why, line by line. Round, the column, the controller's
page and reports all say it from here."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from stathmis.core.units import Quantity, difference_from_inside, from_inside, to_inside
from stathmis.logbook.records import Channel, Instrument
from stathmis.services import knowledge
from stathmis.services.advice.astray import FAR_OFF_K, LATE_HEAT_K, Suspect
from stathmis.services.advice.heat import DANGER_C, HeatAdvice
from stathmis.services.advice.instruments import InstrumentAdvice
from stathmis.services.advice.moisture import MoistureAdvice
from stathmis.services.advice.now import Advice
from stathmis.services.advice.reasons import Reason, Upset
from stathmis.services.advice.surer import Surer
from stathmis.services.advice.witness import Witness
from stathmis.services.batch import batches
from stathmis.services.book import Book
from stathmis.services.findings.verdict import Judged, Verdict
from stathmis.words import dates
from stathmis.words.catalogue import N_, Spoken, _, as_number, filled_in, within
from stathmis.words.events import opening_words
from stathmis.words.last_action import words as last_words
from stathmis.words.numbers import band_text, count, number, u_text, unit_word, value_text, with_u

RULES = Spoken(
    {
        "one thing at a time": N_("Change one thing at a time, wait 1-3 h, read again (common practice)."),
        "danger": N_("Eggs at {danger} and more die within hours; heat kills faster than cold."),
        "swing": N_(
            "A thermostat swings round its mean: the mean over whole cycles counts, not one moment (common practice)."
        ),
        "far off": N_(
            "Air more than {far} off is seldom the set point: power, heater, lid or thermometer (common practice)."
        ),
        "disagree": N_("Two disagree where |E_n| is above 1 (ISO/IEC 17043); this is not a vote."),
        "coarse": N_("Inside or outside is said only at 95 % probability (JCGM 106)."),
        "water": N_("Water surface sets humidity, depth only how long it lasts; more vent is drier (common practice)."),
        "chicks": N_("Wet chicks raise the humidity by themselves, 80 % and more (common practice)."),
        "box": N_("From {states} of this box: vapor from the water against vapor out of the vents."),
        "witness": N_(
            "Air in a box changes only as fast as heater, water and eggs let it. What changes faster, or creeps while "
            "nothing was touched, is usually the instrument (common practice)."
        ),
        "vapor": N_(
            "Relative humidity depends on the heat: the same vapor reads higher in cold air and lower in hot air."
        ),
    }
)
HAPPENED = Spoken(
    {
        "water": N_("Water went in"),
        "vent": N_("The vent was moved"),
        "lid": N_("The lid was open"),
        "set_point": N_("The set point was changed"),
        "cool": N_("They were cooled"),
        "power": N_("The power was off"),
        "set": N_("The eggs went in"),
        "air": N_("The air was far off"),
    }
)


@dataclass(frozen=True)
class Said:
    """What to do, the caution or reminder that belongs to it, and why; key tells one kind of advice from another."""

    text: str
    note: str = ""
    why: tuple[str, ...] = ()
    urgent: bool = False
    key: str = ""


@dataclass(frozen=True)
class Step:
    """What can be done about a piece of advice at once: a button's text and what it does.

    do: "check" a channel; "water", "vent", "lid" log that, with the note; "set point" logs a new one; "water page",
    "trace", "at hand", "enter", "weigh" go there.
    """

    do: Literal["check", "water", "vent", "lid", "set point", "water page", "trace", "at hand", "enter", "weigh"]
    text: str
    note: str = ""
    channel_id: int = 0
    set_point_c: float = 0.0


def steps(book: Book, advice: Advice) -> tuple[Step, ...]:
    """What can be done about a piece of advice at once, the first thing first; empty where waiting is all there is."""
    if isinstance(advice, InstrumentAdvice):
        check = Step("check", _("Check it now"), channel_id=advice.judged.channel.id)
        hand = Step("at hand", _("See what is at hand"))
        return (check,) if any(i.role == "reference" for i in book.records(Instrument)) else (check, hand)
    if isinstance(advice, HeatAdvice):
        return _heat_steps(book, advice)
    page = Step("water page", _("Open the water page"))
    change = advice.change
    if advice.kind == "mix" and change is not None:
        into = ", ".join(name if then == 1.0 else _("half of {own}", own=name) for name, then in change.fill)
        filled = (Step("water", _("Log the water"), note=into),) if into else ()
        opening = "" if change.opening is None else opening_words(change.opening)
        return (*filled, *((Step("vent", _("Log the vent"), note=opening),) if opening else ()), page)
    logged: dict[str, tuple[Step, ...]] = {
        "more water": (Step("water", _("Log the water")), page),
        "less water": (Step("vent", _("Log the vent")), page),
        "doubt": (Step("water", _("Log the water")), page),
        "moisten": (Step("water", _("Log the water")),),
        "air": (Step("lid", _("Log the airing")),),
    }
    return logged.get(advice.kind, ())


def _heat_steps(book: Book, advice: HeatAdvice) -> tuple[Step, ...]:
    unit, point = book.temperature_unit, advice.set_point_c
    if advice.kind == "danger":
        return (Step("lid", _("Log the lid")),)
    if advice.kind in ("look", "passing", "sample"):
        return (Step("trace", _("See the trace")),)
    if advice.kind != "move" or point is None:
        return ()
    moved = from_inside(point, unit) + round(float(difference_from_inside(advice.step_k, unit)), 1)
    text = _("Log {to:.1f} {unit} as set", to=moved, unit=unit)
    return (Step("set point", text, set_point_c=float(to_inside(moved, unit))),)


def surer(step: Surer) -> tuple[str, Step]:
    """What would make it surer, and the button for it."""
    name = step.line.instrument.name if step.line is not None else ""
    if step.kind == "check" and step.line is not None:
        told = _("Surer next: check the {name}. Until then its maker's word is all there is.", name=name)
        if step.line.force.since_ms is not None:
            told = _("Surer next: check the {name} again, it is due.", name=name)
        return told, Step("check", _("Check it now"), channel_id=step.line.channel.id)
    texts = {
        "instrument": (_("Surer next: enter what you read here."), "enter", _("Enter it")),
        "hygrometer": (_("Surer next: read the humidity here too; enter a hygrometer."), "enter", _("Enter it")),
        "weigh": (_("Surer next: weigh the eggs; their loss tells the humidity they need."), "weigh", _("Weigh them")),
        "water": (
            _("Surer next: say what holds water here; then every mix of water and vent is worked out."),
            "water page",
            _("Open the water page"),
        ),
        "room": (
            _("Surer next: enter the room and read it; its air decides how much water is needed."),
            "enter",
            _("Enter it"),
        ),
    }
    text, do, pressed = texts[step.kind]
    return text, Step(do, pressed)  # type: ignore[arg-type]


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
        return _("check the {name}", name=advice.judged.instrument.name)
    if isinstance(advice, MoistureAdvice):
        if advice.kind == "mix" and advice.change is not None:
            from stathmis.words import box as box_words

            text = box_words.change_words(advice.change)
            return within(text[:1]) + text[1:]
        return _SHORT_MOISTURE[advice.kind]
    step = abs(round(float(difference_from_inside(advice.step_k, book.temperature_unit)), 1))
    if advice.kind == "move":
        words = (
            _("raise the set point by {step:.1f} {unit}")
            if advice.step_k > 0
            else _("lower the set point by {step:.1f} {unit}")
        )
        return filled_in(words, step=step, unit=book.temperature_unit)
    return _SHORT_HEAT.get(advice.kind, _("leave the set point"))


_SHORT_HEAT = Spoken(
    {
        "danger": N_("cool it now"),
        "wait": N_("wait, it is settling"),
        "young": N_("leave the controller alone today"),
        "look": N_("look at power, heater and lid"),
        "sample": N_("read it again"),
        "second": N_("read a second thermometer"),
    }
)
_SHORT_MOISTURE = Spoken(
    {
        "wait": N_("wait, it is settling"),
        "heat first": N_("see to the heat first"),
        "witness": N_("dry or check the hygrometer"),
        "doubt": N_("look at water, lid and hygrometer"),
        "more water": N_("add water surface"),
        "less water": N_("open the vent a step"),
        "lid shut": N_("leave the lid shut"),
        "moisten": N_("moisten the substrate"),
        "air": N_("air the box"),
    }
)


def why(book: Book, reason: Reason) -> tuple[str, ...]:
    """Readings, corrections, band, rule and source."""
    lines = [last_words(book, reason.last, book.now_ms)] if reason.last is not None else []
    if reason.verdict is not None:
        lines += _readings(book, reason.verdict)
    unit = book.temperature_unit
    danger, far = (
        number(DANGER_C, "temperature", unit),
        f"{as_number(float(difference_from_inside(FAR_OFF_K, unit)), 'g')} {unit}",
    )
    lines.append(
        _(
            RULES[reason.rule],
            states=count(reason.states, "{n} settled state", "{n} settled states"),
            danger=danger,
            far=far,
        )
    )
    return tuple(lines)


def _readings(book: Book, verdict: Verdict) -> list[str]:
    unit = book.shown_unit(verdict.quantity)
    lines = []
    for r in verdict.readings:
        corrected = with_u(r.corrected.value, r.corrected.U, verdict.quantity, unit)
        shows = _(
            "{name} shows {shown:g} {unit_word}",
            name=r.instrument.name,
            shown=r.shown,
            unit_word=unit_word(r.channel.unit),
        )
        lines.append(
            _("{shows}; {mean_of}corrected {corrected}.", shows=shows, mean_of=mean_of(r), corrected=corrected)
        )
    together = with_u(verdict.corrected.value, verdict.corrected.U, verdict.quantity, unit)
    lines.append(_("Together, weighed by their uncertainty: {together} (95 %).", together=together))
    if verdict.band is not None:
        lines.append(
            _(
                "Band now: {band_text}.",
                band_text=band_text(verdict.band.low, verdict.band.high, verdict.quantity, unit),
            )
        )
    return lines


def mean_of(judged: Judged) -> str:
    """ "mean of the last 2 h 40 min, " for a logger, else empty."""
    return _("mean of the last {duration}, ", duration=dates.duration(judged.mean_s * 1000.0)) if judged.mean_s else ""


def _settling(book: Book, upset: Upset) -> str:
    if upset.kind == "set":
        return _("The eggs went in less than 3 h ago and are still warming; leave the controller alone.")
    again = book.local(max(upset.back_ms, book.now_ms))
    ago = dates.duration(book.now_ms - upset.time_ms)
    happened = HAPPENED.get(upset.kind, _("Something was done"))
    parts = {"happened": happened, "ago": ago, "clock": dates.clock(again)}
    if upset.back_ms <= book.now_ms:
        return _("{happened} {ago} ago; it is still on its way back. Read again in half an hour.", **parts)
    return _("{happened} {ago} ago; let it settle until about {clock}.", **parts)


def heat(book: Book, advice: HeatAdvice) -> Said:
    """What to do about the heat."""
    verdict, kind = advice.verdict, advice.kind
    reasons = why(book, advice.reason)
    if kind == "danger" and verdict is not None:
        return _danger(book, verdict, reasons)
    if kind == "wait" and advice.upset is not None:
        said = _("Wait. {settling}", settling=_settling(book, advice.upset))
        return Said(said, _("One change at a time."), reasons, key="wait heat")
    if kind == "young":
        caution = _("The eggs are still warming. {cautions}", cautions=knowledge.cautions()["chase"])
        return Said(_("Leave the controller alone today."), caution, reasons, key="young")
    if advice.witness is not None:
        return _second(book, advice.witness, reasons)
    of_kind = {"move": _move, "look": _look, "passing": _passing, "sample": _sample}.get(kind)
    if verdict is None or of_kind is None:
        return _centered(book, advice, reasons)
    unit = book.temperature_unit
    now = f"{value_text(verdict.corrected.value, verdict.corrected.U, 'temperature', unit)} {unit}"
    wanted = f"{value_text(advice.band.middle, 0.05, 'temperature', unit)} {unit}"
    return of_kind(book, advice, now, wanted, reasons)


def _danger(book: Book, verdict: Verdict, reasons: tuple[str, ...]) -> Said:
    hot = max((r.newest or r.corrected for r in verdict.readings), key=lambda c: c.value)
    hot = hot if hot.value > verdict.corrected.value else verdict.corrected
    return Said(
        _("Cool it now: {with_u}.", with_u=with_u(hot.value, hot.U, "temperature", book.temperature_unit)),
        _("Open the lid for a few minutes, look at the fan and the set point, then watch it come down."),
        reasons,
        urgent=True,
        key="danger",
    )


def _second(book: Book, one: Witness, reasons: tuple[str, ...]) -> Said:
    unit = book.temperature_unit
    by = abs(float(difference_from_inside(one.now - one.before, unit)))
    crept = _("The {name} has crept up by {by:.1f} {unit} since {day}, and nobody touched the thermostat.")
    if one.now < one.before:
        crept = _("The {name} has crept down by {by:.1f} {unit} since {day}, and nobody touched the thermostat.")
    return Said(
        _("Read a second thermometer beside the {name} before you move the set point.", name=one.instrument.name),
        filled_in(crept, name=one.instrument.name, by=by, unit=unit, day=dates.moment(book.local(one.since_ms)))
        + " "
        + _("It may be drifting. An ice check, or the shell of an egg, would tell too."),
        reasons,
        key="second",
    )


def _step(book: Book, advice: HeatAdvice) -> float:
    return abs(round(float(difference_from_inside(advice.step_k, book.temperature_unit)), 1))


def _move(book: Book, advice: HeatAdvice, now: str, wanted: str, reasons: tuple[str, ...]) -> Said:
    move = _("Raise the set point by {step:.1f} {unit}: {now} now, {wanted} wanted.")
    if advice.step_k <= 0:
        move = _("Lower the set point by {step:.1f} {unit}: {now} now, {wanted} wanted.")
    told: tuple[str, ...] = ()
    if advice.gain is not None:
        seen = _("Its air moved {gain:.1f} times as far as the set point then, so the step is chosen by that.")
        told = (filled_in(seen, gain=advice.gain),)
    then = _("Then leave it for 3 h and read again.")
    course = batches.running(book, advice.incubator)
    if advice.step_k < 0 and course is not None and float(course.warmed_by(book.now_ms).shell_k) > LATE_HEAT_K:
        then += f" {_suspect(book, Suspect('eggs'))}"
    return Said(
        filled_in(move, step=_step(book, advice), unit=book.temperature_unit, now=now, wanted=wanted),
        then,
        reasons[:1] + told + reasons[1:],
        key="move",
    )


def _look(book: Book, advice: HeatAdvice, now: str, wanted: str, reasons: tuple[str, ...]) -> Said:
    step = _step(book, advice)
    then = _(" Only when all are well: raise the set point by {step:.1f} {unit} and read again in 3 h.")
    if advice.step_k <= 0:
        then = _(" Only when all are well: lower the set point by {step:.1f} {unit} and read again in 3 h.")
    fits = " ".join(_suspect(book, one) for one in advice.suspects)
    return Said(
        _("Look at power, heater, lid and thermometer first: {now} now, {wanted} wanted.", now=now, wanted=wanted),
        (fits or _("Tenths on the controller do not explain that."))
        + (filled_in(then, step=step, unit=book.temperature_unit) if step else ""),
        reasons,
        key="look",
    )


def _suspect(book: Book, suspect: Suspect) -> str:
    """What would fit, and what speaks for it."""
    unit, share = book.temperature_unit, as_number(100.0 * suspect.share, ".0f")
    if suspect.what == "power":
        return _("{share} % of its moisture stayed inside, so it is shut: power or heater.", share=share)
    if suspect.what == "lid":
        return _("Only {share} % of its moisture is left: is the lid open or ajar?", share=share)
    if suspect.what == "room":
        room = number(suspect.celsius, "temperature", unit)
        return _("The room is at {room}, which a small box cannot make up for.", room=room)
    if suspect.what == "fan":
        apart = f"{as_number(float(difference_from_inside(suspect.apart_k, unit)), '.1f')} {unit}"
        return _("Two places in it are {apart} further apart than over the last day: does the fan turn?", apart=apart)
    if suspect.what == "eggs":
        return _("Late eggs heat the box themselves: it needs less heat now, and more air.")
    return _("Nothing logged heats it so: is the heater stuck on, or the sun on the box?")


def _passing(book: Book, advice: HeatAdvice, now: str, wanted: str, reasons: tuple[str, ...]) -> Said:
    if advice.mean is None:
        return _sample(book, advice, now, wanted, reasons)
    mean = with_u(advice.mean.value.value, advice.mean.value.U, "temperature", book.temperature_unit)
    hours = advice.mean.hours
    return Said(
        _("Leave the set point: {now} now, but {mean} over the last {hours:.0f} h.", now=now, mean=mean, hours=hours),
        _("The room, the lid or the eggs pull it just now; look again in an hour or two."),
        reasons,
        key="passing",
    )


def _sample(book: Book, advice: HeatAdvice, now: str, wanted: str, reasons: tuple[str, ...]) -> Said:
    unit = book.temperature_unit
    return Said(
        _("Read it again over the next hours: {now} now, {wanted} wanted.", now=now, wanted=wanted),
        _(
            "One reading is a moment of the thermostat's swing (± {swing:.1f} {unit}): too little to "
            "move the set point by.",
            swing=float(difference_from_inside(advice.swing_k, unit)),
            unit=unit,
        ),
        reasons,
        key="sample",
    )


def _centered(book: Book, advice: HeatAdvice, reasons: tuple[str, ...]) -> Said:
    unit, c = book.temperature_unit, advice.centering
    if advice.mean is None:
        return Said(
            _("Not enough readings since the last change to say."),
            _("Wait 3 h after a change, then read it a few times over a day."),
            reasons,
            key="unknown",
        )
    if c is None:
        return Said(
            _("Log what the controller is set to, under Round, to have its next setting computed."),
            "",
            reasons,
            key="unset",
        )
    if advice.kind == "leave":
        return Said(
            _("Leave it at {set_point:.1f} {unit}.", set_point=c.set_point, unit=unit),
            _(
                "The mean is {exact:.2f} {unit} from the middle: less than half a tenth step of the controller.",
                exact=abs(c.exact),
                unit=unit,
            ),
            reasons,
            key="leave",
        )
    if advice.kind == "unclear":
        seems = _("The mean seems {exact:.2f} {unit} low, less than its uncertainty.")
        if c.exact <= 0:
            seems = _("The mean seems {exact:.2f} {unit} high, less than its uncertainty.")
        return Said(
            _("Leave it at {set_point:.1f} {unit} for now: can't tell.", set_point=c.set_point - c.change, unit=unit),
            filled_in(seems, exact=abs(c.exact), unit=unit)
            + " "
            + _("A better check of the thermometer would settle it."),
            reasons,
            key="unclear",
        )
    turn = _("Set it up by {change:.1f} {unit}, to {to:.1f} {unit}.")
    if c.change <= 0:
        turn = _("Set it down by {change:.1f} {unit}, to {to:.1f} {unit}.")
    return Said(
        filled_in(turn, change=abs(c.change), unit=unit, to=c.set_point),
        _(
            "The air then stands {left:.2f} {unit} from the middle. One change, then wait 3 h before judging it.",
            left=abs(c.left),
            unit=unit,
        ),
        reasons,
        key="center",
    )


def _moisture(book: Book, advice: MoistureAdvice) -> Said:
    verdict, kind = advice.verdict, advice.kind
    reasons = why(book, advice.reason)
    last = last_words(book, advice.last, book.now_ms) if advice.last is not None else ""
    cautions = knowledge.cautions()
    now = _(
        "{value_text} % RH now", value_text=value_text(verdict.corrected.value, verdict.corrected.U, "humidity", "%")
    )
    band = verdict.band
    wanted = "" if band is None else band_text(band.low, band.high, "humidity", "%")
    if kind == "doubt" and advice.box is not None:
        # read in with the first box that is learned: the first paint does not wait for it
        from stathmis.words import box as box_words

        return Said(box_words.doubt(advice.box), last, reasons, key=kind)
    if kind == "wait" and advice.upset is not None:
        return Said(
            _("Wait. {settling}", settling=_settling(book, advice.upset)),
            _("One change at a time."),
            reasons,
            key="wait moisture",
        )
    if kind == "heat first":
        note = _("Bring the air back to its range; then the humidity is judged again.")
        return Said(_("Leave water and vents as they are until the heat is right."), note, reasons, key=kind)
    if advice.witness is not None:
        return _wet(book, advice.witness, reasons)
    if kind in ("moisten", "air"):
        text = _("Moisten the substrate: {now}", now=now) if kind == "moisten" else _("Air the box: {now}", now=now)
        return Said(_("{text}, {wanted} wanted.", text=text, wanted=wanted), cautions["eggs"], reasons, key=kind)
    if kind == "mix" and advice.box is not None and advice.change is not None:
        from stathmis.words import box as box_words

        cell = advice.change.cell
        wait = box_words.settled_words(advice.box, cell) or _("in 1-3 h")
        water = cautions["water"] if advice.change.fill else ""
        text = _(
            "{change_words}: {now}, about {percent} {wait}.",
            change_words=box_words.change_words(advice.change),
            now=now,
            percent=box_words.percent(cell),
            wait=wait,
        )
        return Said(text, _("{last} Read again in an hour. {water}", last=last, water=water).strip(), reasons, key=kind)
    if kind == "more water":
        note = _(
            "{last} Warm water, through the port if there is one; read again in an hour. {cautions}",
            last=last,
            cautions=cautions["water"],
        )
        if not advice.sure:
            why_now = _("The display may be off, but now too dry does more harm than a little too moist.")
            note = f"{why_now} {note}"
        return Said(
            _("Add water surface: {now}, {wanted} wanted.", now=now, wanted=wanted), note.strip(), reasons, key=kind
        )
    if kind == "lid shut":
        text = _(
            "Leave the lid shut: {now} is usual while chicks dry. Open the vent more if the window streams.", now=now
        )
        return Said(text, cautions["eggs"], reasons, key=kind)
    note = _("{last} Never close a vent completely. Read again in an hour.", last=last)
    text = _("Open the vent a step, or cover part of the water: {now}, {wanted} wanted.", now=now, wanted=wanted)
    return Said(text, note.strip(), reasons, key=kind)


def _wet(book: Book, one: Witness, reasons: tuple[str, ...]) -> Said:
    """A hygrometer that jumped, or stands higher than such air can be."""
    name, clock = one.instrument.name, dates.clock(book.local(one.since_ms))
    told = _("It shows {now:.0f} %, more than a box of eggs ever holds before chicks hatch.", now=one.now)
    if one.kind == "jumped":
        told = _(
            "It went from {before:.0f} to {now:.0f} % about {clock}, faster than air can change.",
            before=one.before,
            now=one.now,
            clock=clock,
        )
    rest = _("Let it dry away from the water, and read another hygrometer or weigh the eggs meanwhile.")
    text = _("Leave water and vents alone: the {name} is probably wet.", name=name)
    return Said(text, f"{told} {rest}", reasons, key="witness")


def _instrument(book: Book, advice: InstrumentAdvice) -> Said:
    unit = book.shown_unit(advice.verdict.quantity)
    name = advice.judged.instrument.name
    reasons = why(book, advice.reason)
    if advice.kind == "disagrees":
        return Said(
            _("Check the {name}: it disagrees with the others beyond their uncertainties.", name=name),
            _("Until then lean on the instrument with the narrowest bubble."),
            reasons,
            key=f"check {advice.judged.channel.id}",
        )
    U = u_text(advice.judged.corrected.U, advice.verdict.quantity, unit)
    return Said(
        _("Check the {name}: {U} {unit_word} is too coarse to tell.", name=name, U=U, unit_word=unit_word(unit)),
        _more(book, advice.verdict.quantity),
        reasons,
        key=f"check {advice.judged.channel.id}",
    )


def _more(book: Book, quantity: Quantity) -> str:
    """How to know more: by the keeper's own reference for this quantity, where there is one."""
    able = {c.instrument_id for c in book.records(Channel, quantity=quantity)}
    own = next((i for i in book.records(Instrument) if i.role == "reference" and i.id in able), None)
    if own is None:
        return _("Under Instruments, tick what is at hand (ice, table salt …): it says what each would tell.")
    return _("Under Instruments, compare it with the {name}.", name=own.name)


def mean_words(book: Book, advice: HeatAdvice) -> str:
    """The mean a set point is judged by: "mean 37.49 ± 0.10 °C over 23 h (1 380 readings); to hold: 37.5 °C"."""
    if advice.mean is None:
        return ""
    unit = book.temperature_unit
    mean = with_u(advice.mean.value.value, advice.mean.value.U, "temperature", unit)
    middle = f"{value_text(advice.band.middle, 0.5, 'temperature', unit)} {unit}"
    return _(
        "mean {mean} over {hours:.0f} h ({count}); to hold: {middle}",
        mean=mean,
        hours=advice.mean.hours,
        count=count(advice.mean.readings, "{n} reading", "{n} readings"),
        middle=middle,
    )
