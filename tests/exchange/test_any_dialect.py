"""Whatever way a logger writes its file, the same readings come out: property test over dialects."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stathmis.exchange.csv_layout import find_layout
from stathmis.exchange.logger_csv import read_table

WAYS = {
    "year first": "%Y-%m-%d %H:%M:%S",
    "year first, T": "%Y-%m-%dT%H:%M:%S",
    "day first": "%d.%m.%Y %H:%M",
    "day first, slashes": "%d/%m/%Y %H:%M:%S",
    "month first": "%m/%d/%Y %I:%M:%S %p",
    "utc": "%Y-%m-%dT%H:%M:%SZ",
}


@settings(max_examples=60)
@given(
    way=st.sampled_from(sorted(WAYS)),
    separator=st.sampled_from([",", ";", "\t"]),
    comma=st.booleans(),
    fahrenheit=st.booleans(),
    bom=st.booleans(),
    preamble=st.integers(0, 3),
    ending=st.sampled_from(["\n", "\r\n"]),
    zone=st.sampled_from(["UTC", "Europe/Berlin", "America/New_York"]),
    seed=st.integers(0, 10_000),
)
def test_the_same_readings_come_out(
    tmp_path_factory: pytest.TempPathFactory,
    way: str,
    separator: str,
    comma: bool,
    fahrenheit: bool,
    bom: bool,
    preamble: int,
    ending: str,
    zone: str,
    seed: int,
) -> None:
    comma = comma and separator != ","
    rng = np.random.default_rng(seed)
    # from the 14th on, so that day and month cannot be taken for each other; and away from clock changes
    start = datetime(2026, 5, 14, 6, 0, tzinfo=UTC) + timedelta(minutes=int(rng.integers(0, 1000)))
    stamps = [start + timedelta(minutes=int(m)) for m in np.cumsum(rng.integers(1, 30, 40))]
    celsius, humidity = np.round(rng.normal(37.5, 0.3, 40), 1), np.round(rng.normal(50, 4, 40), 1)
    shown = np.round(celsius * 1.8 + 32, 2) if fahrenheit else celsius
    local = UTC if way == "utc" else ZoneInfo(zone)

    def cell(value: float) -> str:
        text = f"{value:.2f}"
        return text.replace(".", ",") if comma else text

    lines = ["# made by a logger"] * preamble
    lines.append(separator.join(("Date and time", f"Temp ({'°F' if fahrenheit else '°C'})", "Humidity")))
    for at, t, h in zip(stamps, shown, humidity, strict=True):
        own = at.astimezone(local)
        # a logger's own letters, whatever the computer's language makes of %p
        form = WAYS[way].replace("%p", "AM" if own.hour < 12 else "PM")
        lines.append(separator.join((own.strftime(form), cell(t), cell(h))))
    path = tmp_path_factory.mktemp("csv") / "log.csv"
    path.write_bytes((ending.join(lines) + ending).encode("utf-8-sig" if bom else "utf-8"))

    layout = find_layout(path)
    assert layout.separator == separator
    assert layout.aware == (way == "utc")
    assert [c.looks_like for c in layout.columns] == ["time", "temperature", "humidity"]
    assert layout.columns[1].unit == ("°F" if fahrenheit else "°C")
    table = read_table(path, layout, (0,), (1, 2), layout.date_order, None if layout.aware else zone)
    assert table.faults.total == 0
    assert table.times_ms.tolist() == [int(s.timestamp() * 1000) for s in stamps]
    np.testing.assert_allclose(table.values[1], shown, atol=1e-9)
    np.testing.assert_allclose(table.values[2], humidity, atol=1e-9)
    assert table.lines.tolist() == list(range(preamble + 2, preamble + 42))


@settings(max_examples=150)
@given(st.binary(max_size=600))
def test_any_bytes_are_read_or_refused_in_words(tmp_path_factory: pytest.TempPathFactory, content: bytes) -> None:
    _read_or_refuse(tmp_path_factory.mktemp("any") / "x.csv", content)


@settings(max_examples=150)
@given(
    st.lists(
        st.lists(st.sampled_from(["2026-05-14 10:00", "37,5", "37.5", "", "hot", "48 %", "now", "99.5F", '"', "1e999"]),
                 min_size=1, max_size=5),
        min_size=1, max_size=8),
    st.sampled_from([",", ";", "\t"]),
)  # fmt: skip
def test_any_table_is_read_or_refused_in_words(
    tmp_path_factory: pytest.TempPathFactory, rows: list[list[str]], separator: str
) -> None:
    text = "\n".join(separator.join(row) for row in rows)
    _read_or_refuse(tmp_path_factory.mktemp("any") / "x.csv", text.encode())


def _read_or_refuse(path: Path, content: bytes) -> None:
    from stathmis.core.errors import UserError

    path.write_bytes(content)
    try:
        layout = find_layout(path)
        times = tuple(c.index for c in layout.columns if c.looks_like == "time")[:1]
        values = tuple(c.index for c in layout.columns if c.looks_like in ("temperature", "humidity"))
        if times and values:
            table = read_table(path, layout, times, values, layout.date_order, "UTC")
            assert np.isfinite(np.concatenate([v[~np.isnan(v)] for v in table.values.values()])).all()
            assert (table.times_ms > np.iinfo(np.int64).min).all()
    except UserError as error:
        assert error.what and error.to_do, "a refusal says what is wrong and what to do"
