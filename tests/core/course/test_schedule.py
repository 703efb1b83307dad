"""Days and windows of what is to be done, and what keeping eggs costs: common practice, written down a second time."""

from __future__ import annotations

import re

import pytest

from stathmis.core.course import schedule
from stathmis.core.course.schedule import storage_loss
from stathmis.core.course.way import Way
from stathmis.services import knowledge


@pytest.mark.parametrize(
    ("days", "least", "most"),
    [(0.0, 0.0, 0.0), (7.0, 0.0, 0.0), (8.0, 1.0, 2.0), (10.0, 3.0, 6.0), (12.0, 7.0, 16.0), (60.0, 103.0, 100.0)],
)
def test_keeping_eggs_costs_one_to_two_a_day_and_then_two_to_five(days: float, least: float, most: float) -> None:
    assert storage_loss(days) == (pytest.approx(least), pytest.approx(most))


# what: day (from, to), after what, by how many days at least; elapsed days from setting, term 21 and 55 days
CHICKEN = """
check instruments  -21  (-60, -3)
collect            -5   (-10, -0.2)
warm dry           -2   (-7, -1.5)    check instruments  0.5
rest               -1   (-2, -0.5)    collect            0
warm wet           -1   (-6, -0.25)   warm dry           0.5
room warm          -8h  (-12h, -4h)   rest               4h
set                0    (-0.25, 0.5)
weigh 1            0    (-1, 1)       set                0
turner             1    (0.1, 3)      set                0.1
weigh 2            4    (3, 5)        set                0
candle 1           7    (6, 9)        set                1
weigh 3            8    (7, 9)        set                0
weigh 4            12   (11, 13)      set                0
candle 2           14   (13, 16)      candle 1           1
weigh 5            16   (15, 17)      set                0
brooder            17   (14, 20)      set                0
lockdown           18   (17.5, 19)    set                1
weigh 6            18   (17, 19)      set                0
brooder warm       19   (18, 20)      lockdown           0
hatch              21   (20, 23)      lockdown           0.5
take off           22   (21.5, 24.5)  hatch              0.5
latest             23   (23, 26)      hatch              1
clean              24   (22, 37)      latest             0
"""
GECKO = """
check instruments  -21  (-60, -3)
warm dry           -2   (-7, -1.5)    check instruments  0.5
warm wet           -1   (-6, -0.25)   warm dry           0.5
set                0    (-0.25, 0.5)
air 1              7    (6, 9)        set                0
candle 1           10   (7, 14)       set                5
air 2              14   (13, 16)      set                0
next clutch        19   (16, 22)      set                10
air 3              21   (20, 23)      set                0
air 4              28   (27, 30)      set                0
air 5              35   (34, 37)      set                0
air 6              42   (41, 44)      set                0
air 7              49   (48, 51)      set                0
hatch              55   (35, 90)      set                20
first shed         62   (58, 69)      hatch              0
first meal         65   (60, 76)      first shed         0
latest             97   (90, 104)     hatch              0
"""


def _days(text: str) -> float:
    return float(text[:-1]) / 24.0 if text.endswith("h") else float(text)


@pytest.mark.parametrize(("table", "species", "posted"), [(CHICKEN, "chicken", True), (GECKO, "leopard_gecko", False)])
def test_a_whole_plan(table: str, species: str, posted: bool) -> None:
    found = schedule.plan(knowledge.species()[species], Way(posted=posted))
    lines = [re.split(r"\s{2,}", line.strip()) for line in table.strip().splitlines()]
    assert [s.key for s in found] == [line[0] for line in lines]
    for step, (_key, day, span, *then) in zip(found, lines, strict=True):
        earliest, latest = (_days(t) for t in span.strip("()").split(", "))
        after, gap = then or ("", "0")
        assert (step.day, step.earliest, step.latest) == pytest.approx((_days(day), earliest, latest)), step.key
        assert (step.after, step.gap) == (after, pytest.approx(_days(gap))), step.key


def test_only_where_the_temperature_makes_the_sex_is_another_clutch_expected() -> None:
    assert "next clutch" not in {s.key for s in schedule.plan(knowledge.species()["corn_snake"], Way())}


@pytest.mark.parametrize(
    ("habit", "days"),
    [("twice", (7, 14)), ("once", (8,)), ("early and late", (8, 18)), ("every week", (7, 14, 18))],
)
def test_habits_of_candling_by_the_trades_days(habit: str, days: tuple[float, ...]) -> None:
    """7 and 14, 8 and 18, once midway, every few days of a chicken's 21 (common practice)."""
    assert Way(candling=habit).candled(21.0) == days
