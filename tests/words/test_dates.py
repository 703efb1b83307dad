"""Days and times are said in the window's own words, whatever the computer's language, and read back as said."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import stathmis
from stathmis.core.errors import UserError
from stathmis.services import clock
from stathmis.words import dates
from stathmis.words.dates import Style

AT = datetime(2027, 5, 10, 15, 4)
STYLES = [Style(twelve, month) for twelve in (False, True) for month in (False, True)]


@pytest.fixture(autouse=True)
def as_before() -> Iterator[None]:
    """No style outlives a test."""
    yield
    dates.use(Style())


def test_each_way_of_writing() -> None:
    assert dates.moment(AT, weekday=True, year=True) == "Mon 10 May 2027 15:04"
    assert dates.span(AT, datetime(2027, 5, 12)) == "10 to 12 May"
    assert dates.span(datetime(2027, 4, 30), AT) == "30 Apr to 10 May"
    dates.use(Style(twelve_hours=True, month_first=True))
    assert dates.moment(AT, weekday=True) == "Mon May 10 3:04 pm"
    assert dates.span(AT, datetime(2027, 5, 12)) == "May 10 to 12"
    assert [dates.clock(AT.replace(hour=h, minute=5)) for h in (0, 12)] == ["12:05 am", "12:05 pm"]


def test_the_computers_language_changes_nothing() -> None:
    """Qt sets LC_TIME by the computer: a German one wrote "Mai" and "Mo" into English sentences.

    No such language need be there to see it: nothing asks the computer for the name of a month or a weekday.
    """
    asked = re.compile(r"%-?[aAbBcxX]\b|nl_langinfo|calendar\.(month|day)_")
    for path in Path(stathmis.__file__).parent.rglob("*.py"):
        assert not asked.search(path.read_text(encoding="utf-8")), path.name


@given(at=st.datetimes(min_value=datetime(2000, 1, 1), max_value=datetime(2100, 1, 1)), style=st.sampled_from(STYLES))
def test_what_is_said_is_read_back(at: datetime, style: Style) -> None:
    dates.use(style)
    at = at.replace(second=0, microsecond=0)
    ms = clock.utc_ms(at, "UTC")
    assert clock.parse_day(f"{dates.day(at, year=True)} {dates.clock(at)}", 0, "UTC") == ms
    assert clock.parse_moment(dates.clock(at), clock.utc_ms(at.replace(hour=23, minute=59), "UTC"), "UTC") == ms


@pytest.mark.parametrize("typed", ["13:00 pm", "0:30 am", "8:75 pm", "10 Mayhem 2027 25:00", "Mbi 10"])
def test_what_is_no_time_is_refused_in_words(typed: str) -> None:
    with pytest.raises(UserError):
        clock.parse_day(f"10 May {typed}" if ":" in typed and "May" not in typed else typed, 0, "UTC")
