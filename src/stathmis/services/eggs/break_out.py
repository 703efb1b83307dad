"""Eggs opened after the hatch: how far each came, how it lay, what else was seen; when the dead of a batch died."""

from __future__ import annotations

from dataclasses import dataclass, field

from stathmis.core.errors import UserError
from stathmis.logbook.records import BreakOut
from stathmis.services import knowledge
from stathmis.services.batch.course import Course
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs.findings import check_time
from stathmis.services.eggs.tray import EggStory, TraySheet, tray
from stathmis.words.catalogue import _
from stathmis.words.eggs import break_out as say
from stathmis.words.numbers import count

CHICK_DAYS = 21.0
BEFORE_HATCH_DAYS = 3.0
"""Eggs taken out longer before the hatch than this are gone: they are not offered for opening."""


@dataclass
class Draft:
    """What is noted of an egg so far: keys of the shipped list."""

    stage: str = ""
    position: str = ""
    signs: list[str] = field(default_factory=list)

    def key(self, letter: str) -> bool:
        """Take a key: a stage, a position, or a sign, which a second stroke takes away. False where it is none."""
        for part, entries in knowledge.opened().items():
            for found in entries.values():
                if found.letter != letter.lower():
                    continue
                if part == "stage":
                    self.stage = found.key
                elif part == "position":
                    self.position = "" if self.position == found.key else found.key
                elif found.key in self.signs:
                    self.signs.remove(found.key)
                else:
                    self.signs.append(found.key)
                return True
        return False

    def words(self) -> str:
        """ "died late; head in the small end; wet, swollen"."""
        known = knowledge.opened()
        parts = [known["stage"][self.stage].word] if self.stage else []
        parts += [known["position"][self.position].word] if self.position else []
        return "; ".join(parts + [known["sign"][s].word for s in self.signs])


def draft_of(found: BreakOut) -> Draft:
    """What was noted of an opened egg."""
    return Draft(found.stage, found.position, [s for s in found.signs.split(",") if s])


def to_open(course: Course, sheet: TraySheet) -> list[EggStory]:
    """Eggs that did not hatch and are still at hand, not opened yet."""
    before = course.at_ms(course.species.days_low - BEFORE_HATCH_DAYS)

    def at_hand(egg: EggStory) -> bool:
        gone = egg.first_ms(("removed",))
        return gone is None or gone >= before

    return [e for e in sheet.eggs if not e.hatched and e.opened is None and at_hand(e)]


def left_to_open(course: Course, sheet: TraySheet) -> int:
    """How many of a batch without marks did not hatch, are still at hand, and were not opened yet."""
    before = course.at_ms(course.species.days_low - BEFORE_HATCH_DAYS)
    gone = ("clear", "early dead", "late dead", "removed", "rotten", "slug", "collapsed")
    early = sum(f.count for f in sheet.counted if f.kind in gone and f.time_ms < before)
    return max(0, sheet.batch.eggs - sheet.tally.hatched - early - sum(b.count for b in sheet.opened))


def open_egg(desk: Desk, course: Course, mark: str, draft: Draft, at_ms: int, note: str = "", n: int = 1) -> None:
    """Note what was found in an opened egg, or (mark "") in so many alike; undoable.

    Raises UserError without a stage, for a chick that is out, an egg that was opened already, more eggs than are left,
    a normal position in one too young to lie anyhow, and times out of the batch.
    """
    check_time(desk.book, course, at_ms)
    if not draft.stage:
        raise UserError(*say.HOW_FAR_HAD_IT_COME())
    if draft.position and draft.stage not in ("late", "internal", "external"):
        raise UserError(*say.AN_EMBRYO_THAT_YOUNG_HAS())
    sheet = tray(desk.book, course.batch)
    if mark:
        egg = sheet.egg(mark)
        if egg is None:
            raise UserError(*say.THERE_IS_NO_EGG_MARK(mark=mark))
        if egg.hatched:
            raise UserError(*say.A_CHICK_CAME_OUT_OF(mark=mark))
        if egg.opened is not None:
            raise UserError(*say.EGG_MARK_WAS_OPENED_ALREADY(mark=mark))
        n = 1
    else:
        left = left_to_open(course, sheet)
        if sheet.eggs:
            raise UserError(*say.THESE_EGGS_HAVE_MARKS())
        if not 1 <= n <= left:
            raise UserError(*say.EGGS_OPENED_AND_LEFT_DID(eggs=count(n, "{n} egg", "{n} eggs"), left=left))
    fields = {
        "batch_id": course.batch.id,
        "time_ms": at_ms,
        "mark": mark,
        "count": n,
        "stage": draft.stage,
        "position": draft.position,
        "signs": ",".join(draft.signs),
        "note": note.strip(),
        "logged_ms": desk.now_ms,
    }
    desk.add(
        _("egg {mark} opened", mark=mark) if mark else _("{eggs} opened", eggs=count(n, "{n} egg", "{n} eggs")),
        [(BreakOut, fields)],
    )


def all_opened(sheet: TraySheet) -> list[BreakOut]:
    """Everything noted of opened eggs, the newest first."""
    found = [e.opened for e in sheet.eggs if e.opened is not None] + list(sheet.opened)
    return sorted(found, key=lambda b: (-b.time_ms, -b.id))


def strike(desk: Desk, found: BreakOut) -> None:
    """What was noted was wrong: leave it out from now on; undoable."""
    desk.strike(_("opened egg struck"), BreakOut, [found.id])


def deaths(course: Course, sheet: TraySheet) -> list[tuple[float, float]]:
    """From when to when, in elapsed days, each egg of a batch that died may have died.

    From the stage it had when it was opened, scaled to the species' term; otherwise from when it was last seen alive
    until it was found dead.
    """
    scale = course.species.days / CHICK_DAYS
    stages = knowledge.opened()["stage"]
    found: list[tuple[float, float]] = []
    for opened in all_opened(sheet):
        days = stages[opened.stage].days
        if days is not None:
            found += [(days[0] * scale, days[1] * scale)] * opened.count
    for egg in sheet.eggs:
        if egg.hatched or egg.opened is not None:
            continue
        span = _seen_dead(course, egg)
        if span is not None:
            found.append(span)
    opened_alike = sum(b.count for b in sheet.opened)
    for finding in sheet.counted:
        if finding.kind in ("early dead", "late dead"):
            share = (0.0, 1 / 3) if finding.kind == "early dead" else (1 / 3, 1.0)
            until = (finding.time_ms - course.batch.set_ms) / DAY_MS
            low, high = (min(s * course.species.days, until) for s in share)
            found += [(low, high)] * finding.count
        elif finding.kind in ("dead in shell", "pipped dead"):
            # those opened are counted by their stage
            left = max(0, finding.count - opened_alike)
            opened_alike = max(0, opened_alike - finding.count)
            share = (2 / 3, 1.0) if finding.kind == "dead in shell" else (0.93, 1.05)
            found += [(share[0] * course.species.days, share[1] * course.species.days)] * left
    return found


def _seen_dead(course: Course, egg: EggStory) -> tuple[float, float] | None:
    dead = egg.first_ms(("early dead", "late dead", "dead in shell", "pipped dead", "collapsed"))
    if dead is None or egg.state == "alive":
        return None
    alive = [f.time_ms for f in egg.findings if f.kind in ("alive", "internal pip", "external pip", "zip")]
    since = max((t for t in alive if t < dead), default=course.batch.set_ms)
    first, last = ((t - course.batch.set_ms) / DAY_MS for t in (since, dead))
    if egg.state == "early dead":
        last = min(last, course.species.days / 2.0)
    return min(first, last), last
