"""Rounds: verdicts that lean on the sure instruments, actions that wait, and events."""

from __future__ import annotations

import numpy as np
import pytest

import making
from stathmis.core.errors import UserError
from stathmis.logbook import readings
from stathmis.logbook.records import Batch, Channel, Event, Incubator
from stathmis.logbook.snapshot import Series
from stathmis.services import rounds, setting_up
from stathmis.services.batch import batches
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.findings.corrections import InForce
from stathmis.services.findings.verdict import judge_reading
from stathmis.services.reading_field import interpret
from stathmis.services.setting_up import NewChannel
from stathmis.words import verdicts
from stathmis.words.advice import Said

HOUR = 3_600_000


def cabinet(desk: Desk, *, air: str = "forced", day: float = 5.0, species: str = "chicken") -> Incubator:
    """An incubator with a batch, a good thermometer and a good hygrometer."""
    made = setting_up.add_incubator(desk, "Cabinet", air)
    setting_up.add_instrument(
        desk, "Probe", "probe", [NewChannel("temperature", "°C", 0.01, 0.1)], incubator_id=made, from_ms=0
    )
    setting_up.add_instrument(
        desk, "Hygro", "hygrometer", [NewChannel("humidity", "%", 0.1, 2.0)], incubator_id=made, from_ms=0
    )
    incubator = desk.book.one(Incubator, made)
    setting_up.set_batch(desk, incubator, "", species, "steady", 12, desk.now_ms - round(day * DAY_MS))
    return incubator


def log(desk: Desk, incubator: Incubator, temperature: str, humidity: str, at_ms: int | None = None) -> None:
    channels = {c.quantity: c for c in reversed(desk.book.records(Channel))}
    fields = {
        channels["temperature"].id: interpret(temperature, channels["temperature"]),
        channels["humidity"].id: interpret(humidity, channels["humidity"]),
    }
    rounds.log_round(desk, fields, desk.now_ms if at_ms is None else at_ms)


def actions(desk: Desk, incubator: Incubator) -> list[Said]:
    sheet = rounds.sheet(desk.book, incubator)
    return making.told(desk, sheet, sheet.verdict("temperature"), sheet.verdict("humidity"))


def test_a_round_on_profile_asks_for_nothing(desk: Desk) -> None:
    incubator = cabinet(desk)
    log(desk, incubator, "37.5", "50")
    sheet = rounds.sheet(desk.book, incubator)
    temperature, humidity = sheet.verdict("temperature"), sheet.verdict("humidity")
    assert temperature is not None and humidity is not None
    assert (temperature.decision, humidity.decision) == ("inside", "inside")
    assert actions(desk, incubator) == []
    assert "On profile" in verdicts.sentence(desk.book, temperature)


def test_undo_takes_the_whole_round_back(desk: Desk) -> None:
    incubator = cabinet(desk)
    log(desk, incubator, "37.5", "50")
    assert desk.undo() == "2 readings logged"
    assert rounds.sheet(desk.book, incubator).latest == ()
    assert desk.redo() == "2 readings logged"
    assert len(rounds.sheet(desk.book, incubator).latest) == 2
    assert desk.redo() is None


@pytest.mark.parametrize(
    ("temperature", "humidity", "expected"),
    [
        ("36.8", "50", "Raise the set point by 0.5 °C: 36.80 °C now, 37.50 °C wanted"),
        ("38.3", "50", "Lower the set point by 0.5 °C"),
        ("37.0", "50", "Read it again over the next hours"),
        ("36.3", "50", "Look at power, heater, lid and thermometer first"),
        ("37.5", "38", "Add water surface: 38.0 % RH now, 45–55 % RH wanted"),
        ("37.5", "68", "Open the vent a step"),
        ("40.8", "50", "Cool it now"),
    ],
)
def test_what_to_do(desk: Desk, temperature: str, humidity: str, expected: str) -> None:
    incubator = cabinet(desk)
    log(desk, incubator, temperature, humidity)
    found = actions(desk, incubator)
    assert found[0].text.startswith(expected)
    assert any("Probe shows" in line or "Hygro shows" in line for line in found[0].why)
    assert any("common practice" in line or "hour" in line for line in found[0].why)


def test_set_point_advice_in_fahrenheit_takes_no_32(desk: Desk) -> None:
    incubator = cabinet(desk)
    log(desk, incubator, "36.8", "50")
    desk.set_temperature_unit("°F")
    assert actions(desk, incubator)[0].text.startswith("Raise the set point by 0.9 °F: 98.2")


def test_danger_comes_first_and_two_actions_are_the_most(desk: Desk) -> None:
    incubator = cabinet(desk)
    log(desk, incubator, "41.0", "20")
    found = actions(desk, incubator)
    assert found[0].urgent and not found[1].urgent
    assert len(found) == 2


