"""The calibration in force at a reading's time; raw readings untouched; history judged anew."""

from __future__ import annotations

import numpy as np
import pytest

import making
from stathmis.core.errors import UserError
from stathmis.logbook import readings
from stathmis.logbook.records import Channel
from stathmis.logbook.snapshot import Series
from stathmis.services import setting_up
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.files import logger_import
from stathmis.services.instruments import doubts, history


@pytest.fixture
def pair(desk: Desk) -> tuple[Channel, Channel]:
    """A working thermometer, and a reference whose certificate says add 0.10 ± 0.04 (k = 2)."""
    return making.instrument(desk, "Lid"), making.reference(desk)


def test_never_checked_means_stated_accuracy(desk: Desk, pair: tuple[Channel, Channel]) -> None:
    corrected = desk.book.corrections.correct(pair[0], 37.0, desk.now_ms)
    assert corrected.value == 37.0
    # ± 1.0 rectangular and steps of 0.1: u = sqrt(1/3 + 0.01/12), U = 1.96 u
    assert pytest.approx(1.96 * np.sqrt(1 / 3 + 0.01 / 12), rel=1e-3) == corrected.U
    assert history.is_due(desk.book, pair[0])


def test_a_check_uses_the_references_own_correction(desk: Desk, pair: tuple[Channel, Channel]) -> None:
    lid, lab = pair
    _, found = making.checked(desk, lid, [("37.0 37.0", "37.40 37.40")], against=lab)
    assert found.correction is not None and found.budget is not None
    assert found.points[0].reference == pytest.approx(37.50)
    # an instrument is seldom off by so much: a thousandth of it is not believed
    assert found.correction.apply(37.0)[0] == pytest.approx(37.50, abs=0.002)
    # by hand: display 0.1/√12, reference display 0.01/√12, apart 0.05/√3, certificate 0.02; display again in use
    display = 0.1 / np.sqrt(12)
    by_hand = np.sqrt(2 * display**2 + (0.01 / np.sqrt(12)) ** 2 + 0.05**2 / 3 + 0.02**2)
    assert found.budget.standard_uncertainty == pytest.approx(by_hand, rel=5e-3)
    assert found.corrected_at(found.at)[1] == pytest.approx(found.correction.coverage_factor * by_hand, rel=5e-3)


def test_scatter_with_few_replicates_raises_k(desk: Desk, pair: tuple[Channel, Channel]) -> None:
    _, calm = making.checked(desk, pair[0], [("37.0 37.0", "37.4 37.4")], against=pair[1], apart="0")
    _, wild = making.checked(desk, pair[0], [("36.6 37.4", "37.4 37.4")], against=pair[1], apart="0")
    assert calm.correction is not None and wild.correction is not None
    assert calm.correction.coverage_factor == pytest.approx(1.96, abs=0.01)
    assert wild.correction.coverage_factor > 4


def test_a_new_calibration_judges_history_anew_and_raw_stays(desk: Desk, pair: tuple[Channel, Channel]) -> None:
    lid, lab = pair
    clock = desk.clock
    assert isinstance(clock, FixedClock)
    now = clock.at_ms
    times = now + np.arange(-10, 10, dtype=np.int64) * DAY_MS
    logger_import.keep_series(desk, "a.csv", {lid.id: Series(times, np.full(20, 37.0))})

    def corrected() -> np.ndarray:
        run = readings.series(desk.book.snapshot, lid, int(times[0]), int(times[-1]))
        assert (run.shown == 37.0).all(), "raw is never altered"
        return desk.book.corrections.correct_series(lid, run)[0]

    assert (corrected() == 37.0).all()
    making.put_to_use(desk, making.typed(desk, lid, [("37.0", "37.40")], against=lab))
    assert corrected().tolist() == pytest.approx([37.0] * 10 + [37.5] * 10, abs=0.003)
    clock.at_ms = now + 5 * DAY_MS
    second = making.typed(desk, lid, [("37.0", "37.60")], against=lab)
    making.put_to_use(desk, second)
    assert corrected().tolist() == pytest.approx([37.0] * 10 + [37.5] * 5 + [37.7] * 5, abs=0.003)
    # the keeper may have it run straight between the two checks instead
    history.set_between_checks(desk, desk.book.channel(lid.id), True)
    lid = desk.book.channel(lid.id)
    assert corrected().tolist() == pytest.approx(
        [37.0] * 10 + [37.5, 37.54, 37.58, 37.62, 37.66] + [37.7] * 5, abs=0.003
    )
    assert desk.book.corrections.correct(lid, 37.0, now + 2.5 * DAY_MS).value == pytest.approx(37.6, abs=0.003)
    desk.undo()
    lid = desk.book.channel(lid.id)
    assert corrected().tolist() == pytest.approx([37.0] * 10 + [37.5] * 5 + [37.7] * 5, abs=0.003)
    desk.undo()
    assert corrected().tolist() == pytest.approx([37.0] * 10 + [37.5] * 10, abs=0.003)
    desk.undo()
    assert (corrected() == 37.0).all()
    desk.redo()
    assert corrected()[-1] == pytest.approx(37.5, abs=0.003)
    making.put_to_use(desk, second, 0)  # for the past too: it supersedes the earlier check everywhere
    assert corrected().tolist() == pytest.approx([37.7] * 20, abs=0.003)
    assert desk.book.corrections.correct(lid, 37.0, now).value == pytest.approx(37.7, abs=0.003)


