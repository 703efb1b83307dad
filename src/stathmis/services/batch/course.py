"""A batch on its course: which day and phase it is in, and the bands to hold."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from functools import cached_property
from math import ceil, floor

import numpy as np
from numpy.typing import ArrayLike, NDArray

from stathmis.core import egg_heat
from stathmis.core.course import profile
from stathmis.core.course.profile import Air, Band, OwnProfile, Phase, Species
from stathmis.core.course.way import Way, possible
from stathmis.core.units import Quantity
from stathmis.logbook.records import Batch, Incubator
from stathmis.services import knowledge
from stathmis.services.clock import DAY_MS, local
from stathmis.words.batch import course as say
from stathmis.words.catalogue import _, as_number

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Learned:
    """What own hatches had taught by the day a batch was planned, None where nothing: days to the hatch; conductance of
    the shells over the usual one with its standard uncertainty; where the temperature sets the term, own days over the
    list's, with the relative half-range of the next one."""

    term_days: float | None = None
    shells: tuple[float, float] | None = None
    term_ratio: tuple[float, float] | None = None


TERM_OVER = 1.15
"""What has not hatched by this share of the term makes no heat any more."""
SHELL_STEP_K = 0.1
"""Who holds the shell moves the air by such steps."""


def learned_in(habits: str) -> Learned:
    """What a plan keeps of earlier hatches, beside its way (JSON)."""
    kept = json.loads(habits or "{}").get("learned") or {}
    pairs = (kept.get(name) for name in ("shells", "term_ratio"))
    shells, ratio = (None if pair is None else (float(pair[0]), float(pair[1])) for pair in pairs)
    term = kept.get("term_days")
    if ratio is not None and not (0.3 < ratio[0] < 3.0 and 0.0 < ratio[1] < 1.0):
        # altered by hand: no clutch differs so much from the list
        ratio = None
    return Learned(term if possible("term_days", term) else None, shells, ratio)


def _air(incubator: Incubator) -> Air:
    return "still" if incubator.air == "still" else "forced"


def phases_of(
    species: Species,
    regime: str,
    own: OwnProfile | None,
    incubator: Incubator,
    way: Way,
    moved: float | None = None,
    own_heat: float = 1.0,
) -> tuple[Phase, ...]:
    """What a batch in a machine asks of its air, stage by stage.

    own: the profile of the keeper's own that the regime names; such a one says all bands itself; moved: the day
    (elapsed) the keeper put the lockdown on; own_heat: see Course. Where the shell is held the air is as much cooler as
    the embryos warm their eggs.
    """
    air, still_k = _air(incubator), way.still_offset_k
    if own is not None:
        found = profile.own_phases(own, species, air, still_k)
    else:
        found = profile.phases(*way.asks(species, knowledge.regimes()[regime]), air, still_k)
    lockdown = profile.lockdown_of(species, own, moved)
    if moved is not None and lockdown is not None:
        found = profile.with_lockdown(found, lockdown)
    if way.by_shell(species):
        found = profile.with_cooler_air(found, _cooler_air(species, incubator, own_heat))
    return found


def _cooler_air(species: Species, incubator: Incubator, own_heat: float) -> list[tuple[float, float]]:
    """From which day (elapsed) on the air is so much cooler than the shells, K, in steps of SHELL_STEP_K."""
    days = np.arange(0.0, species.days_high + 1.0, 0.125)
    made = egg_heat.own_heat(species.egg_g, days / species.days, incubator.air != "still").shell_k
    steps = np.round(own_heat * np.maximum(made, 0.0) / SHELL_STEP_K)
    first = [0, *(np.flatnonzero(np.diff(steps)) + 1).tolist()]
    return [(float(days[i]), float(steps[i]) * SHELL_STEP_K) for i in first]


