"""The young of a clutch: each from the egg to its first shed, a place of its own and its first meal."""

from __future__ import annotations

from dataclasses import dataclass

from stathmis.services.eggs.tray import TraySheet


@dataclass(frozen=True)
class Young:
    """One that came out of the egg with this mark; times in UTC ms, None where it has not come to that."""

    mark: str
    out_ms: int
    shed_ms: int | None
    apart_ms: int | None
    meal_ms: int | None


def young(sheet: TraySheet) -> tuple[Young, ...]:
    """All that are out, in order of the tray; eggs without marks have none."""
    found = []
    for egg in sheet.eggs:
        out = egg.first_ms(("out", "taken"))
        if out is not None:
            found.append(Young(egg.mark, out, *(egg.first_ms((k,)) for k in ("first shed", "apart", "first meal"))))
    return tuple(found)
