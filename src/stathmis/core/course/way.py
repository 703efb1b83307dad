"""The way of a batch: what its keeper does otherwise than others, and wants to be reminded of and judged by."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Turned = Literal["machine", "by hand", "none"]
Cooled = Literal["", "none", "by hand", "by machine"]

CANDLINGS: dict[str, tuple[float, ...]] = {
    "twice": (1 / 3, 2 / 3),
    "once": (0.4,),
    "early and late": (8 / 21, 6 / 7),
    "every week": (1 / 3, 2 / 3, 6 / 7),
}
"""Days of candling as shares of the term: 7 and 14 of 21, and other habits. Source: common practice."""
DAY_BEGINS_H, DAY_ENDS_H = 7.0, 22.0
"""Eggs are turned and cooled between these local hours. Source: common practice."""
HOURLY = 8
"""From so many turns a day on it does not matter on which side the eggs spend the night."""
COOLINGS_WITHIN_H = 20.0
"""The coolings of a day are spread over so many hours, not 24: a keeper is not a clock."""


@dataclass(frozen=True)
class Way:
    """How a keeper does it. Source of the defaults: common practice.

    candling: a key of CANDLINGS, or candling_days (elapsed) of one's own; weighing or not, and how often; posted eggs
    rest first; days the eggs are collected for. turning: who turns; by hand turns_a_day, and the longest_gap_h that is
    no fault; counter_day: the day (elapsed) the machine's own counter stops turning. cooling: who cools, "" as the
    species wants; how often a day, how long, from which day. still_offset_k: how much warmer than in moving air the
    eggs are held in still air (None: the usual). feed_limit_h: after coming out; brooder_days: how long before lockdown
    the brooder is ready.
    """

    candling: str = "twice"
    weighing: bool = True
    posted: bool = False
    collecting_days: float = 5.0
    turning: Turned = "machine"
    cooling: Cooled = ""
    candling_days: tuple[float, ...] = ()
    weigh_every_days: float = 4.0
    turns_a_day: int = 5
    longest_gap_h: float = 12.0
    counter_day: float | None = None
    coolings_a_day: int = 1
    cool_minutes: float = 15.0
    cool_from_day: float = 7.0
    still_offset_k: float | None = None
    feed_limit_h: float = 72.0
    brooder_days: float = 1.0

    def candled(self, term_days: float) -> tuple[float, ...]:
        """Days of candling (elapsed) of a term of so many days.

        >>> Way().candled(21.0), Way(candling_days=(8.0, 18.0)).candled(21.0)
        ((7.0, 14.0), (8.0, 18.0))
        """
        return self.candling_days or tuple(float(round(share * term_days)) for share in CANDLINGS[self.candling])

    def cools(self, wanted: bool) -> bool:
        """Whether the eggs are cooled, by the keeper or by the machine; wanted: it helps the species."""
        return self.cooling in ("by hand", "by machine") or (self.cooling == "" and wanted)

    @property
    def cool_every_h(self) -> float:
        """Hours from one cooling to the next."""
        return COOLINGS_WITHIN_H / self.coolings_a_day

    def enough(self, turns: int) -> bool:
        """Whether a day with so many turns was turned as meant: most of them, and an odd number, so that the long night
        falls on alternate sides; with very many that does not matter.

        >>> [Way(turns_a_day=5).enough(n) for n in (2, 3, 4, 5)], Way(turns_a_day=16).enough(14)
        ([False, True, False, True], True)
        """
        least = max(1, round(0.6 * self.turns_a_day))
        return turns >= least and (turns % 2 == 1 or self.turns_a_day >= HOURLY)

    def next_turn_h(self, turned: int) -> float:
        """The local hour of the next turn after so many today: the day in equal parts; 24 h later when all are done.

        >>> Way(turns_a_day=3).next_turn_h(1), Way(turns_a_day=1).next_turn_h(1)
        (14.5, 31.0)
        """
        if turned >= self.turns_a_day:
            return DAY_BEGINS_H + 24.0
        return DAY_BEGINS_H + (DAY_ENDS_H - DAY_BEGINS_H) * turned / max(1, self.turns_a_day - 1)
