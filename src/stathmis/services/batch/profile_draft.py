"""An own profile while it is being written: rows of text, and what they come to, with every fault at its row."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import get_args

from stathmis.core.course.profile import Band, OwnProfile, Stage, StageKind
from stathmis.core.units import NotANumberError, Unit, from_inside, parse_typed, to_inside
from stathmis.exchange.profile_file import LIMITS
from stathmis.services.book import TemperatureUnit
from stathmis.words.batch import profiles as say
from stathmis.words.catalogue import _, as_number

KINDS: tuple[StageKind, ...] = get_args(StageKind)


@dataclass(frozen=True)
class StageRow:
    """One stage as typed: temperatures in the unit shown, humidity in percent (both empty: nothing is asked)."""

    kind: StageKind = "setting"
    title: str = ""
    from_day: str = ""
    heat_low: str = ""
    heat_high: str = ""
    moist_low: str = ""
    moist_high: str = ""


@dataclass(frozen=True)
class ProfileDraft:
    """A profile as typed; stored_id: the one it is to replace, None for a new one."""

    name: str
    species: str
    why: str
    last_day: str
    rows: tuple[StageRow, ...]
    stored_id: int | None = None


@dataclass
class Interpreted:
    """What a draft comes to: the profile (None while something is wrong), and problems by row, -1 for the head."""

    profile: OwnProfile | None = None
    problems: dict[int, str] = field(default_factory=dict)


def draft_of(profile: OwnProfile, unit: TemperatureUnit, stored_id: int | None = None) -> ProfileDraft:
    """A profile as text to edit, temperatures in the unit shown."""

    def heat(celsius: float) -> str:
        return as_number(round(float(from_inside(celsius, unit)), 2), "g")

    rows = tuple(
        StageRow(
            s.kind,
            s.title,
            as_number(s.from_day, "g"),
            heat(s.temperature_c.low),
            heat(s.temperature_c.high),
            as_number(s.humidity.low, "g") if s.humidity else "",
            as_number(s.humidity.high, "g") if s.humidity else "",
        )
        for s in profile.stages
    )
    return ProfileDraft(profile.name, profile.species, profile.why, as_number(profile.last_day, "g"), rows, stored_id)


def with_stage_after(draft: ProfileDraft, index: int) -> ProfileDraft:
    """The draft with a copy of a stage after it, its day left open."""
    rows = list(draft.rows)
    rows.insert(index + 1, replace(rows[index], from_day="", title=""))
    return replace(draft, rows=tuple(rows))


def without_stage(draft: ProfileDraft, index: int) -> ProfileDraft:
    """The draft without a stage; the first one left begins at day 0."""
    rows = [r for i, r in enumerate(draft.rows) if i != index]
    if rows and index == 0:
        rows[0] = replace(rows[0], from_day="0")
    return replace(draft, rows=tuple(rows))


def interpret(draft: ProfileDraft, unit: TemperatureUnit) -> Interpreted:
    """What a draft comes to, temperatures typed in a unit unless they say theirs."""
    found = Interpreted()
    stages: list[Stage] = []
    before = -1.0
    for i, row in enumerate(draft.rows):
        try:
            stage = _stage(row, unit)
        except _FaultError as fault:
            found.problems[i] = str(fault)
            continue
        if i == 0 and stage.from_day != 0.0:
            found.problems[i] = say.THE_FIRST_STAGE_BEGINS_AT()
        elif stage.from_day <= before:
            found.problems[i] = say.IT_BEGINS_AFTER_THE_STAGE(before=before)
        before = stage.from_day
        stages.append(stage)
    last = _day(draft.last_day)
    if not draft.name.strip():
        found.problems[-1] = _("Give it a name.")
    elif last is None or last > 400.0:
        found.problems[-1] = say.THE_LAST_DAY_IS_A()
    elif stages and not found.problems and last <= stages[-1].from_day:
        found.problems[-1] = say.THE_LAST_DAY_COMES_AFTER(from_day=stages[-1].from_day)
    elif not draft.rows:
        found.problems[-1] = say.A_PROFILE_HAS_ONE_STAGE()
    if not found.problems:
        found.profile = OwnProfile(draft.name.strip(), draft.species, draft.why.strip(), tuple(stages), last or 0.0)
    return found


class _FaultError(Exception):
    """Something wrong in a row, in words."""


def _day(text: str) -> float | None:
    try:
        value = parse_typed(text).value
    except NotANumberError:
        return None
    return value if value >= 0 else None


def _stage(row: StageRow, unit: TemperatureUnit) -> Stage:
    start = _day(row.from_day)
    if start is None:
        raise _FaultError(say.FROM_WHICH_DAY_WRITE_A())
    heat = _band(row.heat_low, row.heat_high, "temperature_c", unit)
    if heat is None:
        raise _FaultError(say.WHICH_TEMPERATURES_WRITE_THE_LOWEST())
    return Stage(row.kind, start, heat, _band(row.moist_low, row.moist_high, "humidity", "%"), row.title.strip())


def _band(low: str, high: str, what: str, unit: Unit) -> Band | None:
    if not low.strip() and not high.strip():
        return None
    word = _("temperature") if what == "temperature_c" else _("humidity")
    try:
        values = [(parsed.value, parsed.unit) for parsed in (parse_typed(low), parse_typed(high))]
    except NotANumberError:
        raise _FaultError(say.THE_WORD_RUNS_FROM_A(word=word)) from None
    if word == "temperature":
        ends = [float(to_inside(v, u or unit)) for v, u in values]
    else:
        ends = [v for v, _ in values]
    least, most = LIMITS[what]
    if not least <= ends[0] < ends[1] <= most:
        bounds = [least, most] if word == "humidity" else [round(float(from_inside(v, unit))) for v in (least, most)]
        raise _FaultError(say.THE_WORD_RUNS_FROM_LOW(word=word, least=bounds[0], most=bounds[1], unit=unit))
    return Band(round(ends[0], 3), round(ends[1], 3))
