"""Sentences belong to words/ (and the window's labels to ui/): those elsewhere are counted, and may only get fewer."""

from __future__ import annotations

import ast
import re
from pathlib import Path

import pytest

import making
import stathmis
from stathmis.services import rounds
from stathmis.services.desk import Desk
from stathmis.words import catalogue, verdicts, way

ROOT = Path(stathmis.__file__).parent
STILL_ELSEWHERE: dict[str, int] = {
    "__main__.py": 7,
    "core/calibration.py": 9,
    "core/checks/certificate.py": 3,
    "core/checks/drift.py": 2,
    "core/fixed_points.py": 5,
    "core/checks/influences.py": 3,
    "core/checks/places.py": 2,
    "core/hatch/review.py": 4,
    "core/checks/straight_line.py": 7,
    "devices/bench_command.py": 3,
    "exchange/archive_file.py": 8,
    "exchange/csv_layout.py": 4,
    "exchange/csv_text.py": 6,
    "exchange/logger_csv.py": 9,
    "exchange/profile_file.py": 8,
    "exchange/report_page.py": 7,
    "exchange/toml_file.py": 9,
    "logbook/edits.py": 4,
    "logbook/migrations.py": 1,
    "logbook/opening.py": 34,
    "logbook/tables.py": 3,
    "logbook/whole.py": 3,
    "services/advice/heat.py": 1,
    "services/advice/reasons.py": 1,
    "services/files/archive.py": 6,
    "services/clock.py": 11,
    "services/batch/course.py": 1,
    "services/eggs/break_out.py": 11,
    "services/eggs/findings.py": 12,
    "services/eggs/hatching.py": 24,
    "services/eggs/laying.py": 11,
    "services/eggs/candling.py": 15,
    "services/eggs/moving.py": 14,
    "services/eggs/outcome.py": 3,
    "services/eggs/records.py": 5,
    "services/eggs/review.py": 61,
    "services/eggs/signs.py": 1,
    "services/eggs/pull.py": 6,
    "services/eggs/tray.py": 1,
    "services/eggs/weeks.py": 1,
    "services/watch/folder_watch.py": 8,
    "services/instruments/checking.py": 13,
    "services/instruments/doubts.py": 12,
    "services/instruments/overview.py": 1,
    "services/instruments/history.py": 2,
    "services/instruments/improving.py": 4,
    "services/instruments/logged_pairs.py": 6,
    "services/instruments/place_words.py": 9,
    "services/instruments/places.py": 7,
    "services/instruments/reference_values.py": 18,
    "services/instruments/sheet.py": 5,
    "services/instruments/words.py": 16,
    "services/findings/judgement.py": 8,
    "services/watch/live.py": 2,
    "services/files/logger_import.py": 11,
    "services/findings/box.py": 2,
    "services/moisture/sizes.py": 19,
    "services/findings/states.py": 3,
    "services/moisture/water.py": 14,
    "services/moisture/weights.py": 20,
    "services/notify.py": 2,
    "services/plan/calendar.py": 1,
    "services/plan/clutch.py": 2,
    "services/plan/conflicts.py": 18,
    "services/plan/learning.py": 6,
    "services/plan/lockdown.py": 16,
    "services/plan/planning.py": 21,
    "services/plan/preflight.py": 11,
    "services/plan/tasks.py": 6,
    "services/plan/turning.py": 4,
    "services/batch/power_cut.py": 11,
    "services/batch/profile_draft.py": 9,
    "services/batch/profiles.py": 13,
    "services/reading_field.py": 2,
    "services/report/batch_report.py": 5,
    "services/report/course_part.py": 3,
    "services/report/drawing.py": 2,
    "services/report/season_report.py": 3,
    "services/rounds.py": 1,
    "services/setting_up.py": 33,
}
"""How many sentences these modules still hold. Take a line down, never up."""


def sentences(path: Path) -> int:
    """Strings of four words and more that are neither docstrings, statements of SQL nor errors nobody sees."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    skipped = {id(n.value) for n in ast.walk(tree) if isinstance(n, ast.Expr)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Raise) and re.match(r"(Value|Key|Type)Error\b", ast.unparse(node.exc or node)):
            skipped |= {id(n) for n in ast.walk(node)}
    found = 0
    for node in ast.walk(tree):
        if not isinstance(node, ast.Constant) or not isinstance(node.value, str) or id(node) in skipped:
            continue
        plain = not re.match(
            r"\s*\(?(SELECT|INSERT|UPDATE|DELETE|CREATE|ALTER|DROP|PRAGMA|FROM|JOIN|WHERE|ORDER)\b", node.value
        )
        found += plain and len(re.findall(r"[A-Za-z]{2,}", node.value)) >= 4 and " " in node.value.strip()
    return found


def test_sentences_outside_words_only_get_fewer() -> None:
    now = {
        str(p.relative_to(ROOT)): n
        for p in sorted(ROOT.rglob("*.py"))
        if p.relative_to(ROOT).parts[0] not in ("words", "ui", "demo") and (n := sentences(p))
    }
    more = {p: n for p, n in now.items() if n > STILL_ELSEWHERE.get(p, 0)}
    assert not more, f"these sentences belong into words/: {more}"
    fewer = {p: (n, now.get(p, 0)) for p, n in STILL_ELSEWHERE.items() if now.get(p, 0) < n}
    assert not fewer, f"well done; take the list down with them: {fewer}"


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
    for path in ROOT.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "_":
                assert not isinstance(node.args[0], ast.JoinedStr | ast.BinOp), f"{path.name} line {node.lineno}"


@pytest.mark.parametrize(("species", "moist"), [("chicken", "; 45–55 % RH, then 65–75 % RH."), ("corn_snake", "; ")])
def test_a_way_as_typed_is_said_with_days_heat_and_each_humidity(desk: Desk, species: str, moist: str) -> None:
    said = way.drawn(desk.book, making.batch_late(desk, 3.0, species))
    assert said.startswith("As typed: ") and "hatch " in said and "°C" in said and moist in said
    assert ("lockdown " in said) == (species == "chicken")
