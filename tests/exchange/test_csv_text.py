"""A line cut into cells: quotes, separators, and numbers that their decimal comma cut in two."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from stathmis.exchange import csv_text
from stathmis.exchange.csv_text import CsvError, Cut, read_text, sampled


@pytest.mark.parametrize(
    ("cut", "line", "cells"),
    [
        (Cut(";"), "a;b;;c", ["a", "b", "", "c"]),
        (Cut(",", quoted=True), '"1,5","say ""no""",x', ["1,5", 'say "no"', "x"]),
        # a quote that is never closed is a letter like any other
        (Cut(",", quoted=True), '"1,5,x', ["1", "5", "x"]),
        # where quotes hold commas it may be half a number
        (Cut(",", quoted=True, holding=True), 't,"37,4', ["t", "37,4"]),
        (Cut(",", paired=True), "t,37,5,48,0", ["t", "37,5", "48,0"]),
        (Cut(",", paired=True), "t,-1,5,+48,25", ["t", "-1,5", "+48,25"]),
        # one without its value, and one with its unit
        (Cut(",", paired=True), "t,,,48,0", ["t", "", "48,0"]),
        (Cut(",", paired=True), "t,37,5 °C,48,0 % RH", ["t", "37,5 °C", "48,0 % RH"]),
        # where they do not all go in pairs nothing is joined
        (Cut(",", paired=True), "t,37,5,48", ["t", "37", "5", "48"]),
        (Cut(",", paired=True), "t,37,5,48,", ["t", "37", "5", "48", ""]),
        (Cut(",", paired=True), "t,37,5,,0", ["t", "37", "5", "", "0"]),
        (Cut(",", paired=True), "t,37.1,5", ["t", "37.1", "5"]),
        (Cut(",", paired=True), "t,37,1234", ["t", "37", "1234"]),
    ],
)
def test_cells(cut: Cut, line: str, cells: list[str]) -> None:
    assert cut.cells(line, 1) == cells


@pytest.mark.parametrize(
    "encoding", ["utf-8", "utf-8-sig", "cp1252", "utf-16", "utf-16-le", "utf-16-be", "be with its mark"]
)
def test_letters_of_any_logger(tmp_path: Path, encoding: str) -> None:
    text, path = "Zeit;Wärme °C\n" + "2026-05-14 06:00;37,5\n" * 40, tmp_path / "log.csv"
    content = b"\xfe\xff" + text.encode("utf-16-be") if encoding.startswith("be ") else text.encode(encoding)
    path.write_bytes(content)
    assert read_text(path)[0] == text
    assert [line for _, line in sampled(path)[0]][:2] == text.split("\n")[:2]


def test_what_is_no_text_is_said(tmp_path: Path) -> None:
    (tmp_path / "log.csv").write_bytes(bytes(range(256)) * 40)
    with pytest.raises(CsvError, match="not a text file"):
        read_text(tmp_path / "log.csv")


def test_a_large_file_is_sampled_from_everywhere(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whole lines only: the head by its numbers, then some from all of it."""
    rows = [f"2026-05-14 06:00;{n}" for n in range(2000)]
    path = tmp_path / "log.csv"
    path.write_text("\n".join(rows) + "\n", encoding="utf-8")
    for name, value in (("_HEAD", 400), ("_PART", 100), ("_PLACES", 20)):
        monkeypatch.setattr(csv_text, name, value)
    lines, encoding = sampled(path)
    head = [(number, line) for number, line in lines if number >= 0]
    assert encoding == "utf-8-sig" and head == list(enumerate(rows[: len(head)])) and 15 <= len(head) <= 20
    others = [line for number, line in lines if number == -1]
    places = [rows.index(line) for line in others]
    assert len(places) >= 40 and places == sorted(places) and max(np.diff(places)) < 120 and places[-1] > 1850
    small = tmp_path / "small.csv"
    small.write_text("\n".join(rows[:100]), encoding="utf-8")
    assert sampled(small) == (list(enumerate(rows[:100])), "utf-8-sig")
