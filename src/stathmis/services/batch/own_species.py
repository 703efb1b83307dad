"""Species of the keeper's own: a few numbers as typed, checked for sense, kept and taken away."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from stathmis.core.course.profile import HELD_C, Band, Species
from stathmis.core.errors import UserError
from stathmis.core.moisture import incubation_days
from stathmis.core.units import NotANumberError, difference_from_inside, from_inside, parse_typed, to_inside
from stathmis.logbook.records import Batch, OwnSpecies, StoredPlan
from stathmis.services.batch import profiles
from stathmis.services.batch.species import OWN, all_species
from stathmis.services.book import Book, TemperatureUnit
from stathmis.services.desk import Desk
from stathmis.words import species as words
from stathmis.words.catalogue import as_number

Kind = Literal["bird", "reptile"]
Within = tuple[float, float]
DAYS, EGG_G = (5.0, 400.0), (0.3, 3000.0)
"""What there is among birds and reptiles, days, g. Source: common practice, wide."""
SHORTEST, LONGEST = 0.6, 1.5
"""Birds hatch within so many times the days their egg's mass lets expect. Source: common practice (the shipped ones lie
at 0.72 to 1.19)."""
OFF_K, RH, LOSS = (0.1, 3.0), (5.0, 100.0), (4.0, 25.0)
OF_BIRDS = ("stop_turning_day", "lockdown_rh", "loss_percent")
"""Fields that clutches do not have: they are never turned, and have no lockdown."""
FIELDS = (
    "name",
    "days",
    "days_low",
    "days_high",
    "stop_turning_day",
    "set_c",
    "half_band_k",
    "setting_rh",
    "lockdown_rh",
    "loss_percent",
    "egg_g",
    "note",
)
"""What is typed of a species; bands as 45–55."""


@dataclass(frozen=True)
class SpeciesDraft:
    """A species as typed, field by field; stored_id: the one it is to replace, None for a new one."""

    kind: Kind
    cooling: bool
    texts: Mapping[str, str]
    stored_id: int | None = None


@dataclass
class Interpreted:
    """What a draft comes to: the record's fields (empty while something is wrong), and problems by field; doubt: what
    is possible but unlikely, in words."""

    record: dict[str, Any] = field(default_factory=dict)
    problems: dict[str, str] = field(default_factory=dict)
    doubt: str = ""


def draft_of(species: Species, unit: TemperatureUnit, *, copy: bool) -> SpeciesDraft:
    """A species as text to edit, temperatures in a unit; copy: for one of one's own that is like it."""

    def band(found: Band | None) -> str:
        return "" if found is None else f"{as_number(found.low, 'g')}–{as_number(found.high, 'g')}"

    texts = {
        "name": "" if copy else species.name,
        "set_c": as_number(round(float(from_inside(species.set_c, unit)), 2), "g"),
        "half_band_k": as_number(round(float(difference_from_inside(species.half_band_k, unit)), 2), "g"),
        "setting_rh": band(species.setting_rh),
        "lockdown_rh": band(species.lockdown_rh),
        "note": "" if copy else species.note,
    }
    for name in ("days", "days_low", "days_high", "stop_turning_day", "loss_percent", "egg_g"):
        value = getattr(species, name)
        texts[name] = "" if value is None else as_number(value, "g")
    stored_id = None if copy else int(species.key.removeprefix(OWN))
    return SpeciesDraft(species.kind, species.cooling, texts, stored_id)


def typed(draft: SpeciesDraft, name: str, text: str) -> SpeciesDraft:
    """The draft with a field as typed."""
    return replace(draft, texts={**draft.texts, name: text})


