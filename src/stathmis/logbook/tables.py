"""Tables of the logbook file, each declared once: by the data class of its rows.

From that declaration follow the table, its loading, the archive and the shape a migrated file must have. Fields become
columns: a name that ends in a table's name and "_id" points there, a default of the class is the column's, a Literal or
a Rule is checked by the database. Every kept record also has withdrawn_ms (UTC ms; undone, struck or taken away: it
does not count). docs/file-format.md describes the tables for anyone who reads the file with other tools.
"""

from __future__ import annotations

import types
from collections.abc import Callable, Iterator, Sequence
from dataclasses import MISSING, dataclass, fields
from functools import cached_property
from typing import Annotated, Any, Literal, TypeVar, Union, get_args, get_origin, get_type_hints

APPLICATION_ID = 0x53544D53
"""Marks the file as a logbook ("STMS")."""
SCHEMA_VERSION = 12

Kind = TypeVar("Kind", bound=type)


@dataclass(frozen=True)
class Rule:
    """What the database checks of a column, such as "> 0"."""

    text: str


Positive = Annotated[int, Rule("> 0")]
PositiveReal = Annotated[float, Rule("> 0")]


@dataclass(frozen=True)
class Column:
    """A column: its type in SQL, whether it may be empty, its default, what is checked, the table it points to."""

    name: str
    type: Literal["INTEGER", "FLOAT", "VARCHAR", "BOOLEAN", "BLOB"]
    null: bool = False
    default: Any = None
    check: str = ""
    to: str = ""

    @property
    def sql(self) -> str:
        """As it stands in CREATE TABLE."""
        if self.name == "id":
            return "id INTEGER NOT NULL PRIMARY KEY"
        parts = [f'"{self.name}"', self.type]
        if not self.null:
            parts.append("NOT NULL")
        if self.default is not None:
            parts.append(f"DEFAULT {self.default!r}")
        if self.check:
            parts.append(f"CHECK ({self.check})")
        if self.to:
            parts.append(f'REFERENCES "{self.to}" (id)')
        return " ".join(parts)


@dataclass(frozen=True)
class Table:
    """A table of the file; kind: the data class of its rows, None where rows are not handed out one by one."""

    name: str
    columns: tuple[Column, ...]
    kind: type | None = None
    index: tuple[str, ...] = ()
    key: str = "id"

    @property
    def names(self) -> tuple[str, ...]:
        """All columns."""
        return tuple(c.name for c in self.columns)

    @property
    def create(self) -> tuple[str, ...]:
        """The statements that make it."""
        inside = ", ".join(
            c.sql if c.name != self.key or self.key == "id" else f"{c.sql} PRIMARY KEY" for c in self.columns
        )
        made = [f'CREATE TABLE "{self.name}" ({inside})']
        if self.index:
            made.append(
                f'CREATE INDEX "{self.name}_by_{self.index[0].removesuffix("_id")}" ON "{self.name}" '
                f"({', '.join(self.index)})"
            )
        return tuple(made)

    @cached_property
    def field_names(self) -> tuple[str, ...]:
        """The columns that are fields of the rows' class."""
        assert self.kind is not None
        return tuple(f.name for f in fields(self.kind))

    @cached_property
    def select(self) -> str:
        """All fields of rows that count, oldest first; more conditions can be put after it."""
        return f'SELECT {quoted(self.field_names)} FROM "{self.name}" WHERE withdrawn_ms IS NULL'

    def insert(self, names: Sequence[str]) -> str:
        """The statement that adds a row with these columns."""
        return f'INSERT INTO "{self.name}" ({quoted(names)}) VALUES ({", ".join("?" * len(names))})'


def quoted(names: Sequence[str]) -> str:
    """Column names for a statement."""
    return ", ".join(f'"{n}"' for n in names)


_TABLES: dict[str, Table] = {}
_OF_KIND: dict[type, Table] = {}


