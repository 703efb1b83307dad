"""Rows of the logbook as plain data, each kind declared once (see tables.py).

Times are UTC ms; values are as shown, in the unit named beside them. Withdrawn rows are never handed out.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from stathmis.core.course.profile import Air, DayCount
from stathmis.core.units import Quantity, Unit
from stathmis.logbook.tables import Positive, PositiveReal, record

TrayShape = Literal["grid", "rows", "ring"]


@record("incubator")
@dataclass(frozen=True)
class Incubator:
    """A machine; set_point_c is what its controller was set to at the start, °C, None where unknown; capacity: how
    many eggs it holds.

    air "room" is the room the machines stand in: it has instruments and readings, but no batch.
    """

    id: int
    name: str
    air: Air | Literal["room"]
    set_point_c: float | None
    capacity: int | None = None


@record("instrument")
@dataclass(frozen=True)
class Instrument:
    """A thing that shows numbers; role is "working" or "reference", kind the keeper's word for it."""

    id: int
    name: str
    role: Literal["working", "reference"]
    kind: str


@record("channel")
@dataclass(frozen=True)
class Channel:
    """One quantity an instrument shows, in its unit: resolution, stated accuracy (± this much), range.

    response_s: time to follow 63 % of a step, s, None where the keeper gave none; between_checks: "hold" the last
    check's correction, or go straight "between" two checks.
    """

    id: int
    instrument_id: int
    quantity: Quantity
    unit: Unit
    resolution: float
    accuracy: float
    low: float
    high: float
    response_s: float | None = None
    between_checks: str = "hold"


@record("placement")
@dataclass(frozen=True)
class Placement:
    """Where an instrument hangs, from one time to another (None: still there); batch_id: of the clutch in whose box it
    lies, None where it is for the whole machine."""

    id: int
    instrument_id: int
    incubator_id: int
    place: str
    at_egg_top: bool
    from_ms: int
    to_ms: int | None
    batch_id: int | None = None


@dataclass(frozen=True)
class Box(Incubator):
    """A machine as one of its clutches has it, whose box has an instrument of its own; not a row of the file."""

    batch_id: int = 0


@record("batch")
@dataclass(frozen=True)
class Batch:
    """Eggs set together; species and regime are keys of the shipped lists, or "own 3": a species of the
    keeper's own, a profile of theirs, by its id.

    incubator_id: where they lie now; tray: how their places are laid out.
    """

    id: int
    incubator_id: int
    name: str
    species: str
    regime: str
    eggs: Positive
    set_ms: int
    ended_ms: int | None
    day_count: DayCount = "from 0"
    tray: TrayShape = "grid"


@record("stay")
@dataclass(frozen=True)
class Stay:
    """A batch lay in this incubator until a time, before it went to the next one."""

    id: int
    batch_id: int
    incubator_id: int
    to_ms: int


@record("profile")
@dataclass(frozen=True)
class StoredProfile:
    """A keeper's own profile, as the text of its file."""

    id: int
    text: str


@record("own_species")
@dataclass(frozen=True)
class OwnSpecies:
    """A species the keeper entered: what core.course.profile.Species has of it, bands from low to high in percent.

    Batches name it by "own 3", its id.
    """

    id: int
    name: str
    kind: Literal["bird", "reptile"]
    days: PositiveReal
    days_low: PositiveReal
    days_high: PositiveReal
    stop_turning_day: float | None
    set_c: float
    half_band_k: PositiveReal
    setting_low: float
    setting_high: float
    lockdown_low: float | None
    lockdown_high: float | None
    loss_percent: float | None
    egg_g: PositiveReal
    cooling: bool
    note: str


@record("earlier_way")
@dataclass(frozen=True)
class EarlierWay:
    """What a batch followed until a time, before the keeper let it be kept otherwise: regime as of Batch, habits as of
    StoredPlan."""

    id: int
    batch_id: int
    regime: str
    habits: str
    to_ms: int


@record("weighing")
@dataclass(frozen=True)
class Weighing:
    """Eggs on the scale: mark "" for the whole tray, else the pencil mark of one egg; mass_g of all of them together;
    scale_g: the step of the scale."""

    id: int
    batch_id: int
    time_ms: int
    mark: str
    eggs: Positive
    mass_g: PositiveReal
    scale_g: float
    typed: str


@record("egg")
@dataclass(frozen=True)
class Egg:
    """An egg with its pencil mark and place in the tray ("2/5": row and column); about: anything else known of it."""

    id: int
    batch_id: int
    mark: str
    place: str
    about: str
    laid_ms: int | None
    breed: str = ""
    mother: str = ""
    source: str = ""


