"""What a check says: settling and the choice of curve, sentence by sentence."""

from __future__ import annotations

from math import inf

import pytest

from stathmis.core.calibration import Considered
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
    ("considered", "says"),
    [
        (Considered("offset", True, "alone", 0.0), "One offset: the points ask for nothing more."),
        (Considered("line", True, "apart", 24.4), "the points span 24 times their uncertainty (10 is enough)."),
        (Considered("quadratic", True, "bent", 4.26), "the bend is 4.3 times its uncertainty (3 is enough)."),
        (Considered("line", True, "asked", 0.0), "as you asked."),
        (Considered("offset", False, "apart", 24.0), "the points lie too far apart to trust that one number fits all."),
        (Considered("line", False, "few", 1.0), "1 reading that differ; it wants 2."),
        (Considered("quadratic", False, "few", 3.0), "3 readings that differ; it wants 4."),
        (Considered("line", False, "close", 2.345), "span only 2.3 times their uncertainty, 10 are wanted."),
        (Considered("quadratic", False, "straight", 1.26), "the bend is 1.3 times its uncertainty, 3 are wanted."),
    ],
)
def test_the_choice_of_curve(considered: Considered, says: str) -> None:
    said = choice_words((considered,))
    assert said.endswith(says) and said.startswith("Not ") == (not considered.chosen)


def test_the_chosen_curve_is_said_first() -> None:
    said = choice_words((Considered("line", False, "few", 1.0), Considered("offset", True, "alone", 0.0)))
    assert said.index("nothing more") < said.index("Not ")
