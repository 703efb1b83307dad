"""The eggs behind the air: planted upsets are found with their cause and weight, lid openings do not alarm."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from making import batch_with_log
from stathmis.core.course.upsets import Drop
from stathmis.services import rounds
from stathmis.services.desk import Desk
from stathmis.services.findings import judgement
from stathmis.services.findings.judgement import JudgedRun
from stathmis.words import run as run_words

MINUTE_MS = 60_000
DAYS = 6


def run(desk: Desk, air: np.ndarray, species: str = "chicken", machine: str = "forced") -> JudgedRun:
    """A batch of six days with a checked logger that shows this air, one reading a minute."""
    course, _ = batch_with_log(desk, air, species, machine)
    return judgement.judged_run(desk.book, course)


@pytest.fixture
def air() -> np.ndarray:
    """A quiet fan incubator: a small swing every quarter of an hour."""
    m = np.arange(DAYS * 1440 - 5, dtype=np.float64)
    return 37.5 + 0.12 * np.sin(2 * np.pi * m / 15.0) + np.random.default_rng(3).normal(0, 0.01, m.size)


def test_a_quiet_run_is_quiet(desk: Desk, air: np.ndarray) -> None:
    found = run(desk, air)
    assert found.eggs is not None and found.eggs.excursions == () and found.eggs.openings == ()
    assert found.eggs.cycling is not None
    assert found.eggs.cycling.period_s == pytest.approx(900, rel=0.03)
    assert found.eggs.cycling.swing == pytest.approx(0.13, abs=0.03)
    said = " ".join(run_words.summary(found, "°C"))
    assert "hatch on day 21, as expected" in said and "swings ± 0.1" in said


def test_lid_openings_are_no_excursions(desk: Desk, air: np.ndarray) -> None:
    for minute in range(2000, 8000, 700):
        air[minute : minute + 2] -= 5.0
        air[minute + 2 : minute + 12] -= 5.0 * np.exp(-np.arange(10) / 1.5)
    found = run(desk, air)
    assert found.eggs is not None
    assert len(found.eggs.openings) == 9 and found.eggs.passing == 9
    assert [e for e in found.eggs.excursions if e.worth_telling] == []
    assert found.trace.temperature.shares[0].adherence.outside_s > 1500, "the air itself was out"


def test_a_power_cut_has_its_cause_and_weight(desk: Desk, air: np.ndarray) -> None:
    m = np.arange(air.size)
    out = (m >= 4000) & (m < 4300)
    air[out] = 20.0 + 17.5 * np.exp(-(m[out] - 4000) / 60.0)
    air[(m >= 4300) & (m < 4330)] = 33.0
    found = run(desk, air)
    incubator = found.trace.course.incubator
    start = found.trace.course.batch.set_ms
    rounds.log_event(desk, incubator, "note", "power off", start + 4000 * MINUTE_MS)
    found = judgement.judged_run(desk.book, found.trace.course)
    assert found.eggs is not None
    cold = max(found.eggs.excursions, key=lambda e: e.degree_hours)
    assert cold.side == "low" and cold.cause == "power off"
    assert cold.weight == "matters" and "cold" in cold.why
    # the middle of the egg begins to cool some minutes after its shell
    assert 5 * MINUTE_MS < cold.start_ms - (start + 4000 * MINUTE_MS) < 20 * MINUTE_MS
    assert cold.air_peak_c < cold.peak_c + 0.01
    assert "eggs down to" in run_words.excursion_words(cold, "°C")
    assert "°F·h" in run_words.excursion_words(cold, "°F")


def test_heat_weighs_more_than_cold(desk: Desk, air: np.ndarray) -> None:
    air[4000:4240] += 3.2
    found = run(desk, air)
    assert found.eggs is not None
    hot = next(e for e in found.eggs.excursions if e.side == "high")
    assert hot.weight == "serious" and "danger" in hot.why


def test_a_slow_drift_moves_the_hatch(desk: Desk, air: np.ndarray) -> None:
    found = run(desk, air - 0.56)
    assert found.eggs is not None and found.eggs.shift_days is not None
    # 0.56 K low: about a day late in 21, so 6/21 of it so far
    assert found.eggs.shift_days == pytest.approx(6 / 21 * 0.98, abs=0.03)
    said = " ".join(run_words.summary(found, "°C"))
    assert "later" in said and "approximate" in said


def test_a_silent_logger_is_unknown_not_good(desk: Desk, air: np.ndarray) -> None:
    air[3000:4000] = np.nan
    found = run(desk, air)
    assert found.eggs is not None
    # the gap, and three response times of the egg's middle after it
    assert found.eggs.adherence.unknown_s == pytest.approx((1000 + 3 * 23) * 60, rel=0.02)


def test_still_air_is_read_at_the_egg_tops(desk: Desk, air: np.ndarray) -> None:
    found = run(desk, air + 1.1, machine="still")
    assert found.eggs is not None and found.eggs.mean is not None
    assert found.eggs.mean.value == pytest.approx(37.5, abs=0.02)
    assert found.eggs.excursions == ()


@pytest.mark.parametrize(
    ("side", "peak", "far_hours", "degree_hours", "weight"),
    [
        ("high", 40.0, 0.0, 0.0, "serious"),
        ("high", 39.9, 1.9, 1.9, "slight"),
        ("high", 39.9, 2.0, 0.0, "serious"),
        ("high", 39.0, 0.0, 2.0, "matters"),
        ("low", 25.0, 6.0, 0.0, "serious"),
        ("low", 25.0, 5.9, 0.0, "matters"),
        ("low", 25.0, 0.1, 0.0, "matters"),
        ("low", 33.0, 0.0, 12.0, "matters"),
        ("low", 33.0, 0.0, 11.9, "slight"),
    ],
)
def test_heat_kills_faster_than_cold(
    side: str, peak: float, far_hours: float, degree_hours: float, weight: str
) -> None:
    """Common practice: 40 °C at once, 1.5 K too warm within two hours, far too cold within six; else what adds up."""
    assert judgement.seriousness(side, peak, far_hours, degree_hours)[0] == weight


@pytest.mark.parametrize(
    ("weight", "hours", "after_h", "felt"),
    [
        ("slight", 1.0, 0.5, False),
        ("slight", 1.1, 0.5, True),
        ("matters", 0.2, 0.5, True),
        # what begins more than an hour after the lowest, or was over before it opened, did not come of it
        ("matters", 2.0, 1.0, True),
        ("matters", 2.0, 1.01, False),
        ("matters", 2.0, -2.2, False),
        ("matters", 2.0, -2.0, True),
    ],
)
def test_an_opening_is_felt_by_what_comes_of_it(
    desk: Desk, air: np.ndarray, weight: str, hours: float, after_h: float, felt: bool
) -> None:
    eggs = run(desk, air).eggs
    assert eggs is not None
    opened, lowest = 36_000.0, 36_300.0
    start = round(1000 * (lowest + 3600 * after_h)) if after_h > 0 else round(1000 * (opened + 3600 * after_h))
    excursion = judgement.EggExcursion(start, start + round(hours * 3_600_000), "low", 35.0, 30.0, 1.0, weight, "", "")
    found = replace(eggs, excursions=(excursion,), openings=(Drop(opened, 37.5, 30.0, lowest, None),))
    assert found.passing == (0 if felt else 1)
