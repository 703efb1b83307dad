"""What is found at the eggs, logged at one egg or as a count; what cannot be is refused in words."""

from __future__ import annotations

from typing import Any

from stathmis.core.errors import UserError
from stathmis.logbook.records import EggFinding
from stathmis.services import knowledge
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs.tray import HATCH_ORDER, WEAK, YOUNG, EggStory, tray
from stathmis.services.knowledge import FindingKind
from stathmis.words import dates
from stathmis.words.catalogue import _
from stathmis.words.eggs import findings as say
from stathmis.words.eggs.young import young
from stathmis.words.numbers import count

"""What comes out of the eggs of a kind."""
AFTERWARDS = ("dead in shell", "pipped dead", "clear", "early dead", "late dead", *WEAK, *YOUNG)
"""What may be found at an egg that has left the machine."""


def offered(course: Course, group: str) -> list[FindingKind]:
    """What may be found at the eggs of a batch: "candling", "hatch" or "after"."""
    kind = course.species.kind
    return [f for f in knowledge.findings(kind).values() if f.group == group and f.kind in (kind, "all")]


def log_finding(
    desk: Desk, course: Course, mark: str, kind: str, at_ms: int, note: str = "", *, take_out: bool = False
) -> None:
    """Log what was found at an egg at a time (UTC ms), and that it was taken out; undoable together.

    Raises UserError for an egg that is not there, a time before setting or to come, a finding at an egg that has left
    the machine, and one out of the order of a hatch.
    """
    sheet = tray(desk.book, course.batch)
    egg = sheet.egg(mark)
    if egg is None:
        raise UserError(*say.THERE_IS_NO_EGG_MARK(mark=mark))
    check_time(desk.book, course, at_ms)
    _check_order(desk.book, egg, kind, at_ms)
    new = [(EggFinding, fields_of(desk.book, course, at_ms, mark, kind, note))]
    if take_out and not egg.out:
        new.append((EggFinding, fields_of(desk.book, course, at_ms, mark, "removed", note)))
    word = knowledge.findings(course.species.kind)[kind].word
    desk.add(
        _(
            "egg {mark}: {word}{after}",
            mark=mark,
            word=word,
            after=_(" (after the end)") if course.batch.ended_ms is not None else "",
        ),
        new,
    )


def fields_of(book: Book, course: Course, at_ms: int, mark: str, kind: str, note: str, n: int = 1) -> dict[str, Any]:
    """The fields of a finding entered now."""
    return {
        "batch_id": course.batch.id,
        "time_ms": at_ms,
        "mark": mark,
        "kind": kind,
        "count": n,
        "note": note.strip(),
        "logged_ms": book.now_ms,
    }


def check_time(book: Book, course: Course, at_ms: int) -> None:
    """Raise UserError for a time to come, or before the eggs were set."""
    if at_ms > book.now_ms:
        raise UserError(*say.THAT_TIME_HAS_NOT_COME())
    if at_ms < course.batch.set_ms - DAY_MS:
        raise UserError(*say.THE_EGGS_WERE_NOT_SET())


def _check_order(book: Book, egg: EggStory, kind: str, at_ms: int) -> None:
    gone = next((f for f in egg.findings if f.kind in ("removed", "taken") and f.time_ms <= at_ms), None)
    if gone is not None and kind not in AFTERWARDS:
        when = book.local(gone.time_ms)
        word = knowledge.findings(egg.kind)[gone.kind].word
        raise UserError(*say.EGG_MARK_WAS_WORD_ON(mark=egg.mark, word=word, when=dates.moment(when)))
    if kind not in HATCH_ORDER:
        return
    place = HATCH_ORDER.index(kind)
    for other in egg.findings:
        if other.kind not in HATCH_ORDER:
            continue
        when = book.local(other.time_ms)
        words = _(
            "Egg {mark} was {word} on {when}",
            mark=egg.mark,
            word=knowledge.findings(egg.kind)[other.kind].word,
            when=dates.moment(when),
        )
        if HATCH_ORDER.index(other.kind) > place and other.time_ms <= at_ms:
            raise UserError(*say.WORDS_THIS_COMES_BEFORE_IT(words=words))
        if HATCH_ORDER.index(other.kind) < place and other.time_ms > at_ms:
            raise UserError(*say.WORDS_THIS_COMES_AFTER_IT(words=words))


def log_count(desk: Desk, course: Course, kind: str, n: int, at_ms: int, note: str = "") -> None:
    """Log so many of a batch at once, for a keeper who does not mark eggs; undoable.

    Raises UserError for none, more than are left, and times out of the batch.
    """
    if n < 1:
        raise UserError(*say.HOW_MANY())
    check_time(desk.book, course, at_ms)
    sheet = tray(desk.book, course.batch)
    if sheet.eggs:
        raise UserError(*say.THESE_EGGS_HAVE_MARKS())
    if kind in ("out", "clear", "early dead", "late dead", "dead in shell", "pipped dead", "removed", "rotten"):
        left = sheet.tally.open
        if n > left:
            what = young(course.species.kind, n) if kind == "out" else count(n, "{n} egg", "{n} eggs")
            raise UserError(
                *say.WHAT_AND_EGGS_LEFT_OF(what=what, eggs=count(left, "{n} egg", "{n} eggs"), of=sheet.tally.eggs)
            )
    word = knowledge.findings(course.species.kind)[kind].word
    desk.add(f"{n} {word}", [(EggFinding, fields_of(desk.book, course, at_ms, "", kind, note, n))])


def strike(desk: Desk, finding: EggFinding) -> None:
    """A finding was wrong: leave it out from now on; undoable."""
    word = knowledge.findings()[finding.kind].word
    desk.strike(_("egg {mark}: {kind} struck", mark=finding.mark, kind=word), EggFinding, [finding.id])
