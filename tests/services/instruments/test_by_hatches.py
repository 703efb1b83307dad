"""The hatch as a check: the day of the chicks says what the air was, whatever the thermometer said."""

from __future__ import annotations

import numpy as np
import pytest

from making import batch_with_log, found
from stathmis.core.egg_heat import hatch_shift
from stathmis.core.hatch.by_day import mean_by_hatch_day
from stathmis.logbook.records import Channel
from stathmis.services import setting_up
from stathmis.services.desk import Desk
from stathmis.services.eggs import laying
from stathmis.services.instruments.by_hatches import by_hatches, together
from stathmis.words import by_hatches as words


def test_a_day_late_is_half_a_degree_low() -> None:
    """Common practice: 0.56 K (1 °F) low for 21 days is about a day late."""
    assert mean_by_hatch_day(22.0, 0.25, 21.0, 37.5)[0] == pytest.approx(36.94, abs=0.03)
    assert mean_by_hatch_day(21.0, 0.25, 21.0, 37.5)[0] == pytest.approx(37.5)
    assert mean_by_hatch_day(20.0, 0.25, 21.0, 37.5)[0] > 38.0
    # the other way round: what the rule makes of a mean is that day again
    for day in (20.2, 21.7, 23.0):
        celsius, _ = mean_by_hatch_day(day, 0.2, 21.0, 37.5)
        assert 21.0 + hatch_shift(celsius, 0.0, 37.5, 21.0)[0] == pytest.approx(day, abs=0.01)
    with pytest.raises(ValueError, match="above 0"):
        mean_by_hatch_day(0.0, 0.2, 21.0, 37.5)


def hatched(desk: Desk, day: float, shows: float = 37.5) -> Channel:
    """A batch of twelve whose logger showed this, out on a day; ended. Returns the logger's channel."""
    course, channel = batch_with_log(desk, np.full(round(23.5 * 1440), shows))
    laying.lay_out(desk, course, 12)
    for i in range(9):
        found(desk, course, str(i + 1), "out", 24.0 * (23.5 - day) + 0.5 * (i - 4))
    setting_up.end_batch(desk, course.batch)
    return channel


@pytest.mark.parametrize(("day", "off"), [(21.0, 0.0), (22.5, 0.8), (20.0, -0.6)])
def test_what_the_chicks_say_stands_beside_what_it_said(desk: Desk, day: float, off: float) -> None:
    channel = hatched(desk, day)
    (one,) = by_hatches(desk.book, channel)
    assert one.day == pytest.approx(day, abs=0.05) and one.said.value == pytest.approx(37.5, abs=0.02)
    assert one.off.value == pytest.approx(off, abs=0.08)
    whole = together((one,))
    assert whole is not None and 0.5 < whole.U < 0.9
    said = words.lines(desk.book, (one,))
    agrees = "says what the chicks say" in said[0]
    assert agrees == (abs(whole.value) <= whole.U) and "hatched on day" in said[1]
    # several hatches say it surer, but not surer than the instrument's own correction
    several = together((one,) * 4)
    assert several is not None and several.value == pytest.approx(one.off.value)
    assert one.said.U < several.U < 0.65 * whole.U


def test_without_a_hatch_or_for_a_hygrometer_nothing_is_said(desk: Desk) -> None:
    course, channel = batch_with_log(desk, np.full(1440, 37.5))
    assert by_hatches(desk.book, channel) == () and words.lines(desk.book, ()) == []
    setting_up.end_batch(desk, course.batch)
    assert by_hatches(desk.book, desk.book.channel(channel.id)) == ()
