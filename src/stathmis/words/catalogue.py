"""The one catalogue of sentences: what is said is looked up in the window's language, English where there is none.

A sentence is marked with _ (ngettext where a number decides its form), with places to fill in, so that a translator
sees it whole.
"""

from __future__ import annotations

import gettext
from importlib.resources import files

DOMAIN = "stathmis"
_found: gettext.NullTranslations = gettext.NullTranslations()


def speak(languages: list[str]) -> None:
    """Say everything in the first of these languages ("de_AT", "de") that there is a catalogue of, else in English."""
    global _found
    folder = str(files("stathmis.data").joinpath("locale"))
    _found = gettext.translation(DOMAIN, folder, languages, fallback=True)


def _(sentence: str, **filled: object) -> str:
    """A sentence in the window's language, its {places} filled in."""
    found = _found.gettext(sentence)
    return found.format(**filled) if filled else found


def ngettext(one: str, several: str, number: int, **filled: object) -> str:
    """The form of a sentence that goes with a number, its {places} filled in."""
    return _found.ngettext(one, several, number).format(**filled)
