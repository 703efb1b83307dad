"""Logger files whose truth is known: sixty ways of writing the same readings, and damage done to them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, timezone, tzinfo
from zoneinfo import ZoneInfo

import numpy as np

ZONE = "Europe/Berlin"
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
Write = Callable[[datetime], list[str]]


def _half(at: datetime, seconds: bool) -> str:
    clock = f"{at:%M:%S}" if seconds else f"{at:%M}"
    return f"{at.hour % 12 or 12}:{clock} {'AM' if at.hour < 12 else 'PM'}"


TIMES: dict[str, tuple[list[str], Write, tzinfo]] = {
    "iso": (["time"], lambda t: [f"{t:%Y-%m-%d %H:%M:%S}"], ZoneInfo(ZONE)),
    "iso T": (["Timestamp"], lambda t: [f"{t:%Y-%m-%dT%H:%M:%S}"], ZoneInfo(ZONE)),
    "iso Z": (["time"], lambda t: [f"{t:%Y-%m-%dT%H:%M:%S}Z"], UTC),
    "iso offset": (["time"], lambda t: [f"{t:%Y-%m-%dT%H:%M:%S}+05:30"], timezone(timedelta(minutes=330))),
    "iso fraction": (["time"], lambda t: [f"{t:%Y-%m-%d %H:%M:%S}.000"], ZoneInfo(ZONE)),
    "heading UTC+2": (["Time (UTC+2)"], lambda t: [f"{t:%Y-%m-%d %H:%M}"], timezone(timedelta(hours=2))),
    "heading GMT-05:30": (
        ["Date Time, GMT-05:30"],
        lambda t: [f"{t:%Y-%m-%d %H:%M}"],
        timezone(-timedelta(minutes=330)),
    ),
    "day first dots": (["Zeit"], lambda t: [f"{t:%d.%m.%Y %H:%M}"], ZoneInfo(ZONE)),
    "day first slashes": (["Date and time"], lambda t: [f"{t:%d/%m/%Y %H:%M:%S}"], ZoneInfo(ZONE)),
    "day first, short year": (["Datum/Zeit"], lambda t: [f"{t:%d.%m.%y %H:%M:%S}"], ZoneInfo(ZONE)),
    "month first": (["Time"], lambda t: [f"{t.month}/{t.day}/{t.year} {t:%H:%M}"], ZoneInfo(ZONE)),
    "month first, halves": (["Time"], lambda t: [f"{t:%m/%d/%Y} {_half(t, True)}"], ZoneInfo(ZONE)),
    "month first, short year": (["Time"], lambda t: [f"{t:%m/%d/%y} {_half(t, False)}"], ZoneInfo(ZONE)),
    "two columns": (["Date", "Time"], lambda t: [f"{t:%d.%m.%Y}", f"{t:%H:%M:%S}"], ZoneInfo(ZONE)),
    "two columns, dots": (["Date", "Time"], lambda t: [f"{t:%Y.%m.%d}", f"{t:%H:%M}"], ZoneInfo(ZONE)),
    "clock before date": (["Uhrzeit", "Datum"], lambda t: [f"{t:%H:%M}", f"{t:%d.%m.%Y}"], ZoneInfo(ZONE)),
    "short year first": (["time"], lambda t: [f"{t:%y-%m-%d %H:%M:%S}"], ZoneInfo(ZONE)),
    "named month": (["time"], lambda t: [f"{t.day:02d}-{MONTHS[t.month - 1]}-{t.year} {t:%H:%M:%S}"], ZoneInfo(ZONE)),
    "basic": (["time"], lambda t: [f"{t:%Y%m%dT%H%M%S}"], ZoneInfo(ZONE)),
    "epoch": (["epoch"], lambda t: [f"{t.timestamp():.0f}"], UTC),
    "epoch ms": (["ts"], lambda t: [f"{t.timestamp() * 1000:.0f}"], UTC),
}
HEADINGS = {
    "plain": ("Temp (°C)", "Humidity (%)", "°C"),
    "words": ("Temperature", "Humidity", "°C"),
    "letters": ("T", "RH", "°C"),
    "own language": ("Temperatur [°C]", "Feuchte [% rF]", "°C"),
    "fahrenheit": ("Temperature °F", "RH %", "°F"),
    "temp f": ("Temp_F", "Hum", "°F"),
    "bracket f": ("Air [F]", "Air [%RH]", "°F"),
    "deg f": ("T degF", "RH", "°F"),
    "bare f": ("Temperature", "Humidity", "°F"),
    "none": ("", "", "°C"),
}


@dataclass(frozen=True)
class Made:
    """A file and its truth: text, and by line (from 0) its time (UTC ms), °C and % RH."""

    name: str
    text: str
    truth: dict[int, tuple[int, float, float]]


def make(rng: np.random.Generator, now: datetime) -> Made:
    """A file in a way chosen by chance: some minutes apart, ending before now (UTC); one in ten is long."""
    way = str(rng.choice(list(TIMES)))
    titles, write, zone = TIMES[way]
    # a zone told in a heading needs one
    heading = str(rng.choice(list(HEADINGS)[: -1 if way.startswith("heading") else None]))
    temp, hum, unit = HEADINGS[heading]
    separator = str(rng.choice([",", ";", "\t", "|"]))
    comma = bool(rng.random() < 0.4)
    quoted = bool(rng.random() < 0.3)
    cell_units = bool(rng.random() < 0.15)
    fraction = bool(rng.random() < 0.1) and heading in ("words", "letters")
    index = bool(rng.random() < 0.2)
    every = int(rng.choice([1, 5, 10, 15, 30, 60]))
    count = int(rng.integers(1000, 5000) if rng.random() < 0.1 else rng.integers(20, 200))
    # on a whole minute: some ways write no seconds
    last = (now - timedelta(minutes=int(rng.integers(1, 60 * 24 * 200)))).replace(second=0, microsecond=0)
    preamble = ["# exported by a logger"] * int(rng.integers(0, 3))
    lines, truth = list(preamble), {}
    names = [*(["No."] if index else []), *titles, temp, hum]
    if heading != "none":
        lines.append(separator.join(f'"{n}"' if quoted or separator in n else n for n in names))
    for i in range(count):
        at = last - timedelta(minutes=every * (count - 1 - i))
        celsius, humidity = round(float(rng.normal(37.6, 0.4)), 1), round(float(rng.normal(48.0, 4.0)), 1)
        shown = round(celsius * 1.8 + 32.0, 2) if unit == "°F" else celsius
        cells = [*([str(i + 1)] if index else []), *write(at.astimezone(zone))]
        number = [
            f"{shown:.2f}" if unit == "°F" else f"{shown:.1f}",
            f"{humidity / 100:.3f}" if fraction else f"{humidity:.1f}",
        ]
        if comma:
            number = [n.replace(".", ",") for n in number]
        if cell_units and not fraction:
            number = [f"{number[0]} {unit}", f"{number[1]} %"]
        cells += number
        if quoted or (comma and separator == ","):
            cells = [f'"{c}"' for c in cells]
        truth[len(lines)] = (round(at.timestamp() * 1000), celsius, humidity)
        lines.append(separator.join(cells))
    name = f"{way}; {heading}; {separator!r}{' comma' if comma else ''}{' quoted' if quoted else ''}"
    return Made(name, "\n".join(lines) + "\n", truth)


def damage(made: Made, rng: np.random.Generator) -> Made:
    """The same file with something done to it; lines that were touched are no longer in its truth."""
    lines, truth = made.text.split("\n"), dict(made.truth)
    for _ in range(int(rng.integers(0, 4))):
        at = int(rng.choice(list(truth))) if truth else 0
        kind = int(rng.integers(0, 9))
        line = lines[at]
        if kind == 0:
            lines[at] = line.replace("3", '"', 1)
        elif kind == 1:
            lines[at] = line[: int(rng.integers(0, len(line) + 1))]
        elif kind == 2:
            lines[at] = line + ";,;\t|7"
        elif kind == 3:
            place = int(rng.integers(0, len(line) + 1))
            lines[at] = line[:place] + str(rng.choice(["x", "é", "\x0c", "\u2028", "--", " "])) + line[place:]
        elif kind == 4:
            lines[at] = "ERROR sensor lost"
        elif kind == 5:
            lines[at] = ""
        elif kind == 6 and len(line) > 3:
            lines[at] = line[:-3] + "err"
        elif kind == 7:
            lines[0] = lines[0] if 0 in truth else lines[0] + "\x0c\u2028"
            continue
        else:
            continue
        truth.pop(at, None)
    return Made(made.name, "\n".join(lines), truth)
