"""The window as a whole: places, keys, units, themes, sizes, and the empty logbook."""

from __future__ import annotations

from itertools import pairwise
from types import SimpleNamespace

import pytest
from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QColor, QFontMetrics, QGuiApplication
from PySide6.QtWidgets import QAbstractButton, QLabel, QLineEdit, QPushButton, QScrollArea, QWidget
from pytestqt.qtbot import QtBot

from stathmis.logbook.records import Channel, Event
from stathmis.services import notify
from stathmis.services.batch import batches
from stathmis.services.desk import Desk
from stathmis.services.instruments.methods import methods_for
from stathmis.ui import chart_library, idle, round_view, work
from stathmis.ui.enter_view import EnterView
from stathmis.ui.incubator_column import Card
from stathmis.ui.instruments.list_view import InstrumentsView
from stathmis.ui.instruments.places_view import PlacesView
from stathmis.ui.kit.page import Page
from stathmis.ui.pictures import VIEWS, go, settle
from stathmis.ui.reading_row import ReadingGrid
from stathmis.ui.theme import DARK, LIGHT, Inks, Theme
from stathmis.ui.window import Window
from stathmis.words import dates

CONTROL = Qt.KeyboardModifier.ControlModifier


def contrast(a: str, b: str) -> float:
    """WCAG 2.1 contrast ratio."""

    def luminance(name: str) -> float:
        parts = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in QColor(name).getRgbF()[:3]]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("inks", [LIGHT, DARK], ids=["light", "dark"])
def test_every_ink_is_readable_on_every_ground(inks: Inks) -> None:
    for ground in (inks.paper, inks.column, inks.card):
        for ink in (
            inks.ink,
            inks.muted,
            inks.heat,
            inks.moisture,
            inks.eggs,
            inks.good,
            inks.bad,
            inks.doubt,
            inks.selection,
        ):
            assert contrast(ink, ground) >= 4.5, (ink, ground)


