"""Rounds: verdicts that lean on the sure instruments, actions that wait, and events."""

from __future__ import annotations

import numpy as np
import pytest

from stathmis.core.errors import UserError
from stathmis.logbook import keeping, readings
from stathmis.logbook.readings import Series
from stathmis.logbook.records import Batch, Channel, Event, Incubator
from stathmis.services import advice, batches, rounds, setting_up
from stathmis.services.advice import Action
from stathmis.services.clock import DAY_MS
from stathmis.services.reading_field import interpret
from stathmis.services.setting_up import NewChannel
from stathmis.services.verdict import judge_reading
from stathmis.services.workbench import Workbench

HOUR = 3_600_000


def cabinet(bench: Workbench, *, air: str = "forced", day: float = 5.0, species: str = "chicken") -> Incubator:
    """An incubator with a batch, a good thermometer and a good hygrometer."""
    made = setting_up.add_incubator(bench, "Cabinet", air)
    setting_up.add_instrument(
        bench, "Probe", "probe", [NewChannel("temperature", "°C", 0.01, 0.1)], incubator_id=made, from_ms=0
    )
    setting_up.add_instrument(
        bench, "Hygro", "hygrometer", [NewChannel("humidity", "%", 0.1, 2.0)], incubator_id=made, from_ms=0
    )
    incubator = keeping.one(bench.logbook, Incubator, made)
    setting_up.set_batch(bench, incubator, "", species, "steady", 12, bench.now_ms - round(day * DAY_MS))
    return incubator


def log(bench: Workbench, incubator: Incubator, temperature: str, humidity: str, at_ms: int | None = None) -> None:
    channels = {c.quantity: c for c in reversed(keeping.all_of(bench.logbook, Channel))}
    fields = {
        channels["temperature"].id: interpret(temperature, channels["temperature"]),
        channels["humidity"].id: interpret(humidity, channels["humidity"]),
    }
    rounds.log_round(bench, fields, bench.now_ms if at_ms is None else at_ms)


def actions(bench: Workbench, incubator: Incubator) -> list[Action]:
    sheet = rounds.sheet(bench, incubator)
    return advice.advise(bench, sheet, sheet.verdict("temperature"), sheet.verdict("humidity"))


def test_a_round_on_profile_asks_for_nothing(bench: Workbench) -> None:
    incubator = cabinet(bench)
    log(bench, incubator, "37.5", "50")
    sheet = rounds.sheet(bench, incubator)
    temperature, humidity = sheet.verdict("temperature"), sheet.verdict("humidity")
    assert temperature is not None and humidity is not None
    assert (temperature.decision, humidity.decision) == ("inside", "inside")
    assert actions(bench, incubator) == []
    assert "On profile" in advice.sentence(bench, temperature)


def test_undo_takes_the_whole_round_back(bench: Workbench) -> None:
    incubator = cabinet(bench)
    log(bench, incubator, "37.5", "50")
    assert bench.undo() == "2 readings logged"
    assert rounds.sheet(bench, incubator).latest == ()
    assert bench.redo() == "2 readings logged"
    assert len(rounds.sheet(bench, incubator).latest) == 2
    assert bench.redo() is None


@pytest.mark.parametrize(
    ("temperature", "humidity", "expected"),
    [
        ("37.0", "50", "Raise the set point by 0.5 °C"),
        ("38.1", "50", "Lower the set point by 0.6 °C"),
        ("37.5", "38", "Add water surface: 38.0 % RH now, 45–55 % RH wanted"),
        ("37.5", "68", "Open the vent a step"),
        ("40.8", "50", "Cool it now"),
    ],
)
def test_what_to_do(bench: Workbench, temperature: str, humidity: str, expected: str) -> None:
    incubator = cabinet(bench)
    log(bench, incubator, temperature, humidity)
    found = actions(bench, incubator)
    assert found[0].text.startswith(expected)
    assert any("Probe shows" in line or "Hygro shows" in line for line in found[0].why)
    assert any("common practice" in line or "hour" in line for line in found[0].why)


def test_set_point_advice_in_fahrenheit_takes_no_32(bench: Workbench) -> None:
    incubator = cabinet(bench)
    log(bench, incubator, "37.0", "50")
    bench.set_temperature_unit("°F")
    assert actions(bench, incubator)[0].text.startswith("Raise the set point by 0.9 °F: 98.6")


