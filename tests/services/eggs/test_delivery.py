"""Eggs as they came, and weak chicks: noted, and counted where a hatch is reviewed."""

from __future__ import annotations

import pytest

from making import batch_late, mend
from stathmis.core.errors import UserError
from stathmis.core.hatch import review as core
from stathmis.core.hatch.hatch_stats import Tally
from stathmis.core.hatch.review import Measured
from stathmis.logbook.records import Batch, Delivery
from stathmis.services import setting_up
from stathmis.services.batch import batches
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs import delivery, findings, pull, review
from stathmis.services.plan import planning
from stathmis.services.plan.planning import Plan
from stathmis.words import delivery as words


def plan(desk: Desk) -> Plan:
    return planning.plans(desk.book)[0]


def noted(desk: Desk, **texts: str) -> Delivery:
    for name, text in texts.items():
        delivery.note(desk, plan(desk), name, text)
    found = delivery.delivery_of(desk.book, plan(desk))
    assert found is not None
    return found


def test_a_name_is_told_as_the_keeper_wrote_it(desk: Desk) -> None:
    course = batch_late(desk, 1.0)
    mend(desk, Batch, course.batch.id, name="Spring Set A")
    assert delivery.note(desk, plan(desk), "cracked", "2") == "Eggs of Spring Set A as they came."


def test_what_came_is_kept_field_by_field(desk: Desk) -> None:
    batch_late(desk, 1.0)
    assert (
        delivery.delivery_of(desk.book, plan(desk)) is None
        and delivery.shown(desk.book, plan(desk), "dirty", "°C") == ""
    )
    found = noted(desk, cracked="2", dirty="1", source="the neighbor", kept_c="59F", rested_h="18")
    assert (found.received, found.cracked, found.dirty, found.odd, found.source) == (12, 2, 1, 0, "the neighbor")
    assert (found.kept_c, found.rested_h) == (15.0, 18.0) and delivery.poor_share(found) == 0.25
    assert len(desk.book.records(Delivery)) == 1
    shown = {name: delivery.shown(desk.book, plan(desk), name, "°F") for name in delivery.FIELDS}
    assert shown == {
        "received": "12", "cracked": "2", "dirty": "1", "odd": "", "inked": "", "source": "the neighbor",
        "kept_c": "59", "rested_h": "18",
    }  # fmt: skip
    assert noted(desk, kept_c="", received="", cracked="").cracked == 0
    desk.undo()
    assert delivery.delivery_of(desk.book, plan(desk)).cracked == 2  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("name", "text", "says"),
    [
        ("cracked", "13", "12 eggs came."), ("cracked", "some", "is no count"), ("received", "0", "is no count"),
        ("kept_c", "50", "no temperature of a store"), ("kept_c", "cool", "is no number"),
        ("rested_h", "97", "up to four days"), ("rested_h", "-1", "up to four days"),
    ],
)  # fmt: skip
def test_what_cannot_have_come_is_said(desk: Desk, name: str, text: str, says: str) -> None:
    batch_late(desk, 1.0)
    with pytest.raises(UserError, match=says):
        delivery.note(desk, plan(desk), name, text)
    assert delivery.delivery_of(desk.book, plan(desk)) is None


@pytest.mark.parametrize(
    ("texts", "stored", "says", "silent"),
    [
        ({"received": "20", "cracked": "2", "odd": "3"}, 5.0, ["20 eggs came, 12 set; 2 cracked, 3 odd: 25 %"], "Kept"),
        ({"kept_c": "21"}, 5.0, ["Kept at 21.0 °C: germs begin to grow"], "too cold"),
        ({"kept_c": "4"}, 5.0, ["Kept at 4.0 °C: too cold a store"], "in the warm"),
        ({"kept_c": "14", "rested_h": "24"}, 7.0, ["12 eggs came, 12 set."], "Kept"),
        ({"rested_h": "6"}, None, ["They rested 6 h"], "Kept"),
        ({"source": "a fair"}, 12.0, ["came from a fair", "Kept 12 days: that alone costs about 7 to 16"], "poor"),
    ],
)  # fmt: skip
def test_the_dealers_share_and_the_stores(
    desk: Desk, texts: dict[str, str], stored: float | None, says: list[str], silent: str
) -> None:
    batch_late(desk, 1.0)
    said = " ".join(words.share(noted(desk, **texts), stored, 12, "°C"))
    assert all(part in said for part in says) and silent not in said


def test_poor_eggs_and_weak_chicks_stand_in_the_review(desk: Desk) -> None:
    course = batch_late(desk, 23.0, eggs=24)
    noted(desk, received="24", cracked="6", inked="4")
    now = desk.now_ms
    for kind, n, ago in (("clear", 3, 16), ("early dead", 7, 10), ("out", 12, 2)):
        findings.log_count(desk, course, kind, n, now - ago * DAY_MS)
    pull.take(desk, course, 12, now - DAY_MS, weak={"weak": 2, "splayed legs": 1})
    setting_up.end_batch(desk, course.batch)
    ended = batches.course_by_id(desk.book, course.batch.id)
    assert ended is not None
    found = review.batch_review(desk.book, ended)
    assert found.weak == {"weak": 2, "splayed legs": 1} and found.evidence["poor_share"].value == pytest.approx(10 / 24)
    assert found.weighed is not None and found.weighed.weighed[0].cause.key == "poor eggs"
    said = " ".join(review.lines(desk.book, found))
    assert "24 eggs came, 24 set; 6 cracked, 4 inked: 42 % were poor" in said
    assert "Of 12 that came out: weak 2, splayed legs 1 (25 %). Splayed legs: a smooth floor" in said
    assert "42 % cracked, dirty, odd or inked (for it)" in said


TALLY = Tally(40, clear=5, early_dead=3, late_dead=4, pipped_dead=3, hatched=25)


def test_poor_eggs_are_no_cause_where_nothing_was_noted() -> None:
    assert "poor eggs" not in {w.cause.key for w in core.review(TALLY, {}).weighed}
    assert "poor eggs" in {w.cause.key for w in core.review(TALLY, {"poor_share": Measured(0.0, 0.02)}).weighed}


def test_weak_chicks_speak_for_what_weakens_them() -> None:
    weights = [{w.cause.key: w.weight for w in core.review(TALLY, {}, weak=weak).weighed} for weak in (0, 8)]
    for key in ("temperature low", "temperature high", "swings"):
        assert weights[1][key] > weights[0][key]
    assert weights[1]["old eggs"] < weights[0]["old eggs"]
