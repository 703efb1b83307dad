"""Older logbook files brought up to date: each step one transaction with its record, after a copy was put aside.

A step that fails leaves the file as it was. A new step goes into STEPS under the version it leads to.
"""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Callable
from contextlib import closing, suppress
from pathlib import Path

from stathmis.logbook import checksums


def _to_2(connection: sqlite3.Connection) -> None:
    """Checks by every method, their conditions and budgets; surveys of places; live probes."""
    for statement in (
        "ALTER TABLE channel ADD COLUMN response_s FLOAT",
        "ALTER TABLE channel ADD COLUMN between_checks VARCHAR NOT NULL DEFAULT 'hold'",
        "ALTER TABLE certificate_point ADD COLUMN drift_per_year FLOAT NOT NULL DEFAULT 0",
        "ALTER TABLE certificate_point ADD COLUMN expires_ms INTEGER",
        "ALTER TABLE calibration_point ADD COLUMN source VARCHAR NOT NULL DEFAULT ''",
        "ALTER TABLE calibration_point ADD COLUMN direction VARCHAR NOT NULL DEFAULT ''",
        "ALTER TABLE calibration_point ADD COLUMN residual FLOAT NOT NULL DEFAULT 0",
        # a column cannot be told to allow nothing afterwards: the table is made anew and takes the old one's place
        """CREATE TABLE calibration_2 (
            id INTEGER NOT NULL PRIMARY KEY,
            channel_id INTEGER NOT NULL REFERENCES channel (id),
            reference_channel_id INTEGER REFERENCES channel (id),
            done_ms INTEGER NOT NULL, valid_from_ms INTEGER NOT NULL, model VARCHAR NOT NULL,
            coefficients VARCHAR NOT NULL, covariance VARCHAR NOT NULL, pivot FLOAT NOT NULL,
            domain_low FLOAT NOT NULL, domain_high FLOAT NOT NULL, chi_square FLOAT NOT NULL,
            degrees_of_freedom INTEGER NOT NULL, coverage_factor FLOAT NOT NULL, slope_allowance FLOAT NOT NULL,
            widened FLOAT NOT NULL, method VARCHAR NOT NULL DEFAULT 'side', state VARCHAR NOT NULL DEFAULT 'as found',
            reference_calibration_id INTEGER REFERENCES calibration (id), conditions VARCHAR NOT NULL DEFAULT '',
            withdrawn_ms INTEGER)""",
        """INSERT INTO calibration_2 (id, channel_id, reference_channel_id, done_ms, valid_from_ms, model, coefficients,
            covariance, pivot, domain_low, domain_high, chi_square, degrees_of_freedom, coverage_factor,
            slope_allowance, widened, conditions, withdrawn_ms)
            SELECT id, channel_id, reference_channel_id, done_ms, valid_from_ms, model, coefficients,
            covariance, pivot, domain_low, domain_high, chi_square, degrees_of_freedom, coverage_factor,
            slope_allowance, widened, 'sensors apart by up to ± ' || unevenness, withdrawn_ms FROM calibration""",
        "DROP TABLE calibration",
        "ALTER TABLE calibration_2 RENAME TO calibration",
        """CREATE TABLE budget_line (id INTEGER NOT NULL PRIMARY KEY,
            calibration_id INTEGER NOT NULL REFERENCES calibration (id), label VARCHAR NOT NULL, unit VARCHAR NOT NULL,
            standard_uncertainty FLOAT NOT NULL, distribution VARCHAR NOT NULL, degrees_of_freedom FLOAT,
            sensitivity FLOAT NOT NULL)""",
        """CREATE TABLE probe (id INTEGER NOT NULL PRIMARY KEY, name VARCHAR NOT NULL, device VARCHAR NOT NULL,
            baud INTEGER NOT NULL, layout VARCHAR NOT NULL CHECK (layout IN ('named', 'columns', 'json')),
            fields VARCHAR NOT NULL, every_s FLOAT NOT NULL, withdrawn_ms INTEGER)""",
        """CREATE TABLE live_reading (id INTEGER NOT NULL PRIMARY KEY,
            channel_id INTEGER NOT NULL REFERENCES channel (id), time_ms INTEGER NOT NULL, shown FLOAT NOT NULL)""",
        "CREATE INDEX live_reading_by_channel ON live_reading (channel_id, time_ms)",
        """CREATE TABLE survey (id INTEGER NOT NULL PRIMARY KEY,
            incubator_id INTEGER NOT NULL REFERENCES incubator (id), done_ms INTEGER NOT NULL,
            kind VARCHAR NOT NULL CHECK (kind IN ('places', 'heights')), egg_top_cm FLOAT, withdrawn_ms INTEGER)""",
        """CREATE TABLE survey_point (id INTEGER NOT NULL PRIMARY KEY,
            survey_id INTEGER NOT NULL REFERENCES survey (id), channel_id INTEGER NOT NULL REFERENCES channel (id),
            place VARCHAR NOT NULL, height_cm FLOAT, typed VARCHAR NOT NULL, reading FLOAT NOT NULL,
            u_own FLOAT NOT NULL, withdrawn_ms INTEGER)""",
    ):
        connection.execute(statement)


