"""How the air goes on: a drift is carried on to where it rests, a thermostat's swing is none."""

from __future__ import annotations

import numpy as np
import pytest

from making import batch_with_log
from stathmis.services import rounds
from stathmis.services.advice import now as adviser
from stathmis.services.desk import Desk
from stathmis.services.findings.coming import coming
from stathmis.services.findings.verdict import judge_reading
from stathmis.services.reading_field import interpret
from stathmis.words.advice import steps

MINUTES = np.arange(1440.0)
SWING = 37.6 + 0.3 * np.sin(MINUTES * 2.0 * np.pi / 15.0)


def test_a_box_that_cools_is_carried_on_to_where_it_comes_to_rest(desk: Desk) -> None:
    """The heater failed half an hour ago; the box follows the room at 21 °C with a response of 90 min."""
    since = np.clip(MINUTES - 1410.0, 0.0, None)
    air = np.where(since > 0.0, 21.0 + 16.6 * np.exp(-since / 90.0), SWING)
    course, _logger = batch_with_log(desk, air)
    found = coming(desk.book, course.incubator, "temperature")
    assert found is not None and found.values[0] < 33.0 and list(found.values) == sorted(found.values, reverse=True)
    truth = 21.0 + 16.6 * np.exp(-(30.0 + 180.0) / 90.0)
    assert found.values[-1] == pytest.approx(truth, abs=3.0)


def test_a_swing_goes_nowhere(desk: Desk) -> None:
    course, _logger = batch_with_log(desk, SWING)
    assert coming(desk.book, course.incubator, "temperature") is None


def test_what_is_typed_means_what_it_means_once_logged(demo: Desk) -> None:
    """Page and column: the loggers count beside what is typed, as they will beside what was logged."""
    incubator = demo.book.incubators()[0]
    sheet = rounds.sheet(demo.book, incubator)

    typed, fields = {}, {}
    for line in sheet.lines:
        if line.instrument.kind == "logger":
            continue
        shown = interpret("37.2" if line.channel.quantity == "temperature" else "44", line.channel)
        assert shown.shown is not None
        band = sheet.band(line.channel.quantity)
        fields[line.channel.id] = shown
        typed[line.channel.id] = judge_reading(demo.book, incubator, line.hanging, shown.shown, sheet.at_ms, band)
    before = {q: sheet.verdict(q, typed) for q in ("temperature", "humidity")}
    rounds.log_round(demo, fields, demo.now_ms)
    after = rounds.sheet(demo.book, incubator)
    for quantity, verdict in before.items():
        logged = after.verdict(quantity)
        assert verdict is not None and logged is not None
        assert logged.corrected == pytest.approx(verdict.corrected)
    advice = adviser.advise(demo.book, after, after.verdict("temperature"), after.verdict("humidity"))
    assert all(step.text for one in advice for step in steps(demo.book, one))
