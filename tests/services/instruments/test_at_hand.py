"""What a household has tells of an instrument what the check itself then finds."""

from __future__ import annotations

from math import sqrt

import pytest

from making import batch_late, checked, instrument, machine, put_setting, put_to_use
from stathmis.core.fixed_points import boiling_point
from stathmis.logbook.records import Channel
from stathmis.services import setting_up
from stathmis.services.desk import Desk
from stathmis.services.instruments import at_hand, by_hatches
from stathmis.services.instruments.checking import evaluate
from stathmis.services.instruments.draft import new_draft
from stathmis.services.setting_up import NewChannel, channel_range, typical
from stathmis.words import at_hand as words


def all_at_hand(desk: Desk) -> None:
    for thing in at_hand.THINGS:
        at_hand.choose(desk, thing, here=True)


def told(desk: Desk, channel: Channel) -> dict[str, at_hand.Told]:
    return {w.thing: w for w in at_hand.ways(desk.book, channel)}


def test_each_thing_goes_with_what_it_can_check(desk: Desk) -> None:
    probe, lid = instrument(desk, "Probe"), instrument(desk, "Lid", kind="lid display")
    card = instrument(desk, "Card", "humidity", kind="hygrometer")
    built_in = instrument(desk, "Lid humidity", "humidity", kind="lid display")
    assert at_hand.ways(desk.book, probe) == [], "nothing was ticked"
    all_at_hand(desk)
    assert set(told(desk, probe)) == {"fever", "ice", "kettle"}
    assert set(told(desk, lid)) == {"fever"}, "a display in the lid is dipped into nothing"
    assert set(told(desk, card)) == {"salt"} and told(desk, built_in) == {}
    at_hand.choose(desk, "kettle", here=False)
    assert set(told(desk, probe)) == {"fever", "ice"}
    desk.undo()
    assert set(told(desk, probe)) == {"fever", "ice", "kettle"}


def test_what_is_told_is_what_the_check_finds(desk: Desk) -> None:
    put_setting(desk, "altitude_m", "0")
    probe, card = instrument(desk, "Probe"), instrument(desk, "Card", "humidity")
    all_at_hand(desk)
    promised = told(desk, probe) | told(desk, card)
    _, ice = checked(desk, probe, [("0.3", {})], method="ice")
    assert ice.corrected_at(ice.at)[1] == pytest.approx(promised["ice"].U, rel=0.02)
    draft = new_draft(probe, 0.0, "steam")
    draft.sets[0].rows[0].shown = f"{float(boiling_point(1013.25)):.1f}"
    steam = evaluate(desk.book, draft)
    assert steam.corrected_at(steam.at)[1] == pytest.approx(promised["kettle"].U, rel=0.05)
    _, jar = checked(desk, card, [("70", {"salt": "NaCl", "jar": "22"})], method="salt")
    assert jar.corrected_at(jar.at)[1] == pytest.approx(promised["salt"].U, rel=0.08)
    # a fever thermometer of the house: by hand, and as the check finds it
    made = setting_up.add_instrument(
        desk, "Fever", "fever thermometer", [NewChannel("temperature", "°C", 0.1, 0.1)], reference=False
    )
    fever = desk.book.records(Channel, instrument_id=made)[0]
    draft, bath = checked(desk, probe, [("37.5", "37.4")], method="fever", against=fever)
    assert bath.corrected_at(bath.at)[1] == pytest.approx(promised["fever"].U, rel=0.03)
    by_hand = 1.96 * sqrt(0.01 / 3 + 0.05**2 / 3 + 3 * 0.01 / 12)
    assert pytest.approx(by_hand, rel=1e-4) == promised["fever"].U and promised["fever"].enough
    assert next(w.thing for w in at_hand.ways(desk.book, probe)) == "fever", "what tells most comes first"
    # an ice point says nothing of the slope
    assert promised["ice"].U > 0.5 and not promised["ice"].enough
    put_to_use(desk, draft)
    assert pytest.approx(by_hand, rel=0.03) == desk.book.corrections.correct(probe, 37.5, desk.now_ms).U


def test_kinds_have_their_usual_accuracy(desk: Desk) -> None:
    assert typical("fever thermometer", "temperature") == (0.1, 0.1)
    assert typical("stick", "temperature") == (0.1, 1.0) and typical("probe", "temperature") == (0.1, 0.5)
    assert channel_range("temperature", "°C", "fever thermometer") == (32.0, 43.0)
    machine(desk, "Box")
    made = setting_up.add_instrument(
        desk, "Fever", "fever thermometer", [NewChannel("temperature", "°F", 0.1, 0.2)], reference=False
    )
    assert desk.book.records(Channel, instrument_id=made)[0].low == 90.0


def test_it_says_so_in_words(desk: Desk) -> None:
    probe = instrument(desk, "Probe")
    all_at_hand(desk)
    named = desk.book.instrument(probe.instrument_id)
    said = [words.told(desk.book, named, probe, w) for w in at_hand.ways(desk.book, probe)]
    assert said[0] == "Probe by fever thermometer: ± 0.16 °C, enough for its band"
    assert "better, but not enough" in said[-1]


def test_the_scale_and_past_hatches_tell_what_they_can(desk: Desk) -> None:
    """Eggs lose G times the deficit: with shells known to 20 %, half the way to saturation is known to 20 % of it."""
    course = batch_late(desk, 5.0)
    card = instrument(desk, "Card", "humidity", incubator_id=course.incubator.id)
    drawer = instrument(desk, "Spare", "humidity")
    probe = instrument(desk, "Probe", incubator_id=course.incubator.id)
    for thing in ("scale", "hatches"):
        at_hand.choose(desk, thing, here=True)
    assert pytest.approx(1.96 * 0.2 * 50.0, rel=1e-3) == told(desk, card)["scale"].U
    assert "say themselves what to hold" in words.told(
        desk.book, desk.book.instrument(card.instrument_id), card, told(desk, card)["scale"]
    )
    assert told(desk, drawer) == {} and told(desk, probe) == {}, "no eggs beside it; no hatch yet"


def test_only_what_makes_it_surer_is_offered(desk: Desk) -> None:
    probe = instrument(desk, "Probe")
    all_at_hand(desk)
    at_hand.choose(desk, "fever", here=False)
    first = at_hand.ways(desk.book, probe)[0]
    assert at_hand.best(desk.book, probe, 2.0 * first.U) == first
    assert at_hand.best(desk.book, probe, 0.9 * first.U) is None


def test_past_hatches_in_the_demo_tell_a_thermometer(demo: Desk) -> None:
    for thing in ("scale", "hatches"):
        at_hand.choose(demo, thing, here=True)
    over = [
        (c, t["hatches"])
        for c in demo.book.records(Channel)
        if c.quantity == "temperature" and "hatches" in (t := told(demo, c))
    ]
    assert over, "some hung there while eggs hatched"
    for channel, way in over:
        found = by_hatches.by_hatches(demo.book, channel)
        # the more hatches, the surer; none is surer than the rule of thumb lets two flocks be
        assert 0.2 < way.U < 1.5
        if found:
            days = 1.96 / sum(1.0 / f.by_day.u**2 for f in found) ** 0.5
            assert pytest.approx(days, rel=0.15) == way.U or days > way.U
