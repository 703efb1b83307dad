"""What the true value was at each point of a check, by each method, and every influence on it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from math import exp, inf, sqrt

import numpy as np

from stathmis.core import fixed_points
from stathmis.core.calibration import Correction
from stathmis.core.checks.certificate import CertificateCurve
from stathmis.core.checks.influences import Effect, merged
from stathmis.core.errors import NumbersError
from stathmis.core.psychrometrics import relative_humidity_from_wet_bulb, standard_pressure, ventilated_wick_coefficient
from stathmis.core.uncertainty import NORMAL_95
from stathmis.core.units import NotANumberError, difference_from_inside, from_inside, parse_typed, to_inside
from stathmis.logbook.records import Channel, Instrument
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS
from stathmis.services.findings.corrections import resolution_u
from stathmis.services.findings.runs import lately
from stathmis.services.instruments.draft import JAR_HOURS, PointSet, Row, split_readings
from stathmis.services.instruments.methods import Allowance
from stathmis.services.reading_field import interpret
from stathmis.words.catalogue import N_, _
from stathmis.words.instruments import reference_values as say
from stathmis.words.instruments.labels import NOT_SETTLED
from stathmis.words.numbers import reason

WICKS: Mapping[str, tuple[str, float | None]] = {
    "ventilated": (N_("fan on it"), None),
    "light": (N_("light air"), 0.8e-3),
    "still": (N_("still air"), 1.2e-3),
}
"""How much air the wick gets: words, and the psychrometer coefficient 1/K (None: WMO-No. 8, ventilated).
Source: common practice for light and still air."""


ROOM_C = 21.0
"""A room of which nothing was read. Source: common practice."""
JAR_RESPONSE_H, JAR_FROM_RH = 2.0, 30.0
"""Air and sensor in a sealed jar come nearer by so much in so many hours, from about so far away, %. Source: common
practice (8-24 h until it is settled), approximate."""
OF_REFERENCE = "reference"
"""The cause of what a reference instrument brings along: see Effect."""


class FieldError(ValueError):
    """Something typed cannot be used; field is its key, the message says what to do. awaited: it is not typed yet."""

    def __init__(self, field: str, text: str, *, awaited: bool = False) -> None:
        super().__init__(text)
        self.field, self.awaited = field, awaited


@dataclass(frozen=True)
class ReferenceValue:
    """The true value at a point, in the checked channel's unit, what acts on it, and what it rests on in words."""

    value: float
    effects: tuple[Effect, ...]
    source: str


@dataclass(frozen=True)
class Scatter:
    """Pooled scatter of an instrument's replicates over the whole check, in its channel's unit."""

    deviation: float
    degrees_of_freedom: float


def readings_in(text: str, channel: Channel, field: str, near_c: float | None = None) -> list[float]:
    """Readings typed in one field, in the channel's unit; near_c: expected, where not an egg's.

    Raises FieldError where one cannot be read, none is there, or one is marked in another unit than its neighbors.
    """
    values, units = [], set()
    for part in split_readings(text):
        found = interpret(part, channel, near_c)
        if found.problem:
            raise FieldError(field, found.problem)
        if found.shown is not None:
            values.append(found.shown)
            units.add(found.unit)
    if not values:
        raise FieldError(field, say.A_READING_IS_MISSING_HERE(), awaited=True)
    if len(units) > 1:
        raise FieldError(field, say.THIS_ROW_MIXES_C_AND())
    return values


def number_in(text: str, field: str, what: str, low: float, high: float) -> float:
    """A plain number typed in a field. Raises FieldError outside low to high."""
    try:
        value = parse_typed(text).value
    except NotANumberError:
        raise FieldError(field, say.WHAT_IS_A_NUMBER_SUCH(what=what, word=low if low > 0 else 0)) from None
    if not low <= value <= high:
        raise FieldError(field, _("{what} runs from {low:g} to {high:g}.", what=what, low=low, high=high))
    return value


def allowance_size(points: PointSet, allowance: Allowance) -> float:
    """The size typed for an allowance, in its unit. Raises FieldError for a negative one or no number."""
    field = f"allow:{allowance.key}"
    try:
        value = parse_typed(points.allowances.get(allowance.key, "")).value
    except NotANumberError:
        raise FieldError(field, say.LABEL_WANTS_A_NUMBER_FROM(label=allowance.label)) from None
    if value < 0:
        raise FieldError(field, say.LABEL_CANNOT_BE_NEGATIVE_WRITE(label=allowance.label))
    return value


