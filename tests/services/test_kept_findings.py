"""Everything that follows from some logbooks, kept: a change that alters any finding, advice or sentence shows here.

Every public function of services and words that asks only for a book and what other functions found is called with what
there is; of each the words are kept as a checksum, the numbers as they are. With STATHMIS_KEEP=1 they are kept anew:
look at what changed first (the message names the functions, and where it is written out).
"""

from __future__ import annotations

import dataclasses
import hashlib
import importlib
import inspect
import itertools
import os
import pkgutil
import types
import typing
from collections.abc import Callable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from enum import Enum
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import making
import stathmis.services
import stathmis.words
from stathmis.core.errors import UserError
from stathmis.logbook import records
from stathmis.services.batch import batches
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.eggs import findings as egg_findings

KEPT = Path(__file__).with_name("kept_findings")
MOST_OF_A_KIND, MOST_CALLS, MOST_NUMBERS = 12, 40, 400
FUTURES = {
    "services.findings.twin.twin": 6,
    "services.findings.ahead.ahead": 6,
    "services.findings.twin.go_on": 3,
    "services.advice.trying.tried": 3,
    "services.advice.trying.for_lockdown": 3,
}
"""What lives through two days to come for each call: of these so many calls, from the first to the last."""
DO_NOT_GO_TOGETHER = (UserError, ValueError, LookupError, AssertionError, TypeError, AttributeError, ArithmeticError)
NOT_FOUND_TWICE = ("clock", "demo", "notify")
Pool = dict[type, list[Any]]
PLAIN: dict[Any, list[Any]] = {int: [1, 12], float: [37.5, 50.0], str: ["", "1"], bool: [False, True]}


def modules() -> Iterator[types.ModuleType]:
    for package in (stathmis.services, stathmis.words):
        for info in pkgutil.walk_packages(package.__path__, package.__name__ + "."):
            if info.name.rsplit(".", 1)[-1] not in NOT_FOUND_TWICE:
                yield importlib.import_module(info.name)


def functions() -> Iterator[tuple[str, Callable[..., Any], list[tuple[str, Any]]]]:
    """Name, function, and what it asks for: name and type; what can be left out is left out."""
    for module in modules():
        for name, found in sorted(vars(module).items()):
            whole = inspect.unwrap(found) if callable(found) else None
            if not inspect.isfunction(whole) or whole.__module__ != module.__name__ or name.startswith("_"):
                continue
            try:
                hints = typing.get_type_hints(whole)
            except NameError:
                continue
            asked = [
                (p.name, hints.get(p.name))
                for p in inspect.signature(whole).parameters.values()
                if p.default is p.empty and p.kind is not p.KEYWORD_ONLY
            ]
            if asked and Desk not in dict(asked).values() and hints.get("return") not in (None, type(None)):
                yield f"{module.__name__.removeprefix('stathmis.')}.{name}", found, asked


def gathered(pool: Pool, found: Any, depth: int = 0) -> None:
    """Put what was found into the pool, and what is in it."""
    if dataclasses.is_dataclass(found) and not isinstance(found, type):
        kept = pool.setdefault(type(found), [])
        if len(kept) < MOST_OF_A_KIND and not any(k is found for k in kept):
            kept.append(found)
            if depth < 2:
                for one in dataclasses.fields(found):
                    gathered(pool, getattr(found, one.name), depth + 1)
    elif isinstance(found, (list, tuple)):
        for one in found[:MOST_OF_A_KIND]:
            gathered(pool, one, depth)


def there(pool: Pool, name: str, asked: Any) -> list[Any]:
    """What of the pool is of a type that is asked for; of plain numbers and texts, something that may be meant."""
    if asked in PLAIN:
        now = pool[Book][0].now_ms
        return [now, now - DAY_MS] if name.endswith("_ms") and asked is int else PLAIN[asked]
    if isinstance(asked, types.UnionType) or typing.get_origin(asked) is typing.Union:
        return [one for part in typing.get_args(asked) if part is not type(None) for one in there(pool, name, part)]
    if typing.get_origin(asked) is typing.Literal:
        return list(typing.get_args(asked))
    if typing.get_origin(asked) in (list, tuple, Sequence):
        inner = there(pool, name, typing.get_args(asked)[0])
        return [tuple(inner)] if inner else []
    return pool.get(asked, []) if isinstance(asked, type) else []


