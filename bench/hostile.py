"""What hostile input does, in counts: logger files in many ways, damaged, against the truth that made them."""

from __future__ import annotations

import csv
import io
import sys
import tempfile
import zipfile
from collections import Counter
from collections.abc import Callable
from contextlib import closing
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from zoneinfo import available_timezones

import numpy as np
from dialects import ZONE, Made, damage, make
from icalendar import Calendar

from stathmis.core.course.profile import Band, OwnProfile, Stage
from stathmis.core.course.way import Way
from stathmis.core.errors import UserError
from stathmis.demo.scenario import build
from stathmis.devices.line_protocol import LAYOUTS, LineSplitter, values_in
from stathmis.exchange.calendar_file import Entry, calendar_text
from stathmis.exchange.csv_layout import Layout, find_layout
from stathmis.exchange.logger_csv import Table, read_table
from stathmis.exchange.profile_file import parse_profile, profile_text
from stathmis.exchange.way_file import PassedOn, parse_way, way_text
from stathmis.logbook.opening import open_logbook
from stathmis.logbook.records import Batch
from stathmis.services import knowledge, setting_up
from stathmis.services.batch import batches, own_species
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.eggs import delivery, shells
from stathmis.services.files import archive
from stathmis.services.plan import clutch, planning

NOW = datetime(2026, 5, 18, 8, 40, tzinfo=UTC)
FILES = 2000


def outcome(made: Made, path: Path) -> str:
    """What became of a file: "right", "asked" (one of what was asked is right), "refused", "wrong" or "uncaught"."""
    path.write_text(made.text, encoding="utf-8")
    try:
        layout = find_layout(path, round(NOW.timestamp() * 1000))
        choices = [layout]
        if layout.or_order is not None:
            choices.append(replace(layout, date_order=layout.or_order))
        asked = len(choices) > 1 or layout.or_paired
        results = [_judge(made, choice, path) for choice in choices]
    except UserError as error:
        return f"refused: {error.what.replace(path.name, 'it')}"
    except Exception as error:  # noqa: BLE001  counted: that is what this is for
        return f"uncaught {type(error).__name__}"
    if not asked:
        return results[0]
    return "asked" if "right" in results else results[0]


def _judge(made: Made, layout: Layout, path: Path) -> str:
    of = {kind: [c for c in layout.columns if c.looks_like == kind] for kind in ("temperature", "humidity")}
    columns = tuple(c.index for found in of.values() for c in found[:1])
    if not columns:
        return "left to the keeper"
    zone = None if layout.aware else ZONE if layout.offset_min is None else layout.offset_min
    table = read_table(path, layout, layout.time_columns, columns, layout.date_order, zone)
    rows = made.text.count("\n") + (0 if made.text.endswith("\n") else 1) - layout.skip
    if table.lines.size + table.faults.total + table.blank != rows:
        return "rows do not add up"
    return _against_truth(made, layout, table, of)


def _against_truth(made: Made, layout: Layout, table: Table, of: dict[str, list]) -> str:  # type: ignore[type-arg]
    for i, line in enumerate(table.lines - 1):
        if int(line) not in made.truth:
            continue
        ms, celsius, humidity = made.truth[int(line)]
        if int(table.times_ms[i]) != ms:
            return "wrong time"
        for kind, want in (("temperature", celsius), ("humidity", humidity)):
            for column in of[kind][:1]:
                value = float(table.values[column.index][i])
                if column.unit == "°F":
                    value = (value - 32.0) / 1.8
                elif column.unit == "of 1":
                    value *= 100.0
                if not np.isnan(value) and abs(value - want) > 0.06:
                    return f"wrong {kind}"
    lost = len(set(made.truth) - set((table.lines - 1).tolist()))
    return "right" if lost == 0 else "right, rows of a doubled hour left out with the reason"


def serial_lines(rng: np.random.Generator, lines: int) -> Counter[str]:
    """Probe lines with damage: read, not understood (and counted), misread, or an error nobody catches."""
    counts: Counter[str] = Counter()
    for _ in range(lines):
        t, h = round(float(rng.normal(37.5, 1.0)), 2), round(float(rng.normal(48.0, 5.0)), 1)
        comma = bool(rng.random() < 0.3)
        ways = (f"t={t} rh={h}", f"{t};{h}", f"{t} {h}", f"{t}\t{h}", f'{{"t": {t}, "rh": {h}}}', f"{t}, {h}")
        line = str(rng.choice(ways[:4] if comma else ways))
        line = line.replace(".", ",") if comma else line
        hurt = int(rng.integers(0, 8))
        data = line.encode()
        if hurt == 0:
            data = rng.bytes(int(rng.integers(0, 3000)))
        elif hurt == 1:
            data = b"[" * int(rng.integers(1, 3000))
        elif hurt == 2:
            data = b'{"t": ' + b"9" * int(rng.integers(1, 600)) + b"}"
        splitter = LineSplitter()
        try:
            found = [values_in(text, lay) for text in splitter.feed(data + b"\n") for lay in LAYOUTS[:]]
            values = next((v for v in found if v), {})
        except Exception as error:  # noqa: BLE001  counted: that is what this is for
            counts[f"uncaught {type(error).__name__}"] += 1
            continue
        if hurt > 2:
            counts["read" if list(values.values()) == [t, h] else "not understood" if not values else "misread"] += 1
        else:
            counts["garbage survived"] += 1
    return counts


