"""The way of a batch: what its keeper does otherwise than others, and wants to be reminded of and judged by."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from itertools import pairwise
from typing import Any, Literal, get_args, get_type_hints

from stathmis.core.course.profile import Band, Regime, Species

Turned = Literal["machine", "by hand", "none"]
Cooled = Literal["", "none", "by hand", "by machine"]
Misted = Literal["none", "lockdown"]
Opened = Literal["", "never", "quickly"]
Helped = Literal["no", "last resort"]
TakenOff = Literal["as they dry", "together"]
Wished = Literal["", "females", "both", "males"]
Held = Literal["air", "shell"]

CANDLINGS: dict[str, tuple[float, ...]] = {
    "twice": (1 / 3, 2 / 3),
    "once": (0.4,),
    "early and late": (8 / 21, 6 / 7),
    "every week": (1 / 3, 2 / 3, 6 / 7),
}
"""Days of candling as shares of the term: 7 and 14 of 21, and other habits. Source: common practice."""
WISHED_C = {"females": 27.5, "both": 30.5, "males": 32.3}
"""What a clutch whose sex the temperature decides is held at for the sex that is wished, °C: leopard geckos. Source:
common practice (females 26.7-28.3, a mix 30-31, males 31.7-33)."""
SHELL_OVER_K, SHELL_HALF_K = 0.25, 0.25
"""Who trusts the shell holds it so much over what the air is usually held at, give or take: 37.5-38.0 °C. Source:
common practice of large hatcheries."""
DAY_BEGINS_H, DAY_ENDS_H = 7.0, 22.0
"""Eggs are turned and cooled between these local hours. Source: common practice."""
HOURLY = 8
"""From so many turns a day on it does not matter on which side the eggs spend the night."""
COOLINGS_WITHIN_H = 20.0
"""The coolings of a day are spread over so many hours, not 24: a keeper is not a clock."""


@dataclass(frozen=True)
class Limits:
    """What a number of a way may be, lowest to highest; whole: only whole numbers."""

    low: float
    high: float
    whole: bool = False


LIMITS = {
    "term_days": Limits(5, 400),
    "set_c": Limits(20, 42),
    "tolerance_k": Limits(0.1, 3),
    "setting_rh": Limits(5, 100),
    "lockdown_rh": Limits(5, 100),
    "loss_percent": Limits(4, 25),
    "turns_a_day": Limits(1, 48, whole=True),
    "longest_gap_h": Limits(0.5, 24),
    "turn_every_min": Limits(1, 1440),
    "turn_degrees": Limits(1, 360),
    "counter_day": Limits(0, 400),
    "day_begins_h": Limits(0, 12),
    "day_ends_h": Limits(13, 24),
    "coolings_a_day": Limits(1, 6, whole=True),
    "cool_minutes": Limits(1, 180),
    "cool_from_day": Limits(0, 400),
    "candling_days": Limits(0, 400),
    "weigh_every_days": Limits(0.5, 60),
    "still_offset_k": Limits(0, 3),
    "vent_setting": Limits(5, 100),
    "vent_lockdown": Limits(5, 100),
    "vent_hatching": Limits(5, 100),
    "hot_k": Limits(0.3, 5),
    "cold_k": Limits(0.3, 10),
    "dry_rh": Limits(1, 60),
    "moist_rh": Limits(1, 60),
    "late_hot_k": Limits(0.3, 5),
    "late_cold_k": Limits(0.3, 10),
    "late_dry_rh": Limits(1, 60),
    "late_moist_rh": Limits(1, 60),
    "airing_day": Limits(0, 6, whole=True),
    "collecting_days": Limits(0, 28),
    "brooder_days": Limits(0, 7),
    "feed_limit_h": Limits(6, 96),
}
"""What a keeper can mean; beyond it lies a slip of the pen. Source: our own, wide."""
LONGEST_TEXT = 40
"""A place is named in a few words."""


@dataclass(frozen=True)
class Way:
    """How a keeper does it; None: as the species and the school have it. Source of the defaults: common practice.

    asked: held: whether temperatures are of the air or of the eggs' shells; term_days to the hatch; set_c, °C in moving
    air (or of the shell), with tolerance_k either way; setting_rh and lockdown_rh,
    percent from and to; loss_percent at lockdown; still_offset_k: how much warmer than in moving air the eggs are held
    in still air. candling: a key of CANDLINGS, or candling_days (elapsed) of one's own; weighing or not, and how often;
    posted eggs rest first; days the eggs are collected for. turning: who turns; by machine every so many minutes by so
    many degrees, counter_day: the day (elapsed) its own counter stops turning; by hand turns_a_day between two hours of
    the day, and the longest_gap_h that is no fault. cooling: who cools, "" as the species wants; how often a day, how
    long, from which day. vents, percent open: in setting, from lockdown, from the first chick out. misted: in lockdown;
    opening: whether the lid is opened while eggs are pipped, "" as the house has it; helping a chick out; taken_off:
    chicks as they dry, or all together. Alarms: hot_k and cold_k from the middle, dry_rh and moist_rh beyond the
    band; late_…: from lockdown on, as before it where nothing is said.
    feed_limit_h: after coming out; brooder_days: how long before lockdown the brooder is ready. Clutches: wished sex;
    airing_day: the weekday (0 Monday) of airing; box: the place of its box in the machine, in the keeper's words.
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
    term_days: float | None = None
    set_c: float | None = None
    tolerance_k: float | None = None
    setting_rh: tuple[float, float] | None = None
    lockdown_rh: tuple[float, float] | None = None
    loss_percent: float | None = None
    turn_every_min: float | None = None
    turn_degrees: float | None = None
    day_begins_h: float = DAY_BEGINS_H
    day_ends_h: float = DAY_ENDS_H
    vent_setting: float | None = None
    vent_lockdown: float | None = None
    vent_hatching: float | None = None
    misted: Misted = "none"
    opening: Opened = ""
    helping: Helped = "no"
    taken_off: TakenOff = "as they dry"
    hot_k: float | None = None
    cold_k: float | None = None
    dry_rh: float | None = None
    moist_rh: float | None = None
    wished: Wished = ""
    airing_day: int | None = None
    box: str = ""
    held: Held = "air"
    late_hot_k: float | None = None
    late_cold_k: float | None = None
    late_dry_rh: float | None = None
    late_moist_rh: float | None = None

    def held_c(self, species: Species) -> float | None:
        """The temperature this way holds in moving air, °C: as said, or by the sex that is wished; None: the usual."""
        if self.set_c is None and self.wished and species.sex_by_temperature:
            return WISHED_C[self.wished]
        return self.set_c

    def asks(self, species: Species, regime: Regime) -> tuple[Species, Regime]:
        """What species and school ask where this way has its own: temperature and its tolerance, humidity bands.

        A setting band of one's own holds for the whole of the setting.
        """
        heat = {"set_c": self.held_c(species), "half_band_k": self.tolerance_k}
        if self.by_shell(species):
            usual = {"set_c": species.set_c + SHELL_OVER_K, "half_band_k": SHELL_HALF_K}
            heat = {name: usual[name] if value is None else value for name, value in heat.items()}
        moist = {"setting_rh": self.setting_rh, "lockdown_rh": self.lockdown_rh}
        bands = {name: Band(*pair) for name, pair in moist.items() if pair is not None}
        own: dict[str, Any] = {**bands, **({"until_day": None} if self.setting_rh is not None else {})}
        warm: dict[str, Any] = {name: value for name, value in heat.items() if value is not None}
        return replace(species, **warm), replace(regime, **own)

    def by_shell(self, species: Species) -> bool:
        """Whether what is held is the shell; the eggs of clutches make hardly any heat."""
        return self.held == "shell" and species.kind == "bird"

    def alarm_at(self, name: Literal["hot_k", "cold_k", "dry_rh", "moist_rh"], *, late: bool) -> float | None:
        """A limit of one's own for alarms, K or percent; late: from lockdown on. None: the usual.

        >>> way = Way(hot_k=1.0, late_hot_k=0.5)
        >>> way.alarm_at("hot_k", late=False), way.alarm_at("hot_k", late=True), way.alarm_at("cold_k", late=True)
        (1.0, 0.5, None)
        """
        own: float | None = getattr(self, f"late_{name}") if late else None
        usual: float | None = getattr(self, name)
        return usual if own is None else own

    def candled(self, term_days: float) -> tuple[float, ...]:
        """Days of candling (elapsed) of a term of so many days.

        >>> Way().candled(21.0), Way(candling_days=(8.0, 18.0)).candled(21.0)
        ((7.0, 14.0), (8.0, 18.0))
        """
        return tuple(sorted(self.candling_days)) or tuple(
            float(round(share * term_days)) for share in CANDLINGS[self.candling]
        )

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
            return self.day_begins_h + 24.0
        return self.day_begins_h + (self.day_ends_h - self.day_begins_h) * turned / max(1, self.turns_a_day - 1)


