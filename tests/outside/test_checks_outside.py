"""Checks held against outside references: GTC for budgets, odrpack for bent curves, tables, simulated coverage."""

from __future__ import annotations

import warnings
from dataclasses import replace
from math import inf, sqrt

import numpy as np
import pytest
from numpy.typing import ArrayLike

import making
from making import TRIALS, checked, holds_95, instrument, reference
from stathmis.core import fixed_points
from stathmis.core.calibration import fit
from stathmis.core.checks.influences import Influence
from stathmis.core.psychrometrics import boiling_point, relative_humidity_from_wet_bulb, ventilated_wick_coefficient
from stathmis.core.psychrometrics import saturation_vapor_pressure as ps
from stathmis.core.uncertainty import type_b_resolution
from stathmis.services.desk import Desk
from stathmis.services.findings.corrections import prior
from stathmis.services.instruments.checking import STEPS_IN_USE, Check, evaluate


@pytest.mark.parametrize(("hpa", "celsius"), [(1013.25, 99.974), (950, 98.178), (900, 96.687), (700, 89.932)])
def test_steam_is_iapws(hpa: float, celsius: float) -> None:
    # IAPWS-IF97 saturation line
    at, slope = fixed_points.steam_point(hpa)
    assert at == pytest.approx(celsius, abs=0.005)
    assert slope == pytest.approx((boiling_point(hpa + 5) - boiling_point(hpa - 5)) / 10, rel=1e-3)


def test_weather_report_to_the_pressure_here() -> None:
    # ICAO standard atmosphere: sea level 1013.25 hPa and 15 °C; 900 m 909.7, 1829 m 812.0
    for altitude, hpa in ((900.0, 909.7), (1829.0, 812.0)):
        assert fixed_points.pressure_here(1013.25, altitude, 15.0 - 0.0065 * altitude) == pytest.approx(hpa, abs=0.1)


def test_a_whole_line_budget_against_gtc() -> None:
    """A straight line through four points by two references, read in use: u, degrees of freedom and k to 1e-9."""
    import GTC

    reading, slope, offset = np.array([20.0, 30.0, 36.0, 40.0]), 1.02, -0.4
    true = offset + slope * reading
    u_step, u_bath = 0.1 / sqrt(12), 0.05 / sqrt(3)
    none, alike = np.zeros(4), np.ones(4)
    first, second = np.array([1.0, 0.8, 0.0, 0.0]), np.array([0.0, 0.0, 1.0, 1.2])
    influences = [
        Influence("display", "", u_step, alike, none, distribution="rectangular"),
        Influence("bath", "", u_bath, none, alike, distribution="rectangular"),
        Influence("certificate 1", "", 0.03, none, first, shared=True, degrees_of_freedom=6),
        Influence("certificate 2", "", 0.05, none, second, shared=True, degrees_of_freedom=9),
    ]
    found = fit(reading, true, influences, "line")
    ours = found.budget_at(37.2, [type_b_resolution("in use", 0.1)])

    one, two = GTC.ureal(0, 0.03, df=6), GTC.ureal(0, 0.05, df=9)
    x = [GTC.ureal(v, u_step) for v in reading]
    y = [GTC.ureal(v, u_bath) + a * one + b * two for v, a, b in zip(true, first, second, strict=True)]
    # all points weigh alike, so the line is the plain least-squares one, worked out in GTC's own arithmetic
    mean_x, mean_y = sum(x) / 4, sum(y) / 4
    b = sum((p - mean_x) * (q - mean_y) for p, q in zip(x, y, strict=True)) / sum((p - mean_x) ** 2 for p in x)
    result = mean_y + b * (37.2 + GTC.ureal(0, u_step) / slope - mean_x)
    assert found.correction.apply(37.2)[0] == pytest.approx(GTC.value(result), rel=1e-12)
    assert ours.standard_uncertainty == pytest.approx(GTC.uncertainty(result), rel=1e-9)
    assert ours.effective_dof == pytest.approx(GTC.dof(result), rel=1e-9)
    k = GTC.reporting.k_factor(np.floor(GTC.dof(result)), p=95)
    assert ours.coverage_factor == pytest.approx(k, rel=1e-9)
    assert found.correction.apply(37.2)[1] ** 2 + u_step**2 == pytest.approx(GTC.uncertainty(result) ** 2, rel=1e-9)