def test_every_key_of_the_map_does_something(window: Window, qtbot: QtBot) -> None:
    qtbot.keyClick(window, Qt.Key.Key_2, CONTROL)
    assert window.pages.page == "trace"
    qtbot.keyClick(window, Qt.Key.Key_1, CONTROL)
    assert window.pages.page == "round"
    qtbot.keyClick(window, Qt.Key.Key_PageDown, CONTROL)
    assert window.pages.incubator is not None and window.pages.incubator.name == "Old still box"
    qtbot.keyClick(window, Qt.Key.Key_PageUp, CONTROL)
    assert window.pages.incubator.name == "North cabinet"
    qtbot.keyClick(window, Qt.Key.Key_F2)
    assert window.desk.book.temperature_unit == "°F"
    qtbot.keyClick(window, Qt.Key.Key_F2)
    for key, name in ((Qt.Key.Key_I, "InstrumentsView"), (Qt.Key.Key_B, "BringInView"), (Qt.Key.Key_N, "EnterView")):
        qtbot.keyClick(window, key, CONTROL)
        assert type(window.stack.currentWidget()).__name__ == name
        qtbot.keyClick(window, Qt.Key.Key_Escape)
        assert window.stack.currentWidget() is window.pages
    qtbot.keyClick(window, Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
    assert window.keys.isVisible()
    shown = " ".join(label.text() for label in window.keys.findChildren(QLabel))
    for command in (c for c in window.commands if c.keys and not c.pressed):
        key = command.keys.split("+")[-1].replace("PgDown", "Page Down").replace("PgUp", "Page Up")
        assert command.text in shown and key in shown
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert not window.keys.isVisible()


def test_the_first_round_is_built_once(monkeypatch: pytest.MonkeyPatch, request: pytest.FixtureRequest) -> None:
    """Not for a narrow window first and anew as it comes up."""
    built: list[object] = []
    monkeypatch.setattr(round_view, "ReadingGrid", lambda *asked: built.append(asked) or ReadingGrid(*asked))
    window: Window = request.getfixturevalue("window")
    assert not window.pages.round.narrow
    assert len(built) == 1


def test_the_first_field_has_the_cursor_whatever_was_opened(window: Window) -> None:
    assert window.focusWidget() is window.pages.round.rows[0].edit
    window.step_incubator(1)
    assert window.focusWidget() is window.pages.round.rows[0].edit
    window.show_place("live")
    window.show_page("round")
    assert window.focusWidget() is window.pages.round.rows[0].edit


def test_an_incubator_without_a_batch_says_so_on_every_page(window: Window) -> None:
    window.show_page("trace")
    settle()
    window.step_incubator(2)
    settle()
    shown = " ".join(label.text() for label in window.pages.findChildren(QLabel) if label.isVisible())
    assert "no run to draw" in shown and "fan, no batch" in shown
    window.show_page("round")
    settle()
    shown = " ".join(label.text() for label in window.pages.findChildren(QLabel) if label.isVisible())
    assert "no band to hold" in shown


def test_undo_with_nothing_to_undo_says_so(empty_window: Window) -> None:
    window = empty_window
    window.undo()
    assert window.messages.text.text() == "Nothing to undo."
    window.redo()
    assert window.messages.text.text() == "Nothing to do again."


def test_cards_say_everything_to_a_screen_reader(window: Window, qtbot: QtBot) -> None:
    cards = window.column.findChildren(Card)
    names = [c.accessibleName() for c in cards if not c.isHidden()]
    assert names[0].startswith("North cabinet, 30 rock partridge, set A, day 13 of 24, temperature 37.")
    assert "outside" in names[0] and "lockdown in 7 days" in names[0]
    qtbot.keyClick(cards[1], Qt.Key.Key_Return)
    assert window.pages.incubator is not None and window.pages.incubator.name == "Old still box"


PLACES = ["round", "trace", "moisture", "eggs", "hatch", "records", "planner", "instruments", "way", "bring_in"]


def test_every_control_has_a_name_and_can_be_reached(window: Window) -> None:
    for place in (*PLACES, "enter"):
        if place in ("round", "trace", "moisture", "eggs", "hatch"):
            window.show_page(place)
        else:
            window.show_place(place)
        settle()
        view = window.stack.currentWidget()
        taken: dict[str, str] = {c.keys: c.text for c in window.commands if c.keys and not c.pressed}
        for made in window.findChildren(QAbstractButton):
            keys = made.shortcut().toString()
            if made.isVisible() and keys:
                assert keys not in taken, f"{keys} is both {made.text()} and {taken[keys]} in {place}"
                taken[keys] = made.text()
        for widget in view.findChildren(QWidget):
            if not widget.isVisible() or widget.focusPolicy() == Qt.FocusPolicy.NoFocus:
                continue
            kind = type(widget).__name__
            if kind in ("QLineEdit", "QComboBox"):
                assert widget.accessibleName() or widget.property("text"), f"a {kind} in {place} has no name"
            if isinstance(widget, QPushButton):
                assert widget.text().strip(), f"a button in {place} has no words"
                assert widget.focusPolicy() & Qt.FocusPolicy.TabFocus


@pytest.mark.heavy("every page is visited")
def test_what_was_made_before_follows_the_text_size(window: Window, theme: Theme) -> None:
    """Fields of pages that stand already, and back again."""
    for place in VIEWS:
        go(window, place)
    settle()

    def fixed() -> dict[int, int]:
        edits = [w for w in window.findChildren(QLineEdit) if w.minimumWidth() == w.maximumWidth()]
        return {id(w): w.minimumWidth() for w in edits}

    before = fixed()
    assert len(before) > 40
    theme.enlarge(2)
    try:
        larger = {i: width for i, width in fixed().items() if i in before}
        assert len(larger) > 40 and all(width == round(1.3 * before[i]) for i, width in larger.items())
    finally:
        theme.enlarge(-2)
    assert {i: width for i, width in fixed().items() if i in larger} == {i: before[i] for i in larger}


def test_only_what_is_in_view_is_styled_anew(window: Window, theme: Theme) -> None:
    """All pages at once would hold up the window for seconds; the others follow when they are shown."""
    go(window, "records")
    records = window.stack.currentWidget()
    go(window, "live")
    light = records.styleSheet()
    theme.choose("dark")
    try:
        assert records.styleSheet() == light != window.column.styleSheet() == window.stack.currentWidget().styleSheet()
        go(window, "records")
        assert records.styleSheet() == window.column.styleSheet()
    finally:
        theme.choose("light")


@pytest.fixture
def long_times(monkeypatch: pytest.MonkeyPatch) -> None:
    """Times are written as "Mon May 18 7:33 am": longer than others."""
    monkeypatch.setattr(dates, "style", dates.Style(twelve_hours=True, month_first=True))


@pytest.mark.heavy("every page is visited")
def test_no_text_is_cut_off(long_times: None, window: Window, theme: Theme) -> None:
    """In the smallest window with large text: where it fits there, it fits."""
    window.resize(1024, 700)
    theme.scale = 1.5
    theme.choose("dark")
    try:
        for place in (*VIEWS, "layers"):
            if place == "layers":
                go(window, "places")
                window.stack.currentWidget().findChild(PlacesView).incubator.setCurrentIndex(1)  # type: ignore[union-attr]
            else:
                go(window, place)
            settle()
            view = window.stack.currentWidget()
            for area in view.findChildren(QScrollArea):
                if area.isVisible() and area.widget() and area.objectName() != "beyond":
                    assert area.widget().width() <= area.viewport().width(), f"{place} runs off the right edge"
            for label in view.findChildren(QLabel):
                if label.isVisible() and label.text() and not label.wordWrap():
                    needed = QFontMetrics(label.font()).horizontalAdvance(label.text())
                    assert label.width() + 2 >= needed, f"cut off in {place}: {label.text()}"
                elif label.isVisible() and label.text():
                    assert label.height() + 2 >= label.heightForWidth(label.width()), (
                        f"too low in {place}: {label.text()}"
                    )
            if place == "trace":
                charts = window.pages.trace.charts
                assert charts is not None
                for plot in (charts.plots["temperature"], charts.plots["humidity"]):
                    assert plot.height() >= theme.px(150), "a chart too low to read"
            for made in window.findChildren(QPushButton):
                if made.isVisible():
                    assert made.width() + 2 >= made.minimumSizeHint().width(), f"cut off in {place}: {made.text()}"
    finally:
        theme.scale = 1.0
        theme.choose("light")


def test_three_questions_lead_to_the_first_round(empty_window: Window, qtbot: QtBot) -> None:
    window = empty_window
    assert not window.column.isVisible()
    start = window.stack.currentWidget()
    qtbot.keyClicks(window.focusWidget(), "Kitchen box")
    start.batch.eggs.setText("7")  # type: ignore[attr-defined]
    start.instrument.name.setFocus()  # type: ignore[attr-defined]
    qtbot.keyClicks(window.focusWidget(), "Card dial")
    start.go.setFocus()  # type: ignore[attr-defined]
    qtbot.keyClick(start.go, Qt.Key.Key_Space)  # type: ignore[attr-defined]
    assert window.column.isVisible()
    assert window.stack.currentWidget() is window.pages
    row = window.pages.round.rows[0]
    qtbot.keyClicks(row.edit, "37.5")
    qtbot.keyClick(row.edit, Qt.Key.Key_Return)
    incubator = window.desk.book.incubators()[0]
    course = batches.running(window.desk.book, incubator)
    assert course is not None and course.batch.eggs == 7
    assert "1 reading logged" in window.messages.text.text()


def test_a_faulty_answer_enters_nothing(empty_window: Window) -> None:
    start = empty_window.stack.currentWidget()
    start.incubator.name.setText("Box")  # type: ignore[attr-defined]
    start.instrument.name.setText("Dial")  # type: ignore[attr-defined]
    start.batch.when.setText("23:59")  # type: ignore[attr-defined]
    start.start()  # type: ignore[attr-defined]
    assert "has not come yet" in start.problem.text()  # type: ignore[attr-defined]
    assert empty_window.desk.book.incubators() == []
    start.batch.when.setText("")  # type: ignore[attr-defined]
    start.instrument.steps["temperature"].setText("small")  # type: ignore[attr-defined]
    start.start()  # type: ignore[attr-defined]
    assert "is a number" in start.problem.text()  # type: ignore[attr-defined]
    assert empty_window.desk.book.incubators() == []
    assert start.incubator.name.text() == "Box", "what was typed stays"  # type: ignore[attr-defined]
    assert start.instrument.name.text() == "Dial"  # type: ignore[attr-defined]


def test_where_the_keeper_was_is_remembered(qtbot: QtBot, demo: Desk, theme: Theme, tmp_path) -> None:  # type: ignore[no-untyped-def]
    settings = QSettings(str(tmp_path / "window.ini"), QSettings.Format.IniFormat)
    first = Window(demo, theme, settings)
    first.show_incubator(3)
    first.show_page("trace")
    settle()
    first.close()
    from stathmis.logbook.opening import open_logbook

    again = Desk(open_logbook(demo.logbook.path), demo.clock)
    second = Window(again, theme, settings)
    assert second.pages.page == "trace"
    assert second.pages.incubator is not None and second.pages.incubator.id == 3
    second.show_place("planner")
    theme.switch_contrast()
    settle()
    second.close()
    theme.switch_contrast()
    assert settings.value("contrast") == "more"
    third = Window(Desk(open_logbook(demo.logbook.path), demo.clock), theme, settings)
    assert third._place == "planner" and third.column.places["planner"].isChecked()
    settle()
    third.close()


def test_the_desktop_changes_its_colors_while_it_runs(
    window: Window, theme: Theme, monkeypatch: pytest.MonkeyPatch
) -> None:
    theme.choose("system")
    told = QGuiApplication.styleHints().colorSchemeChanged
    seen = []
    try:
        for scheme in (Qt.ColorScheme.Dark, Qt.ColorScheme.Light):
            # nothing but this platform's own hints stands in the way of a real change
            hints = SimpleNamespace(colorScheme=lambda scheme=scheme: scheme)
            monkeypatch.setattr("stathmis.ui.theme.QGuiApplication", SimpleNamespace(styleHints=lambda h=hints: h))
            told.emit(scheme)
            settle()
            seen.append((theme.dark, window.column.styleSheet() == theme._sheet))
    finally:
        monkeypatch.undo()
        theme.choose("light")
    assert seen == [(True, True), (False, True)]


def test_a_fault_of_ours_is_told_and_logged(window: Window, caplog: pytest.LogCaptureFixture) -> None:
    notify.tell_error(ZeroDivisionError("oops"))
    assert "What was logged is safe" in window.messages.text.text()
    assert "oops" in caplog.text
    caplog.clear()


def test_a_failing_task_tells_its_error(window: Window, qtbot: QtBot) -> None:
    def job(progress, cancelled):  # type: ignore[no-untyped-def]
        progress(0.5)
        raise ValueError("inside")

    task = work.Background(job)
    with qtbot.waitSignals([task.progressed, task.failed], timeout=5000):
        task.start()
    settle()


def test_the_level_tells_decisions_apart_without_color(window: Window, theme: Theme) -> None:
    from PySide6.QtGui import QImage, QPainter

    from stathmis.core.course.profile import Band
    from stathmis.services.findings.corrections import Corrected
    from stathmis.ui.level import LevelState, paint_level

    def grey(value: float, U: float, decision: str) -> bytes:
        image = QImage(240, 34, QImage.Format.Format_RGB32)
        image.fill(QColor(theme.inks.paper))
        painter = QPainter(image)
        state = LevelState("temperature", Band(37.2, 37.8), Corrected(value, U), decision)
        paint_level(painter, image.rect().toRectF(), state, theme.inks)
        painter.end()
        return bytes(image.convertToFormat(QImage.Format.Format_Grayscale8).constBits())

    pictures = {grey(37.5, 0.1, d) for d in ("inside", "undecided", "outside")}
    assert len(pictures) == 3
    # far off the scale the bubble rests at the tube's end instead of vanishing
    assert grey(60.0, 0.1, "outside") != grey(10.0, 0.1, "outside")


def test_entering_moving_and_ending_through_the_forms(window: Window) -> None:
    window.show_place("enter")
    view = window.stack.currentWidget()
    assert isinstance(view, EnterView)
    desk = window.desk
    view.moving.setCurrentText("Long stick")
    view.moving_to.setCurrentText("into North cabinet")
    view.move_instrument()
    assert "hangs there already" in view.moving_problem.text()
    view.moving.setCurrentText("Long stick")
    view.moving_to.setCurrentText("into Spare cabinet")
    view.move_instrument()
    spare = desk.book.incubators()[2]
    assert [i.name for i, _, _ in desk.book.hanging_in(spare.id, desk.now_ms)] == ["Long stick"]
    assert "Long stick" not in [i.name for i, _, _ in desk.book.hanging_in(1, desk.now_ms)]
    assert "Long stick" in [i.name for i, _, _ in desk.book.hanging_in(1, desk.now_ms - 1)], (
        "its past stays where it was"
    )
    window.undo()
    assert desk.book.hanging_in(spare.id, desk.now_ms) == []
    assert "Long stick" in [i.name for i, _, _ in desk.book.hanging_in(1, desk.now_ms)]

    view.place.altitude.setText("high")
    view.set_place()
    assert "is a number" in view.place_problem.text()
    view.place.altitude.setText("19000")
    view.set_place()
    assert "no altitude for hatching" in view.place_problem.text()
    view.place.name.setText("Lower Terrace")
    view.place.altitude.setText("400")
    view.set_place()
    assert (desk.book.name, desk.book.altitude_m) == ("Lower Terrace", 400.0)
    window.undo()
    own, logged = desk.book.zone, [e.time_ms for e in desk.book.records(Event)]
    view.place.zone.setText("Nowhere/Land")
    view.set_place()
    assert "is no time zone" in view.place_problem.text() and desk.book.zone == own
    view.place.zone.setText("Asia/Tokyo")
    assert "18 May 08:40 will be shown as 18 May 17:40" in view.place.changes.text()
    view.set_place()
    assert desk.book.zone == "Asia/Tokyo" and [e.time_ms for e in desk.book.records(Event)] == logged
    window.undo()
    assert desk.book.zone == own
    assert (desk.book.name, desk.book.altitude_m) == ("Upper Terrace", 900.0)

    view.batch.eggs.setText("a dozen")
    view.set_batch()
    assert "How many eggs" in view.batch_problem.text()
    view.batch.eggs.setText("9")
    view.batch.species.setCurrentText("corn snake")
    assert view.batch.regime.count() == 1, "a clutch is not offered the schools of birds"
    view.set_batch()
    assert batches.running(desk.book, spare) is not None
    assert "Wash hands" in window.messages.text.text()
    view.batch.species.setCurrentText("chicken")
    view.machine.setCurrentIndex(view.machine.findText("Spare", Qt.MatchFlag.MatchStartsWith))
    assert "beside 9 corn snake" in view.machine.currentText()
    view.set_batch()
    assert "clutches must lie still" in window.messages.text.text()
    window.undo()
    view.ending.setCurrentIndex(view.ending.count() - 1)
    view.end_batch()
    assert batches.running(desk.book, spare) is None
    view.add_incubator()
    assert "needs a name" in view.incubator_problem.text()
    view.instrument.name.setText("New probe")
    view.instrument.reference.setChecked(True)
    view.instrument.certificate.setText("37.5 0.05")
    view.add_instrument()
    assert "is not reading, correction and U" in view.instrument_problem.text()
    assert view.instrument.name.text() == "New probe", "what was typed stays"


@pytest.mark.heavy("every page is made, a piece at a time")
def test_pages_are_made_ready_in_idle_moments(window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(idle, "TURN_MS", 0)
    steps, pages, make = [], list[object](), Page.__init__
    monkeypatch.setattr(Page, "__init__", lambda page, *how, **more: (pages.append(page), make(page, *how, **more))[1])
    window.get_ready()
    assert window.idle is not None
    window.idle.took_step.connect(lambda: steps.append(len(pages)))
    qtbot.waitUntil(lambda: window.idle is not None and window.idle.over, timeout=60_000)
    made = set(window.findChildren(Page))
    # many short steps, not a few long ones: no step makes more than one page but for the parts of Instruments
    assert len(steps) > 20 and len(pages) > 8 and max(b - a for a, b in pairwise(steps)) <= 2
    for place in ("planner", "instruments", "records", "way", "live", "bring_in", "enter", "changes"):
        window.show_place(place)
    for page in ("trace", "moisture", "eggs", "hatch", "round"):
        window.show_page(page)
    assert set(window.findChildren(Page)) == made
    settle()


def test_closing_ends_what_is_made_ready(window: Window) -> None:
    window.get_ready()
    window.close()
    assert window.idle is not None and window.idle.over


def test_the_chart_library_is_loaded_by_the_window_alone(window: Window, qtbot: QtBot) -> None:
    failed: list[object] = []
    task = work.Background(lambda progress, cancelled: chart_library.load())
    task.failed.connect(failed.append)
    task.start()
    qtbot.waitUntil(lambda: bool(failed), timeout=10_000)
    assert isinstance(failed[0], RuntimeError)
    chart_library.load()


def test_no_way_of_checking_and_no_power_cut_runs_off_a_small_window(window: Window, theme: Theme) -> None:
    window.resize(1024, 700)
    theme.scale = 1.5
    theme.choose("dark")

    def off(what: str) -> list[str]:
        settle()
        areas = [a for a in window.stack.currentWidget().findChildren(QScrollArea) if a.isVisible() and a.widget()]
        widths = [(a.widget().width(), a.viewport().width()) for a in areas]
        return [f"{what} {wide} of {room}" for wide, room in widths if wide > room]

    try:
        book, runs_off = window.desk.book, []
        window.pages.round.toggle_power_cut()
        runs_off += off("power cut")
        go(window, "instruments")
        view = window.stack.currentWidget()
        assert isinstance(view, InstrumentsView)
        for quantity in ("temperature", "humidity"):
            channel = book.records(Channel, quantity=quantity)[0]
            for method in methods_for(quantity):  # type: ignore[arg-type]
                view.begin_check(book.instrument(channel.instrument_id), channel, method.key)
                runs_off += off(method.key)
        assert runs_off == []
    finally:
        theme.scale = 1.0
        theme.choose("light")
