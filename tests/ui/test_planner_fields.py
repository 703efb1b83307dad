"""The planner's fields under a clumsy hand: what is wrong is said beside it, and nothing typed is lost."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QLineEdit
from pytestqt.qtbot import QtBot

from stathmis.logbook.records import Away, Batch, Incubator, StoredPlan
from stathmis.services import setting_up
from stathmis.services.clock import DAY_MS
from stathmis.services.plan import planning
from stathmis.ui.pictures import settle
from stathmis.ui.planner.planner_view import PlannerView
from stathmis.ui.window import Window


def opened(window: Window) -> PlannerView:
    window.show_place("planner")
    view = window.stack.currentWidget()
    assert isinstance(view, PlannerView)
    settle()
    return view


def said(widget: object) -> str:
    settle()
    found = widget.findChildren(QLabel)  # type: ignore[attr-defined]
    return " ".join(label.text() for label in found if label.isVisible())


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"day": ""}, "Type a day"),
        ({"day": "soon"}, "Type a day"),
        ({"day": "20 Jun", "eggs": "none"}, "How many eggs"),
        ({"day": "20 Jun", "eggs": "0"}, "How many eggs"),
        ({"day": "tomorrow"}, "which is over"),
        ({"day": "in 60 days", "laid": "1 Mar 2026"}, "hardly hatch"),
        ({"day": "in 60 days", "laid": "yesterday-ish"}, "Type a day"),
    ],
)
def test_a_plan_that_cannot_be_is_refused_at_its_field(
    window: Window, qtbot: QtBot, fields: dict[str, str], says: str
) -> None:
    view = opened(window)
    before = len(window.desk.book.records(StoredPlan))
    for name, text in fields.items():
        edit: QLineEdit = getattr(view.new, name)
        edit.setText(text)
    view.new.add()
    assert says in view.new.problem.text() and view.new.problem.isVisibleTo(view)
    for name, text in fields.items():
        assert getattr(view.new, name).text() == text, "what was typed is still there"
    assert len(window.desk.book.records(StoredPlan)) == before
    settle()


def test_a_step_is_moved_by_typing_and_refused_in_words(window: Window, qtbot: QtBot) -> None:
    view = opened(window)
    subject = next(p.subject for p in planning.plans(window.desk.book) if "bobwhite" in p.name)
    view.calendar.look_at(subject, "candle 1")
    plan = next(p for p in planning.plans(window.desk.book) if p.subject == subject)
    step = plan.step("candle 1")
    assert step is not None and view.step.on is not None
    view.step.on.setText("whenever")
    qtbot.keyClick(view.step.on, Qt.Key.Key_Return)
    assert "Type a day" in view.step.problem.text() and view.step.on.text() == "whenever"
    later = window.desk.book.local(step.at_ms + DAY_MS)
    view.step.on.setText(f"{later:%Y-%m-%d}")
    qtbot.keyClick(view.step.on, Qt.Key.Key_Return)
    moved = next(p for p in planning.plans(window.desk.book) if p.subject == subject).step("candle 1")
    assert moved is not None and moved.moved and abs(moved.at_ms - step.at_ms - DAY_MS) <= 60_000
    view.calendar.look_at(subject, "hatch")
    view.step.on.setText("in 3 days")
    view.step.move_step()
    assert "choose their day" in view.step.problem.text()
    view.calendar.look_at(subject, "set")
    view.step.done()
    assert len(window.desk.book.records(Batch)) == 5, "the eggs may go in earlier than planned"
    window.undo()
    assert len(window.desk.book.records(Batch)) == 4
    settle()


def test_days_away_and_room_in_the_machines(window: Window, qtbot: QtBot) -> None:
    view = opened(window)
    view.away.away_from.setText("24 Jun")
    view.away.away_to.setText("20 Jun")
    view.away.add_away()
    assert "ends before it begins" in view.away.problem.text()
    view.away.away_to.setText("26 Jun")
    view.away.away_note.setText("fair")
    qtbot.keyClick(view.away.away_note, Qt.Key.Key_Return)
    assert [a.note for a in window.desk.book.records(Away)] == ["market", "fair"]
    assert view.away.away_from.text() == "" and "fair" in said(view.away)
    window.undo()
    assert [a.note for a in window.desk.book.records(Away)] == ["market"]
    spare = window.desk.book.incubators()[2]
    field = next(
        e for e in view.away.findChildren(QLineEdit) if e.accessibleName() == f"How many eggs {spare.name} holds"
    )
    field.setText("many")
    field.editingFinished.emit()
    assert "many is no count of eggs" in view.away.problem.text()
    field = next(e for e in view.away.findChildren(QLineEdit) if e.text() == "many")
    field.setText("20")
    field.editingFinished.emit()
    assert next(i for i in window.desk.book.records(Incubator) if i.id == spare.id).capacity == 20
    assert "would hold 32 eggs, and has room for 20" in said(view)
    settle()


def test_a_clutch_is_planned_set_and_weighed(empty_window: Window, qtbot: QtBot) -> None:
    """A gecko's two eggs: mother and day laid, no turning and no lockdown, its box on the scale."""
    window, desk = empty_window, empty_window.desk
    setting_up.add_incubator(desk, "Small box", "still", 28.5)
    view = opened(window)
    view.new.species.setCurrentIndex(view.new.species.findData("leopard_gecko"))
    view.new.species.activated.emit(view.new.species.currentIndex())
    settle()
    assert view.new.mother.isVisible()
    view.new.way.setCurrentIndex(view.new.way.findData("set"))
    for edit, text in ((view.new.eggs, "2"), (view.new.mother, "Saffron"), (view.new.day, "today 08:00")):
        edit.setText(text)
    view.new.add()
    (plan,) = planning.plans(desk.book)
    assert (plan.mother, plan.eggs) == ("Saffron", 2) and plan.step("lockdown") is None
    hatch = plan.step("hatch")
    # 28.5 °C: about 55 days (common practice, by temperature)
    assert hatch is not None and hatch.at_ms - plan.set_ms == 55 * DAY_MS
    view.calendar.look_at(plan.subject, "set")
    view.step.done()
    view.calendar.look_at(plan.subject, "air 1")
    assert "On the label: Saffron" in said(view.step) and "Never turn these eggs" in said(view.step)
    view.step.box_mass.setText("heavy")
    qtbot.keyClick(view.step.box_mass, Qt.Key.Key_Return)
    assert "is no mass" in view.step.problem.text()
    view.step.box_mass.setText("412.5")
    qtbot.keyClick(view.step.box_mass, Qt.Key.Key_Return)
    assert "Box weighed: 412 g" in window.messages.text.text()
    window.show_page("round")
    settle()
    assert "never turned" not in said(window.pages.round.lockdown) and not window.pages.round.lockdown.isVisible()
    settle()


def test_another_species_from_the_panel(window: Window, qtbot: QtBot) -> None:
    view = opened(window)
    plan = next(p for p in planning.plans(window.desk.book) if "bobwhite" in p.name)
    view.calendar.look_at(plan.subject, "lockdown")
    settle()
    chooser = next(
        c
        for c in view.step.findChildren(type(view.new.species))
        if c.accessibleName() == f"Species of {plan.name}" and c.isVisible()
    )
    chooser.setCurrentIndex(chooser.findData("coturnix"))
    chooser.activated.emit(chooser.currentIndex())
    assert "Coturnix quail: lockdown" in window.messages.text.text()
    now = next(p for p in planning.plans(window.desk.book) if p.subject == plan.subject)
    assert now.species.key == "coturnix"
    window.undo()
    again = next(p for p in planning.plans(window.desk.book) if p.subject == plan.subject)
    assert again.species.key == "bobwhite"
    settle()