def test_wet_bulb_budget_against_gtc(desk: Desk) -> None:
    """One certified thermometer read dry and wet: its certificate's error is the same twice; GTC agrees."""
    import GTC

    lab = reference(desk)
    hygrometer = instrument(desk, "Card", "humidity")
    cells = {"reference": "37.40", "wet": "28.90"}
    draft, _ = checked(desk, hygrometer, [("50", cells)], method="wet_dry", against=lab)
    draft.sets[0].second_id = lab.id
    draft.sets[0].settings["altitude"] = "0"
    check = evaluate(desk.book, draft)
    p = check.points[0]
    # the certificate adds 0.10 to both; ventilated wick, WMO-No. 8
    coefficient = float(ventilated_wick_coefficient(29.0))
    assert p.reference == pytest.approx(relative_humidity_from_wet_bulb(37.5, 29.0, 1013.25, coefficient), abs=1e-9)

    certificate = GTC.ureal(0, 0.02)
    step = 0.01 / sqrt(12)
    dry = 37.5 + certificate + GTC.ureal(0, step)
    wet = 29.0 + certificate + GTC.ureal(0, step)
    hpa = 1013.25 + GTC.ureal(0, 15 / sqrt(3))
    wick = 1 + GTC.ureal(0, 0.05 / sqrt(3))

    def gtc_rh() -> object:
        """e_w(t_w) - A p (t - t_w) over e_w(t), with slopes of e_w by differences."""
        d_wet = (ps(29.0005) - ps(28.9995)) / 0.001
        d_dry = (ps(37.5005) - ps(37.4995)) / 0.001
        e_wet = ps(29.0) + d_wet * (wet - 29.0)
        e_dry = ps(37.5) + d_dry * (dry - 37.5)
        a = 6.53e-4 * (1 + 9.44e-4 * wet) * wick
        return 100 * (e_wet - a * hpa * (dry - wet)) / e_dry

    result = gtc_rh() + GTC.ureal(0, 0.8 / sqrt(3))
    # the application takes its slopes over 0.01 K
    assert p.u_reference == pytest.approx(GTC.uncertainty(result), rel=2e-3)


def test_a_quadratic_against_odrpack() -> None:
    from odrpack import odr_fit

    rng = np.random.default_rng(4)
    x = np.linspace(20.0, 80.0, 7)
    y = x + 3.0 - 0.08 * (x - 50) + 0.004 * (x - 50) ** 2
    x, y = x + rng.normal(0, 0.6, 7), y + rng.normal(0, 0.4, 7)
    none = np.zeros(7)
    own = [Influence("x", "", 0.6, np.ones(7), none), Influence("y", "", 0.4, none, np.ones(7))]
    ours = fit(x, y, own, "quadratic")
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        theirs = odr_fit(
            lambda x, b: b[0] + b[1] * (x - 50) + b[2] * (x - 50) ** 2,
            x,
            y,
            beta0=np.array([53.0, 0.9, 0.004]),
            weight_x=1 / 0.6**2,
            weight_y=1 / 0.4**2,
            sstol=1e-14,
            partol=1e-14,
        )
    at = np.array([25.0, 50.0, 70.0])
    expected = theirs.beta[0] + theirs.beta[1] * (at - 50) + theirs.beta[2] * (at - 50) ** 2
    np.testing.assert_allclose(ours.correction.apply(at)[0], expected, rtol=1e-6)
    # odrpack scales its covariance by the residual variance
    spread = theirs.cov_beta
    basis = np.stack([np.ones(3), at - 50, (at - 50) ** 2], axis=1)
    u = np.sqrt(np.einsum("ij,jk,ik->i", basis, spread, basis))
    np.testing.assert_allclose(ours.correction.apply(at)[1], u, rtol=0.02)


