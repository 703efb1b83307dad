"""The report of a batch: what came of it and why, its course and traces, weights, eggs, plan, events, instruments."""

from __future__ import annotations

from datetime import datetime

from stathmis.core.units import Unit, difference_from_inside, from_inside
from stathmis.exchange.report_page import Block, Drawing, Heading, Report, Table, Words
from stathmis.logbook.records import Channel, Quantity
from stathmis.services import batches, judgement, knowledge, trace
from stathmis.services.batches import Course
from stathmis.services.clock import DAY_MS
from stathmis.services.corrections import Corrected
from stathmis.services.eggs import review
from stathmis.services.eggs.break_out import all_opened, draft_of
from stathmis.services.eggs.outcome import outcome_lines, rate_words
from stathmis.services.eggs.signs import sign_words, signs_seen
from stathmis.services.eggs.tray import EggStory, TraySheet, tray
from stathmis.services.eggs.weeks import cells, titles
from stathmis.services.judgement import Followed
from stathmis.services.moisture import loss, loss_words, weights
from stathmis.services.plan import planning, tasks
from stathmis.services.report.drawing import Stretch, rate_bars, run_chart
from stathmis.services.runs import Run
from stathmis.services.wording import count, number, unit_word, with_u
from stathmis.services.workbench import Workbench

HEAT, MOISTURE, EGGS = "#A9452A", "#1C6A72", "#7F5E14"
MOST_EGGS, MOST_EVENTS = 120, 80
NAMES: dict[Quantity, str] = {"temperature": "Temperature", "humidity": "Humidity"}


def batch_report(bench: Workbench, course: Course) -> Report:
    """Everything worth keeping of a batch on a few pages, as log and calibrations stand now."""
    sheet = tray(bench, course.batch)
    followed = judgement.follow(bench, course)
    blocks: list[Block] = [
        *_facts(bench, course, sheet),
        *_outcome(sheet),
        *_review(bench, course),
        *_course(bench, course, followed),
        *_weights(bench, course),
        *_eggs(bench, course, sheet),
        *_plan(bench, course),
        *_events(bench, course),
        *_instruments(bench, course, followed),
        Words(
            "Made by Stathmis from the keeper's own log, corrected by the calibrations in force that day. "
            + knowledge.cautions()["law"],
            "small",
        ),
    ]
    return Report(course.batch.name, f"{bench.name or 'Logbook'}; {_date(bench.local(bench.now_ms))}", tuple(blocks))


def _date(at: datetime, *, hour: bool = False) -> str:
    return f"{at.day} {at:%b %Y}" + (f" {at:%H:%M}" if hour else "")


def _facts(bench: Workbench, course: Course, sheet: TraySheet) -> list[Block]:
    batch, plan = course.batch, planning.plan_of(bench, course.batch)
    where = ", then ".join(i.name for i, _ in (*course.before, (course.incubator, 0)))
    rows = [
        ("species", course.species.name),
        ("eggs", str(sheet.tally.eggs)),
        ("in", f"{where} ({'fan' if course.incubator.air == 'forced' else 'still air'})"),
        ("school", course.regime_name),
        ("set", _date(bench.local(batch.set_ms), hour=True)),
    ]
    if course.lockdown_day is not None:
        rows.append(("lockdown", _date(bench.local(course.at_ms(course.lockdown_day)), hour=True)))
    rows.append(("hatch expected", _date(bench.local(course.at_ms(course.species.days)))))
    rows.append(("ended", _date(bench.local(batch.ended_ms), hour=True) if batch.ended_ms else "still running"))
    if plan.laid_ms is not None:
        rows.append(("first egg laid", _date(bench.local(plan.laid_ms))))
    sources = sorted({e.source or e.breed for e in sheet.eggs if e.source or e.breed})
    if sources:
        rows.append(("eggs from", ", ".join(sources)))
    return [Table((), tuple(rows))]


def _outcome(sheet: TraySheet) -> list[Block]:
    tally = sheet.tally
    rates = (
        ("fertile of those judged", tally.fertility),
        ("hatched of set", tally.hatch_of_set),
        ("hatched of fertile", tally.hatch_of_fertile),
    )
    shown = rates if tally.hatched or sheet.batch.ended_ms is not None else rates[:1]
    words = "; ".join(f"{name} {rate_words(rate)}" for name, rate in shown)
    return [
        Heading("What came of it"),
        Table(("", "eggs and share"), tuple((name, rate_words(rate)) for name, rate in shown)),
        rate_bars(shown, EGGS, words),
        *(Words(line) for line in outcome_lines(sheet)),
    ]


def _review(bench: Workbench, course: Course) -> list[Block]:
    found = review.batch_review(bench, course)
    first, *rest = review.lines(bench, found)
    blocks: list[Block] = [Heading("Review"), Words(first, "strong"), *(Words(line) for line in rest)]
    change = review.change(bench, found)
    if change:
        blocks.append(Words(f"Next time: {change}", "strong"))
    if found.weeks:
        rows = tuple(cells(bench, course, week) for week in found.weeks)
        blocks.append(Table(titles(bench), rows, numbers=(1,)))
    return blocks


