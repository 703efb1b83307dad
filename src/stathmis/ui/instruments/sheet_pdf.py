"""A check's sheet on paper: facts, curve, points, budget, chain, and a small table to cut out, as PDF."""

from __future__ import annotations

from html import escape
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt, QUrl
from PySide6.QtGui import (
    QColor,
    QFont,
    QImage,
    QPainter,
    QPen,
    QPolygonF,
    QTextDocument,
)

from stathmis.core.units import from_inside
from stathmis.services.instruments.sheet import CheckSheet
from stathmis.services.report.drawing import ticks
from stathmis.ui.paper import Paper, letters
from stathmis.ui.theme import FAMILY, LIGHT
from stathmis.words.catalogue import _

_CHART = (1680, 560)
# the heaviest of the shipped letters: anything heavier would be smeared from it
_HEADS = "h1{font-size:20pt;font-weight:600} h3{margin:10px 0 3px 0;font-weight:600} b{font-weight:600}"


def write_sheet(sheet: CheckSheet, path: Path) -> None:
    """Write a sheet as an A4 PDF. Raises UserError where it cannot be written."""
    paper = Paper(sheet.title)
    draw(sheet, paper)
    paper.save(path)


def draw(sheet: CheckSheet, paper: Paper) -> None:
    """Draw a sheet on paper."""
    document = QTextDocument()
    document.setDocumentMargin(0)
    document.setDefaultFont(letters(9))
    document.addResource(QTextDocument.ResourceType.ImageResource, QUrl("chart"), _chart(sheet))
    width, height = paper.area
    document.setPageSize(QSizeF(width, height))
    document.setHtml(_html(sheet, int(width)))
    painter = QPainter(paper.writer)
    painter.scale(paper.scale, paper.scale)
    for number in range(document.pageCount()):
        if number:
            paper.writer.newPage()
        painter.save()
        painter.translate(0, -number * height)
        document.drawContents(painter, QRectF(0, number * height, width, height))
        painter.restore()
    painter.end()


def _html(sheet: CheckSheet, width: int) -> str:
    ink, muted, line = LIGHT.ink, LIGHT.muted, LIGHT.rule
    facts = "".join(
        f"<tr><td style='color:{muted}'>{escape(a)}&nbsp;&nbsp;&nbsp;</td><td>{escape(b)}</td></tr>"
        for a, b in sheet.facts
    )
    verdicts = "".join(f"<p>{escape(v)}</p>" for v in sheet.verdicts)
    chained = "".join(f"<p>{escape(c)}</p>" for c in sheet.chain)
    shown = "".join(f"<td align='center'>&nbsp;{escape(a)}&nbsp;</td>" for a, _true in sheet.table)
    true = "".join(f"<td align='center'>&nbsp;<b>{escape(b)}</b>&nbsp;</td>" for _shown, b in sheet.table)
    points = _table(sheet.points_head, sheet.points, line, muted)
    budget = _table(sheet.budget_head, sheet.budget, line, muted, last="b") if sheet.budget else ""
    return (
        f"<body style='color:{ink}'><style>p{{margin:2px 0}} {_HEADS}</style>"
        f"<h1>{escape(sheet.title)}</h1><table>{facts}</table>"
        f"<p style='font-size:13pt'><b>{escape(sheet.result)}</b></p>{verdicts}"
        f"<p><img src='chart' width='{width}' height='{width * _CHART[1] // _CHART[0]}'></p>"
        + _heading(_("Points, in {unit}", unit=sheet.unit), points)
        + (_heading(_("What makes up U"), budget) if budget else "")
        + _heading(_("How it leads to a reference"), chained)
        + _heading(_("To cut out and tape to the incubator, in {unit}", unit=sheet.unit))
        + f"<table border='1' cellspacing='0' cellpadding='5' style='border-color:{muted}'>"
        f"<tr><td>{escape(_('it shows'))}</td>{shown}</tr><tr><td>{escape(_('it is'))}</td>{true}</tr></table></body>"
    )


def _heading(text: str, below: str = "") -> str:
    return f"<h3>{escape(text)}</h3>{below}"


