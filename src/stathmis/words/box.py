"""What water and vents give, in words: the combination to choose, the trial that teaches, what does not fit."""

from __future__ import annotations

from math import exp

from stathmis.core.course.profile import Band
from stathmis.core.uncertainty import NORMAL_95
from stathmis.services import knowledge
from stathmis.services.book import Book
from stathmis.services.clock import HOUR_MS
from stathmis.services.findings.box import BoxSheet
from stathmis.services.findings.combinations import LIKELY, Cell, Change, Grid, Room, is_setting
from stathmis.services.findings.states import FoundState
from stathmis.services.moisture.water import Setting
from stathmis.words import dates
from stathmis.words.catalogue import _
from stathmis.words.events import opening_words
from stathmis.words.numbers import band_text, count, number

NO_BREAK = "\u00a0"
SURE_ENOUGH_FOG = (0.25, 0.75)
CAUSES = {
    "dry": "a wick or trough that has fallen dry: look at the water first",
    "leak": "more air coming in than before: look at the lid, its seal and the vents",
    "hygrometer": "the hygrometer: hold it against another one",
    "source": "wet chicks, which is usual and passes; open the vent if the window streams",
}


def percent(cell: Cell) -> str:
    """ "52 ± 4 % RH"."""
    return f"{cell.rh:.0f} ± {max(1.0, cell.U):.0f} % RH"


def setting_words(cell: Cell) -> str:
    """ "long trough + cup, vent half open"."""
    return f"{cell.combination.words}, vent {opening_words(cell.opening)}"


def now_words(now: Setting) -> str:
    """How it is set, as far as it is known."""
    wet = "what is wet is not said" if now.surface_cm2 is None else f"{now.surface_cm2:.0f} cm² wet"
    vent = "how far the vent is open is not said" if now.opening is None else f"vent {opening_words(now.opening)}"
    return f"{wet}, {vent}"


def _band(band: Band) -> str:
    return band_text(band.low, band.high, "humidity", "%")


def headline(sheet: BoxSheet) -> str:
    """What to set now, or what is missing to say it."""
    if not sheet.surfaces:
        return "Enter what holds water here, and what is wet now: then every mix of water and vent is worked out."
    if not sheet.now.known:
        return f"Say how it stands: {now_words(sheet.now)}. Then log every change here or on Round."
    grid = sheet.grids["now"]
    if grid.band is None:
        return "No humidity is asked for now; the picture shows what each mix of water and vent gives."
    chosen = grid.chosen
    if chosen is None or chosen.inside < LIKELY:
        sure = "gives" if chosen is None else "surely gives"
        return f"No mix of this water and these vents {sure} {_band(grid.band)}: {_out_of_reach(grid)}"
    same = is_setting(sheet.now, chosen)
    if same and sheet.misfit is not None and sheet.misfit.causes:
        return (
            f"Once that is mended: {setting_words(chosen)} gives about {percent(chosen)}; {_band(grid.band)} is asked."
        )
    if same:
        return f"Leave it as it is: {setting_words(chosen)} gives about {percent(chosen)}; {_band(grid.band)} is asked."
    wait = settled_words(sheet, chosen)
    settled = f", settled {wait}" if wait else ""
    return f"For {_band(grid.band)}: {setting_words(chosen)}, which gives about {percent(chosen)}{settled}."


def cell_words(grid: Grid, cell: Cell) -> str:
    """A cell in a sentence: "long trough, vent half open: 40 ± 3 % RH, too dry for 45–55 % RH"."""
    text = f"{setting_words(cell)}: {percent(cell)}"
    if grid.band is None:
        return text
    way = "dry" if cell.rh < grid.band.middle else "moist"
    said = {"inside": "inside", "outside": f"too {way} for", "undecided": f"perhaps too {way} for"}[cell.decision]
    return f"{text}, {said} {_band(grid.band)}"


def _out_of_reach(grid: Grid) -> str:
    flat = [c for row in grid.cells for c in row]
    assert grid.band is not None
    nearest = min(flat, key=lambda c: abs(c.rh - grid.band.middle))  # type: ignore[union-attr]
    more = "the room itself is too moist"
    if nearest.rh < grid.band.middle:
        more = "more water surface is needed"
        if grid.more_cm2 is not None:
            about = max(10.0, 10.0 * round(grid.more_cm2 / 10.0))
            more = f"about {about:.0f} cm² more would do, as a dish, a sponge or a damp cloth"
    return f"{setting_words(nearest)} comes nearest with about {percent(nearest)}; {more}."