def temperature_in(text: str, field: str, book: Book, low: float, high: float) -> float:
    """A temperature typed in the keeper's unit or marked C or F, in °C. Raises FieldError outside low to high (°C)."""
    try:
        typed = parse_typed(text)
    except NotANumberError:
        raise FieldError(field, say.A_TEMPERATURE_IS_MISSING_HERE(), awaited=True) from None
    unit = typed.unit or book.temperature_unit
    if unit == "%":
        raise FieldError(field, say.THIS_FIELD_TAKES_A_TEMPERATURE())
    value = float(to_inside(typed.value, unit))
    if not low <= value <= high:
        other = _("write 72F for Fahrenheit") if unit == "°C" else _("write 22C for Celsius")
        raise FieldError(field, say.VALUE_UNIT_IS_OUT_OF(value=typed.value, unit=unit, other=other))
    return value


def pressure_hpa(book: Book, points: PointSet) -> float:
    """Air pressure at the place as the set says. Raises FieldError."""
    how = points.settings.get("pressure_from", "altitude")
    typed = points.settings.get("pressure", "")
    if how == "here":
        return number_in(typed, "pressure", say.THE_PRESSURE_HERE_IN_HPA(), 500.0, 1090.0)
    altitude = number_in(points.settings.get("altitude", ""), "altitude", say.THE_ALTITUDE_IN_METERS(), -500.0, 5000.0)
    if how == "report":
        report = number_in(typed, "pressure", say.THE_REPORTED_PRESSURE_IN_HPA(), 850.0, 1100.0)
        return fixed_points.pressure_here(report, altitude)
    return float(standard_pressure(altitude))


def reference_value(
    book: Book, channel: Channel, points: PointSet, row: Row, scatter: Mapping[int, Scatter]
) -> ReferenceValue:
    """The true value at one row. scatter: pooled, by channel id. Raises FieldError."""
    maker = {
        "instrument": _instrument,
        "fixed": _ice,
        "pressure": _steam,
        "gun": _gun,
        "salt": _salt,
        "bulbs": _bulbs,
    }[points.method.reference]
    return maker(book, channel, points, row, scatter)


def _allowed(points: PointSet, channel: Channel, sensitivities: Mapping[str, float]) -> list[Effect]:
    """Effects of a method's allowances; sensitivity 1 unless given."""
    made = []
    for a in points.method.allowances:
        size = allowance_size(points, a)
        unit = a.unit(channel.unit)
        slope = sensitivities.get(a.key, 1.0)
        made.append(Effect(a.label, unit, a.standard(size), slope, a.shared, a.distribution))
    return made


def _channel(book: Book, channel_id: int | None, field: str) -> tuple[Instrument, Channel]:
    if channel_id is None:
        raise FieldError(field, say.CHOOSE_AN_INSTRUMENT_HERE_ENTER())
    found = book.channel(channel_id)
    return book.instrument(found.instrument_id), found


def corrected_with_effects(
    book: Book, instrument: Instrument, channel: Channel, shown: float, unit: str
) -> tuple[float, list[Effect]]:
    """A reference's corrected reading and every influence of its own correction, in unit ("°C", "°F" or "%").

    All are shared: the reference carries the same errors from point to point.
    """
    force = book.corrections.in_force(channel, book.now_ms)
    value, u = force.curve.apply(shown)
    name = instrument.name
    own: list[Effect] = []
    if isinstance(force.curve, CertificateCurve):
        inside = float(np.interp(shown, force.curve.reading, force.curve.u))
        own.append(Effect(_("Certificate of {name}", name=name), channel.unit, inside, 1.0, True, cause=OF_REFERENCE))
        point = book.corrections.certificate_of(channel.id, book.now_ms)[0]
        years = max(0.0, (book.now_ms - point.dated_ms) / (365.25 * DAY_MS))
        drift = point.drift_per_year * years / sqrt(3.0)
        since = say.DRIFT_OF_NAME_SINCE_ITS(name=name)
        own.append(Effect(since, channel.unit, drift, 1.0, True, "rectangular", cause=OF_REFERENCE))
        beyond = sqrt(max(u**2 - inside**2, 0.0))
        own.append(Effect(say.NAME_BEYOND_ITS_CERTIFICATES_POINTS(name=name), channel.unit, beyond, 1.0, True))
    elif force.basis == "stated accuracy":
        stated = _("Stated accuracy of {name}", name=name)
        own.append(Effect(stated, channel.unit, u, 1.0, True, "rectangular", cause=OF_REFERENCE))
    else:
        own += _own_check(name, channel, force.curve, shown, force.coverage_factor / NORMAL_95)
    per = float(difference_from_inside(1.0, unit)) / float(difference_from_inside(1.0, channel.unit))  # type: ignore[arg-type]
    inside_value = float(to_inside(value, channel.unit))
    return (
        float(from_inside(inside_value, unit)),  # type: ignore[arg-type]
        [replace(e, sensitivity=e.sensitivity * per) for e in own if e.standard_uncertainty > 0],
    )