def _table(head: tuple[str, ...], rows: tuple[tuple[str, ...], ...], line: str, muted: str, last: str = "span") -> str:
    """last: how the last row's cells are marked."""
    top = "".join(f"<td style='color:{muted}'>{escape(h)}&nbsp;&nbsp;</td>" for h in head)
    marks = ["span"] * (len(rows) - 1) + [last]
    body = "".join(
        "<tr>" + "".join(f"<td><{mark}>{escape(c)}</{mark}>&nbsp;&nbsp;</td>" for c in row) + "</tr>"
        for mark, row in zip(marks, rows, strict=False)
    )
    return (
        f"<table cellspacing='0' cellpadding='2' width='100%' style='border-color:{line}'><tr>{top}</tr>{body}</table>"
    )


def _chart(sheet: CheckSheet) -> QImage:
    """The correction curve with its band, the points with U, and the working zone, for paper."""
    image = QImage(*_CHART, QImage.Format.Format_RGB32)
    image.fill(QColor("white"))
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    points, c = sheet.raw_points, sheet.correction
    unit = "°C" if sheet.unit == "°C" else "°F" if sheet.unit == "°F" else "%"
    color = QColor(LIGHT.moisture if unit == "%" else LIGHT.heat)
    zone = [c.reading_for(float(from_inside(v, unit))) for v in sheet.zone]  # type: ignore[arg-type]
    x = np.array([p.reading for p in points])
    y = np.array([p.reference - p.reading for p in points])
    wide = 2.0 * np.array([np.hypot(p.u_reading, p.u_reference) for p in points])
    left, right = min(x.min(), zone[0]), max(x.max(), zone[1])
    left, right = left - 0.08 * (right - left), right + 0.08 * (right - left)
    grid = np.linspace(left, right, 200)
    value, u = c.apply(grid)
    curve, band = value - grid, u * c.coverage_factor
    low = min(float((curve - band).min()), float((y - wide).min()), 0.0)
    high = max(float((curve + band).max()), float((y + wide).max()), 0.0)
    low, high = low - 0.08 * (high - low), high + 0.08 * (high - low)
    area = QRectF(120, 20, _CHART[0] - 150, _CHART[1] - 110)

    def place(at: float, add: float) -> QPointF:
        return QPointF(
            area.left() + (at - left) / (right - left) * area.width(),
            area.bottom() - (add - low) / (high - low) * area.height(),
        )

    tint = QColor(color)
    tint.setAlpha(40)
    painter.fillRect(QRectF(place(zone[0], high), place(zone[1], low)), tint)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(tint)
    edge = [place(a, b) for a, b in zip(grid, curve + band, strict=True)]
    edge += [place(a, b) for a, b in zip(grid[::-1], (curve - band)[::-1], strict=True)]
    painter.drawPolygon(QPolygonF(edge))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(LIGHT.rule), 2))
    painter.drawLine(place(left, 0.0), place(right, 0.0))
    painter.setPen(QPen(color, 5))
    painter.drawPolyline(QPolygonF([place(a, b) for a, b in zip(grid, curve, strict=True)]))
    painter.setPen(QPen(QColor(LIGHT.ink), 3))
    for at, add, half in zip(x, y, wide, strict=True):
        painter.drawLine(place(at, add - half), place(at, add + half))
        painter.setBrush(QColor("white"))
        painter.drawEllipse(place(at, add), 9, 9)
    font = QFont(FAMILY)
    font.setPixelSize(26)
    painter.setFont(font)
    for at, text in ticks(left, right):
        spot = place(at, low)
        painter.drawText(QRectF(spot.x() - 80, area.bottom() + 8, 160, 36), Qt.AlignmentFlag.AlignCenter, text)
    for add, text in ticks(low, high):
        painter.drawText(
            QRectF(0, place(left, add).y() - 18, 108, 36),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            text,
        )
    words = _("{unit} to add, by what it shows; shaded upright: working zone", unit=sheet.unit)
    painter.drawText(QRectF(area.left(), area.bottom() + 42, area.width(), 34), Qt.AlignmentFlag.AlignCenter, words)
    painter.end()
    return image
