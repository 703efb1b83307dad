"""The way of a batch: what its keeper says is what every page, task and record goes by."""

from __future__ import annotations

import json
from dataclasses import fields, replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from making import ANY_WAY, batch_late
from stathmis.core.course.profile import Band, OwnProfile, Stage
from stathmis.core.course.way import LIMITS, Way
from stathmis.core.errors import UserError
from stathmis.logbook.records import Batch, Event, Incubator, TaskMark
from stathmis.services import setting_up
from stathmis.services.batch import batches, profiles, ways
from stathmis.services.batch.course import Course, Learned, learned_in
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs import evidence, findings, pull, tray
from stathmis.services.plan import calendar, conflicts, lockdown, planning, preflight, tasks, turning, way_fields
from stathmis.services.plan.planning import Plan
from stathmis.words import hatch as hatch_words
from stathmis.words import turning as turning_words
from stathmis.words import way as way_words


def batch(desk: Desk, day: float, way: Way, *, species: str = "chicken", air: str = "forced") -> Course:
    made = setting_up.add_incubator(desk, "Box", air)
    setting_up.set_batch(
        desk, desk.book.one(Incubator, made), "eggs", species, "steady", 12, desk.now_ms - round(day * DAY_MS)
    )
    planning.change_way(desk, planning.plans(desk.book)[0], way)
    course = batches.running(desk.book, desk.book.one(Incubator, made))
    assert course is not None and course.way == way == plan(desk).way
    return course


def plan(desk: Desk) -> Plan:
    return planning.plans(desk.book)[0]


def turned(desk: Desk, course: Course, *hours_ago: float) -> None:
    for ago in hours_ago:
        row = {"incubator_id": course.incubator.id, "time_ms": desk.now_ms - round(ago * HOUR_MS), "kind": "turn"}
        desk.add("turned", [(Event, {**row, "note": "", "set_point_c": None})])


@given(ANY_WAY)
def test_a_way_is_kept_as_it_was(way: Way) -> None:
    assert ways.way_in(ways.way_text(way, Learned())) == way


HURT = st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=4) | st.lists(st.floats(), max_size=3)


@given(st.dictionaries(st.sampled_from([f.name for f in fields(Way)]), HURT))
def test_of_a_way_that_was_altered_only_what_can_be_is_read(kept: dict[str, object]) -> None:
    """As an archive may carry it: no cooling 0 times a day, no text where a number stands."""
    found = ways.way_in(json.dumps(kept))
    for name, limits in LIMITS.items():
        value = getattr(found, name)
        for number in value if isinstance(value, tuple) else () if value is None else (value,):
            assert limits.low <= number <= limits.high, name
    assert ways.way_in(ways.way_text(found, Learned())) == found


@pytest.mark.parametrize(("kept", "cooling"), [("null", ""), ("true", "by hand"), ("false", "none")])
def test_a_way_of_an_older_plan_is_read(kept: str, cooling: str) -> None:
    found = ways.way_in(f'{{"candling": "odd", "turning": "by hand", "cooling": {kept}, "later": 1}}')
    assert found == Way(turning="by hand", cooling=cooling)  # type: ignore[arg-type]


def test_turns_by_hand_as_often_as_meant(desk: Desk) -> None:
    course = batch(desk, 5.0, Way(turning="by hand", turns_a_day=16, longest_gap_h=2.0))
    turned(desk, course, 3.0, 0.5)
    words = turning_words.by_hand(desk.book, turning.turning(desk.book, course))
    assert "Turned 2 of 16 times today." in words and "even number" not in words and "That is too long." in words
    # from 7 to 22 in 15 parts: the third at 9
    (task,) = [t for t in tasks.today(desk.book) if t.step.startswith("turn")]
    assert desk.book.local(task.due_ms).strftime("%H:%M") == "09:00"
    three = replace(course, way=replace(course.way, turns_a_day=3))
    assert "of 3 times today, an even number: once more" in turning_words.by_hand(
        desk.book, turning.turning(desk.book, three)
    )


def test_the_longest_gap_that_is_no_fault_counts_in_the_review(desk: Desk) -> None:
    course = batch(desk, 22.0, Way(turning="by hand"))
    turned(desk, course, *range((22 - 18) * 24, 22 * 24, 8))
    found = []
    for longest in (4.0, 10.0):
        planning.change_way(desk, plan(desk), Way(turning="by hand", longest_gap_h=longest))
        kept = again(desk, course)
        found.append(evidence.evidence(desk.book, kept, tray.tray(desk.book, kept.batch), None)["turning_gap_h"].value)
    assert found == [pytest.approx(4.0), 0.0], "turned every 8 hours"