@pytest.mark.parametrize("emissivity", [0.85, 0.95, 1.0])
@pytest.mark.parametrize("walls", [20.0, 37.5, 45.0])
def test_an_infrared_gun_there_and_back(emissivity: float, walls: float) -> None:
    shown = fixed_points.gun_reading(37.5, walls, emissivity, 0.95)
    assert fixed_points.shell_temperature(shown, walls, emissivity, 0.95) == pytest.approx(37.5, abs=1e-9)
    # a shell as warm as its walls is seen true whatever its emissivity (Kirchhoff)
    assert fixed_points.shell_temperature(walls, walls, emissivity, 0.95) == pytest.approx(walls, abs=1e-9)


def _by_method(desk: Desk, method: str) -> Check:
    """A typical check by each method, all reading true."""
    lab = reference(desk, drift=0.05, days=200)
    hot = instrument(desk, "Probe")
    card = instrument(desk, "Card", "humidity")
    bath = [("37.0 37.1 37.2", "37.00 37.02 36.98"), ("39.1 39.0 39.2", "39.01 38.99 39.02")]
    jars = [("33 34 33", "MgCl2"), ("53 54 53", "Mg(NO3)2"), ("75 76 75", "NaCl")]
    cases: dict[str, tuple[object, list[tuple[str, object]], str]] = {
        "side": (hot, bath, "side"),
        "bath": (hot, [*bath, ("35.0 35.2 35.1", "35.00 35.02 35.01")], "bath"),
        "ice": (hot, [("0.1 0.2 0.1", {})], "ice"),
        "steam": (hot, [("96.9 97.0 96.9 97.1", {})], "steam"),
        "infrared": (hot, [("37.2 37.1", {"reference": "37.3 37.4 37.2", "walls": "35"})], "infrared"),
        "salt": (card, [(s, {"salt": k, "jar": "22"}) for s, k in jars], "salt"),
        "one salt": (card, [("75 76 75", {"salt": "NaCl", "jar": "22"})], "salt"),
        "wet_dry": (card, [("53 54 53", {"reference": "37.40 37.42", "wet": "28.90 28.91"})], "wet_dry"),
    }
    channel, points, key = cases[method]
    making.put_setting(desk, "altitude_m", f"{900.0:g}")
    draft, check = checked(desk, channel, points, method=key, against=lab)  # type: ignore[arg-type]
    if key == "wet_dry":
        draft.sets[0].second_id = lab.id
        check = evaluate(desk.book, draft)
    assert check.fitted is not None, (check.problems, check.trouble)
    return check


# what acts on a check: together on all its points (one reference, one pressure, one gun) or on each anew, how it is
# spread, and its standard uncertainty: a steps' half over √3, a certificate's U over k, scatter pooled over the points
ALWAYS = """
Scatter of this instrument | each | normal
Display steps during the check | each | rectangular
"""
LAB = """
Certificate of Lab | all | normal | 0.02
Drift of Lab since its certificate | all | rectangular | 0.01581
Display steps of Lab | each | rectangular | 0.00289
Scatter of Lab | each | normal
"""
ACTING = {
    "side": LAB + "Air differs between the two sensors | all | rectangular | 0.02887",
    "bath": LAB + "Water differs between the two tips | each | rectangular | 0.01732",
    "ice": "Slush differs from 0.00 °C | all | rectangular | 0.02887",
    "steam": """
        Pressure is known to | all | rectangular | 8.66025
        Steam differs from its boiling point | all | rectangular | 0.05774""",
    "infrared": LAB + """
        Emissivity is known to | all | rectangular | 0.01155
        Walls are known to | each | rectangular | 1.73205
        Gun's own temperature is known to | all | rectangular | 1.73205
        Shell cools and differs from the tip | each | normal | 0.25""",
    "one salt": """
        Table value, table salt | all | normal | 0.066
        Jar not settled | each | normal | 0.03718
        Air in the jar differs from the table | each | normal | 0.5
        Jar's temperature wandered by | each | normal | 0.25
        Jar's temperature is known to | each | rectangular | 0.28868
        Rising and falling differ | all | rectangular | 0.81650""",
    "wet_dry": LAB + """
        Display steps of Lab, wet | each | rectangular | 0.00289
        Scatter of Lab, wet | each | normal
        Air differs from wick to sensor | each | rectangular | 0.46188
        Wick's coefficient is known to, of itself | all | rectangular | 0.02887
        Pressure is known to | all | rectangular | 8.66025
        Rising and falling differ | all | rectangular | 0.81650""",
}  # fmt: skip


