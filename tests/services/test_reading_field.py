"""What a keeper may type, and what comes back."""

from __future__ import annotations

from contextlib import suppress
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stathmis.core.units import NotANumberError, count_typed, parse_typed
from stathmis.logbook.records import Channel
from stathmis.services import clock
from stathmis.services.clock import HOUR_MS, TimeError, parse_day, parse_moment
from stathmis.services.reading_field import interpret
from stathmis.words import dates
from stathmis.words.numbers import band_text, count, signed, typed_text, u_text, value_text, with_u


def _ms(*parts: int) -> int:
    return int(datetime(*parts, tzinfo=UTC).timestamp() * 1000)  # type: ignore[misc, arg-type]


CELSIUS = Channel(1, 1, "temperature", "°C", 0.1, 0.5, -10.0, 60.0)
FAHRENHEIT = Channel(2, 1, "temperature", "°F", 0.1, 1.0, 14.0, 140.0)
HUMIDITY = Channel(3, 1, "humidity", "%", 1.0, 5.0, 0.0, 100.0)


@pytest.mark.parametrize(
    ("typed", "channel", "shown"),
    [
        ("37.5", CELSIUS, 37.5),
        ("37,5", CELSIUS, 37.5),
        ("99.5F", CELSIUS, 37.5),
        ("99.5", FAHRENHEIT, 99.5),
        ("37.5C", FAHRENHEIT, 99.5),
        ("48", HUMIDITY, 48.0),
        ("48%", HUMIDITY, 48.0),
        ("100", HUMIDITY, 100.0),
    ],
)
def test_good_readings(typed: str, channel: Channel, shown: float) -> None:
    field = interpret(typed, channel)
    assert (field.problem, field.offer) == ("", "")
    assert field.shown == pytest.approx(shown)


@pytest.mark.parametrize(
    ("typed", "channel", "problem", "offer"),
    [
        ("99.5", CELSIUS, "Is that °F? 99.5 °F is 37.5 °C.", "99.5F"),
        ("99,5", CELSIUS, "Is that °F? 99,5 °F is 37.5 °C.", "99,5F"),
        ("37.5", FAHRENHEIT, "Is that °C? 37.5 °C is 99.5 °F.", "37.5C"),
        ("warm", CELSIUS, "Type a number, such as 37.5 or 99.5F.", ""),
        ("high", HUMIDITY, "Type a number, such as 48.", ""),
        ("101", HUMIDITY, "Relative humidity runs from 0 to 100 %.", ""),
        ("-1", HUMIDITY, "Relative humidity runs from 0 to 100 %.", ""),
        ("375", CELSIUS, "This instrument shows -10 to 60 °C; check the number.", ""),
        ("48 %", CELSIUS, "This one shows a temperature in °C.", ""),
        ("37.5C", HUMIDITY, "This one shows humidity in %.", ""),
        ("500F", CELSIUS, "This instrument shows -10 to 60 °C; check the number.", ""),
    ],
)
def test_questionable_readings(typed: str, channel: Channel, problem: str, offer: str) -> None:
    field = interpret(typed, channel)
    assert field.shown is None, "nothing is guessed"
    assert (field.problem, field.offer) == (problem, offer)
    if offer:
        assert interpret(offer, channel).shown is not None


def test_an_empty_field_is_no_complaint() -> None:
    field = interpret("  ", CELSIUS)
    assert field.empty and not field.problem and field.shown is None


NOW = 1_779_093_600_000  # 2026-05-18 08:40 UTC


@pytest.mark.parametrize(
    ("text", "minutes_ago"),
    [("", 0), ("now", 0), ("08:10", 30), ("8.10", 30), ("yesterday 21:30", 670), ("2026-05-17 08:40", 1440)],
)
def test_moments(text: str, minutes_ago: int) -> None:
    assert parse_moment(text, NOW, "UTC") == NOW - minutes_ago * 60_000


@pytest.mark.parametrize("text", ["09:00", "25:00", "soon", "2027-01-01 10:00", "2026-02-30 10:00", "8"])
def test_moments_that_cannot_be_logged(text: str) -> None:
    with pytest.raises(TimeError) as caught:
        parse_moment(text, NOW, "UTC")
    assert len(str(caught.value)) > 15


