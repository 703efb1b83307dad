"""Correction curves: what is chosen, how they are applied, and what is refused."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import multivariate_normal, norm

from stathmis.core.averaged import ODD_SIZE, Prior, average
from stathmis.core.calibration import Correction, fit, fit_correction, uncorrected
from stathmis.core.checks.certificate import CertificateCurve
from stathmis.core.checks.influences import Effect, Influence, gather
from stathmis.core.checks.straight_line import FitError, scatter_line, york_line


@given(
    offset=st.floats(-2, 2),
    slope=st.floats(0.9, 1.1),
    at=st.floats(30, 45),
)
def test_an_exact_line_is_recovered(offset: float, slope: float, at: float) -> None:
    true = np.array([30.0, 36.0, 38.0, 45.0])
    shown = (true - offset) / slope
    correction = fit_correction(shown, true, 0.05, 0.02, "line")
    value, u = correction.apply((at - offset) / slope)
    assert value == pytest.approx(at, abs=1e-6)
    assert 0 < u < 0.1


def test_sign_of_the_correction() -> None:
    # the instrument reads low: correction = reference - reading is positive and is added
    correction = fit_correction([37.0], [37.5], 0.05, 0.02, "offset")
    assert correction.apply(36.8)[0] == pytest.approx(37.3)


def test_uncertainty_grows_away_from_the_points() -> None:
    correction = fit_correction([36.0, 39.0], [36.2, 39.3], 0.05, 0.02, "line", slope_allowance=0.005)
    u = correction.apply(np.array([37.5, 36.0, 30.0, 20.0]))[1]
    assert (np.diff(u) > 0).all()
    one_point = fit_correction([0.0], [0.1], 0.05, 0.02, "offset", slope_allowance=0.005)
    # an ice point alone: the slope nobody checked counts 0.005 K a kelvin at 37.5
    assert one_point.apply(37.5)[1] == pytest.approx(np.hypot(np.hypot(0.05, 0.02), 0.005 * 37.5))


def test_a_shared_reference_error_does_not_average_out() -> None:
    alone = fit_correction([36, 37, 38, 39], [36.1, 37.1, 38.1, 39.1], 0.02, 0.02, "offset", u_common=0.1)
    assert alone.apply(37.5)[1] >= 0.1
    with_less = fit_correction([36, 37, 38, 39], [36.1, 37.1, 38.1, 39.1], 0.02, 0.02, "offset")
    assert with_less.apply(37.5)[1] < 0.02


def test_points_that_disagree_widen_the_uncertainty() -> None:
    calm = fit_correction([36, 37, 38], [36.5, 37.5, 38.5], 0.02, 0.02, "offset")
    wild = fit_correction([36, 37, 38], [36.2, 37.8, 38.5], 0.02, 0.02, "offset")
    assert calm.widened == 1.0
    assert wild.widened > 5
    assert wild.apply(37.0)[1] > 5 * calm.apply(37.0)[1]


def test_swapping_the_axes_gives_the_same_line() -> None:
    rng = np.random.default_rng(1)
    x = np.array([20.0, 25, 30, 35, 40]) + rng.normal(0, 0.1, 5)
    y = x + 0.3 + rng.normal(0, 0.1, 5)
    forward = york_line(x, y, 0.1, 0.08)
    back = york_line(y, x, 0.08, 0.1)
    assert float(forward.slope) == pytest.approx(1 / float(back.slope), rel=1e-9)


def influences(n: int, u: float = 0.05, shared: float = 0.0) -> list[Influence]:
    none, alike = np.zeros(n), np.ones(n)
    return [Influence("own", "", u, alike, none), Influence("reference", "", shared, none, alike, shared=True)]


@given(
    n=st.integers(1, 6),
    at=st.floats(20, 60),
    u=st.floats(0.01, 0.5),
    shared=st.floats(0, 0.5),
    model=st.sampled_from(["offset", "line", "quadratic"]),
    seed=st.integers(0, 99),
)
def test_the_budget_is_the_uncertainty(n: int, at: float, u: float, shared: float, model: str, seed: int) -> None:
    """Whatever the curve: the budget's lines together are the u that apply gives."""
    n = max(n, {"offset": 1, "line": 2, "quadratic": 3}[model])
    x = np.linspace(25, 50, n)
    y = x + 0.5 + np.random.default_rng(seed).normal(0, 2 * u, n)
    found = fit(x, y, influences(n, u, shared), model, slope_allowance=0.005)  # type: ignore[arg-type]
    assert found.budget_at(at).standard_uncertainty == pytest.approx(found.correction.apply(at)[1], rel=1e-9)
    where = found.correction.reading_for(float(found.correction.apply(at)[0]))
    assert found.correction.apply(where)[0] == pytest.approx(found.correction.apply(at)[0], abs=1e-6)


