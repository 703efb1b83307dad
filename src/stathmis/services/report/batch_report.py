"""The report of a batch: what came of it and why, its course and traces, weights, eggs, plan, events, instruments."""

from __future__ import annotations

from stathmis.exchange.report_page import Block, Heading, Report, Table, Words
from stathmis.services import knowledge
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.eggs import review
from stathmis.services.eggs.break_out import all_opened, draft_of
from stathmis.services.eggs.outcome import outcome_lines, rate_words
from stathmis.services.eggs.signs import sign_words, signs_seen
from stathmis.services.eggs.tray import EggStory, TraySheet, tray
from stathmis.services.eggs.weeks import cells, titles
from stathmis.services.findings import judgement
from stathmis.services.plan import planning, tasks
from stathmis.services.report.course_part import EGGS, course_blocks, date_words, instrument_blocks, weight_blocks
from stathmis.services.report.drawing import rate_bars, tray_picture
from stathmis.words import report as report_words
from stathmis.words import reports as say
from stathmis.words import way as way_words
from stathmis.words.catalogue import _
from stathmis.words.events import details, kind_word
from stathmis.words.numbers import count, number

MOST_EGGS, MOST_EVENTS = 120, 80


def batch_report(book: Book, course: Course) -> Report:
    """Everything worth keeping of a batch on a few pages, as log and calibrations stand now."""
    sheet = tray(book, course.batch)
    whole = judgement.judged_run(book, course)
    blocks: list[Block] = [
        *_facts(book, course, sheet),
        *_outcome(sheet),
        *_review(book, course),
        *course_blocks(book, course, whole),
        *weight_blocks(book, course),
        *_eggs(book, course, sheet),
        *_plan(book, course),
        *_events(book, course),
        *instrument_blocks(book, course, whole),
        Words(
            say.MADE_BY_STATHMIS_FROM_THE() + knowledge.cautions()["law"],
            "small",
        ),
    ]
    made = f"{book.name or _('Logbook')}; {date_words(book.local(book.now_ms))}"
    return Report(course.batch.name, made, tuple(blocks))


def _facts(book: Book, course: Course, sheet: TraySheet) -> list[Block]:
    batch, plan = course.batch, planning.plan_of(book, course.batch)
    where = _(", then ").join(i.name for i, _ in (*course.before, (course.incubator, 0)))
    rows = [
        (_("species"), course.species.name),
        (_("eggs"), str(sheet.tally.eggs)),
        (
            _("in"),
            _("{where} ({word})", where=where, word=_("fan") if course.incubator.air == "forced" else _("still air")),
        ),
        (_("school"), course.regime_name),
        (_("set"), date_words(book.local(batch.set_ms), hour=True)),
    ]
    if course.lockdown_day is not None:
        rows.append((_("lockdown"), date_words(book.local(course.at_ms(course.lockdown_day)), hour=True)))
    rows.append((_("hatch expected"), date_words(book.local(course.at_ms(course.species.days)))))
    rows.append(
        (_("ended"), date_words(book.local(batch.ended_ms), hour=True) if batch.ended_ms else _("still running"))
    )
    if plan.laid_ms is not None:
        rows.append((_("first egg laid"), date_words(book.local(plan.laid_ms))))
    sources = sorted({e.source or e.breed for e in sheet.eggs if e.source or e.breed})
    if sources:
        rows.append((_("eggs from"), ", ".join(sources)))
    done = way_words.otherwise(book, course)
    own: list[Block] = [Heading(way_words.heading()), Table((), tuple(done))] if done else []
    return [Table((), tuple(rows)), *own]


def _outcome(sheet: TraySheet) -> list[Block]:
    tally = sheet.tally
    rates = (
        (say.FERTILE_OF_THOSE_JUDGED(), tally.fertility),
        (_("hatched of set"), tally.hatch_of_set),
        (_("hatched of fertile"), tally.hatch_of_fertile),
    )
    shown = rates if tally.hatched or sheet.batch.ended_ms is not None else rates[:1]
    words = "; ".join(f"{name} {rate_words(rate)}" for name, rate in shown)
    return [
        Heading(say.WHAT_CAME_OF_IT()),
        Table(("", _("eggs and share")), tuple((name, rate_words(rate)) for name, rate in shown)),
        rate_bars(shown, EGGS, words),
        *(Words(line) for line in outcome_lines(sheet)),
    ]