def test_what_was_adjusted_did_not_drift(desk: Desk, pair: tuple[Channel, Channel]) -> None:
    clock = desk.clock
    assert isinstance(clock, FixedClock)
    start = clock.at_ms
    lid, lab = pair
    making.put_to_use(desk, making.typed(desk, lid, [("37.0", "37.40")], against=lab))
    history.set_between_checks(desk, desk.book.channel(lid.id), True)
    clock.at_ms = start + 10 * DAY_MS
    left = making.typed(desk, lid, [("37.5", "37.40")], against=lab)
    left.state = "as left"
    with pytest.raises(UserError, match="As left holds from now on only"):
        making.put_to_use(desk, left, 0)
    making.put_to_use(desk, left)
    lid = desk.book.channel(lid.id)
    # up to the adjustment the first check holds; it does not run towards a reading of another setting
    assert desk.book.corrections.correct(lid, 37.0, start + 9 * DAY_MS).value == pytest.approx(37.5, abs=0.02)
    assert desk.book.corrections.correct(lid, 37.5, clock.at_ms).value == pytest.approx(37.5, abs=0.02)


def test_fahrenheit_instruments_are_corrected_in_their_own_unit(desk: Desk, pair: tuple[Channel, Channel]) -> None:
    dial = making.instrument(desk, "Dial", unit="°F", step=0.5, accuracy=2.0)
    draft, found = making.checked(desk, dial, [("98.0 98.0", "37.40")], against=pair[1], apart="0")
    # reference 37.40 + 0.10 = 37.50 °C = 99.5 °F: add 1.5 °F
    assert found.correction is not None
    assert found.correction.apply(98.0)[0] - 98.0 == pytest.approx(1.5, abs=0.03)
    certificate = next(i for i in found.fitted.influences if "Certificate" in i.label)  # type: ignore[union-attr]
    assert certificate.standard_uncertainty == 0.02 and certificate.on_reference[0] == pytest.approx(1.8)
    making.put_to_use(desk, draft)
    assert desk.book.corrections.correct(dial, 98.0, desk.now_ms).value == pytest.approx(37.5, abs=0.02)
    values, _ = desk.book.corrections.correct_series(dial, Series(np.array([desk.now_ms]), np.array([98.0])))
    assert values[0] == pytest.approx(37.5, abs=0.02)


def test_corrected_humidity_stays_within_0_and_100(desk: Desk) -> None:
    wet = making.instrument(desk, "Card", "humidity")
    making.put_to_use(desk, making.typed(desk, wet, [("70", {"salt": "NaCl", "jar": "22"})], "salt"), 0)
    assert desk.book.corrections.correct(wet, 50.0, desk.now_ms).value == pytest.approx(54.9, abs=0.1)
    assert desk.book.corrections.correct(wet, 99.0, desk.now_ms).value == 100.0


@pytest.mark.parametrize(
    ("points", "says"),
    [([], "needs a point"), ([(37.0, 0.1, 0.0)], "above 0"), ([(37.0, 0.1, -1.0)], "above 0"),
     ([(37.0, 0.1, 0.1), (37.0, 0.2, 0.1)], "same reading"), ([(400.0, 0.1, 0.1)], "order is reading")],
)  # fmt: skip
def test_faulty_certificates(
    desk: Desk, pair: tuple[Channel, Channel], points: list[tuple[float, float, float]], says: str
) -> None:
    with pytest.raises(UserError, match=says):
        setting_up.add_certificate(desk, pair[0].id, 0, points)


