"""Clutches in words: what they were kept at, when they hatch, of which sex, and the young that come out."""

from __future__ import annotations

from stathmis.core.course.clutch import HOT_C, SUBSTRATES, water_for
from stathmis.services import knowledge
from stathmis.services.book import Book
from stathmis.services.clock import DAY_MS, HOUR_MS
from stathmis.services.eggs.hatching import Hatching
from stathmis.services.eggs.tray import TraySheet
from stathmis.services.eggs.young import Young, young
from stathmis.services.plan.clutch import Awaited, ClutchSheet
from stathmis.words import dates
from stathmis.words.catalogue import _, begun, filled_in, ngettext
from stathmis.words.numbers import number, signed, with_u

SLIT_TO_OUT_H = (12.0, 48.0)
"""A reptile rests in the slit egg for up to two days. Source: common practice."""
SIBLINGS_H, LAST_H = 48.0, 72.0
"""Eggs left so long after their first sibling are looked at; a day later helped, if at all. Source: common practice."""
SHED_DAYS, MEAL_DAYS = 7.0, 10.0
"""First shed and first meal after coming out. Source: common practice."""


def lines(book: Book, sheet: ClutchSheet) -> list[str]:
    """A clutch in words."""
    said, plan, unit = [], sheet.plan, book.temperature_unit
    said.append(_label(book, sheet))
    if sheet.mean_c is not None:
        said.append(_("Kept at {mean} on average.", mean=with_u(*sheet.mean_c, "temperature", unit)))
    term = sheet.term or (plan.species.days_low, plan.species.days, plan.species.days_high)
    first, likely, last = (dates.day(book.local(plan.set_ms + round(d * DAY_MS))) for d in term)
    when = _("hatch about {likely}, from {first} to {last} (approximate).", likely=likely, first=first, last=last)
    if sheet.term is not None:
        said.append(_("By that temperature: {when}", when=when))
    elif plan.species.term_by_temperature:
        held = number(sheet.held_c, "temperature", unit)
        said.append(_("Held at {held}: {when}", held=held, when=when))
    if sheet.males is not None:
        said.append(_sexes(sheet.males))
        warm = sheet.mean_c[0] if sheet.mean_c is not None else sheet.held_c
        if warm >= HOT_C:
            hot = number(HOT_C, "temperature", unit)
            said.append(_("Above {hot} females are often barren and fierce, and more eggs die.", hot=hot))
    if sheet.water_g is not None and sheet.water_g > 0:
        lost = _("The box has lost {grams:.0f} g since it was set up: add {grams:.0f} ml beside the eggs.")
        said.append(filled_in(lost, grams=sheet.water_g))
    if sheet.next_ms is not None:
        said.append(_next(book, *sheet.next_ms))
    said.append(knowledge.cautions()["clutch"])
    return said


def box(name: str) -> str:
    """The box of a clutch, by the clutch's name."""
    return _("the box of {name}", name=name)


def _label(book: Book, sheet: ClutchSheet) -> str:
    """What stands on the box: mother, day of laying, eggs; and where it stands."""
    plan = sheet.plan
    parts = [plan.mother] if plan.mother else []
    if plan.laid_ms is not None:
        parts.append(_("laid {day}", day=dates.day(book.local(plan.laid_ms))))
    parts.append(ngettext("{n} egg", "{n} eggs", plan.eggs, n=plan.eggs))
    label = _("On the label: {what}.", what=", ".join(parts))
    return label + (" " + _("It stands: {place}.", place=plan.way.box) if plan.way.box else "")


def _sexes(males: tuple[float, float, float]) -> str:
    share, U, seen = males
    low, high = max(0.0, share - U), min(100.0, share + U)
    parts = {"share": share, "low": low, "high": high, "seen": 100.0 * seen}
    source = _("(approximate; Viets and co-workers 1993, from memory).")
    if not seen:
        said = _("Males to expect at what is held: about {share:.0f} %, {low:.0f} to {high:.0f} %")
    else:
        said = _(
            "Males expected: about {share:.0f} %, {low:.0f} to {high:.0f} %, by {seen:.0f} % so far of the term's "
            "middle third"
        )
    return f"{filled_in(said, **parts)} {source}"


def _next(book: Book, soon_ms: int, late_ms: int, own: int) -> str:
    soon, late = dates.day(book.local(soon_ms)), dates.day(book.local(late_ms))
    if not own:
        return _("Next clutch likely {soon} to {late}.", soon=soon, late=late)
    by = ngettext("by {n} interval of her own", "by {n} intervals of her own", own, n=own)
    return _("Next clutch likely {soon} to {late}, {by}.", soon=soon, late=late, by=by)


