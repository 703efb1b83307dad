"""What probes send, whole and broken: nothing stops the reading, nothing wrong is read."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stathmis.devices.line_protocol import LONGEST_LINE, NO_TEXT, LineSplitter, guess_layout, values_in


@pytest.mark.parametrize(
    ("line", "layout", "values"),
    [
        ("t=37.52 rh=48.1", "named", {"t": 37.52, "rh": 48.1}),
        ("temp: 37,5; hum: 48", "named", {"temp": 37.5, "hum": 48.0}),
        ("37.52;48.1", "columns", {"1": 37.52, "2": 48.1}),
        ("37,52;48,1", "columns", {"1": 37.52, "2": 48.1}),
        ("37.52, 48.1", "columns", {"1": 37.52, "2": 48.1}),
        ("37,52 48,10", "columns", {"1": 37.52, "2": 48.1}),
        ("37, 48", "columns", {"1": 37.0, "2": 48.0}),
        # one number or two: not understood rather than misread
        ("37,52", "columns", {}),
        ("37,52,48,10", "columns", {}),
        ("A1 37.52\t48.1", "columns", {"2": 48.1}),
        ("37.52 48.1", "columns", {"1": 37.52, "2": 48.1}),
        ('{"t": 37.52, "ok": true, "name": "x", "rh": 48}', "json", {"t": 37.52, "rh": 48.0}),
        ('{"t": NaN}', "json", {}),
        ('{"t": 37', "json", {}),
        ('{"t": ' + "9" * 400 + ', "rh": 48}', "json", {"rh": 48.0}),
        ("[" * 1000, "json", {}),
        ("hello", "named", {}),
        ("ERR 12 no sensor", "named", {}),
        ("t=", "named", {}),
        ("", "columns", {}),
        ("1e999;2", "columns", {"2": 2.0}),
    ],
)
def test_lines(line: str, layout: str, values: dict[str, float]) -> None:
    assert values_in(line, layout) == values  # type: ignore[arg-type]


def test_the_layout_is_guessed_from_a_line() -> None:
    assert guess_layout('{"t": 1}') == "json"
    assert guess_layout("t=1 rh=2") == "named"
    assert guess_layout("1.0;2.0") == "columns"
    assert guess_layout("ready.") is None


@given(st.binary(max_size=300), st.sampled_from(["named", "columns", "json"]))
def test_any_bytes_are_survived(data: bytes, layout: str) -> None:
    splitter = LineSplitter()
    for line in splitter.feed(data + b"\n"):
        for value in values_in(line, layout).values():  # type: ignore[arg-type]
            assert value == value and abs(value) != float("inf")


@given(
    st.lists(st.tuples(st.floats(-50, 150), st.floats(0, 100)), min_size=1, max_size=20),
    st.lists(st.integers(1, 40), min_size=1, max_size=60),
    st.sampled_from(["named", "columns", "json"]),
)
def test_lines_in_any_pieces_come_out_whole(pairs: list[tuple[float, float]], sizes: list[int], layout: str) -> None:
    made = {
        "named": lambda t, h: f"t={t!r} rh={h!r}",
        "columns": lambda t, h: f"{t!r};{h!r}",
        "json": lambda t, h: json.dumps({"t": t, "rh": h}),
    }[layout]
    data = "".join(made(*p) + "\r\n" for p in pairs).encode()
    splitter, lines, at, i = LineSplitter(), [], 0, 0
    while at < len(data):
        size = sizes[i % len(sizes)]
        lines += splitter.feed(data[at : at + size])
        at, i = at + size, i + 1
    assert [tuple(values_in(line, layout).values()) for line in lines] == pairs  # type: ignore[arg-type]


def test_an_endless_line_is_dropped_and_the_next_is_read() -> None:
    splitter = LineSplitter()
    assert splitter.feed(b"x" * (LONGEST_LINE + 10)) == []
    assert splitter.feed(b"more of it\nt=1\n") == [NO_TEXT, "t=1"], "dropped, but counted"
    splitter.feed(b"t=3")
    assert splitter.waiting == 3
