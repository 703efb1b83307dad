"""The way of a batch in words: what its numbers are called, why one cannot be, and what a school is not meant for."""

from __future__ import annotations

from typing import Any

from stathmis.core.course.profile import Species
from stathmis.core.course.way import CANDLINGS, LIMITS, Way
from stathmis.core.units import difference_from_inside
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.words import dates
from stathmis.words.catalogue import _, as_number, filled_in
from stathmis.words.numbers import band_text, number


def called(name: str) -> str:
    """What a number of a way is called; name: of the field of core.course.way.Way."""
    return {
        "term_days": _("Days to the hatch"),
        "lockdown_day": _("Day of lockdown"),
        "loss_percent": _("Weight lost at lockdown, %"),
        "set_c": _("Temperature held"),
        "tolerance_k": _("How far it may be off"),
        "setting_rh": _("Humidity before lockdown, %"),
        "lockdown_rh": _("Humidity from lockdown on, %"),
        "turn_every_min": _("Minutes between two turns of the machine"),
        "turn_degrees": _("Degrees of a turn"),
        "day_begins_h": _("Hour of the first turn"),
        "day_ends_h": _("Hour of the last turn"),
        "vent_setting": _("Vents before lockdown, % open"),
        "vent_lockdown": _("Vents from lockdown, % open"),
        "vent_hatching": _("Vents from the first chick on, % open"),
        "hot_k": _("Alarm: so much too warm"),
        "cold_k": _("Alarm: so much too cold"),
        "dry_rh": _("Alarm: so much too dry, %"),
        "moist_rh": _("Alarm: so much too moist, %"),
        "late_hot_k": _("Alarm from lockdown on: so much too warm"),
        "late_cold_k": _("Alarm from lockdown on: so much too cold"),
        "late_dry_rh": _("Alarm from lockdown on: so much too dry, %"),
        "late_moist_rh": _("Alarm from lockdown on: so much too moist, %"),
        "turns_a_day": _("Turns a day"),
        "longest_gap_h": _("Longest time between two turns, h"),
        "counter_day": _("Day the machine's counter stops turning"),
        "coolings_a_day": _("Coolings a day"),
        "cool_minutes": _("Minutes of a cooling"),
        "cool_from_day": _("First day of cooling"),
        "candling_days": _("Days of candling"),
        "weigh_every_days": _("Days from one weighing to the next"),
        "still_offset_k": _("How much warmer still air is held"),
        "box": _("Place of the box"),
        "brooder_days": _("Days before lockdown the brooder is ready"),
        "feed_limit_h": _("Hours within which they are fed"),
    }[name]


def choices() -> dict[str, tuple[str, dict[Any, str]]]:
    """What is chosen from a list: what the choice is called, and its options in words."""
    by_hand, by_machine = _("by hand"), _("by the machine")
    weekdays: dict[Any, str] = {None: _("every seventh day")}
    weekdays |= {i: _("on {day}", day=_(name)) for i, name in enumerate(dates.WEEKDAYS)}
    return {
        "turning": (_("How they are turned"), {"machine": by_machine, "by hand": by_hand, "none": _("not at all")}),
        "cooling": (
            _("How they are cooled"),
            {"": _("as the species wants"), "none": _("never"), "by hand": by_hand, "by machine": by_machine},
        ),
        "candling": (_("How often they are candled"), {key: _(key) for key in CANDLINGS}),
        "misted": (_("Misting in lockdown"), {"none": _("not misted"), "lockdown": _("misted in lockdown")}),
        "opening": (
            _("Opening while eggs are pipped"),
            {"": _("lid as usual here"), "never": _("lid shut while pipped"), "quickly": _("quickly for dry ones")},
        ),
        "helping": (_("Helping a chick out"), {"no": _("no help"), "last resort": _("help as last resort")}),
        "taken_off": (
            _("Taking the chicks off"),
            {"as they dry": _("off as they dry"), "together": _("off all together")},
        ),
        "held": (_("What is held"), {"air": _("the air"), "shell": _("the eggs' shells")}),
        "wished": (
            _("Which sex is wished"),
            {"": _("whichever"), "females": _("females"), "both": _("both"), "males": _("males")},
        ),
        "airing_day": (_("When the box is aired"), weekdays),
    }


def heading() -> str:
    """Over what a batch is kept otherwise in."""
    return _("How it was done")


def unmoved(key: str) -> str:
    """The edit that puts a step of a plan back."""
    return _("{step} where it is by itself", step=_(key))


def otherwise(book: Book, course: Course) -> list[tuple[str, str]]:
    """What a batch is kept otherwise in than usual: what it is called, and how it is done."""
    way, usual, said = course.way, Way(), []
    for name, (title, options) in choices().items():
        value = getattr(way, name)
        if value != getattr(usual, name):
            said.append((title, options[value]))
    for name in LIMITS:
        value = getattr(way, name)
        if name not in ("collecting_days", "airing_day") and value not in (None, (), getattr(usual, name)):
            said.append((called(name), _as_told(book, course, name, value)))
    if way.box:
        said.append((called("box"), way.box))
    if not way.weighing:
        said.append((called("weigh_every_days"), _("not weighed")))
    return said