def record(name: str, *, index: tuple[str, ...] = ()) -> Callable[[Kind], Kind]:
    """Declare a data class as the rows of a table; it has an id, and the table withdrawn_ms beside its fields."""

    def declare(kind: Kind) -> Kind:
        hints = get_type_hints(kind, include_extras=True)
        columns = [_column(f.name, hints[f.name], f.default) for f in fields(kind)]
        made = Table(name, (*columns, Column("withdrawn_ms", "INTEGER", null=True)), kind, index)
        _TABLES[name] = _OF_KIND[kind] = made
        return kind

    return declare


def _column(name: str, hint: Any, default: Any) -> Column:
    null, check = False, ""
    if get_origin(hint) in (Union, types.UnionType):
        parts = [a for a in get_args(hint) if a is not type(None)]
        null = len(parts) < len(get_args(hint))
        # several parts are lists of allowed words put together
        hint = parts[0] if len(parts) == 1 else Literal[tuple(w for part in parts for w in get_args(part))]
    if get_origin(hint) is Annotated:
        hint, rule = get_args(hint)
        check = f'"{name}" {rule.text}'
    if get_origin(hint) is Literal:
        allowed = get_args(hint)
        check = f'"{name}" IN ({", ".join(repr(a) for a in allowed)})'
        hint = type(allowed[0])
    of_python: dict[Any, Any] = {int: "INTEGER", float: "FLOAT", str: "VARCHAR", bool: "BOOLEAN", bytes: "BLOB"}
    to = name.removesuffix("_id").removeprefix("reference_") if name.endswith("_id") else ""
    given = None if default is MISSING else default
    return Column(name, of_python[hint], null, given, check, to)


def _plain(name: str, *columns: Column, index: tuple[str, ...] = (), key: str = "id") -> Table:
    made = _TABLES[name] = Table(name, columns, None, index, key)
    return made


def table_of(kind: type) -> Table:
    """The table of a kind of records. Raises KeyError where it is none."""
    return _OF_KIND[kind]


def kinds() -> tuple[type, ...]:
    """All kinds of records."""
    return tuple(_OF_KIND)


def kind_named(name: str) -> type | None:
    """The kind of records a table holds, None where it is unknown or holds none."""
    found = _TABLES.get(name)
    return found.kind if found is not None else None


def tables() -> Iterator[Table]:
    """All tables, in an order in which rows point only to tables before them (or to their own)."""
    left, done = dict(_TABLES), set[str]()
    while left:
        for name, table in list(left.items()):
            if all(c.to in done or c.to in ("", name) for c in table.columns):
                done.add(name)
                yield left.pop(name)


_ID = Column("id", "INTEGER")
_CRC = Column("crc", "INTEGER", default=0)
"""Tells whether anything of the row was altered by accident; see checksums.py."""
SETTING = _plain("setting", Column("key", "VARCHAR"), Column("value", "VARCHAR"), _CRC, key="key")
EDIT = _plain(
    "edit",
    _ID,
    Column("at_ms", "INTEGER"),
    Column("label", "VARCHAR"),
    Column("state", "VARCHAR", check="\"state\" IN ('done', 'undone', 'overtaken', 'noted')"),
    Column("state_ms", "INTEGER"),
    _CRC,
)
EDIT_ROW = _plain(
    "edit_row",
    _ID,
    Column("edit_id", "INTEGER", to="edit"),
    Column("of", "VARCHAR"),
    Column("row", "VARCHAR"),
    Column("before", "VARCHAR", null=True),
    Column("after", "VARCHAR", null=True),
    index=("edit_id",),
)
LIVE = _plain(
    "live_reading",
    _ID,
    Column("channel_id", "INTEGER", to="channel"),
    Column("time_ms", "INTEGER"),
    Column("shown", "FLOAT"),
    _CRC,
    index=("channel_id", "time_ms"),
)
CHUNK = _plain(
    "chunk",
    _ID,
    Column("channel_id", "INTEGER", to="channel"),
    Column("logger_import_id", "INTEGER", to="logger_import"),
    Column("first_ms", "INTEGER"),
    Column("last_ms", "INTEGER"),
    Column("count", "INTEGER"),
    Column("least", "FLOAT"),
    Column("most", "FLOAT"),
    Column("total", "FLOAT"),
    Column("times", "BLOB"),
    Column("shown", "BLOB"),
    _CRC,
    index=("channel_id", "first_ms"),
)
