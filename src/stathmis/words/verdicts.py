"""A verdict in words."""

from __future__ import annotations

from stathmis.core.conformity import INSIDE, OUTSIDE, UNDECIDED, chances
from stathmis.core.course.profile import Band
from stathmis.core.units import Unit
from stathmis.services.book import Book
from stathmis.services.findings.verdict import Judged, Verdict
from stathmis.words import dates
from stathmis.words.catalogue import _, filled_in
from stathmis.words.numbers import band_text, typed_text, unit_word, value_text, with_u


def word(judged: Judged | Verdict) -> str:
    """Decision in the keeper's words: "inside", "outside", "can't tell"."""
    return _("can't tell") if judged.decision == UNDECIDED else _(judged.decision)


def side_word(judged: Judged | Verdict, band: Band | None = None) -> str:
    """Decision with the side it lies on: "outside, low"."""
    held = judged.band if isinstance(judged, Verdict) else band
    if judged.decision != OUTSIDE or held is None:
        return word(judged)
    return _("outside, low") if judged.corrected.value < held.middle else _("outside, high")


def sentence(book: Book, verdict: Verdict) -> str:
    """The verdict in one sentence."""
    if verdict.band is None:
        return _("Nothing to hold in this phase.")
    unit = book.shown_unit(verdict.quantity)
    band = band_text(verdict.band.low, verdict.band.high, verdict.quantity, unit)
    if verdict.decision == INSIDE:
        return _("On profile: inside {band}.", band=band)
    if verdict.decision == OUTSIDE:
        beyond = _("Below the band {band}.") if verdict.low else _("Above the band {band}.")
        return filled_in(beyond, band=band)
    below, inside, above = chances(
        verdict.corrected.value, max(verdict.corrected.u, 1e-6), verdict.band.low, verdict.band.high
    )
    shares = {"inside": 100.0 * inside, "below": 100.0 * below, "above": 100.0 * above}
    likely = _("{inside:.0f} % inside, {below:.0f} % below, {above:.0f} % above", **shares)
    return _("Can't tell of {band}: {likely}.", band=band, likely=likely)


def on_this_one(low: float, high: float, unit: Unit, resolution: float) -> str:
    """What one instrument shows while all is well: "36.7–37.3 °C on this one"; low, high in its own unit."""
    ends = dict.fromkeys(typed_text(end, resolution) for end in (low, high))
    return _("{shown} {unit_word} on this one", shown="–".join(ends), unit_word="%" if unit == "%" else unit)


def apart(book: Book, verdict: Verdict) -> str:
    """Who disagrees with the others, where someone does: what it says and what the others do not."""
    if not verdict.suspects:
        return ""
    unit = book.shown_unit(verdict.quantity)
    one = verdict.suspects[0]
    says = with_u(one.corrected.value, one.corrected.U, verdict.quantity, unit)
    return _("The {name} disagrees: {says}.", name=one.instrument.name, says=says)


def as_logged(book: Book, typed: Verdict, logged: Verdict | None) -> str:
    """Where what is being typed says something else than the log (and the column): what that says."""
    if logged is None:
        return ""
    unit = book.shown_unit(typed.quantity)
    said = [value_text(v.corrected.value, v.corrected.U, v.quantity, unit) for v in (typed, logged)]
    if said[0] == said[1]:
        return ""
    return _("Logged: {logged} {unit_word}.", logged=said[1], unit_word=unit_word(unit))


def mean_over(judged: Judged) -> str:
    """ "mean over 2 h 40 min" for a logger whose cycles are known, else empty."""
    return _("mean over {duration}", duration=dates.duration(judged.mean_s * 1000.0)) if judged.mean_s else ""
