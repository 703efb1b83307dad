"""Reports: what stands in them is what the pages say; the web page is whole by itself, the PDF opens."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from concurrent.futures import CancelledError
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtWidgets import QApplication

from stathmis.core.errors import UserError
from stathmis.core.hatch.hatch_stats import rate
from stathmis.exchange.report_page import Drawing, Heading, Report, Table, Words, html_of, plain, write_html
from stathmis.logbook.records import Batch
from stathmis.services import setting_up
from stathmis.services.batch import batches
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs import review, tray
from stathmis.services.eggs.outcome import rate_words
from stathmis.services.report import season_report as seasons
from stathmis.services.report.batch_report import batch_report
from stathmis.services.report.drawing import Stretch, rate_bars, run_chart, ticks


def course_named(desk: Desk, part: str) -> Course:
    batch = next(b for b in desk.book.records(Batch) if part in b.name)
    found = batches.course_by_id(desk.book, batch.id)
    assert found is not None
    return found


class Tags(HTMLParser):
    """All tags in order, and what they point to."""

    def __init__(self) -> None:
        super().__init__()
        self.open: list[str] = []
        self.links: list[str] = []
        self.wrong: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.links += [v or "" for k, v in attrs if k in ("src", "href")]
        if tag != "meta":
            self.open.append(tag)

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.links += [v or "" for k, v in attrs if k in ("src", "href")]

    def handle_endtag(self, tag: str) -> None:
        if not self.open or self.open.pop() != tag:
            self.wrong.append(tag)


def test_the_report_of_an_ended_batch_says_what_the_pages_say(demo: Desk, tmp_path: Path) -> None:
    course = course_named(demo, "partridge, first set")
    report = batch_report(demo.book, course)
    words = plain(report.blocks)
    sheet = tray.tray(demo.book, course.batch)
    assert rate_words(sheet.tally.hatch_of_set) in words and "15 of 26, 58 % (39 to 74 %)" in words
    found = review.batch_review(demo.book, course)
    for line in (*review.lines(demo.book, found), review.change(demo.book, found)):
        assert line in words
    headings = [b.text for b in report.blocks if isinstance(b, Heading)]
    assert headings[:3] == ["What came of it", "Review", "Course"] and headings[-1] == "Instruments"
    assert "Opened after the hatch" in headings and "yolk not drawn in" in words and "to brooder 1" in words
    assert sum(isinstance(b, Drawing) for b in report.blocks) == 3
    assert "Shelf logger" in words and "calibration, " in words and "not veterinary advice" in words
    assert "None" not in words and "nan" not in words
    write_html(report, tmp_path / "r.html")
    text = (tmp_path / "r.html").read_text(encoding="utf-8")
    tags = Tags()
    tags.feed(text)
    assert not tags.wrong and not tags.open, "every tag is closed"
    assert not tags.links and "http" not in text.replace("http://www.w3.org/2000/svg", ""), "nothing is fetched"


@pytest.mark.parametrize("part", ["partridge, set A", "18 guinea", "fowl, first set"])
def test_any_batch_has_a_report_in_either_unit(demo: Desk, part: str) -> None:
    course = course_named(demo, part)
    for unit in ("°C", "°F"):
        demo.set_temperature_unit(unit)  # type: ignore[assignment]
        report = batch_report(demo.book, course)
        words = plain(report.blocks)
        assert "nan" not in words and "None" not in words
        temperatures = "\n".join(line for line in words.splitlines() if "°" in line)
        if part != "fowl, first set":
            assert unit in temperatures
        assert ("°C" if unit == "°F" else "°F") not in temperatures


def test_a_season_compares_without_ranking_chance(demo: Desk) -> None:
    assert seasons.seasons(demo.book) == [2026, 2025]
    seen: list[float] = []
    report = seasons.season_report(demo.book, 2025, seen.append)
    words = plain(report.blocks)
    assert report.title == "Season 2025" and seen == [0.5, 1.0]
    assert "2 batches with 46 eggs set; the end of 2 is known." in words and "27 of 46" in words
    assert "By machine" in words and "1. Old still box" in words and "1. North cabinet" in words, "a place is shared"
    assert "temperature was low" in words and "Instruments checked" in words
    with pytest.raises(CancelledError):
        seasons.season_report(demo.book, 2025, cancelled=lambda: True)
    empty = plain(seasons.season_report(demo.book, 1999).blocks)
    assert "0 batches with 0 eggs set" in empty


def test_an_empty_batch_has_a_report_too(desk: Desk) -> None:
    made = setting_up.add_incubator(desk, "Box <b>", "forced")
    box = next(i for i in desk.book.incubators() if i.id == made)
    setting_up.set_batch(desk, box, "Eggs & <friends>", "chicken", "steady", 3, desk.now_ms)
    course = batches.running(desk.book, box)
    assert course is not None
    report = batch_report(desk.book, course)
    assert "No temperature was read." in plain(report.blocks)
    text = html_of(report)
    assert "Eggs &amp; &lt;friends&gt;" in text and "<b>" not in text and "<friends>" not in text


def test_the_pdf_is_whole_or_not_there(demo: Desk, qapp: QApplication, tmp_path: Path) -> None:
    from stathmis.ui.report_pdf import write_pdf

    report = batch_report(demo.book, course_named(demo, "partridge, set A"))
    pages = write_pdf(report, tmp_path / "r.pdf")
    raw = (tmp_path / "r.pdf").read_bytes()
    assert raw.startswith(b"%PDF") and raw.rstrip().endswith(b"%%EOF")
    assert len(re.findall(rb"/Type\s*/Page\b", raw)) == pages >= 2
    long = Report("Long", "", (Table(("n", "word"), tuple((str(i), "x" * 60) for i in range(400)), numbers=(0,)),))
    assert write_pdf(long, tmp_path / "long.pdf") >= 6, "a table goes on over pages"
    tall = Report("Tall", "", (Words("word " * 3000), Table((), (("one", "word " * 2500),))))
    assert write_pdf(tall, tmp_path / "tall.pdf") >= 6, "what is higher than a page goes on over pages"
    (tmp_path / "gone").write_text("a file, not a folder")
    for write in (write_pdf, write_html):
        with pytest.raises(UserError, match="cannot be written"):
            write(report, tmp_path / "gone" / "r.pdf")
    assert sorted(p.name for p in tmp_path.glob("*.part")) == []


numbers = st.floats(-1e3, 1e3).map(lambda v: round(v, 3))


@given(st.lists(st.tuples(st.floats(0, 30), numbers, st.floats(0, 5)), max_size=60), st.floats(0.01, 5))
def test_any_run_can_be_drawn_within_its_frame(rows: list[tuple[float, float, float]], gap: float) -> None:
    days, values, wide = (np.array([r[i] for r in sorted(rows)]) for i in range(3))
    bands = [Stretch(0.0, 18.0, 37.2, 37.8), Stretch(18.0, 21.0, 37.0, 37.6)]
    drawn = run_chart(days, values, wide, bands, "°C", "#000000", "a & b", (0.0, 30.0), gap)
    root = ET.fromstring(drawn.svg)
    points = [tuple(map(float, p.split(","))) for shape in root.iter() for p in (shape.get("points") or "").split()]
    assert all(0.0 <= x <= drawn.width and 0.0 <= y <= drawn.height for x, y in points)
    if rows:
        assert points, "what was read is drawn"


def test_a_gap_breaks_the_line_and_bars_carry_their_interval() -> None:
    days = np.concatenate([np.linspace(0, 2, 100), np.linspace(5, 7, 100)])
    drawn = run_chart(days, np.full(200, 37.5), np.full(200, 0.1), [], "°C", "#000000", "w", (0.0, 7.0), 0.1)
    assert drawn.svg.count("<polyline") == 2
    bars = rate_bars((("a", rate(9, 12)), ("b", rate(0, 0))), "#000000", "w")
    assert bars.svg.count("<circle") == 1, "no eggs, no mark"
    assert [t for _, t in ticks(-0.2, 0.2)] == ["−0.2", "−0.1", "0.0", "0.1", "0.2"]
