"""A keeper's own profile as a file to keep and pass on: read with every fault named, and written.

The file is TOML, made to be read and written by people; docs/file-format.md shows one.
"""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path
from typing import Any, get_args

import tomli_w

from stathmis.core.course.profile import Band, OwnProfile, Stage, StageKind
from stathmis.core.errors import NumbersError, UserError
from stathmis.exchange import toml_file
from stathmis.words import archives as say
from stathmis.words.catalogue import _
from stathmis.words.numbers import reason

VERSION = 1
LIMITS = {"temperature_c": (20.0, 42.0), "humidity": (5.0, 100.0)}
"""What no egg of any species is kept outside of. Source: common practice, wide."""


class ProfileError(UserError):
    """The text is no profile; the message lists every fault."""


def read_profile(path: Path, species: Collection[str]) -> OwnProfile:
    """A profile from a file. species: the keys that are known. Raises ProfileError."""
    return parse_profile(toml_file.read(path, "profile", ProfileError), species)


def parse_profile(text: str, species: Collection[str]) -> OwnProfile:
    """A profile from its text. species: the keys that are known. Raises ProfileError with every fault found."""
    found = toml_file.parsed(text, "profile", VERSION, ProfileError)
    faults: list[str] = []
    name, why = _text(found, "name", faults), str(found.get("why", ""))
    kept = _text(found, "species", faults)
    if kept and kept not in species:
        faults.append(say.THE_SPECIES_KEPT_IS_NOT(kept=kept, listed=", ".join(sorted(species))))
    last = _number(found, "last_day", "", faults)
    entries = found.get("stage")
    if not isinstance(entries, list) or not entries:
        faults.append(say.NO_STAGE_IS_GIVEN())
        entries = []
    stages = [_stage(i, e, faults) for i, e in enumerate(entries, start=1)]
    if last > 400:
        faults.append(say.THE_LAST_DAY_IS_BEYOND())
    if not faults:
        try:
            return OwnProfile(name, kept, why, tuple(s for s in stages if s is not None), last)
        except NumbersError as error:
            faults.append(reason(error))
    raise toml_file.refused("profile", faults, ProfileError)


def profile_text(profile: OwnProfile) -> str:
    """The text of a profile's file."""
    stages = []
    for stage in profile.stages:
        entry: dict[str, Any] = {"kind": stage.kind, "from_day": stage.from_day}
        if stage.title:
            entry["title"] = stage.title
        entry["temperature_c"] = [stage.temperature_c.low, stage.temperature_c.high]
        if stage.humidity is not None:
            entry["humidity"] = [stage.humidity.low, stage.humidity.high]
        stages.append(entry)
    return tomli_w.dumps(
        {
            "stathmis_profile": VERSION,
            "name": profile.name,
            "species": profile.species,
            "why": profile.why,
            "last_day": profile.last_day,
            "stage": stages,
        }
    )


def _text(found: dict[str, Any], key: str, faults: list[str]) -> str:
    value = found.get(key)
    if not isinstance(value, str) or not value.strip():
        faults.append(_("{key} is missing", key=key))
        return ""
    return value.strip()


def _number(found: dict[str, Any], key: str, where: str, faults: list[str]) -> float:
    value = found.get(key)
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0.0 <= value < 1e6:
        faults.append(say.WHERE_KEY_IS_A_NUMBER(where=where, key=key))
        return 0.0
    return float(value)


def _stage(number: int, entry: Any, faults: list[str]) -> Stage | None:
    where = _("stage {number}: ", number=number)
    if not isinstance(entry, dict):
        faults.append(say.WHERE_IT_IS_NO_TABLE(where=where))
        return None
    before = len(faults)
    kind = entry.get("kind")
    if kind not in get_args(StageKind):
        faults.append(say.WHERE_KIND_IS_ONE_OF(where=where, listed=", ".join(get_args(StageKind))))
    start = _number(entry, "from_day", where, faults)
    heat = _band(entry, "temperature_c", where, faults)
    if heat is None and "temperature_c" not in entry:
        faults.append(_("{where}temperature_c is missing", where=where))
    moist = _band(entry, "humidity", where, faults)
    if len(faults) > before or heat is None:
        return None
    return Stage(kind, start, heat, moist, str(entry.get("title", "")).strip())  # type: ignore[arg-type]


def _band(entry: dict[str, Any], key: str, where: str, faults: list[str]) -> Band | None:
    pair = entry.get(key)
    if pair is None:
        return None
    if not (isinstance(pair, list) and len(pair) == 2 and all(type(v) in (int, float) and abs(v) < 1e6 for v in pair)):
        faults.append(say.WHERE_KEY_IS_A_PAIR(where=where, key=key))
        return None
    low, high = (float(v) for v in pair)
    least, most = LIMITS[key]
    if not least <= low < high <= most:
        unit = "°C" if key == "temperature_c" else "%"
        faults.append(
            say.WHERE_KEY_RUNS_FROM_LOW(where=where, key=key, least=least, most=most, unit=unit, low=low, high=high)
        )
        return None
    return Band(low, high)
