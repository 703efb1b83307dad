"""Days and windows of what is to be done, and what keeping eggs costs: common practice, written down a second time."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

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


@pytest.mark.parametrize(
    ("way", "gone", "come"),
    [
        ({"posted": False}, {"rest"}, {"room warm": ("collect", 1 / 6)}),
        ({"turning": "hand"}, {"turner"}, {}),
        ({"weighing": False}, {f"weigh {i}" for i in range(1, 7)}, {}),
        ({"candling": "once"}, {"candle 2"}, {"candle 1": ("set", 1.0)}),
        ({"collecting_days": 3.0, "brooder_days": 2.0}, set(), {}),
    ],
)
def test_each_way_has_its_own_steps(way: dict, gone: set[str], come: dict[str, tuple[str, float]]) -> None:  # type: ignore[type-arg]
    chicken = knowledge.species()["chicken"]
    usual = {s.key: s for s in schedule.plan(chicken, Way(posted=True))}
    found = {s.key: s for s in schedule.plan(chicken, Way(**{"posted": True, **way}))}
    assert usual.keys() - found.keys() == gone
    for key, (after, gap) in come.items():
        assert (found[key].after, found[key].gap) == (after, gap)
    assert found["collect"].day == -way.get("collecting_days", 5.0)
    days = 18.0 - way.get("brooder_days", 1.0)
    assert (found["brooder"].day, found["brooder"].earliest) == (days, days - 3.0)


def test_a_lockdown_on_another_day_takes_what_hangs_on_it_along() -> None:
    found = {s.key: s for s in schedule.plan(knowledge.species()["chicken"], Way(), 17.0)}
    assert "rest" not in found, "eggs are not posted unless it is said"
    day, earliest, latest = 17.0, 16.5, 18.0
    assert (found["lockdown"].day, found["lockdown"].earliest, found["lockdown"].latest) == (day, earliest, latest)
    assert (found["brooder"].day, found["brooder warm"].day, found["brooder warm"].earliest) == (16.0, 19.0, 17.0)
    assert found["weigh 5"].day == 17.0 and "weigh 6" not in found


def test_only_where_the_temperature_makes_the_sex_is_another_clutch_expected() -> None:
    assert "next clutch" not in {s.key for s in schedule.plan(knowledge.species()["corn_snake"], Way())}


@pytest.mark.parametrize(
    ("habit", "days"),
    [("twice", (7, 14)), ("once", (8,)), ("early and late", (8, 18)), ("every week", (7, 14, 18))],
)
def test_habits_of_candling_by_the_trades_days(habit: str, days: tuple[float, ...]) -> None:
    """7 and 14, 8 and 18, once midway, every few days of a chicken's 21 (common practice)."""
    assert Way(candling=habit).candled(21.0) == days


def _last(steps: dict[str, schedule.Step], wanted: dict[str, float]) -> dict[str, float]:
    """Where each step comes to stand, worked out step by step from its chain: what prepares is no later than what
    hangs on it lets it, what follows no earlier than what it hangs on."""

    def of(key: str) -> float:
        step = steps[key]
        if step.day < 0:
            return min([wanted[key], *(of(s.key) - s.gap for s in steps.values() if s.after == key and s.day < 0)])
        return max(wanted[key], of(step.after) + step.gap) if step.after else wanted[key]

    return {key: of(key) for key in steps}


@given(st.sampled_from(["chicken", "leopard_gecko", "duck"]), st.data())
def test_a_moved_plan_keeps_its_order_with_the_least_change(species: str, data: st.DataObject) -> None:
    steps = {s.key: s for s in schedule.plan(knowledge.species()[species], Way(posted=True))}
    moves = data.draw(st.dictionaries(st.sampled_from(sorted(steps)), st.floats(-40.0, 60.0), max_size=4))
    found = {s.key: s for s in schedule.moved(list(steps.values()), {**moves, "no such step": 3.0})}
    # nothing that prepares comes later than an hour before setting, nothing that follows before it
    wanted = {
        key: 0.0 if key == "set" else min(day, -1.0 / 24.0) if steps[key].day < 0 else max(day, 0.0)
        for key, day in ((k, moves.get(k, s.day)) for k, s in steps.items())
    }
    assert {key: s.day for key, s in found.items()} == pytest.approx(_last(steps, wanted))
    assert {key for key, s in found.items() if s.moved} == set(moves) - {"set"}
    assert list(found) == sorted(found, key=lambda k: (found[k].day, k))


