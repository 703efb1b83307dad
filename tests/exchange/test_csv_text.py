"""A line cut into cells: quotes, separators, and numbers that their decimal comma cut in two."""

from __future__ import annotations

import pytest

from stathmis.exchange.csv_text import Cut


@pytest.mark.parametrize(
    ("cut", "line", "cells"),
    [
        (Cut(";"), "a;b;;c", ["a", "b", "", "c"]),
        (Cut(",", quoted=True), '"1,5","say ""no""",x', ["1,5", 'say "no"', "x"]),
        # a quote that is never closed is a letter like any other
        (Cut(",", quoted=True), '"1,5,x', ["1", "5", "x"]),
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