def _to_3(connection: sqlite3.Connection) -> None:
    """The room beside the incubators; day counts; a keeper's own profiles; watched folders; weighings."""
    for statement in (
        "ALTER TABLE batch ADD COLUMN day_count VARCHAR NOT NULL DEFAULT 'from 0'",
        """CREATE TABLE incubator_3 (
            id INTEGER NOT NULL PRIMARY KEY, name VARCHAR NOT NULL,
            air VARCHAR NOT NULL CHECK (air IN ('forced', 'still', 'room')), set_point_c FLOAT,
            withdrawn_ms INTEGER)""",
        """INSERT INTO incubator_3 (id, name, air, set_point_c, withdrawn_ms)
            SELECT id, name, air, set_point_c, withdrawn_ms FROM incubator""",
        "DROP TABLE incubator",
        "ALTER TABLE incubator_3 RENAME TO incubator",
        "CREATE TABLE profile (id INTEGER NOT NULL PRIMARY KEY, text VARCHAR NOT NULL, withdrawn_ms INTEGER)",
        """CREATE TABLE watched_folder (id INTEGER NOT NULL PRIMARY KEY, folder VARCHAR NOT NULL,
            columns VARCHAR NOT NULL, plan VARCHAR NOT NULL, withdrawn_ms INTEGER)""",
        """CREATE TABLE weighing (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            time_ms INTEGER NOT NULL, mark VARCHAR NOT NULL, eggs INTEGER NOT NULL CHECK (eggs > 0),
            mass_g FLOAT NOT NULL CHECK (mass_g > 0), scale_g FLOAT NOT NULL, typed VARCHAR NOT NULL,
            withdrawn_ms INTEGER)""",
        """CREATE TABLE loss_target (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            from_ms INTEGER NOT NULL, rh FLOAT NOT NULL, low FLOAT NOT NULL, high FLOAT NOT NULL,
            withdrawn_ms INTEGER)""",
    ):
        connection.execute(statement)


