"""What stands in each other's way: batches in one machine, too many eggs, days the keeper is away, old eggs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stathmis.core.course import schedule
from stathmis.core.course.profile import Band, common_band
from stathmis.core.course.schedule import Span
from stathmis.core.errors import UserError
from stathmis.logbook.records import Away, Incubator
from stathmis.services import knowledge
from stathmis.services.batch import batches
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.plan.planning import Plan, phases
from stathmis.services.plan.planning import plans as plans_of
from stathmis.words import dates
from stathmis.words.catalogue import _, within
from stathmis.words.numbers import band_text, count, number
from stathmis.words.plan import conflicts as say

NEEDS_HANDS = ("set", "lockdown", "take off", "candle", "collect")
"""Steps that need the keeper there."""


@dataclass(frozen=True)
class Conflict:
    """Something in the way: the plans it concerns (subjects), from when to when (UTC ms), in words, and what to do."""

    subjects: tuple[str, ...]
    start_ms: int
    end_ms: int
    text: str
    to_do: str


def conflicts(book: Book, plans: Sequence[Plan]) -> list[Conflict]:
    """Everything that is in the way from now on, the soonest first."""
    found: list[Conflict] = []
    for incubator in book.incubators():
        found += _in_one_machine(book, incubator, [p for p in plans if p.incubator.id == incubator.id])
    for away in book.records(Away):
        found += _while_away(book, plans, away)
    found += [c for p in plans if p.batch is None and (c := _old_eggs(p)) is not None]
    return sorted(found, key=lambda c: c.start_ms)


def sharing(book: Book, incubator: Incubator) -> list[str]:
    """What the running batches of an incubator cannot share, or the air that suits them all where they want different
    ones; in words, nothing for a batch alone."""
    own = [p for p in plans_of(book) if p.batch is not None and p.incubator.id == incubator.id]
    said = [f"{c.text} {c.to_do}" for c in _in_one_machine(book, incubator, own) if len(c.subjects) > 1]
    running = batches.all_running(book, incubator)
    band, fits = common_band([c.phases[1].temperature_c for c in running]) if running else (None, False)
    if band is not None and fits and len({c.held_c(book.now_ms) for c in running}) > 1:
        names = _(" and ").join(c.batch.name for c in running)
        said.append(
            _(
                "{names}: {band_text} suits all.",
                names=names,
                band_text=band_text(band.low, band.high, "temperature", book.temperature_unit),
            )
        )
    return said


def _in_one_machine(book: Book, incubator: Incubator, own: Sequence[Plan]) -> list[Conflict]:
    found = [
        _clash_words(book, own, clash, incubator)
        for clash in schedule.clashes([_span(book, p) for p in own], incubator.capacity)
    ]
    return [c for c in found if c.end_ms > book.now_ms]


def _heat(book: Book, plan: Plan) -> Band:
    """What a plan asks to hold when it is set."""
    return phases(book, plan)[0].temperature_c


def _span(book: Book, plan: Plan) -> Span:
    lockdown, heat = plan.step("lockdown"), _heat(book, plan)
    return Span(
        plan.set_ms / DAY_MS,
        plan.end_ms / DAY_MS,
        plan.eggs,
        heat.middle,
        0.5 * (heat.high - heat.low),
        lockdown.at_ms / DAY_MS if lockdown is not None else float("nan"),
        plan.species.kind == "reptile",
    )


def _clash_words(book: Book, own: Sequence[Plan], clash: schedule.Clash, incubator: Incubator) -> Conflict:
    one = own[clash.first]
    other = own[clash.second] if clash.second >= 0 else None
    start, end = round(clash.start * DAY_MS), round(clash.end * DAY_MS)
    days = _days(book, start, end)
    subjects = (one.subject,) if other is None else (one.subject, other.subject)
    if other is None:
        eggs = sum(p.eggs for p in own if p.set_ms <= start < p.end_ms)
        text = say.INCUBATOR_WOULD_HOLD_EGGS_AND(
            incubator=incubator.name, eggs=count(eggs, "{n} egg", "{n} eggs"), capacity=incubator.capacity, days=days
        )
        return Conflict(subjects, start, end, text, say.MOVE_ONE_OR_SET_FEWER(one=one.name))
    if clash.kind == "lockdown":
        text = say.LOCKDOWN_OF_ONE_COMES_WHILE(one=one.name, other=other.name, days=days)
        return Conflict(subjects, start, end, text, say.HATCH_ONE_OF_THEM_IN())
    if clash.kind == "kinds":
        text = say.ONE_AND_OTHER_SHARE_INCUBATOR(one=one.name, other=other.name, incubator=incubator.name, days=days)
        return Conflict(subjects, start, end, text, _("Keep them apart."))
    bands = [_heat(book, p) for p in (one, other)]
    unit = book.temperature_unit
    wants = _(" and ").join(band_text(b.low, b.high, "temperature", unit) for b in bands)
    text = say.ONE_AND_OTHER_WANT_WANTS(one=one.name, other=other.name, wants=wants, days=days)
    middle = number(0.5 * (bands[0].middle + bands[1].middle), "temperature", unit)
    return Conflict(subjects, start, end, text, say.BETTER_APART_MIDDLE_IS_NEAREST(middle=middle))


def _days(book: Book, start_ms: int, end_ms: int) -> str:
    return dates.span(book.local(start_ms), book.local(end_ms))


def _while_away(book: Book, plans: Sequence[Plan], away: Away) -> list[Conflict]:
    if away.to_ms <= book.now_ms:
        return []
    found = []
    for plan in plans:
        inside = [s for s in plan.steps if s.kind in NEEDS_HANDS and away.from_ms <= s.at_ms < away.to_ms]
        inside = [s for s in inside if not (s.key == "set" and plan.batch is not None)]
        if not inside:
            continue
        names = ", ".join(_step_words(book, s.kind, s.at_ms) for s in inside)
        free = [s for s in inside if s.earliest_ms < away.from_ms or s.latest_ms >= away.to_ms]
        to_do = say.MOVE_THE_SET_DAY_OR() if len(free) < len(inside) else say.MOVE_THEM_A_DAY_OR()
        text = say.YOU_ARE_AWAY_DAYS_DUE(days=_days(book, away.from_ms, away.to_ms - 1), plan=plan.name, names=names)
        found.append(Conflict((plan.subject,), away.from_ms, away.to_ms, text, to_do))
    return found


def _step_words(book: Book, kind: str, at_ms: int) -> str:
    at = book.local(at_ms)
    return f"{within(knowledge.tasks()[kind].title)} ({dates.weekday(at)} {at.day})"


def _old_eggs(plan: Plan) -> Conflict | None:
    stored = plan.stored_days
    if stored is None or plan.laid_ms is None or stored <= schedule.BEST_STORED_DAYS:
        return None
    low, high = schedule.storage_loss(stored)
    text = say.PLAN_THE_OLDEST_EGG_IS(plan=plan.name, stored=stored, low=low, high=high)
    return Conflict((plan.subject,), plan.laid_ms, plan.set_ms, text, say.SET_SOONER_OR_LEAVE_THE())


def add_away(desk: Desk, from_ms: int, to_ms: int, note: str) -> int:
    """Note days the keeper is not there; undoable. Raises UserError where they end before they begin, or are over."""
    if to_ms <= from_ms:
        raise UserError(*say.THAT_ENDS_BEFORE_IT_BEGINS())
    if to_ms <= desk.now_ms:
        raise UserError(*say.THOSE_DAYS_ARE_OVER())
    return desk.add(_("days away noted"), [(Away, {"from_ms": from_ms, "to_ms": to_ms, "note": note.strip()})])[0]


def remove_away(desk: Desk, away: Away) -> None:
    """The keeper is there after all; undoable."""
    desk.strike(say.DAYS_AWAY_TAKEN_OUT(), Away, [away.id])


def set_capacity(desk: Desk, incubator: Incubator, eggs: int | None) -> None:
    """How many eggs a machine holds; undoable. Raises UserError for less than one."""
    if eggs is not None and eggs < 1:
        raise UserError(*say.A_MACHINE_HOLDS_AT_LEAST())

    with desk.edit(_("{incubator} holds {eggs}", incubator=incubator.name, eggs=eggs)) as edit:
        edit.change(Incubator, incubator.id, capacity=eggs)
