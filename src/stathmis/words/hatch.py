"""A hatch under way in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

from stathmis.core.course.way import Way
from stathmis.services import knowledge
from stathmis.words.catalogue import _


def forgotten(keys: Sequence[str]) -> str:
    """At the first pip: what is not ticked yet (keys of services.plan.lockdown.FORGOTTEN); empty where all is."""
    if not keys:
        return ""
    called = {
        "turner": _("the turner still in"),
        "liner": _("no liner down"),
        "brooder": _("the brooder not warm"),
    }
    names = ", ".join(called[key] for key in keys)
    return _("The first egg has pipped. Not ticked yet, and forgotten most: {names}.", names=names)


def rule_of_help(way: Way) -> str:
    """Whether a chick that is overdue is helped, by the way of its batch."""
    return _("By your way help is the last resort.") if way.helping == "last resort" else _("The rule stays: no.")


def all_together(left: int) -> str:
    """The chicks are taken off together: so many are still to come or to dry."""
    return _("All together, by your way: {left} more to wait for, until the last one is dry.", left=left)


def misting() -> tuple[str, str]:
    """A step of lockdown, and how."""
    return _("Mist the eggs once"), _("Lukewarm water, a fine spray, quickly.")


def weak(hatched: int, kinds: Mapping[str, int], whose: Literal["bird", "reptile"]) -> str:
    """The weak ones among the hatched, and what they come of; empty where none were noted. kinds: of findings."""
    if not kinds:
        return ""
    words = knowledge.findings(whose)
    parts = ", ".join(f"{words[kind].word} {n}" for kind, n in kinds.items())
    share = 100.0 * sum(kinds.values()) / max(1, hatched)
    young = _("Of {n} that came out: {parts} ({share:.0f} %).", n=hatched, parts=parts, share=share)
    if "splayed legs" in kinds:
        return young + " " + _("Splayed legs: a smooth floor, or too warm, or too dry.")
    return young
