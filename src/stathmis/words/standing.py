"""How the machines stand: in a few words for a narrow card, in lines for a terminal, as named figures for a script."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from stathmis.services.advice.now import Advice
from stathmis.services.book import Book
from stathmis.services.findings.verdict import Verdict
from stathmis.services.plan import tasks
from stathmis.services.plan.tasks import Task
from stathmis.services.standing import QUANTITIES, Standing
from stathmis.services.watch.alarm import Alarm
from stathmis.words import alarms as alarm_words
from stathmis.words import dates
from stathmis.words.advice import said, short
from stathmis.words.catalogue import N_, Spoken, _
from stathmis.words.numbers import with_u
from stathmis.words.verdicts import side_word

QUANTITY_WORDS = Spoken({"temperature": N_("air"), "humidity": N_("humidity")})


def what_is_due(book: Book, stands: Standing) -> str:
    """The most pressing advice and the next step in a few words, for a narrow card; empty where there is none."""
    parts = [_("read it")] if stands.unread else []
    parts += [short(book, advice) for advice in stands.advice[:1]]
    step = stands.course.next_step(book.now_ms, book.zone) if stands.course is not None else ""
    return " · ".join([*parts, *([step] if step else [])])


def soon(book: Book, task: Task) -> str:
    """A step to come, on its day: "Wed 20 May  Candle, North cabinet"."""
    day = dates.day(book.local(task.due_ms), weekday=True)
    return _("{day}  {title}, {machine}", day=day, title=task.title, machine=task.incubator.name)


def value(book: Book, verdict: Verdict) -> str:
    """What the air is: "37.49 ± 0.10 °C"."""
    return with_u(verdict.corrected.value, verdict.corrected.U, verdict.quantity, book.shown_unit(verdict.quantity))


def head(book: Book, stands: Standing) -> str:
    """The machine, what runs in it, its day: "Cabinet: Spring chickens, day 12 of 21"."""
    course = stands.course
    if stands.incubator.air == "room":
        return _("{name}: the room", name=stands.incubator.name)
    if course is None:
        return _("{name}: no batch", name=stands.incubator.name)
    return _(
        "{name}: {batch}, {day}", name=stands.incubator.name, batch=course.batch.name, day=course.day_text(book.now_ms)
    )


def lines(book: Book, stands: Sequence[Standing], due: Sequence[Task], alarms: Sequence[Alarm]) -> list[str]:
    """Everything for a terminal: alarms first, then machine by machine."""
    made = []
    for alarm in alarms:
        told = alarm_words.said(book, alarm)
        made.append(f"! {told.words} {told.why}")
    for one in stands:
        made.append(head(book, one))
        for quantity in QUANTITIES:
            verdict = one.verdicts[quantity]
            name = QUANTITY_WORDS[quantity]
            if verdict is not None:
                judged = f", {side_word(verdict)}" if verdict.band is not None else ""
                made.append(f"  {name}: {value(book, verdict)}{judged}")
            elif one.course is not None:
                made.append(_("  {name}: not read", name=name))
        made += [f"  > {_advice(book, a)}" for a in one.advice]
        own = [t for t in due if t.incubator.id == one.incubator.id and t.state == "open"]
        made += [f"  - {t.title} ({t.about}): {tasks.when_words(book, t)}" for t in own]
    return made


def _advice(book: Book, advice: Advice) -> str:
    told = said(book, advice)
    return f"{told.text} {told.note}".strip()


def figures(book: Book, stands: Sequence[Standing], due: Sequence[Task], alarms: Sequence[Alarm]) -> dict[str, Any]:
    """Everything as named figures, ready for JSON: temperatures in °C, humidity in % RH, U at 95 %, times in UTC."""
    return {
        "logbook": book.name,
        "at": _utc(book.now_ms),
        "machines": [_machine(book, one, due) for one in stands],
        "alarms": [
            {
                "machine": a.incubator.name if a.incubator is not None else None,
                "kind": a.kind,
                "danger": a.danger,
                "what": alarm_words.said(book, a).words,
                "why": alarm_words.said(book, a).why,
            }
            for a in alarms
        ],
    }


def _machine(book: Book, one: Standing, due: Sequence[Task]) -> dict[str, Any]:
    course = one.course
    phase = course.phase(book.now_ms) if course is not None else None
    return {
        "name": one.incubator.name,
        "room": one.incubator.air == "room",
        "batch": course.batch.name if course is not None else None,
        "day": round(course.day(book.now_ms), 3) if course is not None else None,
        "day_words": course.day_text(book.now_ms) if course is not None else None,
        "stage": phase.name if phase is not None else None,
        "temperature": _air(one.verdicts["temperature"], "c"),
        "humidity": _air(one.verdicts["humidity"], "rh"),
        "advice": [
            {"what": told.text, "note": told.note, "why": list(told.why), "urgent": told.urgent}
            for told in (said(book, a) for a in one.advice)
        ],
        "due": [
            {
                "what": t.title,
                "about": t.about,
                "due": _utc(t.due_ms),
                "latest": _utc(t.latest_ms),
                "overdue": t.overdue(book.now_ms),
            }
            for t in due
            if t.incubator.id == one.incubator.id and t.state == "open"
        ],
    }


def _air(verdict: Verdict | None, unit: str) -> dict[str, Any] | None:
    if verdict is None:
        return None
    band = verdict.band
    return {
        f"value_{unit}": round(verdict.corrected.value, 4),
        f"U_{unit}": round(verdict.corrected.U, 4),
        f"band_{unit}": [round(band.low, 4), round(band.high, 4)] if band is not None else None,
        "verdict": verdict.decision if band is not None else None,
        "read_at": _utc(verdict.time_ms),
        "instruments": [r.instrument.name for r in verdict.readings],
    }


def _utc(ms: int) -> str:
    return datetime.fromtimestamp(ms / 1000, UTC).isoformat(timespec="seconds").replace("+00:00", "Z")
