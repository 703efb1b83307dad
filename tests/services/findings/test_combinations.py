"""Choosing among mixes of water and vent: what can be wet together, what is chosen, and the way to lockdown."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from stathmis.core.airbox import Box, SteadyState, fit_box
from stathmis.core.course.profile import Band
from stathmis.logbook.records import WaterSurface
from stathmis.services.findings.combinations import (
    Cell,
    Combination,
    Mixer,
    Room,
    change,
    combinations_of,
    vent_openings,
)
from stathmis.services.moisture.water import Setting
from stathmis.words.box import change_words

ROOM = Room(21.0, 45.0)
SURFACES = [WaterSurface(1, 1, "cup", 60.0, None), WaterSurface(2, 1, "trough", 140.0, None)]
SURFACES.append(WaterSurface(3, 1, "tray", 300.0, None))


def known() -> Box:
    """A box learned from five states of one that is exactly as the priors' means say."""
    plain = Box(fit_box([], 1.0, 0.3).mean, np.zeros((8, 8)), 0, 0.0)
    states = []
    for surface, vent in ((0.0, 0.5), (60.0, 0.5), (200.0, 0.25), (500.0, 1.0), (200.0, 1.0)):
        rh, _ = plain.predict(surface, vent, ROOM.celsius, ROOM.rh, 37.5)
        states.append(SteadyState(surface, vent, ROOM.celsius, ROOM.rh, 37.5, float(rh), 0.3))
    return fit_box(states, 1.0, 0.3)


BOX = known()


def mixer(now: Setting, school: str = "open") -> Mixer:
    return Mixer(BOX, combinations_of(SURFACES, now), vent_openings(now), 37.5, 0.0, now, school)


@given(st.integers(0, 8), st.one_of(st.none(), st.floats(1.0, 900.0)))
def test_what_can_be_wet_together(count: int, wet: float | None) -> None:
    own = [WaterSurface(i, 1, f"dish {i}", 20.0 + 7.0 * i, None) for i in range(count)]
    found = combinations_of(own, Setting(wet, 0.5))
    areas = [c.surface_cm2 for c in found]
    assert areas == sorted(areas) and areas[0] == 0.0 and found[0].words == "no water"
    assert len(found) <= 18 and (count == 0 or max(areas) >= sum(s.surface_cm2 for s in own) - 1e-9)
    assert wet is None or any(abs(a - wet) < 0.06 for a in areas), "as it stands is among them"
    assert min(vent_openings(Setting(wet, None))) > 0, "a vent is never closed completely"


@given(st.floats(25.0, 70.0), st.sampled_from([0.25, 0.5, 1.0]), st.sampled_from([60.0, 200.0, 500.0]))
def test_the_chosen_mix_is_nearly_the_likeliest(middle: float, opening: float, wet: float) -> None:
    made = mixer(Setting(wet, opening))
    grid = made.grid("now", ROOM, Band(middle - 5.0, middle + 5.0))
    flat = [c for row in grid.cells for c in row]
    if grid.chosen is None:
        assert max(c.inside for c in flat) < 0.02
        return
    assert grid.chosen.inside >= max(c.inside for c in flat) - 0.1
    stays = next((c for c in flat if c.combination.surface_cm2 == wet and c.opening == opening), None)
    if stays is not None and stays.inside >= max(c.inside for c in flat) - 0.1:
        assert grid.chosen == stays, "where it stands well, nothing is to be done"


@pytest.mark.parametrize("school", ["open", "narrow"])
def test_the_school_of_vents_decides_at_lockdown(school: str) -> None:
    made = mixer(Setting(60.0, 0.5), school)
    grid = made.grid("lockdown", ROOM, Band(50.0, 66.0), late=True)
    assert grid.chosen is not None
    best = max(c.inside for row in grid.cells for c in row)
    near = [c.opening for row in grid.cells for c in row if c.inside >= best - 0.1]
    assert grid.chosen.opening == (max(near) if school == "open" else min(near))


@given(st.sampled_from([(0.0, 1.0), (60.0, 0.5), (60.0, 0.25), (200.0, 0.5), (500.0, 1.0)]))
def test_the_way_to_lockdown_dries_nothing_in_between(start: tuple[float, float]) -> None:
    made = mixer(Setting(*start))
    grids = {"lockdown": made.grid("lockdown", ROOM, Band(58.0, 72.0), late=True)}
    steps = made.ramp(grids, ROOM)
    chosen = grids["lockdown"].chosen
    assert chosen is not None
    if not steps:
        assert (chosen.combination.surface_cm2, chosen.opening) == start
        return
    areas = [start[0], *(s.cell.combination.surface_cm2 for s in steps)]
    assert areas == sorted(areas) or chosen.combination.surface_cm2 < start[0]
    last = steps[-1].cell
    assert (last.combination.surface_cm2, last.opening) == (chosen.combination.surface_cm2, chosen.opening)
    assert len(steps) <= 4 and all(s.wait_s >= 3600.0 for s in steps)


def test_how_much_water_is_missing() -> None:
    """Added as said, the middle of the band is reached at the narrowest vent."""
    made = mixer(Setting(60.0, 0.5))
    band = Band(80.0, 84.0)
    grid = made.grid("now", ROOM, band)
    assert grid.more_cm2 is not None and grid.more_cm2 > 0
    most = made.rows[-1].surface_cm2
    cell = made.cells([(Combination(("more",), most + grid.more_cm2), made.columns[0])], ROOM, band)[0]
    assert cell.rh == pytest.approx(82.0, abs=1.0)
    assert made.grid("now", ROOM, Band(30.0, 40.0)).more_cm2 is None, "where there is enough, none is missing"


@pytest.mark.parametrize(
    ("stands", "chosen", "said"),
    [(0.5, 1.0, "Fill the cup"), (1.0, 0.5, "Leave half of the cup wet"), (0.0, 0.5, "Fill half of the cup")],
)
def test_one_surface_alone_is_half_wet_too(stands: float, chosen: float, said: str) -> None:
    """What is to be done is said of the surface itself, whether all of it or half is wet."""
    now = Setting(60.0 * stands, 0.5)
    made = Mixer(BOX, combinations_of(SURFACES[:1], now), (0.5,), 37.5, 0.0, now, "open")
    wanted = next(c for c in made.rows if c.wet == {"cup": chosen})
    middle = made.cells([(wanted, 0.5)], ROOM, None)[0].rh
    grid = made.grid("now", ROOM, Band(middle - 2.0, middle + 2.0))
    to_do = change(grid, now)
    assert to_do is not None and to_do.cell.combination == wanted
    assert change_words(to_do) == said


def test_of_mixes_with_as_little_to_do_the_likelier_is_chosen() -> None:
    """Both are another surface at the vent as it stands."""
    now = Setting(100.0, 0.5)
    box = fit_box([SteadyState(100.0, 0.5, 21.0, 45.0, 37.5, 40.0, 1.0)])
    mixer = Mixer(box, (), (0.5,), 37.5, 0.0, now, "open")
    cells = [
        Cell(Combination(("cup",), cm2), 0.5, rh, 2.0, inside, "inside")
        for cm2, rh, inside in ((150.0, 48.0, 0.950), (160.0, 50.0, 0.965))
    ]
    assert mixer.choose(cells, late=False) is cells[1] and mixer.choose(cells[::-1], late=False) is cells[1]