@record("break_out")
@dataclass(frozen=True)
class BreakOut:
    """An egg opened after the hatch, or (mark "") so many alike: stage, position and signs (separated by commas) are
    keys of the shipped lists; position and signs may be empty."""

    id: int
    batch_id: int
    time_ms: int
    mark: str
    count: Positive
    stage: str
    position: str
    signs: str
    note: str
    logged_ms: int


@record("egg_finding")
@dataclass(frozen=True)
class EggFinding:
    """What was found at an egg, or (mark "") at so many of a batch: kind is a key of the list of findings.

    logged_ms: when it was entered, which may be after the batch had ended; from_place, to_place: of one that moved.
    """

    id: int
    batch_id: int
    time_ms: int
    mark: str
    kind: str
    count: Positive
    note: str
    logged_ms: int
    from_place: str = ""
    to_place: str = ""


@record("egg_size")
@dataclass(frozen=True)
class EggSize:
    """An egg (mark "" for the mean egg) measured with a caliper or by candling, mm; None where not measured."""

    id: int
    batch_id: int
    time_ms: int
    mark: str
    length_mm: float | None
    breadth_mm: float | None
    air_cell_mm: float | None


@record("plan")
@dataclass(frozen=True)
class StoredPlan:
    """A batch as it is planned; batch_id once it is set; laid_ms: when the first egg was laid; habits: as JSON.

    subject: what its tasks are kept under, where it was made for a batch that was set already; else by its own id.
    """

    id: int
    incubator_id: int
    batch_id: int | None
    name: str
    species: str
    regime: str
    eggs: Positive
    set_ms: int
    laid_ms: int | None
    mother: str
    habits: str
    subject: str = ""


@record("pairing")
@dataclass(frozen=True)
class Pairing:
    """A female was with the male on a day; species: a key, as of Batch."""

    id: int
    mother: str
    species: str
    paired_ms: int


@record("shell_series")
@dataclass(frozen=True)
class ShellSeries:
    """The shells of several eggs, measured one after the other once the lid was lifted: what the channel showed (JSON,
    in its unit, in order), how long it took, s."""

    id: int
    batch_id: int
    channel_id: int
    time_ms: int
    shown: str
    over_s: float
    typed: str


@record("delivery")
@dataclass(frozen=True)
class Delivery:
    """The eggs of a plan as they came: how many, and how many of them cracked, dirty, odd in size or shape, marked in
    ink; kept_c: how warm they were kept, rested_h: how long they rested, None where not said; the newest of a plan
    counts."""

    id: int
    plan_id: int
    received: Positive
    cracked: int
    dirty: int
    odd: int
    inked: int
    source: str
    kept_c: float | None
    rested_h: float | None


@record("plan_move")
@dataclass(frozen=True)
class PlanMove:
    """A step of a plan put on another time; the newest of a step counts."""

    id: int
    plan_id: int
    step: str
    at_ms: int


@record("task_mark")
@dataclass(frozen=True)
class TaskMark:
    """A task done or skipped; subject: "plan 3", "batch 5" or "incubator 1"; the newest of a step counts."""

    id: int
    subject: str
    step: str
    state: Literal["done", "skipped"]
    at_ms: int
    why: str


@record("away")
@dataclass(frozen=True)
class Away:
    """Days the keeper is not there."""

    id: int
    from_ms: int
    to_ms: int
    note: str


@record("water_surface")
@dataclass(frozen=True)
class WaterSurface:
    """A trough, cup, wick or sponge of an incubator: its wetted surface when full, cm², and what it holds, ml."""

    id: int
    incubator_id: int
    name: str
    surface_cm2: PositiveReal
    volume_ml: float | None


@record("dropped_state")
@dataclass(frozen=True)
class DroppedState:
    """A settled state the keeper does not want used; since_ms: what had been done before it."""

    id: int
    incubator_id: int
    since_ms: int


@record("watched_folder")
@dataclass(frozen=True)
class WatchedFolder:
    """A folder whose new logger files are brought in; columns: their titles (JSON); plan: how they are read (JSON)."""

    id: int
    folder: str
    columns: str
    plan: str


@record("reading", index=("channel_id", "time_ms"))
@dataclass(frozen=True)
class Reading:
    """A reading typed by hand; typed is what stood in the field, logged_ms when; withdrawn_why: of a struck one."""

    id: int
    channel_id: int
    time_ms: int
    value: float
    unit: Unit
    typed: str
    logged_ms: int
    withdrawn_why: str | None = None