def _own_check(name: str, channel: Channel, curve: Correction, shown: float, few: float) -> list[Effect]:
    """A reference's own check: its coefficients' covariance taken apart into independent causes."""
    root = np.linalg.cholesky(curve.covariance + np.eye(len(curve.coefficients)) * 1e-18)
    basis = np.array(curve.basis_at(shown))
    made = []
    for column, what in zip((basis @ root).tolist(), ("offset", "slope", "bend"), strict=False):
        label = _("Own check of {name}, {what}", name=name, what=what)
        sign = 1.0 if column >= 0 else -1.0
        made.append(Effect(label, channel.unit, abs(column) * few, sign, True, cause=OF_REFERENCE))
    beyond = float(curve.beyond_u(shown))
    made.append(Effect(say.NAME_BEYOND_ITS_CHECKED_RANGE(name=name), channel.unit, beyond, 1.0, True))
    return made


def _read(
    book: Book,
    points: PointSet,
    row: Row,
    field: str,
    channel_id: int | None,
    unit: str,
    scatter: Mapping[int, Scatter],
) -> tuple[float, list[Effect], str]:
    """A reference instrument's field: its corrected mean in unit, everything acting on it, and its name."""
    chooser = "second" if field == "wet" else "reference_id"
    instrument, channel = _channel(book, channel_id, chooser)
    shown = readings_in(row.cells.get(field, ""), channel, field)
    value, effects = corrected_with_effects(book, instrument, channel, float(np.mean(shown)), unit)
    per = float(difference_from_inside(1.0, unit)) / float(difference_from_inside(1.0, channel.unit))  # type: ignore[arg-type]
    pool = scatter.get(channel.id, Scatter(0.0, 0.0))
    steps = _("Display steps of {instrument}", instrument=instrument.name)
    effects.append(Effect(steps, channel.unit, resolution_u(channel), per, False, "rectangular"))
    effects.append(
        Effect(
            _("Scatter of {instrument}", instrument=instrument.name),
            channel.unit,
            pool.deviation,
            per / sqrt(len(shown)),
            False,
            "normal",
            pool.degrees_of_freedom or inf,
            "scatter",
        )
    )
    return value, effects, instrument.name


def _instrument(
    book: Book, channel: Channel, points: PointSet, row: Row, scatter: Mapping[int, Scatter]
) -> ReferenceValue:
    value, effects, name = _read(book, points, row, "reference", points.reference_id, channel.unit, scatter)
    return ReferenceValue(value, (*effects, *_allowed(points, channel, {})), name)


def _ice(book: Book, channel: Channel, points: PointSet, row: Row, scatter: Mapping[int, Scatter]) -> ReferenceValue:
    value = float(from_inside(fixed_points.ICE_POINT_C, channel.unit))
    return ReferenceValue(value, tuple(_allowed(points, channel, {})), _("ice point"))


def _steam(book: Book, channel: Channel, points: PointSet, row: Row, scatter: Mapping[int, Scatter]) -> ReferenceValue:
    pressure = pressure_hpa(book, points)
    steam_c, per_hpa = fixed_points.steam_point(pressure)
    slope = float(difference_from_inside(per_hpa, channel.unit))
    value = float(from_inside(steam_c, channel.unit))
    return ReferenceValue(
        value,
        tuple(_allowed(points, channel, {"pressure": slope})),
        _("steam at {pressure:.0f} hPa", pressure=pressure),
    )


def _salt(book: Book, channel: Channel, points: PointSet, row: Row, scatter: Mapping[int, Scatter]) -> ReferenceValue:
    salt = row.cells.get("salt", "")
    if salt not in fixed_points.SALTS:
        raise FieldError("salt", say.CHOOSE_THE_SALT_IN_THIS(), awaited=True)
    jar_c = temperature_in(row.cells.get("jar", ""), "jar", book, 0.0, 50.0)
    try:
        rh, U = fixed_points.salt_humidity(salt, jar_c)
        slope = fixed_points.salt_slope(salt, jar_c)
    except fixed_points.FixedPointError as error:
        raise FieldError("jar", say.ERROR_KEEP_THE_JAR_WITHIN(error=reason(error))) from None
    name = _(fixed_points.SALTS[salt].name)
    typed = points.settings.get("jar_hours", JAR_HOURS)
    hours = number_in(typed, "jar_hours", _("Jar time, h"), 0.5, 500.0)
    way = Effect(NOT_SETTLED, "%", 0.5 * JAR_FROM_RH * exp(-hours / JAR_RESPONSE_H))
    table = Effect(_("Table value, {name}", name=name), "%", U / 2.0, 1.0, True, cause="table")
    return ReferenceValue(
        rh,
        (table, way, *_allowed(points, channel, {"jar_c": slope})),
        _("{name} at {jar_c:.1f} °C", name=name, jar_c=jar_c),
    )


