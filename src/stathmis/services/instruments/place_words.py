"""What a comparison of places, heights, or a controller's mean says, in the keeper's words and unit."""

from __future__ import annotations

from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import difference_from_inside
from stathmis.services.book import Book
from stathmis.services.instruments.places import WORTH_ROTATING_K, PlacesResult
from stathmis.words.catalogue import _, as_number, begun
from stathmis.words.instruments import places as say
from stathmis.words.numbers import signed, with_u


def even_words(book: Book, result: PlacesResult) -> tuple[str, str]:
    """How even an incubator is, and what to do about it."""
    even, unit = result.even, book.temperature_unit
    if even is None:
        return "", say.TWO_PLACES_OR_MORE_GIVE()
    names = [_(f.cell.place) for f in result.found]
    spread = float(difference_from_inside(even.spread, unit))
    U = float(difference_from_inside(even.U_spread, unit))
    figures = f"{as_number(spread, '.2f')} ± {as_number(U, '.2f')} {unit}"
    warm, cold = names[even.warmest], names[even.coldest]
    why = say.ONE_INSTRUMENTS_OWN_ERROR_CANCELS()
    if len({f.channel.id for f in result.found}) > 1:
        why = say.SEVERAL_INSTRUMENTS_EACH_ONES_CORRECTION()
    if not even.seen:
        return say.EVEN_AS_FAR_AS_THIS(cold=cold, warm=warm, figures=figures), why
    if even.spread < WORTH_ROTATING_K:
        return say.EVEN_ENOUGH_WARM_IS_FIGURES(warm=warm, figures=figures, cold=cold), why
    return (
        say.WARM_IS_FIGURES_WARMER_THAN(warm=begun(warm), figures=figures, cold=cold),
        why,
    )


def layer_words(book: Book, result: PlacesResult) -> str:
    """The temperature at egg-top height, and the gradient."""
    found, unit = result.layered, book.temperature_unit
    if found is None:
        return ""
    gradient = float(difference_from_inside(found.gradient, unit))
    words = say.AT_THE_EGG_TOPS_WITH(
        with_u=with_u(found.at_egg_top, NORMAL_95 * found.u_at_egg_top, "temperature", unit)
    )
    words += say.FOR_EACH_CM_UP(gradient=signed(gradient, 2), unit=unit)
    if found.beyond_cm:
        words += say.THAT_IS_BEYOND_CM_CM(beyond_cm=found.beyond_cm)
    return words
