"""Weighing: what is typed and doubted, the line it gives, and the humidity it asks for, on a log of known truth."""

from __future__ import annotations

import numpy as np
import pytest

from making import batch_late, batch_with_log, instrument, put_to_use, reference, typed
from stathmis.core.course.profile import Band
from stathmis.core.egg_heat import own_heat
from stathmis.core.errors import UserError
from stathmis.core.psychrometrics import saturation_vapor_pressure
from stathmis.logbook.records import Batch, Weighing
from stathmis.logbook.snapshot import Series
from stathmis.services.batch import batches, profiles
from stathmis.services.batch.course import Course
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.findings import loss
from stathmis.services.moisture import weights
from stathmis.services.moisture.weights import OnScale
from stathmis.words import loss as loss_words

SATURATED = float(saturation_vapor_pressure(37.5))


def box(desk: Desk, days: int = 10, rh: float = 50.0) -> Course:
    """A batch of twelve in air of 37.5 °C and a humidity, both read all the time by checked loggers."""
    course, _ = batch_with_log(desk, np.full(days * 1440, 37.5))
    lab = reference(desk, "Lab hygrometer", "humidity")
    moist = instrument(desk, "Moist", "humidity", step=0.1, incubator_id=course.incubator.id)
    put_to_use(desk, typed(desk, moist, [("33.0 33.1", "33.0"), ("60.0 60.1", "60.0")], against=lab), 0)
    times = course.batch.set_ms + np.arange(days * 1440, dtype=np.int64) * 60_000
    shown = Series(times, np.full(times.size, rh))
    logger_import.keep_series(desk, "m.csv", {moist.id: shown})
    found = batches.running(desk.book, course.incubator)
    assert found is not None
    return found


def weigh(desk: Desk, course: Course, day: float, *rows: OnScale) -> int:
    at = course.batch.set_ms + round(day * DAY_MS)
    found = [w for r in rows if (w := weights.interpret(desk.book, course, r, at)) is not None]
    return weights.log_weighings(desk, course, found, at, 0.1)


def tray(day: float, g: float = 11.0, each: float = 58.0, eggs: int = 12, rh: float = 50.0) -> str:
    return f"{eggs * (each - g * day * SATURATED * (1 - rh / 100) / 1000.0):.1f}"


def test_the_line_finds_the_shells_and_asks_for_the_rest(desk: Desk) -> None:
    course = box(desk)
    for day in (0.0, 4.0, 8.0):
        assert weigh(desk, course, day, OnScale("", 12, tray(day))) == 1
    sheet = loss.loss_sheet(desk.book, course, weights.weighings(desk.book, course.batch.id))
    assert sheet is not None and sheet.conductance is not None and sheet.target is not None
    assert sheet.conductance.value == pytest.approx(11.0, abs=3 * sheet.conductance.u + 0.02)
    assert sheet.conductance.mass_g == pytest.approx(58.0, abs=0.02)
    lost = 100 * 11.0 * 10.0 * SATURATED * 0.5 / 1000.0 / 58.0
    assert sheet.loss_now is not None and sheet.loss_now[0] == pytest.approx(lost, abs=0.05)
    # by hand: what is left to lose in the days left
    left = (13.0 - lost) / 100 * 58.0 * 1000.0 / 11.0 / (sheet.lockdown_day - sheet.day_now)
    # from half the term on the embryos warm their shells, which then lose more: so much a kelvin
    days = np.linspace(10.0, 18.0, 200)
    warmer = own_heat(course.species.egg_g, days / 21.0).shell_k.mean()
    more = warmer * (saturation_vapor_pressure(38.0) - saturation_vapor_pressure(37.0))
    assert 0.2 < warmer < 0.4
    assert sheet.target.rh == pytest.approx(100 * (1 - (left - more) / SATURATED), abs=0.6)
    assert "Hold" in loss_words.headline(sheet) and "wet bulb" in " ".join(loss_words.lines(desk.book, sheet))
    assert sheet.known_percent > 99


def test_the_by_weight_school_follows_each_weighing(desk: Desk) -> None:
    course = box(desk, rh=60.0)
    profiles.follow(desk, desk.book.records(Batch)[0], "by_weight", "from 0")
    course = batches.running(desk.book, course.incubator) or course
    assert course.band("humidity", course.at_ms(3.0)) == Band(45.0, 55.0)
    weigh(desk, course, 0.0, OnScale("", 12, tray(0.0, rh=60.0)))
    weigh(desk, course, 6.0, OnScale("", 12, tray(6.0, rh=60.0)))
    after = batches.running(desk.book, course.incubator)
    assert after is not None
    assert after.band("humidity", after.at_ms(5.9)) == Band(45.0, 55.0), "the past is judged by what was known then"
    band = after.band("humidity", after.at_ms(6.1))
    assert band is not None and band.high < 55.0, "too moist so far: the rest is to be drier"
    assert after.band("humidity", after.at_ms(18.5)) == Band(65.0, 75.0), "lockdown stays as it is"
    desk.undo()
    back = batches.running(desk.book, course.incubator)
    assert back is not None and back.band("humidity", back.at_ms(6.1)) == Band(45.0, 55.0)


