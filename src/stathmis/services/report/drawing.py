"""Charts of a report as SVG: a run with its uncertainty against the bands it was to keep, and bars of shares.

Long runs are drawn by what each pixel's width holds: the mean as a line, and a band from the least less its uncertainty
to the most plus its own.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from html import escape
from math import ceil, floor, isfinite, log10

import numpy as np
from numpy.typing import NDArray

from stathmis.core.hatch.hatch_stats import Rate
from stathmis.exchange.report_page import INK, MUTED, RULE, Drawing
from stathmis.words import reports as say
from stathmis.words.catalogue import as_number

Array = NDArray[np.float64]

WIDTH, HEIGHT = 680.0, 190.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 46.0, 10.0, 14.0, 22.0
FAMILY = "Inter, sans-serif"
_FONT = f"font-family='{FAMILY}' font-size='10'"


@dataclass(frozen=True)
class Stretch:
    """A band to keep from one day to another."""

    start_day: float
    end_day: float
    low: float
    high: float


def ticks(low: float, high: float, about: int = 5) -> list[tuple[float, str]]:
    """A few round numbers between two values, with as many decimals as their step has."""
    rough = (high - low) / about
    size = 10.0 ** floor(log10(rough))
    step = size * min((1.0, 2.0, 5.0, 10.0), key=lambda s: abs(s * size - rough))
    places = max(0, -floor(log10(step) + 1e-9))
    first = ceil(low / step - 1e-9)
    found = [i * step for i in range(first, floor(high / step + 1e-9) + 1)]
    return [(v, as_number(v, f".{places}f").replace("-", "−")) for v in found]


def run_chart(
    days: Array,
    values: Array,
    wide: Array,
    bands: Sequence[Stretch],
    unit: str,
    color: str,
    words: str,
    span: tuple[float, float],
    max_gap_days: float,
) -> Drawing:
    """A run over the days of a batch. days, values, wide (± U): shape (n,), in the unit shown; bands: what was to be
    kept; span: first and last day drawn; gaps longer than max_gap_days break the line."""
    shown = np.isfinite(values)
    days, values, wide = days[shown], values[shown], wide[shown]
    edges = [b.low for b in bands] + [b.high for b in bands]
    if values.size:
        edges += np.quantile(values, [0.005, 0.995]).tolist()
    low, high = (min(edges), max(edges)) if edges else (0.0, 1.0)
    margin = 0.12 * max(high - low, 1e-6)
    low, high = low - margin, high + margin
    inner_w, inner_h = WIDTH - _LEFT - _RIGHT, HEIGHT - _TOP - _BOTTOM

    def x(day: float) -> float:
        return _LEFT + (day - span[0]) / max(span[1] - span[0], 1e-9) * inner_w

    def y(value: float) -> float:
        return _TOP + (high - min(max(value, low), high)) / (high - low) * inner_h

    parts = [_open(words)]
    for band in bands:
        left, right = x(max(band.start_day, span[0])), x(min(band.end_day, span[1]))
        if right > left:
            top, tall = y(band.high), y(band.low) - y(band.high)
            parts.append(
                f"<rect x='{left:.1f}' y='{top:.1f}' width='{right - left:.1f}' height='{tall:.1f}' fill='{color}' "
                "fill-opacity='0.10'/>"
            )
    for value, text in ticks(low, high):
        parts.append(_line(_LEFT, y(value), WIDTH - _RIGHT, y(value), RULE, 0.6))
        parts.append(_text(_LEFT - 5, y(value) + 3.5, text, "end"))
    for value, text in ticks(span[0], span[1], 10):
        parts.append(_line(x(value), HEIGHT - _BOTTOM, x(value), HEIGHT - _BOTTOM + 3, MUTED, 0.6))
        parts.append(_text(x(value), HEIGHT - 9, text, "middle"))
    parts.append(_text(_LEFT, 10, say.UNIT_BY_DAY_SHADED_TO(unit=unit), "start"))
    for piece in _pieces(days, values, wide, span, max_gap_days):
        upper = " ".join(f"{x(d):.1f},{y(h):.1f}" for d, h in zip(piece[0], piece[3], strict=True))
        lower = " ".join(f"{x(d):.1f},{y(v):.1f}" for d, v in zip(piece[0][::-1], piece[2][::-1], strict=True))
        line = " ".join(f"{x(d):.1f},{y(v):.1f}" for d, v in zip(piece[0], piece[1], strict=True))
        parts.append(f"<polygon points='{upper} {lower}' fill='{color}' fill-opacity='0.22'/>")
        parts.append(f"<polyline points='{line}' fill='none' stroke='{color}' stroke-width='1.3'/>")
    parts.append("</svg>")
    return Drawing("".join(parts), WIDTH, HEIGHT, words)


def _pieces(
    days: Array, values: Array, wide: Array, span: tuple[float, float], max_gap_days: float
) -> list[tuple[Array, Array, Array, Array]]:
    """Days, means, least and most of a run, a point for each pixel, apart where nothing was read for long."""
    inside = (days >= span[0]) & (days <= span[1])
    days, values, wide = days[inside], values[inside], wide[inside]
    if not days.size:
        return []
    made = []
    breaks = np.flatnonzero(np.diff(days) > max_gap_days) + 1
    for part in np.split(np.arange(days.size), breaks):
        column = ((days[part] - span[0]) / max(span[1] - span[0], 1e-9) * (WIDTH - _LEFT - _RIGHT)).astype(int)
        starts = np.flatnonzero(np.concatenate([[True], np.diff(column) > 0]))
        counts = np.diff(np.concatenate([starts, [part.size]]))
        mean = np.add.reduceat(values[part], starts) / counts
        at = np.add.reduceat(days[part], starts) / counts
        least = np.minimum.reduceat(values[part] - wide[part], starts)
        most = np.maximum.reduceat(values[part] + wide[part], starts)
        made.append((at, mean, least, most))
    return made


def rate_bars(rates: Sequence[tuple[str, Rate]], color: str, words: str) -> Drawing:
    """Shares as marks on a line from 0 to 100 %, each with its interval."""
    row, left = 24.0, 190.0
    height = _TOP + row * len(rates) + 18.0
    inner = WIDTH - left - 20.0
    parts = [_open(words, height)]
    for percent in (0, 25, 50, 75, 100):
        at = left + inner * percent / 100.0
        parts.append(_line(at, _TOP - 6, at, height - 16, RULE, 0.6))
        parts.append(_text(at, height - 4, f"{percent} %", "middle"))
    for i, (name, rate) in enumerate(rates):
        middle = _TOP + row * (i + 0.4)
        parts.append(_text(left - 8, middle + 3.5, name, "end"))
        if not isfinite(rate.share):
            continue
        low, high, at = (left + inner * v for v in (rate.low, rate.high, rate.share))
        parts.append(
            f"<rect x='{low:.1f}' y='{middle - 5:.1f}' width='{max(high - low, 1.0):.1f}' height='10' rx='5' "
            f"fill='{color}' fill-opacity='0.25'/>"
        )
        parts.append(f"<circle cx='{at:.1f}' cy='{middle:.1f}' r='4' fill='{color}'/>")
    parts.append("</svg>")
    return Drawing("".join(parts), WIDTH, height, words)


def loss_chart(
    points: Sequence[tuple[float, float]],
    until_day: float,
    aim: tuple[float, float],
    color: str,
    axis: str,
    words: str,
) -> Drawing:
    """What the eggs lost (day, percent of set weight), in the wedge that leads to what is aimed at (lowest, highest) on
    a day; axis: what is drawn, words: what it shows."""
    inner_w, inner_h = WIDTH - _LEFT - _RIGHT, HEIGHT - _TOP - _BOTTOM
    last = max(until_day, *(day for day, _lost in points))
    high = 1.15 * max(aim[1], *(lost for _day, lost in points))

    def x(day: float) -> float:
        return _LEFT + day / last * inner_w

    def y(lost: float) -> float:
        return _TOP + (high - lost) / high * inner_h

    parts = [_open(words)]
    corners = ((0.0, 0.0), (until_day, aim[1]), (until_day, aim[0]))
    wedge = " ".join(f"{x(d):.1f},{y(v):.1f}" for d, v in corners)
    parts.append(_tag("polygon", points=wedge, fill=color, **{"fill-opacity": "0.12"}))
    for value, text in ticks(0.0, high):
        parts.append(_line(_LEFT, y(value), WIDTH - _RIGHT, y(value), RULE, 0.6))
        parts.append(_text(_LEFT - 5, y(value) + 3.5, text, "end"))
    for value, text in ticks(0.0, last, 10):
        parts.append(_line(x(value), HEIGHT - _BOTTOM, x(value), HEIGHT - _BOTTOM + 3, MUTED, 0.6))
        parts.append(_text(x(value), HEIGHT - 9, text, "middle"))
    parts.append(_text(_LEFT, 10, axis, "start"))
    line = " ".join(f"{x(d):.1f},{y(v):.1f}" for d, v in points)
    parts.append(f"<polyline points='{line}' fill='none' stroke='{color}' stroke-width='1.3'/>")
    parts += [f"<circle cx='{x(d):.1f}' cy='{y(v):.1f}' r='3.2' fill='{color}'/>" for d, v in points]
    parts.append("</svg>")
    return Drawing("".join(parts), WIDTH, HEIGHT, words)


def tray_picture(eggs: Sequence[tuple[int, int, str, str, bool]], color: str, words: str) -> Drawing:
    """A tray as it lies. eggs: row and column from 1, mark, what became of it in a word, whether a chick came of it.

    A chick: filled; anything else: hollow, with its word below.
    """
    rows, columns = max(e[0] for e in eggs), max(e[1] for e in eggs)
    wide = min(64.0, (WIDTH - 20.0) / columns)
    high = 0.95 * wide
    height = _TOP + high * rows + 8.0
    parts = [_open(words, height)]
    for row, column, mark, word, hatched in eggs:
        at_x, at_y = 10.0 + (column - 0.5) * wide, _TOP + (row - 0.62) * high
        place = {
            "cx": f"{at_x:.1f}",
            "cy": f"{at_y:.1f}",
            "rx": f"{0.28 * wide:.1f}",
            "ry": f"{0.34 * high:.1f}",
        }
        filled = {"fill": color, "fill-opacity": "0.30"} if hatched else {"fill": "none"}
        parts.append(_tag("ellipse", **place, **filled, stroke=color))
        parts.append(_text(at_x, at_y + 3.5, mark, "middle"))
        parts.append(_small(at_x, at_y + 0.34 * high + 8.0, word, wide))
    parts.append("</svg>")
    return Drawing("".join(parts), WIDTH, height, words)


def _small(x: float, y: float, text: str, wide: float) -> str:
    """A word under an egg, as small as its place asks for."""
    size = min(8.0, 1.7 * wide / max(1, len(text)))
    about = {"text-anchor": "middle", "font-size": f"{size:.1f}", "font-family": FAMILY, "fill": MUTED}
    return _tag("text", escape(text), x=f"{x:.1f}", y=f"{y:.1f}", **about)


def _tag(name: str, inner: str = "", **attributes: str) -> str:
    """An element of a drawing."""
    said = "".join(f" {key}='{value}'" for key, value in attributes.items())
    return f"<{name}{said}>{inner}</{name}>"


def _open(words: str, height: float = HEIGHT) -> str:
    return (
        f"<svg xmlns='http://www.w3.org/2000/svg' width='{WIDTH:.0f}' height='{height:.0f}' "
        f"viewBox='0 0 {WIDTH:.0f} {height:.0f}'><title>{escape(words)}</title>"
    )


def _line(x1: float, y1: float, x2: float, y2: float, color: str, wide: float) -> str:
    ends = f"x1='{x1:.1f}' y1='{y1:.1f}' x2='{x2:.1f}' y2='{y2:.1f}'"
    return f"<line {ends} stroke='{color}' stroke-width='{wide}'/>"


def _text(x: float, y: float, text: str, anchor: str) -> str:
    where = f"x='{x:.1f}' y='{y:.1f}' text-anchor='{anchor}'"
    return f"<text {where} {_FONT} fill='{INK}'>{escape(text)}</text>"