def again(desk: Desk, course: Course) -> Course:
    found = batches.course_by_id(desk.book, course.batch.id)
    assert found is not None
    return found


def test_cooled_as_often_and_as_long_as_meant(desk: Desk) -> None:
    course = batch(desk, 9.0, Way(cooling="by hand", coolings_a_day=2, cool_minutes=20.0, cool_from_day=9.0))
    (cool,) = [t for t in tasks.today(desk.book) if t.step.startswith("cool")]
    assert cool.title == "Cool and mist: 20 min"
    assert "20 min" in tasks.done(desk, cool)
    assert tasks.cooling_left_s(desk.book, course.incubator) == 20 * 60
    (after,) = [t for t in tasks.today(desk.book) if t.step.startswith("cool")]
    assert after.due_ms - desk.now_ms == 10 * HOUR_MS, "a little before half a day is over"
    for way in (Way(), Way(cooling="by machine"), Way(cooling="none"), Way(cooling="by hand", cool_from_day=10.0)):
        planning.change_way(desk, plan(desk), way)
        assert not [t for t in tasks.today(desk.book) if t.step.startswith("cool")], way


def test_candled_and_weighed_on_days_of_ones_own(desk: Desk) -> None:
    batch(desk, 1.0, Way(candling_days=(6.0, 10.0, 20.0), weigh_every_days=6.0, brooder_days=2.0))
    steps = {s.key: round((s.at_ms - plan(desk).set_ms) / DAY_MS) for s in plan(desk).steps}
    assert {k: d for k, d in steps.items() if k.startswith("candle")} == {"candle 1": 6, "candle 2": 10}
    assert [d for k, d in steps.items() if k.startswith("weigh")] == [0, 6, 12, 18]
    assert steps["brooder"] == 16


def test_what_is_held_in_still_air(desk: Desk) -> None:
    """Eggs held at 37.7 °C at their tops in still air (common practice of some keepers)."""
    course = batch(desk, 3.0, Way(still_offset_k=0.2), air="still")
    band = course.band("temperature", desk.now_ms)
    assert band is not None and band.middle == pytest.approx(37.7) and course.held_c(desk.now_ms) == pytest.approx(37.5)
    assert course.still_offset_k == 0.2
    setting_up.set_batch(desk, course.incubator, "next", "chicken", "steady", 3, desk.now_ms)
    usual = preflight.preflight(desk.book, replace(plan(desk), batch=None))
    assert usual.findings, "the machine is judged by the same way"


def test_fed_within_the_hours_of_ones_own(desk: Desk) -> None:
    course = batch(desk, 21.0, Way(feed_limit_h=36.0))
    for kind, ago in (("external pip", 30), ("out", 13)):
        findings.log_count(desk, course, kind, 1, desk.now_ms - ago * HOUR_MS)
    found = pull.take_off(desk.book, again(desk, course), tray.tray(desk.book, course.batch))
    assert found.fed_by_ms == desk.now_ms + (36 - 13) * HOUR_MS


@pytest.mark.parametrize(
    ("counter", "said"),
    [
        (None, ""), (18.2, ""),
        (16.0, "The machine's counter stops turning on Fri, 2 days early: set it to day 18."),
        (19.0, "The machine's counter stops turning on Mon, 1 day late: set it to day 18."),
    ],
)  # fmt: skip
def test_the_machines_own_counter(desk: Desk, counter: float | None, said: str) -> None:
    course = batch(desk, 12.0, Way(counter_day=counter))
    assert turning_words.counter(desk.book, course) == said
    by_hand = replace(course, way=Way(turning="by hand", counter_day=counter))
    assert turning_words.counter(desk.book, by_hand) == ""


