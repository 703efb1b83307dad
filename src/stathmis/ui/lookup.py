"""What the keeper may mean by a few words: a command, an incubator, a batch, an instrument, an egg, a task, or
something done, with its details ("water both cups", "set 37.6", "egg 12 clear", "37.2 46" for a round)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial
from typing import TYPE_CHECKING

from stathmis.core.units import NotANumberError, parse_typed
from stathmis.logbook.records import Batch, Channel
from stathmis.services.eggs import findings, tray
from stathmis.services.plan import tasks
from stathmis.ui.commands import Command
from stathmis.words import typed as typed_words
from stathmis.words.catalogue import _
from stathmis.words.events import EVENT_KINDS
from stathmis.words.numbers import unit_word

if TYPE_CHECKING:
    from stathmis.ui.window import Window

DONE = {
    "water": "water",
    "vent": "vent",
    "lid": "lid",
    "set": "set_point",
    "cool": "cool",
    "note": "note",
}
"""The first word of something that was done."""


def offers(window: Window, typed: str, most: int) -> list[Command]:
    """What these words may mean, the likeliest first; with nothing typed, what is due and where to go."""
    wanted = typed.lower().split()
    if not wanted:
        return [*_tasks(window), *(c for c in window.commands if c.menu == "go")][:most]
    meant = [*_done(window, typed), *_round(window, typed), *_egg(window, typed)]
    known = [*window.commands, *_tasks(window), *_things(window)]
    ranked = sorted((rank, at) for at, c in enumerate(known) if (rank := _rank(c, wanted)) is not None)
    # what is called just so comes before what may be meant: "water and" is no water that was added
    called = [known[at] for rank, at in ranked if rank == 0]
    return [*called, *meant, *(known[at] for rank, at in ranked if rank > 0)][:most]


def _rank(command: Command, wanted: Sequence[str]) -> int | None:
    """How well a command is met, 0 best; None: not every word begins one of its own."""
    text = command.text.lower()
    words = text.replace("(", " ").split()
    if not all(any(w.startswith(one) for w in (*words, *command.more.lower().split())) for one in wanted):
        return None
    if text.startswith(" ".join(wanted)):
        return 0
    return 1 if all(any(w.startswith(one) for w in words) for one in wanted) else 2


def _done(window: Window, typed: str) -> Iterator[Command]:
    """Something done, with its details."""
    first, _space, rest = typed.strip().partition(" ")
    kind, rest = DONE.get(typed_words.english(first.lower(), *DONE)), rest.strip()
    if kind is None or not rest:
        return
    text = _("{what}: {details}", what=EVENT_KINDS[kind], details=rest)
    yield Command(_("Log: {text}", text=text), partial(window.errands.log_done, kind, rest))


def _round(window: Window, typed: str) -> Iterator[Command]:
    """A round in one line: a number for each field, in their order."""
    numbers = typed.split()
    rows = window.pages.round.rows
    try:
        for one in numbers:
            parse_typed(one)
    except NotANumberError:
        return
    if len(numbers) > len(rows):
        return
    parts = [
        f"{row.line.instrument.name} {one} {unit_word(row.line.channel.unit)}"
        for row, one in zip(rows, numbers, strict=False)
    ]
    yield Command(_("Into the round: {parts}", parts=" · ".join(parts)), partial(window.errands.type_round, numbers))


def _egg(window: Window, typed: str) -> Iterator[Command]:
    """An egg of the batch in view, by its mark, and what was found at it."""
    words = typed.split()
    course = window.pages.course_in_view
    if course is None or len(words) < 2 or typed_words.english(words[0].lower(), "egg") != "egg":
        return
    sheet = tray.tray(window.desk.book, course.batch)
    mark = next((e.mark for e in sheet.eggs if e.mark.lower() == words[1].lower()), None)
    if mark is None:
        return
    found = " ".join(words[2:]).lower()
    if found:
        for one in findings.offered(course, "candling"):
            if one.word.lower().startswith(found):
                yield Command(
                    _("Egg {mark}: {word}", mark=mark, word=one.word),
                    partial(window.errands.find_at_egg, mark, one.letter),
                )
    yield Command(_("Egg {mark} in the tray", mark=mark), partial(window.errands.show_egg, mark))


def _tasks(window: Window) -> Iterator[Command]:
    """What is to be done today."""
    for task in tasks.today(window.desk.book):
        if task.state == "open":
            text = _("Done: {title}, {about}", title=task.title, about=f"{task.about}, {task.incubator.name}")
            yield Command(text, partial(window.pages.round.today.ticked, task), more=_("task todo"))


def _things(window: Window) -> Iterator[Command]:
    """What the logbook holds, by name."""
    book = window.desk.book
    for incubator in book.places():
        yield Command(incubator.name, partial(window.show_incubator, incubator.id), more=_("incubator go"))
    for batch in sorted(book.records(Batch), key=lambda b: -b.set_ms):
        name = batch.name if batch.ended_ms is None else _("{name} (ended)", name=batch.name)
        yield Command(name, partial(window.show_batch, batch.id), more=_("batch review"))
    for channel in book.records(Channel):
        what = f"{book.instrument(channel.instrument_id).name}, {unit_word(channel.unit)}"
        yield Command(
            _("Check {what}", what=what), partial(window.errands.begin_check, channel.id), more=_("calibrate")
        )
        yield Command(
            _("Checks of {what} so far", what=what), partial(window.errands.show_history, channel.id), more="history"
        )