def _course(bench: Workbench, course: Course, followed: Followed) -> list[Block]:
    traced = followed.trace
    blocks: list[Block] = [Heading("Course")]
    rows = []
    for phase in course.phases:
        start, end = (bench.local(course.at_ms(d)) for d in (phase.start_day, phase.end_day))
        held = [
            f"{from_inside(b.low, u):.{p}f}–{from_inside(b.high, u):.{p}f} {unit_word(u)}"
            for b, u, p in (
                (phase.temperature_c, bench.shown_unit("temperature"), 1),
                (phase.humidity, bench.shown_unit("humidity"), 0),
            )
            if b is not None
        ]
        rows.append((phase.title or phase.name, f"{start.day} {start:%b}–{end.day} {end:%b}", "; ".join(held)))
    blocks.append(Table(("stage", "days", "to be kept"), tuple(rows)))
    for quantity, color in (("temperature", HEAT), ("humidity", MOISTURE)):
        drawn = trace_drawing(bench, course, followed, quantity, color)  # type: ignore[arg-type]
        blocks.append(drawn if drawn is not None else Words(f"No {quantity} was read.", "small"))
    blocks += _shares(bench, traced)
    unit = bench.temperature_unit
    blocks += [Words(line) for line in judgement.summary(followed, unit)]
    told = [e for e in followed.eggs.excursions if e.worth_telling] if followed.eggs is not None else []
    if told:
        rows = [
            (_date(bench.local(e.start_ms), hour=True), judgement.excursion_words(e, unit), "")
            for e in sorted(told, key=lambda e: e.start_ms)
        ]
        blocks.append(Table(("since", "the eggs outside their band"), tuple(r[:2] for r in rows)))
    for found in (traced.temperature, traced.humidity):
        blocks += [Words(judgement.doubt_words(d, bench)) for d in found.doubts[:4]]
    return blocks


def trace_drawing(
    bench: Workbench, course: Course, followed: Followed, quantity: Quantity, color: str
) -> Drawing | None:
    """The corrected run of one quantity against its bands; None where nothing was read."""
    traced = followed.trace
    found = traced.temperature if quantity == "temperature" else traced.humidity
    run = found.judged
    if run is None or not run.times_ms.size:
        return None
    unit = bench.shown_unit(quantity)
    bands = []
    for phase in course.phases:
        band = phase.temperature_c if quantity == "temperature" else phase.humidity
        if band is not None:
            low, high = (float(from_inside(v, unit)) for v in (band.low, band.high))
            bands.append(Stretch(phase.start_day, phase.end_day, low, high))
    span = (min(0.0, course.day(int(run.times_ms[0]))), max(1.0, course.day(traced.until_ms)))
    return run_chart(
        (run.times_ms - course.batch.set_ms) / DAY_MS,
        from_inside(run.corrected, unit),
        _wide(run, unit),
        [b for b in bands if b.start_day < span[1]],
        unit_word(unit),
        color,
        f"{NAMES[quantity]} by {run.names}, corrected, from day {span[0]:.0f} to day {span[1]:.0f}",
        span,
        run.max_gap_s * 1000.0 / DAY_MS,
    )


def _wide(run: Run, unit: Unit):  # type: ignore[no-untyped-def]
    return difference_from_inside(2.0 * run.u, unit)


def _shares(bench: Workbench, traced: trace.BatchTrace) -> list[Block]:
    rows = []
    for found in (traced.temperature, traced.humidity):
        unit = bench.shown_unit(found.quantity)
        for share in found.shares:
            a = share.adherence
            total = a.known_s + a.unknown_s
            parts = [
                f"{100.0 * p / total:.0f} %" if total else "–"
                for p in (a.inside_s, a.outside_s, a.undecided_s, a.unknown_s)
            ]
            mean = number(a.mean, found.quantity, unit) if a.known_s > 0 else "–"
            rows.append((f"{NAMES[found.quantity]}, {share.phase}", mean, *parts, str(trace.lasting(a))))
    titles = ("", "mean", "inside", "outside", "can't tell", "not read", "over 10 min out")
    return [Table(titles, tuple(rows), numbers=(1, 2, 3, 4, 5, 6))] if rows else []


def _weights(bench: Workbench, course: Course) -> list[Block]:
    weighed = weights.weighings(bench, course.batch.id)
    if not weighed:
        return []
    at_ms = min(bench.now_ms, course.batch.ended_ms or bench.now_ms)

    blocks: list[Block] = [Heading("Weights")]
    sheet = loss.loss_sheet(bench, course, weighed, at_ms)
    if sheet is not None:
        blocks += [Words(loss_words.headline(sheet)), *(Words(line) for line in loss_words.lines(bench, sheet))]
    whole = [w for w in weighed if not w.mark]
    rows = []
    for w in whole:
        each, first = w.mass_g / w.eggs, whole[0].mass_g / whole[0].eggs
        lost = f"{100.0 * (1.0 - each / first):.1f} %"
        day = course.day_words(course.day(w.time_ms), 1)
        rows.append((_date(bench.local(w.time_ms)), day, str(w.eggs), f"{w.mass_g:.1f} g", f"{each:.2f} g", lost))
    if rows:
        titles = ("", "", "eggs", "all", "each", "lost since the first")
        blocks.append(Table(titles, tuple(rows), numbers=(2, 3, 4, 5)))
    return blocks


