"""Practice in words: lessons, what can be done, what is seen, and what it came to when the cover comes off."""

from __future__ import annotations

from collections.abc import Sequence

from stathmis.services.book import Book
from stathmis.words.catalogue import N_, Sentence, Spoken, _, ngettext
from stathmis.words.numbers import number, unit_word

MACHINE = Sentence("Practice cabinet")
ROOM = Sentence("Practice room")
ROOM_LOGGER = Sentence("Room logger")

TITLES = Spoken(
    {
        "believe": N_("Which display to believe"),
        "dry cupboard": N_("The dry cupboard"),
        "cold night": N_("The cold night"),
        "posted eggs": N_("The posted eggs"),
        "at the pip": N_("Opening at the pip"),
        "hurry": N_("Lockdown in a hurry"),
        "season": N_("The season"),
        "free": N_("A free run"),
    }
)
TEACHES = Spoken(
    {
        "believe": N_("Three thermometers, and no two agree. Find out which to believe before the eggs do."),
        "dry cupboard": N_("A room as dry as a heated house. Water surface, vents and the weight of the eggs."),
        "cold night": N_(
            "The room freezes at night and the power fails. See it coming, and leave the controller alone after."
        ),
        "posted eggs": N_("Eggs come by post, shaken and a few days old. When are they set?"),
        "at the pip": N_("Lockdown is near and the chicks want out. How often is the lid opened?"),
        "hurry": N_("Hours to lockdown, the water low, the room dry. What first?"),
        "season": N_("A quick bird, a drifting hygrometer, a power cut, a turner, a helper: all of it."),
        "free": N_("A world by its number: pass the number on, and others live through the same one."),
    }
)
DEEDS = Spoken(
    {
        "set eggs": N_("Set the eggs"),
        "look in": N_("Look in at the window"),
        "candle": N_("Candle the tray"),
        "weigh": N_("Weigh the tray"),
        "turner": N_("Look at the turner"),
        "warm": N_("Warm the room tonight"),
        "finish": N_("Take off, open the rest, end it"),
    }
)
"""What is done at a practice machine beside what is logged on the pages."""
HARDSHIPS = Spoken(
    {
        "nature": N_("what happens in every hatch"),
        "heat": N_("too warm"),
        "cold": N_("too cool"),
        "swings": N_("the heat that swung"),
        "loss": N_("too much or too little weight lost by the pip"),
        "dry pip": N_("membranes that dried at the pip"),
        "turning": N_("too long without a turn"),
        "age": N_("kept too long before setting"),
        "journey": N_("the journey by post, unrested"),
        "turner": N_("a turner still moving at the hatch"),
    }
)


def title(key: str) -> str:
    """What a lesson is called."""
    return _(TITLES[key])


def teaches(key: str) -> str:
    """What a lesson is about, in two sentences."""
    return _(TEACHES[key])


def about() -> str:
    """What practising is."""
    return _(
        "A hatch in the computer, in a logbook of its own, with eggs that can be lost without harm. Displays lie, the "
        "room has weather, things happen. It is done on the same pages as a real one; at the end the cover comes off. "
        "The same number gives the same world: pass it on."
    )


def best(score: int | None) -> str:
    """The best score of a lesson so far."""
    return _("not played yet") if score is None else _("best so far: {score} points", score=score)


def no_number() -> str:
    """A world's number is none."""
    return _("A world has a number from 1 up, such as 7.")


def heading(key: str, seed: int, when: str, day: str) -> str:
    """What is practised, and when it is there."""
    return " · ".join(
        part for part in (_("Practice: {title}", title=title(key)), _("world {seed}", seed=seed), when, day) if part
    )


def at_bench(name: str, quantity: str, shown: dict[str, str]) -> str:
    """What an instrument shows in a check."""
    if "salt" in shown:
        return _("{name}: {salt} % RH over damp table salt at 21 °C", name=name, salt=shown["salt"])
    told = _("{name}: {ice} °C in ice slush", name=name, ice=shown["ice"])
    if "beside" in shown:
        own, other = shown["beside"].split(" / ")
        told += _("; {own} °C beside the reference, which shows {other} °C", own=own, other=other)
    return told


def first_task(title_of: str) -> str:
    """What is to be done, where nothing presses."""
    return _("Nothing presses. Next: {task}.", task=title_of) if title_of else _("Nothing presses. Go on.")


def set_now() -> str:
    """The eggs went in."""
    return _("The eggs are in. Leave the controller alone while they warm.")


def not_kept(trouble: str) -> tuple[str, str]:
    """A score cannot be kept."""
    return _("The score cannot be kept: {trouble}.", trouble=trouble), _("Is the disk full?")


def not_over() -> str:
    """The cover stays on until the end."""
    return _("The cover stays on until the batch has ended.")


def uncovered(key: str, seed: int) -> str:
    """The cover is off."""
    return _("The cover is off: {title}, world {seed}", title=title(key), seed=seed)


def living_again(share: str) -> str:
    """The world is lived through again."""
    return _("The same world is lived through again, as others would have ({share}) …", share=share)


def legend() -> str:
    """What the picture of the truth shows."""
    return _(
        "Dark line: the truth, hour by hour; shaded: what was asked. Dashed, with its ribbon: what the log said, "
        "corrected, ± U (95 %)."
    )


