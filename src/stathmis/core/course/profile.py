"""The profile of a batch: its phases from the set instant, and each phase's temperature and humidity band.

Day counts are days of 86,400 s elapsed since the set instant, so that clock changes do not move them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from stathmis.core.errors import NumbersError

Air = Literal["forced", "still"]
DayCount = Literal["from 0", "from 1", "down"]
"""How days are numbered: the first 24 h are day 0, or day 1, or days are counted down to the hatch."""
StageKind = Literal["setting", "incubation", "lockdown", "hatch"]

DAY_S = 86400.0
WARM_UP_DAYS = 2.0
"""Empty running before the eggs go in: a day dry and a day with water. Source: common practice."""
DRY_DAYS = 1.0
"""Chicks stay in until dry and fluffy. Source: common practice."""
STILL_AIR_OFFSET_K = 1.1
"""Still air is run warmer at egg-top height, 38.3-38.9 °C for 37.5, so that the egg's middle is right.
Source: common practice."""


@dataclass(frozen=True)
class Band:
    """A target range, low to high, in °C or percent."""

    low: float
    high: float

    def __post_init__(self) -> None:
        if not self.low < self.high:
            raise ValueError(f"a band runs from low to high, not {self.low:g} to {self.high:g}")

    @property
    def middle(self) -> float:
        """Middle of the band, in its unit."""
        return 0.5 * (self.low + self.high)


@dataclass(frozen=True)
class Species:
    """A species' defaults. Days count from setting; temperature °C in moving air; humidity percent; loss percent;
    egg_g: usual mass of a fresh egg.

    term_by_temperature: (°C, days to the hatch) where the temperature sets them, °C rising; cooling: daily cooling and
    misting helps; sex_by_temperature: the middle third of the term decides it; laid_after: days from pairing to laying,
    from and to, where they are known.

    stop_turning_day is None for eggs that are never turned; they have no lockdown and lockdown_rh is None.
    """

    key: str
    name: str
    kind: Literal["bird", "reptile"]
    days: float
    days_low: float
    days_high: float
    stop_turning_day: float | None
    set_c: float
    half_band_k: float
    setting_rh: Band
    lockdown_rh: Band | None
    loss_percent: float | None
    note: str = ""
    egg_g: float = 50.0
    term_by_temperature: tuple[tuple[float, float], ...] = ()
    cooling: bool = False
    sex_by_temperature: bool = False
    laid_after: tuple[float, float] | None = None


HELD_C = {"bird": (33.0, 40.0), "reptile": (20.0, 36.0)}
"""What eggs of a kind are held at, °C in moving air; beyond it is a slip of the pen. Source: common practice, wide."""


def with_term(species: Species, days: float) -> Species:
    """A species whose hatch is expected on another day (elapsed), all days in proportion.

    Raises ValueError for a term not above 0. Source: common practice.
    """
    if not days > 0:
        raise ValueError("a term is above 0 days")
    scale = days / species.days
    stop = species.stop_turning_day
    return replace(
        species,
        days=days,
        days_low=species.days_low * scale,
        days_high=species.days_high * scale,
        stop_turning_day=None if stop is None else stop * scale,
    )


@dataclass(frozen=True)
class Regime:
    """A humidity school. Bands None: the species' own. until_day: where the setting band changes to then_rh.

    by_weight: the setting band follows the eggs' loss of weight, where enough is weighed.
    """

    key: str
    name: str
    setting_rh: Band | None
    lockdown_rh: Band | None
    why: str
    until_day: float | None = None
    then_rh: Band | None = None
    by_weight: bool = False


@dataclass(frozen=True)
class Phase:
    """A stretch of the course: days from setting (start to end), with its bands (None: nothing to hold)."""

    name: str
    start_day: float
    end_day: float
    temperature_c: Band
    humidity: Band | None
    title: str = ""


@dataclass(frozen=True)
class Stage:
    """A stretch of a keeper's own profile: from a day (elapsed) to the next stage, bands °C in moving air and %.

    humidity None: nothing is asked. title: the keeper's word for it, may be empty.
    """

    kind: StageKind
    from_day: float
    temperature_c: Band
    humidity: Band | None
    title: str = ""


@dataclass(frozen=True)
class OwnProfile:
    """A keeper's own profile for one species (by key); stages in order from day 0; last_day ends the last, elapsed.

    Raises NumbersError for stages that do not begin at day 0, do not rise, or run past the last day.
    """

    name: str
    species: str
    why: str
    stages: tuple[Stage, ...]
    last_day: float

    def __post_init__(self) -> None:
        starts = [s.from_day for s in self.stages]
        if not starts or starts[0] != 0.0:
            raise NumbersError("the first stage begins at day 0")
        if any(b <= a for a, b in zip(starts, [*starts[1:], self.last_day], strict=True)):
            raise NumbersError("each stage begins after the one before it, and the last day comes after all of them")


def lockdown_of(species: Species, own: OwnProfile | None, moved_to: float | None = None) -> float | None:
    """When turning stops and the lockdown begins, elapsed days; None for eggs that are never turned.

    own: the keeper's own profile, where it is followed (its lockdown, or its hatch where it has none); moved_to: the
    day the keeper put it on, kept within the course: not before the first whole day, nor later than half a day before
    the last. Source: definition.

    >>> quail = Species("x", "x", "bird", 17.0, 16.0, 18.0, 14.0, 37.5, 0.3, Band(45, 55), Band(65, 75), 13.0)
    >>> lockdown_of(quail, None), lockdown_of(quail, None, 13.5), lockdown_of(quail, None, 30.0)
    (14.0, 13.5, 17.5)
    """
    usual, last_day = species.stop_turning_day, species.days_high
    if usual is None:
        return None
    if own is not None:
        begin = {stage.kind: stage.from_day for stage in reversed(own.stages)}
        usual, last_day = begin.get("lockdown", begin.get("hatch", usual)), own.last_day
    return usual if moved_to is None else max(1.0, min(moved_to, last_day - 0.5))


def with_lockdown(course: tuple[Phase, ...], day: float) -> tuple[Phase, ...]:
    """The phases with the lockdown on another day (elapsed): those before it cut or longer, those after it cut.

    A course that has none stays as it is. Source: definition.
    """
    first = next((i for i, p in enumerate(course) if p.name == "lockdown"), None)
    if first is None:
        return course
    before = [p for p in course[:first] if p.start_day < day]
    made = [replace(p, end_day=min(p.end_day, day)) for p in before[:-1]] + [replace(before[-1], end_day=day)]
    # where it is put into the hatch, the lockdown's own stretch is over before it begins
    made += [replace(p, start_day=day if i == 0 else max(p.start_day, day)) for i, p in enumerate(course[first:])]
    return tuple(p for p in made if p.end_day > p.start_day)


def spliced(before: tuple[Phase, ...], after: tuple[Phase, ...], day: float) -> tuple[Phase, ...]:
    """One course until a day (elapsed), another from then on. Source: definition."""
    first = [replace(p, end_day=min(p.end_day, day)) for p in before if p.start_day < day]
    then = [replace(p, start_day=max(p.start_day, day)) for p in after if p.end_day > day]
    if first and then:
        # the first may have been over before the keeper changed it
        first[-1] = replace(first[-1], end_day=then[0].start_day)
    return tuple(first + then)


def still_offset(species: Species, air: Air, own_k: float | None = None) -> float:
    """How much warmer still air is held at the egg tops than moving air, K; nothing for clutches.

    own_k: what the keeper holds, where that is not the usual. Source: common practice.
    """
    usual = STILL_AIR_OFFSET_K if own_k is None else own_k
    return usual if air == "still" and species.kind == "bird" else 0.0


def own_phases(profile: OwnProfile, species: Species, air: Air, still_k: float | None = None) -> tuple[Phase, ...]:
    """The phases of a keeper's own profile, from warm-up to take-off; arguments as for phases.

    Source: common practice.
    """
    off = still_offset(species, air, still_k)
    ends = [*(s.from_day for s in profile.stages[1:]), profile.last_day]
    course = [
        Phase(
            stage.kind,
            stage.from_day,
            end,
            Band(stage.temperature_c.low + off, stage.temperature_c.high + off),
            stage.humidity,
            stage.title,
        )
        for stage, end in zip(profile.stages, ends, strict=True)
    ]
    first, last = course[0], course[-1]
    return (
        Phase("warm-up", -WARM_UP_DAYS, 0.0, first.temperature_c, first.humidity),
        *course,
        Phase("dry", profile.last_day, profile.last_day + DRY_DAYS, last.temperature_c, None),
    )


def with_humidity(course: tuple[Phase, ...], changes: Sequence[tuple[float, Band]]) -> tuple[Phase, ...]:
    """The phases with other humidity bands in the setting stage, each from a day (elapsed) to the next change.

    changes: in order of day. Source: definition.
    """
    made: list[Phase] = []
    for phase in course:
        if phase.name != "setting":
            made.append(phase)
            continue
        before = [band for day, band in changes if day <= phase.start_day]
        inside = [(day, band) for day, band in changes if phase.start_day < day < phase.end_day]
        edges = [phase.start_day, *(day for day, _ in inside), phase.end_day]
        bands = [before[-1] if before else phase.humidity, *(band for _, band in inside)]
        for start, end, band in zip(edges[:-1], edges[1:], bands, strict=True):
            made.append(Phase(phase.name, start, end, phase.temperature_c, band, phase.title))
    return tuple(made)


def with_cooler_air(course: tuple[Phase, ...], changes: Sequence[tuple[float, float]]) -> tuple[Phase, ...]:
    """The phases with the air asked so much cooler, each from a day (elapsed) to the next change; changes: (day, K), in
    order of day. Source: definition.

    >>> held = (Phase("setting", 0.0, 18.0, Band(37.5, 38.0), None),)
    >>> [(p.start_day, round(p.temperature_c.middle, 2)) for p in with_cooler_air(held, [(0.0, 0.0), (12.0, 0.3)])]
    [(0.0, 37.75), (12.0, 37.45)]
    """
    made: list[Phase] = []
    for phase in course:
        before = [k for day, k in changes if day <= phase.start_day]
        inside = [(day, k) for day, k in changes if phase.start_day < day < phase.end_day]
        edges = [phase.start_day, *(day for day, _ in inside), phase.end_day]
        cooler = [before[-1] if before else 0.0, *(k for _, k in inside)]
        for start, end, k in zip(edges[:-1], edges[1:], cooler, strict=True):
            heat = Band(phase.temperature_c.low - k, phase.temperature_c.high - k)
            made.append(replace(phase, start_day=start, end_day=end, temperature_c=heat))
    return tuple(made)


def numbered(day: float, count: DayCount, term_days: float) -> float:
    """The number a convention gives a day (elapsed days since setting); term_days: the usual day of the hatch.

    Source: common practice.

    >>> numbered(5.0, "from 0", 21.0), numbered(5.0, "from 1", 21.0), numbered(5.0, "down", 21.0)
    (5.0, 6.0, 16.0)
    """
    return day if count == "from 0" else day + 1.0 if count == "from 1" else term_days - day


def elapsed(number: float, count: DayCount, term_days: float) -> float:
    """The elapsed day that a convention gives a number: the inverse of numbered.

    Source: common practice.

    >>> elapsed(6.0, "from 1", 21.0), elapsed(16.0, "down", 21.0)
    (5.0, 5.0)
    """
    return number if count == "from 0" else number - 1.0 if count == "from 1" else term_days - number


def common_band(bands: Sequence[Band]) -> tuple[Band, bool]:
    """The band that suits all of several bands (one unit), and whether it truly does.

    Where they do not meet it is the nearest to all: the gap between the highest low and the lowest high.
    Raises ValueError without a band. Source: common practice (the nearest common temperature).

    >>> common_band([Band(37.2, 37.8), Band(37.3, 37.9)])
    (Band(low=37.3, high=37.8), True)
    """
    if not bands:
        raise ValueError("a common band needs one band or more")
    low, high = max(b.low for b in bands), min(b.high for b in bands)
    return (Band(low, high), True) if low < high else (Band(high - 0.05, low + 0.05), False)


def phases(species: Species, regime: Regime, air: Air, still_k: float | None = None) -> tuple[Phase, ...]:
    """The phases of a batch, in order and without gaps, from warm-up to take-off.

    air: "forced" (fan) or "still" (read at egg-top height; birds then run 1.1 K warmer, or still_k). Days are elapsed
    days.
    Raises ValueError where the regime asks a reptile clutch for anything but its own humidity.
    Source: common practice.
    """
    if species.kind == "reptile" and (regime.setting_rh is not None or regime.by_weight):
        raise ValueError(f"{species.name} eggs keep their own box humidity; choose the regime that follows the species")
    centre = species.set_c + still_offset(species, air, still_k)
    heat = Band(centre - species.half_band_k, centre + species.half_band_k)
    setting = regime.setting_rh or species.setting_rh
    late = regime.lockdown_rh if regime.lockdown_rh and species.lockdown_rh else species.lockdown_rh
    course = [Phase("warm-up", -WARM_UP_DAYS, 0.0, heat, setting)]
    stop = species.stop_turning_day
    if stop is None:
        course.append(Phase("incubation", 0.0, species.days_low, heat, setting))
    else:
        if regime.until_day is not None and regime.then_rh is not None and regime.until_day < stop:
            course.append(Phase("setting", 0.0, regime.until_day, heat, setting))
            course.append(Phase("setting", regime.until_day, stop, heat, regime.then_rh))
        else:
            course.append(Phase("setting", 0.0, stop, heat, setting))
        course.append(Phase("lockdown", stop, max(stop, species.days_low), heat, late))
    course.append(Phase("hatch", max(stop or 0.0, species.days_low), species.days_high, heat, late or setting))
    course.append(Phase("dry", species.days_high, species.days_high + DRY_DAYS, heat, None))
    return tuple(p for p in course if p.end_day > p.start_day)


UNSUITED_RH = 8.0
"""Bands so far apart are no matter of taste any more. Source: common practice (a school's bands beside a species')."""


def unsuited(species: Species, regime: Regime) -> float:
    """How far a school's humidity lies from what a species wants, percent: below 0 drier, above 0 moister; 0 where it
    suits. Source: UNSUITED_RH.

    >>> duck = Species("x", "x", "bird", 28, 26, 29, 25, 37.5, 0.3, Band(50.0, 55.0), Band(70.0, 80.0), 13.0)
    >>> unsuited(duck, Regime("lean", "lean", Band(25.0, 40.0), Band(60.0, 70.0), ""))
    -10.0
    """
    wanted, asked = species.setting_rh, regime.setting_rh
    if asked is None:
        return 0.0
    apart = min(0.0, asked.high - wanted.low) or max(0.0, asked.low - wanted.high)
    return apart if abs(apart) >= UNSUITED_RH else 0.0


def phase_at(course: tuple[Phase, ...], day: float) -> Phase | None:
    """The phase a day (elapsed days) falls in; None before warm-up and after take-off. Source: definition."""
    for phase in course:
        if phase.start_day <= day < phase.end_day:
            return phase
    return None