def _eggs(bench: Workbench, course: Course, sheet: TraySheet) -> list[Block]:
    blocks: list[Block] = []
    if sheet.eggs:
        blocks.append(Heading("Eggs"))
        shown = sheet.eggs if len(sheet.eggs) <= MOST_EGGS else tuple(e for e in sheet.eggs if not e.hatched)
        rows = tuple((e.mark, f"{e.place[0]}/{e.place[1]}", _about(e), _story(bench, course, e)) for e in shown)
        blocks.append(Table(("egg", "place", "known of it", "story"), rows))
        if len(shown) < len(sheet.eggs):
            blocks.append(Words(f"{count(len(sheet.eggs) - len(shown), 'egg')} that hatched are not listed.", "small"))
    elif sheet.counted:
        blocks.append(Heading("Counts"))
        words = knowledge.findings()
        rows = tuple(
            (_date(bench.local(f.time_ms), hour=True), str(f.count), words[f.kind].word, f.note) for f in sheet.counted
        )
        blocks.append(Table(("", "eggs", "", "note"), rows, numbers=(1,)))
    opened = all_opened(sheet)
    if opened:
        blocks.append(Heading("Opened after the hatch"))
        seen = tuple(
            (f"egg {b.mark}" if b.mark else count(b.count, "egg"), draft_of(b).words(), b.note)
            for b in reversed(opened)
        )
        blocks += [Table((), seen), Words(sign_words(tuple(signs_seen(sheet))))]
    return blocks


def _about(egg: EggStory) -> str:
    return ", ".join(p for p in (egg.breed, egg.mother, egg.source, egg.about) if p)


def _story(bench: Workbench, course: Course, egg: EggStory) -> str:
    words = knowledge.findings()
    parts = [f"{course.day_words(course.day(f.time_ms), 1)} {words[f.kind].word}" for f in egg.findings]
    if egg.opened is not None:
        parts.append(f"opened: {draft_of(egg.opened).words()}")
    return "; ".join(parts)


def _plan(bench: Workbench, course: Course) -> list[Block]:
    plan = planning.plan_of(bench, course.batch)
    rows = []
    for task in tasks.tasks_of(bench, plan):
        if task.state == "open" and task.due_ms > bench.now_ms:
            continue
        state = f"skipped: {task.note}" if task.state == "skipped" and task.note else task.state
        rows.append((_date(bench.local(task.due_ms)), task.title, "not ticked" if state == "open" else state))
    return [Heading("Plan"), Table(("due", "step", ""), tuple(rows))] if rows else []


def _events(bench: Workbench, course: Course) -> list[Block]:
    until = course.batch.ended_ms or bench.now_ms
    events = batches.events_along(bench, course, course.start_ms, until)
    if not events:
        return []
    rows = []
    for e in events[-MOST_EVENTS:]:
        set_to = number(e.set_point_c, "temperature", bench.temperature_unit) if e.set_point_c is not None else ""
        rows.append((_date(bench.local(e.time_ms), hour=True), e.kind.replace("_", " "), f"{e.note} {set_to}".strip()))
    blocks: list[Block] = [Heading("What was done"), Table(("when", "what", ""), tuple(rows))]
    if len(events) > MOST_EVENTS:
        blocks.append(Words(f"The last {MOST_EVENTS} of {len(events)}.", "small"))
    return blocks


def _instruments(bench: Workbench, course: Course, followed: Followed) -> list[Block]:
    rows, middle = [], (course.batch.set_ms + min(bench.now_ms, course.end_ms)) // 2
    runs = (*followed.trace.temperature.runs, *followed.trace.humidity.runs)
    for run in {r.channel.id: r for r in runs}.values():
        rows.append(_instrument(bench, course, run.instrument.name, run.channel, middle))
    if not rows:
        return []
    titles = ("instrument", "reads", "where it shows the middle of the band", "rests on")
    return [Heading("Instruments"), Table(titles, tuple(rows))]


def _instrument(bench: Workbench, course: Course, name: str, channel: Channel, at_ms: int) -> tuple[str, ...]:
    unit = bench.shown_unit(channel.quantity)
    band = course.band(channel.quantity, at_ms)
    usual = 0.5 * (band.low + band.high) if band is not None else (37.5 if channel.quantity == "temperature" else 50.0)
    force = bench.corrections.in_force(channel, at_ms)
    found: Corrected = bench.corrections.correct(channel, float(from_inside(usual, channel.unit)), at_ms)
    true = with_u(found.value, found.U, channel.quantity, unit)
    basis: str = force.basis
    if force.since_ms is not None:
        basis += f", {_date(bench.local(force.since_ms))}"
    return name, channel.quantity, f"shows {number(usual, channel.quantity, unit)}: it is {true}", basis
