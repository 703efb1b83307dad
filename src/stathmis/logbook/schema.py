"""Tables of the logbook file. docs/file-format.md describes them for anyone who reads the file with other tools.

Nothing a keeper entered is erased: undo and striking set withdrawn_ms (UTC ms), redo clears it.
"""

from __future__ import annotations

from sqlalchemy import (
    Boolean,
    CheckConstraint,
    Column,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    String,
    Table,
)

APPLICATION_ID = 0x53544D53
"""Marks the file as a logbook ("STMS")."""
SCHEMA_VERSION = 5

metadata = MetaData()


def _id() -> Column[int]:
    return Column("id", Integer, primary_key=True)


def _withdrawn() -> Column[int]:
    return Column("withdrawn_ms", Integer)


def _to(table: str, *, null: bool = False) -> Column[int]:
    return Column(f"{table}_id", Integer, ForeignKey(f"{table}.id"), nullable=null)


setting = Table("setting", metadata, Column("key", String, primary_key=True), Column("value", String, nullable=False))

incubator = Table(
    "incubator",
    metadata,
    _id(),
    Column("name", String, nullable=False),
    Column("air", String, CheckConstraint("air IN ('forced', 'still', 'room')"), nullable=False),
    Column("set_point_c", Float),
    _withdrawn(),
    Column("capacity", Integer),
)

instrument = Table(
    "instrument",
    metadata,
    _id(),
    Column("name", String, nullable=False),
    Column("role", String, CheckConstraint("role IN ('working', 'reference')"), nullable=False),
    Column("kind", String, nullable=False),
    _withdrawn(),
)

channel = Table(
    "channel",
    metadata,
    _id(),
    _to("instrument"),
    Column("quantity", String, CheckConstraint("quantity IN ('temperature', 'humidity')"), nullable=False),
    Column("unit", String, CheckConstraint("unit IN ('°C', '°F', '%')"), nullable=False),
    Column("resolution", Float, nullable=False),
    Column("accuracy", Float, nullable=False),
    Column("low", Float, nullable=False),
    Column("high", Float, nullable=False),
    _withdrawn(),
    Column("response_s", Float),
    Column("between_checks", String, nullable=False, server_default="hold"),
)

placement = Table(
    "placement",
    metadata,
    _id(),
    _to("instrument"),
    _to("incubator"),
    Column("place", String, nullable=False),
    Column("at_egg_top", Boolean, nullable=False),
    Column("from_ms", Integer, nullable=False),
    Column("to_ms", Integer),
    _withdrawn(),
)

batch = Table(
    "batch",
    metadata,
    _id(),
    _to("incubator"),
    Column("name", String, nullable=False),
    Column("species", String, nullable=False),
    Column("regime", String, nullable=False),
    Column("eggs", Integer, CheckConstraint("eggs > 0"), nullable=False),
    Column("set_ms", Integer, nullable=False),
    Column("ended_ms", Integer),
    _withdrawn(),
    Column("day_count", String, nullable=False, server_default="from 0"),
    Column("tray", String, CheckConstraint("tray IN ('grid', 'rows', 'ring')"), nullable=False, server_default="grid"),
)

stay = Table(
    "stay",
    metadata,
    _id(),
    _to("batch"),
    _to("incubator"),
    Column("to_ms", Integer, nullable=False),
    _withdrawn(),
)

profile = Table(
    "profile",
    metadata,
    _id(),
    Column("text", String, nullable=False),
    _withdrawn(),
)

weighing = Table(
    "weighing",
    metadata,
    _id(),
    _to("batch"),
    Column("time_ms", Integer, nullable=False),
    Column("mark", String, nullable=False),
    Column("eggs", Integer, CheckConstraint("eggs > 0"), nullable=False),
    Column("mass_g", Float, CheckConstraint("mass_g > 0"), nullable=False),
    Column("scale_g", Float, nullable=False),
    Column("typed", String, nullable=False),
    _withdrawn(),
)

loss_target = Table(
    "loss_target",
    metadata,
    _id(),
    _to("batch"),
    Column("from_ms", Integer, nullable=False),
    Column("rh", Float, nullable=False),
    Column("low", Float, nullable=False),
    Column("high", Float, nullable=False),
    _withdrawn(),
)

egg = Table(
    "egg",
    metadata,
    _id(),
    _to("batch"),
    Column("mark", String, nullable=False),
    Column("place", String, nullable=False),
    Column("about", String, nullable=False),
    Column("laid_ms", Integer),
    _withdrawn(),
    Column("breed", String, nullable=False, server_default=""),
    Column("mother", String, nullable=False, server_default=""),
    Column("source", String, nullable=False, server_default=""),
)

