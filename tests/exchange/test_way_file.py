"""A way as a file: what is otherwise than usual, read back the same, and every fault named."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given

from making import ANY_WAY
from stathmis.core.course.way import Way
from stathmis.exchange.way_file import PassedOn, WayFileError, parse_way, read_way, way_text


@given(ANY_WAY)
def test_what_is_written_is_read_back(way: Way) -> None:
    assert parse_way(way_text(PassedOn("duck", way))) == PassedOn("duck", way)


def test_only_what_is_otherwise_is_written() -> None:
    assert way_text(PassedOn("duck", Way(turns_a_day=3))).split("\n\n")[1].strip() == "[way]\nturns_a_day = 3"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "it does not say so"), ("stathmis_way = 2", "newer Stathmis"), ("stathmis_way = true", "newer Stathmis"),
        ("stathmis_way = 1\nway = 3", "no table"), ("stathmis_way = 1\n[way]\nhabit = 1", "habit is not known"),
        ("stathmis_way = 1\n[way]\nset_c = 99\nturning = 'seldom'", "set_c cannot be 99; turning cannot be 'seldom'"),
        ("stathmis_way = 1\n[way]\nsetting_rh = [60, 40]", "setting_rh cannot be"), ("[[[", "This is no way"),
        ("stathmis_way = 1\n[way]\nweighing = 1", "weighing cannot be 1"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_named(text: str, says: str, tmp_path: Path) -> None:
    path = tmp_path / "x.toml"
    path.write_text(text, encoding="utf-8")
    with pytest.raises(WayFileError, match=says):
        read_way(path)


def test_what_is_no_file_of_ours(tmp_path: Path) -> None:
    path = tmp_path / "x.toml"
    for content, says in ((b"\xff\xfe\x00", "no text file"), (b"#" * 300_000, "too large")):
        path.write_bytes(content)
        with pytest.raises(WayFileError, match=says):
            read_way(path)
