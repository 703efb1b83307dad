"""Readings and their times go together one by one, everywhere in the core: anything else is refused in words."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from stathmis.core.adherence import judge
from stathmis.core.checks.side_by_side import at_times
from stathmis.core.checks.steady import steady_part, time_constant
from stathmis.core.course.forecast import going_on
from stathmis.core.course.upsets import cycle_mean, cycling, sudden_drops
from stathmis.core.moisture import accumulate, fit_conductance

TAKEN: list[Callable[[Any, Any], Any]] = [
    sudden_drops,
    cycling,
    cycle_mean,
    time_constant,
    steady_part,
    lambda t, v: at_times([1.0], t, v, 60.0),
    lambda t, v: judge(t, v, 37.0, 38.0, 60.0),
    lambda t, v: going_on(t, v, [600.0], 600.0),
    lambda t, v: accumulate(t, v, [1.0], 0.0, 60.0, 30.0, 3.0),
    lambda t, v: fit_conductance(t, v, 0.1, (10.0, 1.0)),
]


@pytest.mark.parametrize("taken", TAKEN)
@pytest.mark.parametrize(("times", "values"), [((9,), (8,)), ((), ()), ((3, 3), (3, 3)), ((9,), (9, 1)), ((9,), ())])
def test_times_and_values_that_do_not_go_together_are_refused(
    taken: Callable[[Any, Any], Any], times: tuple[int, ...], values: tuple[int, ...]
) -> None:
    with pytest.raises(ValueError, match="needed"):
        taken(np.ones(times).cumsum().reshape(times), np.full(values, 37.5))
