"""What candling shows on a day, scaled to the species' term; and which eggs should come out, with the reason."""

from __future__ import annotations

from stathmis.services import knowledge
from stathmis.services.batch.course import Course
from stathmis.services.eggs.tray import TraySheet

SHOWS = (
    (0.0, "nothing yet; the yolk's shadow"),
    (3 / 21, "a beating spot and the first vessels"),
    (5 / 21, "the eye, and more vessels"),
    (7 / 21, "a spider of veins; the embryo moves"),
    (10 / 21, "half the egg dark, the egg tooth"),
    (14 / 21, "mostly dark; it moves; the air cell is a fifth"),
    (18 / 21, "dark but for a clear air cell with a slanted edge"),
    (19.5 / 21, "the beak in the air cell, peeping"),
    (20.5 / 21, "a star crack, then the zip round the blunt end"),
)
"""What a living egg shows at shares of a chick's 21 days. Source: common embryology; scaled for other birds."""


def shows(course: Course, day: float) -> str:
    """What a living egg shows on a day; empty for a reptile's."""
    if course.species.kind == "reptile":
        return "Fertile ones show vessels on a pink ground; the chalky patch spreads as they grow."
    share = max(0.0, day) / course.species.days
    text = next(words for at, words in reversed(SHOWS) if share >= at)
    return f"On this day a living egg shows {text}."


def looks(course: Course, day: float) -> str:
    """How the other findings of candling look, those likely on this day."""
    late = day / course.species.days >= 1 / 2
    keys = ("late dead", "clear", "rotten", "cracked") if late else ("clear", "early dead", "doubtful", "cracked")
    if course.species.kind == "reptile":
        keys = ("slug", "mold", "dented", "wet look")
    found = knowledge.findings()
    return "; ".join(f"{found[k].word}: {found[k].look}" for k in keys).capitalize() + "."


def take_out(sheet: TraySheet) -> list[str]:
    """Eggs that should come out, by reason, the most pressing first."""
    found = knowledge.findings()
    by_state: dict[str, list[str]] = {}
    for egg in sheet.eggs:
        if not egg.out and egg.state != "in" and found[egg.state].removes:
            by_state.setdefault(egg.state, []).append(egg.mark)
    said = []
    for state in sorted(by_state, key=lambda s: (s != "rotten", s)):
        marks = by_state[state]
        which = f"{'egg' if len(marks) == 1 else 'eggs'} {', '.join(marks)}"
        said.append(f"Take out {which} ({found[state].word}): {found[state].removes}.")
    return said


LAST_SHARE = 0.9
"""From this share of the term on a dent is usual. Source: common practice."""


def clutch_lines(course: Course, sheet: TraySheet) -> list[str]:
    """What findings at a clutch's eggs ask for: dents by the day, mold, a wet look."""
    if course.species.kind != "reptile":
        return []
    found: dict[str, list[str]] = {}
    for egg in sheet.eggs:
        last = egg.findings[-1] if egg.findings else None
        if egg.out or last is None or egg.state not in ("dented", "mold", "wet look"):
            continue
        late = course.day(last.time_ms) / course.species.days_low >= LAST_SHARE
        found.setdefault("late dent" if egg.state == "dented" and late else egg.state, []).append(egg.mark)
    words = {
        "dented": "dented early: too dry; moisten the substrate beside it, not the egg",
        "late dent": "dented in the last days: usual before the hatch",
        "mold": "with mold: wipe it, air the box; a good egg stands it",
        "wet look": "wet and glassy: too moist; air the box and add no water",
    }
    return [f"{'Egg' if len(m) == 1 else 'Eggs'} {', '.join(m)} {words[state]}." for state, m in found.items()]
