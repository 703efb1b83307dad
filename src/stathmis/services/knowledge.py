"""What the trade knows, read from the shipped lists: species, regimes, cautions."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from importlib import resources
from typing import Any, Literal

from stathmis.core.course.profile import Band, Regime, Species
from stathmis.words.catalogue import _, once_a_language

ListName = Literal["break_out", "cautions", "findings", "methods", "regimes", "species", "tasks"]
WORDS_OF_LISTS = frozenset({"name", "note", "why", "how", "title", "word", "look", "removes", "label", "steps"})
"""Keys whose values are words: English in the lists, where they are what the catalogue is asked for."""


def read_list(name: ListName) -> dict[str, Any]:
    """A shipped list, its words in the window's language."""
    return {key: _(e) if isinstance(e, str) else _in_words(e) for key, e in _entries(name).items()}


def _entries(name: ListName) -> dict[str, Any]:
    return tomllib.loads((resources.files("stathmis") / "data" / f"{name}.toml").read_text(encoding="utf-8"))


def english_name(species_key: str) -> str:
    """A species as files call it, in every language; empty for one of the keeper's own."""
    return str(_entries("species").get(species_key, {}).get("name", ""))


def _in_words(entry: dict[str, Any]) -> dict[str, Any]:
    def said(key: str, value: Any) -> Any:
        if isinstance(value, dict):
            return _in_words(value)
        if key.removeprefix("reptile_") not in WORDS_OF_LISTS:
            return value
        return [_(line) for line in value] if isinstance(value, list) else _(value)

    return {key: said(key, value) for key, value in entry.items()}


def _band(pair: list[float] | None) -> Band | None:
    return Band(float(pair[0]), float(pair[1])) if pair else None


def _pair(pair: list[float] | None) -> tuple[float, float] | None:
    return (float(pair[0]), float(pair[1])) if pair else None


@once_a_language
def species() -> dict[str, Species]:
    """All species by key, in the order of the list."""
    found = {}
    for key, entry in read_list("species").items():
        setting = _band(entry["setting_rh"])
        assert setting is not None
        found[key] = Species(
            key=key,
            name=entry["name"],
            kind=entry.get("kind", "bird"),
            days=float(entry["days"]),
            days_low=float(entry["range"][0]),
            days_high=float(entry["range"][1]),
            stop_turning_day=entry.get("stop_turning"),
            set_c=float(entry["set_c"]),
            half_band_k=float(entry.get("half_band_k", 0.3)),
            setting_rh=setting,
            lockdown_rh=_band(entry.get("lockdown_rh")),
            loss_percent=entry.get("loss"),
            note=entry.get("note", ""),
            egg_g=float(entry.get("egg_g", 50.0)),
            term_by_temperature=tuple((float(c), float(d)) for c, d in entry.get("term_by_temperature", ())),
            cooling=bool(entry.get("cooling", False)),
            sex_by_temperature=bool(entry.get("sex_by_temperature", False)),
            laid_after=_pair(entry.get("laid_after")),
        )
    return found


@once_a_language
def regimes() -> dict[str, Regime]:
    """All humidity regimes by key, the default first."""
    return {
        key: Regime(
            key=key,
            name=entry["name"],
            setting_rh=_band(entry.get("setting_rh")),
            lockdown_rh=_band(entry.get("lockdown_rh")),
            why=entry["why"],
            until_day=entry.get("until_day"),
            then_rh=_band(entry.get("then_rh")),
            by_weight=bool(entry.get("by_weight", False)),
        )
        for key, entry in read_list("regimes").items()
    }


@dataclass(frozen=True)
class FindingKind:
    """What may be found at an egg: the key that logs it, its word, its group ("candling", "hatch", "after"), for whom
    ("bird", "reptile", "all"), what to look for, and why it should come out (empty: it stays)."""

    key: str
    letter: str
    word: str
    group: str
    kind: str
    look: str
    removes: str


@dataclass(frozen=True)
class Opened:
    """What may be seen in an opened egg: its part ("stage", "position", "sign"), the key that notes it, its word, what
    to look for; days: of a chick's 21 within which such an egg died, None where it cannot be told; hints: a cause of
    core.review it points at, or empty."""

    key: str
    part: str
    letter: str
    word: str
    look: str
    days: tuple[float, float] | None
    hints: str


@once_a_language
def opened() -> dict[str, dict[str, Opened]]:
    """What may be seen in an opened egg, by part and key."""
    return {
        part: {
            key: Opened(
                key,
                part,
                e["letter"],
                e["word"],
                e.get("look", ""),
                (e["from"], e["to"]) if "from" in e else None,
                e.get("hints", ""),
            )
            for key, e in entries.items()
        }
        for part, entries in read_list("break_out").items()
    }


@once_a_language
def findings(whose: Literal["bird", "reptile"] = "bird") -> dict[str, FindingKind]:
    """All findings by key, called and looked for as it is done with eggs of a kind."""
    of_reptiles = ("reptile_word", "reptile_look") if whose == "reptile" else ("word", "look")
    return {
        key: FindingKind(
            key,
            e["letter"],
            e.get(of_reptiles[0], e["word"]),
            e["group"],
            e["for"],
            e.get(of_reptiles[1], e["look"]),
            e.get("removes", ""),
        )
        for key, e in read_list("findings").items()
    }


@dataclass(frozen=True)
class TaskText:
    """What a kind of task is called, why it is done and how; caution: the short one that belongs to it, or empty."""

    title: str
    why: str
    how: str
    caution: str


@once_a_language
def tasks(whose: Literal["bird", "reptile"] = "bird") -> dict[str, TaskText]:
    """The texts of all kinds of tasks, as they are done with eggs of a kind."""
    made = {}
    for key, entry in read_list("tasks").items():
        own = {k.removeprefix(f"{whose}_"): text for k, text in entry.items() if k.startswith(f"{whose}_")}
        e = entry | own
        made[key] = TaskText(e["title"], e["why"], e["how"], cautions()[e["caution"]] if e.get("caution") else "")
    return made


@once_a_language
def cautions() -> dict[str, str]:
    """Short cautions by the step they belong to."""
    return {key: str(text) for key, text in read_list("cautions").items()}