@dataclass(frozen=True)
class Course:
    """A batch with its species (with the days it is expected to take) and phases. Times are UTC ms, days are elapsed
    days since setting.

    own: the keeper's own profile it follows, None for a shipped regime; targets: what weighings asked for, from when
    (UTC ms), where it follows the weight; incubator: where it lies now; before: machines it lay in earlier, and until
    when; learned: what earlier hatches had taught when it was planned; lockdown_moved: the day (elapsed) the keeper
    put the lockdown on; way: how its keeper does it; earlier: what it followed before, each until a day, in order;
    own_heat: how much more than usual the embryos warm their eggs, where shells were measured.
    """

    batch: Batch
    incubator: Incubator
    species: Species
    own: OwnProfile | None = None
    targets: tuple[tuple[int, Band], ...] = ()
    before: tuple[tuple[Incubator, int], ...] = ()
    learned: Learned = field(default_factory=Learned)
    lockdown_moved: float | None = None
    way: Way = field(default_factory=Way)
    earlier: tuple[tuple[tuple[Phase, ...], float], ...] = ()
    own_heat: float = 1.0

    def stretches(self, start_ms: int, stop_ms: int) -> list[tuple[Incubator, int, int]]:
        """Where the batch lay between two times (UTC ms): machine, from, to, in order."""
        found: list[tuple[Incubator, int, int]] = []
        since = start_ms
        for incubator, until in (*self.before, (self.incubator, stop_ms)):
            until = min(until, stop_ms)
            last = incubator is self.incubator and until == stop_ms
            if until > since or (not found and last):
                # what was read in the very moment of a move belongs to where the eggs went
                found.append((incubator, since, until if last else until - 1))
                since = until
        return found

    @cached_property
    def phases(self) -> tuple[Phase, ...]:
        """Phases from warm-up to take-off."""
        found = phases_of(
            self.species, self.batch.regime, self.own, self.incubator, self.way, self.lockdown_moved, self.own_heat
        )
        for before, until in reversed(self.earlier):
            found = profile.spliced(before, found, until)
        # only a school that follows the weight has targets
        return profile.with_humidity(found, [(self.day(ms), band) for ms, band in self.targets])

    @property
    def regime_name(self) -> str:
        """What the keeper calls the regime it follows."""
        return self.own.name if self.own is not None else knowledge.regimes()[self.batch.regime].name

    @cached_property
    def lockdown_day(self) -> float | None:
        """When turning stops, elapsed days; None for eggs that are never turned."""
        return profile.lockdown_of(self.species, self.own, self.lockdown_moved)

    @property
    def start_ms(self) -> int:
        """Start of warm-up."""
        return self.at_ms(self.phases[0].start_day)

    @property
    def end_ms(self) -> int:
        """End of take-off."""
        return self.at_ms(self.phases[-1].end_day)

    def at_ms(self, day: float) -> int:
        """The instant of a day."""
        return self.batch.set_ms + round(day * DAY_MS)

    def day(self, at_ms: float) -> float:
        """Elapsed days since setting."""
        return (at_ms - self.batch.set_ms) / DAY_MS

    def phase(self, at_ms: float) -> Phase | None:
        """The phase at a time, None outside the course."""
        return profile.phase_at(self.phases, self.day(at_ms))

    def band(self, quantity: Quantity, at_ms: float) -> Band | None:
        """The band to hold at a time, None where nothing is asked."""
        phase = self.phase(at_ms)
        if phase is None:
            return None
        return phase.temperature_c if quantity == "temperature" else phase.humidity

    def is_late(self, at_ms: float) -> bool:
        """Whether the lockdown has begun by a time (UTC ms)."""
        return self.lockdown_day is not None and self.day(at_ms) >= self.lockdown_day

    def cooled(self, at_ms: float) -> bool:
        """Whether these eggs are cooled every day at a time, by the keeper or by the machine."""
        day, stop = self.day(at_ms), self.lockdown_day
        return self.way.cools(self.species.cooling) and self.way.cool_from_day <= day and (stop is None or day < stop)

    @property
    def still_offset_k(self) -> float:
        """How much warmer than the eggs the air is read, K: still air is read at the egg tops."""
        return profile.still_offset(self.species, _air(self.incubator), self.way.still_offset_k)

    def held(self, at_ms: ArrayLike) -> tuple[Array, Array]:
        """Middle and half of what is asked of the eggs' heat at times (UTC ms), °C in moving air, K; before and after
        the course as at its ends. Source: the phases."""
        starts = [p.start_day for p in self.phases]
        days = (np.asarray(at_ms, dtype=np.float64) - self.batch.set_ms) / DAY_MS
        at = np.clip(np.searchsorted(starts, days, "right") - 1, 0, len(starts) - 1)
        low, high = np.array([(p.temperature_c.low, p.temperature_c.high) for p in self.phases]).T
        return 0.5 * (low + high)[at] - self.still_offset_k, 0.5 * (high - low)[at]

    def warmed_by(self, at_ms: ArrayLike) -> egg_heat.OwnHeat:
        """How much the embryos warm their eggs over the air at times (UTC ms), K; nothing before setting, in clutches,
        and once the term is long over. Source: core.egg_heat.own_heat."""
        share = (np.asarray(at_ms, dtype=np.float64) - self.batch.set_ms) / DAY_MS / self.species.days
        alive = (share >= 0.0) & (share <= TERM_OVER) & (self.species.kind == "bird")
        found = egg_heat.own_heat(self.species.egg_g, share, self.incubator.air != "still")
        shell, core = (np.where(alive, self.own_heat * k, 0.0) for k in (found.shell_k, found.core_k))
        return egg_heat.OwnHeat(shell, core)

    def held_c(self, at_ms: int) -> float:
        """Middle of what is asked of the eggs' heat at a time, °C in moving air."""
        return float(self.held(at_ms)[0])

    def numbered(self, day: float) -> float:
        """The number the batch's convention gives an elapsed day."""
        return profile.numbered(day, self.batch.day_count, self.species.days)

    def day_words(self, day: float, decimals: int = 0) -> str:
        """ "day 13", or "8 to go" where days are counted down; a whole number is that of the day under way."""
        down = self.batch.day_count == "down"
        n = self.numbered(day)
        if decimals == 0:
            n = float(ceil(n - 1e-9) if down else floor(n + 1e-9))
            n = n or 0.0
        text = as_number(n, f".{decimals}f")
        return _("{text} to go", text=text) if down else _("day {text}", text=text)

    def day_text(self, at_ms: float) -> str:
        """ "day 13 of 24" by the batch's convention, or how long until setting, or that it is over."""
        day = self.day(at_ms)
        if day < 0:
            return _("not set yet")
        about = _("about ") if self.species.kind == "reptile" else ""
        if self.batch.day_count == "down":
            left = ceil(self.numbered(day) - 1e-9)
            if left <= 0:
                return _("hatch day") if left == 0 else say.LEFT_OVER_THE_HATCH_DAY(left=-left)
            return _("{about}{left} days to go", about=about, left=left) if left > 1 else _("1 day to go")
        term = self.numbered(self.species.days)
        return _(
            "{day_words} of {about}{term:g}",
            day_words=self.day_words(day),
            about=about,
            term=round(term, 0 if about else 1),
        )

    def next_step(self, at_ms: float, zone: str) -> str:
        """What comes next on the course, in words by the local calendar, empty when nothing does."""
        day = self.day(at_ms)
        steps: list[tuple[float, str]] = []
        if self.lockdown_day is not None:
            steps.append((self.lockdown_day, _("lockdown")))
        steps += [(self.species.days, _("hatch expected")), (self.phases[-1].end_day, _("last day"))]
        for at, what in steps:
            if day < at:
                away = (local(self.at_ms(at), zone).date() - local(int(at_ms), zone).date()).days
                when = _("today") if away == 0 else _("tomorrow") if away == 1 else _("in {away} days", away=away)
                return f"{what} {when}"
        return ""
