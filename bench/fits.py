"""Straight lines with errors in both axes, 10,000 sets of 8 points: ours (batched and one by one), odrpack, SciPy."""

from __future__ import annotations

import warnings

import numpy as np
from odrpack import odr_fit
from scipy.optimize import curve_fit
from timing import compare, seconds

from stathmis.core.checks.straight_line import york_line

FITS, POINTS, U_X, U_Y = 10_000, 8, 0.05, 0.03
rng = np.random.default_rng(0)
true = np.linspace(20, 45, POINTS)
x = true + rng.normal(0, U_X, (FITS, POINTS))
y = 1.01 * true - 0.4 + rng.normal(0, U_Y, (FITS, POINTS))


def line(x: np.ndarray, beta: np.ndarray) -> np.ndarray:
    """Straight line."""
    return beta[0] + beta[1] * x


def main() -> None:
    """Print the comparisons, per fit."""
    warnings.simplefilter("ignore")
    batched = seconds(lambda: york_line(x, y, U_X, U_Y), 5) / FITS
    single = seconds(lambda: [york_line(x[i], y[i], U_X, U_Y) for i in range(200)], 3) / 200
    start = np.array([0.0, 1.0])
    weights = {"weight_x": 1 / U_X**2, "weight_y": 1 / U_Y**2}
    odr = seconds(lambda: [odr_fit(line, x[i], y[i], beta0=start, **weights) for i in range(200)], 3) / 200
    only_y = seconds(
        lambda: [curve_fit(lambda v, a, b: a + b * v, x[i], y[i], sigma=np.full(POINTS, U_Y)) for i in range(200)], 3
    )
    for what, ours in (("one fit of a batch", batched), ("one fit by itself", single)):
        goal = "at least 20" if what == "one fit of a batch" else "no goal"
        compare(what, ours, odr, "odrpack        ", goal)
        compare(what, ours, only_y / 200, "SciPy curve_fit", goal)


if __name__ == "__main__":
    main()