def _review(book: Book, course: Course) -> list[Block]:
    found = review.batch_review(book, course)
    first, *rest = review.lines(book, found)
    blocks: list[Block] = [Heading(_("Review")), Words(first, "strong"), *(Words(line) for line in rest)]
    change = review.change(book, found)
    if change:
        blocks.append(Words(_("Next time: {change}", change=change), "strong"))
    if found.weeks:
        rows = tuple(cells(book, course, week) for week in found.weeks)
        blocks.append(Table(titles(book), rows, numbers=(1,)))
    return blocks


def _eggs(book: Book, course: Course, sheet: TraySheet) -> list[Block]:
    blocks: list[Block] = []
    if sheet.eggs:
        blocks.append(Heading(_("Eggs")))
        shown = sheet.eggs if len(sheet.eggs) <= MOST_EGGS else tuple(e for e in sheet.eggs if not e.hatched)
        lying = [(*e.place, e.mark, e.word, e.hatched) for e in sheet.eggs]
        blocks.append(tray_picture(lying, EGGS, report_words.tray()))
        rows = tuple((e.mark, f"{e.place[0]}/{e.place[1]}", _about(e), _story(book, course, e)) for e in shown)
        blocks.append(Table((_("egg"), _("place"), _("known of it"), _("story")), rows))
        if len(shown) < len(sheet.eggs):
            blocks.append(
                Words(
                    say.EGGS_THAT_HATCHED_ARE_NOT(eggs=count(len(sheet.eggs) - len(shown), "{n} egg", "{n} eggs")),
                    "small",
                )
            )
    elif sheet.counted:
        blocks.append(Heading(_("Counts")))
        words = knowledge.findings(course.species.kind)
        rows = tuple(
            (date_words(book.local(f.time_ms), hour=True), str(f.count), words[f.kind].word, f.note)
            for f in sheet.counted
        )
        blocks.append(Table(("", _("eggs"), "", _("note")), rows, numbers=(1,)))
    opened = all_opened(sheet)
    if opened:
        blocks.append(Heading(say.OPENED_AFTER_THE_HATCH()))
        seen = tuple(
            (
                _("egg {mark}", mark=b.mark) if b.mark else count(b.count, "{n} egg", "{n} eggs"),
                draft_of(b).words(),
                b.note,
            )
            for b in reversed(opened)
        )
        blocks += [Table((), seen), Words(sign_words(tuple(signs_seen(sheet))))]
    return blocks


def _about(egg: EggStory) -> str:
    return ", ".join(p for p in (egg.breed, egg.mother, egg.source, egg.about) if p)


def _story(book: Book, course: Course, egg: EggStory) -> str:
    words = knowledge.findings(course.species.kind)
    parts = [f"{course.day_words(course.day(f.time_ms), 1)} {words[f.kind].word}" for f in egg.findings]
    if egg.opened is not None:
        parts.append(_("opened: {words}", words=draft_of(egg.opened).words()))
    return "; ".join(parts)


def _plan(book: Book, course: Course) -> list[Block]:
    plan = planning.plan_of(book, course.batch)
    rows = []
    for task in tasks.tasks_of(book, plan):
        if task.state == "open" and task.due_ms > book.now_ms:
            continue
        state = _("skipped: {note}", note=task.note) if task.state == "skipped" and task.note else _(task.state)
        rows.append((date_words(book.local(task.due_ms)), task.title, _("not ticked") if state == "open" else state))
    return [Heading(_("Plan")), Table((_("due"), _("step"), ""), tuple(rows))] if rows else []


def _events(book: Book, course: Course) -> list[Block]:
    until = course.batch.ended_ms or book.now_ms
    events = batches.events_along(book, course, course.start_ms, until)
    if not events:
        return []
    rows = []
    for e in events[-MOST_EVENTS:]:
        set_to = number(e.set_point_c, "temperature", book.temperature_unit) if e.set_point_c is not None else ""
        what = kind_word(e.kind)
        rows.append((date_words(book.local(e.time_ms), hour=True), what, f"{details(book, e)} {set_to}".strip()))
    blocks: list[Block] = [Heading(_("What was done")), Table((_("when"), _("what"), ""), tuple(rows))]
    if len(events) > MOST_EVENTS:
        blocks.append(
            Words(_("The last {most_events} of {events}.", most_events=MOST_EVENTS, events=len(events)), "small")
        )
    return blocks
