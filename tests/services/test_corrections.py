"""The calibration in force at a reading's time; raw readings untouched; history judged anew."""

from __future__ import annotations

import numpy as np
import pytest

from stathmis.core.errors import UserError
from stathmis.logbook import keeping, readings
from stathmis.logbook.readings import Series
from stathmis.logbook.records import Channel
from stathmis.services import checking, setting_up
from stathmis.services.checking import PointEntry, evaluate, put_to_use
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.setting_up import NewChannel
from stathmis.services.workbench import Workbench


@pytest.fixture
def pair(bench: Workbench) -> tuple[Channel, Channel]:
    """A working thermometer, and a reference whose certificate says add 0.10 ± 0.04 (k = 2)."""
    setting_up.add_instrument(bench, "Lid", "lid display", [NewChannel("temperature", "°C", 0.1, 1.0)])
    setting_up.add_instrument(
        bench, "Lab", "lab thermometer", [NewChannel("temperature", "°C", 0.01, 0.1)], reference=True
    )
    lid, lab = keeping.all_of(bench.logbook, Channel)
    setting_up.add_certificate(bench, lab.id, bench.now_ms - 30 * DAY_MS, [(0.0, 0.1, 0.04), (45.0, 0.1, 0.04)])
    return lid, lab


def test_never_checked_means_stated_accuracy(bench: Workbench, pair: tuple[Channel, Channel]) -> None:
    corrected = bench.corrections.correct(pair[0], 37.0, bench.now_ms)
    assert corrected.value == 37.0
    # ± 1.0 rectangular and steps of 0.1: u = sqrt(1/3 + 0.01/12), U = 1.96 u
    assert pytest.approx(1.96 * np.sqrt(1 / 3 + 0.01 / 12), rel=1e-3) == corrected.U
    assert checking.is_due(bench, pair[0])


def test_a_check_uses_the_references_own_correction(bench: Workbench, pair: tuple[Channel, Channel]) -> None:
    lid, lab = pair
    found = evaluate(bench, lid, lab, [PointEntry("37.0 37.0", "37.40 37.40")], 0.05)
    assert found.correction is not None and found.budget is not None
    assert found.points[0].reference == pytest.approx(37.50)
    assert found.correction.apply(37.0)[0] == pytest.approx(37.50)
    # by hand: display 0.1/√12, reference display 0.01/√12, unevenness 0.05/√3, certificate 0.02; display again in use
    display = 0.1 / np.sqrt(12)
    by_hand = np.sqrt(2 * display**2 + (0.01 / np.sqrt(12)) ** 2 + 0.05**2 / 3 + 0.02**2)
    assert found.budget.standard_uncertainty == pytest.approx(by_hand, rel=1e-6)
    assert found.corrected_at(found.at)[1] == pytest.approx(found.correction.coverage_factor * by_hand, rel=1e-6)


def test_scatter_with_few_replicates_raises_k(bench: Workbench, pair: tuple[Channel, Channel]) -> None:
    calm = evaluate(bench, *pair, [PointEntry("37.0 37.0", "37.4 37.4")], 0.0)
    wild = evaluate(bench, *pair, [PointEntry("36.6 37.4", "37.4 37.4")], 0.0)
    assert calm.correction is not None and wild.correction is not None
    assert calm.correction.coverage_factor == pytest.approx(1.96, abs=0.01)
    assert wild.correction.coverage_factor > 4


