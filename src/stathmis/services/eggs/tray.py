"""The tray: eggs with mark and place, what was found at each, and which state that leaves it in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, sqrt
from typing import Any

from stathmis.core.errors import UserError
from stathmis.core.hatch_stats import Tally
from stathmis.logbook import keeping
from stathmis.logbook.records import Batch, Egg, EggFinding
from stathmis.services import knowledge
from stathmis.services.batches import Course
from stathmis.services.clock import DAY_MS
from stathmis.services.knowledge import Finding
from stathmis.services.wording import count
from stathmis.services.workbench import Workbench

HATCH_ORDER = ("internal pip", "external pip", "zip", "out", "dry", "taken")
"""What follows what at the hatch."""
ENDS = ("clear", "early dead", "late dead", "rotten", "cracked", "slug", "collapsed", "dead in shell", "pipped dead")
"""Findings after which nothing hatches, once the egg is taken out."""
IN, GONE = "in", "removed"
LARGEST = 2000


@dataclass(frozen=True)
class EggStory:
    """An egg: mark, place (row, column from 1), what is known of it, its findings in order of time.

    state: the newest finding that says how it stands, "in" where nothing was found yet; out: whether it lies in the
    machine no more.
    """

    mark: str
    place: tuple[int, int]
    about: str
    laid_ms: int | None
    findings: tuple[EggFinding, ...]
    state: str
    out: bool

    @property
    def word(self) -> str:
        """Its state in the keeper's word."""
        return "in" if self.state == IN else knowledge.findings()[self.state].word


@dataclass(frozen=True)
class TraySheet:
    """The tray of a batch: eggs in order of their places, findings given as counts, and what came of all in numbers."""

    batch: Batch
    eggs: tuple[EggStory, ...]
    counted: tuple[EggFinding, ...]
    tally: Tally

    @property
    def size(self) -> tuple[int, int]:
        """Rows and columns."""
        if not self.eggs:
            return 0, 0
        return max(e.place[0] for e in self.eggs), max(e.place[1] for e in self.eggs)

    def egg(self, mark: str) -> EggStory | None:
        """The egg with this mark, None where there is none."""
        return next((e for e in self.eggs if e.mark == mark), None)

    def words(self) -> str:
        """ "24 eggs in: 18 alive, 2 doubtful; 4 taken out"."""
        lying = [e for e in self.eggs if not e.out]
        counts: dict[str, int] = {}
        for egg in lying:
            counts[egg.word] = counts.get(egg.word, 0) + 1
        parts = [f"{n} {word}" for word, n in sorted(counts.items(), key=lambda c: -c[1]) if word != "in"]
        gone = len(self.eggs) - len(lying)
        text = f"{count(len(lying), 'egg')} in" + (f": {', '.join(parts)}" if parts else "")
        return text + (f"; {gone} out of the machine" if gone else "")


def tray(bench: Workbench, batch: Batch) -> TraySheet:
    """The tray of a batch as it stands."""
    found = sorted((f for f in bench.records(EggFinding) if f.batch_id == batch.id), key=lambda f: (f.time_ms, f.id))
    eggs = []
    for egg in bench.records(Egg):
        if egg.batch_id != batch.id:
            continue
        own = tuple(f for f in found if f.mark == egg.mark)
        row, _, column = egg.place.partition("/")
        eggs.append(
            EggStory(egg.mark, (int(row), int(column)), egg.about, egg.laid_ms, own, state_of(own), _is_out(own))
        )
    counted = tuple(f for f in found if not f.mark)
    eggs.sort(key=lambda e: e.place)
    return TraySheet(batch, tuple(eggs), counted, tally(batch, eggs, counted))


def state_of(findings: Sequence[EggFinding]) -> str:
    """How an egg stands after its findings: the furthest it came at the hatch, else what was found last."""
    kinds = [f.kind for f in findings if f.kind not in ("removed", "weak", "assisted")]
    if not kinds:
        return IN
    hatched = [k for k in HATCH_ORDER if k in kinds]
    if kinds[-1] in ENDS:
        return kinds[-1]
    return hatched[-1] if hatched else kinds[-1]


