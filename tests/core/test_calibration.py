"""Correction curves: what is chosen, how they are applied, and what is refused."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from stathmis.core.calibration import choose_model, fit_correction, uncorrected
from stathmis.core.certificate import CertificateCurve
from stathmis.core.straight_line import FitError, scatter_line, york_line


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
    correction = fit_correction([37.0], [37.5], 0.05, 0.02)
    assert correction.model == "offset"
    assert correction.apply(36.8)[0] == pytest.approx(37.3)


def test_the_model_follows_number_and_spread() -> None:
    assert choose_model([37.0], 0.1) == "offset"
    assert choose_model([37.0, 37.9], 0.1) == "offset"
    assert choose_model([37.0, 38.1], 0.1) == "line"
    assert fit_correction([37.0, 38.5], [37.1, 38.7], 0.05, 0.05, "offset").model == "offset"


def test_uncertainty_grows_away_from_the_points() -> None:
    correction = fit_correction([36.0, 39.0], [36.2, 39.3], 0.05, 0.02, slope_allowance=0.005)
    u = correction.apply(np.array([37.5, 36.0, 30.0, 20.0]))[1]
    assert (np.diff(u) > 0).all()
    one_point = fit_correction([0.0], [0.1], 0.05, 0.02, slope_allowance=0.005)
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


@pytest.mark.parametrize(
    ("call", "says"),
    [
        (lambda: york_line([1.0], [1.0], 0.1, 0.1), "two points"),
        (lambda: york_line([1.0, 1.0], [1.0, 2.0], 0.1, 0.1), "one reading"),
        (lambda: york_line([1.0, 2.0], [1.0, 2.0], 0.0, 0.0), "no uncertainty at all"),
        (lambda: york_line([1.0, 2.0], [1.0, 2.0], -0.1, 0.1), "from 0 up"),
        (lambda: york_line([1.0, np.nan], [1.0, 2.0], 0.1, 0.1), "both readings"),
        (lambda: fit_correction([], [], 0.1, 0.1), "one point"),
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