def _to_4(connection: sqlite3.Connection) -> None:
    """Water surfaces and vents, states left out; plans, tasks done, days away; eggs, their sizes, findings."""
    for statement in (
        "ALTER TABLE incubator ADD COLUMN capacity INTEGER",
        """CREATE TABLE egg (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            mark VARCHAR NOT NULL, place VARCHAR NOT NULL, about VARCHAR NOT NULL, laid_ms INTEGER,
            withdrawn_ms INTEGER)""",
        """CREATE TABLE egg_finding (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            time_ms INTEGER NOT NULL, mark VARCHAR NOT NULL, kind VARCHAR NOT NULL,
            count INTEGER NOT NULL CHECK (count > 0), note VARCHAR NOT NULL, logged_ms INTEGER NOT NULL,
            withdrawn_ms INTEGER)""",
        """CREATE TABLE plan (id INTEGER NOT NULL PRIMARY KEY,
            incubator_id INTEGER NOT NULL REFERENCES incubator (id), batch_id INTEGER REFERENCES batch (id),
            name VARCHAR NOT NULL, species VARCHAR NOT NULL, regime VARCHAR NOT NULL,
            eggs INTEGER NOT NULL CHECK (eggs > 0), set_ms INTEGER NOT NULL, laid_ms INTEGER, mother VARCHAR NOT NULL,
            habits VARCHAR NOT NULL, withdrawn_ms INTEGER)""",
        """CREATE TABLE plan_move (id INTEGER NOT NULL PRIMARY KEY, plan_id INTEGER NOT NULL REFERENCES plan (id),
            step VARCHAR NOT NULL, at_ms INTEGER NOT NULL, withdrawn_ms INTEGER)""",
        """CREATE TABLE task_mark (id INTEGER NOT NULL PRIMARY KEY, subject VARCHAR NOT NULL, step VARCHAR NOT NULL,
            state VARCHAR NOT NULL CHECK (state IN ('done', 'skipped')), at_ms INTEGER NOT NULL, why VARCHAR NOT NULL,
            withdrawn_ms INTEGER)""",
        """CREATE TABLE away (id INTEGER NOT NULL PRIMARY KEY, from_ms INTEGER NOT NULL, to_ms INTEGER NOT NULL,
            note VARCHAR NOT NULL, withdrawn_ms INTEGER)""",
        "ALTER TABLE event ADD COLUMN surface_cm2 FLOAT",
        "ALTER TABLE event ADD COLUMN opening FLOAT",
        "ALTER TABLE event ADD COLUMN water_ml FLOAT",
        """CREATE TABLE egg_size (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            time_ms INTEGER NOT NULL, mark VARCHAR NOT NULL, length_mm FLOAT, breadth_mm FLOAT, air_cell_mm FLOAT,
            withdrawn_ms INTEGER)""",
        """CREATE TABLE water_surface (id INTEGER NOT NULL PRIMARY KEY,
            incubator_id INTEGER NOT NULL REFERENCES incubator (id), name VARCHAR NOT NULL,
            surface_cm2 FLOAT NOT NULL CHECK (surface_cm2 > 0), volume_ml FLOAT, withdrawn_ms INTEGER)""",
        """CREATE TABLE dropped_state (id INTEGER NOT NULL PRIMARY KEY,
            incubator_id INTEGER NOT NULL REFERENCES incubator (id), since_ms INTEGER NOT NULL,
            withdrawn_ms INTEGER)""",
    ):
        connection.execute(statement)


def _to_5(connection: sqlite3.Connection) -> None:
    """Batches that change machines, trays of other shapes, where an egg comes from, eggs opened after the hatch."""
    for statement in (
        """ALTER TABLE batch ADD COLUMN tray VARCHAR NOT NULL DEFAULT 'grid'
            CHECK (tray IN ('grid', 'rows', 'ring'))""",
        """CREATE TABLE stay (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            incubator_id INTEGER NOT NULL REFERENCES incubator (id), to_ms INTEGER NOT NULL, withdrawn_ms INTEGER)""",
        "ALTER TABLE egg ADD COLUMN breed VARCHAR NOT NULL DEFAULT ''",
        "ALTER TABLE egg ADD COLUMN mother VARCHAR NOT NULL DEFAULT ''",
        "ALTER TABLE egg ADD COLUMN source VARCHAR NOT NULL DEFAULT ''",
        """CREATE TABLE break_out (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            time_ms INTEGER NOT NULL, mark VARCHAR NOT NULL, count INTEGER NOT NULL CHECK (count > 0),
            stage VARCHAR NOT NULL, position VARCHAR NOT NULL, signs VARCHAR NOT NULL, note VARCHAR NOT NULL,
            logged_ms INTEGER NOT NULL, withdrawn_ms INTEGER)""",
    ):
        connection.execute(statement)


def _to_6(connection: sqlite3.Connection) -> None:
    """The journal of edits; details of events and moved eggs as fields; the stored loss target goes: it follows from
    the weighings."""
    for statement in (
        "ALTER TABLE event ADD COLUMN detail VARCHAR NOT NULL DEFAULT ''",
        "ALTER TABLE event ADD COLUMN minutes FLOAT",
        "ALTER TABLE event ADD COLUMN room_c FLOAT",
        "ALTER TABLE egg_finding ADD COLUMN from_place VARCHAR NOT NULL DEFAULT ''",
        "ALTER TABLE egg_finding ADD COLUMN to_place VARCHAR NOT NULL DEFAULT ''",
        "ALTER TABLE calibration_point ADD COLUMN withdrawn_ms INTEGER",
        "ALTER TABLE budget_line ADD COLUMN withdrawn_ms INTEGER",
        "DROP TABLE IF EXISTS loss_target",
        """CREATE TABLE edit (id INTEGER NOT NULL PRIMARY KEY, at_ms INTEGER NOT NULL, label VARCHAR NOT NULL,
            state VARCHAR NOT NULL CHECK (state IN ('done', 'undone', 'overtaken', 'noted')),
            state_ms INTEGER NOT NULL)""",
        """CREATE TABLE edit_row (id INTEGER NOT NULL PRIMARY KEY, edit_id INTEGER NOT NULL REFERENCES edit (id),
            "of" VARCHAR NOT NULL, "row" VARCHAR NOT NULL, "before" VARCHAR, "after" VARCHAR)""",
        "CREATE INDEX edit_row_by_edit ON edit_row (edit_id)",
    ):
        connection.execute(statement)
    carry_details(connection)