def test_certificates_in_time(desk: Desk, pair: tuple[Channel, Channel]) -> None:
    now, lab = desk.now_ms, pair[1]
    with pytest.raises(UserError, match="dated in the future"):
        setting_up.add_certificate(desk, lab.id, now + DAY_MS, [(37.0, 0.1, 0.1)])
    with pytest.raises(UserError, match="runs out before"):
        setting_up.add_certificate(desk, lab.id, now, [(37.0, 0.1, 0.1)], expires_ms=now - DAY_MS)
    setting_up.add_certificate(desk, lab.id, now - DAY_MS, [(37.0, 0.3, 0.02)], expires_ms=now + DAY_MS)
    # the newer one takes over on its date; before it the older one holds
    assert desk.book.corrections.correct(lab, 37.0, now).value == pytest.approx(37.3)
    assert desk.book.corrections.correct(lab, 37.0, now - 2 * DAY_MS).value == pytest.approx(37.1)
    assert doubts.certificate_expires_ms(desk.book, lab) == now + DAY_MS


def checked_on(desk: Desk, channel: Channel, lab: Channel, days_ago: float, shows: str, state: str = "as found") -> int:
    """A check against a reference that shows 37.50, so many days ago. Returns when (UTC ms)."""
    now = desk.clock.at_ms  # type: ignore[attr-defined]
    desk.clock.at_ms = now - round(days_ago * DAY_MS)  # type: ignore[attr-defined]
    draft = making.typed(desk, channel, [(shows, "37.50")], against=lab)
    draft.state = state
    making.put_to_use(desk, draft)
    done = desk.now_ms
    desk.clock.at_ms = now  # type: ignore[attr-defined]
    return done


def test_u_grows_with_the_time_since_the_check(desk: Desk) -> None:
    """By the usual drift, ± 0.1 K or 1.5 % a year (standard uncertainty; common practice), before and after it."""
    for quantity, per_year, at in (("temperature", 0.1, 37.5), ("humidity", 1.5, 50.0)):
        lab = making.reference(desk, f"Lab {quantity}", quantity)
        own = making.instrument(desk, f"Own {quantity}", quantity)
        making.put_to_use(desk, making.typed(desk, own, [(f"{at}", f"{at}")], against=lab), 0)
        fresh = desk.book.corrections.correct(own, at, desk.now_ms).u
        for days in (-30.0, 90.0, 365.25, 730.5):
            aged = desk.book.corrections.correct(own, at, desk.now_ms + round(days * DAY_MS)).u
            assert np.sqrt(aged**2 - fresh**2) == pytest.approx(per_year * abs(days) / 365.25, rel=0.01)
        force = desk.book.corrections.in_force(own, desk.now_ms)
        assert force.drift_per_year == pytest.approx(per_year)


def test_a_drift_that_its_own_checks_tell_counts_instead(desk: Desk) -> None:
    lab = making.reference(desk, days=900)
    steady, runs = making.instrument(desk, "Steady", step=0.01), making.instrument(desk, "Runs", step=0.01)
    for days in (800.0, 600.0, 400.0, 200.0, 1.0):
        checked_on(desk, steady, lab, days, "37.50")
        checked_on(desk, runs, lab, days, f"{37.5 + 0.4 * (800.0 - days) / 365.25:.2f}")
    book = desk.book.corrections
    own, calm = (book.in_force(c, desk.now_ms).drift_per_year for c in (runs, steady))
    assert own == pytest.approx(0.4, rel=0.1) and calm < 0.1
    # as left starts anew: what was adjusted did not drift
    checked_on(desk, runs, lab, 0.5, "37.50", "as left")
    assert desk.book.corrections.in_force(runs, desk.now_ms).drift_per_year == pytest.approx(0.1)


@pytest.mark.parametrize("quantity", ["temperature", "humidity"])
def test_a_year_after_its_check_95_percent_still_hold_the_truth(desk: Desk, quantity: str) -> None:
    """Instruments that drift as they usually do, each its own way: drawn, not taken from the correction's u."""
    rng = np.random.default_rng(3)
    lab = making.reference(desk, "Lab", quantity)
    own = making.instrument(desk, "Own", quantity, step=0.01 if quantity == "temperature" else 0.1)
    at, per_year = (37.5, 0.1) if quantity == "temperature" else (50.0, 1.5)
    making.put_to_use(desk, making.typed(desk, own, [(f"{at}", f"{at - (0.1 if at < 40 else 0)}")], against=lab), 0)
    book = desk.book.corrections
    for days in (30.0, 365.0, 700.0):
        late = desk.now_ms + round(days * DAY_MS)
        fresh, aged = (book.correct(own, at, ms) for ms in (desk.now_ms, late))
        error = rng.normal(0, fresh.u, 20_000) + rng.normal(0, per_year, 20_000) * days / 365.25
        assert 0.94 < float((np.abs(error) <= aged.U).mean()) < 0.97, days
        assert days < 300 or float((np.abs(error) <= fresh.U).mean()) < 0.88, "without its age it would be too sure"
