"""Chicks of a bird, hatchlings of a clutch, in words."""

from __future__ import annotations

from typing import Literal

from stathmis.words.catalogue import Refusal, _, ngettext
from stathmis.words.numbers import count

_HOW_MANY = {
    "bird": Refusal("How many chicks?", "Write a count."),
    "reptile": Refusal("How many hatchlings?", "Write a count."),
}
_OUT_LATER = {
    "bird": Refusal("The chick of egg {mark} came out on {when}.", "Give a later time."),
    "reptile": Refusal("The hatchling of egg {mark} came out on {when}.", "Give a later time."),
}


def young(kind: Literal["bird", "reptile"], n: int) -> str:
    """ "3 chicks", "1 hatchling"."""
    if kind == "bird":
        return count(n, "{n} chick", "{n} chicks")
    return count(n, "{n} hatchling", "{n} hatchlings")


def how_many(kind: Literal["bird", "reptile"]) -> tuple[str, str]:
    """None were counted."""
    return _HOW_MANY[kind]()


def fewer_out(kind: Literal["bird", "reptile"], n: int, out: int) -> tuple[str, str]:
    """More are to be taken off than are out."""
    if kind == "bird":
        said = ngettext(
            "{n} to take off, and {out} chick is out.", "{n} to take off, and {out} chicks are out.", out, n=n, out=out
        )
    else:
        said = ngettext(
            "{n} to take off, and {out} hatchling is out.",
            "{n} to take off, and {out} hatchlings are out.",
            out,
            n=n,
            out=out,
        )
    return said, _("Count again.")


def out_later(kind: Literal["bird", "reptile"], mark: str, when: str) -> tuple[str, str]:
    """A time before it came out."""
    return _OUT_LATER[kind](mark=mark, when=when)
