"""What a command tells beside the open window is what its pages show."""

from __future__ import annotations

import json

import pytest
from PySide6.QtWidgets import QLabel, QWidget
from pytestqt.qtbot import QtBot

from stathmis import command
from stathmis.core.units import Quantity
from stathmis.services.desk import Desk
from stathmis.ui.window import Window
from stathmis.words.numbers import unit_word, value_text


def shown(page: QWidget) -> list[str]:
    return [label.text() for label in page.findChildren(QLabel) if label.isVisible()]


def test_now_says_what_the_window_says(
    window: Window, demo: Desk, qtbot: QtBot, capsys: pytest.CaptureFixture[str]
) -> None:
    """The same numbers, verdicts, advice and tasks, from a process's own reading of the file as from the pages."""
    assert command.main(["now", "--json", "--logbook", str(demo.logbook.path), "--now", "2026-05-18T08:40"]) == 0
    told = json.loads(capsys.readouterr().out)
    page, places = window.pages.round, demo.book.places()
    assert [m["name"] for m in told["machines"]] == [p.name for p in places]
    quantities: tuple[tuple[Quantity, str], ...] = (("temperature", "c"), ("humidity", "rh"))
    for place, machine in zip(places, told["machines"], strict=True):
        if machine["batch"] is None:
            continue
        window.show_incubator(place.id)
        due = sorted(t["what"] for t in machine["due"])
        advised = [a["what"] for a in machine["advice"]]
        assert advised or due

        def all_there(place: object = place, advised: object = advised, due: object = due) -> None:
            own = [t.title for t in page.today.tasks if t.incubator == place and t.state == "open"]
            assert sorted(own) == due
            assert all(what in shown(page) for what in advised)  # type: ignore[attr-defined]

        qtbot.waitUntil(all_there, timeout=30_000)
        seen = [label.text() for label in window.column._cards[place.id].findChildren(QLabel)]
        assert machine["day_words"] in seen
        for quantity, key in quantities:
            air, unit = machine[quantity], demo.book.shown_unit(quantity)
            text = f"{value_text(air[f'value_{key}'], air[f'U_{key}'], quantity, unit)} {unit_word(unit)}"
            assert text in seen
            assert window.column._cards[place.id]._levels[quantity]._state.decision == air["verdict"]
