"""Properties of the moist-air functions, and what they refuse."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from stathmis.core import psychrometrics as p

temperatures = st.floats(1.0, 59.0)
humidities = st.floats(1.0, 100.0)
pressures = st.floats(620.0, 1090.0)


@given(temperatures, humidities, pressures)
def test_wet_bulb_there_and_back(t: float, rh: float, hpa: float) -> None:
    wet = p.wet_bulb_temperature(t, rh, hpa)
    if wet >= 0:
        assert p.relative_humidity_from_wet_bulb(t, min(wet, t), hpa) == pytest.approx(rh, abs=1e-4)


@given(temperatures, st.floats(5.0, 100.0))
def test_dew_point_is_where_the_vapor_saturates(t: float, rh: float) -> None:
    dew = p.dew_point(t, rh)
    assert p.saturation_vapor_pressure(dew) == pytest.approx(rh / 100 * p.saturation_vapor_pressure(t), rel=1e-4)
    assert dew <= t + 1e-3


@given(temperatures, humidities)
def test_deficit_and_vapor_make_saturation(t: float, rh: float) -> None:
    vapor = rh / 100 * p.saturation_vapor_pressure(t)
    assert p.vapor_pressure_deficit(t, rh) + vapor == pytest.approx(p.saturation_vapor_pressure(t), rel=1e-12)


@given(st.floats(320.0, 1090.0))
def test_water_boils_where_its_pressure_is_the_airs(hpa: float) -> None:
    assert p.saturation_vapor_pressure(p.boiling_point(hpa)) == pytest.approx(hpa, rel=1e-6)


@given(temperatures, temperatures, st.floats(1.0, 50.0))
def test_warming_and_cooling_back(t1: float, t2: float, rh: float) -> None:
    other = p.relative_humidity_at(rh, t1, t2)
    if other <= 100:
        assert p.relative_humidity_at(other, t2, t1) == pytest.approx(rh, rel=1e-9)


def test_long_arrays_equal_single_numbers_and_broadcast() -> None:
    rng = np.random.default_rng(3)
    t, rh = rng.uniform(15, 45, 20_001), rng.uniform(5, 98, 20_001)
    for function in (p.dew_point, p.wet_bulb_temperature, p.humidity_ratio, p.vapor_pressure_deficit):
        many = function(t, rh)
        assert many.shape == t.shape
        for i in (0, 8191, 8192, 20_000):
            assert many[i] == pytest.approx(function(float(t[i]), float(rh[i])), rel=1e-12)
    table = p.wet_bulb_temperature(t[:5, None], rh[None, :7])
    assert table.shape == (5, 7)
    assert isinstance(p.dew_point(20.0, 50.0), float)


@pytest.mark.parametrize(
    "call",
    [
        lambda: p.saturation_vapor_pressure(200.0),
        lambda: p.dew_point(20.0, 0.0),
        lambda: p.wet_bulb_temperature(20.0, 101.0),
        lambda: p.relative_humidity_from_wet_bulb(30.0, 31.0),
        lambda: p.humidity_ratio([20.0, 30.0], [50.0, -1.0]),
        lambda: p.boiling_point(100.0),
        lambda: p.standard_pressure(20_000.0),
        lambda: p.relative_humidity_at(120.0, 20.0, 30.0),
    ],
)
def test_out_of_range_is_refused(call) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(ValueError, match=r"outside|above"):
        call()


def test_nan_passes_through() -> None:
    found = p.dew_point([20.0, np.nan], 50.0)
    assert np.isfinite(found[0])
    assert np.isnan(found[1])


def test_beside_nan_what_is_out_of_range_is_refused_all_the_same() -> None:
    assert np.isnan(p.boiling_point([np.nan, np.nan])).all()
    for bad in ([np.nan, 1300.0], [100.0, np.nan]):
        with pytest.raises(ValueError, match="is outside 300 to 1100 hPa"):
            p.boiling_point(bad)


@pytest.mark.parametrize(("pressures", "worst"), [([1013.0, 1300.0], "1300"), ([120.0, 1013.0], "120")])
def test_the_value_that_is_out_of_range_is_named(pressures: list[float], worst: str) -> None:
    with pytest.raises(ValueError, match=f"Pressure {worst} hPa is outside 300 to 1100 hPa"):
        p.boiling_point(np.array(pressures))


LOWEST, HIGHEST = -50.0, 105.0


@pytest.mark.parametrize(
    ("function", "others", "at", "low", "high"),
    [
        (p.saturation_vapor_pressure, (), 0, LOWEST, HIGHEST),
        (p.dew_point, (50.0,), 0, LOWEST, HIGHEST),
        (p.dew_point, (20.0,), 1, 1e-6, 100.0),
        (p.relative_humidity_from_wet_bulb, (0.0, 1000.0), 0, 0.0, 100.0),
        (p.relative_humidity_from_wet_bulb, (100.0, 1000.0), 1, 0.0, 100.0),
        (p.relative_humidity_from_wet_bulb, (30.0, 20.0), 2, 300.0, 1200.0),
        (p.wet_bulb_temperature, (50.0, 1000.0), 0, 0.0, 60.0),
        (p.wet_bulb_temperature, (30.0, 1000.0), 1, 0.0, 100.0),
        (p.wet_bulb_temperature, (30.0, 50.0), 2, 600.0, 1100.0),
        (p.humidity_ratio, (50.0, 1000.0), 0, LOWEST, 60.0),
        (p.humidity_ratio, (30.0, 1000.0), 1, 0.0, 100.0),
        (p.humidity_ratio, (30.0, 50.0), 2, 300.0, 1200.0),
        (p.relative_humidity_at, (20.0, 30.0), 0, 0.0, 100.0),
        (p.relative_humidity_at, (50.0, 30.0), 1, LOWEST, HIGHEST),
        (p.relative_humidity_at, (50.0, 20.0), 2, LOWEST, HIGHEST),
        (p.vapor_pressure_deficit, (50.0,), 0, LOWEST, HIGHEST),
        (p.vapor_pressure_deficit, (30.0,), 1, 0.0, 100.0),
        (p.standard_pressure, (), 0, -500.0, 11000.0),
        (p.boiling_point, (), 0, 300.0, 1100.0),
    ],
)
def test_each_range_ends_where_its_description_says(
    function: Callable[..., float], others: tuple[float, ...], at: int, low: float, high: float
) -> None:
    for edge, beyond in ((low, low - 1e-7), (high, high + 1e-7)):
        assert np.isfinite(function(*others[:at], edge, *others[at:]))
        with pytest.raises(ValueError, match="is outside"):
            function(*others[:at], beyond, *others[at:])
