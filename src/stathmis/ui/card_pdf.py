"""The card of a batch and the sheet of a round on one page each, what is known above and room to write below; labels,
and the brooder's card."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta
from html import escape
from itertools import groupby
from pathlib import Path

from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QFontMetricsF, QPageLayout, QPainter, QPen, QTextDocument, QTextOption

from stathmis.exchange.report_page import INK, MUTED, RULE
from stathmis.services.book import Book
from stathmis.services.on_paper.brooder import BrooderCard
from stathmis.services.on_paper.card import Card, Day
from stathmis.services.on_paper.columns import Column
from stathmis.services.on_paper.labels import Label
from stathmis.services.on_paper.round_sheet import RoundPaper
from stathmis.services.plan import tasks
from stathmis.ui.paper import Paper, Size, letters, page, usual_size
from stathmis.words import card as words
from stathmis.words import dates
from stathmis.words.catalogue import _

Wrap = QTextOption.WrapMode
LARGEST_PT, SMALLEST_PT, STEP_PT = 9.5, 5.0, 0.25
HEAD_SHARE, HEAD_GAP = 0.8, 5.0
"""The heads of columns are written so much smaller, and so far (pixels) apart."""
LEAST_ROWS = 6
"""So many visits at least can be written on it."""
ROW_MM, MM = 6.5, 96.0 / 25.4
TIME_MM, LEAST_MM, MOST_MM = 21.0, 12.0, 24.0
LABEL_MM, LABEL_PT, BROODER_PT = 38.0, 9.0, 13.0
MARGIN_MM = {"A4": (14.0, 12.0), "Letter": (14.0, 12.0), "A5": (9.0, 8.0)}


def page_of(size: Size | None = None) -> QPageLayout:
    """The page it is laid out for, this computer's usual one by default."""
    chosen = size or usual_size()
    return page(chosen, MARGIN_MM[chosen])


def write_card(book: Book, card: Card, path: Path, size: Size | None = None) -> None:
    """Write a card as PDF. Raises UserError where it cannot be written."""
    paper = Paper(card.course.batch.name, layout=page_of(size))
    draw_card(book, card, paper)
    paper.save(path)


def write_round(book: Book, sheet: RoundPaper, path: Path, size: Size | None = None) -> None:
    """Write the sheet of a round as PDF. Raises UserError where it cannot be written."""
    paper = Paper(_("Round"), layout=page_of(size))
    draw_round(book, sheet, paper)
    paper.save(path)


def draw_card(book: Book, card: Card, paper: Paper) -> None:
    """Draw a card on paper: one page, whatever its size."""
    _draw(paper, _card_html(book, card), card.columns)


def draw_round(book: Book, sheet: RoundPaper, paper: Paper) -> None:
    """Draw the sheet of a round on paper: one page, whatever its size."""
    _draw(paper, _round_html(book, sheet), sheet.columns)


def draw_brooder(book: Book, card: BrooderCard, paper: Paper) -> None:
    """Draw a brooder's card on paper: half a page, to stand beside it."""
    said = "".join(f"<p>{escape(line)}</p>" for line in words.brooder(book, card))
    rows = [[escape(when), f"<b>{escape(warm)}</b>"] for when, warm in words.weeks(book, card)]
    bird = card.course.species.kind == "bird"
    warm = _heading(_("Under the source")) + _table(rows) if bird else ""
    foot = f"<p style='color:{MUTED}'>{escape(' '.join(words.brooder_cautions()))}</p>"
    html = _title(_("Brooder: {batch}", batch=card.course.batch.name), "") + said + warm + foot
    painter = QPainter(paper.writer)
    painter.scale(paper.scale, paper.scale)
    _document(html, BROODER_PT, paper.area[0]).drawContents(painter)
    painter.end()