def test_danger_comes_first_and_two_actions_are_the_most(bench: Workbench) -> None:
    incubator = cabinet(bench)
    log(bench, incubator, "41.0", "20")
    found = actions(bench, incubator)
    assert found[0].urgent and not found[1].urgent
    assert len(found) == 2


def test_a_coarse_thermometer_still_calls_danger(bench: Workbench) -> None:
    made = setting_up.add_incubator(bench, "Box", "forced")
    setting_up.add_instrument(bench, "Dial", "stick", [NewChannel("temperature", "°C", 0.5, 1.0)], incubator_id=made)
    incubator = keeping.one(bench.logbook, Incubator, made)
    setting_up.set_batch(bench, incubator, "", "chicken", "steady", 6, bench.now_ms - DAY_MS)
    channel = keeping.all_of(bench.logbook, Channel)[0]
    rounds.log_round(bench, {channel.id: interpret("40.5", channel)}, bench.now_ms)
    assert actions(bench, incubator)[0].text == "Cool it now: 40.5 ± 1.2 °C."


def test_after_water_it_waits(bench: Workbench) -> None:
    incubator = cabinet(bench)
    rounds.log_event(bench, incubator, "water", "", bench.now_ms - 40 * 60_000)
    log(bench, incubator, "37.5", "38")
    found = actions(bench, incubator)
    assert found[0].text == "Wait. Water went in 40 min ago; let it settle until 11:00."
    bench.history.undo()
    bench.history.undo()
    log(bench, incubator, "37.5", "38")
    assert actions(bench, incubator)[0].text.startswith("Add water")


def test_cold_eggs_are_no_reason_to_touch_the_controller(bench: Workbench) -> None:
    incubator = cabinet(bench, day=0.05)
    log(bench, incubator, "35.0", "50")
    assert "leave the controller alone" in actions(bench, incubator)[0].text


def test_wet_chicks_raise_the_humidity_and_the_lid_stays_shut(bench: Workbench) -> None:
    incubator = cabinet(bench, day=20.6)
    log(bench, incubator, "37.5", "86")
    assert actions(bench, incubator)[0].text.startswith("Leave the lid shut")


def test_a_coarse_instrument_is_sent_to_be_checked(bench: Workbench) -> None:
    made = setting_up.add_incubator(bench, "Box", "forced")
    setting_up.add_instrument(
        bench, "Dial", "stick", [NewChannel("temperature", "°C", 0.5, 1.0)], incubator_id=made, from_ms=0
    )
    incubator = keeping.one(bench.logbook, Incubator, made)
    setting_up.set_batch(bench, incubator, "", "chicken", "steady", 6, bench.now_ms - DAY_MS)
    channel = keeping.all_of(bench.logbook, Channel)[0]
    rounds.log_round(bench, {channel.id: interpret("37.5", channel)}, bench.now_ms)
    assert actions(bench, incubator)[0].text.startswith("Check the Dial: ± 1.2 °C is too coarse to tell")


def test_an_instrument_that_disagrees_is_named_first(bench: Workbench) -> None:
    incubator = cabinet(bench)
    setting_up.add_instrument(
        bench, "Liar", "probe", [NewChannel("temperature", "°C", 0.1, 0.2)], incubator_id=incubator.id, from_ms=0
    )
    log(bench, incubator, "37.5", "50")
    liar = keeping.all_of(bench.logbook, Channel)[-1]
    rounds.log_round(bench, {liar.id: interpret("39.0", liar)}, bench.now_ms)
    assert actions(bench, incubator)[0].text.startswith("Check the Liar")


def test_still_air_off_the_egg_tops_counts_for_little(bench: Workbench) -> None:
    made = setting_up.add_incubator(bench, "Box", "still")
    setting_up.add_instrument(
        bench,
        "Lid",
        "stick",
        [NewChannel("temperature", "°C", 0.1, 0.2)],
        incubator_id=made,
        at_egg_top=False,
        from_ms=0,
    )
    incubator = keeping.one(bench.logbook, Incubator, made)
    instrument, placement, channels = bench.hanging_in(made, bench.now_ms)[0]
    judged = judge_reading(bench, incubator, (instrument, placement, channels[0]), 38.6, bench.now_ms, None)
    assert judged.corrected.U > 1.9
    assert judged.decision == "undecided"


