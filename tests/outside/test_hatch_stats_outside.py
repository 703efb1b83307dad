"""Hatch statistics against statsmodels, and by their own properties."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from stathmis.core.hatch.hatch_stats import Tally, differ, ranks, rate, wilson


@given(st.integers(1, 400), st.floats(0, 1), st.sampled_from([0.8, 0.9, 0.95, 0.99]))
def test_wilsons_interval_is_the_reference_librarys(trials: int, share: float, confidence: float) -> None:
    from statsmodels.stats.proportion import proportion_confint

    successes = round(share * trials)
    ours = wilson(successes, trials, confidence)
    theirs = proportion_confint(successes, trials, alpha=1 - confidence, method="wilson")
    assert ours[0] == pytest.approx(theirs[0], abs=1e-9) and ours[1] == pytest.approx(theirs[1], abs=1e-9)
    assert ours[0] <= successes / trials <= ours[1]


@given(st.integers(5, 120), st.floats(0, 1), st.integers(5, 120), st.floats(0, 1))
def test_a_difference_is_newcombes(n1: int, p1: float, n2: int, p2: float) -> None:
    from statsmodels.stats.proportion import confint_proportions_2indep

    k1, k2 = round(p1 * n1), round(p2 * n2)
    low, high = confint_proportions_2indep(k1, n1, k2, n2, method="newcomb", compare="diff")
    ours = differ(rate(k1, n1), rate(k2, n2))
    if min(abs(low), abs(high)) > 1e-6:
        assert ours == (low > 0 or high < 0)
    assert ours == differ(rate(k2, n2), rate(k1, n1))


def test_the_interval_covers_the_truth() -> None:
    """Of 4000 hatches of 24 eggs at any true rate, 93 to 98 % of the intervals hold it."""
    rng = np.random.default_rng(3)
    true = rng.uniform(0.1, 0.95, 4000)
    low, high = wilson(rng.binomial(24, true), 24)
    assert 0.93 <= float(((low <= true) & (true <= high)).mean()) <= 0.98


@given(st.lists(st.tuples(st.integers(0, 30), st.integers(1, 30)), min_size=1, max_size=8))
def test_places_are_shared_where_chance_may_be_all(counts: list[tuple[int, int]]) -> None:
    rates = [rate(min(k, n), n) for k, n in counts]
    places = ranks(rates)
    best = max(range(len(rates)), key=lambda i: rates[i].share)
    assert places[best] == 1
    for place, one in zip(places, rates, strict=True):
        assert place == 1 or differ(rates[best], one), "who is placed behind is so by more than chance"
        # of eight groups there are 28 pairs
        assert place > 1 or not differ(rates[best], one, 1.0 - 0.05 / 28)


def test_counts_that_cannot_be_are_refused() -> None:
    with pytest.raises(ValueError, match="more came"):
        Tally(10, hatched=9, clear=2)
    with pytest.raises(ValueError, match="not below 0"):
        Tally(10, clear=-1)
    with pytest.raises(ValueError, match="no more are alive"):
        Tally(10, hatched=9, alive=2)
    with pytest.raises(ValueError, match="no more than trials"):
        wilson(3, 2)
    tally = Tally(24, clear=3, early_dead=2, late_dead=1, pipped_dead=1, hatched=15, lost=1)
    assert (tally.open, tally.fertile) == (1, 19)
    assert tally.hatch_of_fertile.share == pytest.approx(15 / 19) and tally.hatch_of_set.of == 24
    assert np.isnan(Tally(5).fertility.share) and Tally(5).fertility.high == 1.0


@pytest.mark.parametrize("groups", [2, 4, 6, 12])
def test_equal_flocks_are_not_ranked_apart(groups: int) -> None:
    """Flocks that hatch alike: one of them is placed behind by chance in at most 5 % (read one by one against the best,
    in 13-46 % of six)."""
    rng = np.random.default_rng(groups)
    apart = [
        max(ranks([rate(int(n), 40) for n in rng.binomial(40, share, groups)])) > 1
        for share in (0.5, 0.7, 0.85)
        for _ in range(400)
    ]
    assert np.mean(apart) <= 0.05 + 0.01
    far = [max(ranks([rate(int(n), 40) for n in rng.binomial(40, [0.85] * (groups - 1) + [0.35])])) for _ in range(200)]
    assert np.mean(np.array(far) > 1) > 0.9, "and one that is far behind is told"