_POWER_OFF = re.compile(r"power off for (?P<hours>[\d.]+) h, room (?P<room>-?[\d.]+) °(?P<unit>[CF])")


def carry_details(connection: sqlite3.Connection) -> None:
    """What versions before 6 kept as sentences, as fields; the sentence goes where the field says it all."""
    for statement in (
        "UPDATE event SET detail = upper(substr(trim(note), 1, 1)), note = '' "
        "WHERE kind = 'turn' AND upper(trim(note)) IN ('X UP', 'O UP')",
        "UPDATE event SET detail = upper(substr(trim(note), 1, 1)) "
        "WHERE kind = 'turn' AND detail = '' AND upper(substr(trim(note), 1, 1)) IN ('X', 'O')",
        "UPDATE event SET detail = 'open', note = '' WHERE kind = 'lid' AND note = 'opened for lockdown'",
        "UPDATE event SET detail = 'shut', minutes = CAST(substr(note, 12) AS REAL), note = '' "
        "WHERE kind = 'lid' AND note LIKE 'shut after % min'",
        "UPDATE event SET detail = 'seen', note = substr(note, 7) WHERE kind = 'alarm' AND note LIKE 'seen: %'",
        "UPDATE egg_finding SET from_place = substr(note, 6, instr(note, ' to ') - 6), "
        "to_place = substr(note, instr(note, ' to ') + 4), note = '' "
        "WHERE kind = 'moved' AND note LIKE 'from % to %'",
    ):
        connection.execute(statement)
    for row, note in connection.execute("SELECT id, note FROM event WHERE kind = 'power'").fetchall():
        told = _POWER_OFF.fullmatch(note)
        if told is not None:
            room = float(told["room"])
            celsius = room if told["unit"] == "C" else (room - 32.0) / 1.8
            connection.execute(
                "UPDATE event SET minutes = ?, room_c = ?, note = '' WHERE id = ?",
                (float(told["hours"]) * 60.0, celsius, row),
            )


def _to_7(connection: sqlite3.Connection) -> None:
    """Checksums of chunks and edits; what no edit tells of yet gets one."""
    _add_crc(connection, "chunk", "edit")
    checksums.carry_edits(connection)


def _add_crc(connection: sqlite3.Connection, *names: str) -> None:
    for name in names:
        connection.execute("ALTER TABLE ? ADD COLUMN crc INTEGER NOT NULL DEFAULT 0".replace("?", name))


def _to_8(connection: sqlite3.Connection) -> None:
    """Checksums of live readings and settings."""
    _add_crc(connection, "live_reading", "setting")
    checksums.carry_rows(connection)


def _to_9(connection: sqlite3.Connection) -> None:
    """Species of one's own, what a batch followed before, eggs as they came."""
    for statement in (
        """CREATE TABLE own_species (id INTEGER NOT NULL PRIMARY KEY, name VARCHAR NOT NULL,
            kind VARCHAR NOT NULL CHECK (kind IN ('bird', 'reptile')), days FLOAT NOT NULL CHECK (days > 0),
            days_low FLOAT NOT NULL CHECK (days_low > 0), days_high FLOAT NOT NULL CHECK (days_high > 0),
            stop_turning_day FLOAT, set_c FLOAT NOT NULL, half_band_k FLOAT NOT NULL CHECK (half_band_k > 0),
            setting_low FLOAT NOT NULL, setting_high FLOAT NOT NULL, lockdown_low FLOAT, lockdown_high FLOAT,
            loss_percent FLOAT, egg_g FLOAT NOT NULL CHECK (egg_g > 0), cooling BOOLEAN NOT NULL,
            note VARCHAR NOT NULL, withdrawn_ms INTEGER)""",
        """CREATE TABLE earlier_way (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            regime VARCHAR NOT NULL, habits VARCHAR NOT NULL, to_ms INTEGER NOT NULL, withdrawn_ms INTEGER)""",
        """CREATE TABLE delivery (id INTEGER NOT NULL PRIMARY KEY, plan_id INTEGER NOT NULL REFERENCES "plan" (id),
            received INTEGER NOT NULL CHECK (received > 0), cracked INTEGER NOT NULL, dirty INTEGER NOT NULL,
            odd INTEGER NOT NULL, inked INTEGER NOT NULL, source VARCHAR NOT NULL, kept_c FLOAT, rested_h FLOAT,
            withdrawn_ms INTEGER)""",
        "ALTER TABLE \"plan\" ADD COLUMN subject VARCHAR NOT NULL DEFAULT ''",
    ):
        connection.execute(statement)