@record("event", index=("incubator_id", "time_ms"))
@dataclass(frozen=True)
class Event:
    """Something done to an incubator: water, vent, lid, set point, note.

    surface_cm2: wetted surface from then on; opening: of the vents from then on, 0 to 1; water_ml: what was poured;
    detail: a key that belongs to the kind (the mark that shows after a turn, "open" or "shut" for a timed lid, an
    alarm's kind and "seen"); minutes: how long it lasted; room_c: how warm the room was; None or "" where not said.
    """

    id: int
    incubator_id: int
    time_ms: int
    kind: str
    note: str
    set_point_c: float | None = None
    surface_cm2: float | None = None
    opening: float | None = None
    water_ml: float | None = None
    detail: str = ""
    minutes: float | None = None
    room_c: float | None = None


@record("certificate_point")
@dataclass(frozen=True)
class CertificatePoint:
    """A line of a reference's certificate, in the channel's unit; lines of one certificate share channel and date.

    drift_per_year: half-width by which such a reference may move in a year; expires_ms: when it is due again.
    """

    id: int
    channel_id: int
    dated_ms: int
    reading: float
    correction: float
    expanded_uncertainty: float
    coverage_factor: float
    drift_per_year: float = 0.0
    expires_ms: int | None = None


@record("calibration")
@dataclass(frozen=True)
class StoredCalibration:
    """A check that was put to use, as it is kept: coefficients and covariance are JSON; in the channel's unit.

    reference_channel_id: None where the reference is no instrument; reference_calibration_id: its own check then.
    """

    id: int
    channel_id: int
    reference_channel_id: int | None
    done_ms: int
    valid_from_ms: int
    model: str
    coefficients: str
    covariance: str
    pivot: float
    domain_low: float
    domain_high: float
    chi_square: float
    degrees_of_freedom: int
    coverage_factor: float
    slope_allowance: float
    widened: float
    method: str = "side"
    state: str = "as found"
    reference_calibration_id: int | None = None
    conditions: str = ""
    flicker: float = 0.0


@record("calibration_point")
@dataclass(frozen=True)
class CalibrationPoint:
    """A point of a check: what was typed on both sides, and the means and uncertainties used, in channel units.

    source: what the reference value rests on ("ice point", "table salt at 24.0 °C"); direction: "rising", "falling"
    or empty; residual: distance from the curve over its own uncertainty.
    """

    id: int
    calibration_id: int
    shown: str
    reference_shown: str
    reading: float
    reference: float
    u_reading: float
    u_reference: float
    source: str = ""
    direction: str = ""
    residual: float = 0.0


@record("budget_line")
@dataclass(frozen=True)
class BudgetLine:
    """An influence on a corrected reading at the working point of a check; degrees_of_freedom None: many."""

    id: int
    calibration_id: int
    label: str
    unit: str
    standard_uncertainty: float
    distribution: str
    degrees_of_freedom: float | None
    sensitivity: float


@record("survey")
@dataclass(frozen=True)
class Survey:
    """A comparison of places (or heights) in an incubator; egg_top_cm: height of the egg tops over the floor."""

    id: int
    incubator_id: int
    done_ms: int
    kind: Literal["places", "heights"]
    egg_top_cm: float | None


@record("survey_point")
@dataclass(frozen=True)
class SurveyPoint:
    """One place of a survey: what was typed, the mean reading and its own standard uncertainty, in channel units."""

    id: int
    survey_id: int
    channel_id: int
    place: str
    height_cm: float | None
    typed: str
    reading: float
    u_own: float


@record("probe")
@dataclass(frozen=True)
class Probe:
    """Where readings come from by themselves: a serial device, the root of the kernel's sensors, a broker or a file;
    how lines of a serial device are laid out; and which field (JSON) goes to which channel id.

    every_s: its readings are written every so many seconds, 0 as they come.
    """

    id: int
    name: str
    device: str
    baud: int
    layout: Literal["named", "columns", "json"]
    fields: str
    every_s: float
    kind: Literal["serial", "kernel", "mqtt", "file"] = "serial"


@record("logger_import")
@dataclass(frozen=True)
class LoggerImport:
    """A logger file that was brought in, with its row counts."""

    id: int
    file_name: str
    imported_ms: int
    good: int
    duplicate: int
    bad: int


@record("forecast", index=("incubator_id", "made_ms"))
@dataclass(frozen=True)
class StoredForecast:
    """What was foreseen of a machine's readings: fan is JSON, for each hour from made_ms on low, middle and high, °C or
    %."""

    id: int
    incubator_id: int
    quantity: Quantity
    made_ms: int
    fan: str