@pytest.mark.parametrize(
    ("name", "text", "value"),
    [
        ("turns_a_day", "3", 3), ("longest_gap_h", "7,5", 7.5), ("counter_day", "", None), ("counter_day", "19", 18.0),
        ("candling_days", "7, 14", (6.0, 13.0)), ("candling_days", "7,14", (6.0, 13.0)), ("candling_days", " ", ()),
        ("candling_days", "14; 7.5 14", (6.5, 13.0)), ("cool_from_day", "8", 7.0), ("weigh_every_days", "3", 3.0),
        ("still_offset_k", "0.9", 0.5), ("still_offset_k", "", None), ("feed_limit_h", "48", 48.0),
    ],
)  # fmt: skip
def test_a_field_is_read_and_shown_as_typed(desk: Desk, name: str, text: str, value: object) -> None:
    """Days as the batch counts them (its first is day 1), a difference in °F."""
    course = batch(desk, 3.0, Way(), air="still")
    with desk.edit("counted") as edit:
        edit.change(Batch, course.batch.id, day_count="from 1")
    for _again in range(2):
        way = way_fields.typed(plan(desk), name, text, "°F")
        assert getattr(way, name) == (pytest.approx(value) if value not in (None, ()) else value)
        text = way_fields.shown(replace(plan(desk), way=way), name, "°F")


def test_no_weighing_is_an_empty_field(desk: Desk) -> None:
    batch(desk, 3.0, Way())
    way = way_fields.typed(plan(desk), "weigh_every_days", "", "°C")
    assert not way.weighing and way_fields.shown(replace(plan(desk), way=way), "weigh_every_days", "°C") == ""
    assert way_fields.typed(replace(plan(desk), way=way), "weigh_every_days", "5", "°C").weighing


@pytest.mark.parametrize("name", sorted(way_fields.ASKED))
@pytest.mark.parametrize("text", ["many", "-1", "1e9", "nan"])
def test_what_cannot_be_is_said(desk: Desk, name: str, text: str) -> None:
    batch(desk, 3.0, Way())
    with pytest.raises(UserError):
        way_fields.typed(plan(desk), name, text, "°C")


def test_no_bird_is_held_as_a_reptile(desk: Desk) -> None:
    batch(desk, 3.0, Way())
    with pytest.raises(UserError, match="from 33 to 40"):
        way_fields.typed(plan(desk), "set_c", "27.5", "°C")
    with pytest.raises(UserError, match="from 91 to 104"):
        way_fields.typed(plan(desk), "set_c", "80", "°F")
    assert way_fields.typed(plan(desk), "set_c", "100F", "°C").set_c == pytest.approx(37.78, abs=0.01)


@pytest.mark.parametrize("learned", ['{"term_ratio": [0, 0.1]}', '{"term_days": -3}', '{"term_ratio": [1.1, 9]}'])
def test_what_was_learned_and_altered_by_hand_is_not_believed(learned: str) -> None:
    assert learned_in(f'{{"learned": {learned}}}') == Learned()


def test_every_part_of_a_way_can_be_said() -> None:
    before_setting = {"posted", "collecting_days"}
    chosen = set(way_words.choices())
    assert {f.name for f in fields(Way)} == set(way_fields.ASKED) | chosen | before_setting | {"weighing", "box"}


@pytest.mark.parametrize(
    ("way", "ticked", "left"),
    [
        (Way(), (), ("turner", "liner", "brooder")),
        (Way(), ("lockdown/turner", "lockdown/liner"), ("brooder",)),
        (Way(), ("lockdown/turner", "brooder warm"), ("liner",)),
        (Way(turning="by hand"), ("lockdown/brooder",), ("liner",)),
        (Way(), ("lockdown",), ()),
    ],
)
def test_what_is_forgotten_at_the_first_pip(
    desk: Desk, way: Way, ticked: tuple[str, ...], left: tuple[str, ...]
) -> None:
    batch(desk, 20.0, way)
    for step in ticked:
        row = {"subject": plan(desk).subject, "step": step, "state": "done", "at_ms": desk.now_ms, "why": ""}
        desk.add("ticked", [(TaskMark, row)])
    assert lockdown.forgotten(desk.book, plan(desk)) == left
    said = hatch_words.forgotten(left)
    assert ("turner still in" in said, "liner" in said, "brooder" in said) == tuple(
        k in left for k in lockdown.FORGOTTEN
    )


@pytest.mark.parametrize(
    ("species", "school", "says"),
    [
        ("duck", "lean", "drier than most keep these eggs (50–55 % RH)"), ("chicken", "lean", ""),
        ("emu", "moist", "moister than most keep these eggs"), ("duck", "steady", ""), ("duck", "waterfowl", ""),
    ],
)  # fmt: skip
def test_a_school_that_is_not_meant_for_a_species_says_so(desk: Desk, species: str, school: str, says: str) -> None:
    found = next(c for c in profiles.choices(desk.book, species) if c.key == school)
    assert (says in found.warning) if says else found.warning == ""


