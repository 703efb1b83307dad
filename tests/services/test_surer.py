"""What would make it surer: one step at a time, in the order in which each matters."""

from __future__ import annotations

from making import batch_late, instrument, put_to_use, reference, typed
from stathmis.services import rounds, setting_up
from stathmis.services.advice.surer import surer
from stathmis.services.desk import Desk
from stathmis.services.moisture import water, weights
from stathmis.words.advice import surer as said


def test_each_step_makes_way_for_the_next(desk: Desk) -> None:
    course = batch_late(desk, 5.0)
    incubator = course.incubator

    def following() -> str | None:
        found = surer(desk.book, rounds.sheet(desk.book, incubator))
        if found is not None:
            words, step = said(found)
            assert words.startswith("Surer next: ") and step.text
        return found.kind if found is not None else None

    assert following() == "instrument"
    dial = instrument(desk, "Dial", incubator_id=incubator.id)
    assert following() == "check"
    lab = reference(desk, points=[(0.0, 0.0, 0.04), (45.0, 0.0, 0.04)])
    put_to_use(desk, typed(desk, dial, [("37.5 37.5", "37.6 37.6")], against=lab), 0)
    assert following() == "hygrometer"
    channels = [setting_up.NewChannel("humidity", "%", 1.0, 5.0)]
    setting_up.add_instrument(desk, "Card", "hygrometer", channels, incubator_id=incubator.id)
    assert following() == "weigh"
    scales = weights.interpret(desk.book, course, weights.OnScale("", 12, "700"), desk.now_ms)
    assert scales is not None
    weights.log_weighings(desk, course, [scales], desk.now_ms, 1.0)
    assert following() == "water"
    water.add_surface(desk, incubator, "trough", "120", "")
    assert following() == "room"
    setting_up.add_incubator(desk, "Room", "room")
    assert following() is None
