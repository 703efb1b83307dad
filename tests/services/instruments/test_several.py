"""Several instruments: side by side, from logs, over time, from place to place, and the set point they ask for."""

from __future__ import annotations

import numpy as np
import pytest

import making
from making import instrument, put_to_use, reference, typed
from stathmis.core.errors import UserError
from stathmis.logbook.records import Channel, Incubator, Survey
from stathmis.logbook.snapshot import Series
from stathmis.services import rounds, setting_up
from stathmis.services.advice import heat
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.instruments import history, logged_pairs, overview, place_words, places
from stathmis.services.instruments.checking import evaluate
from stathmis.services.instruments.places import Cell
from stathmis.words.advice import said

HOUR_MS = 3_600_000


@pytest.fixture
def cabinet(desk: Desk) -> Incubator:
    """A forced-air incubator."""
    made = setting_up.add_incubator(desk, "Cabinet", "forced", 37.5)
    return next(i for i in desk.book.incubators() if i.id == made)


def read(desk: Desk, channel: Channel, value: float, minutes_ago: float = 5.0) -> None:
    """Log one reading."""
    at = round(desk.now_ms - minutes_ago * 60_000)
    making.typed_in(desk, [(channel.id, at, value, channel.unit, str(value))])


def log(desk: Desk, channel: Channel, minutes: np.ndarray, values: np.ndarray) -> None:
    """A logger's readings, in minutes from a day ago."""
    times = (desk.now_ms - DAY_MS + minutes * 60_000).astype(np.int64)
    logger_import.keep_series(desk, "log.csv", {channel.id: Series(times, values)})


def test_two_cheap_ones_do_not_outvote_a_checked_one(desk: Desk, cabinet: Incubator) -> None:
    lab = reference(desk)
    good = instrument(desk, "Good", incubator_id=cabinet.id)
    cheap = [instrument(desk, name, incubator_id=cabinet.id, accuracy=0.8) for name in ("A", "B")]
    put_to_use(desk, typed(desk, good, [("37.5 37.5", "37.40 37.40")], against=lab), 0)
    read(desk, good, 37.5)
    for other in cheap:
        read(desk, other, 39.2)
    found = overview.side_by_side(desk.book, cabinet, "temperature")
    assert found is not None
    assert found.corrected.value == pytest.approx(37.53, abs=0.05)
    names = [found.readings[i].instrument.name for i in found.consensus.suspects]
    assert names == ["A", "B"]
    assert found.share[0] > 0.9 and sum(found.share) == pytest.approx(1.0)
    assert found.pairs[1, 2] == 0.0 and abs(found.pairs[0, 1]) > 1


def test_a_common_reference_does_not_average_out(desk: Desk, cabinet: Incubator) -> None:
    lab = reference(desk, points=[(0.0, 0.1, 0.4), (45.0, 0.1, 0.4)])
    for name in ("A", "B", "C", "D"):
        one = instrument(desk, name, incubator_id=cabinet.id)
        put_to_use(desk, typed(desk, one, [("37.5 37.5", "37.40 37.40")], against=lab), 0)
        read(desk, one, 37.5)
    found = overview.side_by_side(desk.book, cabinet, "temperature")
    assert found is not None
    assert found.consensus.u >= 0.2, "the certificate's 0.4/2 stays, however many lean on it"
    assert rounds.sheet(desk.book, cabinet).verdict("temperature").corrected.u >= 0.2  # type: ignore[union-attr]


def test_only_what_was_read_together_is_compared(desk: Desk, cabinet: Incubator) -> None:
    one, two = (instrument(desk, name, incubator_id=cabinet.id) for name in ("A", "B"))
    read(desk, one, 37.5, minutes_ago=5)
    read(desk, two, 37.4, minutes_ago=200)
    assert overview.side_by_side(desk.book, cabinet, "temperature") is None
    read(desk, one, 37.6, minutes_ago=198)
    # the newest reading of each decides the moments looked at
    found = overview.side_by_side(desk.book, cabinet, "temperature")
    assert found is not None and {r.shown for r in found.readings} == {37.4, 37.6}