@pytest.mark.parametrize("method", ACTING)
def test_what_acts_on_a_check(desk: Desk, method: str) -> None:
    fitted = _by_method(desk, method).fitted
    assert fitted is not None
    wanted = [line.strip().split(" | ") for line in (ALWAYS + ACTING[method]).splitlines() if line.strip()]
    found = {i.label: i for i in fitted.influences}
    assert sorted(found) == sorted(line[0] for line in wanted)
    for label, points, spread, *u in wanted:
        one = found[label]
        assert ("all" if one.shared else "each", one.distribution) == (points, spread), label
        if u:
            assert one.standard_uncertainty == pytest.approx(float(u[0]), abs=6e-6), label
        assert (one.degrees_of_freedom < inf) == label.startswith("Scatter"), label


@pytest.mark.parametrize("method", ["side", "bath", "ice", "steam", "infrared", "salt", "one salt", "wet_dry"])
def test_coverage_by_method(desk: Desk, method: str) -> None:
    """Calibrations simulated with every influence drawn as its budget line says: U holds the truth in 94-96 %.

    What all points share (certificate, pressure, hysteresis) is drawn once; scatter is estimated anew each time.
    """
    check = _by_method(desk, method)
    fitted = check.fitted
    assert fitted is not None
    rng = np.random.default_rng(1)
    at = check.at
    n = len(check.points)
    # none of the points is odd, and nobody thinks that one may be
    own = replace(prior(check.channel), odd=1e-12)
    reading = np.array([p.reading for p in check.points])
    inside = 0
    for _ in range(TRIALS):
        # the truth: an instrument of the make that is assumed, none of its points odd
        off, steep, bent = rng.normal(0.0, 1.0, 3) * own.u

        def wrong(x: ArrayLike, off: float = off, steep: float = steep, bent: float = bent) -> np.ndarray:
            step = np.asarray(x) - own.middle
            return np.asarray(off + steep * step + bent * step**2)

        x, y = reading.copy(), reading + wrong(reading)
        told = []
        for i in fitted.influences:
            size = (1,) if i.shared else (n,)
            draw = _drawn(rng, i.distribution, size) * i.standard_uncertainty
            x, y = x + draw * i.on_reading, y + draw * i.on_reference
            seen = i
            if i.degrees_of_freedom < inf:
                dof = i.degrees_of_freedom
                seen = replace(i, standard_uncertainty=i.standard_uncertainty * sqrt(rng.chisquare(dof) / dof))
            told.append(seen)
        found = fit(x, y, told, prior=own)
        step = check.channel.resolution
        budget = found.budget_at(at, [type_b_resolution(STEPS_IN_USE, step)])
        shown = at + rng.uniform(-step / 2, step / 2)
        truth = at + wrong(at)
        inside += abs(found.correction.apply(shown)[0] - truth) <= budget.expanded_uncertainty
    assert holds_95(inside), inside / TRIALS


def _drawn(rng: np.random.Generator, distribution: str, size: tuple[int, ...]) -> np.ndarray:
    """Draws of standard deviation 1."""
    if distribution == "rectangular":
        return rng.uniform(-sqrt(3.0), sqrt(3.0), size)
    return rng.normal(0.0, 1.0, size)
