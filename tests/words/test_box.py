"""What water and vents come to, in words: each case of the demo's cabinet, altered."""

from __future__ import annotations

from dataclasses import replace

import pytest

from stathmis.services.batch import batches
from stathmis.services.clock import HOUR_MS
from stathmis.services.desk import Desk
from stathmis.services.findings.box import BoxSheet, box_sheet
from stathmis.services.findings.combinations import Cell, Combination
from stathmis.words import box as words


@pytest.fixture
def sheet(demo: Desk) -> BoxSheet:
    """The cabinet in the morning."""
    cabinet = demo.book.incubators()[0]
    return box_sheet(demo.book, cabinet, batches.running(demo.book, cabinet))


def with_cell(sheet: BoxSheet, grid: str, **altered: object) -> BoxSheet:
    """The chosen mix of a grid with other figures."""
    found, chosen = sheet.grids[grid], sheet.grids["now"].chosen
    assert chosen is not None

    def other(cell: Cell) -> Cell:
        same = cell.combination == chosen.combination and cell.opening == chosen.opening
        return replace(cell, **altered) if same else cell  # type: ignore[arg-type]

    cells = tuple(tuple(other(c) for c in line) for line in found.cells)
    return replace(sheet, grids={**sheet.grids, grid: replace(found, cells=cells)})


def test_the_rooms_coldest_hours(demo: Desk, sheet: BoxSheet) -> None:
    chosen = sheet.grids["now"].chosen
    assert chosen is not None

    def said(**altered: object) -> str:
        return words.lines(demo.book, with_cell(sheet, "tonight", **altered))[0]

    assert (
        said(rh=chosen.rh + 0.9)
        == said(rh=chosen.rh - 0.9)
        == ("The room's coldest hours lately change that by less than 1 % RH.")
    )
    for decision, tells in (("inside", "still inside"), ("outside", "outside"), ("undecided", "perhaps outside")):
        assert said(rh=chosen.rh - 1.1, u=2.0, decision=decision) == (
            f"In the room's coldest hours lately it would give 48 ± 4 % RH: {tells}."
        )
    without = replace(sheet, grids={k: v for k, v in sheet.grids.items() if k != "tonight"})
    assert "coldest" not in " ".join(words.lines(demo.book, without))


@pytest.mark.parametrize(
    ("hours", "u", "ago_h", "says"),
    [
        (40.0, 0.1, 10, "A filling lasts about 40 h (33 h to 49 h); look by Tue 19 May 07:"),
        (40.0, 0.1, 34, "(33 h to 49 h); it was to be looked at by Mon 18 May 07:"),
        (100.0, 0.1, 10, "about 4.2 days (3.4 days to 5.1 days); look by"),
        (40.0, 0.3, 10, "Logging how many ml a refill took makes this surer. Unplug"),
        (1.1, 0.2, 0, "A filling lasts about 1 h (1 h to 2 h). Unplug"),
    ],
)
def test_a_filling(demo: Desk, sheet: BoxSheet, hours: float, u: float, ago_h: int, says: str) -> None:
    filled = replace(sheet, lasts=(hours, u), filled_ms=sheet.at_ms - ago_h * HOUR_MS)
    said = " ".join(words.lines(demo.book, filled))
    assert says in said and ("makes this surer" in said) == (u > 0.25)
    assert "A filling" not in " ".join(words.lines(demo.book, replace(filled, filled_ms=None)))


@pytest.mark.parametrize(
    ("low", "high", "says"),
    [
        (18.0, 24.0, "18 ± 2 to 24 ± 2 % RH; drier than a dry hatch wants (25–40 % RH)."),
        (18.0, 26.0, "a dry hatch (25–40 % RH) can be held in this room."),
        (39.0, 50.0, "a dry hatch (25–40 % RH) can be held in this room."),
        (41.0, 50.0, "too moist for a dry hatch (25–40 % RH)."),
    ],
)
def test_a_dry_hatch(demo: Desk, sheet: BoxSheet, low: float, high: float, says: str) -> None:
    (said,) = [s for s in words.lines(demo.book, replace(sheet, dry=((low, 1.0), (high, 1.0)))) if "wide open" in s]
    assert said.endswith(says)
    (tight,) = [s for s in words.lines(demo.book, replace(sheet, dry=((18.0, 0.1), (24.0, 0.1)))) if "wide open" in s]
    assert "18 ± 1 to 24 ± 1 % RH" in tight