def test_clock_changes_when_typing_a_time() -> None:
    after_spring = 1_774_778_400_000  # 2026-03-29 10:00 UTC
    with pytest.raises(TimeError, match="did not happen"):
        parse_moment("02:30", after_spring, "Europe/Berlin")


def test_durations_and_zone() -> None:
    assert [dates.duration(m * 60_000) for m in (40, 60, 90, 3 * 1440)] == ["40 min", "1 h", "1 h 30 min", "3 days"]
    assert clock.is_zone(clock.system_zone_name())
    assert not clock.is_zone("Nowhere/Land")


def test_numbers_in_words() -> None:
    assert with_u(37.4912, 0.104, "temperature", "°C") == "37.49 ± 0.10 °C"
    assert with_u(37.5, 0.104, "temperature", "°F") == "99.50 ± 0.19 °F"
    assert u_text(9.04, "humidity", "%") == "± 9.0"
    assert value_text(48.0, 12.0, "humidity", "%") == "48"
    # a band of ±0.3 K is ±0.54 °F wide, without the 32
    assert band_text(37.2, 37.8, "temperature", "°F") == "99.0–100.0 °F"
    assert (signed(-0.12, 2), signed(0.5, 1), signed(0.001, 2)) == ("−0.12", "+0.5", "0.00")
    assert (count(1, "{n} reading", "{n} readings"), count(12_345, "{n} row", "{n} rows")) == (
        "1 reading",
        "12 345 rows",
    )
    assert (typed_text(37.0, 0.1), typed_text(38.0, 0.5), typed_text(48.0, 1.0)) == ("37.0", "38.0", "48")


def test_a_time_of_the_night_that_is_an_hour_longer_is_one_of_two() -> None:
    """The clocks go back from 03:00 to 02:00 on 25 October 2026 in this zone."""
    zone, first = "Europe/Berlin", _ms(2026, 10, 25, 0, 30)
    again = first + HOUR_MS
    assert parse_moment("02:30", again + 10 * 60_000, zone) == again, "ten minutes ago, not an hour and ten"
    assert parse_moment("02:30", first + 10 * 60_000, zone) == first
    morning = _ms(2026, 10, 25, 7)
    with pytest.raises(TimeError, match=r"happened twice.*02:30 first.*02:30 again"):
        parse_moment("02:30", morning, zone)
    assert parse_moment("02:30 first", morning, zone) == first
    assert parse_moment("02:30 again", morning, zone) == again
    assert parse_moment("02:30 again", _ms(2026, 10, 24, 7), zone) == parse_moment("02:30", _ms(2026, 10, 24, 7), zone)


@pytest.mark.parametrize("text", ["0001-01-02 08:00", "1969-12-31 23:59", "9999-12-31 08:00", "0000-01-01 08:00"])
def test_times_out_of_all_reason_are_refused_in_words(text: str) -> None:
    for zone in ("UTC", "Pacific/Auckland", "America/New_York"):
        for read in (parse_moment, parse_day):
            with pytest.raises(TimeError) as error:
                read(text, _ms(2026, 5, 18, 8), zone)
            assert error.value.to_do


@given(st.text(max_size=30))
def test_any_typing_is_a_time_a_number_a_count_or_refused_in_words(text: str) -> None:
    now = _ms(2026, 5, 18, 8)
    for read in (parse_moment, parse_day):
        try:
            assert 0 <= read(text, now, "Europe/Berlin") < 7.3e12
        except TimeError as error:
            assert error.what
    with suppress(NotANumberError):
        assert abs(parse_typed(text).value) <= 1e9
    assert count_typed(text) is None or 0 <= count_typed(text) < 1_000_000


def test_numbers_out_of_all_reason_are_none() -> None:
    for text in ("9" * 400, "1e5", "²", "٣٧" * 300):
        with pytest.raises(NotANumberError):
            parse_typed(text)
        assert count_typed(text) is None


def test_near_the_ice_point_degrees_below_it_are_no_other_unit() -> None:
    for typed in ("0.3", "-0.4", "0"):
        assert interpret(typed, CELSIUS, 0.0).shown == float(typed), "as it stands"
    assert interpret("32.5", CELSIUS, 0.0).shown is None, "in °F, as it seems: asked about"