def told(found: Any, words: list[str], numbers: list[float], depth: int = 0) -> None:
    """Words and numbers of what was found, in order."""
    if isinstance(found, (bool, type(None), str, bytes, Enum)):
        words.append(str(found))
    elif isinstance(found, (int, float, np.number)):
        numbers.append(float(found))
    elif isinstance(found, np.ndarray):
        words.append(f"array {found.shape} {found.dtype.kind}")
        if found.dtype.kind in "fiub" and found.size:
            flat = np.nan_to_num(found.astype(float).ravel(), nan=-1e6, posinf=1e12, neginf=-1e12)
            numbers.extend((flat[0], flat[-1], flat.min(), flat.max(), flat.mean(), np.abs(np.diff(flat)).sum()))
    elif isinstance(found, Mapping):
        words.append("{}")
        for key, value in found.items():
            told(key, words, numbers, depth + 1)
            told(value, words, numbers, depth + 1)
    elif isinstance(found, AbstractSet):
        words.append(str(sorted(map(str, found))))
    elif isinstance(found, (list, tuple)):
        words.append(f"{len(found)}:")
        for one in found[:200]:
            told(one, words, numbers, depth + 1)
    elif dataclasses.is_dataclass(found) and not isinstance(found, type) and depth < 6:
        words.append(type(found).__name__)
        if type(found).__module__ != records.__name__ or depth < 1:
            for one in dataclasses.fields(found):
                told(getattr(found, one.name), words, numbers, depth + 1)
    else:
        words.append(type(found).__name__)