@pytest.mark.parametrize(
    ("school", "wanted"), [("steady", "65–75 % RH"), ("lean", "60–70 % RH"), ("own", "61–66 % RH")]
)
def test_the_lockdown_run_asks_what_the_batch_follows(desk: Desk, school: str, wanted: str) -> None:
    course = batch(desk, 17.6, Way())
    if school == "own":
        stages = (
            Stage("setting", 0.0, Band(37.3, 37.9), Band(40.0, 50.0)),
            Stage("lockdown", 18.0, Band(37.0, 37.6), Band(61.0, 66.0)),
        )
        school = f"own {profiles.keep_profile(desk, OwnProfile('Mine', 'chicken', '', stages, 23.0))}"
    profiles.follow(desk, course.batch, school, "from 0")
    run = lockdown.run(desk.book, plan(desk))
    assert wanted in next(s.how for s in run.steps if s.key == "ramp")


def test_what_batches_of_one_machine_want_is_what_round_holds(desk: Desk) -> None:
    course = batch(desk, 3.0, Way(still_offset_k=0.5), air="still")
    band = course.band("temperature", desk.now_ms)
    assert band is not None and planning.phases(desk.book, plan(desk))[0].temperature_c == band
    setting_up.set_batch(desk, course.incubator, "emus", "emu", "steady", 2, desk.now_ms - DAY_MS)
    words = " ".join(c.text for c in conflicts.conflicts(desk.book, planning.plans(desk.book)))
    assert f"{band.low:.1f}–{band.high:.1f} °C" in words


def test_a_tick_stays_ticked_and_the_phone_keeps_its_entries_when_the_way_changes(desk: Desk) -> None:
    """A batch set without a plan gets a record of one with the first change of its way."""
    made = setting_up.add_incubator(desk, "Box", "forced")
    machine = desk.book.one(Incubator, made)
    setting_up.set_batch(desk, machine, "eggs", "chicken", "steady", 12, desk.now_ms - 17 * DAY_MS)
    (brooder,) = [t for t in tasks.tasks_of(desk.book, plan(desk)) if t.step == "brooder"]
    tasks.done(desk, brooder)
    before = {e.uid for e in calendar.entries(desk.book, [plan(desk)], "x")}
    planning.change_way(desk, plan(desk), Way(feed_limit_h=36.0))
    states = {t.step: t.state for t in tasks.tasks_of(desk.book, plan(desk))}
    assert states["brooder"] == "done"
    assert {e.uid for e in calendar.entries(desk.book, [plan(desk)], "x")} == before


def test_a_new_plan_starts_with_the_usual_way_of_its_species(desk: Desk) -> None:
    course = batch(desk, 9.0, Way(cooling="by hand", turns_a_day=7, turning="by hand"), species="duck")

    def planned(species: str, days: float) -> Way:
        made = planning.add_plan(desk, course.incubator, species, "steady", 6, desk.now_ms + round(days * DAY_MS))
        return next(p.way for p in planning.plans(desk.book) if p.stored is not None and p.stored.id == made)

    assert planned("duck", 1.0) == course.way
    hens = planned("chicken", 2.0)
    assert (hens.cooling, hens.turns_a_day, hens.turning) == ("", 7, "by hand"), "hens are not cooled as ducks are"
    own = next(p for p in planning.plans(desk.book) if p.species.key == "chicken")
    planning.change_way(desk, own, replace(own.way, turns_a_day=3))
    assert planned("chicken", 3.0).turns_a_day == 3 and again(desk, course).way.turns_a_day == 7


def test_what_is_planned_later_changes_no_batch_that_has_no_plan(desk: Desk) -> None:
    course = batch_late(desk, 5.0)
    before = again(desk, course).way
    made = planning.add_plan(desk, course.incubator, "chicken", "steady", 6, desk.now_ms + DAY_MS)
    own = next(p for p in planning.plans(desk.book) if p.stored is not None and p.stored.id == made)
    planning.change_way(desk, own, Way(turning="by hand", cooling="by hand"))
    assert again(desk, course).way == before == Way()
