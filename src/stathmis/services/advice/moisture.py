"""What to do about the humidity: the one adviser that Round, the column and reports ask."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from stathmis.core.conformity import OUTSIDE
from stathmis.core.course.profile import Band
from stathmis.services.advice import witness
from stathmis.services.advice.reasons import Reason, Upset, upset
from stathmis.services.advice.witness import Witness
from stathmis.services.book import Book
from stathmis.services.findings.last_action import LastAction, last_action
from stathmis.services.findings.verdict import Verdict
from stathmis.services.rounds import RoundSheet

if TYPE_CHECKING:
    from stathmis.services.findings.box import BoxSheet
    from stathmis.services.findings.combinations import Change

HEAT_OFF_K = 0.5
"""Air so far beyond its range is judged first: percent of cold or hot air say nothing of water and vents. Source: our
own; 0.5 K moves 50 % RH by 1.4 %."""

Kind = Literal[
    "wait", "heat first", "witness", "doubt", "mix", "more water", "less water", "lid shut", "moisten", "air"
]


@dataclass(frozen=True)
class MoistureAdvice:
    """What to do about the humidity. kind: "wait" for what still settles; "heat first" while the air is too cold or hot
    to judge; "witness" where the hygrometer itself is the likelier cause; "doubt": what was found does not fit this
    water and vent (box says what explains it); "mix": the change of water and vents this box's own log asks for; "more
    water", "less water" where nothing is known of the box; "lid shut" over wet chicks; "moisten" or "air" a clutch."""

    kind: Kind
    verdict: Verdict
    reason: Reason
    upset: Upset | None = None
    last: LastAction | None = None
    box: BoxSheet | None = None
    change: Change | None = None
    witness: Witness | None = None

    @property
    def sure(self) -> bool:
        """Whether it is certain that the air is outside."""
        return self.verdict.decision == OUTSIDE


def moisture(
    book: Book, sheet: RoundSheet, verdict: Verdict | None, box: BoxSheet | None, warm: Verdict | None = None
) -> MoistureAdvice | None:
    """What to do about the humidity of a round, None where all is well; box: what its water and vents give; warm: what
    the thermometers of the round say."""
    if verdict is None or verdict.band is None or sheet.course is None:
        return None
    away = warm is not None and _away(warm)
    dry = _too_dry(sheet, verdict, verdict.band)
    if away:
        # percent of air that is not at its heat
        return MoistureAdvice("heat first", verdict, Reason(verdict, "vapor")) if verdict.decision == OUTSIDE else None
    known = box if box is not None and box.used else None
    rule = Reason(verdict, "box", states=known.used) if known is not None else Reason(verdict, "water")
    if verdict.decision != OUTSIDE and not dry:
        # still inside, but not as this water and vent gave before: water that sinks is told before it is too late
        doubted = known is not None and known.misfit is not None and bool(known.misfit.causes)
        return MoistureAdvice("doubt", verdict, rule, box=known) if doubted else None
    settling = upset(book, sheet, "humidity")
    if settling is not None:
        return MoistureAdvice("wait", verdict, Reason(verdict, "water"), settling)
    doubted_one = witness.jumped(book, sheet.incubator, sheet.at_ms) if not verdict.low else None
    read = {r.instrument.id for r in verdict.readings}
    phase = sheet.course.phase(sheet.at_ms)
    hatching = phase is not None and phase.name == "hatch"
    if doubted_one is not None and doubted_one.instrument.id in read and not (hatching and doubted_one.kind == "wet"):
        return MoistureAdvice("witness", verdict, Reason(verdict, "witness"), witness=doubted_one)
    if sheet.course.species.kind == "reptile":
        return MoistureAdvice("moisten" if verdict.low else "air", verdict, Reason(verdict, "water"))
    last = last_action(book, sheet.incubator, "humidity", sheet.at_ms)
    if phase is not None and not hatching and verdict.decision == OUTSIDE and known is not None:
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


def _away(warm: Verdict) -> bool:
    """Whether the air itself is away from its range just now, whatever its mean."""
    if warm.band is None:
        return False
    now = [r.newest or r.corrected for r in warm.readings]
    best = min(now, key=lambda c: c.U)
    beyond = max(warm.band.low - best.value, best.value - warm.band.high)
    return beyond > HEAT_OFF_K


def _too_dry(sheet: RoundSheet, verdict: Verdict, band: Band) -> bool:
    """Whether eggs that may be pipped lie too dry more likely than not: a dry membrane holds the chick, a little water
    too much for an hour harms none. Source: common practice."""
    course = sheet.course
    if course is None or course.species.kind != "bird" or not course.is_late(sheet.at_ms):
        return False
    return verdict.corrected.value < band.low
