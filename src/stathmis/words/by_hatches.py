"""What own hatches say of a thermometer, in words."""

from __future__ import annotations

from stathmis.core.units import difference_from_inside
from stathmis.services.book import Book
from stathmis.services.instruments.by_hatches import ByHatch, together
from stathmis.words.catalogue import _, ngettext
from stathmis.words.numbers import signed, with_u


def lines(book: Book, found: tuple[ByHatch, ...]) -> list[str]:
    """What each hatch says, and all of them together; nothing without one."""
    whole = together(found)
    if whole is None:
        return []
    unit, said = book.temperature_unit, []
    off, U = (float(difference_from_inside(v, unit)) for v in (whole.value, whole.U))
    parts = {"off": signed(off, 1), "U": U, "degree": "°F" if unit == "°F" else "K"}
    by = ngettext("By {n} hatch of yours", "By {n} hatches of yours", len(found), n=len(found))
    if abs(whole.value) <= whole.U:
        told = _("it says what the chicks say, to {U:.1f} {degree} (approximate).", **parts)
    else:
        told = _("it says {off} ± {U:.1f} {degree} too much (approximate): check it.", **parts)
    said.append(f"{by}: {told}")
    for one in found:
        read = with_u(one.said.value, one.said.U, "temperature", unit)
        by_day = with_u(one.by_day.value, one.by_day.U, "temperature", unit)
        name, day = one.course.batch.name, one.course.day_words(one.day, 1)
        said.append(
            _("{name}, hatched on {day}: {by_day}; it said {read}.", name=name, day=day, by_day=by_day, read=read)
        )
    return said