@pytest.mark.parametrize(
    ("row", "says"),
    [
        (OnScale("", 12, "heavy"), "is no mass"),
        (OnScale("", 0, "690"), "How many eggs"),
        (OnScale("", 12, "61kg", True), "5083 g an egg cannot be: from 0.1 g to 5 kg."),
        (OnScale("", 12, "1", True), "0.08333 g an egg cannot be"),
        (OnScale("", 12, "24.5"), "write 24.5oz"),
        (OnScale("", 12, "1450"), "was the tray weighed"),
        (OnScale("", 12, "120"), "is the count of 12 right"),
        (OnScale("", 12, "705.0"), "Heavier than before"),
        (OnScale("", 12, "560"), "Much lighter than before"),
        (OnScale("", 10, "560"), "2 eggs fewer"),
        (OnScale("", 14, "790"), "the same eggs belong"),
    ],
)
def test_what_does_not_fit_is_asked_about_at_its_row(desk: Desk, row: OnScale, says: str) -> None:
    course = box(desk)
    weigh(desk, course, 0.0, OnScale("", 12, "696.0"))
    at = course.at_ms(4.0)
    found = weights.interpret(desk.book, course, row, at)
    assert found is not None and says in (found.problem or found.doubt)
    assert not found.good
    if found.doubt:
        sure = weights.interpret(desk.book, course, OnScale(row.mark, row.eggs, row.text, sure=True), at)
        assert sure is not None and sure.good, "the keeper may know better"
    with pytest.raises(UserError, match="nothing to log"):
        weights.log_weighings(desk, course, [found], at, 0.1)
    assert len(weights.weighings(desk.book, course.batch.id)) == 1


def test_ounces_commas_and_times_that_cannot_be(desk: Desk) -> None:
    course = box(desk)
    found = weights.interpret(desk.book, course, OnScale("7", 1, "2,05 oz"), course.at_ms(1.0))
    assert found is not None and found.mass_g == pytest.approx(58.12, abs=0.01) and found.good
    assert weights.interpret(desk.book, course, OnScale("7", 1, "  "), course.at_ms(1.0)) is None
    for at, step, says in (
        (desk.now_ms + 1, 0.1, "until now"),
        (0, 0.1, "until now"),
        (course.at_ms(1.0), 0.0, "step"),
    ):
        with pytest.raises(UserError, match=says):
            weights.log_weighings(desk, course, [found], at, step)
    weights.log_weighings(desk, course, [found], course.at_ms(2.0), 0.1)
    early = weights.interpret(desk.book, course, OnScale("7", 1, "58"), course.at_ms(1.0))
    assert early is not None and "later than this one" in early.problem
    weights.strike_weighing(desk, weights.weighings(desk.book, course.batch.id)[0])
    assert weights.weighings(desk.book, course.batch.id) == []
    desk.undo()
    assert [w.mark for w in desk.book.records(Weighing)] == ["7"]


def test_an_egg_unlike_the_rest_is_named(desk: Desk) -> None:
    course = box(desk)
    shells = {"1": 11.0, "2": 10.6, "3": 11.5, "4": 11.2, "5": 20.0}
    for day in (0.0, 5.0, 9.0):
        rows = [OnScale(m, 1, tray(day, g, eggs=1)) for m, g in shells.items()]
        assert weigh(desk, course, day, *rows) == 5
    sheet = loss.loss_sheet(desk.book, course, weights.weighings(desk.book, course.batch.id))
    assert sheet is not None and [e.mark for e in sheet.eggs if e.unlike] == ["5"]
    told = " ".join(loss_words.egg_lines(sheet))
    assert "Egg 5 loses" in told and "thin, cracked" in told
    # few eggs: the batch's mean is as unsure as they differ
    mean = sheet.conductance
    assert mean is not None and mean.value == pytest.approx(np.mean(list(shells.values())), abs=0.3)
    assert mean.u == pytest.approx(np.std(list(shells.values()), ddof=1) / np.sqrt(5.0), rel=0.1)
    assert mean.covariance[1, 1] == pytest.approx(mean.u**2) and mean.covariance[0, 1] == 0.0
    assert mean.mass_g == pytest.approx(58.0, abs=0.05) and mean.degrees_of_freedom == 4


