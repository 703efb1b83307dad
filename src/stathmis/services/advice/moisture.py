"""What to do about the humidity: the one adviser that Round, the column and reports ask."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from stathmis.core.conformity import OUTSIDE
from stathmis.services.advice.reasons import Reason, Upset, upset
from stathmis.services.book import Book
from stathmis.services.findings.last_action import LastAction, last_action
from stathmis.services.findings.verdict import Verdict
from stathmis.services.rounds import RoundSheet

if TYPE_CHECKING:
    from stathmis.services.findings.box import BoxSheet
    from stathmis.services.findings.combinations import Change

Kind = Literal["wait", "doubt", "mix", "more water", "less water", "lid shut", "moisten", "air"]


@dataclass(frozen=True)
class MoistureAdvice:
    """What to do about the humidity. kind: "wait" for what still settles; "doubt": what was found does not fit this
    water and vent (box says what explains it); "mix": the change of water and vents this box's own log asks for; "more
    water", "less water" where nothing is known of the box; "lid shut" over wet chicks; "moisten" or "air" a clutch."""

    kind: Kind
    verdict: Verdict
    reason: Reason
    upset: Upset | None = None
    last: LastAction | None = None
    box: BoxSheet | None = None
    change: Change | None = None


def moisture(book: Book, sheet: RoundSheet, verdict: Verdict | None, box: BoxSheet | None) -> MoistureAdvice | None:
    """What to do about the humidity of a round, None where all is well; box: what its water and vents give."""
    if verdict is None or verdict.band is None or sheet.course is None:
        return None
    known = box if box is not None and box.used else None
    rule = Reason(verdict, "box", states=known.used) if known is not None else Reason(verdict, "water")
    if verdict.decision != OUTSIDE:
        # still inside, but not as this water and vent gave before: water that sinks is told before it is too late
        doubted = known is not None and known.misfit is not None and bool(known.misfit.causes)
        return MoistureAdvice("doubt", verdict, rule, box=known) if doubted else None
    settling = upset(book, sheet, "humidity")
    if settling is not None:
        return MoistureAdvice("wait", verdict, Reason(verdict, "water"), settling)
    if sheet.course.species.kind == "reptile":
        return MoistureAdvice("moisten" if verdict.low else "air", verdict, Reason(verdict, "water"))
    last = last_action(book, sheet.incubator, "humidity", sheet.at_ms)
    phase = sheet.course.phase(sheet.at_ms)
    hatching = phase is not None and phase.name == "hatch"
    if phase is not None and not hatching and known is not None:
        if known.misfit is not None and known.misfit.causes:
            return MoistureAdvice("doubt", verdict, rule, last=last, box=known)
        # the box is read in with the first one that is learned
        from stathmis.services.findings.combinations import change

        asked = change(known.grids["now"], known.now)
        if asked is not None:
            return MoistureAdvice("mix", verdict, rule, last=last, box=known, change=asked)
    if verdict.low:
        return MoistureAdvice("more water", verdict, Reason(verdict, "water"), last=last)
    if hatching:
        return MoistureAdvice("lid shut", verdict, Reason(verdict, "chicks"))
    return MoistureAdvice("less water", verdict, Reason(verdict, "water"), last=last)
