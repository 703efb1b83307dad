"""The catalogue of sentences: find them, bring a language's file up to date, make what the program reads.

scripts/translations.py find        every sentence of the sources into src/stathmis/data/locale/stathmis.pot
scripts/translations.py update de   that language's .po up to date with it (made, where there is none)
scripts/translations.py build       the .mo of every language, where the program looks for them
scripts/translations.py left de     what is not translated yet
"""

from __future__ import annotations

import ast
import sys
import tomllib
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

ROOT = Path(__file__).resolve().parents[1]
SOURCES = ROOT / "src" / "stathmis"
LOCALES = SOURCES / "data" / "locale"
TEMPLATE = LOCALES / "stathmis.pot"
KEYWORDS = {
    "_": ((1,),),
    "N_": ((1,),),
    "Sentence": ((1, 2),),
    "Refusal": ((1,), (2,)),
    "ngettext": ((1, 2),),
    "count": ((2, 3),),
    "FitError": ((1,),),
    "FixedPointError": ((1,),),
    "NumbersError": ((1,),),
    "_require": ((4,),),
}
"""How a sentence is marked in the code, and which of the arguments it is; two of them: its singular and plural."""
WORDS_OF_LISTS = frozenset({"name", "note", "why", "how", "title", "word", "look", "removes", "label", "steps"})
"""The same as stathmis.services.knowledge reads."""


def found() -> Catalog:
    """Every sentence of the sources, with where it stands."""
    catalog = _fresh(None)
    for path in sorted(SOURCES.rglob("*.py")):
        place = path.relative_to(SOURCES).as_posix()
        for line, sentence, notes in _in_code(path.read_text(encoding="utf-8")):
            catalog.add(sentence, locations=[(place, line)], auto_comments=notes)
    for path in sorted((SOURCES / "data").glob("*.toml")):
        for words in _in_list(tomllib.loads(path.read_text(encoding="utf-8"))):
            catalog.add(words, locations=[(f"data/{path.name}", 1)])
    return catalog


def _in_code(source: str) -> Iterator[tuple[int, str | tuple[str, str], list[str]]]:
    """Each marked sentence with its line and what is noted for translators over it; also those inside f-strings."""
    lines = source.splitlines()
    for node in ast.walk(ast.parse(source)):
        if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Name):
            continue
        for which in KEYWORDS.get(node.func.id, ()):
            texts = tuple(text for i in which if (text := _text(node.args, i)))
            if texts:
                sentence = texts[0] if len(texts) == 1 else (texts[0], texts[1])
                yield node.lineno, sentence, _notes(lines, node.lineno - 1)


def _text(arguments: list[ast.expr], number: int) -> str:
    found = arguments[number - 1] if number <= len(arguments) else None
    return found.value if isinstance(found, ast.Constant) and isinstance(found.value, str) else ""


def _notes(lines: list[str], at: int) -> list[str]:
    above = lines[at - 1].strip() if at else ""
    return [above.removeprefix("# Translators:").strip()] if above.startswith("# Translators:") else []


def _in_list(entry: dict[str, object], top: bool = True) -> Iterator[str]:
    for key, value in entry.items():
        if isinstance(value, dict):
            yield from _in_list(value, top=False)
        elif (top or key.removeprefix("reptile_") in WORDS_OF_LISTS) and value:
            yield from (value if isinstance(value, list) else [str(value)])


def _fresh(language: str | None) -> Catalog:
    # no dates: a file changes only where its sentences do
    once = datetime(2026, 1, 1, tzinfo=UTC)
    return Catalog(
        locale=language,
        header_comment="# Stathmis, sentence by sentence. See CONTRIBUTING.",
        project="Stathmis",
        msgid_bugs_address="none",
        last_translator="the Stathmis authors <none>",
        language_team="none",
        charset="utf-8",
        creation_date=once,
        revision_date=once,
        fuzzy=False,
    )


def po_of(language: str) -> Path:
    """Where a language's sentences are translated."""
    return LOCALES / language / "LC_MESSAGES" / "stathmis.po"


def languages() -> list[str]:
    """The languages there is a file for."""
    return sorted(path.parts[-3] for path in LOCALES.glob("*/LC_MESSAGES/stathmis.po"))


def read(language: str) -> Catalog:
    """What is translated into a language."""
    with po_of(language).open("rb") as file:
        return read_po(file, locale=language)


def update(language: str) -> Catalog:
    """A language's file with every sentence of the sources; what was translated stays."""
    path, sentences = po_of(language), found()
    catalog = read(language) if path.exists() else _fresh(language)
    catalog.update(sentences, no_fuzzy_matching=True, update_creation_date=False)
    catalog.obsolete.clear()
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.open("wb") as file:
        write_po(file, catalog, width=120, sort_by_file=True, include_lineno=False)
    return catalog


def build() -> None:
    """What the program reads, beside each .po."""
    for language in languages():
        with po_of(language).with_suffix(".mo").open("wb") as file:
            write_mo(file, read(language))


def left(language: str) -> list[str]:
    """The sentences a language lacks."""
    there = {m.id: m.string for m in read(language) if m.string and (isinstance(m.string, str) or all(m.string))}
    return [str(m.id) for m in found() if m.id and m.id not in there]


def main(words: list[str]) -> int:
    """Do what is asked."""
    match words:
        case ["find"]:
            TEMPLATE.parent.mkdir(parents=True, exist_ok=True)
            with TEMPLATE.open("wb") as file:
                write_po(file, found(), width=120, sort_by_file=True, include_lineno=False)
        case ["update", language]:
            update(language)
        case ["build"]:
            build()
        case ["left", language]:
            missing = left(language)
            print("\n".join([*missing, f"{len(missing)} left"]))
        case _:
            print(__doc__)
            return 2
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
