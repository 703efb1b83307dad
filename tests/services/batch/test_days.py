"""Days as a keeper types them: read back to what was meant, in any zone, or refused in words."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stathmis.services.clock import DAY_MS, TimeError, local, parse_day

NOW_MS = 1_779_093_600_000
"""2026-05-18 08:40 UTC."""
ZONES = ("UTC", "Europe/Vienna", "America/Los_Angeles", "Australia/Lord_Howe", "Asia/Kathmandu")
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


@given(st.integers(0, 700), st.sampled_from(ZONES), st.sampled_from(["iso", "dots", "name", "full"]))
def test_any_day_is_read_back(days: int, zone: str, way: str) -> None:
    day = local(NOW_MS, zone).date() + timedelta(days=days)
    text = {
        "iso": f"{day:%Y-%m-%d}",
        "dots": f"{day.day}.{day.month}.{day.year}",
        "name": f"{day.day} {MONTHS[day.month - 1]} {day.year}",
        "full": f"{day.day} {day:%B} {day.year} 17:30",
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