def test_a_check_from_the_logs(desk: Desk, cabinet: Incubator) -> None:
    """A slow logger that reads 0.3 low, beside a reference logger, in a swinging incubator."""
    rng = np.random.default_rng(5)
    lab = reference(desk)
    slow = instrument(desk, "Slow", step=0.01)
    m = np.arange(0.0, 1440.0)
    true = 37.5 + 0.4 * np.sin(2 * np.pi * m / 25.0) + 0.2 * np.sin(2 * np.pi * m / 1440.0)
    late = 37.5 + 0.3 * np.sin(2 * np.pi * (m - 4.0) / 25.0) + 0.2 * np.sin(2 * np.pi * m / 1440.0)
    log(desk, lab, m, np.round(true - 0.1 + rng.normal(0, 0.01, m.size), 2))
    log(desk, slow, m, np.round(late - 0.3 + rng.normal(0, 0.02, m.size), 2))
    draft = typed(desk, slow, [], "side", lab)
    found = logged_pairs.pick(desk.book, slow, lab.id, desk.now_ms - DAY_MS, desk.now_ms)
    assert found.pairs.lag_s == pytest.approx(240, abs=30)
    draft.sets[0].logged = found
    check = evaluate(desk.book, draft)
    assert check.correction is not None and len(check.points) == found.pairs.reading.size >= 20
    value, U = check.corrected_at(37.2)
    assert value == pytest.approx(37.5, abs=U) and U < 0.09
    # they hung as they did all day: how much the air differs there does not average out
    budget = {c.label: c.contribution for c in check.budget_at(37.2).components}
    assert budget["Air differs between the two sensors"] == pytest.approx(0.05 / np.sqrt(3), rel=0.02)
    put_to_use(desk, draft)


@pytest.mark.parametrize(
    ("start_h", "end_h", "says"),
    [(10, 5, "ends before it begins"), (-200, -100, "readings of this instrument"), (20, 20.4, "side by side")],
)
def test_logs_that_give_nothing_say_why(desk: Desk, start_h: float, end_h: float, says: str) -> None:
    lab, one = reference(desk), instrument(desk, "One")
    m = np.arange(0.0, 1440.0)
    for channel in (lab, one):
        log(desk, channel, m, 37.5 + 0.1 * np.sin(m / 40))
    day = desk.now_ms - DAY_MS
    with pytest.raises(UserError, match=says):
        logged_pairs.pick(desk.book, one, lab.id, round(day + start_h * HOUR_MS), round(day + end_h * HOUR_MS))


def test_drift_is_found_and_shortens_the_interval(desk: Desk) -> None:
    clock = desk.clock
    assert isinstance(clock, FixedClock)
    card = instrument(desk, "Card", "humidity")
    assert history.history(desk.book, card).due_why == "never checked" and history.is_due(desk.book, card)
    start = clock.at_ms - 540 * DAY_MS
    for i, shown in enumerate(("75 75", "78 78", "81 81", "84 84")):
        clock.at_ms = start + i * 60 * DAY_MS
        put_to_use(desk, typed(desk, card, [(shown, {"salt": "NaCl", "jar": "22"})], "salt"))
    found = history.history(desk.book, card)
    assert found.drift is not None and found.drift.seen
    # what the checks show is drawn towards what is usual, as an instrument is seldom 9 % off
    assert 13.0 < found.drift.rate * 365.25 < 18.3
    assert found.leaves_ms is not None and found.due_ms == found.leaves_ms
    assert found.due_why == "its own drift"
    assert 15 * DAY_MS < found.leaves_ms - clock.at_ms < 120 * DAY_MS
    # once adjusted, the drift so far is history
    left = typed(desk, card, [("75 75", {"salt": "NaCl", "jar": "22"})], "salt")
    left.state = "as left"
    clock.at_ms += DAY_MS
    put_to_use(desk, left)
    anew = history.history(desk.book, card)
    assert anew.drift is not None and not anew.drift.fitted and anew.due_why == "the trade's interval"
    assert len(anew.checks) == 5


def survey(desk: Desk, channel: Channel, values: dict[str, str]) -> places.PlacesResult:
    """A map by one instrument."""
    return places.compare_places(desk.book, [Cell(p, channel.id, v) for p, v in values.items()], "0.1")


