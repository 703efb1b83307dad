"""Own profiles as files and drafts, day counts, and batches that share a machine."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import making
from stathmis.core.course.profile import Band, OwnProfile, Stage, phase_at
from stathmis.core.errors import UserError
from stathmis.exchange import profile_file
from stathmis.logbook.records import Batch
from stathmis.services import knowledge, rounds, setting_up
from stathmis.services.batch import batches, profiles
from stathmis.services.batch.profile_draft import draft_of, interpret, with_stage_after, without_stage
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.plan import conflicts

SPECIES = knowledge.species()


@st.composite
def own(draw: st.DrawFn) -> OwnProfile:
    days = sorted(draw(st.sets(st.integers(1, 300), max_size=5)))
    starts = [0.0, *(float(d) for d in days)]

    def band(low: int, high: int) -> Band:
        a = draw(st.integers(low, high - 2))
        return Band(float(a), a + draw(st.integers(1, high - a)) / 1.0)

    kinds = st.sampled_from(["setting", "incubation", "lockdown", "hatch"])
    text = st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), max_size=20)
    stages = tuple(
        Stage(draw(kinds), s, band(25, 41), draw(st.none() | st.just(band(10, 99))), draw(text).strip())  # type: ignore[arg-type]
        for s in starts
    )
    name = draw(text).strip() or "x"
    return OwnProfile(name, draw(st.sampled_from(sorted(SPECIES))), draw(text), stages, starts[-1] + 5.0)


@given(own())
def test_a_profile_survives_its_file_and_its_fields(profile: OwnProfile) -> None:
    assert profile_file.parse_profile(profile_file.profile_text(profile), SPECIES) == profile
    for unit in ("°C", "°F"):
        found = interpret(draft_of(profile, unit), unit)  # type: ignore[arg-type]
        assert found.problems == {} and found.profile is not None
        for a, b in zip(found.profile.stages, profile.stages, strict=True):
            assert abs(a.temperature_c.low - b.temperature_c.low) < 0.006 and a.humidity == b.humidity


GOOD = """stathmis_profile = 1
name = "Dry"
species = "chicken"
last_day = 23
[[stage]]
kind = "setting"
from_day = 0
temperature_c = [37.2, 37.8]
humidity = [30, 40]
"""


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("name = 3", "does not say so"),
        ("name = ", "This is no profile"),
        (GOOD.replace("profile = 1", "profile = 2"), "newer Stathmis"),
        (GOOD.replace("chicken", "griffin"), "griffin is not known"),
        (GOOD.replace("[37.2, 37.8]", "[99, 100]"), "stage 1: temperature_c runs from low to high"),
        (GOOD.replace("[30, 40]", "[40, 30]"), "humidity runs from low to high"),
        (GOOD.replace("[30, 40]", "40"), "a pair such as"),
        (GOOD.replace('"setting"', '"pause"'), "kind is one of"),
        (GOOD.replace("from_day = 0", "from_day = 2"), "begins at day 0"),
        (GOOD.replace("last_day = 23", "last_day = 0"), "last day comes after"),
        (GOOD.replace("last_day = 23", "last_day = true"), "last_day is a number"),
        (GOOD.split("[[")[0], "no stage"),
    ],
)
def test_a_faulty_file_is_refused_with_the_place(text: str, says: str, tmp_path: Path, desk: Desk) -> None:
    path = tmp_path / "p.toml"
    path.write_text(text, encoding="utf-8")
    with pytest.raises(UserError, match=says):
        profiles.bring_in(desk, path)
    assert profiles.own_profiles(desk.book) == {}


def test_every_fault_of_a_file_is_told_at_once() -> None:
    text = GOOD.replace("chicken", "griffin").replace("[30, 40]", "[40, 30]").replace('name = "Dry"', "")
    with pytest.raises(UserError) as told:
        profile_file.parse_profile(text, SPECIES)
    assert all(part in str(told.value) for part in ("name is missing", "griffin", "stage 1: humidity"))


def test_files_that_are_none_and_folders_that_cannot_be_written(tmp_path: Path, desk: Desk) -> None:
    (tmp_path / "b.toml").write_bytes(b"\xff\xfe\x00")
    (tmp_path / "l.toml").write_bytes(b" " * 300_000)
    for name, says in (("b.toml", "no text file"), ("l.toml", "too large"), ("gone.toml", "cannot be read")):
        with pytest.raises(UserError, match=says):
            profiles.bring_in(desk, tmp_path / name)
    with pytest.raises(UserError, match="cannot be written"):
        profiles.write_out(profile_file.parse_profile(GOOD, SPECIES), tmp_path / "nowhere" / "x.toml")


def test_a_batch_follows_an_own_profile_and_its_changes(desk: Desk, tmp_path: Path) -> None:
    made = setting_up.add_incubator(desk, "Cabinet", "still", 38.6)
    incubator = next(i for i in desk.book.incubators() if i.id == made)
    (tmp_path / "dry.toml").write_text(GOOD, encoding="utf-8")
    first = profiles.bring_in(desk, tmp_path / "dry.toml")
    assert profiles.bring_in(desk, tmp_path / "dry.toml").name == "Dry 2"
    desk.undo()
    setting_up.set_batch(desk, incubator, "", "chicken", "own 1", 12, desk.now_ms - 5 * DAY_MS, "from 1")
    course = batches.running(desk.book, incubator)
    assert course is not None and course.regime_name == "Dry"
    # a still-air machine is run 1.1 K warmer at the egg tops, also by an own profile
    heat = course.band("temperature", desk.now_ms)
    assert heat is not None and (heat.low, heat.high) == pytest.approx((38.3, 38.9))
    assert course.band("humidity", desk.now_ms) == Band(30, 40)
    assert course.day_text(desk.now_ms) == "day 6 of 22"
    draft = with_stage_after(draft_of(first, "°C", 1), 0)
    assert interpret(draft, "°C").problems == {1: "From which day? Write a number such as 7."}
    rows = [draft.rows[0], type(draft.rows[0])("setting", "drier", "4", "37,2", "100.0F", "25", "30")]
    changed = interpret(type(draft)("Dry", "chicken", "", "23", tuple(rows), 1), "°C").profile
    assert changed is not None
    profiles.keep_profile(desk, changed, 1)
    again = batches.running(desk.book, incubator)
    assert again is not None and again.band("humidity", desk.now_ms) == Band(25, 30)
    phase = phase_at(again.phases, 5.0)
    assert phase is not None and phase.title == "drier"
    assert interpret(without_stage(draft, 0), "°C").problems == {}
    with pytest.raises(UserError, match="follows this profile"):
        profiles.remove_profile(desk, 1)
    with pytest.raises(UserError, match="needs a name"):
        profiles.keep_profile(desk, OwnProfile(" ", "chicken", "", first.stages, 23.0))
    desk.undo()
    assert batches.running(desk.book, incubator).band("humidity", desk.now_ms) == Band(30, 40)  # type: ignore[union-attr]
    profiles.follow(desk, desk.book.records(Batch)[0], "lean", "down")
    assert batches.running(desk.book, incubator).day_text(desk.now_ms) == "16 days to go"  # type: ignore[union-attr]
    profiles.remove_profile(desk, 1)
    for _ in range(5):
        desk.undo()
    assert profiles.own_profiles(desk.book) == {}


@pytest.mark.parametrize(
    ("count", "said"),
    [
        ("from 0", {0.0: "day 0", 5.9: "day 5", 21.0: "day 21"}),
        ("from 1", {0.0: "day 1", 5.9: "day 6", 21.0: "day 22"}),
        ("down", {0.0: "21 to go", 5.9: "16 to go", 20.5: "1 to go", 21.0: "0 to go"}),
    ],
)
def test_days_are_numbered_as_the_keeper_counts(desk: Desk, count: str, said: dict[float, str]) -> None:
    made = setting_up.add_incubator(desk, "Cabinet", "forced")
    incubator = next(i for i in desk.book.incubators() if i.id == made)
    setting_up.set_batch(desk, incubator, "", "chicken", "steady", 12, desk.now_ms, count)  # type: ignore[arg-type]
    course = batches.running(desk.book, incubator)
    assert course is not None
    assert {day: course.day_words(day) for day in said} == said
    assert course.phase(course.at_ms(18.0)).name == "lockdown", "the count never moves the course"  # type: ignore[union-attr]


def test_batches_that_share_a_machine(desk: Desk) -> None:
    made = setting_up.add_incubator(desk, "Cabinet", "forced")
    incubator = next(i for i in desk.book.incubators() if i.id == made)

    def add(species: str, days_ago: float) -> int:
        at = desk.now_ms - round(days_ago * DAY_MS)
        return setting_up.set_batch(desk, incubator, "", species, "steady", 6, at)

    chicken = add("chicken", 10)
    add("duck", 10)
    said = " ".join(conflicts.sharing(desk.book, incubator))
    assert "Lockdown of 6 chicken eggs comes while turning and drier air are still due to 6 duck" in said
    desk.undo()
    add("duck", 10 + 7)
    assert conflicts.sharing(desk.book, incubator) == [], "both come to lockdown on one day"
    desk.undo()
    add("coturnix", 10 - 3)
    sheet = rounds.sheet(desk.book, incubator, batch_id=chicken)
    assert sheet.course is not None and sheet.course.species.key == "chicken"
    band = sheet.band("temperature")
    assert band is not None and (round(band.low, 2), round(band.high, 2)) == (37.3, 37.8)
    assert "suits all" in " ".join(conflicts.sharing(desk.book, incubator))
    desk.undo()
    add("leopard_gecko", 1)
    said = " ".join(conflicts.sharing(desk.book, incubator))
    assert "clutches must lie still" in said


def test_thin_air_is_told_of_where_it_is(desk: Desk) -> None:
    for metres, told in ((None, False), (900.0, False), (2400.0, True)):
        making.put_setting(desk, "altitude_m", "" if metres is None else f"{metres:g}")
        assert bool(profiles.thin_air(desk.book)) == told
    # ICAO's standard atmosphere: 756 hPa at 2,400 m
    assert "about 34 % more weight" in profiles.thin_air(desk.book)


@pytest.mark.parametrize(
    ("low", "high", "unit", "says"),
    [
        ("37", "37", "°C", "The temperature runs from low to high, within 20 to 42 °C."),
        ("19.9", "30", "°C", "within 20 to 42 °C"),
        ("37", "42.1", "°C", "within 20 to 42 °C"),
        ("60", "99", "°F", "The temperature runs from low to high, within 68 to 108 °F."),
        ("warm", "38", "°C", "The temperature runs from a number to a number."),
        ("", "", "°C", "Which temperatures?"),
        ("20", "42", "°C", ""),
        ("99F", "38C", "°C", ""),
    ],
)
def test_a_band_of_an_own_profile(low: str, high: str, unit: str, says: str) -> None:
    draft = draft_of(OwnProfile("x", "chicken", "", (Stage("setting", 0.0, Band(37.2, 37.8), None, ""),), 21.0), "°C")

    def problem(shown_in: str, **typed: str) -> str:
        row = replace(draft.rows[0], **typed)
        return interpret(replace(draft, rows=(row, *draft.rows[1:])), shown_in).problems.get(0, "")  # type: ignore[arg-type]

    found = problem(unit, heat_low=low, heat_high=high)
    assert says in found and bool(found) == bool(says)
    moist = problem("°C", heat_low="37", heat_high="38", moist_low="4", moist_high="50")
    assert "The humidity runs from low to high, within 5 to 100" in moist


def test_stages_left_out_and_days_that_do_not_follow() -> None:
    heat = Band(37.2, 37.8)
    stages = (
        Stage("setting", 0.0, heat, None, "dry"),
        Stage("incubation", 7.0, heat, None, "moist"),
        Stage("hatch", 18.0, Band(36.9, 37.4), None, ""),
    )
    draft = draft_of(OwnProfile("x", "chicken", "", stages, 23.0), "°C")
    # whatever comes first begins at day 0, and is otherwise what it was
    assert without_stage(draft, 0).rows == (replace(draft.rows[1], from_day="0"), draft.rows[2])
    assert without_stage(draft, 1).rows == (draft.rows[0], draft.rows[2])
    for last, says in (("18", "comes after the last stage, which begins at 18"), ("400.5", "a number such as 23"),
                       ("soon", "a number such as 23"), ("18.5", ""), ("400", "")):  # fmt: skip
        found = interpret(replace(draft, last_day=last), "°C")
        assert says in found.problems.get(-1, "") and (found.profile is None) == bool(says), last
    rows = (draft.rows[0], replace(draft.rows[1], from_day="0"), draft.rows[2])
    assert (
        "begins after the stage before it, which begins at 0" in interpret(replace(draft, rows=rows), "°C").problems[1]
    )
    assert interpret(replace(draft, rows=()), "°C").problems == {-1: "A profile has one stage or more."}
    assert interpret(replace(draft, name=" "), "°C").problems == {-1: "Give it a name."}
    late = (replace(draft.rows[0], from_day="1"), *draft.rows[1:])
    assert interpret(replace(draft, rows=late), "°C").problems == {0: "The first stage begins at day 0."}
