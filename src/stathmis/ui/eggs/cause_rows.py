"""The likely causes of a batch's losses, each a row: its weight as a bar with its doubt, what log and eggs say."""

from __future__ import annotations

from PySide6.QtWidgets import QGridLayout, QWidget

from stathmis.core.hatch.review import Weighed
from stathmis.services.book import Book
from stathmis.services.eggs import review
from stathmis.services.eggs.review import PLAIN, TOLD, BatchReview
from stathmis.ui.interval_bar import IntervalBar
from stathmis.ui.kit.lines import Rows
from stathmis.ui.kit.page import put, table
from stathmis.ui.kit.pieces import label, set_property, set_text
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _, as_number

LEAST = 0.04
"""What weighs less is not told."""


class _Cause:
    """A cause."""

    def __init__(self, theme: Theme) -> None:
        self._name, self._share = label("", "name", wrap=True), label()
        self._bar = IntervalBar(theme, filled=True)
        self._log, self._eggs = label("", "small", wrap=True), label("", "small", wrap=True)
        self.cells: list[QWidget] = [self._name, self._share, self._bar, self._log, self._eggs]

    def show_cause(self, book: Book, found: BatchReview, one: Weighed) -> None:
        low, high = found.doubt.get(one.cause.key, (one.weight, one.weight))
        clear = found.weighed is not None and found.weighed.clear is one
        set_text(self._name, review.WORDS[one.cause.key])
        set_property(self._name, "ink", "eggs" if clear else "")
        set_text(self._share, f"{as_number(100 * one.weight, '.0f')} %")
        words = _(
            "{weight:.0f} % of the weight, {low:.0f} to {high:.0f} % as the values may be off",
            weight=100 * one.weight,
            low=100 * low,
            high=100 * high,
        )
        self._bar.show_share(review.WORDS[one.cause.key], one.weight, low, high, words)
        key = one.cause.measured
        if key in found.evidence:
            set_text(self._log, f"{_sign(one.by_measure)} {review.measured_words(book, key, found.evidence[key])}")
        else:
            set_text(self._log, _("not measured"))
        set_text(self._eggs, _sign(one.by_eggs))


def _sign(log_ratio: float) -> str:
    """For it, against it, or saying little: a mark and a word."""
    if log_ratio > PLAIN:
        return _("▲ for it")
    return _("▼ against it") if log_ratio < -PLAIN else _("· says little")


class CauseRows(QWidget):
    """The causes, the weightiest first, and the weight of nothing in particular."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        headings = (_("cause"), "", _("its weight, 0 to 100 %"), _("what the log says"), _("the eggs"))
        grid: QGridLayout = table(headings, (4, 0, 4, 5, 2), right=(1,), spacing=12)
        self._rows = Rows(grid, lambda: _Cause(theme))
        put(self, grid)
        self.hide()

    def show_review(self, book: Book, found: BatchReview | None) -> None:
        """Show the causes of a review."""
        told = [] if found is None or found.weighed is None else list(found.weighed.weighed[:TOLD])
        told = [w for i, w in enumerate(told) if w.weight >= LEAST or i == 0]
        self.setVisible(bool(told))
        for row, one in zip(self._rows.show(len(told)), told, strict=True):
            assert found is not None
            row.show_cause(book, found, one)
