"""How a batch ran, for its report: stages, traces, time on profile, weights, and the instruments behind them."""

from __future__ import annotations

from datetime import datetime

import numpy as np

from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import Quantity, difference_from_inside, from_inside
from stathmis.exchange.report_page import Block, Drawing, Heading, Table, Words
from stathmis.logbook.records import Channel
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS
from stathmis.services.findings import loss, trace
from stathmis.services.findings.corrections import Corrected
from stathmis.services.findings.judgement import JudgedRun
from stathmis.services.moisture import weights
from stathmis.services.report.drawing import Stretch, loss_chart, run_chart
from stathmis.words import dates
from stathmis.words import loss as loss_words
from stathmis.words import report as report_words
from stathmis.words import reports as say
from stathmis.words import run as run_words
from stathmis.words.catalogue import N_, Spoken, _, as_number
from stathmis.words.numbers import number, unit_word, with_u

COLORS: dict[Quantity, str] = {"temperature": "#A9452A", "humidity": "#1C6A72"}
EGGS = "#7F5E14"
NAMES: Spoken[Quantity] = Spoken({"temperature": N_("Temperature"), "humidity": N_("Humidity")})


def date_words(at: datetime, *, hour: bool = False) -> str:
    """ "12 May 2026", with the hour where it matters."""
    return dates.day(at, year=True) + (f" {dates.clock(at)}" if hour else "")


def course_blocks(book: Book, course: Course, whole: JudgedRun) -> list[Block]:
    """Stages, both traces, time on profile, and what the run did to the eggs."""
    traced = whole.trace
    blocks: list[Block] = [Heading(_("Course"))]
    rows = []
    for phase in course.phases:
        start, end = (book.local(course.at_ms(d)) for d in (phase.start_day, phase.end_day))
        held = [
            f"{as_number(from_inside(b.low, u), f'.{p}f')}–{as_number(from_inside(b.high, u), f'.{p}f')} {unit_word(u)}"
            for b, u, p in (
                (phase.temperature_c, book.shown_unit("temperature"), 1),
                (phase.humidity, book.shown_unit("humidity"), 0),
            )
            if b is not None
        ]
        rows.append((phase.title or _(phase.name), f"{dates.day(start)}–{dates.day(end)}", "; ".join(held)))
    blocks.append(Table((_("stage"), _("days"), _("to be kept")), tuple(rows)))
    for quantity, color in COLORS.items():
        drawn = trace_drawing(book, course, whole, quantity, color)
        blocks.append(
            drawn if drawn is not None else Words(_("No {quantity} was read.", quantity=_(quantity)), "small")
        )
    blocks += _shares(book, traced)
    unit = book.temperature_unit
    blocks += [Words(line) for line in run_words.summary(whole, unit)]
    told = [e for e in whole.eggs.excursions if e.worth_telling] if whole.eggs is not None else []
    if told:
        rows = [
            (date_words(book.local(e.start_ms), hour=True), run_words.excursion_words(e, unit), "")
            for e in sorted(told, key=lambda e: e.start_ms)
        ]
        blocks.append(Table((_("since"), say.THE_EGGS_OUTSIDE_THEIR_BAND()), tuple(r[:2] for r in rows)))
    for found in (traced.temperature, traced.humidity):
        blocks += [Words(run_words.doubt_words(d, book)) for d in found.doubts[:4]]
    return blocks


def trace_drawing(book: Book, course: Course, whole: JudgedRun, quantity: Quantity, color: str) -> Drawing | None:
    """The corrected run of one quantity against its bands; None where nothing was read."""
    traced = whole.trace
    found = traced.temperature if quantity == "temperature" else traced.humidity
    run = found.judged
    if run is None or not run.times_ms.size:
        return None
    unit = book.shown_unit(quantity)
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
        np.asarray(difference_from_inside(NORMAL_95 * run.u, unit)),
        [b for b in bands if b.start_day < span[1]],
        unit_word(unit),
        color,
        say.NAMES_BY_NAMES_CORRECTED_FROM(names=NAMES[quantity], instruments=run.names, first=span[0], last=span[1]),
        span,
        run.max_gap_s * 1000.0 / DAY_MS,
    )


