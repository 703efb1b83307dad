"""Moist air, 1,000,000 samples: ours against PsychroLib compiled with numba, and MetPy."""

from __future__ import annotations

import warnings

import numpy as np
import psychrolib
from timing import compare, seconds

from stathmis.core import psychrometrics as p

N = 1_000_000
rng = np.random.default_rng(0)
dry, rh = rng.uniform(15, 45, N), rng.uniform(5, 98, N)
wet = p.wet_bulb_temperature(dry, rh)
hpa = np.full(N, 910.0)
altitude = rng.uniform(0, 3000, N)
psychrolib.SetUnitSystem(psychrolib.SI)


def main() -> None:
    """Print the comparisons."""
    share, pascal = rh / 100, hpa * 100
    for what, ours, theirs, goal in (
        (
            "saturation vapor pressure",
            lambda: p.saturation_vapor_pressure(dry),
            lambda: psychrolib.GetSatVapPres(dry),
            "at least 1",
        ),
        (
            "dew point",
            lambda: p.dew_point(dry, rh),
            lambda: psychrolib.GetTDewPointFromRelHum(dry, share),
            "at least 5",
        ),
        (
            "wet bulb",
            lambda: p.wet_bulb_temperature(dry, rh, hpa),
            lambda: psychrolib.GetTWetBulbFromRelHum(dry, share, pascal),
            "at least 5",
        ),
        (
            "humidity from wet bulb",
            lambda: p.relative_humidity_from_wet_bulb(dry, wet, hpa),
            lambda: psychrolib.GetRelHumFromTWetBulb(dry, wet, pascal),
            "at least 1",
        ),
        (
            "humidity ratio",
            lambda: p.humidity_ratio(dry, rh, hpa),
            lambda: psychrolib.GetHumRatioFromRelHum(dry, share, pascal),
            "at least 1",
        ),
        (
            "vapor pressure deficit",
            lambda: p.vapor_pressure_deficit(dry, rh),
            lambda: psychrolib.GetVaporPressureDeficit(
                dry, psychrolib.GetHumRatioFromRelHum(dry, share, pascal), pascal
            ),
            "at least 1",
        ),
        (
            "standard pressure",
            lambda: p.standard_pressure(altitude),
            lambda: psychrolib.GetStandardAtmPressure(altitude),
            "at least 1",
        ),
    ):
        compare(what, seconds(ours, 5), seconds(theirs, 3), "PsychroLib", goal)
    _metpy()


def _metpy() -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        from metpy.calc import dewpoint_from_relative_humidity
        from metpy.units import units

        t, h = dry * units.degC, rh * units.percent
        theirs = seconds(lambda: dewpoint_from_relative_humidity(t, h), 3)
    compare("dew point", seconds(lambda: p.dew_point(dry, rh), 5), theirs, "MetPy     ", "no goal")


if __name__ == "__main__":
    main()
