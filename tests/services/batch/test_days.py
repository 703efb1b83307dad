"""Days as a keeper types them: read back to what was meant, in any zone, or refused in words."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

import making
from stathmis.services.clock import DAY_MS, TimeError, local, midnight, parse_day, utc_ms
from stathmis.services.desk import Desk
from stathmis.services.plan import turning

NOW_MS = 1_779_093_600_000
"""2026-05-18 08:40 UTC."""
ZONES = ("UTC", "Europe/Vienna", "America/Los_Angeles", "Australia/Lord_Howe", "Asia/Kathmandu")
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
WHOLE = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
]


@given(st.integers(0, 700), st.sampled_from(ZONES), st.sampled_from(["iso", "dots", "name", "full"]))
def test_any_day_is_read_back(days: int, zone: str, way: str) -> None:
    day = local(NOW_MS, zone).date() + timedelta(days=days)
    text = {
        "iso": f"{day:%Y-%m-%d}",
        "dots": f"{day.day}.{day.month}.{day.year}",
        "name": f"{day.day} {MONTHS[day.month - 1]} {day.year}",
        "full": f"{day.day} {WHOLE[day.month - 1]} {day.year} 17:30",
    }[way]
    found = local(parse_day(text, NOW_MS, zone), zone)
    assert found.date() == day
    assert (found.hour, found.minute) == ((17, 30) if way == "full" else (9, 0))


@given(st.integers(0, 364), st.sampled_from(ZONES))
def test_a_day_without_a_year_is_the_next_one(days: int, zone: str) -> None:
    day = local(NOW_MS, zone).date() + timedelta(days=days)
    if (day.month, day.day) == (2, 29):
        return
    found = local(parse_day(f"{day.day}.{day.month}.", NOW_MS, zone), zone).date()
    assert found == day


def test_days_from_now() -> None:
    assert parse_day("in 10 days", NOW_MS, "UTC") - parse_day("today", NOW_MS, "UTC") == 10 * DAY_MS
    assert parse_day("in 3 weeks", NOW_MS, "UTC") - parse_day("tomorrow", NOW_MS, "UTC") == 20 * DAY_MS
    at = datetime.fromtimestamp(parse_day("tomorrow 06:15", NOW_MS, "UTC") / 1000, UTC)
    assert (at.day, at.hour, at.minute) == (19, 6, 15)


@pytest.mark.parametrize(
    "text", ["", "soon", "31 Feb", "2026-13-01", "12 Foo", "1.1.1", "in x days", "25:00", "30 Jun 24:30"]
)
def test_what_is_no_day_is_refused(text: str) -> None:
    with pytest.raises(TimeError):
        parse_day(text, NOW_MS, "Europe/Vienna")


def test_an_hour_the_clock_change_skipped_is_refused() -> None:
    with pytest.raises(TimeError, match="clocks went forward"):
        parse_day("2027-03-28 02:30", NOW_MS, "Europe/Vienna")


ZONE_CHANGES = (("Europe/Vienna", 2027), ("Pacific/Auckland", 2027), ("Australia/Lord_Howe", 2027))


@pytest.mark.parametrize(("zone", "year"), ZONE_CHANGES)
def test_days_are_counted_by_the_calendar_over_both_clock_changes(zone: str, year: int) -> None:
    """Every midnight of a year is 00:00 of its own day, and days of 23, 24 and 25 hours (or half an hour more) come."""
    start = utc_ms(datetime(year, 1, 1, 15, 30), zone)
    midnights = [midnight(start, zone, i) for i in range(366)]
    assert [local(ms, zone).date() for ms in midnights] == [
        datetime(year, 1, 1).date() + timedelta(days=i) for i in range(366)
    ]
    assert all((local(ms, zone).hour, local(ms, zone).minute) == (0, 0) for ms in midnights)
    assert len({b - a for a, b in pairwise(midnights)}) == 3, "a short day, a long one, and all others"
    assert all(midnight(ms - 1, zone, 1) == ms == midnight(ms, zone) for ms in midnights[1:])


@pytest.mark.parametrize(
    ("zone", "changes"), [("Europe/Vienna", [(3, 28), (10, 31)]), ("Pacific/Auckland", [(4, 4), (9, 26)])]
)
def test_turns_of_a_day_of_the_clock_change_count_for_it(desk: Desk, zone: str, changes: list[tuple[int, int]]) -> None:
    making.put_setting(desk, "time_zone", zone)
    course = making.batch_late(desk, 5.0)
    for month, day in changes:
        # three turns, the first just after midnight, the last just before the next one
        turns = [(0, 15), (12, 0), (23, 45)]
        at = [utc_ms(datetime(2027, month, day, h, m), zone) for h, m in turns]
        before = utc_ms(datetime(2027, month, day, 0, 0), zone) - 15 * 60_000
        days = [midnight(at[-1] + 6 * 3_600_000, zone, -i) for i in range(8)]
        own = replace(course, batch=replace(course.batch, set_ms=days[2] - 3_600_000))
        kept, known = turning._kept([before, *at], own, days)
        assert (kept, known) == (1, 2), "all three belong to the day of the change, the one before it to the day before"
