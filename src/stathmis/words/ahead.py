"""What comes over the next two days, in words: when the air leaves its band, when the water runs dry, what is to do
before the night, and what a change would do about it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from stathmis.core.units import Quantity, difference_from_inside, from_inside
from stathmis.logbook.records import Incubator
from stathmis.services import knowledge
from stathmis.services.advice.trying import Cost, Figure, Tried
from stathmis.services.book import Book
from stathmis.services.clock import HOUR_MS
from stathmis.services.findings.ahead import Ahead, Fan, Lacking, Leaving, When
from stathmis.services.findings.doings import Change
from stathmis.services.findings.foreseen import Record
from stathmis.words import dates
from stathmis.words.catalogue import N_, Spoken, _, as_number, begun, filled_in
from stathmis.words.events import opening_words
from stathmis.words.numbers import band_text, number, places_for, signed, unit_word

SURE_MS = 90 * 60_000
"""What is known to an hour and a half is told by the clock."""


def about(book: Book, when: When) -> str:
    """ "about Tue 02:40", or "Tue 22:10 to Wed 05:30" where it is not so sure."""
    soonest, latest = book.local(when.soonest_ms), book.local(when.latest_ms)
    if when.latest_ms - when.soonest_ms <= 2 * SURE_MS:
        return _("about {when}", when=dates.weekday_clock(book.local(when.at_ms)))
    return _("{soonest} to {latest}", soonest=dates.weekday_clock(soonest), latest=dates.weekday_clock(latest))


def leaving(book: Book, one: Leaving) -> str:
    """A quantity leaves its band."""
    unit = book.shown_unit(one.quantity)
    edge, when = number(one.edge, one.quantity, unit), about(book, one.when)
    if one.already:
        under = _("It stays too dry, under {edge}.") if one.quantity == "humidity" else _("It stays under {edge}.")
        over = _("It stays too moist, over {edge}.") if one.quantity == "humidity" else _("It stays over {edge}.")
        return filled_in(under if one.side == "low" else over, edge=edge)
    low = _("Too dry, under {edge}, {when}.") if one.quantity == "humidity" else _("Too cool, under {edge}, {when}.")
    high = _("Too moist, over {edge}, {when}.") if one.quantity == "humidity" else _("Too warm, over {edge}, {when}.")
    return filled_in(low if one.side == "low" else high, edge=edge, when=when)


def dry(book: Book, found: Ahead) -> str:
    """The water runs dry."""
    when = found.dry
    if when is None:
        return ""
    if when.soonest_ms - found.at_ms <= HOUR_MS:
        latest = dates.weekday_clock(book.local(when.latest_ms))
        return _("The water is low: dry by {latest} at the latest.", latest=latest)
    return _("The water runs dry {when}.", when=about(book, when))


def lacking(book: Book, one: Lacking) -> str:
    """A stage to come asks what the air will not be."""
    unit = book.shown_unit(one.quantity)
    return _(
        "{phase} asks {band} from {when}; as it stands it will be {span}.",
        phase=begun(_(one.phase)),
        band=band_text(one.band.low, one.band.high, one.quantity, unit),
        when=dates.weekday_clock(book.local(one.at_ms)),
        span=span(book, one.low, one.high, one.quantity),
    )


def lines(book: Book, found: Ahead) -> tuple[str, ...]:
    """What comes if nothing is done, the soonest first; a line that all is well where nothing comes."""
    told = [(one.when.at_ms, leaving(book, one)) for one in found.leaving]
    told += [(one.at_ms, lacking(book, one)) for one in found.lacking]
    if found.dry is not None:
        told.append((found.dry.at_ms, dry(book, found)))
    words = [text for _at, text in sorted(told)]
    for quantity in found.strange:
        strange = {
            "temperature": _("The heat does what it never did here: only its next 3 h are told."),
            "humidity": _("The moisture does what it never did here: only its next 3 h are told."),
        }
        words.insert(0, strange[quantity])
    if not words:
        words = [_("Nothing leaves its band in the next two days if it goes on like this.")]
    return tuple(words)


def filled(book: Book, found: Tried | None) -> str:
    """What all the water there is would give in two hours, for the lockdown; empty where that is not known."""
    fan = found.fans.get("humidity") if found is not None else None
    if found is None or fan is None:
        return ""
    at_ms = found.as_is.at_ms + 2 * HOUR_MS
    low, _middle, high = fan.at(at_ms)
    when = dates.clock(book.local(at_ms))
    return _("All water in now: {span} by {when}.", span=span(book, low, high, "humidity"), when=when)


def headline(book: Book, found: Ahead, *, opened: bool) -> str:
    """The next two days in a few words, for what folds their picture out."""
    soonest = min(
        [(one.when.at_ms, one) for one in found.leaving if not one.already], default=None, key=lambda pair: pair[0]
    )
    if opened:
        return _("The next two days: fold away")
    if found.strange:
        return _("The next two days: strange")
    if found.dry is not None and (soonest is None or found.dry.at_ms <= soonest[0]):
        return _("Ahead: water dry {when}", when=dates.weekday_clock(book.local(found.dry.at_ms)))
    if soonest is not None:
        return _("Ahead: out of its band {when}", when=dates.weekday_clock(book.local(soonest[0])))
    if any(one.already for one in found.leaving):
        return _("Ahead: stays out of its band")
    return _("Ahead: lockdown lacks moisture") if found.lacking else _("Ahead: two days in band")


def at(book: Book, fan: Fan, at_ms: int, quantity: Quantity) -> str:
    """ "Tue 02:40: 37.1 to 37.9 °C"."""
    low, _middle, high = fan.at(at_ms)
    return _("{when}: {span}", when=dates.weekday_clock(book.local(at_ms)), span=span(book, low, high, quantity))


def span(book: Book, low: float, high: float, quantity: Quantity) -> str:
    """ "37.1 to 37.9 °C"."""
    unit = book.shown_unit(quantity)
    places = 1 if quantity == "temperature" else 0
    first, last = (as_number(float(from_inside(v, unit)), f".{places}f") for v in (low, high))
    return _("{low} to {high} {unit}", low=first, high=last, unit=unit_word(unit))


def going_on(book: Book, fan: Fan, quantity: Quantity) -> str:
    """Where it goes in the next hours: "In 3 h 37.1 to 37.9 °C."."""
    low, _middle, high = fan.at(float(fan.times_ms[0] + 3 * HOUR_MS))
    return _("In 3 h {span}.", span=span(book, low, high, quantity)) if low == low else ""


def scored(record: Record) -> str:
    """How often what was foreseen came; empty before there is enough to say."""
    if record.readings == 0:
        return ""
    return _(
        "So far {share:.0f} % of what came lay in its fan (95 % should), in {forecasts} kept forecasts.",
        share=100.0 * record.inside / record.readings,
        forecasts=record.forecasts,
    )


KINDS = Spoken(
    {
        "set point": N_("Move the set point to"),
        "water": N_("Fill, with so much surface wet"),
        "vent": N_("Set the vents to"),
        "lid": N_("Open the lid for"),
        "cool": N_("Cool the eggs for"),
        "power": N_("A power cut of"),
        "night": N_("A night colder by"),
        "window": N_("The window of the room open for"),
    }
)
"""What can be tried."""


def change(book: Book, one: Change) -> str:
    """What is tried, in words."""
    unit = book.temperature_unit
    lasts = dates.duration(one.lasts_min * 60_000)
    if one.what == "set point":
        return _("Set to {celsius}", celsius=number(one.amount, "temperature", unit))
    if one.what == "water":
        return _("Filled, {area:.0f} cm² wet", area=one.amount)
    if one.what == "vent":
        return _("Vents {opening}", opening=opening_words(one.amount))
    if one.what == "night":
        return _("A night {k:.0f} {unit} colder", k=float(difference_from_inside(one.amount, unit)), unit=unit)
    return {
        "lid": _("Lid open for {lasts}", lasts=lasts),
        "cool": _("Cooled for {lasts}", lasts=lasts),
        "power": _("Power off for {lasts}", lasts=lasts),
        "window": _("Window open for {lasts}", lasts=lasts),
    }[one.what]


def done(book: Book, one: Change) -> str:
    """The button that logs it as done."""
    if one.what == "power":
        return _("It happened: log it")
    return _("Do it, and log it now") if one.after_min == 0 else ""


COSTS = Spoken(
    {
        "coldest": N_("Eggs at their coldest"),
        "warmest": N_("Eggs at their warmest"),
        "cold hours": N_("Eggs under 30 °C"),
        "heat out": N_("Heat out of its band"),
        "moisture out": N_("Moisture out of its band"),
        "loss": N_("Weight they lose"),
        "hatch": N_("Hatch later by"),
    }
)


def cost(book: Book, figure: Figure) -> tuple[str, str, str, str]:
    """A row of what it costs: its name, as it is, tried, and the difference with its uncertainty."""
    unit = book.temperature_unit
    name = _(COSTS[figure.cost])
    if figure.cost == "cold hours":
        name = _("Eggs under {cold}", cold=f"{as_number(float(from_inside(30.0, unit)), '.0f')} {unit}")
    if figure.cost in ("coldest", "warmest"):
        apart, U = (float(difference_from_inside(v, unit)) for v in (figure.difference, figure.U))
        before, after = (number(v, "temperature", unit) for v in (figure.as_is, figure.tried))
        return name, before, after, _with_u(apart, U, unit, 0.1)
    step, word = {"loss": (0.01, "%")}.get(figure.cost, (0.1, "h"))
    places = places_for(step)
    before, after = (f"{as_number(v, f'.{places}f')} {word}" for v in (figure.as_is, figure.tried))
    return name, before, after, _with_u(figure.difference, figure.U, word, step)


def _with_u(value: float, U: float, word: str, step: float) -> str:
    places = places_for(step)
    if abs(value) < 0.5 * step and step / 2 > U:
        return _("the same")
    return _("{value} ± {U} {unit}", value=signed(value, places), U=as_number(max(U, step), f".{places}f"), unit=word)


def legend() -> str:
    """What the picture of two futures shows."""
    return _(
        "Filled: with the change; dashed: without it. 95 % of what will be read lies in each. "
        "Reckoned from this machine's own log."
    )


def nothing() -> str:
    """Too little was read of a machine."""
    return _(
        "Too little was read here to look ahead. A logger's file, or a few rounds of its readings, and it can: also of "
        "a machine that runs empty before eggs are set."
    )


def caution(one: Change) -> str:
    """What to mind with a change."""
    if one.what == "water":
        return knowledge.cautions()["water"]
    return knowledge.cautions()["chase"] if one.what == "set point" else ""


STAYS_H = 2.0
"""What is outside for less than this in two days stays in its band."""
_OUT: dict[Quantity, Cost] = {"temperature": "heat out", "humidity": "moisture out"}


def verdict(book: Book, tried: Tried) -> str:
    """What the try comes to, the gravest first."""
    if tried.danger >= 0.05:
        hot = number(40.0, "temperature", book.temperature_unit)
        return _("Do not: in {share:.0f} % of the ways eggs pass {hot}.", share=100.0 * tried.danger, hot=hot)
    before = {(one.quantity, one.side) for one in tried.as_is.leaving}
    after = {(one.quantity, one.side): one for one in tried.leaving}
    fresh = [one for key, one in after.items() if key not in before]
    words = [leaving(book, replace(one, already=False)) for one in fresh]
    by_cost = {f.cost: f for f in tried.figures}
    kept = [quantity for quantity, side in before if (quantity, side) not in after]
    hours = max((by_cost[_OUT[q]].tried for q in kept if _OUT[q] in by_cost), default=0.0)
    if kept and hours < STAYS_H:
        words.append(_("What would have left its band stays in it."))
    elif kept:
        words.append(_("It is outside its band for about {hours:.0f} h all the same.", hours=hours))
    cold = by_cost.get("cold hours")
    if cold is not None and cold.difference > 0.2:
        words.append(_("Eggs are under 30 °C for {hours:.1f} h; embryos stand an hour or two.", hours=cold.tried))
    return " ".join(words) or _("Nothing leaves its band that would not without it.")


def picture(
    book: Book, machine: Incubator, found: Ahead, tried: Tried | None, changes: Sequence[str]
) -> tuple[str, str]:
    """What a screen reader hears of the picture of the next two days: its name and what it shows."""
    name = _("The next two days of {name}", name=machine.name)
    told = [" ".join(lines(book, found))]
    if tried is not None:
        told.append(_("Tried: {changes}. {verdict}", changes=", ".join(changes), verdict=verdict(book, tried)))
    return name, " ".join(told)
