"""The tray: eggs with mark and place, what was found at each, and which state that leaves it in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, sqrt
from typing import Literal

from stathmis.core.hatch.hatch_stats import Tally
from stathmis.logbook.records import Batch, BreakOut, Egg, EggFinding, OwnSpecies
from stathmis.services import knowledge
from stathmis.services.batch.species import species_of
from stathmis.services.book import Book, finding
from stathmis.services.eggs.tray_shape import Place, place_in
from stathmis.words.catalogue import _
from stathmis.words.eggs import outcome as say
from stathmis.words.numbers import count

HATCH_ORDER = ("internal pip", "external pip", "zip", "out", "dry", "taken")
"""What follows what at the hatch."""
HATCHED = ("out", "dry", "taken")
ENDS = ("clear", "early dead", "late dead", "rotten", "cracked", "slug", "collapsed", "dead in shell", "pipped dead")
"""Findings after which nothing hatches, once the egg is taken out."""
WEAK = ("weak", "splayed legs", "crossed toes", "open navel")
"""What is found at chicks."""
YOUNG = ("first shed", "apart", "first meal")
"""What comes to the young of a clutch afterwards."""
BESIDE = ("removed", "moved", "assisted", *WEAK, *YOUNG)
"""Findings that do not say how far an egg came."""
IN = "in"
CLASSES = {
    "clear": "clear",
    "slug": "clear",
    "early dead": "early_dead",
    "late dead": "late_dead",
    "collapsed": "late_dead",
    "dead in shell": "late_dead",
    "pipped dead": "pipped_dead",
    "internal pip": "pipped_dead",
    "external pip": "pipped_dead",
    "zip": "pipped_dead",
    "rotten": "lost",
    "cracked": "lost",
}
"""How a finding counts once nothing more comes of the egg."""
OPENED_CLASSES = {
    "clear": "clear",
    "early": "early_dead",
    "middle": "late_dead",
    "late": "late_dead",
    "internal": "pipped_dead",
    "external": "pipped_dead",
    "rotten": "lost",
}
"""How the stage of an opened egg counts: it says more than a light held to the shell."""


@dataclass(frozen=True)
class EggStory:
    """An egg: mark, place (row, column from 1), what is known of it, its findings in order of time.

    state: the newest finding that says how it stands, "in" where nothing was found yet; out: whether it lies in the
    machine no more; opened: what was found when it was opened.
    """

    mark: str
    place: Place
    about: str
    laid_ms: int | None
    findings: tuple[EggFinding, ...]
    state: str
    out: bool
    breed: str = ""
    mother: str = ""
    source: str = ""
    opened: BreakOut | None = None
    kind: Literal["bird", "reptile"] = "bird"

    @property
    def word(self) -> str:
        """Its state in the keeper's word."""
        return _("in") if self.state == IN else knowledge.findings(self.kind)[self.state].word

    @property
    def hatched(self) -> bool:
        """Whether a chick came out of it."""
        return self.state in HATCHED

    def first_ms(self, kinds: Sequence[str]) -> int | None:
        """When one of these was first found, UTC ms."""
        return min((f.time_ms for f in self.findings if f.kind in kinds), default=None)


@dataclass(frozen=True)
class TraySheet:
    """The tray of a batch: eggs in order of their places, findings given as counts, eggs opened as counts, and what
    came of all in numbers."""

    batch: Batch
    eggs: tuple[EggStory, ...]
    counted: tuple[EggFinding, ...]
    tally: Tally
    opened: tuple[BreakOut, ...] = ()

    @property
    def size(self) -> tuple[int, int]:
        """Rows and columns."""
        if not self.eggs:
            return 0, 0
        return max(e.place[0] for e in self.eggs), max(e.place[1] for e in self.eggs)

    @property
    def all_findings(self) -> list[EggFinding]:
        """Findings at single eggs, then those given as counts."""
        return [f for egg in self.eggs for f in egg.findings] + list(self.counted)

    def egg(self, mark: str) -> EggStory | None:
        """The egg with this mark, None where there is none."""
        return next((e for e in self.eggs if e.mark == mark), None)

    def times(self, kind: str) -> list[int]:
        """When this was found, UTC ms, once for every egg, in order."""
        return sorted(f.time_ms for f in self.all_findings if f.kind == kind for _ in range(f.count))

    def words(self) -> str:
        """ "24 eggs in: 18 alive, 2 doubtful; 4 taken out"."""
        lying = [e for e in self.eggs if not e.out]
        counts: dict[str, int] = {}
        for egg in lying:
            counts[egg.word] = counts.get(egg.word, 0) + 1
        parts = [f"{n} {word}" for word, n in sorted(counts.items(), key=lambda c: -c[1]) if word != "in"]
        gone = len(self.eggs) - len(lying)
        text = _("{eggs} in", eggs=count(len(lying), "{n} egg", "{n} eggs")) + (
            f": {', '.join(parts)}" if parts else ""
        )
        return text + (say.GONE_OUT_OF_THE_MACHINE(gone=gone) if gone else "")


