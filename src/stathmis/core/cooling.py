"""A box without power, worked back: when it went off, and how cold the eggs got, from what is read when it is found."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stathmis.core.egg_heat import egg_temperature
from stathmis.core.uncertainty import NORMAL_95

Array = NDArray[np.float64]

QUICK_H = 0.15
QUICK_SHARES = (0.1, 0.25, 0.4, 0.55)
"""So quickly (h) the air gives up what it has over the walls of the box, which are so far down already (share of the
way to the room). Source: common practice for small boxes, approximate."""
STEPS, BOXES = 241, 13
U_MODEL_K = 0.7
"""How far the air of a real box is from two exponentials, standard uncertainty. Source: our own."""


@dataclass(frozen=True)
class Found:
    """A value with the ends of its 95 % interval."""

    value: float
    low: float
    high: float


@dataclass(frozen=True)
class WorkedBack:
    """How long ago it went off, h, and what the middle of the eggs has come down to by now, °C."""

    hours: Found
    core_c: Found


def worked_back(
    room_c: float,
    air_c: float,
    core_c: float,
    egg_g: float,
    box_h: float,
    factor: float,
    longest_h: float,
    air_now: tuple[float, float] | None = None,
    shell_now: tuple[float, float] | None = None,
) -> WorkedBack:
    """Work back a power cut that is not over from what air and eggs read now.

    room_c, air_c, core_c: the room, and air and egg before, °C; egg_g: g; box_h: response time of such a box, h, which
    may be off by a factor either way (95 %); longest_h: how long ago it was seen well, above 0; air_now, shell_now: °C
    with standard uncertainty, at least one. Raises ValueError for nothing read, no time, or a room as warm as the box.
    Source: Newton's cooling of air and walls, core_modes behind it; Bayes over a grid of boxes and hours, each alike
    beforehand; boxes bell-shaped in their logarithm.

    >>> found = worked_back(20.0, 37.5, 37.5, 58.0, 1.5, 1.6, 12.0, air_now=(27.0, 0.3))
    >>> 0.2 < found.hours.low < found.hours.value < found.hours.high < 2.5
    True
    """
    if air_now is None and shell_now is None:
        raise ValueError("something is read now")
    if not longest_h > 0 or room_c >= air_c - 1.0:
        raise ValueError("a box cools from its own warmth to that of a cooler room, over some time")
    hours = np.linspace(0.0, longest_h, STEPS)
    spread = np.log(factor) / NORMAL_95
    offs = np.linspace(-2.5, 2.5, BOXES)
    weights, cores = [], []
    for off in offs:
        slow = box_h * float(np.exp(spread * off))
        for share in QUICK_SHARES:
            falls = share * np.exp(-hours / QUICK_H) + (1.0 - share) * np.exp(-hours / slow)
            air = room_c + (air_c - room_c) * falls
            core = egg_temperature(hours * 3600.0, air, egg_g, forced_air=False, start_c=core_c)
            chi = np.full(hours.shape, off**2)
            if air_now is not None:
                chi += ((air - air_now[0]) / np.hypot(air_now[1], U_MODEL_K)) ** 2
            if shell_now is not None:
                # a shell is between the middle of the egg and the air
                shell = core + 0.4 * (air - core)
                chi += ((shell - shell_now[0]) / np.hypot(shell_now[1], U_MODEL_K)) ** 2
            weights.append(chi)
            cores.append(core)
    chi = np.array(weights)
    weight = np.exp(-0.5 * (chi - chi.min()))
    return WorkedBack(_found(np.broadcast_to(hours, weight.shape), weight), _found(np.array(cores), weight))


def _found(values: Array, weight: Array) -> Found:
    """Middle and 95 % of weighted values."""
    order = np.argsort(values, axis=None)
    sorted_values, share = values.ravel()[order], np.cumsum(weight.ravel()[order])
    low, middle, high = np.interp([0.025, 0.5, 0.975], share / share[-1], sorted_values)
    return Found(float(middle), float(low), float(high))
