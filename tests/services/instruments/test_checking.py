"""Checks by every method: the reference value, what is refused and where, choice, hysteresis, warnings, verdicts."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest

import making
from making import Point, checked, instrument, put_to_use, reference, typed
from stathmis.core.course.profile import Band
from stathmis.core.errors import UserError
from stathmis.core.fixed_points import salt_humidity
from stathmis.core.psychrometrics import boiling_point, saturation_vapor_pressure
from stathmis.logbook import calibrations
from stathmis.logbook.records import Channel, StoredCalibration
from stathmis.services import setting_up
from stathmis.services.clock import DAY_MS, FixedClock
from stathmis.services.desk import Desk
from stathmis.services.instruments import checking, improving, words
from stathmis.services.instruments import draft as drafting
from stathmis.services.instruments.checking import OWN_SCATTER, evaluate
from stathmis.services.instruments.draft import Row, new_draft, new_set
from stathmis.services.instruments.methods import methods
from stathmis.services.instruments.sheet import chain, sheet


@pytest.fixture
def probe(desk: Desk) -> Channel:
    """A working thermometer."""
    return instrument(desk, "Probe")


@pytest.fixture
def card(desk: Desk) -> Channel:
    """A working hygrometer."""
    return instrument(desk, "Card", "humidity")


def test_ice_and_steam_are_what_nature_says(desk: Desk, probe: Channel) -> None:
    _, ice = checked(desk, probe, [("0.3 0.2", {})], method="ice")
    assert ice.points[0].reference == 0.0 and ice.points[0].source == "ice point"
    # one point far from where it works: the slope nobody checked makes it too coarse, and the page says why
    assert ice.warnings[0].text.startswith("All points lie at 0.2 °C")
    assert not ice.verdicts[0].can_decide
    draft = typed(desk, probe, [("96.5", {})], "steam")
    draft.sets[0].settings.update(pressure_from="here", pressure="900")
    steam = evaluate(desk.book, draft)
    assert steam.points[0].reference == pytest.approx(float(boiling_point(900.0)))
    draft.sets[0].settings.update(pressure_from="report", pressure="1013,25", altitude="900")
    assert evaluate(desk.book, draft).points[0].reference == pytest.approx(97.0, abs=0.1)


def test_ice_then_a_bath_show_the_slope(desk: Desk, probe: Channel) -> None:
    lab = reference(desk)
    draft = typed(desk, probe, [("0.4 0.4", {})], "ice")
    draft.sets.append(new_set(probe, methods()["bath"], 900.0))
    draft.sets[1].reference_id = lab.id
    draft.sets[1].rows = [Row("37.1 37.1", {"reference": "37.40 37.41"})]
    both = evaluate(desk.book, draft)
    assert both.correction is not None and both.correction.model == "averaged"
    assert both.correction.apply(37.1)[0] == pytest.approx(37.505, abs=0.03)
    assert both.correction.apply(0.4)[0] == pytest.approx(0.0, abs=0.03)
    # the certificate is shared by the bath's points only: the two ends are independent
    certificate = next(i for i in both.fitted.influences if i.label.startswith("Certificate"))  # type: ignore[union-attr]
    assert certificate.on_reference.tolist() == [0.0, 1.0]
    assert all(v.can_decide for v in both.verdicts)
    made = put_to_use(desk, draft)
    kept = next(c for c in calibrations.calibrations(desk.book.snapshot) if c.id == made)
    assert kept.conditions.method == "ice+bath"
    assert [p.source for p in calibrations.points_of(desk.book.snapshot, made)] == ["ice point", "Lab"]


def test_salt_jars_from_one_to_three(desk: Desk, card: Channel) -> None:
    jars: list[Point] = [
        ("40 41", {"salt": "MgCl2", "jar": "22"}),
        ("82 83", {"salt": "NaCl", "jar": "71.6F"}),
        ("61 61", {"salt": "Mg(NO3)2", "jar": "22"}),
    ]
    _, one = checked(desk, card, jars[:1], method="salt")
    _, two = checked(desk, card, jars[:2], method="salt")
    _, three = checked(desk, card, jars, method="salt")
    assert one.points[0].reference == pytest.approx(salt_humidity("MgCl2", 22.0)[0])
    assert two.points[1].reference == pytest.approx(salt_humidity("NaCl", 22.0)[0], abs=1e-6)
    u = [c.corrected_at(50.0)[1] for c in (one, two, three)]
    assert u[0] > u[1] and u[0] > u[2]
    assert "Corrected humidity is held to 0–100 %" in words.range_words(three)


def test_rising_and_falling_are_measured(desk: Desk, card: Channel) -> None:
    salts = ("MgCl2", "NaCl", "NaCl", "MgCl2")
    shown = ("33", "75", "79", "37")
    draft = typed(desk, card, [(s, {"salt": k, "jar": "22"}) for s, k in zip(shown, salts, strict=True)], "salt")
    before = evaluate(desk.book, draft)
    for row, way in zip(draft.sets[0].rows, ("rising", "rising", "falling", "falling"), strict=True):
        row.direction = way
    after = evaluate(desk.book, draft)
    assert before.hysteresis == 1.0, "the usual allowance"
    assert after.hysteresis == pytest.approx(2.0, abs=0.1)
    lines = {c.label: c for c in after.budget_at(50.0).components}
    assert lines["Rising and falling differ"].contribution == pytest.approx(2.0 / np.sqrt(3.0), rel=0.12), (
        "in use it stands anywhere in its loop"
    )
    unmeasured = {c.label: c for c in before.budget_at(50.0).components}
    assert unmeasured["Rising and falling differ"].contribution == pytest.approx(np.sqrt(2.0 / 3.0), rel=0.12), (
        "and in the check it did too"
    )


def test_a_wet_bulb_that_is_impossible_says_so(desk: Desk, card: Channel) -> None:
    lab = reference(desk)
    for cells, says in (
        ({"reference": "30.0", "wet": "31.0"}, "above the dry one"),
        ({"reference": "37.5", "wet": "10.0"}, "No air is that dry"),
        ({"reference": "37.5", "wet": ""}, "missing"),
    ):
        draft = typed(desk, card, [("50", cells)], "wet_dry", lab)
        draft.sets[0].second_id = lab.id
        draft.sets[0].settings["altitude"] = "900"
        found = evaluate(desk.book, draft)
        assert (found.problems[0].field, len(found.points)) == ("wet", 0)
        assert says in found.problems[0].text


def test_more_air_past_the_wick_is_more_certain(desk: Desk, card: Channel) -> None:
    lab = reference(desk)
    values = {}
    for wick, allowance in (("ventilated", "0.05"), ("still", "0.25")):
        draft = typed(desk, card, [("50", {"reference": "37.40", "wet": "29.0"})], "wet_dry", lab, wick=allowance)
        draft.sets[0].second_id = lab.id
        draft.sets[0].settings.update(altitude="0", wick=wick)
        point = evaluate(desk.book, draft).points[0]
        values[wick] = (point.reference, point.u_reference)
    # a still wick is warmed by the air and reads too high: for the same pair the air is drier
    assert values["still"][0] < values["ventilated"][0] - 3
    assert values["still"][1] > 2 * values["ventilated"][1]


def test_the_gun_both_ways(desk: Desk, probe: Channel) -> None:
    gun = instrument(desk, "Gun", kind="infrared gun", accuracy=1.0)
    draft = typed(desk, probe, [("37.4", {"reference": "36.8", "walls": "20"})], "infrared", gun)
    draft.sets[0].settings["gun_c"] = "20"
    by_gun = evaluate(desk.book, draft)
    assert by_gun.points[0].reference == pytest.approx(36.8, abs=0.01), "gun and shell alike: nothing to mend"
    draft = typed(desk, probe, [("37.4", {"reference": "36.8", "walls": "20"})], "infrared", gun)
    draft.sets[0].settings["emissivity"] = "0.90"
    assert evaluate(desk.book, draft).points[0].reference > 37.5
    lab = reference(desk)
    draft = typed(desk, gun, [("36.8", {"reference": "37.40", "walls": "20"})], "infrared", lab)
    draft.sets[0].settings["gun_c"] = "20"
    assert evaluate(desk.book, draft).points[0].reference == pytest.approx(37.5, abs=0.01)


def test_a_gun_is_as_warm_as_the_room_it_lay_in(desk: Desk, probe: Channel) -> None:
    """In a warm box the walls are not what the gun itself has: taken for them it would be half a degree off."""
    gun = instrument(desk, "Gun", kind="infrared gun", accuracy=0.2)
    shown = "37.0"

    def shell(own: str) -> tuple[float, float]:
        draft = typed(desk, probe, [("37.4", {"reference": shown, "walls": "36"})], "infrared", gun)
        draft.sets[0].settings["gun_c"] = own
        point = evaluate(desk.book, draft).points[0]
        return point.reference, point.u_reference

    # by hand: own = 0.95 T^4 + 0.05 Tgun^4 less 0.05 Twalls^4, at 0.95: (0.05/0.95) (Twalls - Tgun), a little less
    assert shell("36")[0] - shell("")[0] == pytest.approx(0.05 / 0.95 * 15.0 * 0.87, rel=0.1), "rooms have 21 °C"
    room = making.machine(desk, "Room", "room")
    inside = instrument(desk, "Wall", accuracy=0.5, incubator_id=room.id)
    making.typed_in(desk, [(inside.id, desk.now_ms - 60_000, 10.0, "°C", "10.0")])
    assert shell("")[0] == pytest.approx(shell("10")[0]) and shell("10")[0] < shell("21")[0]
    # it is known to 3 K: 0.05 x 3/sqrt(3) and what else there was
    lines = evaluate(desk.book, typed(desk, probe, [("37.4", {"reference": shown, "walls": "36"})], "infrared", gun))
    assert any(c.label == "Gun's own temperature is known to" for c in lines.budget_at(37.0).components)


@pytest.mark.parametrize(
    ("quantity", "method", "setting", "key", "sizes"),
    [
        ("temperature", "steam", "pressure_from", "pressure", {"altitude": "15", "report": "3", "here": "2"}),
        ("humidity", "wet_dry", "pressure_from", "pressure", {"altitude": "15", "report": "3", "here": "2"}),
        ("humidity", "wet_dry", "wick", "wick", {"ventilated": "0.05", "light": "0.2", "still": "0.25"}),
    ],
)
def test_what_is_allowed_for_follows_what_is_chosen(
    desk: Desk, quantity: str, method: str, setting: str, key: str, sizes: dict[str, str]
) -> None:
    channel = instrument(desk, "It", quantity)
    points = drafting.new_draft(channel, 900.0, method).sets[0]
    assert points.allowances[key] == sizes[points.settings[setting]]
    for what, size in sizes.items():
        drafting.choose(points, channel, setting, what)
        assert points.settings[setting] == what and points.allowances[key] == size
    # what the keeper typed stays
    points.allowances[key] = "7"
    drafting.choose(points, channel, setting, next(iter(sizes)))
    assert points.allowances[key] == "7"


def test_a_jar_that_was_opened_early_is_less_sure(desk: Desk, card: Channel) -> None:
    def u_after(hours: str) -> float:
        draft = typed(desk, card, [("75", {"salt": "NaCl", "jar": "22"})], "salt")
        draft.sets[0].settings["jar_hours"] = hours
        return float(evaluate(desk.book, draft).points[0].u_reference)

    assert u_after("24") == pytest.approx(u_after("12"), rel=0.02), "8-24 h: settled"
    # still 30 e^(-h/2) % away at worst, k = 2
    assert u_after("5") == pytest.approx(np.hypot(u_after("24"), 15 * np.exp(-2.5)), rel=0.01)
    assert u_after("3") > 2.5 * u_after("12")
    draft = typed(desk, card, [("75", {"salt": "NaCl", "jar": "22"})], "salt")
    draft.sets[0].settings["jar_hours"] = "soon"
    assert [p.field for p in evaluate(desk.book, draft).problems] == ["jar_hours"]


def test_flicker_seen_in_a_check_is_in_every_later_reading(desk: Desk, probe: Channel) -> None:
    lab = reference(desk)
    put_to_use(desk, typed(desk, probe, [("37.2 37.8 37.4 37.6 37.5", "37.4")], against=lab), 0)
    sd = float(np.std([37.2, 37.8, 37.4, 37.6, 37.5], ddof=1))
    steady = making.instrument(desk, "Steady", step=0.1)
    put_to_use(desk, typed(desk, steady, [("37.5 37.5 37.5 37.5 37.5", "37.4")], against=lab), 0)
    wild, calm = (desk.book.corrections.correct(c, 37.5, desk.now_ms).u for c in (probe, steady))
    assert wild > sd * np.sqrt(1 + 1 / 5) and calm < 0.4 * sd


def test_the_references_age_and_range_are_carried(desk: Desk, probe: Channel) -> None:
    old = reference(desk, "Old", days=400, drift=0.1)
    _, found = checked(desk, probe, [("37.0", "37.40")], against=old)
    assert "ran out on" in found.warnings[0].text
    drift = next(c for c in found.budget_at(37.0).components if c.label.startswith("Drift of Old"))
    assert drift.contribution == pytest.approx(0.1 / np.sqrt(3) * 400 / 365.25, rel=0.02)
    narrow = reference(desk, "Narrow", points=[(20.0, 0.1, 0.04), (25.0, 0.1, 0.04)])
    _, beyond = checked(desk, probe, [("37.0", "37.40")], against=narrow)
    assert "20 to 25 °C only" in beyond.warnings[0].text
    far = next(c for c in beyond.budget_at(37.0).components if "beyond its certificate" in c.label)
    assert far.contribution == pytest.approx(0.005 * (37.4 - 25.0), rel=0.02)


def test_swapped_roles_and_unchecked_references_are_doubted(desk: Desk, probe: Channel) -> None:
    lab = reference(desk)
    _, swapped = checked(desk, lab, [("37.40", "37.0")], against=probe)
    assert "never checked itself" in swapped.warnings[0].text
    put_to_use(desk, typed(desk, probe, [("37.0 37.3 36.8", "37.40")], against=lab))
    _, swapped = checked(desk, lab, [("37.40", "37.0")], against=probe)
    assert "are the two swapped?" in swapped.warnings[0].text


def test_copied_and_odd_rows_are_pointed_at(desk: Desk, probe: Channel) -> None:
    lab = reference(desk)
    rows: list[Point] = [("37.0", "37.40"), ("37.0", "37.40")]
    _, twice = checked(desk, probe, rows, against=lab)
    assert "The same as row 1" in twice.note(0, 1)
    odd: list[Point] = [(f"{v:.1f}", f"{v + 0.4:.2f}") for v in (36.0, 36.6, 37.2, 37.8, 38.4, 39.0)]
    odd[2] = ("37.2", "38.35")
    draft, found = checked(desk, probe, odd, against=lab, model="line")
    assert "Off the curve" in found.note(0, 2) and "It still counts" in found.note(0, 2)
    assert found.correction is not None and found.correction.widened > 1
    draft.sets[0].rows[2].cells["reference"] = "37.60"
    mended = evaluate(desk.book, draft)
    assert mended.warnings == () and mended.corrected_at(37.2)[1] < found.corrected_at(37.2)[1]


@pytest.mark.parametrize(
    ("shown", "cells", "field", "says"),
    [
        ("37.0", {"reference": ""}, "reference", "missing"),
        ("", {"reference": "37.4"}, "shown", "missing"),
        ("37.0 warm", {"reference": "37.4"}, "shown", "number"),
        ("37.0", {"reference": "99.5"}, "reference", "Is that °F"),
        ("370", {"reference": "37.4"}, "shown", "check the number"),
        ("37.0 98.8F", {"reference": "37.4"}, "shown", "mixes °C and °F"),
        ("37.0", {"reference": "45%"}, "reference", "temperature in °C"),
    ],
)
def test_faulty_rows_are_named_and_not_used(
    desk: Desk, probe: Channel, shown: str, cells: dict[str, str], field: str, says: str
) -> None:
    draft = typed(desk, probe, [("37.0", "37.40"), (shown, cells)], against=reference(desk))
    found = evaluate(desk.book, draft)
    assert [(p.row, p.field) for p in found.problems] == [(1, field)]
    assert says in found.problems[0].text
    assert len(found.points) == 1
    with pytest.raises(UserError, match="Mend or empty"):
        checking.put_to_use(desk, draft, found, 0)


@pytest.mark.parametrize(
    ("salt", "jar", "field", "says"),
    [
        ("", "22", "salt", "Choose the salt"),
        ("NaCl", "", "jar", "temperature is missing"),
        ("NaCl", "72", "jar", "write 72F"),
        ("NaCl", "48", "jar", "table for table salt runs from 15 to 40"),
        ("K2CO3", "33", "jar", "potassium carbonate runs from 15 to 30"),
        ("NaCl", "50%", "jar", "takes a temperature"),
    ],
)
def test_faulty_jars(desk: Desk, card: Channel, salt: str, jar: str, field: str, says: str) -> None:
    _, found = checked(desk, card, [("75", {"salt": salt, "jar": jar})], method="salt")
    assert [(p.row, p.field) for p in found.problems] == [(0, field)]
    assert says in found.problems[0].text


def test_faulty_settings_and_allowances_stand_at_their_field(desk: Desk, probe: Channel) -> None:
    for how, field in (
        ({"pressure_from": "here", "pressure": "29.9"}, "pressure"),
        ({"pressure_from": "report", "pressure": "", "altitude": "900"}, "pressure"),
        ({"pressure_from": "altitude", "altitude": "high"}, "altitude"),
    ):
        draft = typed(desk, probe, [("97.0", {})], "steam")
        draft.sets[0].settings.update(how)
        assert [(p.row, p.field) for p in evaluate(desk.book, draft).problems] == [(-1, field)]
    for size, says in (("-0.1", "cannot be negative"), ("some", "number from 0 up"), ("", "number from 0 up")):
        _, found = checked(desk, probe, [("0.1", {})], method="ice", ice=size)
        assert [p.field for p in found.problems] == ["allow:ice"] and says in found.problems[0].text
        assert found.fitted is None
    _, none = checked(desk, probe, [("0.1", {})], method="ice", ice="0")
    assert none.problems == () and none.fitted is not None, "nothing to allow for is a keeper's right"
    draft = typed(desk, probe, [("37.0", "37.4")], "side", None)
    assert "Choose an instrument" in evaluate(desk.book, draft).problems[0].text


@pytest.mark.parametrize(
    ("how", "field", "good", "bad"),
    [
        ({"pressure_from": "here"}, "pressure", ("500", "1090"), ("499.9", "1090.1")),
        ({"pressure_from": "report", "altitude": "900"}, "pressure", ("850", "1100"), ("849.9", "1100.1")),
        ({"pressure_from": "altitude"}, "altitude", ("-500", "5000"), ("-501", "5001")),
    ],
)
def test_a_setting_is_taken_up_to_its_limits(
    desk: Desk, probe: Channel, how: dict[str, str], field: str, good: tuple[str, ...], bad: tuple[str, ...]
) -> None:
    draft = typed(desk, probe, [("97.0", {})], "steam")
    for text in (*good, *bad):
        draft.sets[0].settings.update(how, **{field: text})
        told = [(p.row, p.field) for p in evaluate(desk.book, draft).problems]
        assert told == ([] if text in good else [(-1, field)]), text


def test_checks_that_give_nothing(desk: Desk, probe: Channel) -> None:
    lab = reference(desk)
    empty = typed(desk, probe, [("", "")], against=lab)
    with pytest.raises(UserError, match="no correction yet"):
        put_to_use(desk, empty)
    _, forced = checked(desk, probe, [("37.0", "37.4"), ("37.0", "37.5")], against=lab, model="line")
    assert forced.correction is None and "one reading" in forced.trouble


def test_what_would_make_it_good_enough_is_true(desk: Desk, card: Channel) -> None:
    """The advice is followed, and U comes down to what was promised."""
    draft, found = checked(desk, card, [("52 49", {"salt": "Mg(NO3)2", "jar": "22"})], method="salt")
    verdict = next(v for v in found.verdicts if v.zone.band.low == 45.0)
    assert not verdict.can_decide
    advice = improving.prospects(draft, found, verdict)
    more = next(p for p in advice if p.words.startswith("reading each point"))
    assert "reading each point 10 times" in words.prospect_words(verdict, advice, card.unit)
    # ten readings of the same scatter
    draft.sets[0].rows[0].shown = "52 49 52.5 48.7 49 52 52.3 49 51 53"
    again = evaluate(desk.book, draft)
    sd = np.std([52, 49], ddof=1)
    assert np.std([52, 49, 52.5, 48.7, 49, 52, 52.3, 49, 51, 53], ddof=1) == pytest.approx(sd, rel=0.3)
    assert again.corrected_at(again.at)[1] < verdict.U
    assert again.corrected_at(again.at)[1] == pytest.approx(more.U, rel=0.2)
    assert improving.prospects(draft, found, found.verdicts[0]) == [] or not found.verdicts[0].can_decide


def test_running_readings_settle(desk: Desk, probe: Channel) -> None:
    lab = reference(desk)
    draft = typed(desk, probe, [("", "37.40")], against=lab)
    row, now = draft.sets[0].rows[0], desk.now_ms
    so_far = ""
    for i, shown in enumerate(("36.0", "36.8", "37.1", "37.2")):
        so_far = f"{so_far} {shown}".strip()
        row.type_shown(so_far, now + i * 60_000)
    found = evaluate(desk.book, draft).points[0].settled
    assert found is not None and not found.settled and found.slope_per_s > 0
    said = words.settling_words(found, 0.05, 120.0, "°C")
    assert "rising" in said and "not settled. Wait about" in said
    for i in range(5):
        so_far += " 37.3"
        row.type_shown(so_far, now + (6 + 2 * i) * 60_000)
    calm = evaluate(desk.book, draft).points[0].settled
    assert calm is not None and calm.settled
    assert "settled, less than 0.05 °C to go (response time 2 min)" in words.settling_words(calm, 0.05, 120.0, "°C")
    row.type_shown("", now)
    row.type_shown("37.0 37.1 37.0", now)
    assert evaluate(desk.book, draft).points[0].settled is None, "copied in one go: nothing is known of its time"


def test_a_correction_of_one_digit_is_replaced_as_it_is_typed() -> None:
    row = Row()
    row.type_shown("37.1 3", 1000)
    row.type_shown("37.1 37.2", 2000)
    assert row.moments == [1000, 2000]
    row.type_shown("37.1", 3000)
    assert len(row.moments) == 1


def test_the_chain_leads_to_the_certificate(desk: Desk, probe: Channel) -> None:
    lab = reference(desk)
    second = instrument(desk, "Stick")
    first_id = put_to_use(desk, typed(desk, probe, [("37.0", "37.40")], against=lab))
    made = put_to_use(desk, typed(desk, second, [("36.5", "37.0")], against=probe))
    found = {c.id: c for c in calibrations.calibrations(desk.book.snapshot)}
    lines = chain(desk.book, found[made])
    assert lines[0].startswith("Against Probe, by its own check of")
    assert lines[1].startswith("Against Lab, by its certificate of") and len(lines) == 2
    # the check of the reference is carried in with all it left uncertain
    own = [c.label for c in calibrations.budget_of(desk.book.snapshot, made)]
    assert "Own check of Probe, offset" in own and "Certificate of Lab" not in own
    u_first = desk.book.corrections.correct(probe, 37.0, desk.now_ms).u
    # its offset, slope and bend go together
    parts = [c for c in calibrations.budget_of(desk.book.snapshot, made) if c.label.startswith("Own check")]
    assert np.hypot.reduce([c.contribution for c in parts]) == pytest.approx(
        np.sqrt(u_first**2 - 0.1**2 / 12), rel=0.05
    )
    desk.strike("check struck", StoredCalibration, [first_id])
    assert "a check withdrawn since" in chain(desk.book, found[made])[0]


def test_a_sheet_holds_what_was_found(desk: Desk, probe: Channel) -> None:
    lab = reference(desk)
    draft = typed(desk, probe, [("36.0 36.1", "36.40"), ("39.0", "39.42")], against=lab)
    check = evaluate(desk.book, draft)
    made = put_to_use(desk, draft)
    kept = next(c for c in calibrations.calibrations(desk.book.snapshot) if c.id == made)
    paper = sheet(desk.book, kept)
    assert paper.points[0][1:5] == ("Lab", "36.05", "36.50", "+0.45")
    assert check.budget is not None
    assert paper.budget[-1][0] == f"together: U = k u = {check.budget.expanded_uncertainty:.3f} °C at 95 %"
    assert {row[0] for row in paper.budget} >= {OWN_SCATTER, "Certificate of Lab"}
    shown, true = zip(*((float(a), float(b)) for a, b in paper.table), strict=True)
    assert min(true) <= 37.2 and max(true) >= 37.8
    np.testing.assert_allclose(true, kept.correction.apply(np.array(shown))[0], atol=0.051)


def test_steps_and_accuracy_can_be_mended(desk: Desk, probe: Channel) -> None:
    setting_up.change_channel(desk, probe, 0.5, 2.0, 60.0)
    assert (desk.book.channel(probe.id).resolution, desk.book.channel(probe.id).response_s) == (0.5, 60.0)
    desk.undo()
    assert desk.book.channel(probe.id) == probe
    with pytest.raises(UserError, match="above 0"):
        setting_up.change_channel(desk, probe, 0.0, 2.0, None)


def test_every_method_is_whole(desk: Desk) -> None:
    """Steps, reasons and usual sizes for each way of checking, for each quantity it is for."""
    for method in methods().values():
        assert method.steps and all(len(step) < 140 for step in method.steps)
        for quantity in method.quantities:
            channel = instrument(desk, f"{method.key} {quantity}", quantity)
            draft = new_draft(channel, 900.0, method.key)
            for allowance in method.allowances:
                assert allowance.usual(channel.quantity, channel.unit) > 0 and allowance.why
                assert float(draft.sets[0].allowances[allowance.key]) > 0


def test_time_between_check_and_certificate_counts(desk: Desk, probe: Channel) -> None:
    clock = desk.clock
    assert isinstance(clock, FixedClock)
    lab = reference(desk, drift=0.05, days=0)
    _, fresh = checked(desk, probe, [("37.0", "37.40")], against=lab)
    clock.at_ms += 300 * DAY_MS
    _, later = checked(desk, probe, [("37.0", "37.40")], against=lab)
    assert later.corrected_at(37.0)[1] > fresh.corrected_at(37.0)[1]


@pytest.mark.parametrize(
    ("middle", "used", "salt"),
    [
        (38.0, set(), "K2CO3"),
        (38.0, {"K2CO3"}, "MgCl2"),
        (5.0, set(), "MgCl2"),
        (82.0, set(), "KCl"),
        (76.0, {"MgCl2"}, "NaCl"),
        (96.0, {"NaCl"}, "K2SO4"),
    ],
)
def test_the_next_jar_is_the_nearest_unused_salt_and_never_the_toxic_one(
    middle: float, used: set[str], salt: str
) -> None:
    rows = [SimpleNamespace(cells={"salt": formula}, empty=False) for formula in used]
    # a row that was left empty uses no salt
    rows.append(SimpleNamespace(cells={"salt": salt}, empty=True))
    draft = SimpleNamespace(sets=[SimpleNamespace(rows=rows)])
    verdict = SimpleNamespace(zone=SimpleNamespace(band=Band(middle - 5.0, middle + 5.0)))
    assert improving._unused_salt(draft, None, verdict) == salt  # type: ignore[arg-type]


def test_a_wet_bulb_counts_as_the_humidity_moves_with_it(desk: Desk, card: Channel) -> None:
    """By hand, WMO-No. 8: d(RH)/d(wet) = (slope of saturation at the wet bulb + A p) over saturation at the dry."""
    lab = reference(desk)
    draft = typed(desk, card, [("53", {"reference": "37.40", "wet": "28.90"})], "wet_dry", lab)
    draft.sets[0].second_id = lab.id
    draft.sets[0].settings["altitude"] = "0"
    found = evaluate(desk.book, draft)
    assert found.fitted is not None
    wet = next(i for i in found.fitted.influences if i.label == "Display steps of Lab, wet")
    per_k = float(saturation_vapor_pressure(29.5) - saturation_vapor_pressure(28.5))
    by_hand = 100.0 * (per_k + 0.8e-3 * 1013.25) / float(saturation_vapor_pressure(37.5))
    assert wet.on_reference[0] == pytest.approx(by_hand, rel=0.08)
