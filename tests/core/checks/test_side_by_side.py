"""Several instruments over time: together, in doubt, and long runs in few numbers."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from stathmis.core.checks.side_by_side import at_times, disagreements, together
from stathmis.core.consensus import combine
from stathmis.core.series import Pyramid, envelope


@given(st.integers(1, 5), st.integers(0, 10**6))
def test_each_moment_is_what_combining_it_alone_gives(count: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    values, u = rng.normal(37.5, 0.3, (count, 4)), rng.uniform(0.05, 0.4, (count, 4))
    groups = [int(g) for g in rng.integers(-1, 2, count)]
    shared = [0.02, 0.04]
    mean, wide = together(values, u, groups, shared)
    for i in range(4):
        alone = combine(values[:, i], u[:, i], groups, shared)
        assert mean[i] == pytest.approx(alone.value, abs=1e-9)
        assert wide[i] == pytest.approx(alone.u, rel=1e-9)


def test_what_nobody_read_is_unknown_and_one_alone_counts_as_it_is() -> None:
    mean, wide = together(np.array([[np.nan, 37.0], [np.nan, np.nan]]), np.full((2, 2), 0.1))
    assert np.isnan(mean[0]) and (mean[1], wide[1]) == pytest.approx((37.0, 0.1))


def test_disagreement_names_the_less_sure_and_passes_over_a_lid() -> None:
    t = np.arange(0.0, 86_400.0, 60.0)
    rng = np.random.default_rng(1)
    sure, rough = 37.5 + rng.normal(0, 0.02, t.size), 37.5 + rng.normal(0, 0.02, t.size)
    u = np.array([[0.05] * t.size, [0.2] * t.size])
    sure[300:310] -= 4.0
    assert disagreements(t, np.vstack([sure, rough]), u) == (), "an open lid is seen sooner by one than the other"
    rough[600:1000] += 1.1
    (found,) = disagreements(t, np.vstack([sure, rough]), u)
    assert found.row == 1 and found.difference == pytest.approx(1.1, abs=0.05)
    assert abs(found.start_s - t[600]) <= 1800 and abs(found.end_s - t[1000]) <= 1800
    rough[600:1000] = np.nan
    assert disagreements(t, np.vstack([sure, rough]), u) == (), "silence is no disagreement"


def test_two_stretches_of_disagreement_are_told_each_and_a_silence_between_ends_nothing() -> None:
    t = np.arange(0.0, 3 * 86_400.0, 60.0)
    values = np.vstack([np.full(t.size, 37.5), np.full(t.size, 37.5)])
    u = np.array([[0.05] * t.size, [0.2] * t.size])
    for start in (600, 2400):
        values[1, start : start + 600] += 1.1
    # a pause of the one in between, and nobody at all for some hours
    values[1, 1500:1800] = np.nan
    kept = (t < 86_400.0 * 1.3) | (t > 86_400.0 * 1.5)
    found = disagreements(t[kept], values[:, kept], u[:, kept])
    assert [round(d.start_s / 60.0, -2) for d in found] == [600, 2400]
    assert [round((d.end_s - d.start_s) / 60.0, -2) for d in found] == [600, 600]


def test_a_reading_counts_only_near_its_time() -> None:
    found = at_times([0.0, 10.0, 100.0, 1000.0], [0.0, 100.0], [1.0, 2.0], 60.0)
    assert found[0] == 1.0 and found[1] == pytest.approx(1.1) and found[2] == 2.0 and np.isnan(found[3])
    assert np.isnan(at_times([1.0], [], [], 60.0)).all()


@given(st.integers(1, 40), st.integers(1, 20_000), st.integers(0, 10**6), st.floats(0, 1), st.floats(0.01, 1))
def test_a_pyramid_shows_the_peaks_of_any_stretch(
    columns: int, count: int, seed: int, start: float, width: float
) -> None:
    rng = np.random.default_rng(seed)
    t = np.cumsum(rng.integers(1, 5000, count)).astype(np.int64)
    v = rng.normal(37.5, 1.0, count)
    low = t[0] + start * (t[-1] - t[0])
    high = min(float(t[-1]), low + width * (t[-1] - t[0] + 1))
    times, values = Pyramid(t, v).envelope(low, high, columns)
    inside = v[(t >= low) & (t <= high)]
    if inside.size:
        assert values.min() <= inside.min() and values.max() >= inside.max()
    # nothing is shown that lies further outside than the neighbors a step to either side
    around = v[max(0, int(np.searchsorted(t, low)) - 2 * Pyramid.STEP) : int(np.searchsorted(t, high)) + 2 * 64 + 1]
    assert set(values.tolist()) <= set(around.tolist())
    assert (np.diff(times) >= 0).all()
    plain = envelope(t, v, float(t[0]), float(t[-1]), columns)[1]
    whole = Pyramid(t, v).envelope(float(t[0]), float(t[-1]), columns)[1]
    assert (whole.min(), whole.max()) == (plain.min(), plain.max())


@pytest.mark.parametrize(("minutes", "told"), [(60, 0), (90, 0), (180, 1)])
def test_a_short_disagreement_is_passed_over(minutes: int, told: int) -> None:
    t = np.arange(0.0, 86_400.0, 60.0)
    values = np.vstack([np.full(t.size, 37.5), np.full(t.size, 37.5)])
    values[1, 600 : 600 + minutes] += 1.1
    found = disagreements(t, values, np.array([[0.05] * t.size, [0.2] * t.size]))
    assert len(found) == told


@given(st.integers(2, 6), st.integers(0, 10**6))
def test_the_trusted_are_the_weightiest_who_all_agree(count: int, seed: int) -> None:
    """By hand, group by group: each within 95 % of the mean of the others of its group."""
    rng = np.random.default_rng(seed)
    u = rng.uniform(0.05, 0.6, count)
    x = 37.5 + u * rng.normal(0.0, 2.0, count)

    def agree(group: list[int]) -> bool:
        for i in group:
            w = {j: u[j] ** -2 for j in group if j != i}
            mean = sum(w[j] * x[j] for j in w) / sum(w.values()) if w else x[i]
            if abs(x[i] - mean) > 1.959964 * np.sqrt(u[i] ** 2 + (1.0 / sum(w.values()) if w else 0.0)):
                return False
        return True

    groups = [[i for i in range(count) if number >> i & 1] for number in range(1, 2**count)]
    best = max((g for g in groups if agree(g)), key=lambda g: sum(u[i] ** -2 for i in g))
    assert combine(x, u).suspects == tuple(i for i in range(count) if i not in best)


@pytest.mark.parametrize("odd", [0, 11])
def test_of_many_only_the_odd_one_is_suspected(odd: int) -> None:
    """More than are tried in every grouping: the less sure ones come along."""
    x, u = np.full(12, 37.5), np.linspace(0.1, 0.2, 12)
    x[odd] += 2.0
    assert combine(x, u).suspects == (odd,)