@pytest.mark.parametrize(("fog", "says"), [(0.24, "stays clear"), (0.26, "pane may fog in"), (0.76, "pane fogs in")])
def test_fog(demo: Desk, sheet: BoxSheet, fog: float, says: str) -> None:
    said = words.lines(demo.book, replace(sheet, fog=fog, dew_c=18.77))[-1]
    assert said.startswith("Dew point inside 18.8 °C: a single pane") and says in said


def test_what_to_set(sheet: BoxSheet) -> None:
    """The headline from what is missing to what to do."""
    sound = replace(sheet, misfit=None)
    assert words.headline(sheet).startswith("Once that is mended: long trough + short trough, vent half open gives")
    assert words.headline(sound) == (
        "Leave it as it is: long trough + short trough, vent half open gives about 49 ± 2 % RH; 45–55 % RH is asked."
    )
    assert words.headline(replace(sound, surfaces=())).startswith("Enter what holds water here")
    open_now = replace(sound.now, opening=None)
    assert "how far the vent is open is not said" in words.headline(replace(sound, now=open_now))
    dry_now = replace(sound.now, surface_cm2=None)
    assert "what is wet is not said, vent half open" in words.headline(replace(sound, now=dry_now))
    now = sound.grids["now"]
    chosen = now.chosen
    assert chosen is not None

    def headline(**altered: object) -> str:
        return words.headline(replace(sound, grids={**sound.grids, "now": replace(now, **altered)}))  # type: ignore[arg-type]

    assert headline(band=None).startswith("No humidity is asked for now")
    other = next(c for c in now.cells[-1] if c.opening != chosen.opening)
    assert headline(chosen=replace(other, inside=0.9)).startswith("For 45–55 % RH: ")
    assert headline(chosen=replace(chosen, inside=0.4)).startswith("No mix of this water and these vents surely gives")
    # too little water everywhere, and how much more would do; or a room that is too moist
    dry = tuple(tuple(replace(c, rh=20.0 + c.rh / 100.0, u=1.0) for c in line) for line in now.cells)
    assert headline(chosen=None, cells=dry, more_cm2=143.0).endswith(
        "comes nearest with about 21 ± 2 % RH; about 140 cm² more would do, as a dish, a sponge or a damp cloth."
    )
    assert headline(chosen=None, cells=dry, more_cm2=2.0).count("about 10 cm² more would do") == 1
    assert headline(chosen=None, cells=dry, more_cm2=None).endswith("more water surface is needed.")
    moist = tuple(tuple(replace(c, rh=70.0 + c.rh / 100.0) for c in line) for line in now.cells)
    assert headline(chosen=None, cells=moist).endswith("the room itself is too moist.")


def test_a_mix_against_the_band(sheet: BoxSheet) -> None:
    grid = sheet.grids["now"]
    cell = Cell(Combination(("cup",), 40.0), 0.25, 41.2, 1.5, 0.1, "outside")
    assert words.cell_words(grid, cell).endswith(": 41 ± 3 % RH, too dry for 45–55 % RH")
    assert words.cell_words(grid, replace(cell, rh=60.0)).endswith("60 ± 3 % RH, too moist for 45–55 % RH")
    assert words.cell_words(grid, replace(cell, decision="undecided")).endswith("perhaps too dry for 45–55 % RH")
    assert words.cell_words(grid, replace(cell, rh=50.0, decision="inside")).endswith("inside 45–55 % RH")
    assert words.cell_words(replace(grid, band=None), cell).endswith(": 41 ± 3 % RH")