def _shares(book: Book, traced: trace.BatchTrace) -> list[Block]:
    rows = []
    for found in (traced.temperature, traced.humidity):
        unit = book.shown_unit(found.quantity)
        for share in found.shares:
            a = share.adherence
            total = a.known_s + a.unknown_s
            parts = [
                f"{as_number(100.0 * p / total, '.0f')} %" if total else "–"
                for p in (a.inside_s, a.outside_s, a.undecided_s, a.unknown_s)
            ]
            mean = number(a.mean, found.quantity, unit) if a.known_s > 0 else "–"
            rows.append((f"{NAMES[found.quantity]}, {share.phase}", mean, *parts, str(trace.lasting(a))))
    titles = ("", _("mean"), _("inside"), _("outside"), _("can't tell"), _("not read"), _("over 10 min out"))
    return [Table(titles, tuple(rows), numbers=(1, 2, 3, 4, 5, 6))] if rows else []


def weight_blocks(book: Book, course: Course) -> list[Block]:
    """Weighings and what the eggs lost; nothing where none were weighed."""
    weighed = weights.weighings(book, course.batch.id)
    if not weighed:
        return []
    at_ms = min(book.now_ms, course.batch.ended_ms or book.now_ms)

    blocks: list[Block] = [Heading(_("Weights"))]
    sheet = loss.loss_sheet(book, course, weighed, at_ms)
    if sheet is not None:
        blocks += [Words(loss_words.headline(sheet)), *(Words(line) for line in loss_words.lines(book, sheet))]
        seen = [(p.day, p.loss) for p in sheet.points if not p.mark]
        if len(seen) > 1:
            low, aim, high = sheet.wanted
            words = report_words.loss_axis(), report_words.lost(aim)
            blocks.append(loss_chart(seen, sheet.lockdown_day, (low, high), EGGS, *words))
    whole = [w for w in weighed if not w.mark]
    rows = []
    for w in whole:
        each, first = w.mass_g / w.eggs, whole[0].mass_g / whole[0].eggs
        lost = f"{as_number(100.0 * (1.0 - each / first), '.1f')} %"
        day = course.day_words(course.day(w.time_ms), 1)
        rows.append(
            (
                date_words(book.local(w.time_ms)),
                day,
                str(w.eggs),
                f"{as_number(w.mass_g, '.1f')} g",
                f"{as_number(each, '.2f')} g",
                lost,
            )
        )
    if rows:
        titles = ("", "", _("eggs"), _("all"), _("each"), say.LOST_SINCE_THE_FIRST())
        blocks.append(Table(titles, tuple(rows), numbers=(2, 3, 4, 5)))
    return blocks


def instrument_blocks(book: Book, course: Course, whole: JudgedRun) -> list[Block]:
    """What read the batch, how far it was off, and what that rests on."""
    rows, middle = [], (course.batch.set_ms + min(book.now_ms, course.end_ms)) // 2
    runs = (*whole.trace.temperature.runs, *whole.trace.humidity.runs)
    for run in {r.channel.id: r for r in runs}.values():
        rows.append(_instrument(book, course, run.instrument.name, run.channel, middle))
    if not rows:
        return []
    titles = (_("instrument"), _("reads"), say.WHERE_IT_SHOWS_THE_MIDDLE(), _("rests on"))
    return [Heading(_("Instruments")), Table(titles, tuple(rows))]


def _instrument(book: Book, course: Course, name: str, channel: Channel, at_ms: int) -> tuple[str, ...]:
    unit = book.shown_unit(channel.quantity)
    band = course.band(channel.quantity, at_ms)
    usual = 0.5 * (band.low + band.high) if band is not None else (37.5 if channel.quantity == "temperature" else 50.0)
    force = book.corrections.in_force(channel, at_ms)
    found: Corrected = book.corrections.correct(channel, float(from_inside(usual, channel.unit)), at_ms)
    true = with_u(found.value, found.U, channel.quantity, unit)
    basis = _(force.basis)
    if force.since_ms is not None:
        basis += f", {date_words(book.local(force.since_ms))}"
    return (
        name,
        _(channel.quantity),
        _("shows {usual}: it is {true}", usual=number(usual, channel.quantity, unit), true=true),
        basis,
    )