def _is_out(findings: Sequence[EggFinding]) -> bool:
    return any(f.kind in ("removed", "taken", "dead in shell", "pipped dead") for f in findings)


def tally(batch: Batch, eggs: Sequence[EggStory], counted: Sequence[EggFinding] = ()) -> Tally:
    """What came of a batch's eggs: single eggs by their stories, the rest by counts.

    A dead or clear egg counts when it is out, or the batch has ended; until then it may yet be a mistake.
    """
    n = dict.fromkeys(("clear", "early_dead", "late_dead", "pipped_dead", "hatched", "lost"), 0)
    classes = {"clear": "clear", "slug": "clear", "early dead": "early_dead", "late dead": "late_dead"}
    classes |= {"collapsed": "late_dead", "dead in shell": "late_dead", "pipped dead": "pipped_dead"}
    for egg in eggs:
        if egg.state in ("out", "dry", "taken"):
            n["hatched"] += 1
        elif egg.out or batch.ended_ms is not None:
            if egg.state in classes:
                n[classes[egg.state]] += 1
            elif egg.state in ("external pip", "zip", "internal pip"):
                n["pipped_dead"] += 1
            elif egg.out:
                n["lost"] += 1
    for finding in counted:
        if finding.kind == "out":
            n["hatched"] += finding.count
        elif finding.kind in classes:
            n[classes[finding.kind]] += finding.count
        elif finding.kind == "removed":
            n["lost"] += finding.count
    total = max(batch.eggs, len(eggs), sum(n.values()))
    living = ("alive", "internal pip", "external pip", "zip")
    alive = sum(not e.out and e.state in living for e in eggs) if batch.ended_ms is None else 0
    return Tally(total, **n, alive=alive)


def lay_out(
    bench: Workbench, course: Course, eggs: int, columns: int = 0, about: str = "", laid_ms: int | None = None
) -> int:
    """Give eggs their marks and places in one go, after those that have some; undoable. Returns how many.

    columns: eggs in a row of the tray, nearly square by default. Raises UserError for no eggs, or too many.
    """
    if not 1 <= eggs <= LARGEST:
        raise UserError("How many eggs lie in the tray?", f"Write a count from 1 to {LARGEST}.")
    own = [e for e in bench.records(Egg) if e.batch_id == course.batch.id]
    wide = columns if columns > 0 else max(1, ceil(sqrt(eggs * 1.5)))
    first_row = max((int(e.place.partition("/")[0]) for e in own), default=0) + 1
    number = max((int(e.mark) for e in own if e.mark.isdigit()), default=0)
    new = []
    for i in range(eggs):
        fields = {
            "batch_id": course.batch.id,
            "mark": str(number + i + 1),
            "place": f"{first_row + i // wide}/{i % wide + 1}",
            "about": about.strip(),
            "laid_ms": None,
        }
        new.append((Egg, fields))
    bench.add(f"{count(eggs, 'egg')} laid out", new)
    return eggs


def offered(course: Course, group: str) -> list[Finding]:
    """What may be found at the eggs of a batch: "candling", "hatch" or "after"."""
    kind = course.species.kind
    return [f for f in knowledge.findings().values() if f.group == group and f.kind in (kind, "all")]


def log_finding(
    bench: Workbench, course: Course, mark: str, kind: str, at_ms: int, note: str = "", *, take_out: bool = False
) -> None:
    """Log what was found at an egg at a time (UTC ms), and that it was taken out; undoable together.

    Raises UserError for an egg that is not there, a time before setting or to come, a finding at an egg that has left
    the machine, and one out of the order of a hatch.
    """
    sheet = tray(bench, course.batch)
    egg = sheet.egg(mark)
    if egg is None:
        raise UserError(f"There is no egg {mark} in this tray.", "Lay the eggs out first.")
    _check_time(bench, course, at_ms)
    _check_order(bench, egg, kind, at_ms)
    new = [(EggFinding, _fields(bench, course, at_ms, mark, kind, note))]
    if take_out and not egg.out:
        new.append((EggFinding, _fields(bench, course, at_ms, mark, "removed", note)))
    word = knowledge.findings()[kind].word
    bench.add(f"egg {mark}: {word}{' (after the end)' if course.batch.ended_ms is not None else ''}", new)


