"""A species of the keeper's own: checked for sense, and then a species like any other."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stathmis.core.errors import UserError
from stathmis.logbook.records import Incubator, OwnSpecies
from stathmis.services import setting_up
from stathmis.services.batch import batches, own_species, profiles
from stathmis.services.batch.own_species import SpeciesDraft, draft_of, interpret, keep, typed
from stathmis.services.batch.species import all_species, species_in, species_of
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.files import archive
from stathmis.services.plan import planning

TEAL = {
    "name": "teal", "days_low": "23", "days": "24", "days_high": "25", "stop_turning_day": "21", "set_c": "37.4",
    "half_band_k": "0.25", "setting_rh": "50-58", "lockdown_rh": "70–80", "loss_percent": "14", "egg_g": "27",
    "note": "On the side.",
}  # fmt: skip
DRAFT = SpeciesDraft("bird", True, TEAL)


def test_a_species_of_ones_own_is_one_everywhere(desk: Desk) -> None:
    key = f"own {keep(desk, DRAFT)}"
    kept = species_of(desk.book, key)
    assert (kept.name, kept.days, kept.egg_g, kept.note) == ("teal", 24.0, 27.0, "On the side.")
    made = setting_up.add_incubator(desk, "Box", "forced")
    machine = desk.book.one(Incubator, made)
    setting_up.set_batch(desk, machine, "", key, "steady", 12, desk.now_ms - 3 * DAY_MS)
    course = batches.running(desk.book, machine)
    assert course is not None and course.batch.name == "12 teal eggs" and course.lockdown_day == 21.0
    heat, moist = (course.band(q, desk.now_ms) for q in ("temperature", "humidity"))
    assert heat is not None and moist is not None
    assert (heat.low, heat.high, moist.low, moist.high) == pytest.approx((37.15, 37.65, 50.0, 58.0))
    (plan,) = planning.plans(desk.book)
    hatch = plan.step("hatch")
    assert hatch is not None and (hatch.at_ms - plan.set_ms) == 24 * DAY_MS
    assert course.cooled(course.at_ms(10.0)), "cooling helps it"
    own = profiles.start_from(desk.book, key, "steady")
    assert own.species == key and profiles.keep_profile(desk, own)
    # used: it stays, and stays a bird
    with pytest.raises(UserError, match="This species is in use: 12 teal eggs"):
        own_species.remove(desk, int(key.removeprefix("own ")))
    changed = typed(draft_of(kept, "°C", copy=False), "days", "24.5")
    keep(desk, changed)
    again = batches.running(desk.book, machine)
    assert again is not None and again.species.days == 24.5
    desk.undo()
    assert species_of(desk.book, key).days == 24.0


def test_one_without_eggs_is_taken_away_and_comes_back(desk: Desk) -> None:
    stored = keep(desk, DRAFT)
    own_species.remove(desk, stored)
    assert f"own {stored}" not in all_species(desk.book)
    desk.undo()
    assert f"own {stored}" in all_species(desk.book)


@pytest.mark.parametrize(
    ("name", "text", "says"),
    [
        ("name", "", "What is it called?"), ("name", "Chicken", "named Chicken already"),
        ("days", "many", "Days to the hatch: “many”"), ("days", "22", "rise, not 23, 22, 25"),
        ("days_high", "9999", "Latest day"), ("stop_turning_day", "8", "in the last half"),
        ("stop_turning_day", "24", "in the last half"), ("set_c", "", "Temperature in moving air: write"),
        ("set_c", "25", "from 33 to 40"), ("half_band_k", "9", "How far it may be off"),
        ("setting_rh", "58-50", "no humidity from low to high"), ("lockdown_rh", "70", "no humidity from low to high"),
        ("loss_percent", "50", "Weight lost at lockdown"), ("egg_g", "0", "Mass of a fresh egg"),
    ],
)  # fmt: skip
def test_what_makes_no_sense_is_said_at_its_field(desk: Desk, name: str, text: str, says: str) -> None:
    found = interpret(desk.book, typed(DRAFT, name, text), "°C")
    assert says in found.problems[name] and len(found.problems) == 1 and not found.record
    with pytest.raises(UserError):
        keep(desk, typed(DRAFT, name, text))
    assert desk.book.records(OwnSpecies) == ()


@pytest.mark.parametrize(("egg_g", "asks"), [("27", False), ("2", True), ("900", True), ("12", False)])
def test_days_that_do_not_go_with_the_egg_are_asked_about(desk: Desk, egg_g: str, asks: bool) -> None:
    """12.03 m^0.217 days (Rahn & Ar 1974): 24.6 for 27 g."""
    found = interpret(desk.book, typed(DRAFT, "egg_g", egg_g), "°C")
    assert bool(found.doubt) == asks and found.record, "asked about, not forbidden"


def test_no_shipped_bird_is_doubted(desk: Desk) -> None:
    for key, kept in all_species(desk.book).items():
        if kept.kind == "bird":
            draft = typed(draft_of(species_of(desk.book, key), "°C", copy=True), "name", "mine")
            assert interpret(desk.book, draft, "°C").doubt == "", key


def test_in_fahrenheit_and_as_a_reptile(desk: Desk) -> None:
    warm = SpeciesDraft("reptile", False, {**TEAL, "set_c": "82.4", "half_band_k": "1.8", "setting_rh": "80 to 90"})
    found = interpret(desk.book, warm, "°F").record
    assert (found["set_c"], found["half_band_k"]) == (28.0, 1.0)
    assert found["stop_turning_day"] is found["lockdown_low"] is found["loss_percent"] is None


@pytest.mark.parametrize("key", ["chicken", "coturnix", "duck", "emu", "muscovy", "corn_snake", "ball_python"])
@pytest.mark.parametrize("unit", ["°C", "°F"])
def test_one_that_begins_as_a_shipped_one_is_like_it(desk: Desk, key: str, unit: str) -> None:
    like = species_of(desk.book, key)
    draft = typed(draft_of(like, unit, copy=True), "name", "mine")  # type: ignore[arg-type]
    found = interpret(desk.book, draft, unit).record  # type: ignore[arg-type]
    assert found["days"] == like.days and found["stop_turning_day"] == like.stop_turning_day
    assert found["set_c"] == pytest.approx(like.set_c, abs=0.006) and found["egg_g"] == like.egg_g


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.dictionaries(st.sampled_from(own_species.FIELDS), st.text(max_size=12) | st.floats().map(str), max_size=4))
def test_whatever_is_typed_is_refused_in_words_or_is_a_species(desk: Desk, texts: dict[str, str]) -> None:
    found = interpret(desk.book, SpeciesDraft("bird", False, {**TEAL, **texts}), "°C")
    assert bool(found.record) != bool(found.problems)
    if found.record:
        kept = species_in(OwnSpecies(1, **found.record))
        assert kept.days_low <= kept.days <= kept.days_high and kept.setting_rh.low < kept.setting_rh.high
        assert interpret(desk.book, draft_of(kept, "°C", copy=False), "°C").record == found.record


def test_an_archive_that_was_altered_is_refused(desk: Desk, tmp_path: Path) -> None:
    stored = keep(desk, DRAFT)
    with desk.edit("altered") as edit:
        edit.change(OwnSpecies, stored, setting_low=60.0)
    with pytest.raises(UserError):
        out = tmp_path / "log.zip"
        archive.write(desk, out)
        archive.restore(out, tmp_path / "new.stathmis")
