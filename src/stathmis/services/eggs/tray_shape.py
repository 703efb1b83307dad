"""Where the places of a tray lie, seen from above with the door at the front: straight rows, staggered rows, or rings.

Lengths are in widths of one egg's place. A place is (row, column) from 1; in rings the row is the ring, the outermost
first.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from math import cos, hypot, pi, sin

from stathmis.logbook.records import TrayShape
from stathmis.words.catalogue import N_, Spoken

Place = tuple[int, int]
Spot = tuple[float, float]
SHAPES: Spoken[TrayShape] = Spoken({"grid": N_("straight rows"), "rows": N_("staggered rows"), "ring": N_("rings")})
FEWER_INWARD = 6
"""A ring one place further in holds about so many fewer: 2 pi."""


def place_in(text: str) -> Place:
    """A place as it is kept, "2/5"."""
    row, _, column = text.partition("/")
    return int(row), int(column)


def places_for(shape: TrayShape, eggs: int, wide: int, first_row: int = 1) -> list[Place]:
    """Places for so many eggs: rows of the width given, or rings of which the outermost holds so many."""
    made: list[Place] = []
    row, left = first_row, eggs
    while left > 0:
        here = wide if shape != "ring" else max(1, wide - FEWER_INWARD * (row - 1))
        made += [(row, column) for column in range(1, min(here, left) + 1)]
        left -= here
        row += 1
    return made


def spots(shape: TrayShape, places: Iterable[Place]) -> tuple[dict[Place, Spot], Spot]:
    """The middle of every place, and the width and depth of the whole tray."""
    known = list(places)
    if not known:
        return {}, (1.0, 1.0)
    rows, columns = max(r for r, _ in known), max(c for _, c in known)
    if shape != "ring":
        shift = 0.5 if shape == "rows" else 0.0
        found = {(r, c): (c - 0.5 + shift * ((r - 1) % 2), r - 0.5) for r, c in known}
        return found, (columns + (shift if rows > 1 else 0.0), float(rows))
    held = {row: max((c for r, c in known if r == row), default=0) for row in range(1, rows + 1)}
    radius, before = {}, -1.0
    for row in range(rows, 0, -1):
        # neighbors of a ring, and rings themselves, keep one egg's place apart
        least = 0.0 if held[row] <= 1 and before < 0 else 1.05 / (2.0 * sin(pi / max(held[row], 2)))
        before = radius[row] = max(before + 1.0, least)
    middle = radius[1] + 0.5
    found = {}
    for r, c in known:
        angle = 2.0 * pi * (c - 1) / held[r] - pi / 2.0
        found[r, c] = (middle + radius[r] * cos(angle), middle + radius[r] * sin(angle))
    return found, (2.0 * middle, 2.0 * middle)


def beside(shape: TrayShape, places: Sequence[Place], at: Place, down: int, right: int) -> Place | None:
    """The place an arrow key leads to; in rings left and right go round, up and down change the ring."""
    if shape == "ring" and right:
        ring = sorted(p for p in places if p[0] == at[0])
        return ring[(ring.index(at) + right) % len(ring)]
    found, _ = spots(shape, places)
    x, y = found[at]
    best: tuple[float, Place] | None = None
    for place, (px, py) in found.items():
        if shape == "ring":
            if place[0] != at[0] + down:
                continue
            cost = hypot(px - x, py - y)
        else:
            along = (px - x) * right + (py - y) * down
            across = abs((px - x) * down) + abs((py - y) * right)
            if along <= 1e-9:
                continue
            cost = along + 2.0 * across
        if best is None or cost < best[0]:
            best = cost, place
    return best[1] if best is not None else None


def third(shape: TrayShape, places: Sequence[Place], at: Place) -> tuple[int, int]:
    """In which third of the tray a place lies, from the back (0) to the front (2) and from left (0) to right (2)."""
    found, (width, depth) = spots(shape, places)
    x, y = found[at]
    return min(2, int(3.0 * y / depth)), min(2, int(3.0 * x / width))


def at_edge(shape: TrayShape, places: Sequence[Place], at: Place) -> bool:
    """Whether a place lies at the edge of the tray: outermost row, column or ring."""
    if shape == "ring":
        return at[0] == 1
    rows, columns = max(r for r, _ in places), max(c for _, c in places)
    return at[0] in (1, rows) or at[1] in (1, columns)
