"""How far a keeper has come on the ladder: the best score of every lesson, kept beside the practice logbooks."""

from __future__ import annotations

import json
from pathlib import Path

from stathmis.logbook.opening import LogbookError
from stathmis.words import practice as words

FILE = "scores.json"


def folder(data: Path) -> Path:
    """Where practice logbooks and scores are, under the user's data folder."""
    return data / "practice"


def scores(data: Path) -> dict[str, int]:
    """The best score of each lesson; none where nothing is kept, or what is cannot be read."""
    try:
        kept = json.loads((folder(data) / FILE).read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    if not isinstance(kept, dict):
        return {}
    return {str(k): int(v) for k, v in kept.items() if isinstance(v, int) and 0 <= v <= 1000}


def keep(data: Path, key: str, score: int) -> bool:
    """Keep a score where it is the best of its lesson; whether it was. Raises LogbookError where it cannot be kept."""
    known = scores(data)
    if score <= known.get(key, -1):
        return False
    path = folder(data) / FILE
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        partial = path.with_suffix(".part")
        partial.write_text(json.dumps({**known, key: score}), encoding="utf-8")
        partial.replace(path)
    except OSError as error:
        raise LogbookError(*words.not_kept(error.strerror or "")) from error
    return True


def logbook(data: Path, key: str, seed: int) -> Path:
    """The file of a lesson or free run."""
    return folder(data) / f"{key} {seed}.stathmis"