def everything(book: Book) -> dict[str, tuple[str, list[float]]]:
    """By function: all words it gave, and all numbers."""
    pool: Pool = {Book: [book]}
    for kind in vars(records).values():
        if dataclasses.is_dataclass(kind):
            try:
                pool[kind] = list(book.records(kind))[-MOST_OF_A_KIND:]  # type: ignore[arg-type, index]
            except KeyError:
                continue
    for incubator in book.incubators():
        for course in batches.all_running(book, incubator):
            gathered(pool, course)
    for batch in book.records(records.Batch):
        course_of = batches.course_by_id(book, batch.id)
        if course_of is not None:
            gathered(pool, course_of)
    found: dict[str, tuple[str, list[float]]] = {}
    left = list(functions())
    for _round in range(4):
        for one in list(left):
            name, function, asked = one
            choices = [there(pool, *one_asked) for one_asked in asked]
            if not all(choices):
                continue
            left.remove(one)
            words: list[str] = []
            numbers: list[float] = []
            calls = list(itertools.islice(itertools.product(*choices), MOST_CALLS))
            for arguments in calls[:: -(-len(calls) // FUTURES.get(name, MOST_CALLS))]:
                try:
                    result = function(*arguments)
                    if inspect.isgenerator(result):
                        result = list(result)
                except (
                    UserError,
                    ValueError,
                    KeyError,
                    IndexError,
                    AssertionError,
                    TypeError,
                    AttributeError,
                ) as error:
                    # what does not go together, such as an egg of one batch and the course of another
                    words.append(type(error).__name__)
                    continue
                told(result, words, numbers)
                gathered(pool, result)
            found[name] = "\n".join(words), numbers
    return found


def compare(what: str, book: Book, folder: Path) -> None:
    now, path = everything(book), KEPT / f"{what}.npz"
    made: dict[str, tuple[str, Any]] = {}
    for name, (words, found) in now.items():
        numbers = np.nan_to_num(np.array(found), nan=-1e6, posinf=1e9, neginf=-1e9)
        # a time as told from now, so that half the digits do; of very many every so manieth
        numbers = np.where(np.abs(numbers) > 1e11, numbers - book.now_ms, numbers)[:: 1 + numbers.size // MOST_NUMBERS]
        made[name] = hashlib.sha1(words.encode(), usedforsecurity=False).hexdigest()[:12], numbers.astype(np.float32)
    if os.environ.get("STATHMIS_KEEP"):
        KEPT.mkdir(exist_ok=True)
        lengths, numbers = [v.size for _w, v in made.values()], np.concatenate([v for _w, v in made.values()])
        np.savez_compressed(
            path, names=list(made), words=[w for w, _v in made.values()], lengths=lengths, numbers=numbers
        )
        return
    with np.load(path) as kept:
        parts = np.split(kept["numbers"], np.cumsum(kept["lengths"])[:-1])
        was = {n: (w, v) for n, w, v in zip(kept["names"].tolist(), kept["words"].tolist(), parts, strict=True)}
    assert sorted(was) == sorted(made), "functions came or went: keep anew"
    other = []
    for name, (words, numbers) in made.items():
        before, then = was[name]
        if before != words or then.shape != numbers.shape or not np.allclose(then, numbers, rtol=1e-5, atol=1e-6):
            other.append(name)
            (folder / f"{name}.txt").write_text(f"{now[name][0]}\n{now[name][1]}", encoding="utf-8")
    assert not other, f"what these say is not as it was kept ({folder}): {other}"


WHOLE = pytest.mark.heavy("every public function of services and words, on a whole logbook")


@WHOLE
def test_everything_of_the_demo(demo: Desk, tmp_path: Path) -> None:
    compare("demo", demo.book, tmp_path)


@WHOLE
def test_everything_of_a_hatch_under_way(demo: Desk, tmp_path: Path) -> None:
    """The guinea fowl pip and come out, read by hand, in °F; the others go on."""
    demo.clock.at_ms = now = demo.now_ms + round(2.8 * DAY_MS)  # type: ignore[attr-defined]
    still = demo.book.incubators()[1]
    course = batches.running(demo.book, still)
    assert course is not None
    for kind, n, ago_h in (("external pip", 7, 26), ("out", 3, 14), ("out", 2, 3), ("pipped dead", 1, 1)):
        egg_findings.log_count(demo, course, kind, n, now - ago_h * 3_600_000)
    for incubator in demo.book.incubators():
        for channel in (c for _i, _p, own in demo.book.hanging_in(incubator.id, now) for c in own):
            value = 38.6 if channel.quantity == "temperature" else 58.0
            unit = channel.unit
            shown = value * 1.8 + 32.0 if unit == "°F" else value
            making.typed_in(demo, [(channel.id, now - m * 60_000, shown, unit, f"{shown:.1f}") for m in (40, 5)])
    compare("hatch", Book(demo.book.snapshot, now, unit="°F"), tmp_path)


@WHOLE
@pytest.mark.parametrize(("what", "species", "days"), [("clutch", "leopard_gecko", 40), ("ducks", "duck", 20)])
def test_everything_of_a_batch_with_a_log(desk: Desk, tmp_path: Path, what: str, species: str, days: int) -> None:
    """Temperatures that swing and drop now and then, weighed eggs, a cooling, a lid, a power cut, an odd profile."""
    minutes = np.arange(days * 1440)
    air = 0.4 * np.sin(minutes / 19.0) + (28.6 if what == "clutch" else 37.4)
    air[minutes % 9000 < 45] -= 3.0
    course, _channel = making.batch_with_log(desk, air, species)
    now = desk.now_ms
    done: tuple[tuple[str, float, dict[str, Any]], ...] = (
        ("cool", 30.0, {"minutes": 15.0}),
        ("lid", 20.0, {"minutes": 6.0}),
        ("power", 9.0, {"minutes": 90.0, "room_c": 17.0}),
        ("water", 5.0, {"water_ml": 200.0, "surface_cm2": 80.0}),
        ("vent", 4.0, {"opening": 0.4}),
        ("turn", 2.0, {"detail": "X"}),
    )
    for kind, ago_h, more in done:
        row = {"incubator_id": course.incubator.id, "time_ms": now - round(ago_h * 3_600_000), "kind": kind, "note": ""}
        desk.add(kind, [(records.Event, {**row, "set_point_c": None, **more})])
    for day, mass in ((0.2, 400.0), (7.0, 388.0), (14.0, 375.0)):
        whole = {"batch_id": course.batch.id, "time_ms": course.at_ms(day), "mark": "", "eggs": 8}
        desk.add("weighed", [(records.Weighing, {**whole, "mass_g": mass, "scale_g": 1.0, "typed": ""})])
    compare(what, desk.book, tmp_path)