def decisions() -> str:
    """Heading of what decisions cost."""
    return _("What it turned on")


def displays() -> str:
    """Heading of what the displays said."""
    return _("What the displays said")


def eggs() -> str:
    """Heading of what the eggs died of."""
    return _("What the eggs died of")


def infertile(count: int) -> str:
    """Eggs that never were fertile."""
    return ngettext("{n} egg was infertile", "{n} eggs were infertile", count, n=count)


def number_of(key: str, seed: int) -> str:
    """The number to pass on."""
    return _("To live through the same world: {title}, number {seed}.", title=title(key), seed=seed)


def truth_picture() -> str:
    """What the picture is called."""
    return _("The truth, and what was believed")


def batch(eggs: int) -> str:
    """What the batch is called."""
    return ngettext("{eggs} practice egg", "{eggs} practice eggs", eggs, eggs=eggs)


def kept() -> str:
    """The edit that keeps how far a practice has come."""
    return _("practice went on")


def unreadable() -> tuple[str, str]:
    """How far a practice had come cannot be read."""
    return _("How far this practice had come cannot be read."), _("Begin the lesson anew under Practise.")


def turner(*, stuck: bool, out: bool) -> str:
    """What was seen of the turner."""
    if out:
        return _("The turner is out, as it should be from lockdown on.")
    return _("It stood still: put right, it moves again.") if stuck else _("The turner moves.")


def warmed() -> str:
    """A heater stands in the room."""
    return _("A heater stands in the room until the morning.")


def candled() -> str:
    """The tray was candled."""
    return _("Candled; what was seen is counted in the tray")


def weighed(mass_g: float) -> str:
    """The tray was weighed."""
    return _("The tray weighs {mass:.0f} g; logged.", mass=mass_g)


def window(pipped: int, out: int) -> str:
    """What is seen through the window."""
    if not pipped and not out:
        return _("Nothing to be seen at the window yet.")
    return _(
        "Through the window: {pipped} and {out}.",
        pipped=ngettext("{n} egg pipped so far", "{n} eggs pipped so far", pipped, n=pipped),
        out=ngettext("{n} chick out", "{n} chicks out", out, n=out),
    )


def ended() -> str:
    """The batch was ended."""
    return _("Taken off and ended: now the review, and then the cover comes off")


def no_candling() -> tuple[str, str]:
    """There is nothing to candle."""
    return _("There is nothing to candle now."), _("From the third day on, and before lockdown is over.")


def no_eggs() -> tuple[str, str]:
    """No eggs are in."""
    return _("No eggs are in yet."), _("Set them first.")


def too_early() -> tuple[str, str]:
    """It is too early to end it."""
    return _("It is too early to take off."), _("Wait for the hatch, and for the stragglers.")


def seen(text: str, came: Sequence[str]) -> str:
    """What a step brought."""
    return " ".join([text, *came]).strip()


def gone_on(when: str) -> str:
    """How far it went on."""
    return _("It is {when}.", when=when)


def died_of(of: str, count: int) -> str:
    """Eggs that died of something."""
    return ngettext("{n} egg: {of}", "{n} eggs: {of}", count, n=count, of=_(HARDSHIPS[of]))


def score(points: int) -> str:
    """The score, and what it is held against."""
    return _("{points} points: a steady hand in the same world has 100", points=points)


def comparison(out: int, steady: int, nothing: int, eggs: int) -> str:
    """What hatched, and what others would have hatched in the same world."""
    return _(
        "{out} of {eggs} eggs hatched. In the same world a steady hand that sees the truth hatches {steady}, and doing "
        "nothing {nothing}.",
        out=out,
        eggs=eggs,
        steady=steady,
        nothing=nothing,
    )


def believed(book: Book, name: str, quantity: str, off: float, U: float) -> str:
    """How far what was believed lay from the truth."""
    unit = book.shown_unit(quantity)
    size = abs(off) * (1.8 if unit == "°F" else 1.0)
    word = unit_word(unit)
    way = _("above") if off > 0 else _("below")
    inside = _("within its U") if abs(off) <= U else _("beyond its U")
    return _(
        "{name}: what it said, corrected, lay {size:.1f} {word} {way} the truth on average, {inside}.",
        name=name, size=size, word=word, way=way, inside=inside,
    )  # fmt: skip


def would_have(what: str, more: int) -> str:
    """What one kind of decision cost."""
    deeds = {
        "heat": _("The set point as it was moved"),
        "water": _("Water and vents as they were"),
        "lids": _("The lid as it was opened"),
        "lockdown": _("The lockdown when it came"),
        "turner": _("The turner that stood still"),
        "power": _("The power cut"),
        "helper": _("The helper who opened the lid"),
        "cold night": _("The cold nights"),
    }
    if more > 0:
        return _("{what} cost {eggs}.", what=deeds[what], eggs=ngettext("{n} chick", "{n} chicks", more, n=more))
    if more < 0:
        return _("{what} saved {eggs}.", what=deeds[what], eggs=ngettext("{n} chick", "{n} chicks", -more, n=-more))
    return _("{what} changed nothing.", what=deeds[what])


def truth(book: Book, celsius: float, rh: float) -> str:
    """The truth at a moment."""
    return _(
        "true {heat}, {moist}",
        heat=number(celsius, "temperature", book.temperature_unit),
        moist=number(rh, "humidity", "%"),
    )