def test_humidity_not_read_for_days_is_assumed_and_said(desk: Desk) -> None:
    course, _ = batch_with_log(desk, np.full(10 * 1440, 37.5))
    for day in (0.0, 5.0):
        weigh(desk, course, day, OnScale("", 12, tray(day)))
    sheet = loss.loss_sheet(desk.book, course, weights.weighings(desk.book, course.batch.id))
    assert sheet is not None and sheet.target is not None and sheet.known_percent == 0.0
    assert sheet.mean_rh is None and sheet.forecast is None
    assert "0 % of the time" in " ".join(loss_words.why(desk.book, sheet))
    read = box_like(desk, course)
    assert sheet.target.u > 1.3 * read, "what is assumed makes the target unsure"


def box_like(desk: Desk, course: Course) -> float:
    """The target's uncertainty for the same weighings once the humidity is there."""
    moist = instrument(desk, "Late", "humidity", step=0.1, incubator_id=course.incubator.id)
    times = course.batch.set_ms + np.arange(10 * 1440, dtype=np.int64) * 60_000
    logger_import.keep_series(desk, "l.csv", {moist.id: Series(times, np.full(times.size, 50.0))})
    sheet = loss.loss_sheet(desk.book, course, weights.weighings(desk.book, course.batch.id))
    assert sheet is not None and sheet.target is not None
    return sheet.target.u


def test_marks_as_typed() -> None:
    assert weights.marks_in("1-4, 9; B2") == ["1", "2", "3", "4", "9", "B2"]
    assert weights.marks_in("9-1") == ["9-1"] and weights.marks_in(" ") == []


@pytest.mark.parametrize(
    ("days", "percent", "doubted"),
    [
        (1.0, 1.88, False),
        (1.0, 1.93, True),
        (2.0, 3.48, False),
        (2.0, 3.53, True),
        (0.1, 1.08, False),
        (0.1, 1.13, True),
    ],
)
def test_much_lighter_a_day_later_is_doubted(desk: Desk, days: float, percent: float, doubted: bool) -> None:
    """1.6 % a day is the most that eggs lose (common practice), for half a day at least, and 0.3 % for the scale."""
    course = batch_late(desk, 5.0)
    whole = {"batch_id": course.batch.id, "mark": "", "eggs": 10, "mass_g": 580.0, "scale_g": 0.1, "typed": ""}
    desk.add("weighed", [(Weighing, {**whole, "time_ms": desk.now_ms - round(days * DAY_MS)})])
    row = weights.OnScale("", 10, f"{580.0 * (1.0 - percent / 100.0):.1f}")
    found = weights.interpret(desk.book, course, row, desk.now_ms)
    assert found is not None and ("Much lighter" in found.doubt) == doubted


@pytest.mark.parametrize(("slip", "which"), [(25.0, 2), (-25.0, 1), (40.0, 3)])
def test_a_weighing_off_the_line_is_named_with_what_the_others_say(desk: Desk, slip: float, which: int) -> None:
    course = box(desk)
    for i, day in enumerate((0.0, 3.0, 6.0, 9.0)):
        mass = float(tray(day)) + (slip if i == which else 0.0)
        weigh(desk, course, day, OnScale("", 12, f"{mass:.1f}", sure=True))
    found = weights.weighings(desk.book, course.batch.id)
    sheet = loss.loss_sheet(desk.book, course, found)
    assert sheet is not None and sheet.odd is not None and sheet.odd.weighing.id == found[which].id
    assert sheet.odd.off_g * 12 == pytest.approx(slip, rel=0.35)
    right = loss.loss_sheet(desk.book, course, [w for i, w in enumerate(found) if i != which])
    assert right is not None and right.odd is None and sheet.odd.without == right.forecast
    # and the humidity asked for is that of the others
    assert sheet.target == right.target
    said = " ".join(loss_words.lines(desk.book, sheet))
    assert ("over" if slip > 0 else "under") + " the line of the others" in said and "Without it:" in said


def test_weighings_on_the_line_are_not_doubted(desk: Desk) -> None:
    course, rng = box(desk), np.random.default_rng(4)
    for day in (0.0, 2.0, 4.0, 6.0, 8.0, 9.5):
        weigh(desk, course, day, OnScale("", 12, f"{float(tray(day)) + rng.normal(0, 0.4):.1f}", sure=True))
        sheet = loss.loss_sheet(desk.book, course, weights.weighings(desk.book, course.batch.id))
        assert sheet is not None and sheet.odd is None