break_out = Table(
    "break_out",
    metadata,
    _id(),
    _to("batch"),
    Column("time_ms", Integer, nullable=False),
    Column("mark", String, nullable=False),
    Column("count", Integer, CheckConstraint("count > 0"), nullable=False),
    Column("stage", String, nullable=False),
    Column("position", String, nullable=False),
    Column("signs", String, nullable=False),
    Column("note", String, nullable=False),
    Column("logged_ms", Integer, nullable=False),
    _withdrawn(),
)

egg_finding = Table(
    "egg_finding",
    metadata,
    _id(),
    _to("batch"),
    Column("time_ms", Integer, nullable=False),
    Column("mark", String, nullable=False),
    Column("kind", String, nullable=False),
    Column("count", Integer, CheckConstraint("count > 0"), nullable=False),
    Column("note", String, nullable=False),
    Column("logged_ms", Integer, nullable=False),
    _withdrawn(),
)

egg_size = Table(
    "egg_size",
    metadata,
    _id(),
    _to("batch"),
    Column("time_ms", Integer, nullable=False),
    Column("mark", String, nullable=False),
    Column("length_mm", Float),
    Column("breadth_mm", Float),
    Column("air_cell_mm", Float),
    _withdrawn(),
)

plan = Table(
    "plan",
    metadata,
    _id(),
    _to("incubator"),
    _to("batch", null=True),
    Column("name", String, nullable=False),
    Column("species", String, nullable=False),
    Column("regime", String, nullable=False),
    Column("eggs", Integer, CheckConstraint("eggs > 0"), nullable=False),
    Column("set_ms", Integer, nullable=False),
    Column("laid_ms", Integer),
    Column("mother", String, nullable=False),
    Column("habits", String, nullable=False),
    _withdrawn(),
)

plan_move = Table(
    "plan_move",
    metadata,
    _id(),
    _to("plan"),
    Column("step", String, nullable=False),
    Column("at_ms", Integer, nullable=False),
    _withdrawn(),
)

task_mark = Table(
    "task_mark",
    metadata,
    _id(),
    Column("subject", String, nullable=False),
    Column("step", String, nullable=False),
    Column("state", String, CheckConstraint("state IN ('done', 'skipped')"), nullable=False),
    Column("at_ms", Integer, nullable=False),
    Column("why", String, nullable=False),
    _withdrawn(),
)

away = Table(
    "away",
    metadata,
    _id(),
    Column("from_ms", Integer, nullable=False),
    Column("to_ms", Integer, nullable=False),
    Column("note", String, nullable=False),
    _withdrawn(),
)

water_surface = Table(
    "water_surface",
    metadata,
    _id(),
    _to("incubator"),
    Column("name", String, nullable=False),
    Column("surface_cm2", Float, CheckConstraint("surface_cm2 > 0"), nullable=False),
    Column("volume_ml", Float),
    _withdrawn(),
)

dropped_state = Table(
    "dropped_state",
    metadata,
    _id(),
    _to("incubator"),
    Column("since_ms", Integer, nullable=False),
    _withdrawn(),
)

watched_folder = Table(
    "watched_folder",
    metadata,
    _id(),
    Column("folder", String, nullable=False),
    Column("columns", String, nullable=False),
    Column("plan", String, nullable=False),
    _withdrawn(),
)

reading = Table(
    "reading",
    metadata,
    _id(),
    _to("channel"),
    Column("time_ms", Integer, nullable=False),
    Column("value", Float, nullable=False),
    Column("unit", String, nullable=False),
    Column("typed", String, nullable=False),
    Column("logged_ms", Integer, nullable=False),
    _withdrawn(),
    Column("withdrawn_why", String),
)
Index("reading_by_channel", reading.c.channel_id, reading.c.time_ms)

event = Table(
    "event",
    metadata,
    _id(),
    _to("incubator"),
    Column("time_ms", Integer, nullable=False),
    Column("kind", String, nullable=False),
    Column("note", String, nullable=False),
    Column("set_point_c", Float),
    _withdrawn(),
    Column("surface_cm2", Float),
    Column("opening", Float),
    Column("water_ml", Float),
)
Index("event_by_incubator", event.c.incubator_id, event.c.time_ms)

