"""The card and the round's sheet in words: in few, for there is little room and hands are wet."""

from __future__ import annotations

from stathmis.services import knowledge
from stathmis.services.advice.heat import DANGER_C
from stathmis.services.book import Book
from stathmis.services.on_paper.card import Card, Stage
from stathmis.services.on_paper.columns import Column
from stathmis.words import dates
from stathmis.words.catalogue import _
from stathmis.words.numbers import band_text, number, typed_text, unit_word


def head(book: Book, card: Card) -> str:
    """Where it lies, since when, and when it is expected to hatch."""
    course = card.course
    return _(
        "{machine} · set {set} · hatch about {hatch} · written {written}",
        machine=course.incubator.name,
        set=dates.moment(book.local(course.batch.set_ms), weekday=True),
        hatch=dates.day(book.local(card.hatch_ms), weekday=True),
        written=dates.day(book.local(card.written_ms), year=True),
    )


def stage(book: Book, one: Stage) -> str:
    """A stage and its days."""
    days = dates.span(book.local(one.start_ms), book.local(one.stop_ms))
    return f"{_(one.name)}, {days}"


def asked(book: Book, one: Stage) -> str:
    """What the air is to be in a stage."""
    unit = book.temperature_unit
    heat = band_text(one.temperature_c.low, one.temperature_c.high, "temperature", unit)
    if one.humidity is None:
        return heat
    return f"{heat}, {band_text(one.humidity.low, one.humidity.high, 'humidity', '%')}"


def shows(shown: tuple[float, float] | None, unit: str, resolution: float) -> str:
    """What a display shows: "36.7–37.3 °C"; a dash where it cannot tell."""
    if shown is None:
        return "–"
    ends = dict.fromkeys(typed_text(end, resolution) for end in shown)
    return f"{'–'.join(ends)} {unit}"


def column(one: Column) -> tuple[str, str]:
    """The head of a column: the display, and what it should show in its own unit."""
    channel = one.line.channel
    if one.shows is None:
        return one.line.instrument.name, unit_word(channel.unit)
    return one.line.instrument.name, shows(one.shows, channel.unit, channel.resolution)


def when(book: Book, *, bird: bool) -> list[tuple[str, str]]:
    """What to do when something is wrong: what it is, and what to do."""
    hot = number(DANGER_C, "temperature", book.temperature_unit)
    dry = _("Fill the water, warm and through the port; in lockdown all of it, then leave it shut.")
    wet = _("Open the vent a step; take water away if it stays. Look again in an hour.")
    if not bird:
        dry = _("Moisten the substrate, warm, never the eggs. Shut the box.")
        wet = _("Air the box; leave its lid a finger open for an hour.")
    return [
        (_("Power cut"), _("Note the time. Leave the lid shut, warm the room. An hour or two is usually survived.")),
        (
            _("Too hot"),
            _("Open it for minutes, look at fan and set point. {hot} in the eggs kills.", hot=hot),
        ),
        (_("Too cold"), _("Look at power, heater and lid. After an open lid wait 1–3 h before you touch a thing.")),
        (_("Too dry"), dry),
        (_("Too moist"), wet),
    ]


def cautions() -> list[str]:
    """What stands at the foot."""
    known = knowledge.cautions()
    return [known["water"], known["eggs"], known["law"], known["alarm"]]


def done() -> str:
    """The head of the last column."""
    return _("done")


def time() -> str:
    """The head of the first column."""
    return _("day, time")
