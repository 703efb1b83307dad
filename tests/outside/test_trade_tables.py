"""The trade's own figures, written down a second time: what one list says by a slip, the other does not.

Common practice throughout; salts: L. Greenspan, J. Res. NBS 81A (1977), table 2 (from memory).
"""

from __future__ import annotations

import pytest

from stathmis.core.course.profile import Band
from stathmis.core.course.schedule import male_share
from stathmis.core.fixed_points import salt_humidity
from stathmis.services import knowledge

# species: days (range), turning stops, °C in moving air, setting and lockdown % RH, percent lost at lockdown
SPECIES = """
chicken        21    20-23  18  37.5  45-55   65-75  13
bantam         20    19-21  17  37.5  45-55   65-75  13
coturnix       17.5  16-19  15  37.6  45-55   65-70  12
bobwhite       23    22-25  20  37.5  45-55   65-75  12
pheasant       24    23-26  21  37.6  45-55   65-75  13
partridge      24    23-25  21  37.6  45-55   65-75  13
guinea_fowl    27    26-28  24  37.6  45-55   65-75  13
peafowl        28    27-30  25  37.4  50-55   65-75  13
turkey         28    27-30  25  37.5  50-58   65-75  12
duck           28    26-29  25  37.5  50-55   70-80  13
muscovy        35    33-37  32  37.5  50-55   70-80  14
goose          30    28-32  27  37.4  50-55   70-80  13
pigeon         18    17-19  15  37.6  50-55   65-70  14
emu            50    46-56  46  36.2  25-35   45-55  13
leopard_gecko  55    35-90  -   28.5  80-90   -      -
ball_python    57    55-60  -   31.5  90-100  -      -
small_python   50    43-55  -   31.5  90-100  -      -
corn_snake     62    55-70  -   28.0  90-100  -      -
"""
COOLED = {"duck", "muscovy", "goose"}

# school: setting, from then on (and the day it changes), lockdown, % RH; - where the species' own bands are kept
SCHOOLS = """
steady     -      -      -  -
lean       25-40  -      -  60-70
falling    55-65  30-40  7  70-80
moist      55-65  -      -  65-75
waterfowl  50-55  -      -  70-80
by_weight  -      -      -  -
"""

# °C, then % RH ± expanded uncertainty of each salt
SALTS = ("LiCl", "MgCl2", "K2CO3", "Mg(NO3)2", "NaBr", "NaCl", "KCl", "K2SO4")
GREENSPAN = """
15  -          33.30±.21  43.15±.33  55.87±.27  60.68      75.61±.18  85.92±.33  97.88±.63
20  11.31±.31  33.07±.18  43.16±.33  54.38±.23  59.14±.44  75.47±.14  85.11±.29  97.59±.53
25  11.30±.27  32.78±.16  43.16±.39  52.89±.22  57.57±.40  75.29±.12  84.34±.26  97.30±.45
30  11.28±.24  32.44±.14  43.17±.50  51.40±.24  56.03±.38  75.09±.11  83.62±.25  97.00±.40
35  11.25±.22  32.05±.13  -          49.91±.29  54.55      74.87±.12  82.95±.25  96.71±.38
40  11.21±.21  31.60±.13  -          48.42±.37  53.17      74.68±.13  82.32±.25  96.41±.38
"""


def rows(table: str) -> list[list[str]]:
    """A table's cells."""
    return [line.split() for line in table.strip().splitlines()]


def band(text: str) -> Band | None:
    """ "45-55"."""
    return None if text == "-" else Band(*map(float, text.split("-")))


def test_the_list_of_species_is_whole() -> None:
    assert list(knowledge.species()) == [row[0] for row in rows(SPECIES)]
    assert list(knowledge.regimes()) == [row[0] for row in rows(SCHOOLS)]


@pytest.mark.parametrize("row", rows(SPECIES), ids=lambda r: r[0])
def test_a_species_is_what_the_trade_says(row: list[str]) -> None:
    key, days, span, stop, celsius, setting, lockdown, loss = row
    found = knowledge.species()[key]
    assert (found.days, Band(found.days_low, found.days_high)) == (float(days), band(span))
    assert found.stop_turning_day == (None if stop == "-" else float(stop))
    assert (found.set_c, found.setting_rh, found.lockdown_rh) == (float(celsius), band(setting), band(lockdown))
    assert found.loss_percent == (None if loss == "-" else float(loss))
    assert (found.kind == "reptile") == (stop == "-") and found.cooling == (key in COOLED)


@pytest.mark.parametrize("row", rows(SCHOOLS), ids=lambda r: r[0])
def test_a_school_is_what_it_teaches(row: list[str]) -> None:
    key, setting, then, day, lockdown = row
    found = knowledge.regimes()[key]
    assert (found.setting_rh, found.then_rh, found.lockdown_rh) == (band(setting), band(then), band(lockdown))
    assert found.until_day == (None if day == "-" else float(day))
    assert found.by_weight == (key == "by_weight")


@pytest.mark.parametrize("row", rows(GREENSPAN), ids=lambda r: r[0])
def test_salts_are_greenspans(row: list[str]) -> None:
    celsius, *cells = row
    for salt, cell in zip(SALTS, cells, strict=True):
        if cell != "-":
            value, _sign, uncertainty = cell.partition("±")
            rh, u = salt_humidity(salt, float(celsius))
            assert rh == pytest.approx(float(value), abs=0.005), salt
            assert not uncertainty or u == pytest.approx(float(uncertainty), abs=0.005), salt


def test_males_by_temperature() -> None:
    """Viets and co-workers (1993), from memory."""
    listed = {26.0: 0, 28.5: 5, 30.0: 30, 31.0: 50, 32.5: 75, 33.5: 55, 34.5: 10, 36.0: 0}
    assert {c: male_share(c)[0] for c in listed} == listed
