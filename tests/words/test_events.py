"""What was done to a machine, in words."""

from __future__ import annotations

import pytest

from stathmis.words.events import opening_words


@pytest.mark.parametrize(
    ("opening", "says"),
    [
        (0.0, "closed"), (0.019, "closed"), (0.1, "10 % open"), (0.25, "a quarter open"), (0.28, "28 % open"),
        (1 / 3, "a third open"), (0.4, "40 % open"), (0.5, "half open"), (0.75, "three quarters open"),
        (0.9, "90 % open"), (1.0, "fully open"),
    ],
)  # fmt: skip
def test_how_far_a_vent_is_open(opening: float, says: str) -> None:
    assert opening_words(opening) == says