def test_an_outlier_is_pointed_at_and_still_counts() -> None:
    x = np.array([36.0, 36.5, 37.0, 37.5, 38.0, 38.5])
    y = x + 0.3
    y[2] += 0.4
    found = fit(x, y, influences(6), "line")
    assert found.suspects == (2,)
    assert abs(found.residuals[2]) > found.residual_limit > 2
    assert found.correction.degrees_of_freedom == 4
    calm = fit(x, x + 0.3, influences(6), "line")
    assert calm.suspects == ()
    # two points on a line leave nothing to tell an outlier by
    assert fit(x[:2], y[:2], influences(2), "line").suspects == ()


def test_references_that_differ_average_and_one_alone_does_not() -> None:
    x = np.array([36.0, 37.0, 38.0, 39.0])
    none, alike = np.zeros(4), np.ones(4)
    own = Influence("own", "", 0.01, alike, none)
    one = fit(x, x, [own, Influence("lab", "", 0.1, none, alike, shared=True)], "offset")
    half, other = np.array([1.0, 1, 0, 0]), np.array([0, 0, 1.0, 1])
    two = fit(
        x,
        x,
        [own, Influence("a", "", 0.1, none, half, shared=True), Influence("b", "", 0.1, none, other, shared=True)],
        "offset",
    )
    assert one.correction.apply(37.5)[1] == pytest.approx(np.hypot(0.1, 0.005))
    assert two.correction.apply(37.5)[1] == pytest.approx(np.hypot(0.1 / np.sqrt(2), 0.005))


def test_causes_are_gathered_by_name() -> None:
    point = [Effect("certificate", "°C", 0.02, 1.8, True), Effect("steps", "°C", 0.03)]
    rows = gather([[], []], [point, [Effect("certificate", "°C", 0.04, 1.8, True)]])
    assert [i.label for i in rows] == ["certificate", "steps"]
    np.testing.assert_allclose(rows[0].u_reference, [0.036, 0.072])
    np.testing.assert_allclose(rows[1].u_reference, [0.03, 0.0])
    with pytest.raises(FitError, match="two different influences"):
        gather([[], []], [point, [Effect("steps", "°C", 0.04, 1.0, True)]])
    with pytest.raises(FitError, match="from 0 up"):
        Influence("steps", "", -0.1, np.ones(1), np.ones(1))


@pytest.mark.parametrize(
    ("call", "says"),
    [
        (lambda: york_line([1.0], [1.0], 0.1, 0.1), "two points"),
        (lambda: york_line([1.0, 1.0], [1.0, 2.0], 0.1, 0.1), "one reading"),
        (lambda: york_line([1.0, 2.0], [1.0, 2.0], 0.0, 0.0), "no uncertainty at all"),
        (lambda: york_line([1.0, 2.0], [1.0, 2.0], -0.1, 0.1), "from 0 up"),
        (lambda: york_line([1.0, np.nan], [1.0, 2.0], 0.1, 0.1), "both readings"),
        (lambda: fit_correction([], [], 0.1, 0.1), "one point"),
        (lambda: fit_correction([1.0, 2.0], [1.0, 2.0], 0.1, 0.1, "quadratic"), "3 different readings"),
        (lambda: fit_correction([1.0, 1.0], [1.0, 2.0], 0.1, 0.1, "line"), "one reading"),
        (lambda: fit_correction([1.0], [1.0], 0.1, 0.1, u_common=-1), "from 0 up"),
        (lambda: scatter_line([1.0, 2.0], [1.0, 2.0]), "three points"),
        (lambda: uncorrected(-1.0), "from 0 up"),
        (lambda: CertificateCurve((1.0, 1.0), (0.0, 0.0), (0.1, 0.1)), "in order"),
        (lambda: CertificateCurve((1.0,), (0.0,), (0.0,)), "above 0"),
        (lambda: CertificateCurve((), (), ()), "one point"),
    ],
)
def test_what_cannot_be_fitted_says_why(call, says: str) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(FitError, match=says):
        call()


