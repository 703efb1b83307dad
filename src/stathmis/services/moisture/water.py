"""Water and vents of an incubator: its surfaces, what is wet and how far the vents stand open, and changes logged."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from stathmis.core.errors import UserError
from stathmis.logbook.records import Event, Incubator, WaterSurface
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.words import typed as typed_words
from stathmis.words.catalogue import _, as_number
from stathmis.words.moisture import water as say
from stathmis.words.numbers import count

LARGEST_CM2 = 20_000.0
_WORDS = {"closed": 0.0, "quarter": 0.25, "third": 1 / 3, "half": 0.5, "open": 1.0}
_NUMBER = r"(\d+(?:[.,]\d+)?)"


@dataclass(frozen=True)
class Setting:
    """How a box is set at a time: wetted surface cm², opening of its vents 0 to 1; None where it was never said."""

    surface_cm2: float | None
    opening: float | None

    @property
    def known(self) -> bool:
        """Whether both are."""
        return self.surface_cm2 is not None and self.opening is not None


def surfaces(book: Book, incubator: Incubator) -> list[WaterSurface]:
    """Troughs, cups and wicks of an incubator, in the order they were entered."""
    return [s for s in book.records(WaterSurface) if s.incubator_id == incubator.id]


EVER_MS = 1 << 62


def events_of(book: Book, incubator: Incubator, until_ms: int | None = None) -> list[Event]:
    """All events of an incubator in order of time."""
    return book.events_between(incubator.id, 0, until_ms if until_ms is not None else EVER_MS)


def setting_at(events: Sequence[Event], at_ms: int) -> Setting:
    """How a box was set at a time (UTC ms); events in order of time.

    A refill leaves the wetted surface as it was; a vent moved without saying how far is not known from then on.
    """
    surface = opening = None
    for event in events:
        if event.time_ms > at_ms:
            break
        if event.surface_cm2 is not None:
            surface = event.surface_cm2
        if event.opening is not None or event.kind == "vent":
            opening = event.opening
    return Setting(surface, opening)


def area_in(text: str) -> float:
    """A surface as typed, cm²: "120", "20 x 6" (cm by cm), or "ring 30" for a round one 30 cm across.

    Raises UserError for anything else, and for a surface of nothing.
    """
    typed = text.strip().lower().replace("cm²", "").replace("cm2", "").replace("cm", "").strip()
    by = re.fullmatch(rf"{_NUMBER}\s*[x×*]\s*{_NUMBER}", typed)
    across = re.fullmatch(rf"(?:ring|ø)\s*{_NUMBER}", typed_words.english(typed, "ring"))
    plain = re.fullmatch(_NUMBER, typed)
    if by:
        area = _float(by[1]) * _float(by[2])
    elif across:
        area = 0.785398 * _float(across[1]) ** 2
    elif plain:
        area = _float(plain[1])
    else:
        raise UserError(*say.TEXT_IS_NO_SURFACE(text=text.strip() or _("Nothing")))
    if not area > 0:
        raise UserError(*say.A_TROUGH_HAS_A_SURFACE())
    if area > LARGEST_CM2:
        raise UserError(*say.AREA_CM_IS_LARGER_THAN(area=area))
    return area


def _float(text: str) -> float:
    return float(text.replace(",", "."))


def opening_in(text: str) -> float:
    """How far the vents stand open, as typed: "half", "1/3", "40 %" or "0.4". Raises UserError for anything else."""
    typed = typed_words.english(text.strip().lower(), *_WORDS)
    if typed in _WORDS:
        return _WORDS[typed]
    part = re.fullmatch(r"(\d{1,2})\s*/\s*(\d{1,2})", typed)
    percent = re.fullmatch(rf"{_NUMBER}\s*%", typed)
    plain = re.fullmatch(_NUMBER, typed)
    found = -1.0
    if part and int(part[2]):
        found = int(part[1]) / int(part[2])
    elif percent:
        found = _float(percent[1]) / 100.0
    elif plain:
        found = _float(plain[1])
    if not 0.0 <= found <= 1.0:
        raise UserError(*say.TEXT_IS_NO_OPENING(text=text.strip() or _("Nothing")))
    return found


def opening_in_note(note: str) -> float | None:
    """The opening a note ends with: "from a third to half open" → 0.5; None where it says none."""
    note = typed_words.english(note.strip().lower(), *_WORDS)
    words = re.sub(r"\bopen(ed)?\s*$", "", note).strip() or note
    last = re.search(r"(\d+(?:[.,]\d+)?\s*%|\d{1,2}\s*/\s*\d{1,2}|0[.,]\d+|[a-z]+)\s*$", words)
    if last is None:
        return None
    try:
        return opening_in(last[1])
    except UserError:
        return None


def amount_in(text: str) -> float:
    """Water poured as typed, ml: "300", "300 ml", "0,3 l". Raises UserError for anything else."""
    plain = re.fullmatch(_NUMBER, text.strip())
    found = _float(plain[1]) if plain else amount_in_note(text)
    if found is None or not 0 < found <= 20_000:
        raise UserError(*say.TEXT_IS_NO_AMOUNT_OF(text=text.strip()))
    return found


def amount_in_note(note: str) -> float | None:
    """Water poured, ml, where a note says so: "200 ml", "0,3 l"; else None."""
    found = re.search(rf"{_NUMBER}\s*(ml|l|dl)\b", note.lower())
    if not found:
        return None
    amount = _float(found[1]) * {"ml": 1.0, "dl": 100.0, "l": 1000.0}[found[2]]
    return amount if 0 < amount <= 20_000 else None


def opening_typed(opening: float | None) -> str:
    """An opening as a keeper would type it: "1/3", "half", "40 %"; empty where it is not known."""
    if opening is None:
        return ""
    for text in ("closed", "1/4", "1/3", "half", "2/3", "3/4", "open"):
        if abs(opening_in(text) - opening) < 0.005:
            return typed_words.own(text) if text in _WORDS else text
    return f"{as_number(100 * opening, '.0f')} %"


def add_surface(desk: Desk, incubator: Incubator, name: str, area: str, volume: str) -> int:
    """Enter a trough, cup or wick of an incubator; undoable. volume: ml, may be empty.

    Raises UserError for no name or one taken, a surface that is none, a volume that is none.
    """
    named = " ".join(name.split())
    if not named:
        raise UserError(*say.WHAT_DO_YOU_CALL_IT())
    if any(s.name.casefold() == named.casefold() for s in surfaces(desk.book, incubator)):
        raise UserError(*say.THERE_IS_A_NAMED_ALREADY(named=named))
    cm2, ml = area_in(area), None
    if volume.strip():
        plain = re.fullmatch(rf"{_NUMBER}\s*(?:ml)?", volume.strip().lower())
        ml = _float(plain[1]) if plain else 0.0
        if not 0 < ml <= 20_000:
            raise UserError(*say.VOLUME_IS_NO_VOLUME(volume=volume.strip()))
    fields = {"incubator_id": incubator.id, "name": named, "surface_cm2": cm2, "volume_ml": ml}
    return desk.add(_("{named} entered", named=named), [(WaterSurface, fields)])[0]


def remove_surface(desk: Desk, surface: WaterSurface) -> None:
    """Take a surface off the list; what was logged with it stays; undoable."""
    desk.strike(_("{surface} taken away", surface=surface.name), WaterSurface, [surface.id])


def log_change(
    desk: Desk,
    incubator: Incubator,
    wet: Mapping[int, float],
    opening: float | None,
    at_ms: int,
    water_ml: float | None = None,
) -> int:
    """Log what is wet and how far the vents stand open from a time (UTC ms) on; only what differs is logged.

    wet: for each surface's id the share of it that is wet and uncovered, 0 to 1; opening: 0 to 1, None to leave it;
    water_ml: what was poured. Undoable together; returns how many events. Raises UserError where nothing changed.
    """
    own = surfaces(desk.book, incubator)
    area = sum(s.surface_cm2 * wet.get(s.id, 0.0) for s in own)
    before = setting_at(events_of(desk.book, incubator), at_ms)
    new: list[tuple[type[Any], dict[str, Any]]] = []
    base = {"incubator_id": incubator.id, "time_ms": at_ms, "set_point_c": None}
    moved = opening is not None and (before.opening is None or abs(opening - before.opening) > 1e-6)
    wetted = own and (before.surface_cm2 is None or abs(area - before.surface_cm2) > 0.05)
    if wetted or water_ml is not None:
        names = [
            s.name if wet.get(s.id, 0.0) == 1.0 else _("part of {s}", s=s.name) for s in own if wet.get(s.id, 0.0) > 0
        ]
        note = _("{names}, {area:.0f} cm² wet", names=_(" and ").join(names) or _("no water"), area=area)
        poured = _("; {water_ml:.0f} ml poured", water_ml=water_ml) if water_ml is not None else ""
        surface = area if own else None
        fields = {**base, "kind": "water", "note": note + poured, "surface_cm2": surface, "water_ml": water_ml}
        new.append((Event, fields))
    if moved and opening is not None:
        new.append((Event, {**base, "kind": "vent", "note": "", "opening": opening}))
    if not new:
        raise UserError(*say.THAT_IS_HOW_IT_STOOD())
    desk.add(say.CHANGES_OF_WATER_AND_VENTS(changes=count(len(new), "{n} change", "{n} changes")), new)
    return len(new)
