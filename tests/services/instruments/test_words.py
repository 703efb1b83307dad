"""What a check says: settling and the choice of curve, sentence by sentence."""

from __future__ import annotations

from math import inf

import numpy as np
import pytest

from stathmis.core.calibration import fit
from stathmis.core.checks.influences import Influence
from stathmis.core.checks.settling import Settling
from stathmis.services.instruments.words import choice_words, settling_words


@pytest.mark.parametrize(
    ("slope_per_h", "to_go", "settled", "wait_s", "says"),
    [
        (0.0, 0.01, True, 0.0, ", steady: settled, less than 0.05 °C to go (response time 2 min)"),
        (0.049, 0.01, True, 0.0, ", steady: settled"),
        (0.0501, 0.01, True, 0.0, ", rising 0.1 an hour: settled"),
        (-3.6, 0.2, False, 200.0, ", falling 3.6 an hour: not settled. Wait about 3 min and read again"),
        (3.6, 0.2, False, 20.0, ", rising 3.6 an hour: not settled. Wait about 1 min"),
        (0.0, inf, False, inf, "; a third reading tells whether it has settled (response time 2 min)"),
    ],
)
def test_settling(slope_per_h: float, to_go: float, settled: bool, wait_s: float, says: str) -> None:
    found = Settling(4, 36.128, 0.0612, slope_per_h / 3600.0, 1e-5, to_go, settled, wait_s)
    said = settling_words(found, 0.05, 120.0, "°C")
    assert said.startswith(f"mean 36.13, scatter 0.06{says}")


@pytest.mark.parametrize(
    ("model", "says"),
    [("auto", "Offset, slope and bend averaged: each counts"), ("line", "A straight line, as you asked.")],
)
def test_the_curve(model: str, says: str) -> None:
    scatter = Influence("scatter", "°C", 0.05, np.zeros(3), np.ones(3))
    found = fit([20.0, 30.0, 40.0], [20.1, 30.2, 40.2], [scatter], model)  # type: ignore[arg-type]
    assert choice_words(found).startswith(says)