def test_certificate_between_and_beyond_its_points() -> None:
    curve = CertificateCurve((0.0, 40.0), (0.10, 0.30), (0.02, 0.04), slope_allowance=0.01)
    value, u = curve.apply(np.array([0.0, 10.0, 40.0, 50.0]))
    np.testing.assert_allclose(value, [0.10, 10.15, 40.30, 50.30])
    np.testing.assert_allclose(u, [0.02, 0.025, 0.04, np.hypot(0.04, 0.1)])


@given(
    bend=st.floats(-0.2, 0.2),
    span=st.floats(0.5, 6.0),
    noise=st.lists(st.floats(-0.1, 0.1), min_size=5, max_size=5),
    far=st.floats(-20.0, 20.0),
)
def test_a_bent_narrow_check_has_a_finite_answer_everywhere(
    bend: float, span: float, noise: list[float], far: float
) -> None:
    shown = np.linspace(30.0, 30.0 + span, 5)
    true = shown + bend * (shown - 30.0) ** 2 + np.array(noise)
    scatter = Influence("scatter", "°C", 0.02, np.ones(5), np.ones(5))
    try:
        found = fit(shown, true, [scatter], "quadratic", slope_allowance=0.005)
    except FitError:
        return
    c = found.correction
    reading = c.reading_for(37.5 + far)
    assert np.isfinite(reading)
    budget = found.budget_at(reading)
    assert budget.standard_uncertainty == pytest.approx(c.apply(reading)[1], rel=1e-9)
    assert np.isfinite(budget.expanded_uncertainty)
    # beyond what was checked it goes straight on, and U never gets smaller on the way out
    outward = c.domain[1] + np.array([0.0, 1.0, 2.0, 5.0, 20.0])
    values, u = c.apply(outward)
    assert np.allclose(np.diff(values) / np.diff(outward), c.slope_at(c.domain[1]), atol=1e-7)
    if c.slope_at(c.domain[0]) > 0.2 and c.slope_at(c.domain[1]) > 0.2:
        assert c.apply(reading)[0] == pytest.approx(37.5 + far, abs=1e-6)
    assert u[-1] > u[0]


USUAL = Prior(5.0, 0.06, 1.0, 55.0, 22.0, 55.0)
jars = st.lists(st.sampled_from([11.3, 32.8, 43.2, 52.9, 57.6, 75.3, 84.3]), min_size=1, max_size=5, unique=True)


def of_jars(n: int, u: float = 0.7, shared: float = 0.3) -> list[Influence]:
    none, alike = np.zeros(n), np.ones(n)
    return [Influence("own", "%", u, none, alike), Influence("salts", "%", shared, none, alike, shared=True)]


