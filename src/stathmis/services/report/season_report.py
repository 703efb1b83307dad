"""The report of a season: the batches set in a year, what came of them, compared without ranking chance."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import CancelledError

from stathmis.core.hatch.hatch_stats import Rate, rate
from stathmis.exchange.report_page import Block, Heading, Report, Table, Words
from stathmis.logbook import calibrations
from stathmis.logbook.records import Channel, Instrument
from stathmis.services.book import Book
from stathmis.services.eggs import records, review
from stathmis.services.eggs.outcome import rate_words
from stathmis.services.eggs.records import GROUPS, BatchRow
from stathmis.services.report.course_part import EGGS
from stathmis.services.report.drawing import rate_bars
from stathmis.words import dates
from stathmis.words import reports as say
from stathmis.words.catalogue import _
from stathmis.words.numbers import count

Progress = Callable[[float], None]
MOST_BARS = 16


def seasons(book: Book) -> list[int]:
    """Years in which batches were set, the newest first."""
    return sorted({book.local(r.course.batch.set_ms).year for r in records.all_batches(book)}, reverse=True)


def season_report(
    book: Book,
    year: int,
    progress: Progress = lambda fraction: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Report:
    """What a year's batches came to. Raises CancelledError where it was stopped."""
    rows = [r for r in records.all_batches(book) if book.local(r.course.batch.set_ms).year == year]
    known = [r for r in rows if r.known]
    blocks: list[Block] = [*_totals(rows, known), *_list(book, rows), *_compared(known)]
    told: list[Block] = []
    for i, row in enumerate(known):
        if cancelled():
            raise CancelledError
        found = review.batch_review(book, row.course)
        first = review.headline(found)
        told.append(Words(f"{row.course.batch.name}: {first}"))
        change = review.change(book, found)
        if change:
            told.append(Words(_("Next time: {change}", change=change), "strong"))
        progress((i + 1) / len(known))
    if told:
        blocks += [Heading(_("What each taught")), *told]
    blocks += _checks(book, year)
    blocks.append(Words(say.INTERVALS_AT_WILSON_A_PLACE(), "small"))
    at = book.local(book.now_ms)
    subtitle = _("{book}; made on {at}", book=book.name or _("Logbook"), at=dates.day(at, year=True))
    return Report(_("Season {year}", year=year), subtitle, tuple(blocks))


def _summed(rows: list[BatchRow]) -> tuple[Rate, Rate, Rate]:
    hatched = sum(r.tally.hatched for r in rows)
    fertility = [r.tally.fertility for r in rows]
    of_fertile = [r.tally.hatch_of_fertile for r in rows]
    return (
        rate(sum(f.count for f in fertility), sum(f.of for f in fertility)),
        rate(hatched, sum(r.tally.eggs for r in rows)),
        rate(sum(f.count for f in of_fertile), sum(f.of for f in of_fertile)),
    )


def _totals(rows: list[BatchRow], known: list[BatchRow]) -> list[Block]:
    eggs = sum(r.tally.eggs for r in rows)
    said = say.BATCHS_WITH_EGGS_SET_THE(
        batchs=count(len(rows), "{n} batch", "{n} batches"), eggs=count(eggs, "{n} egg", "{n} eggs"), known=len(known)
    )
    if not known:
        return [Words(said, "strong")]
    names = (say.FERTILE_OF_THOSE_JUDGED(), _("hatched of set"), _("hatched of fertile"))
    rates = tuple(zip(names, _summed(known), strict=True))
    words = "; ".join(f"{name} {rate_words(r)}" for name, r in rates)
    return [
        Words(said, "strong"),
        Table((), tuple((n, rate_words(r)) for n, r in rates)),
        rate_bars(rates, EGGS, words),
    ]


def _list(book: Book, rows: list[BatchRow]) -> list[Block]:
    made = []
    for row in reversed(rows):
        at = book.local(row.course.batch.set_ms)
        came = rate_words(row.tally.hatch_of_set) if row.known else _("not yet known")
        machine = row.course.incubator.name
        made.append((dates.day(at), row.course.batch.name, machine, row.course.regime_name, came))
    return (
        [Heading(_("Batches")), Table((_("set"), _("batch"), _("in"), _("school"), _("hatched of set")), tuple(made))]
        if made
        else []
    )


def _compared(known: list[BatchRow]) -> list[Block]:
    blocks: list[Block] = []
    for by, title in GROUPS.items():
        if by == "season":
            # all of them are of this one
            continue
        groups = records.compared(known, by)
        if len(groups) < 2:
            continue
        bars = [(g.name, g.of_set) for g in groups[:MOST_BARS]]
        words = "; ".join(f"{g.name} {rate_words(g.of_set)}" for g in groups)
        rows = tuple((f"{g.place}.", g.name, rate_words(g.of_set), rate_words(g.of_fertile)) for g in groups)
        blocks += [
            Heading(_("By {title}", title=title)),
            Table((_("place"), "", _("hatched of set"), _("of fertile")), rows),
            rate_bars(bars, EGGS, words),
        ]
    return blocks


def _checks(book: Book, year: int) -> list[Block]:
    instruments = {i.id: i for i in book.records(Instrument)}
    channels = {c.id: c for c in book.records(Channel)}
    rows = []
    for check in sorted(calibrations.calibrations(book.snapshot), key=lambda c: c.done_ms):
        at = book.local(check.done_ms)
        channel = channels.get(check.channel_id)
        if at.year == year and channel is not None and channel.instrument_id in instruments:
            rows.append((dates.day(at), instruments[channel.instrument_id].name, _(channel.quantity)))
    return [Heading(_("Instruments checked")), Table(("", _("instrument"), _("reads")), tuple(rows))] if rows else []