def test_a_coarse_thermometer_still_calls_danger(desk: Desk) -> None:
    made = setting_up.add_incubator(desk, "Box", "forced")
    setting_up.add_instrument(desk, "Dial", "stick", [NewChannel("temperature", "°C", 0.5, 1.0)], incubator_id=made)
    incubator = desk.book.one(Incubator, made)
    setting_up.set_batch(desk, incubator, "", "chicken", "steady", 6, desk.now_ms - DAY_MS)
    channel = desk.book.records(Channel)[0]
    rounds.log_round(desk, {channel.id: interpret("40.5", channel)}, desk.now_ms)
    assert actions(desk, incubator)[0].text == "Cool it now: 40.5 ± 1.2 °C."


def test_danger_tells_the_hottest_of_several(desk: Desk) -> None:
    incubator = cabinet(desk)
    setting_up.add_instrument(
        desk, "Second", "stick", [NewChannel("temperature", "°C", 0.1, 0.5)], incubator_id=incubator.id
    )
    found = {c: "41.2" for c in desk.book.records(Channel) if c.quantity == "temperature"}
    cooler = next(iter(found))
    found[cooler] = "40.4"
    rounds.log_round(desk, {c.id: interpret(text, c) for c, text in found.items()}, desk.now_ms)
    assert actions(desk, incubator)[0].text.startswith("Cool it now: 41.2")


def test_a_days_readings_by_hand_move_no_further_than_one(desk: Desk) -> None:
    """Half a kelvin at once (common practice): only a logger's hours are worth a larger step."""
    incubator = cabinet(desk)
    for hours in (12, 8, 4, 0):
        log(desk, incubator, "36.7", "50", desk.now_ms - hours * HOUR)
    assert actions(desk, incubator)[0].text.startswith("Raise the set point by 0.5 °C")


def test_after_water_it_waits(desk: Desk) -> None:
    incubator = cabinet(desk)
    rounds.log_event(desk, incubator, "water", "", desk.now_ms - 40 * 60_000)
    log(desk, incubator, "37.5", "38")
    found = actions(desk, incubator)
    assert found[0].text == "Wait. Water went in 40 min ago; let it settle until about 11:00."
    desk.undo()
    desk.undo()
    log(desk, incubator, "37.5", "38")
    assert actions(desk, incubator)[0].text.startswith("Add water")


def test_cold_eggs_are_no_reason_to_touch_the_controller(desk: Desk) -> None:
    incubator = cabinet(desk, day=0.05)
    log(desk, incubator, "35.0", "50")
    assert "leave the controller alone" in actions(desk, incubator)[0].text


def test_wet_chicks_raise_the_humidity_and_the_lid_stays_shut(desk: Desk) -> None:
    incubator = cabinet(desk, day=20.6)
    log(desk, incubator, "37.5", "86")
    assert actions(desk, incubator)[0].text.startswith("Leave the lid shut")


def test_a_coarse_instrument_is_sent_to_be_checked(desk: Desk) -> None:
    made = setting_up.add_incubator(desk, "Box", "forced")
    setting_up.add_instrument(
        desk, "Dial", "stick", [NewChannel("temperature", "°C", 0.5, 1.0)], incubator_id=made, from_ms=0
    )
    incubator = desk.book.one(Incubator, made)
    setting_up.set_batch(desk, incubator, "", "chicken", "steady", 6, desk.now_ms - DAY_MS)
    channel = desk.book.records(Channel)[0]
    rounds.log_round(desk, {channel.id: interpret("37.5", channel)}, desk.now_ms)
    assert actions(desk, incubator)[0].text.startswith("Check the Dial: ± 1.2 °C is too coarse to tell")


def test_an_instrument_that_disagrees_is_named_first(desk: Desk) -> None:
    incubator = cabinet(desk)
    setting_up.add_instrument(
        desk, "Liar", "probe", [NewChannel("temperature", "°C", 0.1, 0.2)], incubator_id=incubator.id, from_ms=0
    )
    log(desk, incubator, "37.5", "50")
    liar = desk.book.records(Channel)[-1]
    rounds.log_round(desk, {liar.id: interpret("39.0", liar)}, desk.now_ms)
    assert actions(desk, incubator)[0].text.startswith("Check the Liar")


def test_still_air_off_the_egg_tops_counts_for_little(desk: Desk) -> None:
    made = setting_up.add_incubator(desk, "Box", "still")
    setting_up.add_instrument(
        desk,
        "Lid",
        "stick",
        [NewChannel("temperature", "°C", 0.1, 0.2)],
        incubator_id=made,
        at_egg_top=False,
        from_ms=0,
    )
    incubator = desk.book.one(Incubator, made)
    instrument, placement, channels = desk.book.hanging_in(made, desk.now_ms)[0]
    judged = judge_reading(desk.book, incubator, (instrument, placement, channels[0]), 38.6, desk.now_ms, None)
    assert judged.corrected.U > 1.9
    assert judged.decision == "undecided"