def draw_labels(book: Book, labels: Sequence[Label], paper: Paper) -> None:
    """Draw labels on paper, two beside each other, to cut out."""
    width, height = paper.area
    wide, high = width / 2, LABEL_MM * MM
    down = max(1, int(height / high))
    painter = QPainter(paper.writer)
    painter.scale(paper.scale, paper.scale)
    for at, label in enumerate(labels):
        place = at % (2 * down)
        if at and not place:
            paper.writer.newPage()
        box = QRectF(place % 2 * wide, place // 2 * high, wide, high)
        painter.setPen(QPen(QColor(RULE), 0.7))
        painter.drawRect(box)
        title = f"<p style='font-size:large'><b>{escape(words.label_title(label))}</b></p>"
        lines = "".join(f"<p>{escape(line)}</p>" for line in words.label_lines(book, label))
        _write(painter, title + lines, LABEL_PT, box.adjusted(8, 6, -8, -6))
    painter.end()


def _draw(paper: Paper, html: str, columns: Sequence[Column]) -> None:
    """The words in the largest letters that leave room to write, and below them the ruled table."""
    width, height = paper.area
    blocks = _blocks(columns, width)
    needed = sum(_head_height(SMALLEST_PT) for _ in blocks) + LEAST_ROWS * ROW_MM * MM
    points = LARGEST_PT
    document = _document(html, points, width)
    while document.size().height() > height - needed and points > SMALLEST_PT:
        points -= STEP_PT
        document = _document(html, points, width)
    painter = QPainter(paper.writer)
    painter.scale(paper.scale, paper.scale)
    document.drawContents(painter)
    _ruled(painter, QRectF(0.0, document.size().height(), width, height - document.size().height()), blocks, points)
    painter.end()


def _document(html: str, points: float, width: float, wrap: Wrap = Wrap.WordWrap) -> QTextDocument:
    document = QTextDocument()
    document.setDocumentMargin(0)
    document.setDefaultFont(letters(points))
    document.setTextWidth(width)
    option = document.defaultTextOption()
    option.setWrapMode(wrap)
    document.setDefaultTextOption(option)
    document.setHtml(f"<body style='color:{INK}'><style>p{{margin:2px 0}} b{{font-weight:600}}</style>{html}</body>")
    return document


def _heading(text: str) -> str:
    return f"<p style='margin-top:6px;color:{MUTED}'>{escape(text)}</p>"


def _title(text: str, below: str) -> str:
    return f"<p style='font-size:xx-large;font-weight:600;margin:0'>{escape(text)}</p><p>{escape(below)}</p>"


def _table(rows: Sequence[Sequence[str]], head: Sequence[str] = ()) -> str:
    """Cells are HTML already."""
    line = f"border-bottom:1px solid {RULE};padding:1px 8px 1px 0"
    top = "".join(f"<td style='color:{MUTED};padding-right:8px'>{h}</td>" for h in head)
    body = "".join("<tr>" + "".join(f"<td style='{line}'>{cell}</td>" for cell in row) + "</tr>" for row in rows)
    return f"<table cellspacing='0' width='100%'>{f'<tr>{top}</tr>' if head else ''}{body}</table>"


def _card_html(book: Book, card: Card) -> str:
    rows = [[escape(_("the air itself")), *(escape(words.asked(book, s)) for s in card.stages)]]
    for line, shown in card.shown:
        channel = line.channel
        cells = (f"<b>{escape(words.shows(s, channel.unit, channel.resolution))}</b>" for s in shown)
        rows.append([escape(line.instrument.name), *cells])
    when = [[f"<b>{escape(what)}</b>", escape(do)] for what, do in words.when(book, bird=_is_bird(card))]
    return (
        _title(card.course.batch.name, words.head(book, card))
        + _heading(_("What each shows while all is well"))
        + _table(rows, ["", *(escape(words.stage(book, s)) for s in card.stages)])
        + _heading(_("Day by day") + (_("; the mark is up in the evening") if any(d.side for d in card.days) else ""))
        + _calendar(card.days)
        + _heading(_("When something is wrong"))
        + _table(when)
        + f"<p style='color:{MUTED}'>{escape(' '.join(words.cautions()))}</p>"
    )


def _is_bird(card: Card) -> bool:
    return card.course.species.kind == "bird"


def _calendar(days: Sequence[Day]) -> str:
    """A week in each row, Monday first; weeks in which nothing lies between are there all the same."""
    if not days:
        return ""
    first = days[0].date - timedelta(days=days[0].date.weekday())
    by_date = {d.date: d for d in days}
    weeks = (days[-1].date - first).days // 7 + 1
    rows = []
    for week in range(weeks):
        cells = []
        for at in (first + timedelta(days=7 * week + i) for i in range(7)):
            day = by_date.get(at)
            if day is None:
                cells.append("<td></td>")
                continue
            head = f"<b>{dates.weekday(at)} {dates.day(at)}</b>"
            side = f" &nbsp;<b>{escape(day.side)}</b>" if day.side else ""
            steps = "".join(f"<br>□&nbsp;{escape(step)}" for step in day.steps)
            about = f"<br><span style='color:{MUTED}'>{escape(day.day)}</span>{side}{steps}"
            cells.append(f"<td style='border:1px solid {RULE};padding:2px 4px' width='14%'>{head}{about}</td>")
        rows.append(f"<tr>{''.join(cells)}</tr>")
    return f"<table cellspacing='0' width='100%' style='border-collapse:collapse'>{''.join(rows)}</table>"


def _round_html(book: Book, sheet: RoundPaper) -> str:
    rows = []
    for place in sheet.places:
        course = place.course
        about = "" if course is None else f"{course.batch.name}, {course.day_text(book.now_ms)}"
        due = [t for t in sheet.due if t.incubator.id == place.incubator.id]
        said = "<br>".join(f"□&nbsp;{escape(t.title)}, {escape(tasks.when_words(book, t))}" for t in due)
        rows.append([f"<b>{escape(place.incubator.name)}</b>", escape(about), said])
    day = dates.day(book.local(sheet.written_ms), weekday=True, year=True)
    return _title(_("Round"), day) + _table(rows) + "<p></p>"


Block = list[tuple[float, Column | None]]
"""Columns of one table with their widths; the first is the time, the last what was done."""


def _blocks(columns: Sequence[Column], width: float) -> list[Block]:
    """All columns, in as many tables as the width of the page asks for, each as wide as its longest word asks for."""
    room = width - 2 * TIME_MM * MM
    most = max(1, int(room / (LEAST_MM * MM)))
    count = -(-len(columns) // most) if columns else 1
    each = -(-len(columns) // count) if columns else 0
    made = []
    for i in range(count):
        own = columns[i * each : (i + 1) * each]
        wide = _widths([_longest(c, LARGEST_PT * HEAD_SHARE) + HEAD_GAP for c in own], room)
        rest = width - TIME_MM * MM - sum(wide)
        made.append([(TIME_MM * MM, None), *zip(wide, own, strict=True), (rest, None)])
    return made


def _widths(asked: Sequence[float], room: float) -> list[float]:
    """What each column gets of the room: what it asks for, and what is over or lacking shared out."""
    least = LEAST_MM * MM
    asked = [max(least, a) for a in asked]
    if sum(asked) > room:
        share = (room - least * len(asked)) / (sum(asked) - least * len(asked))
        return [least + (a - least) * share for a in asked]
    wider = max(1.0, min(room, MOST_MM * MM * len(asked)) / sum(asked)) if asked else 1.0
    return [a * wider for a in asked]


def _longest(column: Column, points: float) -> float:
    """How wide the longest word over a column is; one with a hyphen may be parted there."""
    measured = QFontMetricsF(letters(points))
    parts = " ".join(words.column(column)).replace("-", "- ").split()
    return max(measured.horizontalAdvance(part) for part in parts)


def _head_points(block: Block, points: float) -> float:
    """How large the heads of a table are: smaller than the words above it, and no word broken if that can be."""
    small = max(SMALLEST_PT, HEAD_SHARE * points)
    while small > SMALLEST_PT and any(c and _longest(c, small) + HEAD_GAP > wide for wide, c in block):
        small -= STEP_PT
    return max(SMALLEST_PT, small)


def _head_height(points: float) -> float:
    """Room for five lines over the columns: the machine, up to three of a display's name, what it shows."""
    return 5.0 * 1.35 * max(SMALLEST_PT, HEAD_SHARE * points) * 96.0 / 72.0


def _ruled(painter: QPainter, area: QRectF, blocks: Sequence[Block], points: float) -> None:
    """Tables to write in, as many rows as there is room for."""
    head = _head_height(points)
    rows = max(1, int((area.height() / len(blocks) - head) / (ROW_MM * MM)))
    top = area.top()
    for block in blocks:
        _block_head(painter, block, top, head, points)
        painter.setPen(QPen(QColor(RULE), 0.7))
        bottom = top + head + rows * ROW_MM * MM
        for i in range(rows + 1):
            y = top + head + i * ROW_MM * MM
            painter.drawLine(0, round(y), round(area.width()), round(y))
        x = 0.0
        for wide, _column in block[:-1]:
            x += wide
            painter.drawLine(round(x), round(top + head - 4), round(x), round(bottom))
        top = bottom + 4.0


def _block_head(painter: QPainter, block: Block, top: float, head: float, points: float) -> None:
    """Over each column its display and what it should show; over those of a machine its name."""
    small = _head_points(block, points)
    x = 0.0
    for at, (wide, column) in enumerate(block):
        if column is None:
            html = escape(words.time() if at == 0 else words.done())
        else:
            name, shows = words.column(column)
            html = f"{escape(name)}<br><span style='color:{MUTED}'>{escape(shows)}</span>"
        _write(painter, html, small, QRectF(x + 2.0, top, wide + 2.0 - HEAD_GAP, head - 3.0), at_foot=True)
        x += wide
    x = block[0][0]
    for name, own in groupby(block[1:-1], key=lambda pair: pair[1].incubator.name if pair[1] is not None else ""):
        wide = sum(w for w, _column in own)
        _write(painter, f"<span style='color:{MUTED}'>{escape(name)}</span>", small, QRectF(x + 2.0, top, wide, head))
        painter.setPen(QPen(QColor(MUTED), 0.7))
        painter.drawLine(round(x), round(top), round(x), round(top + head))
        x += wide


def _write(painter: QPainter, html: str, points: float, box: QRectF, *, at_foot: bool = False) -> None:
    document = _document(html, points, box.width(), Wrap.WrapAtWordBoundaryOrAnywhere)
    painter.save()
    painter.translate(box.left(), max(box.top(), box.bottom() - document.size().height()) if at_foot else box.top())
    document.drawContents(painter)
    painter.restore()
