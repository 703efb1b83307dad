"""Words a keeper types: in the window's language or in English, always understood; and offered in the window's own."""

from __future__ import annotations

import re

from stathmis.words.catalogue import N_, _

# Translators: in these messages leave “typed:” away, and give every form that may be typed, apart by |, the usual first
_TYPED = {
    "now": N_("typed: now"),
    "yesterday": N_("typed: yesterday"),
    "today": N_("typed: today"),
    "tomorrow": N_("typed: tomorrow"),
    "in": N_("typed: in"),
    "days": N_("typed: days|day"),
    "weeks": N_("typed: weeks|week"),
    "first": N_("typed: first"),
    "again": N_("typed: again"),
    "hours": N_("typed: hours|hour"),
    "to": N_("typed: to"),
    "all": N_("typed: all"),
    "egg": N_("typed: egg"),
    "ring": N_("typed: ring|round"),
    "closed": N_("typed: closed|shut"),
    "quarter": N_("typed: quarter"),
    "third": N_("typed: third"),
    "half": N_("typed: half"),
    "open": N_("typed: open|full|fully open"),
    "water": N_("typed: water"),
    "vent": N_("typed: vent"),
    "lid": N_("typed: lid"),
    "set": N_("typed: set"),
    "cool": N_("typed: cool|cooled"),
    "note": N_("typed: note"),
}


def forms(word: str) -> list[str]:
    """The forms a word may be typed in, in the window's language, the usual first."""
    return _(_TYPED[word]).removeprefix("typed: ").split("|")


def own(word: str) -> str:
    """The word as the window's language offers it."""
    return forms(word)[0]


def english(text: str, *words: str) -> str:
    """What was typed, with any form of these words put in English, upper or lower case."""
    for word in words:
        either = "|".join(re.escape(form) for form in sorted(forms(word), key=len, reverse=True))
        text = re.sub(rf"(?<!\w)(?:{either})(?!\w)", word, text, flags=re.IGNORECASE)
    return text
