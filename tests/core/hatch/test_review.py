"""The review's weighing on simulated runs with one planted fault each, and on runs with none."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.stats import norm

from stathmis.core.hatch.hatch_stats import Tally
from stathmis.core.hatch.review import BASE, CAUSES, CauseModel, Measured, Review, review

RUNS = 120


def simulated(rng: np.random.Generator, planted: CauseModel | None, *, measured_always: bool = True) -> Review:
    """A run of 40 eggs. What is measured scatters, a quarter of it is not measured at all; what a fault does differs
    from run to run by a third, and every flock loses a little more or less than the usual."""
    rates, shift = dict(BASE), float(rng.normal(0.0, 0.35))
    values: dict[str, float] = {}
    for cause in CAUSES:
        if cause.tolerance > 0 and cause.measured not in values:
            values[cause.measured] = float(rng.normal(0.0, 0.6 * cause.tolerance))
    for key in ("turning_gap_h", "stored_over_days", "openings_at_pip"):
        values[key] = max(0.0, values[key])
    values["lockdown_rh_off"] = min(0.0, values["lockdown_rh_off"])
    if planted is not None:
        for key, factor in planted.factors.items():
            rates[key] *= 1.0 + (factor - 1.0) * rng.uniform(0.67, 1.33)
        shift += planted.shift_days * rng.uniform(0.67, 1.33)
        if planted.tolerance > 0:
            values[planted.measured] = planted.usual * float(rng.uniform(0.6, 1.4))
    rates = {key: value * float(np.exp(rng.normal(0.0, 0.15))) for key, value in rates.items()}
    whole = sum(rates.values())
    if whole > 0.95:
        rates = {key: 0.95 * value / whole for key, value in rates.items()}
    counts = rng.multinomial(40, [*rates.values(), 1.0 - sum(rates.values())]).tolist()
    tally = Tally(40, counts[0], counts[1], counts[2], counts[3], counts[4])
    known = {
        key: Measured(value, 0.1 * abs(value))
        for key, value in values.items()
        if rng.random() < 0.75 or (measured_always and planted is not None and planted.measured == key)
    }
    return review(tally, known, Measured(shift, 0.2) if rng.random() < 0.75 else None)


@pytest.mark.parametrize("planted", CAUSES, ids=lambda c: c.key)
def test_the_planted_cause_comes_first(planted: CauseModel) -> None:
    """In at least 88 % of runs."""
    rng = np.random.default_rng(5)
    found = [simulated(rng, planted) for _ in range(RUNS)]
    first = np.mean([r.weighed[0].cause.key == planted.key for r in found])
    assert first >= 0.88, first
    called = np.mean([r.clear is not None and r.clear.cause.key != planted.key for r in found])
    assert called <= 0.05, "another cause is hardly ever called clear"


@pytest.mark.parametrize("cause", [c for c in CAUSES if c.tolerance > 0], ids=lambda c: c.key)
@pytest.mark.parametrize("share", [-0.5, 0.0, 0.4, 1.0, 3.0])
def test_what_was_measured_is_weighed_by_two_normal_densities(cause: CauseModel, share: float) -> None:
    """SciPy's normal distribution: with the fault about its usual size, without about 0."""
    value, u = share * cause.usual, 0.3 * abs(cause.tolerance)
    found = review(Tally(20, 0, 0, 0, 0, 20), {cause.measured: Measured(value, u)}).weighed
    told = next(w.by_measure for w in found if w.cause is cause)
    with_fault = norm(cause.usual, np.hypot(0.6 * cause.usual, u)).logpdf(value)
    expected = with_fault - norm(0.0, np.hypot(cause.tolerance, u)).logpdf(value)
    assert told == pytest.approx(max(expected, 0.0) if share > 1.0 else expected, abs=1e-9)


def test_no_clear_cause_where_none_was_planted() -> None:
    rng = np.random.default_rng(6)
    found = [simulated(rng, None) for _ in range(RUNS)]
    assert np.mean([r.clear is None for r in found]) >= 0.92


def test_what_is_not_measured_counts_for_nothing() -> None:
    tally = Tally(40, 4, 3, 7, 6, 20)
    nothing = review(tally, {})
    assert all(w.by_measure == 0.0 and not w.measured for w in nothing.weighed)
    low = review(tally, {"mean_k": Measured(-0.7, 0.1)})
    fine = review(tally, {"mean_k": Measured(0.0, 0.05)})
    weight = {name: r.weighed for name, r in (("nothing", nothing), ("low", low), ("fine", fine))}
    of = {n: next(w.weight for w in rows if w.cause.key == "temperature low") for n, rows in weight.items()}
    assert of["fine"] < of["nothing"] < of["low"]
    for found in (nothing, low, fine):
        assert sum(w.weight for w in found.weighed) + found.none_weight == pytest.approx(1.0)


def test_a_reading_far_beyond_the_usual_fault_is_no_argument_against_it() -> None:
    tally = Tally(40, 4, 3, 9, 8, 16)
    usual, far = (review(tally, {"mean_k": Measured(v, 0.05)}, Measured(1.0, 0.2)) for v in (-0.6, -2.5))
    assert usual.weighed[0].cause.key == far.weighed[0].cause.key == "temperature low"
    assert far.weighed[0].by_measure >= 0.0
