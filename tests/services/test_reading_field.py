"""What a keeper may type, and what comes back."""

from __future__ import annotations

import pytest

from stathmis.logbook.records import Channel
from stathmis.services import clock
from stathmis.services.clock import TimeError, parse_moment
from stathmis.services.reading_field import interpret
from stathmis.words import dates
from stathmis.words.numbers import band_text, count, signed, typed_text, u_text, value_text, with_u

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
    after_autumn = 1_792_922_400_000  # 2026-10-25 10:00 UTC
    twice = parse_moment("02:30", after_autumn, "Europe/Berlin")
    assert clock.local(twice, "Europe/Berlin").fold == 0, "of an hour that happened twice the first is meant"


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
    assert (count(1, "reading"), count(12_345, "row")) == ("1 reading", "12 345 rows")
    assert (typed_text(37.0, 0.1), typed_text(38.0, 0.5), typed_text(48.0, 1.0)) == ("37.0", "38.0", "48")