def change_words(asked: Change) -> str:
    """What to do: "Fill the cup and set the vent half open"."""
    parts = [f"fill the {name}" for name in asked.fill] + [f"take the water out of the {name}" for name in asked.empty]
    if asked.opening is not None:
        parts.append(f"set the vent {opening_words(asked.opening)}")
    text = " and ".join(parts)
    return text[:1].upper() + text[1:]


def settled_words(sheet: BoxSheet, cell: Cell) -> str:
    """ "in about 40 min", where it was seen how quickly this box settles; else empty."""
    if not any(s.used and s.state is not None and s.state.tau_s == s.state.tau_s for s in sheet.states):
        return ""
    tau, _ = sheet.box.settling_s(cell.combination.surface_cm2, cell.opening)
    return f"in about {dates.duration(round(3.0 * tau * 1000))}"


def lines(book: Book, sheet: BoxSheet) -> list[str]:
    """What else there is to know: colder room, trial, filling, dry hatch, fog."""
    said = []
    known = bool(sheet.surfaces) and sheet.now.known
    if known:
        said += _tonight(sheet)
        if sheet.trial is not None:
            said.append(
                f"To learn most from one trial: {setting_words(sheet.trial.cell)} for two hours "
                f"(about {percent(sheet.trial.cell)}). It would bring the ± of all these from "
                f"{sheet.trial.before:.0f} to about {sheet.trial.after:.0f} % RH."
            )
    said += _filling(book, sheet) + _dry(sheet) + _fog(book, sheet)
    return said


def _tonight(sheet: BoxSheet) -> list[str]:
    tonight, now = sheet.grids.get("tonight"), sheet.grids["now"]
    if tonight is None or now.chosen is None:
        return []
    same = next(
        c
        for row in tonight.cells
        for c in row
        if c.combination == now.chosen.combination and abs(c.opening - now.chosen.opening) < 1e-9
    )
    if abs(same.rh - now.chosen.rh) < 1.0:
        return ["The room's coldest hours lately change that by less than 1 % RH."]
    word = {"inside": "still inside", "outside": "outside", "undecided": "perhaps outside"}[same.decision]
    return [f"In the room's coldest hours lately it would give {percent(same)}: {word}."]


def _filling(book: Book, sheet: BoxSheet) -> list[str]:
    if sheet.lasts is None or sheet.filled_ms is None:
        return []
    hours, u = sheet.lasts
    low, high = hours * exp(-NORMAL_95 * u), hours * exp(NORMAL_95 * u)
    due = book.local(sheet.filled_ms + round(low * HOUR_MS))
    text = f"A filling lasts about {_hours(hours)} ({_hours(low)} to {_hours(high)})"
    late = due.timestamp() * 1000 < sheet.at_ms
    by = f"; {'it was to be looked at' if late else 'look'} by {dates.moment(due, weekday=True)}" if low >= 1.0 else ""
    tell = "" if u < 0.25 else ". Logging how many ml a refill took makes this surer"
    return [f"{text}{by}{tell}. {knowledge.cautions()['water']}"]


def _hours(hours: float) -> str:
    return f"{hours:.0f} h" if hours < 72 else f"{hours / 24:.1f} days"


def _dry(sheet: BoxSheet) -> list[str]:
    (low, u_low), (high, u_high) = sheet.dry
    edges = knowledge.regimes()["lean"].setting_rh
    assert edges is not None
    reach = f"{low:.0f} ± {max(1.0, NORMAL_95 * u_low):.0f} to {high:.0f} ± {max(1.0, NORMAL_95 * u_high):.0f} % RH"
    if high < edges.low:
        verdict = f"drier than a dry hatch wants ({_band(edges)})"
    elif low > edges.high:
        verdict = f"too moist for a dry hatch ({_band(edges)})"
    else:
        verdict = f"a dry hatch ({_band(edges)}) can be held in this room"
    return [f"Without water, wide open to narrow: {reach}; {verdict}."]


def _fog(book: Book, sheet: BoxSheet) -> list[str]:
    if sheet.dew_c is None or sheet.fog is None:
        return []
    likely = "fogs" if sheet.fog > SURE_ENOUGH_FOG[1] else "may fog" if sheet.fog > SURE_ENOUGH_FOG[0] else ""
    dew = number(sheet.dew_c, "temperature", book.temperature_unit)
    if not likely:
        return [f"Dew point inside {dew}: a single pane stays clear in this room."]
    return [f"Dew point inside {dew}: a single pane {likely} in this room. Fog says the glass is cold, no more."]


