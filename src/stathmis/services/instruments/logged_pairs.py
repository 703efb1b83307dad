"""Picking a check's points from the logs of two instruments that hung side by side."""

from __future__ import annotations

import numpy as np

from stathmis.core.checks.pairing import lag_between, pair_blocks
from stathmis.core.errors import UserError
from stathmis.logbook import readings
from stathmis.logbook.records import Channel
from stathmis.services.book import Book
from stathmis.services.instruments.draft import Logged
from stathmis.services.instruments.methods import RESPONSE_S
from stathmis.words.catalogue import _
from stathmis.words.instruments import checks as say

LEAST_BLOCKS, MOST_BLOCKS = 3, 24
BLOCK_RESPONSES = 6.0
"""A block lasts at least this many response times, so that what one block missed does not reach into the next."""


def pick(book: Book, channel: Channel, other_id: int, start_ms: int, end_ms: int) -> Logged:
    """Pair two instruments' logs over a stretch (UTC ms), the lag between them taken out.

    Raises UserError where either has too few readings there, or they do not run side by side long enough.
    """
    other = book.channel(other_id)
    if end_ms <= start_ms:
        raise UserError(*say.THE_STRETCH_ENDS_BEFORE_IT())
    own = readings.series(book.snapshot, channel, start_ms, end_ms)
    theirs = readings.series(book.snapshot, other, start_ms, end_ms)
    for found, who in ((own, _("this instrument")), (theirs, _("the reference"))):
        if found.times_ms.size < 2 * LEAST_BLOCKS:
            raise UserError(*say.THERE_ARE_ONLY_SIZE_READINGS(size=found.times_ms.size, who=who))
    t, s = own.times_ms / 1000.0, theirs.times_ms / 1000.0
    slowest = max(channel.response_s or RESPONSE_S[channel.quantity], other.response_s or RESPONSE_S[other.quantity])
    gap = 3.0 * max(float(np.median(np.diff(t))), float(np.median(np.diff(s))))
    together = min(t[-1], s[-1]) - max(t[0], s[0])
    block = max(BLOCK_RESPONSES * slowest, gap * 2.0, together / MOST_BLOCKS)
    try:
        dense = gap <= slowest * 3.0
        lag = lag_between(t, own.shown, s, theirs.shown, 3.0 * slowest) if dense else 0.0
        pairs = pair_blocks(t, own.shown, s, theirs.shown, block, lag, gap)
    except ValueError:
        raise UserError(*say.THE_TWO_DO_NOT_RUN(least_blocks=LEAST_BLOCKS * block / 3600)) from None
    if pairs.reading.size < LEAST_BLOCKS:
        raise UserError(*say.THE_TWO_RUN_SIDE_BY(least_blocks=LEAST_BLOCKS * block / 3600))
    return Logged(pairs, start_ms, end_ms, int(own.times_ms.size))
