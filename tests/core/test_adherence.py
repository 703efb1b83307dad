"""Time on profile over irregular readings."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from stathmis.core import adherence
from stathmis.core.adherence import judge

runs = st.lists(st.tuples(st.floats(1.0, 5000.0), st.floats(35.0, 40.0)), min_size=2, max_size=40)


def _arrays(run: list[tuple[float, float]]) -> tuple[np.ndarray, np.ndarray]:
    return np.cumsum([step for step, _ in run]), np.array([value for _, value in run])


@given(runs, st.floats(100.0, 4000.0), st.floats(0.0, 1.0))
def test_times_add_up(run: list[tuple[float, float]], gap: float, u: float) -> None:
    t, v = _arrays(run)
    a = judge(t, v, 37.2, 37.8, gap, u)
    assert a.known_s + a.unknown_s == pytest.approx(t[-1] - t[0], rel=1e-9)
    assert min(a.inside_s, a.outside_s, a.undecided_s, a.unknown_s) >= 0


@given(runs)
def test_against_a_fine_grid(run: list[tuple[float, float]]) -> None:
    # the same rule, worked by brute force on a grid of 20,000 moments
    t, v = _arrays(run)
    fine = np.linspace(t[0], t[-1], 20_001)
    middle = 0.5 * (fine[1:] + fine[:-1])
    values = np.interp(middle, t, v)
    inside = ((values >= 37.2) & (values <= 37.8)).mean() * (t[-1] - t[0])
    a = judge(t, v, 37.2, 37.8, 1e9)
    assert a.inside_s == pytest.approx(inside, abs=2e-3 * (t[-1] - t[0]) + 1e-6)
    assert a.mean == pytest.approx(values.mean(), abs=2e-3)


def test_a_gap_is_unknown_and_never_good() -> None:
    a = judge([0, 60, 7260, 7320], [37.5, 37.5, 37.5, 37.5], 37.2, 37.8, 600)
    assert (a.inside_s, a.unknown_s) == (120.0, 7200.0)
    longer = judge([0, 60], [37.5, 37.5], 37.2, 37.8, 600, span_s=(-100.0, 500.0))
    assert longer.unknown_s == 540.0
    missing = judge([0, 60, 120], [37.5, np.nan, 37.5], 37.2, 37.8, 600)
    assert (missing.inside_s, missing.unknown_s) == (0.0, 120.0)


def test_a_fat_bubble_decides_nothing() -> None:
    a = judge([0, 3600], [37.5, 37.5], 37.2, 37.8, 7200, 0.5)
    assert (a.inside_s, a.undecided_s) == (0.0, 3600.0)


def test_excursions_have_start_end_and_peak() -> None:
    t = np.arange(0, 600, 60.0)
    v = np.array([37.5, 37.5, 38.1, 38.5, 38.1, 37.5, 37.5, 36.5, 37.5, 37.5])
    a = judge(t, v, 37.2, 37.8, 300)
    high, low = a.excursions
    assert (high.side, high.peak, high.peak_s) == ("high", 38.5, 180.0)
    assert (high.start_s, high.end_s) == (pytest.approx(90.0), pytest.approx(270.0))
    assert (low.side, low.peak) == ("low", 36.5)
    assert a.outside_s == pytest.approx(sum(e.end_s - e.start_s for e in a.excursions))


def test_the_band_may_change_with_the_phase() -> None:
    a = judge([0, 100, 200, 300], [50, 50, 50, 50], [45, 45, 65, 65], [55, 55, 75, 75], 200)
    assert (a.inside_s, a.outside_s) == (200.0, 100.0)


@pytest.mark.parametrize(
    "bad", [([0, 60], [1.0], 60), ([60, 0], [1.0, 1.0], 60), ([0, 60], [1.0, 1.0], 0), ([0, 60], [1.0, 1.0], -5)]
)
def test_faulty_input_is_refused(bad: tuple[list[float], list[float], float]) -> None:
    with pytest.raises(ValueError, match=r"one value|rise|above 0"):
        judge(bad[0], bad[1], 0.0, 1.0, bad[2])


def test_no_readings_at_all() -> None:
    a = judge([], [], 37.2, 37.8, 600, span_s=(0.0, 100.0))
    assert (a.known_s, a.unknown_s, a.excursions) == (0.0, 100.0, ())
    assert np.isnan(a.mean)


def test_an_excursion_ends_where_the_last_reading_is_back() -> None:
    a = judge([0, 60, 120, 180], [37.5, 38.1, 38.1, 37.5], 37.2, 37.8, 300)
    (high,) = a.excursions
    assert (high.start_s, high.end_s) == (pytest.approx(30.0), pytest.approx(150.0))


@given(runs, st.integers(0, 10**6), st.integers(2, 5))
def test_a_long_run_is_judged_alike_whatever_is_taken_at_once(
    run: list[tuple[float, float]], seed: int, at_once: int
) -> None:
    """Bands, doubt and holes of their own for each reading: in blocks of a few readings, or all at once."""
    t, v = _arrays(run)
    rng = np.random.default_rng(seed)
    low, u = rng.choice([36.5, 37.2], t.size), rng.choice([0.0, 0.1, 0.4], t.size)
    v[rng.random(t.size) < 0.1] = np.nan
    whole = judge(t, v, low, low + 0.6, 3000.0, u, confidence=0.9)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(adherence, "_BLOCK", at_once)
        parts = judge(t, v, low, low + 0.6, 3000.0, u, confidence=0.9)
    assert parts.excursions == whole.excursions
    numbers = ("inside_s", "outside_s", "undecided_s", "unknown_s", "mean")
    assert [getattr(parts, n) for n in numbers] == pytest.approx([getattr(whole, n) for n in numbers], nan_ok=True)


@given(runs, st.sampled_from([0.0, 0.05]), st.floats(100.0, 4000.0))
def test_excursions_are_the_time_outside(run: list[tuple[float, float]], u: float, gap: float) -> None:
    a = judge(*_arrays(run), 37.2, 37.8, gap, u)
    assert sum(e.end_s - e.start_s for e in a.excursions) == pytest.approx(a.outside_s, abs=1e-6 * (1.0 + a.known_s))


@pytest.mark.parametrize(
    ("times", "values", "found"),
    [
        ([0, 60, 120, 180], [38.1, 37.5, 37.5, 38.1], [(0.0, 30.0), (150.0, 180.0)]),
        # no longer than is known
        ([0, 60, 1000, 1060], [37.5, 38.1, 38.2, 37.5], [(30.0, 60.0), (1000.0, 1034.29)]),
        # the band steps down under a still value, and up again: a stretch is judged by its first reading's band
        ([0, 60, 120, 180], [38.8, 38.8, 38.8, 38.8], [(60.0, 180.0)]),
    ],
)
def test_where_an_excursion_begins_and_ends(
    times: list[float], values: list[float], found: list[tuple[float, float]]
) -> None:
    stepped = values[0] == values[1]
    high = np.array([39.0, 37.8, 37.8, 39.0] if stepped else [37.8] * 4)
    a = judge(times, values, high - 0.6 if not stepped else 37.2, high, 300)
    assert [pytest.approx(pair, abs=0.01) for pair in found] == [(e.start_s, e.end_s) for e in a.excursions]


@pytest.mark.parametrize("edge", [37.2, 37.8])
def test_a_value_on_the_edge_of_the_band_is_inside(edge: float) -> None:
    a = judge([0, 60, 120], [edge, edge, 37.5], 37.2, 37.8, 300)
    assert (a.inside_s, a.outside_s, a.excursions) == (120.0, 0.0, ())
