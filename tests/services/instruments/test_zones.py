"""What an instrument is wanted for: the bands of the batches in hand, else the common ones."""

from __future__ import annotations

import numpy as np
import pytest

import making
from stathmis.core.course.profile import Band
from stathmis.services import setting_up
from stathmis.services.desk import Desk
from stathmis.services.instruments import zones


def test_without_a_batch_the_common_ones(desk: Desk) -> None:
    heat, moist = making.instrument(desk, "A"), making.instrument(desk, "B", "humidity")
    assert [(z.band, z.what) for z in zones.zones(desk.book, heat)] == [(Band(37.2, 37.8), "common practice")]
    assert [z.band for z in zones.zones(desk.book, moist)] == [Band(45.0, 55.0), Band(65.0, 75.0)]
    assert zones.working_zone(desk.book, heat) == (37.2, 37.8) and zones.working_zone(desk.book, moist) == (45.0, 55.0)
    assert zones.working_point(desk.book, heat) == pytest.approx(37.5)
    fahrenheit = making.instrument(desk, "C", unit="°F")
    assert zones.working_point(desk.book, fahrenheit) == pytest.approx(99.5)


def test_a_batch_asks_for_its_own(desk: Desk) -> None:
    course, logger = making.batch_with_log(desk, np.full(2000, 36.2), species="emu")
    moist = making.instrument(desk, "Moist", "humidity", incubator_id=course.incubator.id)
    drawer = making.instrument(desk, "In the drawer")
    wanted = zones.zones(desk.book, logger)
    assert {(round(z.band.low, 3), round(z.band.high, 3)) for z in wanted} == {(35.9, 36.5)}
    assert wanted[0].what == "Cabinet, setting"
    assert [(z.band, z.what) for z in zones.zones(desk.book, moist)] == [
        (Band(25.0, 35.0), "Cabinet, setting"),
        (Band(45.0, 55.0), "Cabinet, hatch"),
    ]
    assert zones.working_zone(desk.book, logger) == pytest.approx((35.9, 36.5))
    assert zones.working_zone(desk.book, moist) == (25.0, 35.0)
    assert zones.working_zone(desk.book, drawer) == (37.2, 37.8), "what hangs nowhere works where most do"
    setting_up.end_batch(desk, course.batch)
    assert zones.working_zone(desk.book, logger) == (37.2, 37.8)


def test_whether_it_can_decide(desk: Desk) -> None:
    _course, logger = making.batch_with_log(desk, np.full(2000, 37.5))
    curve = desk.book.corrections.in_force(logger, desk.now_ms).curve
    verdict = zones.verdicts(desk.book, logger, curve)[0]  # type: ignore[arg-type]
    assert verdict.half == pytest.approx(0.3) and verdict.reading == pytest.approx(37.5, abs=0.02)
    assert verdict.U < 0.1 and verdict.can_decide
