"""Moist air against IAPWS-95 (CoolProp), IAPWS-IF97, PsychroLib, ICAO and the trade's wet-bulb table."""

from __future__ import annotations

import numpy as np
import psychrolib
import pytest
from CoolProp.CoolProp import HAPropsSI, PropsSI
from iapws import IAPWS97

from stathmis.core import psychrometrics as p

psychrolib.SetUnitSystem(psychrolib.SI)


def test_saturation_pressure_against_iapws95() -> None:
    # the stated accuracy: 0.006 % over 15-45 °C; 0.02 % over the whole of 0.1-100 °C
    for low, high, tolerance in ((15.0, 45.0, 6e-5), (0.1, 100.0, 2e-4)):
        t = np.linspace(low, high, 61)
        reference = [PropsSI("P", "T", x + 273.15, "Q", 1, "Water") / 100 for x in t]
        np.testing.assert_allclose(p.saturation_vapor_pressure(t), reference, rtol=tolerance)


@pytest.mark.parametrize(
    ("pressure", "expected"),
    [(1013.25, 99.974), (950, 98.178), (900, 96.687), (845.6, 94.984), (800, 93.485), (700, 89.932)],
)
def test_boiling_point_against_if97(pressure: float, expected: float) -> None:
    # published values of IAPWS-IF97, and the library's own
    assert p.boiling_point(pressure) == pytest.approx(expected, abs=0.005)
    assert p.boiling_point(pressure) == pytest.approx(IAPWS97(P=pressure * 1e-4, x=0).T - 273.15, abs=0.005)


@pytest.mark.parametrize(("altitude", "expected"), [(0, 1013.25), (900, 909.7), (1500, 845.6), (1829, 812.0)])
def test_standard_atmosphere(altitude: float, expected: float) -> None:
    # ICAO standard atmosphere, Doc 7488
    assert p.standard_pressure(altitude) == pytest.approx(expected, abs=0.06)


@pytest.mark.parametrize(
    ("dry", "wet", "pressure", "expected"),
    [
        (37.5, 29.0, 1013.25, 53.54),
        (37.5, 30.6, 1013.25, 61.15),
        (37.5, 29.0, 850, 54.97),
        (38.9, 31.1, 1013.25, 57.69),
    ],
)
def test_humidity_from_wet_bulb_values(dry: float, wet: float, pressure: float, expected: float) -> None:
    # computed with PsychroLib and CoolProp on the pairs given
    assert p.relative_humidity_from_wet_bulb(dry, wet, pressure) == pytest.approx(expected, abs=0.02)


def _grid() -> list[tuple[float, float, float]]:
    return [
        (t, rh, hpa) for t in (15, 22, 30, 37.5, 45) for rh in (5, 20, 50, 80, 98) for hpa in (700, 850, 1013.25, 1050)
    ]


def test_wet_bulb_against_psychrolib() -> None:
    rows = [(t, rh, hpa, psychrolib.GetTWetBulbFromRelHum(t, rh / 100, hpa * 100)) for t, rh, hpa in _grid()]
    # PsychroLib takes ice below zero, we take water
    t, rh, hpa, theirs = np.array([row for row in rows if row[3] >= 0.5]).T
    assert t.size >= 100
    assert np.abs(p.wet_bulb_temperature(t, rh, hpa) - theirs).max() <= 0.006
    back = [100 * psychrolib.GetRelHumFromTWetBulb(*row) for row in zip(t, theirs, hpa * 100, strict=True)]
    assert np.abs(p.relative_humidity_from_wet_bulb(t, theirs, hpa) - back).max() <= 0.02


def test_wet_bulb_against_coolprop() -> None:
    for t, rh, hpa in _grid():
        theirs = HAPropsSI("B", "T", t + 273.15, "R", rh / 100, "P", hpa * 100) - 273.15
        if theirs > 1.0:
            # CoolProp treats moist air as a real gas, ASHRAE's balance as an ideal one: 0.16 % RH at the driest corner
            assert p.relative_humidity_from_wet_bulb(t, theirs, hpa) == pytest.approx(rh, abs=0.17)


def test_dew_point_and_ratio_against_psychrolib() -> None:
    for t, rh, hpa in _grid():
        dew = psychrolib.GetTDewPointFromRelHum(t, rh / 100)
        if dew > 0.5:
            assert p.dew_point(t, rh) == pytest.approx(dew, abs=0.01)
        assert p.humidity_ratio(t, rh, hpa) == pytest.approx(
            psychrolib.GetHumRatioFromRelHum(t, rh / 100, hpa * 100), rel=4e-4
        )


TRADE_TABLE = {
    99: (80.5, 82.5, 84.5, 86.5, 88.0, 89.7),
    100: (81.3, 83.3, 85.3, 87.3, 89.0, 90.7),
    101: (82.2, 84.2, 86.2, 88.2, 90.0, 91.7),
    102: (83.0, 85.0, 87.0, 89.0, 91.0, 92.7),
}


@pytest.mark.parametrize("dry_f", list(TRADE_TABLE))
def test_trade_table(dry_f: int) -> None:
    # extension-service handbook table for 45, 50, 55, 60, 65, 70 % RH, in °F, from memory; holds within 0.9 % RH
    for rh, wet_f in zip((45, 50, 55, 60, 65, 70), TRADE_TABLE[dry_f], strict=True):
        found = p.relative_humidity_from_wet_bulb((dry_f - 32) / 1.8, (wet_f - 32) / 1.8)
        assert found == pytest.approx(rh, abs=0.9)


@pytest.mark.parametrize(("rh", "room", "expected"), [(45, 21, 17.3), (60, 24, 27.8)])
def test_same_vapor_warmed(rh: float, room: float, expected: float) -> None:
    # computed with CoolProp's saturation pressures
    assert p.relative_humidity_at(rh, room, 37.5) == pytest.approx(expected, abs=0.06)


def test_wmo_psychrometer() -> None:
    # WMO-No. 8: e = e_w - A p (t - t_w), with A = 6.53e-4 (1 + 9.44e-4 t_w); done by hand with CoolProp's pressures
    e_w, e_s = (PropsSI("P", "T", t + 273.15, "Q", 1, "Water") / 100 for t in (29.0, 37.5))
    by_hand = 100 * (e_w - 6.53e-4 * (1 + 9.44e-4 * 29.0) * 1013.25 * 8.5) / e_s
    found = p.relative_humidity_from_wet_bulb(37.5, 29.0, coefficient_per_k=p.ventilated_wick_coefficient(29.0))
    assert found == pytest.approx(by_hand, abs=0.01)
