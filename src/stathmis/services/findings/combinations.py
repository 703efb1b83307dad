"""Every mix of water and vent of one box: what it gives, the one to choose, the one to try, the way to lockdown."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations
from math import log

import numpy as np

from stathmis.core import airbox
from stathmis.core.airbox import Box, SteadyState
from stathmis.core.conformity import decide, probability_inside
from stathmis.core.course.profile import Band
from stathmis.core.moisture import HIGHEST_RH
from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import WaterSurface
from stathmis.services.moisture.water import Setting
from stathmis.words.catalogue import _

OPENINGS = (0.25, 0.5, 0.75, 1.0)
"""Vents are never closed completely. Source: common practice."""
MOST_SURFACES = 4
WELL_KNOWN_U_RH = 5.0
"""U (95 %) of a prediction that is good enough to choose by, percent."""
LIKELY = 0.5
"""A mix is recommended where it is at least this likely to be inside the band."""
ALMOST_AS_SURE = 0.1
LEAST_WAIT_S = 3600.0
"""Wait an hour between steps of a ramp. Source: common practice."""


@dataclass(frozen=True)
class Room:
    """Air of the room: °C and percent."""

    celsius: float
    rh: float


@dataclass(frozen=True)
class Combination:
    """Surfaces that are wet together, and the share of each that is; None: as it stands now, whichever they are."""

    names: tuple[str, ...]
    surface_cm2: float
    share: float | None = 1.0

    @property
    def wet(self) -> dict[str, float]:
        """The share of each surface that is wet, by name."""
        return {} if self.share is None else dict.fromkeys(self.names, self.share)

    @property
    def words(self) -> str:
        """ "long trough + cup"."""
        if self.share is None:
            return _("as now")
        if not self.names:
            return _("no water")
        return " + ".join(self.names) if self.share == 1.0 else _("half of {own}", own=self.names[0])


@dataclass(frozen=True)
class Cell:
    """One combination at one opening: predicted humidity with its standard uncertainty, percent, and how it lies."""

    combination: Combination
    opening: float
    rh: float
    u: float
    inside: float
    decision: str

    @property
    def U(self) -> float:
        """Expanded uncertainty (95 %), percent."""
        return NORMAL_95 * self.u


@dataclass(frozen=True)
class Grid:
    """Every combination (rows) at every opening (columns) in one room against one band; chosen: the best of them.

    more_cm2: surface that is missing for the middle of the band at the narrowest vent, None where none is.
    """

    title: str
    band: Band | None
    room: Room
    cells: tuple[tuple[Cell, ...], ...]
    chosen: Cell | None
    more_cm2: float | None = None


@dataclass(frozen=True)
class RampStep:
    """A step of the way to lockdown: what to set, what it gives, and how long to wait before the next, s."""

    cell: Cell
    wait_s: float


@dataclass(frozen=True)
class Trial:
    """The single combination that would teach most, and the mean U (95 %) before and after it, percent."""

    cell: Cell
    before: float
    after: float


def combinations_of(own: Sequence[WaterSurface], now: Setting) -> tuple[Combination, ...]:
    """What can be wet together, the least surface first; one surface alone also half covered."""
    made = [Combination((), 0.0)]
    if len(own) == 1:
        made.append(Combination((own[0].name,), 0.5 * own[0].surface_cm2, 0.5))
    if len(own) <= MOST_SURFACES:
        chosen = [c for n in range(1, len(own) + 1) for c in combinations(own, n)]
    else:
        by_size = sorted(own, key=lambda s: s.surface_cm2)
        chosen = [tuple(by_size[:n]) for n in range(1, len(own) + 1)]
    made += [Combination(tuple(s.name for s in c), sum(s.surface_cm2 for s in c)) for c in chosen]
    if now.surface_cm2 is not None and all(abs(c.surface_cm2 - now.surface_cm2) > 0.05 for c in made):
        made.append(Combination((), now.surface_cm2, None))
    return tuple(sorted(made, key=lambda c: c.surface_cm2))


def vent_openings(now: Setting, *also: float | None) -> tuple[float, ...]:
    """Openings to choose from, the narrowest first; also: of the keeper's own, None where there is none."""
    found = set(OPENINGS)
    for own in (now.opening, *also):
        if own is not None and own > 0.01:
            found = {o for o in found if abs(o - own) > 0.02} | {own}
    return tuple(sorted(found))


