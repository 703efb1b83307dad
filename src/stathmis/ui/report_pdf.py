"""A report on paper: blocks set one under the other on A4 pages, drawings as lines, not pixels."""

from __future__ import annotations

from html import escape
from itertools import zip_longest
from pathlib import Path

from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QTextDocument
from PySide6.QtSvg import QSvgRenderer

from stathmis.exchange.report_page import INK, MUTED, RULE, Block, Drawing, Heading, Report, Table, Words
from stathmis.ui.paper import Paper, letters
from stathmis.words.catalogue import _

_GAP, _BEFORE_HEADING, _HEADING, _KEEP_BELOW = 5.0, 12.0, 24.0, 90.0
_ROLES = {"": "", "strong": "font-weight:600;", "small": f"color:{MUTED};font-size:8pt;"}


def write_pdf(report: Report, path: Path) -> int:
    """Write a report as an A4 PDF, whole or not at all. Returns its pages.

    Raises UserError where it cannot be written.
    """
    paper = Paper(report.title)
    pages = draw(report, paper)
    paper.save(path)
    return pages


def draw(report: Report, paper: Paper) -> int:
    """Draw a report on paper. Returns its pages."""
    pages = _Pages(paper, report)
    pages.run()
    return pages.number


class _Pages:
    """The pages of a report as they fill."""

    def __init__(self, paper: Paper, report: Report) -> None:
        self._paper, self._writer, self._report = paper, paper.writer, report
        self._width, height = paper.area
        self._height = height - 22.0
        self._y = 0.0
        self.number = 1

    def run(self) -> None:
        """Paint everything."""
        self._painter = QPainter(self._writer)
        self._painter.scale(self._paper.scale, self._paper.scale)
        report = self._report
        head = f"<div style='font-size:19pt;font-weight:600'>{escape(report.title)}</div>"
        self._text(f"{head}<div style='color:{MUTED}'>{escape(report.subtitle)}</div>")
        for block, following in zip_longest(report.blocks, report.blocks[1:]):
            self._block(block, following)
        self._foot()
        self._painter.end()

    def _block(self, block: Block, following: Block | None) -> None:
        if isinstance(block, Heading):
            self._y += _BEFORE_HEADING
            # a heading stands over something of its own
            below = self._high(following) + _HEADING if isinstance(following, Drawing) else _KEEP_BELOW
            if self._y > self._height - below:
                self._turn()
            self._text(f"<div style='font-size:12pt;font-weight:600'>{escape(block.text)}</div>")
        elif isinstance(block, Words):
            self._text(f"<div style='{_ROLES[block.role]}'>{escape(block.text)}</div>")
        elif isinstance(block, Table):
            self._table(block)
        else:
            self._drawing(block)

    def _document(self, html: str) -> QTextDocument:
        document = QTextDocument()
        document.setDocumentMargin(0)
        document.setDefaultFont(letters(9))
        document.setTextWidth(self._width)
        document.setHtml(f"<body style='color:{INK}'>{html}</body>")
        return document

    def _text(self, html: str) -> None:
        document = self._document(html)
        high = document.size().height()
        if self._y + high > self._height and self._y > 0:
            self._turn()
        self._place(document)

    def _place(self, document: QTextDocument) -> None:
        """Paint a document here; what is higher than a page goes on over pages."""
        left, done = document.size().height(), 0.0
        while True:
            part = min(left, self._height - self._y)
            self._painter.save()
            self._painter.translate(0.0, self._y - done)
            document.drawContents(self._painter, QRectF(0.0, done, self._width, part))
            self._painter.restore()
            left, done = left - part, done + part
            self._y += part
            if left <= 0.5:
                break
            self._turn()
        self._y += _GAP

    def _table(self, table: Table) -> None:
        """A table, broken between rows; its titles stand on every page it reaches."""
        rows = list(table.rows)
        while rows:
            taken = self._fitting(table, rows)
            if not taken:
                self._turn()
                taken = max(1, self._fitting(table, rows))
            document = self._document(self._table_html(table, rows[:taken]))
            self._place(document)
            rows = rows[taken:]
            if rows:
                self._turn()

    def _fitting(self, table: Table, rows: list[tuple[str, ...]]) -> int:
        """How many rows go on this page."""
        room = self._height - self._y
        if self._document(self._table_html(table, rows)).size().height() <= room:
            return len(rows)
        low, high = 0, len(rows)
        while high - low > 1:
            middle = (low + high) // 2
            fits = self._document(self._table_html(table, rows[:middle])).size().height() <= room
            low, high = (middle, high) if fits else (low, middle)
        return low

    def _table_html(self, table: Table, rows: list[tuple[str, ...]]) -> str:
        def line(tag: str, cells: tuple[str, ...], style: str) -> str:
            sides = ["right" if i in table.numbers else "left" for i in range(len(cells))]
            pad = "padding-right:14px;padding-top:2px;padding-bottom:2px;"
            inner = "".join(
                f"<{tag} align='{side}' style='{pad}{style}'>{escape(c)}</{tag}>"
                for side, c in zip(sides, cells, strict=True)
            )
            return f"<tr>{inner}</tr>"

        head = line("td", table.titles, f"color:{MUTED};") if table.titles else ""
        facts = not table.titles
        body = "".join(line("td", row, f"border-bottom:1px solid {RULE};" if not facts else "") for row in rows)
        return f"<table cellspacing='0' cellpadding='0'>{head}{body}</table>"

    def _high(self, drawing: Drawing) -> float:
        return drawing.height * min(1.0, self._width / drawing.width)

    def _drawing(self, drawing: Drawing) -> None:
        scale, high = min(1.0, self._width / drawing.width), self._high(drawing)
        if self._y + high > self._height:
            self._turn()
        renderer = QSvgRenderer(QByteArray(drawing.svg.encode()))
        renderer.render(self._painter, QRectF(0.0, self._y, drawing.width * scale, high))
        self._y += high + _GAP

    def _turn(self) -> None:
        self._foot()
        self._writer.newPage()
        self.number += 1
        self._y = 0.0

    def _foot(self) -> None:
        font = letters(9)
        font.setPixelSize(9)
        self._painter.setFont(font)
        self._painter.setPen(QColor(MUTED))
        area = QRectF(0.0, self._height + 6.0, self._width, 14.0)
        self._painter.drawText(
            area, Qt.AlignmentFlag.AlignRight, _("{title}, page {number}", title=self._report.title, number=self.number)
        )
