"""A book never changes and never mixes: what workers find belongs to the state they were given."""

from __future__ import annotations

import threading
import time

import pytest

import making
from stathmis.logbook import edits
from stathmis.logbook.opening import LogbookError, open_logbook
from stathmis.logbook.records import Event, Incubator
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services import rounds, setting_up
from stathmis.services.book import Book, finding
from stathmis.services.desk import Desk

made: list[int] = []


@finding(Event)
def counted(book: Book) -> int:
    """How many events there are, slowly."""
    time.sleep(0.001)
    made.append(1)
    return len(book.records(Event))


def test_no_stale_finding_is_ever_shown(desk: Desk) -> None:
    """Two workers and an editing thread over one logbook: every answer is that of the book it was asked of."""
    incubator = making.machine(desk, "Box")
    stop, wrong = threading.Event(), list[str]()

    def work() -> None:
        seen = -1
        while not stop.is_set():
            book = desk.book
            found = counted(book)
            if found != len(book.records(Event)):
                wrong.append(f"{found} told of {len(book.records(Event))}")
            if book.versions(Event)[0] < seen:
                wrong.append("an older book after a newer one")
            seen = book.versions(Event)[0]

    workers = [threading.Thread(target=work) for _ in range(2)]
    for worker in workers:
        worker.start()
    try:
        for i in range(150):
            rounds.log_event(desk, incubator, "note", f"n{i}", desk.now_ms)
            if i % 3 == 0:
                desk.undo()
    finally:
        stop.set()
        for worker in workers:
            worker.join()
    assert not wrong and counted(desk.book) == len(desk.book.records(Event)) == 100


def test_a_finding_is_worked_out_once_for_the_kinds_it_rests_on(desk: Desk) -> None:
    incubator = making.machine(desk, "Box")
    counted(desk.book)
    made.clear()
    setting_up.set_place(desk, "Shed", 300.0)
    assert counted(desk.book) == 0 and not made, "a setting is none of its kinds"
    rounds.log_event(desk, incubator, "note", "x", desk.now_ms)
    assert (counted(desk.book), counted(desk.book)) == (1, 1) and len(made) == 1


def test_a_book_stays_as_it_was_and_tells_what_changed(desk: Desk) -> None:
    told: list[frozenset[object]] = []
    desk.listeners.append(told.append)
    before = desk.book
    made_id = setting_up.add_incubator(desk, "Box", "forced")
    assert before.is_empty and not desk.book.is_empty
    setting_up.set_place(desk, "Shed", 300.0)
    desk.undo()
    assert told == [frozenset({Incubator}), frozenset({SETTINGS}), frozenset({SETTINGS})]
    with desk.edit("two at once") as edit:
        edit.change(Incubator, made_id, name="Other")
        assert desk.book.one(Incubator, made_id).name == "Other", "within an edit, as the edit has it"
        setting_up.add_incubator(desk, "Third", "still")
    assert told[-1] == frozenset({Incubator}) and len(told) == 4
    assert desk.undo() == "two at once"
    assert [i.name for i in desk.book.incubators()] == ["Box"]


def test_an_edit_that_fails_leaves_nothing_and_says_nothing(desk: Desk) -> None:
    told: list[object] = []
    desk.listeners.append(told.append)
    try:
        with desk.edit("half") as edit:
            edit.add(Incubator, name="Box", air="forced", set_point_c=None)
            raise ValueError("in the middle")
    except ValueError:
        pass
    assert desk.book.is_empty and not told and edits.to_undo(desk.logbook) is None
    with desk.edit("nothing at all"):
        pass
    assert edits.history(desk.logbook) == []


def test_a_read_only_logbook_can_be_looked_at_in_either_unit(desk: Desk) -> None:
    path = desk.logbook.path
    desk.logbook.close()
    path.chmod(0o444)
    logbook = open_logbook(path)
    try:
        own = Desk(logbook, desk.clock)
        assert own.read_only and own.book.temperature_unit == "°C"
        own.set_temperature_unit("°F")
        assert own.book.temperature_unit == "°F" and own.book.as_known(0).temperature_unit == "°F"
        with pytest.raises(LogbookError, match="read-only"):
            setting_up.set_place(own, "Shed", 300.0)
    finally:
        logbook.close()


def test_who_asks_for_what_is_being_found_waits_for_it(desk: Desk) -> None:
    """Two pages ask for the same long run at once: it is worked out by one of them; a fault in it stays with who found
    it, and the next one tries again."""
    book, begun, go_on, tries = desk.book, threading.Event(), threading.Event(), list[int]()

    @finding(Event)
    def slow(_book: Book, fail: bool) -> object:
        tries.append(1)
        begun.set()
        assert go_on.wait(10)
        if fail and len(tries) == 1:
            raise ValueError("as asked")
        return object()

    for fail, expected in ((False, 1), (True, 2)):
        tries.clear()
        begun.clear()
        go_on.clear()
        found: list[object] = []

        def ask(fails: bool = fail, into: list[object] = found) -> None:
            try:
                into.append(slow(book, fails))
            except ValueError:
                into.append("failed")

        askers = [threading.Thread(target=ask) for _ in range(3)]
        for asker in askers:
            asker.start()
        assert begun.wait(10)
        go_on.set()
        for asker in askers:
            asker.join(10)
        right = [f for f in found if f != "failed"]
        assert len(found) == 3 and len(set(map(id, right))) == 1 and len(tries) == expected
    assert not book.kept._under_way
