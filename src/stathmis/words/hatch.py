"""A hatch under way in words."""

from __future__ import annotations

from collections.abc import Sequence

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