@dataclass(frozen=True)
class Mixer:
    """Works out grids, trials and ramps of one box as it stands."""

    box: Box
    rows: tuple[Combination, ...]
    columns: tuple[float, ...]
    inside_c: float
    eggs: float
    now: Setting
    habit: str

    def cells(self, places: Sequence[tuple[Combination, float]], room: Room, band: Band | None) -> list[Cell]:
        """Predictions for some combinations."""
        area = np.array([c.surface_cm2 for c, _ in places])
        opening = np.array([o for _, o in places])
        rh, u = self.box.predict(area, opening, room.celsius, room.rh, self.inside_c, self.eggs)
        made = []
        for (combination, at), value, spread in zip(places, rh.tolist(), u.tolist(), strict=True):
            inside = probability_inside(value, spread, band.low, band.high) if band is not None else 0.0
            decision = str(decide(value, spread, band.low, band.high)) if band is not None else "undecided"
            made.append(Cell(combination, at, value, spread, inside, decision))
        return made

    def grid(
        self, title: str, room: Room, band: Band | None, *, late: bool = False, opening: float | None = None
    ) -> Grid:
        """Every combination in a room against a band. opening: how the keeper has the vents, None: as it suits."""
        flat = self.cells([(c, o) for c in self.rows for o in self.columns], room, band)
        wide = len(self.columns)
        cells = tuple(tuple(flat[i : i + wide]) for i in range(0, len(flat), wide))
        if band is None:
            return Grid(title, None, room, cells, None)
        own = flat if opening is None else [c for c in flat if abs(c.opening - opening) < 0.02]
        return Grid(title, band, room, cells, self.choose(own, late=late), self._more(room, band))

    def _more(self, room: Room, band: Band) -> float | None:
        """Surface to add to all there is for the middle of a band at the narrowest vent, cm²."""
        most = self.rows[-1].surface_cm2
        tried = most + np.concatenate([[0.0], np.geomspace(5.0, 10_000.0, 80)])
        rh, _ = self.box.predict(tried, self.columns[0], room.celsius, room.rh, self.inside_c, self.eggs)
        if rh[0] >= band.middle or rh[-1] < band.middle:
            return None
        return float(np.interp(band.middle, rh, tried)) - most

    def choose(self, cells: Sequence[Cell], *, late: bool) -> Cell | None:
        """The likeliest to be inside; of those almost as likely the one with least to do, or by the habit of vents."""
        best = max(c.inside for c in cells)
        if best < 0.02:
            return None
        near = [c for c in cells if c.inside >= best - ALMOST_AS_SURE]
        if late:
            sign = -1.0 if self.habit == "open" else 1.0
            return min(near, key=lambda c: (sign * c.opening, -c.inside))
        return min(near, key=lambda c: (self._to_do(c), -c.inside))

    def _to_do(self, cell: Cell) -> int:
        wet = self.now.surface_cm2
        moved = self.now.opening is None or abs(cell.opening - self.now.opening) > 0.01
        return int(wet is None or abs(cell.combination.surface_cm2 - wet) > 0.05) + int(moved)

    def trial(self, room: Room) -> Trial | None:
        """What to try next, None where everything is known well enough."""
        flat = [(c, o) for c in self.rows for o in self.columns]
        wanted = self._as_states(flat, room)
        cells = self.cells(flat, room, None)
        # what would stream from the windows is not tried
        tried = [s for s, cell in zip(wanted, cells, strict=True) if cell.rh < HIGHEST_RH] or wanted
        index, expected = airbox.best_trial(self.box, tried, wanted)
        chosen = flat[wanted.index(tried[index])]
        before = float(np.mean([c.U for c in cells]))
        after = NORMAL_95 * float(expected[index])
        if before <= WELL_KNOWN_U_RH or before - after < 0.5:
            return None
        return Trial(self.cells([chosen], room, None)[0], before, after)

    def _as_states(self, places: Sequence[tuple[Combination, float]], room: Room) -> list[SteadyState]:
        return [
            SteadyState(c.surface_cm2, o, room.celsius, room.rh, self.inside_c, 0.0, 0.5, self.eggs) for c, o in places
        ]

    def dry(self, room: Room) -> tuple[tuple[float, float], tuple[float, float]]:
        """Humidity without any water, at the most open and at the narrowest vent, with standard uncertainties."""
        none = Combination((), 0.0)
        most, least = self.cells([(none, self.columns[-1]), (none, self.columns[0])], room, None)
        return (most.rh, most.u), (least.rh, least.u)

    def expected(self, room: Room) -> float | None:
        """What the box settles to as it stands, percent; None where that is not known."""
        if self.now.surface_cm2 is None or self.now.opening is None:
            return None
        as_now = Combination((), self.now.surface_cm2, None)
        return self.cells([(as_now, self.now.opening)], room, None)[0].rh

    def ramp(self, grids: dict[str, Grid], room: Room) -> tuple[RampStep, ...]:
        """From how it stands to the combination for lockdown: one change at a time, the moistening ones last."""
        late = grids.get("lockdown")
        if late is None or late.chosen is None or self.now.surface_cm2 is None or self.now.opening is None:
            return ()
        end, wet, opening = late.chosen, self.now.surface_cm2, self.now.opening
        start = next((c for c in self.rows if abs(c.surface_cm2 - wet) < 0.05), Combination((), wet, None))
        waters = self._waters(start, end.combination)
        places = []
        if end.opening > opening + 0.01:
            places.append((start, end.opening))
            opening = end.opening
        places += [(c, opening) for c in waters]
        if end.opening < opening - 0.01:
            places.append((places[-1][0] if places else start, end.opening))
        if not places:
            return ()
        made = self.cells(places, room, late.band)
        before = self.cells([(start, self.now.opening)], room, None)[0].rh
        steps = []
        for cell in made:
            tau, _ = self.box.settling_s(cell.combination.surface_cm2, cell.opening, self.eggs)
            steps.append(RampStep(cell, max(LEAST_WAIT_S, tau * log(max(abs(cell.rh - before), 1.5)))))
            before = cell.rh
        return tuple(steps)

    def _waters(self, start: Combination, end: Combination) -> list[Combination]:
        """What to wet one after the other, without drying anything in between; at most one stop on the way."""
        if abs(end.surface_cm2 - start.surface_cm2) < 0.05:
            return []
        have, want = set(start.names), set(end.names)
        between = [
            c
            for c in self.rows
            if have < set(c.names) < want and start.surface_cm2 < c.surface_cm2 < end.surface_cm2 - 0.05
        ]
        return [*between[len(between) // 2 : len(between) // 2 + 1], end]


@dataclass(frozen=True)
class Change:
    """What to do to come into the band: surfaces to fill and to empty by name with the share that is wet then, the
    vents' new opening (None: as it is), and the mix that gives."""

    fill: tuple[tuple[str, float], ...]
    empty: tuple[tuple[str, float], ...]
    opening: float | None
    cell: Cell


def is_setting(now: Setting, cell: Cell) -> bool:
    """Whether a box is set like this."""
    wet, opening = now.surface_cm2, now.opening
    return (
        wet is not None
        and opening is not None
        and abs(cell.combination.surface_cm2 - wet) < 0.05
        and abs(cell.opening - opening) < 0.02
    )


def change(grid: Grid, now: Setting) -> Change | None:
    """What to do to come into the band of a grid; now: how the box is set.

    None where nothing is known well enough to say it, or nothing is to be changed.
    """
    cell = grid.chosen
    if cell is None or cell.inside < LIKELY or is_setting(now, cell) or not now.known:
        return None

    def as_opened(of: Cell) -> Cell:
        return replace(of, opening=now.opening if now.opening is not None else of.opening)

    wet = next((row[0].combination for row in grid.cells if is_setting(now, as_opened(row[0]))), None)
    before, after = wet.wet if wet is not None else {}, cell.combination.wet
    shares = [(name, before.get(name, 0.0), after.get(name, 0.0)) for name in sorted({*before, *after})]
    fill = tuple((name, then) for name, was, then in shares if then > was)
    empty = tuple((name, then) for name, was, then in shares if then < was)
    moved = now.opening is None or abs(cell.opening - now.opening) > 0.02
    made = Change(fill, empty, cell.opening if moved else None, cell)
    return made if fill or empty or moved else None
