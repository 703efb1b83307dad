"""The catalogue: nothing lacks in a language, every sentence gets its places, numbers and days go both ways."""

from __future__ import annotations

import ast
import gettext
import importlib
import io
import re
from collections.abc import Iterator
from datetime import UTC, datetime

import pytest
from babel.messages.catalog import Message
from babel.messages.mofile import write_mo
from hypothesis import given
from hypothesis import strategies as st

import translations
from sources import ROOT, every_file
from stathmis.__main__ import main
from stathmis.core.units import parse_typed
from stathmis.services import clock, guide, knowledge
from stathmis.services.moisture.water import opening_in, opening_in_note, opening_typed
from stathmis.words import catalogue, dates
from stathmis.words.catalogue import Refusal, Sentence, as_number

PLACES = re.compile(r"\{[^{}]*(?:\{\w+\}[^{}]*)?\}|%\(\w+\)\w|%[rs]\b")
NOW_MS = 1_779_093_600_000
"""2026-05-18 08:40 UTC, a Monday."""


@pytest.fixture(params=translations.languages())
def language(request: pytest.FixtureRequest) -> Iterator[str]:
    """Each language there is a file of, spoken."""
    made = io.BytesIO()
    write_mo(made, translations.read(request.param))
    made.seek(0)
    catalogue.use(gettext.GNUTranslations(made))
    yield request.param
    catalogue.use(gettext.NullTranslations())


def _forms(message: Message) -> tuple[tuple[str, ...], tuple[str, ...]]:
    plural = isinstance(message.id, tuple)
    return (tuple(message.id), tuple(message.string)) if plural else ((str(message.id),), (str(message.string),))


@pytest.mark.heavy("all sources are read for their sentences")
def test_every_sentence_is_in_the_file_and_said_in_the_language(language: str) -> None:
    there, wanted = {m.id for m in translations.read(language) if m.id}, {m.id for m in translations.found() if m.id}
    assert there == wanted, "run scripts/translations.py update, and translate what is new"
    assert translations.left(language) == []


def test_places_spaces_and_keys_are_those_of_the_sentence(language: str) -> None:
    kept = translations.read(language)
    for message in kept:
        if not message.id:
            continue
        english, own = _forms(message)
        assert len(own) == (kept.num_plurals if len(english) > 1 else 1), message.id
        for text in own:
            places, wanted = set(PLACES.findall(text)), set(PLACES.findall(english[-1]))
            # "one thing" may do without its number
            assert places == wanted or (len(own) > 1 and places < wanted), message.id
            if len(own) == 1:
                assert [text[:1].isspace(), text[-1:].isspace()] == [
                    english[0][:1].isspace(),
                    english[0][-1:].isspace(),
                ]
                assert len(re.findall(r"&\w", text)) == len(re.findall(r"&\w", english[0])), message.id
                assert re.findall(r"\(\*[^)]*\)", text) == re.findall(r"\(\*[^)]*\)", english[0]), message.id


def test_lists_and_the_guide_are_in_the_language(language: str) -> None:
    assert knowledge.WORDS_OF_LISTS == translations.WORDS_OF_LISTS
    english = (ROOT.parents[1] / "docs" / "guide.md").read_text(encoding="utf-8")
    own = (ROOT.parents[1] / "docs" / f"guide.{language}.md").read_text(encoding="utf-8")
    for level in ("## ", "### "):
        heads = [re.findall(rf"^{level}", text, re.MULTILINE) for text in (own, english)]
        assert len(heads[0]) == len(heads[1]), "the guides have the same parts"
    assert len({guide.part_of(page).title for page in guide.PARTS}) == len(set(guide.PARTS.values()))
    assert knowledge.species()["chicken"].name not in ("chicken", "")
    catalogue.use(gettext.NullTranslations())
    assert knowledge.species()["chicken"].name == "chicken" and guide.part_of("eggs").title == "Eggs"