def awaited(book: Book, found: Awaited) -> str:
    """A clutch to come of a female that was paired."""
    soon, late = (dates.day(book.local(ms)) for ms in (found.soon_ms, found.late_ms))
    paired = dates.day(book.local(found.pairing.paired_ms))
    parts = {"mother": found.pairing.mother, "paired": paired, "soon": soon, "late": late}
    said = _("{mother}, paired {paired}: eggs likely {soon} to {late}", **parts)
    if not found.own:
        return said + " " + _("(common practice, approximate).")
    by = ngettext("by {n} earlier pairing of hers", "by {n} earlier pairings of hers", found.own, n=found.own)
    return f"{said}, {by}."


def own_terms(hatches: str, off: float, U: float) -> str:
    """What own clutches take longer (or shorter, below 0) than the list has, percent; hatches: how many, in words."""
    told = {"off": signed(off, 0), "U": U}
    return _(
        "{hatches}: they take {off} ± {U:.0f} % of the list's days for their temperature.", hatches=hatches, **told
    )


def substrate(kind: str, dry_g: float) -> str:
    """How much water to mix into a dry substrate, and how to tell by hand that it is right."""
    low, high = water_for(kind, dry_g)
    water = _("{low:.0f} to {high:.0f} g of water", low=low, high=high)
    mixed = _("{dry:.0f} g of {kind}: {water}.", dry=dry_g, kind=substrates()[kind], water=water)
    return mixed + " " + _("Squeeze a handful hard: it holds together, and no drop falls.")


def substrates() -> dict[str, str]:
    """What each substrate is called, by its key."""
    words = {"perlite": _("perlite"), "vermiculite": _("vermiculite"), "sand and peat": _("sand and peat")}
    return {key: words[key] for key in SUBSTRATES}


def may_open() -> tuple[str, str]:
    """Whether a clutch's box may be opened: "yes", and why."""
    why = _("Fresh air does the eggs good: some minutes, nothing turned, the mark on top. Hands off who is half out.")
    return "yes", why


def under_way(book: Book, found: Hatching, sheet: TraySheet) -> list[str]:
    """Counts, what to wait for, eggs left behind, and the young."""
    said, words, now = [], knowledge.findings("reptile"), book.now_ms
    standing = [f"{n} {words[kind].word}" for kind, n in found.counts.items() if n]
    if standing:
        said.append(begun(", ".join(standing)) + ".")
    if found.pipped and found.first_pip_ms is not None:
        began = dates.weekday_clock(book.local(found.first_pip_ms))
        soon, late = (dates.weekday_clock(book.local(found.first_pip_ms + round(h * HOUR_MS))) for h in SLIT_TO_OUT_H)
        rest = _("First slit {began}: out from {soon} to {late}. They rest in the egg and drink the yolk: hands off.")
        said.append(filled_in(rest, began=began, soon=soon, late=late))
    # one that has slit its shell is on its way
    left = sheet.tally.open - found.pipped
    if found.first_out_ms is not None and left > 0 and now - found.first_out_ms >= SIBLINGS_H * HOUR_MS:
        said.append(_left(left, now - found.first_out_ms))
    return said + [one_young(book, one) for one in young(sheet)]


def _left(left: int, since_ms: float) -> str:
    eggs = ngettext("{n} egg is left", "{n} eggs are left", left, n=left)
    days = dates.duration(since_ms)
    if since_ms < LAST_H * HOUR_MS:
        wait = _("{eggs}, and the siblings have been out for {days}: candle. Where something lives, wait one more day.")
        return filled_in(wait, eggs=eggs, days=days)
    last = _(
        "{eggs}, and the siblings have been out for {days}. Alive by the candle? As last resort a small careful cut at "
        "the top, through the shell only, and wait."
    )
    return filled_in(last, eggs=eggs, days=days)


def one_young(book: Book, one: Young) -> str:
    """One that came out: what it has behind it, and what comes next."""
    parts = [_("out {when}", when=dates.day(book.local(one.out_ms)))]
    shed, apart, meal = _("first shed {when}"), _("apart {when}"), _("first meal {when}")
    told = ((one.shed_ms, shed), (one.apart_ms, apart), (one.meal_ms, meal))
    parts += [filled_in(words, when=dates.day(book.local(ms))) for ms, words in told if ms is not None]
    if one.shed_ms is None:
        due = dates.day(book.local(one.out_ms + round(SHED_DAYS * DAY_MS)))
        parts.append(_("damp paper until the first shed, about {due}", due=due))
    elif one.apart_ms is None:
        parts.append(_("now apart from the others"))
    elif one.meal_ms is None:
        due = dates.day(book.local(one.out_ms + round(MEAL_DAYS * DAY_MS)))
        parts.append(_("first meal about {due}, alone and undisturbed", due=due))
    return _("Egg {mark}: {parts}.", mark=one.mark, parts=", ".join(parts))
