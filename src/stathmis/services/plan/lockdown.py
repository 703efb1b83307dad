"""The lockdown run: an ordered list with time targets, a stopwatch for the open lid, kept so that it can be resumed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from stathmis.core.errors import UserError
from stathmis.logbook.records import Event, TaskMark
from stathmis.services import knowledge
from stathmis.services.batch import vents
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.plan import planning
from stathmis.services.plan.planning import Plan
from stathmis.services.plan.tasks import in_unit, marks
from stathmis.words.catalogue import _, within
from stathmis.words.numbers import band_text
from stathmis.words.plan import lockdown as say

if TYPE_CHECKING:
    from stathmis.services.findings.box import BoxSheet

MINUTE_MS = 60_000
SHOWN_BEFORE_MS = 12 * 3_600_000
LID_TARGET_MIN = 5.0
"""The lid should be shut again within this. Source: common practice."""
OPENED, SHUT = "open", "shut"


@dataclass(frozen=True)
class RunStep:
    """One step: key, what to do, how, and by when it should be done, minutes after the lid was opened (None: any time).

    lid: it is done with the lid open; done: when (UTC ms).
    """

    key: str
    title: str
    how: str
    target_min: float | None
    lid: bool
    done_ms: int | None


@dataclass(frozen=True)
class LockdownRun:
    """A lockdown as far as it has come. opened_ms: since when the lid is open, None while it is shut."""

    plan: Plan
    steps: tuple[RunStep, ...]
    opened_ms: int | None
    caution: str

    @property
    def next_step(self) -> RunStep | None:
        """The first step that is not done, None when all are."""
        return next((s for s in self.steps if s.done_ms is None), None)


def due(book: Book, plan: Plan) -> bool:
    """Whether the run is to be shown: from half a day before lockdown until it is done or the hatch begins."""
    lockdown, hatch = plan.step("lockdown"), plan.step("hatch")
    if plan.batch is None or lockdown is None or hatch is None:
        return False
    mark = marks(book).get((plan.subject, "lockdown"))
    now = book.now_ms
    return mark is None and lockdown.at_ms - SHOWN_BEFORE_MS <= now < hatch.at_ms


def soon(book: Book, plan: Plan) -> bool:
    """Whether lockdown is less than two hours off, or due."""
    step = plan.step("lockdown")
    return step is not None and book.now_ms >= step.at_ms - 2 * 3_600_000


def run(book: Book, plan: Plan, box: BoxSheet | None = None, ahead: str = "") -> LockdownRun:
    """The run as it stands. box: what water and vents give, for the steps of the ramp; ahead: what all water would give
    by when, in words."""
    # many windows stand before a lockdown is near
    from stathmis.services.findings.box import VENT_HABITS, vent_habit
    from stathmis.words import box as box_words
    from stathmis.words import hatch as hatch_words
    from stathmis.words import vents as vents_words

    known = marks(book)
    band = next((p.humidity for p in planning.phases(book, plan) if p.name == "lockdown"), None)
    wanted = band_text(band.low, band.high, "humidity", "%") if band is not None else _("more humidity")
    ramp = box_words.ramp_lines(book, box) if box is not None and box.used else []
    water = " ".join(ramp) or say.ALL_SURFACES_WARM_WATER_BRING(wanted=wanted)
    own = vents.at_lockdown(planning.course(book, plan))
    school = VENT_HABITS[vent_habit(book)] if own is None else vents_words.at_lockdown(own)
    brooder = in_unit(knowledge.tasks()["brooder warm"].how, book.temperature_unit)
    misted = plan.way.misted == "lockdown"
    texts = (
        ("candle", say.CANDLE_FOR_THE_LAST_TIME(), say.CLEARS_DEAD_AND_ROTTEN_EGGS(), 2.0, True),
        ("turner", _("Turner out"), say.CHICKS_ARE_CRUSHED_BY_IT(), 2.0, True),
        ("liner", _("Grippy liner down"), say.BARE_PLASTIC_GIVES_SPLAYED_LEGS(), 3.0, True),
        ("eggs", say.EGGS_DOWN_ON_THEIR_SIDE(), say.ROOM_BETWEEN_THEM_BLUNT_ENDS(), 4.0, True),
        *([("mist", *hatch_words.misting(), 4.0, True)] if misted else []),
        ("water", _("Fill the water"), water, 5.0, True),
        ("vents", _("Set the vents"), school, LID_TARGET_MIN, True),
        (
            "shut",
            say.SHUT_AND_LEAVE_IT_SHUT(),
            say.OPENING_DRIES_PIPPED_EGGS(),
            LID_TARGET_MIN,
            True,
        ),
        (
            "ramp",
            say.SEE_THE_HUMIDITY_SETTLE(),
            say.WANTED_AN_HOUR_AFTER_THE(wanted=wanted, ahead=ahead).strip(),
            None,
            False,
        ),
        ("brooder", say.BROODER_READY_AND_WARM(), brooder, None, False),
    )
    steps = []
    for key, title, how, target, lid in texts:
        mark = known.get((plan.subject, f"lockdown/{key}"))
        steps.append(RunStep(key, title, how, target, lid, mark.at_ms if mark is not None else None))
    return LockdownRun(plan, tuple(steps), _opened(book, plan), knowledge.tasks()["lockdown"].caution)


FORGOTTEN = {"turner": "", "liner": "", "brooder": "brooder warm"}
"""Steps that are forgotten most at the first pip, and the task that says the same. Source: common practice."""


def forgotten(book: Book, plan: Plan) -> tuple[str, ...]:
    """Of FORGOTTEN, what is not ticked; nothing where the whole lockdown is, and for eggs that are never turned."""
    known = marks(book)
    if (plan.subject, "lockdown") in known or plan.species.stop_turning_day is None:
        return ()
    asked = [(key, task) for key, task in FORGOTTEN.items() if key != "turner" or plan.way.turning == "machine"]
    done = [(plan.subject, f"lockdown/{key}") in known or (plan.subject, task) in known for key, task in asked]
    return tuple(key for (key, _task), ticked in zip(asked, done, strict=True) if not ticked)


def _opened(book: Book, plan: Plan) -> int | None:
    """Since when the lid is open, from the log: a stopwatch that survives a closed program."""
    events = [e for e in book.records(Event) if e.incubator_id == plan.incubator.id and e.kind == "lid"]
    events.sort(key=lambda e: (e.time_ms, e.id))
    last = next((e for e in reversed(events) if e.detail in (OPENED, SHUT)), None)
    return last.time_ms if last is not None and last.detail == OPENED else None


def open_lid(desk: Desk, found: LockdownRun) -> None:
    """The lid is open from now on; undoable. Raises UserError where it is open already."""
    if found.opened_ms is not None:
        raise UserError(*say.THE_LID_IS_OPEN_ALREADY())
    _lid(desk, found, OPENED)


def shut_lid(desk: Desk, found: LockdownRun) -> str:
    """The lid is shut again; undoable. Returns how long it was open, in words. Raises UserError where it was not."""
    if found.opened_ms is None:
        raise UserError(*say.THE_LID_IS_NOT_OPEN())
    minutes = (desk.now_ms - found.opened_ms) / MINUTE_MS
    _lid(desk, found, SHUT, minutes)
    return _("Shut after {minutes:.0f} min.", minutes=minutes)


def _lid(desk: Desk, found: LockdownRun, detail: str, minutes: float | None = None) -> None:
    with desk.edit(_("lid {detail}", detail=detail)) as edit:
        edit.add(
            Event,
            incubator_id=found.plan.incubator.id,
            time_ms=desk.now_ms,
            kind="lid",
            note="",
            detail=detail,
            minutes=minutes,
        )


def tick(desk: Desk, found: LockdownRun, key: str) -> None:
    """A step is done now, or open again where it was done; with the last one lockdown itself is done. Undoable."""
    step = next(s for s in found.steps if s.key == key)
    subject = found.plan.subject
    if step.done_ms is not None:
        own = [m.id for m in desk.book.records(TaskMark) if (m.subject, m.step) == (subject, f"lockdown/{key}")]
        desk.strike(_("{title}: open again", title=within(step.title)), TaskMark, own)
        return
    fields = {"subject": subject, "state": "done", "at_ms": desk.now_ms, "why": ""}
    new = [(TaskMark, {**fields, "step": f"lockdown/{key}"})]
    if all(s.done_ms is not None or s.key == key for s in found.steps):
        new.append((TaskMark, {**fields, "step": "lockdown"}))
    desk.add(_("{title}: done", title=within(step.title)), new)


def open_words(book: Book, found: LockdownRun) -> str:
    """How long the lid has been open, and whether it is time to shut it; empty while it is shut."""
    if found.opened_ms is None:
        return ""
    seconds = max(0, book.now_ms - found.opened_ms) // 1000
    text = _("Lid open {minutes}:{seconds:02d} min", minutes=seconds // 60, seconds=seconds % 60)
    if seconds > LID_TARGET_MIN * 60:
        return say.TEXT_SHUT_IT_SOON_THE(text=text)
    late = [s for s in found.steps if s.lid and s.done_ms is None and s.target_min is not None]
    behind = [s for s in late if s.target_min is not None and seconds / 60 > s.target_min]
    return (
        say.WAS_DUE_BEFORE(
            text=text,
            title=within(behind[0].title),
            target_min=behind[0].target_min,
        )
        if behind
        else f"{text}."
    )