_HINTS = get_type_hints(Way)


def possible(name: str, value: Any) -> bool:
    """Whether a field of a way can be this: of its kind, and within its LIMITS. Source: LIMITS.

    >>> possible("turns_a_day", 5), possible("turns_a_day", 0), possible("turning", "seldom"), possible("set_c", None)
    (True, False, False, True)
    """
    hint = _HINTS[name]
    options = get_args(hint)
    if value is None:
        return type(None) in options
    if hint is bool:
        return isinstance(value, bool)
    if hint is str:
        return isinstance(value, str) and (value in CANDLINGS if name == "candling" else len(value) <= LONGEST_TEXT)
    limits = LIMITS.get(name)
    if limits is None:
        return value in options
    if name in ("candling_days", "setting_rh", "lockdown_rh"):
        band = name != "candling_days"
        if not isinstance(value, tuple | list) or (band and len(value) != 2):
            return False
        rising = all(a < b for a, b in pairwise(value))
        return all(_within(v, limits) for v in value) and (rising or not band)
    return _within(value, limits)


def _within(value: Any, limits: Limits) -> bool:
    if isinstance(value, bool) or not isinstance(value, int | float):
        return False
    return limits.low <= value <= limits.high and not (limits.whole and value != int(value))


def made(kept: dict[str, Any]) -> Way:
    """A way of what is known of it; what is unknown or cannot be is left at its default. Source: LIMITS."""
    found: dict[str, Any] = {f.name: kept[f.name] for f in fields(Way) if f.name in kept}
    good: dict[str, Any] = {
        name: tuple(value) if isinstance(value, list) else value
        for name, value in found.items()
        if possible(name, value)
    }
    return Way(**good)