def test_a_new_calibration_judges_history_anew_and_raw_stays(bench: Workbench, pair: tuple[Channel, Channel]) -> None:
    lid, lab = pair
    clock = bench.clock
    assert isinstance(clock, FixedClock)
    now = clock.at_ms
    times = now + np.arange(-10, 10, dtype=np.int64) * DAY_MS
    readings.store_import(bench.logbook, "a.csv", now, {lid.id: Series(times, np.full(20, 37.0))}, 0, 0)

    def corrected() -> np.ndarray:
        run = readings.series(bench.logbook, lid, int(times[0]), int(times[-1]))
        assert (run.shown == 37.0).all(), "raw is never altered"
        return bench.corrections.correct_series(lid, run)[0]

    assert (corrected() == 37.0).all()
    first = evaluate(bench, lid, lab, [PointEntry("37.0", "37.40")], 0.05)
    put_to_use(bench, first, 0.05, now)
    assert corrected().tolist() == pytest.approx([37.0] * 10 + [37.5] * 10)
    clock.at_ms = now + 5 * DAY_MS
    second = evaluate(bench, lid, lab, [PointEntry("37.0", "37.60")], 0.05)
    put_to_use(bench, second, 0.05, clock.at_ms)
    assert corrected().tolist() == pytest.approx([37.0] * 10 + [37.5] * 5 + [37.7] * 5)
    bench.undo()
    assert corrected().tolist() == pytest.approx([37.0] * 10 + [37.5] * 10)
    bench.undo()
    assert (corrected() == 37.0).all()
    bench.redo()
    assert corrected()[-1] == pytest.approx(37.5)
    put_to_use(bench, second, 0.05, 0)  # for the past too: it supersedes the earlier check everywhere
    assert corrected().tolist() == pytest.approx([37.7] * 20)
    assert bench.corrections.correct(lid, 37.0, now).value == pytest.approx(37.7)


def test_fahrenheit_instruments_are_corrected_in_their_own_unit(
    bench: Workbench, pair: tuple[Channel, Channel]
) -> None:
    made = setting_up.add_instrument(bench, "Dial", "stick", [NewChannel("temperature", "°F", 0.5, 2.0)])
    dial = keeping.all_of(bench.logbook, Channel, instrument_id=made)[0]
    found = evaluate(bench, dial, pair[1], [PointEntry("98.0 98.0", "37.40")], 0.0)
    # reference 37.40 + 0.10 = 37.50 °C = 99.5 °F: add 1.5 °F
    assert found.correction is not None
    assert found.correction.coefficients[0] == pytest.approx(1.5)
    put_to_use(bench, found, 0.0, bench.now_ms)
    assert bench.corrections.correct(dial, 98.0, bench.now_ms).value == pytest.approx(37.5)
    values, _ = bench.corrections.correct_series(dial, Series(np.array([bench.now_ms]), np.array([98.0])))
    assert values[0] == pytest.approx(37.5)


@pytest.mark.parametrize(
    ("entry", "side", "says"),
    [
        (PointEntry("37.0", ""), "reference", "missing"),
        (PointEntry("", "37.4"), "shown", "missing"),
        (PointEntry("37.0 warm", "37.4"), "shown", "number"),
        (PointEntry("37.0", "99.5"), "reference", "Is that °F"),
        (PointEntry("370", "37.4"), "shown", "check the number"),
    ],
)
def test_faulty_rows_are_named_and_not_used(
    bench: Workbench, pair: tuple[Channel, Channel], entry: PointEntry, side: str, says: str
) -> None:
    found = evaluate(bench, *pair, [PointEntry("37.0", "37.40"), entry], 0.05)
    assert [(p.row, p.side) for p in found.problems] == [(1, side)]
    assert says in found.problems[0].text
    assert len(found.points) == 1
    with pytest.raises(UserError, match="Mend or empty"):
        put_to_use(bench, found, 0.05, 0)


def test_checks_that_give_nothing(bench: Workbench, pair: tuple[Channel, Channel]) -> None:
    empty = evaluate(bench, *pair, [PointEntry("", "")], 0.05)
    with pytest.raises(UserError, match="no correction yet"):
        put_to_use(bench, empty, 0.05, 0)
    forced = evaluate(bench, *pair, [PointEntry("37.0", "37.4"), PointEntry("37.0", "37.5")], 0.05, "line")
    assert forced.correction is None and "one reading" in forced.trouble


@pytest.mark.parametrize(
    ("points", "says"),
    [([], "needs a point"), ([(37.0, 0.1, 0.0)], "above 0"), ([(37.0, 0.1, -1.0)], "above 0"),
     ([(37.0, 0.1, 0.1), (37.0, 0.2, 0.1)], "same reading")],
)  # fmt: skip
def test_faulty_certificates(
    bench: Workbench, pair: tuple[Channel, Channel], points: list[tuple[float, float, float]], says: str
) -> None:
    with pytest.raises(UserError, match=says):
        setting_up.add_certificate(bench, pair[0].id, 0, points)