OWN = OwnProfile(
    "Mine",
    "chicken",
    "they hatch a day early",
    (
        Stage("setting", 0.0, Band(37.4, 37.8), Band(40.0, 50.0), "turn"),
        Stage("lockdown", 17.5, Band(37.1, 37.5), Band(60.0, 70.0), "stop turning"),
    ),
    20.5,
)
WAY = Way(
    turning="by hand",
    turns_a_day=3,
    cooling="by hand",
    candling_days=(8.0, 18.0),
    set_c=37.8,
    setting_rh=(30.0, 40.0),
    vent_lockdown=60.0,
    airing_day=5,
)
NASTY = (
    "", "\\N", "0", "-1", "1e308", "nan", "inf", "9" * 40, "-9223372036854775808", "99999999999999", "x" * 5000,
    "[1, 2", "{}", "[[[]]]", "null", "Nowhere/Land", "unicorn", "'=1", "\x00", "°", "4711", "2.5", "true",
)  # fmt: skip
"""Cells no window would let in."""
HOSTILE_WORDS = (
    "a, b; c",
    "a\\nb",
    "BEGIN:VEVENT",
    "END:VCALENDAR",
    "\\",
    'say "x"',
    "a: b",
    "é" * 90,
    "🐣" * 40,
    "؜שלום",
)


def archives(rng: np.random.Generator, number: int, desk: Desk, folder: Path) -> Counter[str]:
    """Archives with cells or bytes altered: made whole and workable, refused in words, or an error nobody catches."""
    source, target = folder / "hurt.zip", folder / "new.stathmis"
    archive.write(desk, source)
    with zipfile.ZipFile(source) as old:
        sound = {name: old.read(name) for name in old.namelist() if name != "chunk_reading.csv"}
        readings = old.read("chunk_reading.csv")
    packed, counts = source.read_bytes(), Counter[str]()
    texts = [name for name in sound if name.endswith(".csv") and sound[name].count(b"\n") > 1]
    for _ in range(number):
        if rng.random() < 0.3:
            data = bytearray(packed)
            for _ in range(int(rng.integers(1, 6))):
                data[int(rng.integers(0, len(data)))] ^= 1 << int(rng.integers(0, 8))
            source.write_bytes(data)
        else:
            name = str(rng.choice(texts))
            rows = list(csv.reader(io.StringIO(sound[name].decode())))
            row = rows[int(rng.integers(0 if rng.random() < 0.1 else 1, len(rows)))]
            row[int(rng.integers(0, len(row)))] = str(rng.choice(NASTY))
            text = io.StringIO()
            csv.writer(text).writerows(rows)
            with zipfile.ZipFile(source, "w") as new:
                for kept, raw in {**sound, name: text.getvalue().encode(), "chunk_reading.csv": readings}.items():
                    new.writestr(kept, raw)
        try:
            archive.restore(source, target)
            counts["restored"] += 1
            target.unlink()
        except UserError:
            counts["refused"] += 1
        except Exception as error:  # noqa: BLE001  counted: that is what this is for
            counts[f"UNCAUGHT {type(error).__name__}: {str(error)[:80]}"] += 1
        left = [p.name for p in folder.iterdir() if p.name.startswith("new")]
        if left:
            counts["half-made left"] += 1
            for file in left:
                (folder / file).unlink()
    return counts


def texts(rng: np.random.Generator, number: int, text: str, parse: Callable[[str], object]) -> Counter[str]:
    """Files of the keeper's own making (profiles, ways) with bytes, lines and words altered."""
    counts, lines = Counter[str](), text.splitlines()
    for _ in range(number):
        hurt = list(lines)
        for _ in range(int(rng.integers(1, 4))):
            at = int(rng.integers(0, len(hurt)))
            way = int(rng.integers(0, 4))
            if way == 0:
                hurt.insert(at, hurt[int(rng.integers(0, len(hurt)))])
            elif way == 1 and "=" in hurt[at]:
                hurt[at] = hurt[at].split("=")[0] + "= " + str(rng.choice(NASTY))
            elif way == 2 and len(hurt) > 1:
                del hurt[at]
            else:
                cut = int(rng.integers(0, len(hurt[at]) + 1))
                hurt[at] = hurt[at][:cut] + chr(int(rng.integers(0, 0x2FF))) + hurt[at][cut:]
        try:
            parse("\n".join(hurt))
            counts["read"] += 1
        except UserError:
            counts["refused"] += 1
        except Exception as error:  # noqa: BLE001  counted: that is what this is for
            counts[f"UNCAUGHT {type(error).__name__}: {str(error)[:80]}"] += 1
    return counts


