"""What came of a batch, in words, and how the keeper holds the lid during the hatch."""

from __future__ import annotations

from stathmis.core.hatch.hatch_stats import Rate
from stathmis.services.eggs.tray import TraySheet
from stathmis.words.numbers import count

FEW = 12
"""With fewer eggs than this a rate says little. Source: common practice."""


def outcome_lines(sheet: TraySheet) -> list[str]:
    """Losses by stage, and how much the numbers can say."""
    tally = sheet.tally
    parts = [
        (tally.clear, "clear"),
        (tally.early_dead, "dead early"),
        (tally.late_dead, "dead late, not pipped"),
        (tally.pipped_dead, "pipped and died"),
        (tally.lost, "lost otherwise"),
        (tally.hatched, "hatched"),
    ]
    said = []
    known = [f"{n} {word}" for n, word in parts if n]
    if known:
        said.append(f"Of {count(tally.eggs, 'egg')}: {', '.join(known)}.")
    if tally.open:
        said.append(f"{count(tally.open, 'egg')} {'is' if tally.open == 1 else 'are'} still open.")
    if known and tally.eggs < FEW:
        said.append("So few eggs say little about what to change: look at the trace first.")
    said.append("In brackets: where the true rate lies, at 95 % (Wilson).")
    return said


def rate_words(rate: Rate) -> str:
    """ "18 of 24, 75 % (55 to 88 %)"; a dash where there were none."""
    if not rate.of:
        return "–"
    low, high = 100 * rate.low, 100 * rate.high
    return f"{rate.count} of {rate.of}, {100 * rate.share:.0f} % ({low:.0f} to {high:.0f} %)"