@given(at=jars, seed=st.integers(0, 99), odd=st.floats(-6.0, 6.0))
def test_the_average_is_that_of_all_that_may_be_the_matter(at: list[float], seed: int, odd: float) -> None:
    """By Bayes' theorem in its other form (precisions add up) and by SciPy's normal densities."""
    x, n = np.array(at), len(at)
    y = 2.0 + np.random.default_rng(seed).normal(0, 0.7, n)
    y[0] += odd
    ours = average(x, y, of_jars(n), USUAL)
    basis = np.vander(x - 55.0, 3, increasing=True)
    before = np.diag([25.0, 0.06**2, (1.0 / 22.0**2) ** 2])
    weights, means, spreads = [], [], []
    for which in range(-1, n):
        own = np.full(n, 0.49)
        if which >= 0:
            own[which] *= 1.0 + ODD_SIZE**2
        noise = np.diag(own) + 0.09
        spread = np.linalg.inv(np.linalg.inv(before) + basis.T @ np.linalg.inv(noise) @ basis)
        means.append(spread @ basis.T @ np.linalg.inv(noise) @ y)
        spreads.append(spread)
        # of one that stands alone nobody can say
        is_odd = USUAL.odd if n > 1 else 1e-12
        chance = (1.0 - is_odd) ** n if which < 0 else is_odd * (1.0 - is_odd) ** (n - 1)
        weights.append(chance * multivariate_normal.pdf(y, cov=basis @ before @ basis.T + noise))
    share = np.array(weights) / sum(weights)
    np.testing.assert_allclose(ours.coefficients, share @ np.array(means), rtol=1e-6, atol=1e-9)
    np.testing.assert_allclose(ours.odds, share[1:], rtol=1e-6, atol=1e-9)
    for used in (45.0, 55.0, 70.0):
        at_use = np.array([1.0, used - 55.0, (used - 55.0) ** 2])
        off = (np.array(means) - ours.coefficients) @ at_use
        u = np.sqrt([at_use @ spread @ at_use for spread in spreads])
        half = 1.96 * np.sqrt(at_use @ ours.covariance @ at_use)
        held = share @ (norm.cdf((half - off) / u) - norm.cdf((-half - off) / u))
        # as good as 95 % where it is used, and near it where it is not
        assert held == pytest.approx(0.95, abs=2e-3 if used == 55.0 else 0.03)


@given(at=st.floats(40.0, 70.0), seed=st.integers(0, 999))
def test_three_jars_that_agree_are_narrower_than_one_of_them(at: float, seed: int) -> None:
    """Whatever the draw of points that agree within twice their uncertainty."""
    x = np.array([32.8, 52.9, 75.1])
    rng = np.random.default_rng(seed)
    y = rng.normal(0.0, 4.0) + rng.uniform(-0.7, 0.7, 3)
    three = fit(x, x + y, of_jars(3), prior=USUAL).correction.apply(at)[1]
    assert all(
        three < fit(x[i : i + 1], x[i : i + 1] + y[i], of_jars(1), prior=USUAL).correction.apply(at)[1]
        for i in range(3)
    )


def test_one_jar_as_worked_by_hand_on_the_page_of_methods() -> None:
    one = fit([73.0], [75.3], of_jars(1), prior=USUAL).correction
    found = [(round(one.apply(at)[0] - at, 2), round(one.apply(at)[1], 2)) for at in (73.0, 55.0)]
    assert found == [(2.25, 0.75), (2.11, 1.42)]


def test_many_points_without_a_bend_or_an_odd_one_give_the_textbooks_line() -> None:
    """NumPy's weighted least squares; shared errors stand beside it."""
    rng = np.random.default_rng(4)
    x = np.linspace(20.0, 45.0, 200)
    y = x + 0.3 + 0.002 * (x - 30.0) + rng.normal(0, 0.05, x.size)
    none = np.zeros(x.size)
    noise = [Influence("own", "", 0.05, none, np.ones(x.size))]
    flat = Prior(1e4, 1e3, 1e-9, 32.5, 10.0, 37.5, odd=1e-12)
    ours = fit(x, y, noise, prior=flat).correction
    line, covariance = np.polyfit(x - 32.5, y - x, 1, w=np.full(x.size, 20.0), cov="unscaled")
    np.testing.assert_allclose(ours.coefficients[:2], line[::-1], rtol=1e-3)
    np.testing.assert_allclose(ours.covariance[:2, :2], covariance[::-1, ::-1], rtol=1e-3, atol=1e-9)


def test_a_point_that_is_odd_is_named_and_hardly_counts() -> None:
    x = np.array([30.0, 40.0, 50.0, 60.0, 70.0])
    y = x + 2.0
    y[3] += 8.0
    found = fit(x, y, of_jars(5), prior=USUAL)
    assert found.suspects == (3,) and found.correction.apply(55.0)[0] == pytest.approx(57.0, abs=0.4)
    budget = {c.label: c.contribution for c in found.budget_at(62.0).components}
    assert found.budget_at(62.0).standard_uncertainty == pytest.approx(found.correction.apply(62.0)[1], rel=1e-6)
    assert set(budget) == {"own", "salts", "Shape left open", "Odd point"}
    assert fit(x, x + 2.0, of_jars(5), prior=USUAL).suspects == ()
    where = found.correction.reading_for(57.0)
    assert found.correction.apply(where)[0] == pytest.approx(57.0, abs=1e-9)