TRAY_RESTS_ON = (Egg, EggFinding, BreakOut, Batch, OwnSpecies)


@finding(*TRAY_RESTS_ON)
def tray(book: Book, batch: Batch) -> TraySheet:
    """The tray of a batch as it stands."""
    found = sorted((f for f in book.records(EggFinding) if f.batch_id == batch.id), key=lambda f: (f.time_ms, f.id))
    broken = [b for b in book.records(BreakOut) if b.batch_id == batch.id]
    by_mark: dict[str, list[EggFinding]] = {}
    for one in found:
        by_mark.setdefault(one.mark, []).append(one)
    opened = {b.mark: b for b in broken if b.mark}
    kind = species_of(book, batch.species).kind
    own = [e for e in book.records(Egg) if e.batch_id == batch.id]
    eggs = [_story(egg, by_mark.get(egg.mark, []), opened, kind) for egg in own]
    eggs.sort(key=lambda e: e.place)
    counted, alike = tuple(by_mark.get("", [])), tuple(b for b in broken if not b.mark)
    return TraySheet(batch, tuple(eggs), counted, tally(batch, eggs, counted, alike), alike)


def _story(
    egg: Egg, findings: Sequence[EggFinding], opened: dict[str, BreakOut], kind: Literal["bird", "reptile"]
) -> EggStory:
    found = opened.get(egg.mark)
    out = found is not None or any(f.kind in ("removed", "taken", "dead in shell", "pipped dead") for f in findings)
    return EggStory(
        egg.mark,
        place_in(egg.place),
        egg.about,
        egg.laid_ms,
        tuple(findings),
        state_of(findings),
        out,
        egg.breed,
        egg.mother,
        egg.source,
        found,
        kind,
    )


def state_of(findings: Sequence[EggFinding]) -> str:
    """How an egg stands after its findings: the furthest it came at the hatch, else what was found last."""
    kinds = [f.kind for f in findings if f.kind not in BESIDE]
    if not kinds:
        return IN
    hatched = [k for k in HATCH_ORDER if k in kinds]
    if kinds[-1] in ENDS:
        return kinds[-1]
    return hatched[-1] if hatched else kinds[-1]


def tally(
    batch: Batch,
    eggs: Sequence[EggStory],
    counted: Sequence[EggFinding] = (),
    opened: Sequence[BreakOut] = (),
    *,
    whole: bool = True,
) -> Tally:
    """What came of a batch's eggs: single eggs by their stories, the rest by counts.

    A dead or clear egg counts when it is out, or the batch has ended; until then it may yet be a mistake. whole: all
    eggs of the batch; otherwise only those given.
    """
    n = dict.fromkeys(("clear", "early_dead", "late_dead", "pipped_dead", "hatched", "lost"), 0)
    for egg in eggs:
        if egg.hatched:
            n["hatched"] += 1
        elif egg.opened is not None:
            n[OPENED_CLASSES[egg.opened.stage]] += 1
        elif egg.out or batch.ended_ms is not None:
            if egg.state in CLASSES:
                n[CLASSES[egg.state]] += 1
            elif egg.out:
                n["lost"] += 1
    for one in counted:
        if one.kind == "out":
            n["hatched"] += one.count
        elif one.kind == "removed" or (one.kind in CLASSES and one.kind not in HATCH_ORDER):
            n[CLASSES.get(one.kind, "lost")] += one.count
    size = max(batch.eggs, len(eggs)) if whole else len(eggs)
    _add_opened(n, opened, size)
    total = max(size, sum(n.values()))
    living = ("alive", "internal pip", "external pip", "zip")
    alive = sum(not e.out and e.state in living for e in eggs) if batch.ended_ms is None else 0
    return Tally(total, **n, alive=alive)


def _add_opened(n: dict[str, int], opened: Sequence[BreakOut], size: int) -> None:
    """Eggs opened as counts: first those nothing was known of, then those that were only known to have died."""
    for found in opened:
        beyond = max(0, sum(n.values()) + found.count - size)
        own = OPENED_CLASSES[found.stage]
        for known in sorted(("late_dead", "pipped_dead", "lost"), key=lambda k: k != own):
            taken = min(beyond, n[known])
            n[known] -= taken
            beyond -= taken
        n[OPENED_CLASSES[found.stage]] += found.count


def usual_width(eggs: int) -> int:
    """Eggs in a row of a nearly square tray."""
    return max(1, ceil(sqrt(1.5 * eggs)))
