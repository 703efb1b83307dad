"""What the opened eggs of a batch had in common, and which cause each sign points at."""

from __future__ import annotations

from dataclasses import dataclass

from stathmis.services import knowledge
from stathmis.services.eggs.break_out import all_opened, draft_of
from stathmis.services.eggs.tray import TraySheet
from stathmis.words.catalogue import _
from stathmis.words.eggs import outcome as say
from stathmis.words.numbers import count

WRONG_SHARE = 0.25
"""From this share of the late dead on, wrong positions are more than chance brings. Source: common practice."""


@dataclass(frozen=True)
class SignCount:
    """A sign or a wrong position (position): its word, in how many eggs, of how many that could show it, and a cause of
    core.review it hints at (or empty)."""

    word: str
    count: int
    of: int
    hints: str
    position: bool = False


def signs_seen(sheet: TraySheet) -> list[SignCount]:
    """Signs and wrong positions in opened eggs, the most frequent first."""
    opened, known = all_opened(sheet), knowledge.opened()
    showing = sum(b.count for b in opened if b.stage in ("late", "internal", "external"))
    counts: dict[str, int] = {}
    wrong = 0
    for found in opened:
        wrong += found.count if found.position not in ("", "normal") else 0
        for sign in draft_of(found).signs:
            counts[sign] = counts.get(sign, 0) + found.count
    whole = sum(b.count for b in opened)
    seen = [SignCount(known["sign"][s].word, n, whole, known["sign"][s].hints) for s, n in counts.items()]
    if wrong:
        seen.append(SignCount(_("wrong position"), wrong, showing, "", position=True))
    return sorted(seen, key=lambda s: (-s.count, s.word))


def sign_words(seen: tuple[SignCount, ...]) -> str:
    """ "In opened eggs: 3 of 5 wet, swollen; 1 of 4 wrong position."; empty where nothing was seen."""
    if not seen:
        return ""
    parts = [_("{count} of {of} {word}", count=s.count, of=s.of, word=s.word) for s in seen]
    said = _("In opened eggs: {parts}.", parts="; ".join(parts))
    for one in seen:
        if one.position and one.count / max(1, one.of) >= WRONG_SHARE and one.count > 1:
            said += say.WRONGS_TURNING_EGGS_SET_POINT(
                wrongs=count(one.count, "{n} wrong position", "{n} wrong positions")
            )
    return said
