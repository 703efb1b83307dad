"""Sentences belong to words/ (and the window's labels to ui/), and all of them go through the catalogue."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterable, Iterator

import pytest

import making
from sources import ROOT, every_file
from stathmis.services import rounds
from stathmis.services.desk import Desk
from stathmis.words import catalogue, verdicts, way

LOGGED = re.compile(r"(_?log|logger|logging)\.(debug|info|warning|error|exception)")
RAISED = re.compile(r"(Value|Key|Type|Numbers|Fit|FixedPoint)Error\b")
"""Errors nobody sees, and those of numbers, which words.numbers.reason looks up."""
NO_SENTENCE = re.compile(
    r"\W*(SELECT|INSERT|UPDATE|DELETE|CREATE|ALTER|DROP|PRAGMA|FROM|JOIN|WHERE|ORDER|id, at_ms)\b"
    r"|.*(<\w|='|;\s\w+-|\\[ds]|NOT NULL| IN \()",
    re.DOTALL,
)
"""SQL, markup, style sheets and patterns."""


def _keys() -> set[str]:
    found: set[str] = set()
    for path, nodes in every_file():
        for node in nodes:
            if isinstance(node, ast.Dict):
                found |= {k.value for k in node.keys if isinstance(k, ast.Constant) and isinstance(k.value, str)}
            if isinstance(node, ast.Call) and ast.unparse(node.func) == "N_" and path.is_relative_to(ROOT / "words"):
                # an influence is kept by its name, and said as words/ has it
                found |= {a.value for a in node.args if isinstance(a, ast.Constant)}
    return found


def sentences(nodes: Iterable[ast.AST], keys: set[str]) -> list[str]:
    """Strings of four words and more: no docstrings, keys, code of another kind, nor errors nobody sees."""
    skipped = {id(n.value) for n in nodes if isinstance(n, ast.Expr)}
    for node in nodes:
        raised = isinstance(node, ast.Raise) and RAISED.match(ast.unparse(node.exc or node))
        logged = isinstance(node, ast.Call) and LOGGED.match(ast.unparse(node.func))
        if raised or logged:
            skipped |= {id(n) for n in ast.walk(node)}
    found = []
    for node in nodes:
        if not isinstance(node, ast.Constant) or not isinstance(node.value, str) or id(node) in skipped:
            continue
        words = re.findall(r"[A-Za-z]{2,}", re.sub(r"\{[^}]*\}", " ", node.value))
        if len(words) >= 4 and " " in node.value.strip() and node.value not in keys:
            found += [] if NO_SENTENCE.match(node.value) else [node.value]
    return found


@pytest.mark.heavy("all sources are parsed, for the tests after it too")
def test_no_sentence_stands_outside_words_and_the_window() -> None:
    keys = _keys()
    elsewhere = {
        str(p.relative_to(ROOT)): found
        for p, nodes in every_file()
        if p.relative_to(ROOT).parts[0] not in ("words", "ui", "demo") and (found := sentences(nodes, keys))
    }
    assert not elsewhere, f"these sentences belong into words/: {elsewhere}"


def test_what_is_said_goes_through_the_catalogue(demo: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    """A language that shouts: whatever it does not reach was not looked up."""

    class Shouting:
        def gettext(self, sentence: str) -> str:
            return "".join(p if p.startswith("{") else p.upper() for p in re.split(r"(\{[^}]*\})", sentence))

        def ngettext(self, one: str, several: str, number: int) -> str:
            return self.gettext(one if number == 1 else several)

    sheet = rounds.sheet(demo.book, demo.book.incubators()[0])
    found = sheet.verdict("temperature"), sheet.verdict("humidity")

    def all_said() -> list[str]:
        return [
            *(verdicts.sentence(demo.book, v) for v in found if v),
            *(a.text for a in making.told(demo, sheet, *found)),
        ]

    quiet = all_said()
    monkeypatch.setattr(catalogue, "_found", Shouting())
    loud = all_said()
    assert len(loud) >= 2 and [s.upper() for s in quiet] == [s.upper() for s in loud]
    for sentence in loud:
        words = re.findall(r"[A-Za-z]{3,}", sentence)
        assert sum(w.isupper() for w in words) > len(words) / 2, sentence


def test_every_sentence_looked_up_is_written_out() -> None:
    """A translator's tool finds only what stands in the code as it is: no f-strings, no sums."""
    for path, nodes in every_file():
        for node in nodes:
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "_":
                assert not isinstance(node.args[0], ast.JoinedStr | ast.BinOp), f"{path.name} line {node.lineno}"


def test_nothing_else_is_called_as_the_catalogue_is() -> None:
    """A function that keeps something as _ would call that where it means to say a sentence."""

    def own(node: ast.AST) -> Iterator[ast.AST]:
        for child in ast.iter_child_nodes(node):
            if not isinstance(
                child, ast.FunctionDef | ast.Lambda | ast.ListComp | ast.SetComp | ast.DictComp | ast.GeneratorExp
            ):
                yield child
                yield from own(child)

    for path, nodes in every_file():
        for function in nodes:
            if isinstance(function, ast.FunctionDef):
                names = [n for n in own(function) if isinstance(n, ast.Name) and n.id == "_"]
                assert len({type(n.ctx) for n in names}) < 2, f"{path.name} line {function.lineno}"


def test_numbers_in_sentences_get_the_signs_of_the_language() -> None:
    """str.format() knows no language: what was looked up is filled in by catalogue.filled_in."""
    for path, nodes in every_file("words", "services", "ui"):
        for node in nodes:
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "format":
                assert not node.keywords, f"{path.name} line {node.lineno}"


@pytest.mark.parametrize(("species", "moist"), [("chicken", "; 45–55 % RH, then 65–75 % RH."), ("corn_snake", "; ")])
def test_a_way_as_typed_is_said_with_days_heat_and_each_humidity(desk: Desk, species: str, moist: str) -> None:
    said = way.drawn(desk.book, making.batch_late(desk, 3.0, species))
    assert said.startswith("As typed: ") and "hatch " in said and "°C" in said and moist in said
    assert ("lockdown " in said) == (species == "chicken")
