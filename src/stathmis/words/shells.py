"""Shells in words: what a series said, and what that means for the air."""

from __future__ import annotations

from stathmis.core.course.way import SHELL_HALF_K
from stathmis.core.units import difference_from_inside
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.findings.shells import TELLING_K, Shells
from stathmis.words import dates
from stathmis.words.catalogue import _, ngettext
from stathmis.words.numbers import band_text, number, signed, with_u

LATE_HOT_C = 38.9
"""Shells above this late in the term: chicks suffer. Source: common practice of large hatcheries."""
LATE_SHARE = 0.6


def logged(how_many: int) -> str:
    """The edit that logs so many."""
    return ngettext("{n} shell logged", "{n} shells logged", how_many, n=how_many)


def struck() -> str:
    """The edit that strikes a series."""
    return _("shells struck")


def how_many(most: int) -> tuple[str, str]:
    """None, or too many."""
    return _("Which temperatures did the shells have?"), _("Up to {most}, such as 37.8 38.0 37.7.", most=most)


def no_shell(text: str) -> tuple[str, str]:
    """It is no temperature of a shell."""
    return _("“{text}” is no shell's temperature.", text=text), _("Write 37.8 or 100F, spaces between them.")


def no_seconds(text: str) -> tuple[str, str]:
    """It is not how long it takes to measure some shells."""
    return _("“{text}” seconds?", text=text), _("From the lid lifted to the last shell, 1 to 300; empty: about 30.")


def cautions() -> str:
    """What to mind while measuring."""
    return _("Lift the lid, aim at once, spot smaller than the egg, in order; then shut it. It costs the eggs a tenth.")


def line(book: Book, found: Shells) -> tuple[str, str]:
    """A series in a list: when, and what the shells were."""
    mean = with_u(found.mean.value, found.mean.U, "temperature", book.temperature_unit)
    eggs = ngettext("{n} shell", "{n} shells", found.eggs, n=found.eggs)
    return dates.moment(book.local(found.series.time_ms)), _("{eggs}: {mean}", eggs=eggs, mean=mean)


def told(book: Book, course: Course, found: Shells) -> list[str]:
    """What the newest series says of eggs and air."""
    unit, said = book.temperature_unit, []
    if found.own_k is not None:
        k = [float(difference_from_inside(v, unit)) for v in (found.own_k[0], 1.96 * found.own_k[1], found.usual_k)]
        degree = "°F" if unit == "°F" else "K"
        day = course.day_words(course.day(found.series.time_ms))
        over = _("{k} ± {U:.1f} {degree} over the air", k=signed(k[0], 1), U=k[1], degree=degree)
        usual = _("on {day} {usual} {degree} is usual", day=day, usual=signed(k[2], 1), degree=degree)
        said.append(_("{over}; {usual}.", over=over, usual=usual))
        if course.way.by_shell(course.species) and found.usual_k >= TELLING_K:
            said.append(_("The air asked for follows it."))
    else:
        said.append(_("No air was read in the two hours before: it cannot be compared."))
    low, high = wanted(course, found)
    asked = band_text(low, high, "temperature", unit)
    if found.mean.value - found.mean.U > high:
        said.append(_("Warmer than {asked}.", asked=asked))
    elif found.mean.value + found.mean.U < low:
        said.append(_("Cooler than {asked}.", asked=asked))
    elif found.mean.value - found.mean.U >= low and found.mean.value + found.mean.U <= high:
        said.append(_("Inside {asked}.", asked=asked))
    else:
        said.append(_("Can't tell whether inside {asked}: the instrument is not sure enough.", asked=asked))
    late = course.day(found.series.time_ms) > LATE_SHARE * course.species.days
    if late and found.mean.value > LATE_HOT_C:
        limit = number(LATE_HOT_C, "temperature", unit)
        said.append(_("Above {limit} chicks suffer late in the term: less heat, more air.", limit=limit))
    return said


def wanted(course: Course, found: Shells) -> tuple[float, float]:
    """What the shells should have been then, °C: what is asked of the air, and what embryos usually add."""
    middle, half = course.held(found.series.time_ms)
    own = float(course.warmed_by(found.series.time_ms).shell_k)
    return float(middle) + own - max(float(half), SHELL_HALF_K), float(middle) + own + max(float(half), SHELL_HALF_K)
