"""What a comparison of places, heights, or a controller's mean says, in the keeper's words and unit."""

from __future__ import annotations

from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import difference_from_inside
from stathmis.services.book import Book
from stathmis.services.instruments.places import WORTH_ROTATING_K, PlacesResult
from stathmis.words.numbers import signed, with_u


def even_words(book: Book, result: PlacesResult) -> tuple[str, str]:
    """How even an incubator is, and what to do about it."""
    even, unit = result.even, book.temperature_unit
    if even is None:
        return "", "Two places or more give a comparison; nine give the whole picture."
    names = [f.cell.place for f in result.found]
    spread = float(difference_from_inside(even.spread, unit))
    U = float(difference_from_inside(even.U_spread, unit))
    figures = f"{spread:.2f} ± {U:.2f} {unit}"
    warm, cold = names[even.warmest], names[even.coldest]
    why = "One instrument's own error cancels between places; what is left is its scatter and the thermostat's swing."
    if len({f.channel.id for f in result.found}) > 1:
        why = "Several instruments: each one's correction counts in the uncertainty. One moved about compares finer."
    if not even.seen:
        return f"Even, as far as this can tell: {cold} and {warm} differ by {figures}.", why
    if even.spread < WORTH_ROTATING_K:
        return f"Even enough: {warm} is {figures} warmer than {cold}. No need to move eggs for that.", why
    return (
        f"{warm.capitalize()} is {figures} warmer than {cold}. Move eggs round between the two every few days, so that "
        "none stays there.",
        why,
    )


def layer_words(book: Book, result: PlacesResult) -> str:
    """The temperature at egg-top height, and the gradient."""
    found, unit = result.layered, book.temperature_unit
    if found is None:
        return ""
    gradient = float(difference_from_inside(found.gradient, unit))
    words = f"At the egg tops {with_u(found.at_egg_top, NORMAL_95 * found.u_at_egg_top, 'temperature', unit)}; "
    words += f"{signed(gradient, 2)} {unit} for each cm up."
    if found.beyond_cm:
        words += f" That is {found.beyond_cm:g} cm beyond what was measured: read nearer to the egg tops."
    return words
