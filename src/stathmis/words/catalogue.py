"""The one catalogue of sentences: what is said is looked up in the window's language, English where there is none.

A sentence is marked with _ (ngettext where a number decides its form), with places to fill in, so that a translator
sees it whole. Sentences of services and files stand in words/ as Sentence, Refusal or N_, and are said when called for.
"""

from __future__ import annotations

import gettext
import os
import string
import unicodedata
from collections.abc import Callable, Iterator, Mapping
from functools import cache, wraps
from importlib.resources import files
from typing import Any, Generic, ParamSpec, TypeVar

DOMAIN = "stathmis"
ENGLISH = "en"
_found: gettext.NullTranslations = gettext.NullTranslations()
_spoken = ENGLISH
_signs: tuple[str, str] = (".", ",")

K = TypeVar("K")
P = ParamSpec("P")
R = TypeVar("R")


def speak(languages: list[str]) -> str:
    """Say everything in the first of these languages ("de_AT", "de") that there is a catalogue of, else in English.

    A language before which English is wanted is not looked for. Gives the language that is spoken now.
    """
    wanted = []
    for language in languages:
        if language.replace("-", "_").partition("_")[0] == ENGLISH:
            break
        wanted.append(language.replace("-", "_"))
    folder = str(files("stathmis.data").joinpath("locale"))
    use(gettext.translation(DOMAIN, folder, wanted, fallback=True) if wanted else gettext.NullTranslations())
    # argparse asks the program's own domain, in the language of the environment
    gettext.bindtextdomain(DOMAIN, folder)
    gettext.textdomain(DOMAIN if wanted else "messages")
    return _spoken


def use(catalogue: gettext.NullTranslations) -> None:
    """Say everything by this catalogue from now on."""
    global _found, _spoken, _signs
    _found = catalogue
    _spoken = catalogue.info().get("language", ENGLISH)
    # Translators: how your language writes a large number with decimals
    grouped, _dot, point = _("1,234.5").partition("234")
    _signs = point[0], grouped[1:]


def language() -> str:
    """The language that is spoken: "en", "de"."""
    return _spoken


def spoken_languages() -> list[str]:
    """English, and every language there is a catalogue of."""
    there = files("stathmis.data").joinpath("locale")
    found = [one.name for one in there.iterdir() if one.is_dir()] if there.is_dir() else []
    return [ENGLISH, *sorted(found)]


def of_the_environment() -> list[str]:
    """The languages a terminal's environment asks for, the first first."""
    for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG"):
        if os.environ.get(name):
            return [one.partition(".")[0] for one in os.environ[name].split(":") if one]
    return []


def N_(sentence: str) -> str:
    """The sentence as it is: marked for translators here, looked up where it is said."""
    return sentence


def _(sentence: str, /, **filled: object) -> str:
    """A sentence in the window's language, its {places} filled in."""
    found = _found.gettext(sentence) if sentence else ""
    return filled_in(found, **filled) if filled else found


def ngettext(one: str, several: str, number: int, /, **filled: object) -> str:
    """The form of a sentence that goes with a number, its {places} filled in."""
    return filled_in(_found.ngettext(one, several, number), **filled)


def filled_in(found: str, /, **filled: object) -> str:
    """A sentence that was looked up before, its {places} filled in."""
    return _FILL.vformat(found, (), filled)


def as_number(value: float, how: str) -> str:
    """A number formatted as by format(), with the decimal and grouping signs of the window's language."""
    text = format(value, how)
    if _signs == (".", ","):
        return text
    point, group = _signs
    return "".join(point if c == "." else group if c == "," else c for c in text)


def decimal_sign() -> str:
    """The decimal sign of the window's language."""
    return _signs[0]


class _Fill(string.Formatter):
    """Fills places in, numbers with the signs of the language."""

    def format_field(self, value: Any, format_spec: str) -> str:
        return as_number(value, format_spec) if isinstance(value, int | float) else str(format(value, format_spec))


_FILL = _Fill()


class Sentence:
    """A sentence that is said when called, with its {places}; with several: in the form that goes with `number`."""

    def __init__(self, one: str, several: str = "") -> None:
        self.english = [one, several] if several else [one]

    def __call__(self, number: int = 1, /, **filled: object) -> str:
        if len(self.english) > 1:
            return ngettext(self.english[0], self.english[1], number, **filled)
        return _(self.english[0], **filled)


class Refusal:
    """What went wrong and what to do, said when called, as UserError takes them."""

    def __init__(self, what: str, to_do: str) -> None:
        self.english = [what, to_do]

    def __call__(self, **filled: object) -> tuple[str, str]:
        return _(self.english[0], **filled), _(self.english[1], **filled)


class Spoken(Mapping[K, str], Generic[K]):
    """A table of words that are looked up in the window's language when they are asked for."""

    def __init__(self, english: Mapping[K, str | Sentence]) -> None:
        self._english = english

    def __getitem__(self, key: K) -> str:
        found = self._english[key]
        return found() if isinstance(found, Sentence) else _(found)

    def __iter__(self) -> Iterator[K]:
        return iter(self._english)

    def __len__(self) -> int:
        return len(self._english)


def once_a_language(made: Callable[P, R]) -> Callable[P, R]:
    """Work out once for each language and arguments: for tables read from files whose words are looked up."""

    @cache
    def kept(language: str, *args: Any, **named: Any) -> R:
        return made(*args, **named)

    @wraps(made)
    def looked_up(*args: P.args, **named: P.kwargs) -> R:
        return kept(_spoken, *args, **named)  # type: ignore[arg-type]

    return looked_up


def in_order(text: str) -> str:
    """What names are sorted by: letters with marks stand with those without (as in German dictionaries, DIN 5007-1)."""
    plain = unicodedata.normalize("NFKD", text.replace("ß", "ss"))
    return "".join(c for c in plain if not unicodedata.combining(c)).casefold()


def within(text: str) -> str:
    """Words as they stand within a sentence: with a small first letter, in languages that write nouns small."""
    # Translators: “small” where words within a sentence begin small, “kept” where nouns keep their capital
    return text.lower() if _("small") == "small" else text


def midway(text: str) -> str:
    """The beginning of a sentence as it goes on within another."""
    return text[:1].lower() + text[1:]


def begun(text: str) -> str:
    """Words as they begin a sentence."""
    return text[:1].upper() + text[1:]