def _fields(
    bench: Workbench, course: Course, at_ms: int, mark: str, kind: str, note: str, n: int = 1
) -> dict[str, Any]:
    return {
        "batch_id": course.batch.id,
        "time_ms": at_ms,
        "mark": mark,
        "kind": kind,
        "count": n,
        "note": note.strip(),
        "logged_ms": bench.now_ms,
    }


def _check_time(bench: Workbench, course: Course, at_ms: int) -> None:
    if at_ms > bench.now_ms:
        raise UserError("That time has not come yet.", "Mend the time.")
    if at_ms < course.batch.set_ms - DAY_MS:
        raise UserError("The eggs were not set then.", "Mend the time.")


def _check_order(bench: Workbench, egg: EggStory, kind: str, at_ms: int) -> None:
    gone = next((f for f in egg.findings if f.kind in ("removed", "taken") and f.time_ms <= at_ms), None)
    if gone is not None and kind not in ("dead in shell", "pipped dead", "clear", "early dead", "late dead", "weak"):
        when = bench.local(gone.time_ms)
        word = knowledge.findings()[gone.kind].word
        raise UserError(
            f"Egg {egg.mark} was {word} on {when.day} {when:%b %H:%M}.", "Undo that first, or is it another egg?"
        )
    if kind not in HATCH_ORDER:
        return
    place = HATCH_ORDER.index(kind)
    for other in egg.findings:
        if other.kind not in HATCH_ORDER:
            continue
        when = bench.local(other.time_ms)
        words = f"Egg {egg.mark} was {knowledge.findings()[other.kind].word} at {when:%H:%M} on {when.day} {when:%b}"
        if HATCH_ORDER.index(other.kind) > place and other.time_ms <= at_ms:
            raise UserError(f"{words}: this comes before it.", "Give an earlier time, or strike that one.")
        if HATCH_ORDER.index(other.kind) < place and other.time_ms > at_ms:
            raise UserError(f"{words}: this comes after it.", "Give a later time, or strike that one.")


def log_count(bench: Workbench, course: Course, kind: str, n: int, at_ms: int, note: str = "") -> None:
    """Log so many of a batch at once, for a keeper who does not mark eggs; undoable.

    Raises UserError for none, more than are left, and times out of the batch.
    """
    if n < 1:
        raise UserError("How many?", "Write a count.")
    _check_time(bench, course, at_ms)
    sheet = tray(bench, course.batch)
    if sheet.eggs:
        raise UserError("These eggs have marks.", "Log each at its place in the tray.")
    if kind in ("out", "clear", "early dead", "late dead", "dead in shell", "pipped dead", "removed"):
        left = sheet.tally.open
        if n > left:
            what = "chicks" if kind == "out" else "eggs"
            raise UserError(f"{n} {what}, and {count(left, 'egg')} left of {sheet.tally.eggs}.", "Is the count right?")
    bench.add(
        f"{n} {knowledge.findings()[kind].word}", [(EggFinding, _fields(bench, course, at_ms, "", kind, note, n))]
    )


def move_egg(bench: Workbench, course: Course, mark: str, other: str) -> None:
    """Two eggs change places; undoable. Raises UserError where either is not there."""
    own = {e.mark: e for e in bench.records(Egg) if e.batch_id == course.batch.id}
    if mark not in own or other not in own:
        raise UserError(f"There is no egg {other if mark in own else mark} in this tray.", "Choose another.")
    one, two = own[mark], own[other]

    def put(first: str, second: str) -> None:
        keeping.change(bench.logbook, Egg, one.id, place=first)
        keeping.change(bench.logbook, Egg, two.id, place=second)

    put(two.place, one.place)
    bench.did(
        f"eggs {mark} and {other} changed places",
        undo=lambda: put(one.place, two.place),
        redo=lambda: put(two.place, one.place),
    )


def strike(bench: Workbench, finding: EggFinding) -> None:
    """A finding was wrong: leave it out from now on; undoable."""
    bench.strike(f"egg {finding.mark}: {finding.kind} struck", EggFinding, [finding.id])