def _as_told(book: Book, course: Course, name: str, value: Any) -> str:
    """A number of a way, in the keeper's count of days and unit."""
    unit = book.temperature_unit
    values = value if isinstance(value, tuple) else (value,)
    if name in ("counter_day", "cool_from_day", "candling_days"):
        values = tuple(course.numbered(v) for v in values)
    elif name in ("still_offset_k", "tolerance_k", "hot_k", "cold_k", "late_hot_k", "late_cold_k"):
        return f"{as_number(float(difference_from_inside(value, unit)), '.3g')} {'°F' if unit == '°F' else 'K'}"
    elif name == "set_c":
        return number(value, "temperature", unit)
    return ("–" if name.endswith("_rh") else ", ").join(as_number(v, "g") for v in values)


def no_number(name: str, text: str) -> tuple[str, str]:
    """What was typed is no number: that, and what to do."""
    return _("{what}: “{text}” is no number.", what=called(name), text=text), _("Write it as 5 or 7.5.")


def no_band(name: str, text: str) -> tuple[str, str]:
    """It does not run from a lower to a higher number: that, and what to do."""
    return _("{what}: “{text}” is no band.", what=called(name), text=text), _("Write it as 45–55.")


def too_long(name: str, most: int) -> tuple[str, str]:
    """A text has too many letters: that, and what to do."""
    return _("{what}: that is long.", what=called(name)), _("{most} letters are enough.", most=most)


def reason(name: str) -> str:
    """What speaks for either side of a choice, for the line of a way that is being filled in; empty where nothing
    does. Source: common practice."""
    return {
        "term_days": _("Breeds differ by a day or two: your own hatches say more than any sheet."),
        "lockdown_day": _("Earlier lets late turners rest; later keeps the drier air longer. Most: three days before."),
        "set_c": _("A tenth warmer hatches a little earlier. Some hold 37.8, most 37.5 °C in moving air."),
        "held": _(
            "The shell says what the egg feels, late in the term up to a degree and more over the air; it needs the "
            "lid lifted. The air is read all day."
        ),
        "setting_rh": _("Moister holds weight, drier makes room for the air cell; the scale decides."),
        "lockdown_rh": _("Too dry sticks the membrane to the chick; streaming wet takes its air."),
        "turning": _("A machine forgets nothing, but shows no fault; by hand you see every egg, and keep the hours."),
        "cooling": _("It wakes waterfowl and airs the shell; each time the box must warm up again. Many never cool."),
        "candling": _("Often: clears and dead are out early. Seldom: the lid stays shut and hands stay off."),
        "weigh_every_days": _("The one sure sign of the right humidity, for a minute with the lid open."),
        "still_offset_k": _("The egg's middle is cooler than its top: most hold 1.1 K more there, some hold none."),
        "vent_setting": _("More open: more air for the embryos, drier. Never quite shut."),
        "misted": _("Helps hard shells, say some; most leave it: each opening costs more than it gives."),
        "opening": _("Shut: no membrane dries. Quickly: dry chicks do not roll the pipped eggs about."),
        "helping": _("Most who help lose the chick; some save one that has stopped for a day, slowly and damp."),
        "taken_off": _("As they dry: sooner fed, more openings. Together: one opening; the yolk feeds them two days."),
        "hot_k": _("Narrow limits call often, wide ones late. Empty: 1 K for the eggs, 1.5 K for the air."),
        "dry_rh": _("Empty: told in lockdown only, 15 % under the band for ten minutes."),
        "late_hot_k": _("Pipped eggs stand less. Empty: as before lockdown."),
        "brooder_days": _("The first chick may come a day early; litter takes hours to warm through."),
        "feed_limit_h": _("By school 24 to 72 h: the yolk lasts, but who feeds early has fewer weak ones."),
        "wished": _("The middle third of the term decides. Females from above 33.5 °C are often barren and fierce."),
        "airing_day": _("Once a week is enough; a day you keep is better than the seventh."),
    }.get(name, "")


def out_of_range(name: str, text: str, low: float, high: float, *, whole: bool) -> tuple[str, str]:
    """It cannot be so much, or is missing: that, and what to do."""
    what = _("{what}: {text}?", what=called(name), text=text or _("how many"))
    if whole:
        return what, _("Write a whole number from {low:g} to {high:g}.", low=low, high=high)
    return what, _("Write a number from {low:g} to {high:g}.", low=low, high=high)


def drawn(book: Book, course: Course) -> str:
    """What a way that is still being typed comes to."""
    parts = []
    days = ((course.lockdown_day, _("lockdown {day}")), (course.species.days, _("hatch {day}")))
    for day, words in days:
        if day is not None:
            parts.append(filled_in(words, day=dates.day(book.local(course.at_ms(day)), weekday=True)))
    # what was asked until now may be other
    since = max(0.0, course.day(book.now_ms))
    asked = [p for p in course.phases if p.end_day > since and p.name != "dry"] or [course.phases[-1]]
    heat = asked[0].temperature_c
    parts.append(band_text(heat.low, heat.high, "temperature", book.temperature_unit))
    moist: list[str] = []
    for phase in asked:
        if phase.humidity is not None:
            words = band_text(phase.humidity.low, phase.humidity.high, "humidity", "%")
            moist += [words] if moist[-1:] != [words] else []
    if moist:
        parts.append(_(", then ").join(moist))
    return _("As typed: {what}. Enter keeps it.", what="; ".join(parts))


def unsuited(species: Species, apart: float) -> str:
    """That a school is so much drier (below 0) or moister than a species wants, percent; empty where it suits."""
    if not apart:
        return ""
    band = band_text(species.setting_rh.low, species.setting_rh.high, "humidity", "%")
    if apart < 0:
        return _("Far drier than most keep these eggs ({band}): weigh them.", band=band)
    return _("Far moister than most keep these eggs ({band}): weigh them.", band=band)
