"""A stranger's first verdict, and what everyday tasks take in keys (bench/effort.py counts them in full)."""

from __future__ import annotations

from pathlib import Path

import effort
import pytest
from PySide6.QtWidgets import QApplication

from windows import nobody_looks_ahead

TASKS = {task.name: task for task in effort.TASKS}


@pytest.fixture(autouse=True)
def _not_what_comes(monkeypatch: pytest.MonkeyPatch) -> None:
    nobody_looks_ahead(monkeypatch)


def test_from_an_empty_logbook_to_the_first_verdict_in_twelve_keys(qapp: QApplication, demo_file: Path) -> None:
    qapp.setStyle("Fusion")
    task = TASKS["the first verdict"]
    assert effort.count(qapp, task, task.before, demo_file) <= 12
    assert effort.count(qapp, task, task.after, demo_file) <= 6


def test_twenty_tasks_are_counted_and_ten_are_common() -> None:
    assert len(TASKS) == 20 and sum(task.common for task in effort.TASKS) == 10


@pytest.mark.parametrize("name", ["log water, and where", "egg 12 is clear", "log a round of five"])
def test_a_common_task_takes_a_third_fewer_keys(qapp: QApplication, demo_file: Path, name: str) -> None:
    task = TASKS[name]
    before, after = (effort.count(qapp, task, way, demo_file) for way in (task.before, task.after))
    assert after <= 2 * before / 3
