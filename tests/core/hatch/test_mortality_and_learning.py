"""Deaths spread over weeks, and what own hatches add to a handbook: properties, and statsmodels and SciPy beside."""

from __future__ import annotations

from functools import partial

import numpy as np
import pytest
import statsmodels.api as sm
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import beta, betabinom

from stathmis.core.hatch.learning import eggs_for, learn, learn_share
from stathmis.core.hatch.mortality import spread_over

day = st.floats(-5.0, 40.0)


@given(st.lists(st.tuples(day, st.floats(0.0, 20.0)), max_size=30), st.integers(1, 6))
def test_no_death_is_lost_or_counted_twice(parts: list[tuple[float, float]], weeks: int) -> None:
    spans = [(start, start + length) for start, length in parts]
    found = spread_over(spans, np.arange(weeks + 1) * 7.0)
    assert found.sum() == pytest.approx(len(spans)) and (found >= 0).all()
    halves = [spread_over([s], np.arange(weeks + 1) * 7.0) for s in spans]
    assert found == pytest.approx(np.sum(halves, axis=0) if halves else np.zeros(weeks))


def test_a_death_counts_where_it_may_have_been() -> None:
    assert spread_over([(3.0, 3.0), (7.0, 7.0)], [0.0, 7.0, 14.0]).tolist() == [1.0, 1.0]
    assert spread_over([(-2.0, -1.0), (20.0, 30.0)], [0.0, 7.0, 14.0]).tolist() == [1.0, 1.0], "none is lost outside"
    for spans, edges in (([(2.0, 1.0)], [0.0, 7.0]), ([(0.0, 1.0)], [0.0]), ([(0.0, 1.0)], [7.0, 0.0])):
        with pytest.raises(ValueError):
            spread_over(spans, edges)


def test_learning_is_weighted_least_squares_with_the_handbook_as_one_more_result() -> None:
    """Against statsmodels' WLS with known weights."""
    results, us, within, between, handbook = [21.9, 22.4, 21.2], [0.3, 0.2, 0.5], 0.25, 0.4, 21.0
    found = learn(handbook, between, results, us, within)
    weights = [1.0 / between**2, *(1.0 / (u * u + within * within) for u in us)]
    fitted = sm.WLS([handbook, *results], np.ones(4), weights=weights).fit(cov_type="fixed scale")
    assert found.value == pytest.approx(fitted.params[0], abs=1e-12)
    assert found.u == pytest.approx(np.hypot(np.sqrt(1.0 / sum(weights)), within), abs=1e-12)


@given(
    st.floats(-10, 10),
    st.floats(0.1, 5),
    st.lists(st.tuples(st.floats(-10, 10), st.floats(0.01, 3)), max_size=8),
    st.floats(0, 1),
)
def test_what_is_learned_lies_between_handbook_and_own(
    handbook: float, between: float, own: list[tuple[float, float]], within: float
) -> None:
    results, us = [o[0] for o in own], [o[1] for o in own]
    found = learn(handbook, between, results, us, within)
    assert min([handbook, *results]) - 1e-9 <= found.value <= max([handbook, *results]) + 1e-9
    assert 0.0 <= found.weight < 1.0 and found.own == len(own)
    assert within <= found.u <= np.hypot(between, within) + 1e-9
    if own:
        fewer = learn(handbook, between, results[:-1], us[:-1], within)
        assert found.weight >= fewer.weight and found.u <= fewer.u + 1e-12


def test_a_learned_share_is_the_beta_posterior() -> None:
    """Against SciPy's beta distribution."""
    results = [(12, 20), (18, 24)]
    found = learn_share(0.7, 10.0, results)
    posterior = beta(7.0 + 30.0, 3.0 + 14.0)
    assert found.share == pytest.approx(posterior.mean()) and found.u == pytest.approx(posterior.std())
    assert found.trials == 44 and learn_share(0.7, 10.0, []).share == pytest.approx(0.7)


@pytest.mark.parametrize(("chicks", "good", "bad"), [(4, 14, 6), (10, 37, 17), (25, 120, 40), (40, 300, 30)])
def test_so_many_eggs_give_the_chicks_nine_times_out_of_ten(chicks: int, good: int, bad: int) -> None:
    """Against the beta-binomial distribution itself."""
    posterior = beta(good, bad)
    eggs = eggs_for(chicks, float(posterior.mean()), float(posterior.std()))
    enough = betabinom(eggs, good, bad).sf(chicks - 1)
    assert 0.86 <= enough <= 0.96, (eggs, enough)


def test_what_cannot_be_learned_is_refused() -> None:
    for wrong in (
        lambda: learn(21.0, 0.0, [], []),
        lambda: learn(21.0, -1.0, [], []),
        lambda: learn(21.0, 1.0, [21.0], []),
        lambda: learn(21.0, 1.0, [21.0], [-0.1]),
        lambda: learn(21.0, 1.0, [], [], -0.1),
        lambda: learn_share(1.0, 10.0, []),
        lambda: learn_share(0.5, 10.0, [(3, 2)]),
        lambda: eggs_for(0, 0.5, 0.1),
        *(partial(learn_share, *bad, []) for bad in ((0.0, 10.0), (1.0, 10.0), (0.5, 0.0))),
        *(partial(learn_share, 0.5, 10.0, [bad]) for bad in ((-1, 5), (6, 5))),
    ):
        with pytest.raises(ValueError):
            wrong()
