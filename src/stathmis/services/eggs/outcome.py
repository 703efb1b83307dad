"""What came of a batch, in words, and how the keeper holds the lid during the hatch."""

from __future__ import annotations

from stathmis.core.hatch.hatch_stats import Rate
from stathmis.services.eggs.tray import TraySheet
from stathmis.words.catalogue import _
from stathmis.words.eggs import outcome as say
from stathmis.words.numbers import count

FEW = 12
"""With fewer eggs than this a rate says little. Source: common practice."""


def outcome_lines(sheet: TraySheet) -> list[str]:
    """Losses by stage, and how much the numbers can say."""
    tally = sheet.tally
    parts = [
        (tally.clear, _("clear")),
        (tally.early_dead, _("dead early")),
        (tally.late_dead, say.DEAD_LATE_NOT_PIPPED()),
        (tally.pipped_dead, _("pipped and died")),
        (tally.lost, _("lost otherwise")),
        (tally.hatched, _("hatched")),
    ]
    said = []
    known = [f"{n} {word}" for n, word in parts if n]
    if known:
        said.append(_("Of {eggs}: {known}.", eggs=count(tally.eggs, "{n} egg", "{n} eggs"), known=", ".join(known)))
    if tally.open:
        said.append(say.STILL_OPEN(tally.open, n=tally.open))
    if known and tally.eggs < FEW:
        said.append(say.SO_FEW_EGGS_SAY_LITTLE())
    said.append(say.IN_BRACKETS_WHERE_THE_TRUE())
    return said


def rate_words(rate: Rate) -> str:
    """ "18 of 24, 75 % (55 to 88 %)"; a dash where there were none."""
    if not rate.of:
        return "–"
    low, high = 100 * rate.low, 100 * rate.high
    return _(
        "{count} of {of}, {share:.0f} % ({low:.0f} to {high:.0f} %)",
        count=rate.count,
        of=rate.of,
        share=100 * rate.share,
        low=low,
        high=high,
    )