certificate_point = Table(
    "certificate_point",
    metadata,
    _id(),
    _to("channel"),
    Column("dated_ms", Integer, nullable=False),
    Column("reading", Float, nullable=False),
    Column("correction", Float, nullable=False),
    Column("expanded_uncertainty", Float, nullable=False),
    Column("coverage_factor", Float, nullable=False),
    _withdrawn(),
    Column("drift_per_year", Float, nullable=False, server_default="0"),
    Column("expires_ms", Integer),
)

calibration = Table(
    "calibration",
    metadata,
    _id(),
    _to("channel"),
    Column("reference_channel_id", Integer, ForeignKey("channel.id")),
    Column("done_ms", Integer, nullable=False),
    Column("valid_from_ms", Integer, nullable=False),
    Column("model", String, nullable=False),
    Column("coefficients", String, nullable=False),
    Column("covariance", String, nullable=False),
    Column("pivot", Float, nullable=False),
    Column("domain_low", Float, nullable=False),
    Column("domain_high", Float, nullable=False),
    Column("chi_square", Float, nullable=False),
    Column("degrees_of_freedom", Integer, nullable=False),
    Column("coverage_factor", Float, nullable=False),
    Column("slope_allowance", Float, nullable=False),
    Column("widened", Float, nullable=False),
    Column("method", String, nullable=False, server_default="side"),
    Column("state", String, nullable=False, server_default="as found"),
    Column("reference_calibration_id", Integer, ForeignKey("calibration.id")),
    Column("conditions", String, nullable=False, server_default=""),
    _withdrawn(),
)

calibration_point = Table(
    "calibration_point",
    metadata,
    _id(),
    _to("calibration"),
    Column("shown", String, nullable=False),
    Column("reference_shown", String, nullable=False),
    Column("reading", Float, nullable=False),
    Column("reference", Float, nullable=False),
    Column("u_reading", Float, nullable=False),
    Column("u_reference", Float, nullable=False),
    Column("source", String, nullable=False, server_default=""),
    Column("direction", String, nullable=False, server_default=""),
    Column("residual", Float, nullable=False, server_default="0"),
)

budget_line = Table(
    "budget_line",
    metadata,
    _id(),
    _to("calibration"),
    Column("label", String, nullable=False),
    Column("unit", String, nullable=False),
    Column("standard_uncertainty", Float, nullable=False),
    Column("distribution", String, nullable=False),
    Column("degrees_of_freedom", Float),
    Column("sensitivity", Float, nullable=False),
)

probe = Table(
    "probe",
    metadata,
    _id(),
    Column("name", String, nullable=False),
    Column("device", String, nullable=False),
    Column("baud", Integer, nullable=False),
    Column("layout", String, CheckConstraint("layout IN ('named', 'columns', 'json')"), nullable=False),
    Column("fields", String, nullable=False),
    Column("every_s", Float, nullable=False),
    _withdrawn(),
)

live_reading = Table(
    "live_reading",
    metadata,
    _id(),
    _to("channel"),
    Column("time_ms", Integer, nullable=False),
    Column("shown", Float, nullable=False),
)
Index("live_reading_by_channel", live_reading.c.channel_id, live_reading.c.time_ms)

survey = Table(
    "survey",
    metadata,
    _id(),
    _to("incubator"),
    Column("done_ms", Integer, nullable=False),
    Column("kind", String, CheckConstraint("kind IN ('places', 'heights')"), nullable=False),
    Column("egg_top_cm", Float),
    _withdrawn(),
)

survey_point = Table(
    "survey_point",
    metadata,
    _id(),
    _to("survey"),
    _to("channel"),
    Column("place", String, nullable=False),
    Column("height_cm", Float),
    Column("typed", String, nullable=False),
    Column("reading", Float, nullable=False),
    Column("u_own", Float, nullable=False),
    _withdrawn(),
)

logger_import = Table(
    "logger_import",
    metadata,
    _id(),
    Column("file_name", String, nullable=False),
    Column("imported_ms", Integer, nullable=False),
    Column("good", Integer, nullable=False),
    Column("duplicate", Integer, nullable=False),
    Column("bad", Integer, nullable=False),
    _withdrawn(),
)

chunk = Table(
    "chunk",
    metadata,
    _id(),
    _to("channel"),
    _to("logger_import"),
    Column("first_ms", Integer, nullable=False),
    Column("last_ms", Integer, nullable=False),
    Column("count", Integer, nullable=False),
    Column("least", Float, nullable=False),
    Column("most", Float, nullable=False),
    Column("total", Float, nullable=False),
    Column("times", LargeBinary, nullable=False),
    Column("shown", LargeBinary, nullable=False),
)
Index("chunk_by_channel", chunk.c.channel_id, chunk.c.first_ms)