def _bulbs(book: Book, channel: Channel, points: PointSet, row: Row, scatter: Mapping[int, Scatter]) -> ReferenceValue:
    dry, dry_effects, dry_name = _read(book, points, row, "reference", points.reference_id, "°C", scatter)
    wet, wet_effects, wet_name = _read(book, points, row, "wet", points.second_id, "°C", scatter)
    pressure = pressure_hpa(book, points)
    _name, fixed = WICKS[points.settings.get("wick", "ventilated")]
    if wet > dry:
        raise FieldError("wet", say.THE_WET_BULB_IS_ABOVE())

    def humidity(dry_c: float, wet_c: float, hpa: float, factor: float) -> float:
        coefficient = factor * float(ventilated_wick_coefficient(wet_c) if fixed is None else fixed)
        return float(relative_humidity_from_wet_bulb(dry_c, min(wet_c, dry_c), hpa, coefficient))

    try:
        rh = humidity(dry, wet, pressure, 1.0)
    except NumbersError as error:
        raise FieldError("wet", f"{reason(error)}.") from None
    if not 0.0 < rh <= 100.0:
        raise FieldError("wet", say.NO_AIR_IS_THAT_DRY())
    step = 0.01
    by_dry = (humidity(dry + step, wet, pressure, 1.0) - rh) / step
    by_wet = (rh - humidity(dry, wet - step, pressure, 1.0)) / step
    slopes = {
        "wick": (humidity(dry, wet, pressure, 1.01) - rh) / 0.01,
        "pressure": humidity(dry, wet, pressure + 1.0, 1.0) - rh,
    }
    effects = [replace(e, sensitivity=e.sensitivity * by_dry) for e in dry_effects]
    if points.second_id == points.reference_id:
        # one thermometer read dry, then wet: its correction is the same error twice, its flicker is not
        wet_effects = [e if e.shared else replace(e, label=_("{label}, wet", label=_(e.label))) for e in wet_effects]
    effects += [replace(e, sensitivity=e.sensitivity * by_wet) for e in wet_effects]
    names = (
        dry_name if dry_name == wet_name else _("{dry_name} dry, {wet_name} wet", dry_name=dry_name, wet_name=wet_name)
    )
    return ReferenceValue(rh, merged([*effects, *_allowed(points, channel, slopes)]), names)


def _gun_c(book: Book, points: PointSet) -> float:
    """How warm the gun itself is, °C: as typed, else as the room was when it was read last, else as rooms are."""
    if points.settings.get("gun_c", "").strip():
        return temperature_in(points.settings["gun_c"], "gun_c", book, 0.0, 45.0)
    room = book.room()
    warm = lately(book, room, "temperature", book.now_ms - DAY_MS, book.now_ms) if room is not None else None
    return float(warm.corrected[-1]) if warm is not None else ROOM_C


def _gun(book: Book, channel: Channel, points: PointSet, row: Row, scatter: Mapping[int, Scatter]) -> ReferenceValue:
    """The gun is the reference for a tip on the shell; where the gun itself is checked, the tip is its reference."""
    value, effects, name = _read(book, points, row, "reference", points.reference_id, "°C", scatter)
    walls = temperature_in(row.cells.get("walls", ""), "walls", book, -10.0, 60.0)
    emissivity = number_in(points.settings.get("emissivity", ""), "emissivity", _("The emissivity"), 0.5, 1.0)
    setting = number_in(points.settings.get("gun_setting", ""), "gun_setting", _("The gun's setting"), 0.5, 1.0)
    gun_c = _gun_c(book, points)
    checked = book.instrument(channel.instrument_id)
    turn = fixed_points.gun_reading if checked.kind == "infrared gun" else fixed_points.shell_temperature

    def other(of_c: float, walls_c: float, of_emissivity: float, own_c: float = gun_c) -> float:
        return turn(of_c, walls_c, of_emissivity, setting, own_c)

    # a shell cannot send out more than a black body: the slope is taken on the side that exists
    step = 0.01 if emissivity <= 0.99 else -0.01
    at = other(value, walls, emissivity)
    unit = channel.unit
    slopes = {
        "emissivity": (other(value, walls, emissivity + step) - at) / step,
        "walls": other(value, walls + 0.5, emissivity) - other(value, walls - 0.5, emissivity),
        "gun": other(value, walls, emissivity, gun_c + 0.5) - other(value, walls, emissivity, gun_c - 0.5),
    }
    by_value = other(value + 0.5, walls, emissivity) - other(value - 0.5, walls, emissivity)
    per = float(difference_from_inside(1.0, unit))
    effects = [replace(e, sensitivity=e.sensitivity * by_value * per) for e in effects]
    # the walls' allowance is typed in the channel's unit already; emissivity has none
    slopes["emissivity"] *= per
    return ReferenceValue(
        float(from_inside(at, unit)), (*effects, *_allowed(points, channel, slopes)), _("shell, by {name}", name=name)
    )