def _to_10(connection: sqlite3.Connection) -> None:
    """Shells measured together, females paired, an instrument in the box of a clutch, the flicker seen in a check."""
    for statement in (
        """CREATE TABLE shell_series (id INTEGER NOT NULL PRIMARY KEY,
            batch_id INTEGER NOT NULL REFERENCES batch (id), channel_id INTEGER NOT NULL REFERENCES channel (id),
            time_ms INTEGER NOT NULL, shown VARCHAR NOT NULL, over_s FLOAT NOT NULL, typed VARCHAR NOT NULL,
            withdrawn_ms INTEGER)""",
        """CREATE TABLE pairing (id INTEGER NOT NULL PRIMARY KEY, mother VARCHAR NOT NULL, species VARCHAR NOT NULL,
            paired_ms INTEGER NOT NULL, withdrawn_ms INTEGER)""",
        "ALTER TABLE placement ADD COLUMN batch_id INTEGER REFERENCES batch (id)",
        "ALTER TABLE calibration ADD COLUMN flicker FLOAT NOT NULL DEFAULT 0.0",
    ):
        connection.execute(statement)


def _to_11(connection: sqlite3.Connection) -> None:
    """What was foreseen of a machine's readings."""
    for statement in (
        """CREATE TABLE forecast (id INTEGER NOT NULL PRIMARY KEY,
            incubator_id INTEGER NOT NULL REFERENCES incubator (id),
            quantity VARCHAR NOT NULL CHECK (quantity IN ('temperature', 'humidity')), made_ms INTEGER NOT NULL,
            fan VARCHAR NOT NULL, withdrawn_ms INTEGER)""",
        "CREATE INDEX forecast_by_incubator ON forecast (incubator_id, made_ms)",
    ):
        connection.execute(statement)


def _to_12(connection: sqlite3.Connection) -> None:
    """Readings that come from other things than serial leads."""
    connection.execute(
        "ALTER TABLE probe ADD COLUMN kind VARCHAR NOT NULL DEFAULT 'serial' "
        "CHECK (kind IN ('serial', 'kernel', 'mqtt', 'file'))"
    )


_EACH = (_to_2, _to_3, _to_4, _to_5, _to_6, _to_7, _to_8, _to_9, _to_10, _to_11, _to_12)
STEPS: dict[int, Callable[[sqlite3.Connection], None]] = dict(enumerate(_EACH, start=2))


def migrate(path: Path, target: int) -> Path:
    """Bring a logbook file from its version to the target, and return the copy of the old file.

    The copy stands in the backups folder before anything is changed. Raises sqlite3.Error or OSError; the file is then
    as it was after the last whole step.
    """
    folder = path.with_name(path.stem + " backups")
    folder.mkdir(exist_ok=True)
    with closing(sqlite3.connect(path, isolation_level=None)) as connection:
        # asked of the database, not of the file's head: a step may have been kept in the side file only
        version = int(connection.execute("PRAGMA user_version").fetchone()[0])
        aside = folder / f"{path.stem} version {version}.old-stathmis"
        partial = aside.with_suffix(".part")
        try:
            with closing(sqlite3.connect(partial)) as copy:
                connection.backup(copy)
            partial.replace(aside)
        except (OSError, sqlite3.Error):
            with suppress(OSError):
                partial.unlink()
            raise
        # off while a table is made anew; SQLite ignores this inside a transaction
        connection.execute("PRAGMA foreign_keys = OFF")
        for step in range(version + 1, target + 1):
            connection.execute("BEGIN IMMEDIATE")
            try:
                STEPS[step](connection)
                if connection.execute("PRAGMA foreign_key_check").fetchone() is not None:
                    raise sqlite3.IntegrityError("a row points nowhere")
                connection.execute(f"PRAGMA user_version = {step}")
                connection.execute("COMMIT")
            except BaseException:
                connection.execute("ROLLBACK")
                raise
    return aside