def test_what_is_filled_in_is_what_the_sentence_asks_for() -> None:
    """A sentence of words/ that is called elsewhere gets every one of its places, and no other."""
    called = 0
    for path, nodes in every_file():
        modules = {
            a.asname: importlib.import_module(f"{n.module}.{a.name}")
            for n in nodes
            if isinstance(n, ast.ImportFrom) and (n.module or "").startswith("stathmis.words")
            for a in n.names
            if a.asname == "say"
        }
        for node in nodes:
            if not isinstance(node, ast.Call) or any(k.arg is None for k in node.keywords):
                continue
            function = node.func
            if isinstance(function, ast.Name) and function.id == "_" and isinstance(node.args[0], ast.Constant):
                english = [str(node.args[0].value)]
                if not node.keywords:
                    continue
            elif isinstance(function, ast.Attribute) and ast.unparse(function.value) in modules:
                said = getattr(modules[ast.unparse(function.value)], function.attr)
                if not isinstance(said, Sentence | Refusal):
                    continue
                english = said.english
            else:
                continue
            called += 1
            asked = {n for text in english for p in PLACES.findall(text) for n in re.findall(r"\{(\w+)", p)}
            assert asked == {k.arg for k in node.keywords}, f"{path.name}:{node.lineno}"
    assert called > 1000


@given(value=st.floats(-1e6, 1e6), places=st.integers(0, 4))
@pytest.mark.parametrize("signs", [(".", ","), (",", ".")])
def test_a_number_said_can_be_typed_back(signs: tuple[str, str], value: float, places: int) -> None:
    before, catalogue._signs = catalogue._signs, signs
    try:
        text = as_number(value, f".{places}f")
        assert parse_typed(text).value == float(f"{value:.{places}f}")
        assert signs[1] in as_number(1234.5, ",.1f") and as_number(1234.5, ",.1f").endswith(f"{signs[0]}5")
    finally:
        catalogue._signs = before


@given(day=st.integers(0, 330), minute=st.integers(0, 1439))
def test_a_day_said_can_be_typed_back(day: int, minute: int) -> None:
    at = NOW_MS + day * clock.DAY_MS
    when = datetime.fromtimestamp(at / 1000, UTC).replace(hour=minute // 60, minute=minute % 60)
    for language in ("en", *translations.languages()):
        catalogue.speak([language])
        try:
            said = dates.moment(when)
            assert clock.parse_day(said, NOW_MS, "UTC") == round(when.timestamp() * 1000), said
        finally:
            catalogue.use(gettext.NullTranslations())


def test_times_and_openings_are_typed_in_german_and_in_english() -> None:
    catalogue.speak(["de_AT", "en"])
    try:
        assert catalogue.language() == "de" and catalogue.decimal_sign() == ","
        yesterday = clock.parse_moment("gestern 21:30", NOW_MS, "UTC")
        assert yesterday == clock.parse_moment("yesterday 21:30", NOW_MS, "UTC")
        assert clock.parse_moment("jetzt", NOW_MS, "UTC") == clock.parse_moment("now", NOW_MS, "UTC") == NOW_MS
        in_ten = clock.parse_day("in 10 Tagen", NOW_MS, "UTC")
        assert in_ten == clock.parse_day("in 10 days", NOW_MS, "UTC")
        assert clock.parse_day("20. Juni", NOW_MS, "UTC") == clock.parse_day("20 Jun", NOW_MS, "UTC")
        assert dates.day(datetime(2026, 3, 5, tzinfo=UTC), weekday=True, year=True) == "Do 5. März 2026"
        assert dates.span(datetime(2026, 5, 18, tzinfo=UTC), datetime(2026, 5, 20, tzinfo=UTC)) == "18. bis 20. Mai"
        assert [opening_in(t) for t in ("halb", "half", "ganz offen", "1/3")] == [0.5, 0.5, 1.0, 1 / 3]
        assert opening_in_note("von einem Drittel auf halb offen") == 0.5 and opening_typed(1.0) == "offen"
        assert catalogue._("{n:.1f} of {of:,}", n=1.25, of=12000) == "1,2 of 12.000"
    finally:
        assert catalogue.speak(["en_GB", "de"]) == "en"


def test_the_command_line_speaks_as_the_terminal_wants(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """What argparse says by itself too, and English where that comes first."""
    said = []
    try:
        for wanted, arguments in (("de", ["--help"]), ("de", ["log"]), ("en:de", ["--help"])):
            monkeypatch.setenv("LANGUAGE", wanted)
            with pytest.raises(SystemExit):
                main(arguments)
            said.append("".join(capsys.readouterr()))
    finally:
        catalogue.speak([])
    german, lacking, english = said
    assert not {"usage", "options", "show", "FOLDER"} & set(re.findall(r"\w+", german)) and "Aufruf: " in german
    assert "Fehler: es fehlt: Messgerät, WERT" in lacking
    assert english.startswith("usage: stathmis [-h]") and "show this help" in english
