"""Which instrument to doubt before anything is done about the air."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from stathmis.core.conformity import UNDECIDED
from stathmis.services.advice.reasons import Reason
from stathmis.services.findings.verdict import Judged, Verdict


@dataclass(frozen=True)
class InstrumentAdvice:
    """An instrument to check. kind: "disagrees" with the others beyond their U, or is too "coarse" to tell."""

    kind: Literal["disagrees", "coarse"]
    verdict: Verdict
    judged: Judged
    reason: Reason


def instruments(verdict: Verdict | None) -> InstrumentAdvice | None:
    """The instrument to check first, None where all can be believed as far as it matters."""
    if verdict is None:
        return None
    if verdict.suspects:
        return InstrumentAdvice("disagrees", verdict, verdict.suspects[0], Reason(verdict, "disagree"))
    if verdict.decision == UNDECIDED and verdict.band is not None:
        best = min(verdict.readings, key=lambda r: r.corrected.U)
        if 0.5 * (verdict.band.high - verdict.band.low) < best.corrected.U:
            return InstrumentAdvice("coarse", verdict, best, Reason(verdict, "coarse"))
    return None