def odd(book: Book, sheet: BoxSheet) -> str:
    """Which settled state contradicts the others; empty where none does."""
    if sheet.odd is None:
        return ""
    state, found = sheet.odd
    sentence = _(
        "The settled states contradict each other: that of {when} lies {off:.0f} ± {U:.0f} % RH {way} than the others "
        "say. Was another water or vent logged than stood there? Then leave it out below."
    )
    way = _("moister") if found.difference > 0 else _("drier")
    off, U = abs(found.difference), NORMAL_95 * found.u
    return sentence.format(when=dates.moment(book.local(state.since_ms), weekday=True), off=off, U=U, way=way)


def doubt(sheet: BoxSheet) -> str:
    """What does not fit, and what would explain it; empty where all fits."""
    found = sheet.misfit
    if found is None or not found.causes:
        return ""
    way = "moister" if found.difference > 0 else "drier"
    first = found.causes[0]
    text = (
        f"It is {abs(found.difference):.0f} ± {NORMAL_95 * found.u:.0f} % RH {way} than this water and vent "
        f"gave before. That fits {CAUSES[first.name]}"
    )
    others = [CAUSES[c.name].split(":")[0] for c in found.causes[1:] if c.weight > 0.2]
    return f"{text}{'; or ' + ' or '.join(others) if others else ''}."


def state_words(found: FoundState) -> str:
    """ "430 cm² wet, vent half open: 52.1 ± 0.6 %"."""
    setting = now_words(found.setting)
    if found.state is None:
        return f"{setting}: not used, {found.problem}"
    return f"{setting}: {found.state.rh:.1f} ± {max(0.1, NORMAL_95 * found.state.u_rh):.1f}{NO_BREAK}%"


def ramp_lines(book: Book, sheet: BoxSheet) -> list[str]:
    """The way to lockdown, step by step."""
    late = sheet.grids.get("lockdown")
    if late is None or late.band is None:
        return []
    if not sheet.ramp:
        if late.chosen is None:
            return [f"No mix reaches {_band(late.band)} for lockdown: {_out_of_reach(late)}"]
        return [f"{setting_words(late.chosen)} stays: about {percent(late.chosen)}, {_band(late.band)} asked."]
    said = []
    for i, step in enumerate(sheet.ramp, start=1):
        wait = dates.duration(round(step.wait_s * 1000)).replace(" ", NO_BREAK)
        over = " Too moist: wait and see before the next." if step.cell.rh > late.band.high else ""
        said.append(f"{i}. {setting_words(step.cell)}: about {percent(step.cell)} after {wait}.{over}")
    if late.chosen is not None and late.chosen.inside < LIKELY:
        said.append(f"That may not do for {_band(late.band)}: {_out_of_reach(late)}")
    return said


def why(book: Book, sheet: BoxSheet) -> list[str]:
    """What it rests on."""
    said = [
        f"From {count(sheet.used, 'settled state')} in the log, the room's vapor and "
        f"{count(len(sheet.surfaces), 'water surface')}; what is not known yet is taken from usual boxes, widely."
    ]
    if sheet.settling is not None:
        tau, _ = sheet.settling
        said.append(f"Time constant as it stands: {dates.duration(round(tau * 1000))} (63 % of a step).")
    said.append(_room(book, sheet.room))
    offset, u = sheet.box.offset
    if abs(offset) > 2.0 * u:
        said.append(f"All states together suggest the hygrometer reads {offset:+.0f} % RH off.")
    return said


def _room(book: Book, room: Room | None) -> str:
    if room is None:
        return "Room air not read lately: 21 °C and 50 % RH assumed."
    return (
        f"Room: {number(room.celsius, 'temperature', book.temperature_unit)}, {number(room.rh, 'humidity', '%')}, "
        f"corrected."
    )


def unmoved(sheet: BoxSheet) -> str:
    """What was never changed, so that nothing is known of it; empty where all was."""
    used = [s.state for s in sheet.states if s.used and s.state is not None]
    if len(used) < 2:
        return ""
    if len({round(s.vent, 2) for s in used}) == 1:
        return "The vent was never moved in this log: what it does is taken from usual boxes until it is."
    if len({round(s.surface_cm2) for s in used}) == 1:
        return "The wet surface was never changed in this log: what water does is taken from usual boxes until it is."
    return ""
