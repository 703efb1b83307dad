"""What is read once is read anew after a change, also when a worker was reading meanwhile."""

from __future__ import annotations

import pytest

from making import instrument
from stathmis.logbook import keeping
from stathmis.logbook.records import Instrument
from stathmis.services.workbench import Workbench


def test_a_worker_cannot_bring_back_what_was_before(bench: Workbench, monkeypatch: pytest.MonkeyPatch) -> None:
    instrument(bench, "First")
    honest = keeping.all_of

    def slow(logbook, kind, /, **where):  # type: ignore[no-untyped-def]
        found = honest(logbook, kind, **where)
        if kind is Instrument and len(found) == 1:
            # while a worker holds the old list, the keeper enters another one
            monkeypatch.setattr(keeping, "all_of", honest)
            instrument(bench, "Second")
        return found

    monkeypatch.setattr(keeping, "all_of", slow)
    assert [i.name for i in bench.records(Instrument)] == ["First"]
    assert [i.name for i in bench.records(Instrument)] == ["First", "Second"]


def test_read_once_until_something_changes(bench: Workbench) -> None:
    instrument(bench, "First")
    assert bench.records(Instrument) is bench.records(Instrument)
    assert bench.corrections is bench.corrections
    before = bench.corrections
    instrument(bench, "Second")
    assert bench.corrections is not before
    assert [i.name for i in bench.records(Instrument)] == ["First", "Second"]
    with pytest.raises(KeyError):
        bench.channel(99)
    with pytest.raises(KeyError):
        bench.instrument(99)
