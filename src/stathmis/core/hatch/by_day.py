"""The hatch as a check of the thermometer: what the air was on average, by the day the chicks came out."""

from __future__ import annotations

from math import hypot

from stathmis.core.egg_heat import BIOLOGICAL_ZERO_C
from stathmis.core.hatch.review import SHIFT_U_DAYS

RULE_SHARE = 1 / 3
"""Of what the rule of thumb makes of a shift, so much is its own uncertainty. Source: common practice, approximate."""


def mean_by_hatch_day(day: float, u_day: float, usual_days: float, usual_c: float) -> tuple[float, float]:
    """What the eggs had on average over the term, °C, and its standard uncertainty.

    day: of the middle chick (elapsed) with its standard uncertainty; usual_days: of such eggs held at usual_c, °C.
    Raises ValueError for days not above 0. Source: rule of thumb, common practice: rate in proportion to T - 25 °C;
    flocks differ by SHIFT_U_DAYS.

    >>> celsius, u = mean_by_hatch_day(22.0, 0.25, 21.0, 37.5)
    >>> round(celsius, 2), round(u, 2)
    (36.93, 0.32)
    """
    if not min(day, usual_days) > 0:
        raise ValueError("days are above 0")
    above = (usual_c - BIOLOGICAL_ZERO_C) * usual_days / day
    by_day = above / day * hypot(u_day, SHIFT_U_DAYS)
    celsius = BIOLOGICAL_ZERO_C + above
    return celsius, hypot(by_day, RULE_SHARE * (celsius - usual_c))
