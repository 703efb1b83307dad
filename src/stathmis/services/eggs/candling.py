"""What candling shows on a day, scaled to the species' term; and which eggs should come out, with the reason."""

from __future__ import annotations

from stathmis.services import knowledge
from stathmis.services.batch.course import Course
from stathmis.services.eggs.tray import TraySheet
from stathmis.words.catalogue import _, begun
from stathmis.words.eggs import candling as say


def shows(course: Course, day: float) -> str:
    """What a living egg shows on a day; empty for a reptile's."""
    if course.species.kind == "reptile":
        return say.FERTILE_ONES_SHOW_VESSELS_ON()
    share = max(0.0, day) / course.species.days
    text = next(_(words) for at, words in reversed(say.SHOWS) if share >= at)
    return say.ON_THIS_DAY_A_LIVING(text=text)


def looks(course: Course, day: float) -> str:
    """How the other findings of candling look, those likely on this day."""
    late = day / course.species.days >= 1 / 2
    keys = ("late dead", "clear", "rotten", "cracked") if late else ("clear", "early dead", "doubtful", "cracked")
    if course.species.kind == "reptile":
        keys = ("slug", "mold", "dented", "wet look")
    found = knowledge.findings()
    return begun("; ".join(f"{found[k].word}: {found[k].look}" for k in keys)) + "."


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
        which = f"{_('egg') if len(marks) == 1 else _('eggs')} {', '.join(marks)}"
        said.append(
            _(
                "Take out {which} ({word}): {removes}.",
                which=which,
                word=found[state].word,
                removes=found[state].removes,
            )
        )
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
        "dented": say.DENTED_EARLY_TOO_DRY_MOISTEN(),
        "late dent": say.DENTED_IN_THE_LAST_DAYS(),
        "mold": say.WITH_MOLD_WIPE_IT_AIR(),
        "wet look": say.WET_AND_GLASSY_TOO_MOIST(),
    }
    return [f"{_('Egg') if len(m) == 1 else _('Eggs')} {', '.join(m)} {words[state]}." for state, m in found.items()]
