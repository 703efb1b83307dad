"""What goes on paper in words: in few, for there is little room and hands are wet."""

from __future__ import annotations

from stathmis.services import knowledge
from stathmis.services.advice.heat import DANGER_C
from stathmis.services.book import Book
from stathmis.services.on_paper.brooder import BrooderCard
from stathmis.services.on_paper.card import Card, Stage
from stathmis.services.on_paper.columns import Column
from stathmis.services.on_paper.labels import Label
from stathmis.words import dates
from stathmis.words.catalogue import _, filled_in
from stathmis.words.numbers import band_text, count, number, typed_text, unit_word


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
    return f"{' – '.join(dict.fromkeys(_(name) for name in one.phases))}, {days}"


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


def label_title(one: Label) -> str:
    """Whose eggs lie there."""
    plan = one.plan
    return f"{plan.name}, {plan.way.box}" if plan.way.box else plan.name


def label_lines(book: Book, one: Label) -> list[str]:
    """What stands on a label below its title."""
    plan, made = one.plan, []
    who = [plan.species.name, count(plan.eggs, "{n} egg", "{n} eggs"), *([plan.mother] if plan.mother else [])]
    made.append(", ".join(who))
    when = dates.day(book.local(plan.set_ms), weekday=True, year=True)
    made.append(_("{machine} · set {when}", machine=plan.incubator.name, when=when))
    steps = {"lockdown": _("lockdown {day}"), "hatch": _("hatch about {day}")}
    made.append(" · ".join(filled_in(steps[key], day=dates.day(book.local(at), weekday=True)) for key, at in one.steps))
    if one.lies_still:
        made.append(_("Never turn: the mark stays on top."))
    return [line for line in made if line]


def brooder(book: Book, made: BrooderCard) -> list[str]:
    """What stands on the brooder's card above its weeks."""
    begins = dates.day(book.local(made.begins_ms), weekday=True)
    by = dates.moment(book.local(made.feed_by_ms), weekday=True)
    if made.course.species.kind == "reptile":
        return [
            _("Out from {begins} on.", begins=begins),
            _("Damp paper until the first shed, about a week; then apart; then the first meal. No gap anywhere."),
        ]
    first = _("{chicks} out since {begins}.", chicks=count(made.chicks, "{n} chick", "{n} chicks"), begins=begins)
    return [
        first if made.chicks else _("Expected {begins}; warm it a day before.", begins=begins),
        _("Feed and water by {by}: a chick lives on the yolk no longer than that.", by=by),
        _("They pant and flee: too hot. They crowd and cheep: too cold. Cooler at the far end."),
        _("Dry litter on a rough floor: a smooth one splays the legs."),
    ]


def weeks(book: Book, made: BrooderCard) -> list[tuple[str, str]]:
    """Week by week: when, and how warm under the source."""
    return [
        (
            dates.span(book.local(week.start_ms), book.local(week.stop_ms)),
            number(week.celsius, "temperature", book.temperature_unit),
        )
        for week in made.weeks
    ]


def brooder_cautions() -> list[str]:
    """What stands at the foot of a brooder's card."""
    known = knowledge.cautions()
    return [known["lamp"], known["eggs"]]
