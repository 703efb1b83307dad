"""A verdict in words."""

from __future__ import annotations

from stathmis.core.conformity import INSIDE, OUTSIDE, UNDECIDED, chances
from stathmis.services.book import Book
from stathmis.services.findings.verdict import Judged, Verdict
from stathmis.words.catalogue import _
from stathmis.words.numbers import band_text


def word(judged: Judged | Verdict) -> str:
    """Decision in the keeper's words: "inside", "outside", "can't tell"."""
    return _("can't tell") if judged.decision == UNDECIDED else _(judged.decision)


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
        return beyond.format(band=band)
    below, inside, above = chances(
        verdict.corrected.value, max(verdict.corrected.u, 1e-6), verdict.band.low, verdict.band.high
    )
    shares = {"inside": 100.0 * inside, "below": 100.0 * below, "above": 100.0 * above}
    likely = _("{inside:.0f} % inside, {below:.0f} % below, {above:.0f} % above", **shares)
    return _("Can't tell of {band}: {likely}.", band=band, likely=likely)