@pytest.mark.parametrize(("model", "used"), [("offset", 1), ("line", 2), ("quadratic", 3)])
def test_each_curve_uses_up_its_degrees_of_freedom(model: str, used: int) -> None:
    x = np.linspace(20.0, 45.0, 6)
    assert fit(x, x + 0.2, influences(6), model).correction.degrees_of_freedom == 6 - used  # type: ignore[arg-type]


@pytest.mark.parametrize("count", [1, 2, 3])
@pytest.mark.parametrize("shown", [22.0, 36.0, 48.0])
def test_a_reading_is_as_unsure_as_the_reference_library_says(count: int, shown: float) -> None:
    """Coefficients that go together, the reading's own doubt through the curve's slope, and the slope nobody checked;
    beyond the points a bent curve goes straight on. By GTC (JCGM 100)."""
    from GTC import multiple_ureal, set_correlation, ureal  # type: ignore[import-untyped]

    coefficients, u = np.array([0.4, -0.02, 0.003])[:count], np.array([0.05, 0.004, 0.0006])[:count]
    r = np.array([[1.0, 0.4, -0.3], [0.4, 1.0, 0.5], [-0.3, 0.5, 1.0]])[:count, :count]
    ours = Correction(
        ["offset", "line", "quadratic"][count - 1],  # type: ignore[arg-type]
        coefficients, np.outer(u, u) * r, 35.0, (25.0, 42.0), 0.0, 1, slope_allowance=0.01, slope_reach=8.0,
    )  # fmt: skip
    theirs = multiple_ureal(coefficients, u, np.inf)
    for i in range(count):
        for j in range(i):
            set_correlation(r[i, j], theirs[i], theirs[j])
    reading = ureal(shown, 0.03)
    edge = float(np.clip(shown, 25.0, 42.0)) if count == 3 else None
    value = reading
    for power, c in enumerate(theirs):
        if edge is None:
            value = value + c * (reading - 35.0) ** power
        else:
            value = value + c * (
                (edge - 35.0) ** power + (0 if power == 0 else power * (edge - 35.0) ** (power - 1)) * (reading - edge)
            )
        if edge == shown and power == 2:
            value = value + c * (reading - edge) ** 2
    beyond = max(25.0 - shown, shown - 42.0, 0.0)
    wandering = 0.01 * beyond / np.sqrt(1.0 + (beyond / 8.0) ** 2)
    found, u_found = ours.apply(shown, 0.03)
    assert found == pytest.approx(value.x, rel=1e-12)
    assert u_found == pytest.approx(np.hypot(value.u, wandering), rel=1e-9)
    many = ours.apply(np.array([shown, np.nan]), 0.03)
    assert (many[0][0], many[1][0]) == (pytest.approx(found), pytest.approx(u_found)) and np.isnan(many[0][1])


def test_where_a_curve_turns_round_the_nearest_reading_is_told() -> None:
    bent = Correction("quadratic", np.array([0.0, 0.0, -0.05]), np.zeros((3, 3)), 30.0, (20.0, 50.0), 0.0, 1)
    assert bent.reading_for(float(bent.apply(25.0)[0])) == pytest.approx(25.0)
    # past its top at 40 it falls: none beyond it is meant, and what it never comes to is told by a tenth a degree
    assert bent.reading_for(float(bent.apply(39.0)[0])) == pytest.approx(39.0)
    assert bent.reading_for(40.0) == pytest.approx(40.0 + (40.0 - 35.0) / 0.1)
    hollow = Correction("quadratic", np.array([0.0, 0.0, 0.05]), np.zeros((3, 3)), 30.0, (10.0, 40.0), 0.0, 1)
    assert hollow.reading_for(float(hollow.apply(21.0)[0])) == pytest.approx(21.0)
    assert hollow.reading_for(20.0) == pytest.approx(20.0 + (20.0 - 25.0) / 0.1)
    flat = Correction("line", np.array([0.0, -0.95]), np.zeros((2, 2)), 30.0, (20.0, 50.0), 0.0, 1)
    assert flat.reading_for(31.0) == pytest.approx(40.0)