def interpret(book: Book, draft: SpeciesDraft, unit: TemperatureUnit) -> Interpreted:
    """What a draft comes to, temperatures typed in a unit unless they say theirs."""
    found = Interpreted()
    texts, bird = {name: draft.texts.get(name, "").strip() for name in FIELDS}, draft.kind == "bird"
    limits: dict[str, Within] = {
        **dict.fromkeys(("days", "days_low", "days_high", "stop_turning_day"), DAYS),
        "set_c": HELD_C[draft.kind], "half_band_k": OFF_K, "loss_percent": LOSS, "egg_g": EGG_G,
    }  # fmt: skip
    values: dict[str, Any] = {name: texts[name] for name in ("name", "note")}
    values |= {"kind": draft.kind, "cooling": draft.cooling}
    if not texts["name"]:
        found.problems["name"] = words.no_name()
    elif any(_is_named(s, texts["name"], draft.stored_id) for s in all_species(book).values()):
        found.problems["name"] = words.name_taken(texts["name"])
    for name, within in limits.items():
        if not bird and name in OF_BIRDS:
            values[name] = None
            continue
        value = _number(texts[name], name, unit)
        if value is None or not within[0] <= value <= within[1]:
            found.problems[name] = words.out_of_range(name, texts[name], within, unit)
        values[name] = value
    for name, ends in (("setting_rh", "setting"), ("lockdown_rh", "lockdown")):
        if not bird and name in OF_BIRDS:
            values[f"{ends}_low"] = values[f"{ends}_high"] = None
            continue
        pair = [_number(part, name, unit) for part in re.split(r"\s*(?:–|-|to|…)\s*", texts[name])]
        if len(pair) != 2 or None in pair or not RH[0] <= pair[0] < pair[1] <= RH[1]:  # type: ignore[operator]
            found.problems[name] = words.no_band(texts[name])
            continue
        values[f"{ends}_low"], values[f"{ends}_high"] = pair
    if not found.problems:
        found.problems |= _nonsense(values)
    if not found.problems:
        found.record = values
        usual = incubation_days(values["egg_g"])
        if bird and not SHORTEST * usual <= values["days"] <= LONGEST * usual:
            found.doubt = words.unusual_term(values["egg_g"], values["days"], usual)
    return found


def _is_named(species: Species, name: str, stored_id: int | None) -> bool:
    return species.name.casefold() == name.casefold() and species.key != f"{OWN}{stored_id}"


def _number(text: str, name: str, unit: TemperatureUnit) -> float | None:
    try:
        said = parse_typed(text)
    except NotANumberError:
        return None
    if name == "set_c":
        return round(float(to_inside(said.value, said.unit or unit)), 3)
    if name == "half_band_k" and (said.unit or unit) == "°F":
        return round(said.value / 1.8, 3)
    return said.value


def _nonsense(values: Mapping[str, Any]) -> dict[str, str]:
    """Numbers that are possible each for itself, but not together."""
    low, usual, high, stop = (values[n] for n in ("days_low", "days", "days_high", "stop_turning_day"))
    if not low <= usual <= high or low == high:
        return {"days": words.days_in_order(low, usual, high)}
    if stop is not None and not 0.5 * usual <= stop < usual:
        return {"stop_turning_day": words.lockdown_where(stop, usual)}
    return {}


def sound(book: Book) -> bool:
    """Whether every species of the keeper's own is one the window would let in."""
    own = (s for s in all_species(book).values() if s.key.startswith(OWN))
    return not any(interpret(book, draft_of(species, "°C", copy=False), "°C").problems for species in own)


def keep(desk: Desk, draft: SpeciesDraft) -> int:
    """Keep a species, new or in place of the one it replaces; undoable. Returns its id.

    Raises UserError where something is wrong in it, and where eggs of it are set that it would make other ones of.
    """
    found = interpret(desk.book, draft, desk.book.temperature_unit)
    if found.problems:
        raise UserError(next(iter(found.problems.values())), words.mend())
    name = found.record["name"]
    if draft.stored_id is None:
        return desk.add(words.kept(name), [(OwnSpecies, found.record)])[0]
    users = users_of(desk.book, draft.stored_id)
    if users and desk.book.one(OwnSpecies, draft.stored_id).kind != draft.kind:
        raise UserError(*words.other_kind(users[0]))
    with desk.edit(words.changed(name)) as edit:
        edit.change(OwnSpecies, draft.stored_id, **found.record)
    return draft.stored_id


def remove(desk: Desk, stored_id: int) -> None:
    """Take a species away; undoable. Raises UserError where a batch, a plan or a profile is of it."""
    users = users_of(desk.book, stored_id)
    if users:
        raise UserError(*words.in_use(users[0]))
    desk.strike(words.gone(desk.book.one(OwnSpecies, stored_id).name), OwnSpecies, [stored_id])


def users_of(book: Book, stored_id: int) -> list[str]:
    """Names of the batches, plans and profiles that are of a species of the keeper's own."""
    key = f"{OWN}{stored_id}"
    kept = [b.name for b in book.records(Batch) if b.species == key]
    kept += [p.name for p in book.records(StoredPlan) if p.species == key and p.batch_id is None]
    return kept + [p.name for p in profiles.own_profiles(book).values() if p.species == key]