def test_old_readings_say_nothing_about_now(bench: Workbench) -> None:
    incubator = cabinet(bench)
    log(bench, incubator, "37.5", "50", bench.now_ms - 15 * HOUR)
    assert rounds.sheet(bench, incubator).verdict("temperature") is None


def test_the_newest_reading_wins_over_older_ones_of_others(bench: Workbench) -> None:
    incubator = cabinet(bench)
    log(bench, incubator, "37.0", "50", bench.now_ms - 2 * HOUR)
    probe = keeping.all_of(bench.logbook, Channel)[0]
    readings.store_import(
        bench.logbook, "a.csv", 0, {probe.id: Series(np.array([bench.now_ms - 60_000]), np.array([37.5]))}, 0, 0
    )
    verdict = rounds.sheet(bench, incubator).verdict("temperature")
    assert verdict is not None and verdict.corrected.value == pytest.approx(37.5)


def test_set_point_follows_its_events(bench: Workbench) -> None:
    incubator = cabinet(bench)
    assert rounds.set_point(bench, incubator, bench.now_ms) is None
    rounds.log_event(bench, incubator, "set_point", "37.7 °C", bench.now_ms - HOUR, 37.7)
    assert rounds.set_point(bench, incubator, bench.now_ms) == 37.7
    assert rounds.set_point(bench, incubator, bench.now_ms - 2 * HOUR) is None
    assert bench.undo() == "set point changed logged"
    assert keeping.all_of(bench.logbook, Event) == []


def test_days_survive_the_clock_change(bench: Workbench) -> None:
    incubator = cabinet(bench, day=3.0)
    bench.zone = "Europe/Berlin"
    course = batches.running(bench, incubator)
    assert course is not None
    assert course.day(bench.now_ms) == pytest.approx(3.0)
    assert course.day_text(bench.now_ms) == "day 3 of 21"
    assert course.next_step(bench.now_ms, bench.zone) == "lockdown in 15 days"
    assert course.day_text(course.batch.set_ms - 1) == "not set yet"


def test_what_setting_up_refuses(bench: Workbench) -> None:
    incubator = cabinet(bench)
    for call, says in (
        (lambda: setting_up.add_incubator(bench, " ", "forced"), "needs a name"),
        (lambda: setting_up.add_incubator(bench, "cabinet", "forced"), "already"),
        (lambda: setting_up.add_instrument(bench, "X", "probe", []), "What does it show"),
        (lambda: setting_up.add_instrument(bench, "X", "probe", [NewChannel("humidity", "%", 0, 1)]), "above 0"),
        (lambda: setting_up.set_batch(bench, incubator, "", "corn_snake", "by_weight", 3, 0), "cannot follow"),
    ):
        with pytest.raises(UserError, match=says):
            call()
    setting_up.end_batch(bench, keeping.all_of(bench.logbook, Batch)[0])
    with pytest.raises(UserError, match="How many eggs"):
        setting_up.set_batch(bench, incubator, "", "chicken", "steady", 0, 0)
    with pytest.raises(UserError, match="Corn snake eggs cannot follow"):
        setting_up.set_batch(bench, incubator, "", "corn_snake", "lean", 5, 0)
    bench.undo()
    assert batches.running(bench, incubator) is not None


def test_every_edit_can_be_undone_to_nothing(bench: Workbench) -> None:
    incubator = cabinet(bench)
    log(bench, incubator, "37.5", "50")
    rounds.log_event(bench, incubator, "note", "x", bench.now_ms)
    reading = readings.hand_readings(bench.logbook, 1, 0, bench.now_ms)[0]
    rounds.strike_reading(bench, reading.id, "wrong one")
    while bench.undo():
        pass
    assert keeping.is_empty(bench.logbook)
    assert readings.hand_readings(bench.logbook, 1, 0, bench.now_ms) == []
    while bench.redo():
        pass
    assert [i.name for i in bench.incubators()] == ["Cabinet"]