def calendars(rng: np.random.Generator, number: int) -> Counter[str]:
    """Calendar files of hostile names in any zone at any accepted time, read back: the same, or not.

    The library takes a typed "\\N" for a new line, so that it is left out.
    """
    hostile = [word for word in (*NASTY, *HOSTILE_WORDS) if "\\N" not in word]
    zones, counts = sorted(available_timezones()), Counter[str]()
    earliest, latest = (round(datetime(year, 1, 3, tzinfo=UTC).timestamp()) for year in (1970, 2199))
    for _ in range(number):
        words = [str(word) for word in rng.choice(hostile, (3, 3)).flat]
        entries = []
        for i in range(3):
            begin_ms = int(rng.integers(earliest, latest)) * 1000
            uid = f"{words[3 * i]} {i}"
            entries.append(Entry(uid, *words[3 * i : 3 * i + 3], begin_ms, cancelled=bool(rng.random() < 0.2)))
        try:
            text = calendar_text(entries, str(rng.choice(zones)), words[0], round(NOW.timestamp() * 1000))
            found = Calendar.from_ical(text).walk("VEVENT")
        except Exception as error:  # noqa: BLE001  counted: that is what this is for
            counts[f"UNCAUGHT {type(error).__name__}: {str(error)[:80]}"] += 1
            continue
        told = [(round(e.decoded("dtstart").timestamp() * 1000), str(e["summary"])) for e in found]
        meant = [(e.begin_ms, e.title) for e in entries]
        counts["the same" if told == meant else f"OTHER: {told} for {meant}"[:400]] += 1
    return counts


def kept_otherwise(desk: Desk) -> None:
    """A species of one's own, eggs as they came, a way changed in mid-batch, shells, a pair and an instrument in the
    box of a clutch, for the archives to hold."""
    draft = own_species.draft_of(knowledge.species()["duck"], "°C", copy=True)
    own_species.keep(desk, own_species.typed(draft, "name", "teal"))
    plan = planning.plans(desk.book)[0]
    planning.change_way(desk, plan, WAY, whole=False)
    delivery.note(desk, planning.plans(desk.book)[0], "cracked", "2")
    machine = desk.book.incubators()[0]
    course = batches.running(desk.book, machine)
    assert course is not None
    instrument, channel = shells.instruments(desk.book)[0]
    shells.log_shells(desk, course, channel, "37.8C 38C 37.9C", "20", desk.now_ms)
    clutch.log_pairing(desk, "leopard_gecko", "Fig", desk.now_ms - 86_400_000)
    second = setting_up.set_batch(desk, machine, "Fig's", "leopard_gecko", "steady", 2, desk.now_ms)
    own = next(b for b in desk.book.records(Batch) if b.id == second)
    setting_up.move_instrument(desk, instrument.id, machine.id, at_egg_top=True, place="box", batch=own)


def main() -> None:
    """Count."""
    files = int(sys.argv[1]) if len(sys.argv) > 1 else FILES
    rng = np.random.default_rng(15)
    found = serial_lines(rng, 10 * files)
    print(f"{10 * files} serial lines: " + ", ".join(f"{n} {what}" for what, n in found.most_common()))
    with tempfile.TemporaryDirectory() as folder:
        path, now_ms = Path(folder) / "demo.stathmis", round(NOW.timestamp() * 1000)
        build(path, now_ms, "UTC")
        with closing(open_logbook(path)) as logbook:
            desk = Desk(logbook, FixedClock(now_ms))
            kept_otherwise(desk)
            known = knowledge.species().keys()
            for what, text, parse in (
                ("profiles", profile_text(OWN), lambda t: parse_profile(t, known)),
                ("ways", way_text(PassedOn("duck", WAY)), parse_way),
            ):
                told = texts(rng, 2 * files, text, parse)
                print(f"{2 * files} {what}: " + ", ".join(f"{n} {what}" for what, n in told.most_common()))
            told = archives(rng, files // 4, desk, Path(folder))
    print(f"{files // 4} archives: " + ", ".join(f"{n} {what}" for what, n in told.most_common()))
    told = calendars(rng, files // 10)
    print(f"{files // 10} calendar files: " + ", ".join(f"{n} {what}" for what, n in told.most_common()))
    counts: Counter[str] = Counter()
    shown: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "log.csv"
        for _ in range(files):
            made = damage(make(rng, NOW), rng)
            found = outcome(made, path)
            counts[found] += 1
            if found not in ("right", "asked") and shown[found] < 4:
                shown[found] += 1
                print(f"{found}: {made.name}")
    print(f"{files} logger files: " + ", ".join(f"{n} {what}" for what, n in counts.most_common()))


if __name__ == "__main__":
    main()