SPANS = {
    "hen": schedule.Span(0.0, 22.0, 24, 37.5, 0.3, 18.0, reptile=False),
    "later": schedule.Span(10.0, 32.0, 12, 37.5, 0.3, 28.0, reptile=False),
    "nearly over": schedule.Span(-3.8, 18.2, 12, 37.5, 0.3, 14.2, reptile=False),
    "after": schedule.Span(22.0, 40.0, 12, 38.4, 0.3, 36.0, reptile=False),
    "hot": schedule.Span(0.0, 10.0, 6, 38.2, 0.3, float("nan"), reptile=False),
    "seven hours": schedule.Span(0.0, 10.0, 6, 37.5, 0.3, 9.7, reptile=False),
    "five hours": schedule.Span(0.0, 10.0, 6, 37.5, 0.3, 9.8, reptile=False),
    "gecko": schedule.Span(5.0, 60.0, 10, 37.5, 0.5, float("nan"), reptile=True),
}


@pytest.mark.parametrize(
    ("names", "capacity", "found"),
    [
        ("hen after", None, []),
        ("hen later", None, [("lockdown", 0, 1, 18.0, 22.0)]),
        # each is in lockdown while the other is turned, or only for six hours and less
        ("later hen", None, [("lockdown", 1, 0, 18.0, 22.0)]),
        ("hen nearly over", None, [("lockdown", 1, 0, 14.2, 18.0)]),
        ("seven hours hen", None, [("lockdown", 0, 1, 9.7, 10.0)]),
        ("five hours hen", None, []),
        ("hot hen", None, [("temperature", 0, 1, 0.0, 10.0)]),
        ("hen gecko", None, [("kinds", 0, 1, 5.0, 22.0)]),
        ("hen later", 36, [("lockdown", 0, 1, 18.0, 22.0)]),
        ("hen later", 35, [("lockdown", 0, 1, 18.0, 22.0), ("capacity", 1, -1, 10.0, 22.0)]),
    ],
)
def test_batches_that_get_in_each_others_way(
    names: str, capacity: int | None, found: list[tuple[str, int, int, float, float]]
) -> None:
    spans = [SPANS[name] for name in re.findall("|".join(SPANS), names)]
    assert schedule.clashes(spans, capacity) == tuple(schedule.Clash(*c) for c in found)


def test_terms_and_males_run_straight_between_what_is_known() -> None:
    points = ((26.0, 75.0), (32.0, 42.0))
    for celsius, days in ((20.0, 75.0), (26.0, 75.0), (27.5, 66.75), (32.0, 42.0), (35.0, 42.0)):
        assert schedule.term_for(points, celsius) == pytest.approx((0.88 * days, days, 1.12 * days))
    with pytest.raises(ValueError, match="points"):
        schedule.term_for((), 30.0)
    # Viets and co-workers (1993), from memory: few males when cool, most at 32 to 33, few again when hot
    table = {26.0: 0.0, 28.5: 5.0, 30.0: 30.0, 31.0: 50.0, 32.5: 75.0, 33.5: 55.0, 34.5: 10.0, 36.0: 0.0, 40.0: 0.0}
    for celsius, males in table.items():
        assert schedule.male_share(celsius) == (males, 15.0)
    with pytest.raises(ValueError, match="no less than"):
        storage_loss(-0.1)
    with pytest.raises(ValueError, match="no such habit"):
        schedule.plan(knowledge.species()["chicken"], Way(candling="now and then"))


def test_days_of_candling_are_taken_in_order_and_those_in_lockdown_left_out() -> None:
    chicken = knowledge.species()["chicken"]
    found = schedule.plan(chicken, Way(candling_days=(18.0, 12.0, 5.0)))
    assert [(s.key, s.day, s.after) for s in found if s.kind == "candle"] == [
        ("candle 1", 5.0, "set"),
        ("candle 2", 12.0, "candle 1"),
    ]