def test_old_readings_say_nothing_about_now(desk: Desk) -> None:
    incubator = cabinet(desk)
    log(desk, incubator, "37.5", "50", desk.now_ms - 15 * HOUR)
    assert rounds.sheet(desk.book, incubator).verdict("temperature") is None


def test_the_newest_reading_wins_over_older_ones_of_others(desk: Desk) -> None:
    incubator = cabinet(desk)
    log(desk, incubator, "37.0", "50", desk.now_ms - 2 * HOUR)
    probe = desk.book.records(Channel)[0]
    logger_import.keep_series(desk, "a.csv", {probe.id: Series(np.array([desk.now_ms - 60_000]), np.array([37.5]))})
    verdict = rounds.sheet(desk.book, incubator).verdict("temperature")
    assert verdict is not None and verdict.corrected.value == pytest.approx(37.5)


def test_set_point_follows_its_events(desk: Desk) -> None:
    incubator = cabinet(desk)
    assert rounds.set_point(desk.book, incubator, desk.now_ms) is None
    rounds.log_event(desk, incubator, "set_point", "37.7 °C", desk.now_ms - HOUR, 37.7)
    assert rounds.set_point(desk.book, incubator, desk.now_ms) == 37.7
    assert rounds.set_point(desk.book, incubator, desk.now_ms - 2 * HOUR) is None
    assert desk.undo() == "set point changed logged"
    assert desk.book.records(Event) == ()


def test_days_survive_the_clock_change(desk: Desk) -> None:
    incubator = cabinet(desk, day=3.0)
    making.put_setting(desk, "time_zone", "Europe/Berlin")
    course = batches.running(desk.book, incubator)
    assert course is not None
    assert course.day(desk.now_ms) == pytest.approx(3.0)
    assert course.day_text(desk.now_ms) == "day 3 of 21"
    assert course.next_step(desk.now_ms, desk.book.zone) == "lockdown in 15 days"
    assert course.day_text(course.batch.set_ms - 1) == "not set yet"


def test_what_setting_up_refuses(desk: Desk) -> None:
    incubator = cabinet(desk)
    for call, says in (
        (lambda: setting_up.add_incubator(desk, " ", "forced"), "needs a name"),
        (lambda: setting_up.add_incubator(desk, "cabinet", "forced"), "already"),
        (lambda: setting_up.add_instrument(desk, "X", "probe", []), "What does it show"),
        (lambda: setting_up.add_instrument(desk, "X", "probe", [NewChannel("humidity", "%", 0, 1)]), "above 0"),
        (lambda: setting_up.set_batch(desk, incubator, "", "corn_snake", "by_weight", 3, 0), "cannot follow"),
    ):
        with pytest.raises(UserError, match=says):
            call()
    setting_up.end_batch(desk, desk.book.records(Batch)[0])
    with pytest.raises(UserError, match="How many eggs"):
        setting_up.set_batch(desk, incubator, "", "chicken", "steady", 0, 0)
    with pytest.raises(UserError, match="Corn snake eggs cannot follow"):
        setting_up.set_batch(desk, incubator, "", "corn_snake", "lean", 5, 0)
    desk.undo()
    assert batches.running(desk.book, incubator) is not None


def test_every_edit_can_be_undone_to_nothing(desk: Desk) -> None:
    incubator = cabinet(desk)
    log(desk, incubator, "37.5", "50")
    rounds.log_event(desk, incubator, "note", "x", desk.now_ms)
    reading = readings.hand_readings(desk.book.snapshot, 1, 0, desk.now_ms)[0]
    rounds.strike_reading(desk, reading.id, "wrong one")
    while desk.undo():
        pass
    assert desk.book.is_empty
    assert readings.hand_readings(desk.book.snapshot, 1, 0, desk.now_ms) == []
    while desk.redo():
        pass
    assert [i.name for i in desk.book.incubators()] == ["Cabinet"]


@pytest.mark.parametrize(("days", "says"), [(0.4, "today"), (1.0, "yesterday"), (1.9, "yesterday"), (2, "2 days ago")])
def test_what_a_correction_rests_on(desk: Desk, days: float, says: str) -> None:
    probe = making.instrument(desk, "Probe")
    curve = desk.book.corrections.in_force(probe, desk.now_ms).curve
    since = desk.now_ms - round(days * DAY_MS)
    assert rounds.basis_text(desk.book, InForce(curve, "calibration", since, 2.0)) == f"checked {says}"
    assert rounds.basis_text(desk.book, InForce(curve, "certificate", since, 2.0)) == f"certificate, {says}"
    assert rounds.basis_text(desk.book, InForce(curve, "stated accuracy", None, 2.0)) == "never checked"
