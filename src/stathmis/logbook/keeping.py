"""What a keeper keeps: settings, incubators, instruments and where they hang, batches, events.

Records go in and come out as the data classes of records.py. Withdrawn ones never come out.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypeVar

from sqlalchemy import Table, func, select, update

from stathmis.logbook import schema
from stathmis.logbook.opening import Logbook
from stathmis.logbook.records import (
    Away,
    Batch,
    BreakOut,
    CertificatePoint,
    Channel,
    DroppedState,
    Egg,
    EggFinding,
    EggSize,
    Event,
    Incubator,
    Instrument,
    LoggerImport,
    LossTarget,
    Placement,
    PlanMove,
    Probe,
    Stay,
    StoredPlan,
    StoredProfile,
    Survey,
    SurveyPoint,
    TaskMark,
    WatchedFolder,
    WaterSurface,
    Weighing,
)

Record = TypeVar(
    "Record",
    Away,
    PlanMove,
    StoredPlan,
    TaskMark,
    Batch,
    BreakOut,
    CertificatePoint,
    Channel,
    DroppedState,
    Egg,
    EggFinding,
    EggSize,
    Event,
    Incubator,
    Instrument,
    LoggerImport,
    LossTarget,
    Placement,
    Probe,
    Stay,
    StoredProfile,
    Survey,
    SurveyPoint,
    WatchedFolder,
    WaterSurface,
    Weighing,
)

_TABLES: dict[type, Table] = {
    Incubator: schema.incubator,
    Instrument: schema.instrument,
    Channel: schema.channel,
    Placement: schema.placement,
    Batch: schema.batch,
    Event: schema.event,
    CertificatePoint: schema.certificate_point,
    LoggerImport: schema.logger_import,
    Probe: schema.probe,
    StoredProfile: schema.profile,
    Survey: schema.survey,
    SurveyPoint: schema.survey_point,
    WatchedFolder: schema.watched_folder,
    Weighing: schema.weighing,
    EggSize: schema.egg_size,
    Egg: schema.egg,
    EggFinding: schema.egg_finding,
    BreakOut: schema.break_out,
    Stay: schema.stay,
    WaterSurface: schema.water_surface,
    DroppedState: schema.dropped_state,
    StoredPlan: schema.plan,
    PlanMove: schema.plan_move,
    TaskMark: schema.task_mark,
    Away: schema.away,
    LossTarget: schema.loss_target,
}
KINDS: tuple[type, ...] = tuple(_TABLES)
"""All kinds of records."""


def settings(logbook: Logbook) -> dict[str, str]:
    """All settings of the logbook, by key."""
    with logbook.reading() as connection:
        return {row.key: row.value for row in connection.execute(select(schema.setting))}


def save_setting(logbook: Logbook, key: str, value: str) -> None:
    """Set one setting, replacing its value."""
    with logbook.writing() as connection:
        connection.execute(schema.setting.insert().prefix_with("OR REPLACE").values(key=key, value=value))


def add(logbook: Logbook, kind: type[Record], /, **fields: Any) -> int:
    """Add one record and return its id; fields are the record's, without id."""
    with logbook.writing() as connection:
        return int(connection.execute(_TABLES[kind].insert().values(**fields)).inserted_primary_key[0])  # type: ignore[index]


def add_all(logbook: Logbook, new: Sequence[tuple[type[Record], dict[str, Any]]]) -> list[int]:
    """Add several records in one transaction and return their ids."""
    with logbook.writing() as connection:
        return [
            int(connection.execute(_TABLES[kind].insert().values(**fields)).inserted_primary_key[0])  # type: ignore[index]
            for kind, fields in new
        ]


def all_of(logbook: Logbook, kind: type[Record], /, **where: Any) -> list[Record]:
    """All records of a kind whose fields equal those given, oldest first."""
    table = _TABLES[kind]
    query = select(*(table.c[name] for name in kind.__dataclass_fields__)).where(table.c.withdrawn_ms.is_(None))
    for name, value in where.items():
        query = query.where(table.c[name] == value)
    with logbook.reading() as connection:
        rows = connection.execute(query.order_by(table.c.id)).all()
    return [kind(**r._mapping) for r in rows]


def one(logbook: Logbook, kind: type[Record], record_id: int) -> Record:
    """The record with this id. Raises KeyError when there is none, or it was withdrawn."""
    found = all_of(logbook, kind, id=record_id)
    if not found:
        raise KeyError(f"no {kind.__name__} {record_id}")
    return found[0]


def change(logbook: Logbook, kind: type[Record], record_id: int, /, **fields: Any) -> None:
    """Change fields of one record."""
    table = _TABLES[kind]
    with logbook.writing() as connection:
        connection.execute(update(table).where(table.c.id == record_id).values(**fields))


def withdraw(logbook: Logbook, kind: type[Record], record_ids: list[int], at_ms: int | None) -> None:
    """Withdraw records at a time (UTC ms), or bring them back with None."""
    table = _TABLES[kind]
    with logbook.writing() as connection:
        connection.execute(update(table).where(table.c.id.in_(record_ids)).values(withdrawn_ms=at_ms))


def is_empty(logbook: Logbook) -> bool:
    """Whether no incubator was ever entered."""
    with logbook.reading() as connection:
        count = connection.execute(
            select(func.count()).select_from(schema.incubator).where(schema.incubator.c.withdrawn_ms.is_(None))
        ).scalar()
    return not count