def test_warm_and_cold_places(desk: Desk, cabinet: Incubator) -> None:
    probe = instrument(desk, "Probe")
    found = survey(desk, probe, {"back": "38.0 38.1 38.0", "front": "37.2 37.3 37.2", "middle": "37.6"})
    said, _ = place_words.even_words(desk.book, found)
    assert said.startswith("Back is 0.80 ± ") and "Move eggs round" in said
    places.keep_survey(desk, cabinet, found, None)
    kept = places.newest_survey(desk.book, cabinet, "places")
    assert kept is not None and [p.place for p in kept[1]] == ["back", "front", "middle"]
    again = places.from_survey(desk.book, *kept)
    assert again.even is not None and found.even is not None
    assert again.even.spread == pytest.approx(found.even.spread)
    desk.undo()
    assert desk.book.records(Survey) == ()
    near, _ = place_words.even_words(desk.book, survey(desk, probe, {"back": "37.5", "front": "37.4"}))
    assert near.startswith("Even, as far as this can tell")
    desk.set_temperature_unit("°F")
    said, _ = place_words.even_words(desk.book, found)
    assert said.startswith("Back is 1.44 ± ") and "°F" in said


def test_faulty_places_are_named(desk: Desk, cabinet: Incubator) -> None:
    probe = instrument(desk, "Probe")
    wrong = survey(desk, probe, {"back": "hot", "front": "37.2", "middle": "99.5"})
    assert [(place, field) for place, field, _ in wrong.problems] == [("back", "typed"), ("middle", "typed")]
    with pytest.raises(UserError, match="Two places or more"):
        places.keep_survey(desk, cabinet, wrong, None)
    assert places.compare_places(desk.book, [Cell("back", None, "37.0")], "0.1").problems[0][1] == "instrument"
    assert places.compare_places(desk.book, [], "-1").problems[0][1] == "swing"


def test_layers_of_still_air(desk: Desk) -> None:
    box_id = setting_up.add_incubator(desk, "Box", "still", 38.6)
    box = next(i for i in desk.book.incubators() if i.id == box_id)
    probe = instrument(desk, "Probe")
    cells = [Cell("height 1", probe.id, "36.9 37.0", "2"), Cell("height 2", probe.id, "39.0 39.1", "10,0")]
    found = places.compare_heights(desk.book, cells, "0.1", "6")
    said = place_words.layer_words(desk.book, found)
    assert said.startswith("At the egg tops 38.0 ± ") and "+0.26 °C for each cm up" in said
    places.keep_survey(desk, box, found, "6")
    kept = places.newest_survey(desk.book, box, "heights")
    assert kept is not None and kept[0].egg_top_cm == 6.0
    for rows, top, field in (
        (cells, "deep", "egg_top"),
        ([Cell("height 1", probe.id, "37", "5"), Cell("height 2", probe.id, "38", "5")], "6", "height"),
        ([Cell("height 1", probe.id, "37", "")], "6", "height"),
    ):
        assert places.compare_heights(desk.book, rows, "0.1", top).problems[0][1] == field


def test_the_set_point_is_centered_from_corrected_readings(desk: Desk, cabinet: Incubator) -> None:
    lab = reference(desk)
    probe = instrument(desk, "Logger", step=0.01, incubator_id=cabinet.id)
    put_to_use(desk, typed(desk, probe, [("37.00 37.01 37.00", "37.40 37.40")], against=lab), 0)
    m = np.arange(0.0, 1435.0)
    # it shows 37.34 on average: truly 37.84
    log(desk, probe, m, np.round(37.34 + 0.3 * np.sin(2 * np.pi * m / 14.0), 2))
    found = heat.advise(desk.book, cabinet)
    assert making.set_point_words(desk, cabinet) == "Set it down by 0.3 °C, to 37.2 °C."
    assert found.mean is not None and found.mean.value.value == pytest.approx(37.84, abs=0.01)
    rounds.log_event(desk, cabinet, "set_point", "", desk.now_ms - HOUR_MS, 37.2)
    assert making.set_point_words(desk, cabinet).startswith("Wait. The set point was changed 1 h ago")
    desk.undo()
    setting_up.set_batch(desk, cabinet, "", "chicken", "steady", 12, desk.now_ms - 20 * HOUR_MS)
    young = heat.advise(desk.book, cabinet)
    assert young.kind == "young" and "Do not chase" in said(desk.book, young).note


def test_a_difference_nobody_can_tell_is_left_alone(desk: Desk, cabinet: Incubator) -> None:
    coarse = instrument(desk, "Coarse", incubator_id=cabinet.id, accuracy=1.0)
    log(desk, coarse, np.arange(0.0, 1435.0), np.full(1435, 37.8))
    assert "can't tell" in making.set_point_words(desk, cabinet)
