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
from stathmis.words.catalogue import N_, Spoken, _, as_number, filled_in
from stathmis.words.events import opening_words
from stathmis.words.numbers import band_text, count, number

NO_BREAK = "\u00a0"
SURE_ENOUGH_FOG = (0.25, 0.75)
CAUSES = Spoken(
    {
        "dry": N_("a wick or trough that has fallen dry: look at the water first"),
        "leak": N_("more air coming in than before: look at the lid, its seal and the vents"),
        "hygrometer": N_("the hygrometer: hold it against another one"),
        "source": N_("wet chicks, which is usual and passes; open the vent if the window streams"),
    }
)


def percent(cell: Cell) -> str:
    """ "52 ± 4 % RH"."""
    return f"{as_number(cell.rh, '.0f')} ± {as_number(max(1.0, cell.U), '.0f')} {_('% RH')}"


def setting_words(cell: Cell) -> str:
    """ "long trough + cup, vent half open"."""
    return _("{words}, vent {opening_words}", words=cell.combination.words, opening_words=opening_words(cell.opening))


def now_words(now: Setting) -> str:
    """How it is set, as far as it is known."""
    wet = (
        _("what is wet is not said")
        if now.surface_cm2 is None
        else _("{surface_cm2:.0f} cm² wet", surface_cm2=now.surface_cm2)
    )
    vent = (
        _("how far the vent is open is not said")
        if now.opening is None
        else _("vent {opening_words}", opening_words=opening_words(now.opening))
    )
    return f"{wet}, {vent}"


def _band(band: Band) -> str:
    return band_text(band.low, band.high, "humidity", "%")


def headline(sheet: BoxSheet) -> str:
    """What to set now, or what is missing to say it."""
    if not sheet.surfaces:
        return _("Enter what holds water here, and what is wet now: then every mix of water and vent is worked out.")
    if not sheet.now.known:
        return _(
            "Say how it stands: {now_words}. Then log every change here or on Round.", now_words=now_words(sheet.now)
        )
    grid = sheet.grids["now"]
    if grid.band is None:
        return _("No humidity is asked for now; the picture shows what each mix of water and vent gives.")
    chosen = grid.chosen
    if chosen is None or chosen.inside < LIKELY:
        sure = _("gives") if chosen is None else _("surely gives")
        return _(
            "No mix of this water and these vents {sure} {band}: {out_of_reach}",
            sure=sure,
            band=_band(grid.band),
            out_of_reach=_out_of_reach(grid),
        )
    same = is_setting(sheet.now, chosen)
    if same and sheet.misfit is not None and sheet.misfit.causes:
        return _(
            "Once that is mended: {setting_words} gives about {percent}; {band} is asked.",
            setting_words=setting_words(chosen),
            percent=percent(chosen),
            band=_band(grid.band),
        )
    if same:
        return _(
            "Leave it as it is: {setting_words} gives about {percent}; {band} is asked.",
            setting_words=setting_words(chosen),
            percent=percent(chosen),
            band=_band(grid.band),
        )
    wait = settled_words(sheet, chosen)
    settled = _(", settled {wait}", wait=wait) if wait else ""
    return _(
        "For {band}: {setting_words}, which gives about {percent}{settled}.",
        band=_band(grid.band),
        setting_words=setting_words(chosen),
        percent=percent(chosen),
        settled=settled,
    )


def cell_words(grid: Grid, cell: Cell) -> str:
    """A cell in a sentence: "long trough, vent half open: 40 ± 3 % RH, too dry for 45–55 % RH"."""
    text = f"{setting_words(cell)}: {percent(cell)}"
    if grid.band is None:
        return text
    way = _("dry") if cell.rh < grid.band.middle else _("moist")
    said = {
        "inside": _("inside"),
        "outside": _("too {way} for", way=way),
        "undecided": _("perhaps too {way} for", way=way),
    }[cell.decision]
    return f"{text}, {said} {_band(grid.band)}"


def _out_of_reach(grid: Grid) -> str:
    flat = [c for row in grid.cells for c in row]
    assert grid.band is not None
    nearest = min(flat, key=lambda c: abs(c.rh - grid.band.middle))  # type: ignore[union-attr]
    more = _("the room itself is too moist")
    if nearest.rh < grid.band.middle:
        more = _("more water surface is needed")
        if grid.more_cm2 is not None:
            about = max(10.0, 10.0 * round(grid.more_cm2 / 10.0))
            more = _("about {about:.0f} cm² more would do, as a dish, a sponge or a damp cloth", about=about)
    return _(
        "{setting_words} comes nearest with about {percent}; {more}.",
        setting_words=setting_words(nearest),
        percent=percent(nearest),
        more=more,
    )


def change_words(asked: Change) -> str:
    """What to do: "Fill the cup and set the vent half open"."""
    parts = [
        _("fill the {name}", name=name) if then == 1.0 else _("fill half of the {name}", name=name)
        for name, then in asked.fill
    ]
    parts += [
        _("leave half of the {name} wet", name=name) if then else _("take the water out of the {name}", name=name)
        for name, then in asked.empty
    ]
    if asked.opening is not None:
        parts.append(_("set the vent {opening_words}", opening_words=opening_words(asked.opening)))
    text = _(" and ").join(parts)
    return text[:1].upper() + text[1:]


def settled_words(sheet: BoxSheet, cell: Cell) -> str:
    """ "in about 40 min", where it was seen how quickly this box settles; else empty."""
    if not any(s.used and s.state is not None and s.state.tau_s == s.state.tau_s for s in sheet.states):
        return ""
    tau, _rest = sheet.box.settling_s(cell.combination.surface_cm2, cell.opening)
    return _("in about {tau}", tau=dates.duration(round(3.0 * tau * 1000)))


def lines(book: Book, sheet: BoxSheet) -> list[str]:
    """What else there is to know: colder room, trial, filling, dry hatch, fog."""
    said = []
    known = bool(sheet.surfaces) and sheet.now.known
    if known:
        said += _tonight(sheet)
        if sheet.trial is not None:
            said.append(
                _(
                    "To learn most from one trial: {setting_words} for two hours (about {percent}). It "
                    "would bring the ± of all these from {before:.0f} to about {after:.0f} % RH.",
                    setting_words=setting_words(sheet.trial.cell),
                    percent=percent(sheet.trial.cell),
                    before=sheet.trial.before,
                    after=sheet.trial.after,
                )
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
        return [_("The room's coldest hours lately change that by less than 1 % RH.")]
    word = {"inside": _("still inside"), "outside": _("outside"), "undecided": _("perhaps outside")}[same.decision]
    return [_("In the room's coldest hours lately it would give {percent}: {word}.", percent=percent(same), word=word)]


def _filling(book: Book, sheet: BoxSheet) -> list[str]:
    if sheet.lasts is None or sheet.filled_ms is None:
        return []
    hours, u = sheet.lasts
    low, high = hours * exp(-NORMAL_95 * u), hours * exp(NORMAL_95 * u)
    due = book.local(sheet.filled_ms + round(low * HOUR_MS))
    text = _(
        "A filling lasts about {hours} ({low} to {high})",
        hours=_hours(hours),
        low=_hours(low),
        high=_hours(high),
    )
    late = due.timestamp() * 1000 < sheet.at_ms
    by = (
        _(
            "; {late} by {due}",
            late=_("it was to be looked at") if late else _("look"),
            due=dates.moment(due, weekday=True),
        )
        if low >= 1.0
        else ""
    )
    tell = "" if u < 0.25 else _(". Logging how many ml a refill took makes this surer")
    return [f"{text}{by}{tell}. {knowledge.cautions()['water']}"]


def _hours(hours: float) -> str:
    return f"{as_number(hours, '.0f')} h" if hours < 72 else _("{hours:.1f} days", hours=hours / 24)


def _dry(sheet: BoxSheet) -> list[str]:
    (low, u_low), (high, u_high) = sheet.dry
    edges = knowledge.regimes()["lean"].setting_rh
    assert edges is not None
    reach = _(
        "{low:.0f} ± {low_U:.0f} to {high:.0f} ± {high_U:.0f} % RH",
        low=low,
        low_U=max(1.0, NORMAL_95 * u_low),
        high=high,
        high_U=max(1.0, NORMAL_95 * u_high),
    )
    if high < edges.low:
        verdict = _("drier than a dry hatch wants ({band})", band=_band(edges))
    elif low > edges.high:
        verdict = _("too moist for a dry hatch ({band})", band=_band(edges))
    else:
        verdict = _("a dry hatch ({band}) can be held in this room", band=_band(edges))
    return [_("Without water, wide open to narrow: {reach}; {verdict}.", reach=reach, verdict=verdict)]


def _fog(book: Book, sheet: BoxSheet) -> list[str]:
    if sheet.dew_c is None or sheet.fog is None:
        return []
    likely = _("fogs") if sheet.fog > SURE_ENOUGH_FOG[1] else _("may fog") if sheet.fog > SURE_ENOUGH_FOG[0] else ""
    dew = number(sheet.dew_c, "temperature", book.temperature_unit)
    if not likely:
        return [_("Dew point inside {dew}: a single pane stays clear in this room.", dew=dew)]
    return [
        _(
            "Dew point inside {dew}: a single pane {likely} in this room. Fog says the glass is cold, no more.",
            dew=dew,
            likely=likely,
        )
    ]


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
    return filled_in(sentence, when=dates.moment(book.local(state.since_ms), weekday=True), off=off, U=U, way=way)


def doubt(sheet: BoxSheet) -> str:
    """What does not fit, and what would explain it; empty where all fits."""
    found = sheet.misfit
    if found is None or not found.causes:
        return ""
    way = _("moister") if found.difference > 0 else _("drier")
    first = found.causes[0]
    text = _(
        "It is {difference:.0f} ± {U:.0f} % RH {way} than this water and vent gave before. That fits {causes}",
        difference=abs(found.difference),
        U=NORMAL_95 * found.u,
        way=way,
        causes=CAUSES[first.name],
    )
    others = [CAUSES[c.name].split(":")[0] for c in found.causes[1:] if c.weight > 0.2]
    return _("{text}{others}.", text=text, others=_("; or ") + _(" or ").join(others) if others else "")


def state_words(found: FoundState) -> str:
    """ "430 cm² wet, vent half open: 52.1 ± 0.6 %"."""
    setting = now_words(found.setting)
    if found.state is None:
        return _("{setting}: not used, {problem}", setting=setting, problem=found.problem)
    wide = max(0.1, NORMAL_95 * found.state.u_rh)
    return f"{setting}: {as_number(found.state.rh, '.1f')} ± {as_number(wide, '.1f')}{NO_BREAK}%"


def ramp_lines(book: Book, sheet: BoxSheet) -> list[str]:
    """The way to lockdown, step by step."""
    late = sheet.grids.get("lockdown")
    if late is None or late.band is None:
        return []
    if not sheet.ramp:
        if late.chosen is None:
            return [
                _(
                    "No mix reaches {band} for lockdown: {out_of_reach}",
                    band=_band(late.band),
                    out_of_reach=_out_of_reach(late),
                )
            ]
        return [
            _(
                "{setting_words} stays: about {percent}, {band} asked.",
                setting_words=setting_words(late.chosen),
                percent=percent(late.chosen),
                band=_band(late.band),
            )
        ]
    said = []
    for i, step in enumerate(sheet.ramp, start=1):
        wait = dates.duration(round(step.wait_s * 1000)).replace(" ", NO_BREAK)
        over = _(" Too moist: wait and see before the next.") if step.cell.rh > late.band.high else ""
        said.append(
            _(
                "{i}. {setting_words}: about {percent} after {wait}.{over}",
                i=i,
                setting_words=setting_words(step.cell),
                percent=percent(step.cell),
                wait=wait,
                over=over,
            )
        )
    if late.chosen is not None and late.chosen.inside < LIKELY:
        said.append(
            _("That may not do for {band}: {out_of_reach}", band=_band(late.band), out_of_reach=_out_of_reach(late))
        )
    return said


def why(book: Book, sheet: BoxSheet) -> list[str]:
    """What it rests on."""
    said = [
        _(
            "From {settleds} in the log, the room's vapor and {waters}; what is not known yet is taken "
            "from usual boxes, widely.",
            settleds=count(sheet.used, "{n} settled state", "{n} settled states"),
            waters=count(len(sheet.surfaces), "{n} water surface", "{n} water surfaces"),
        )
    ]
    if sheet.settling is not None:
        tau, _rest = sheet.settling
        said.append(_("Time constant as it stands: {tau} (63 % of a step).", tau=dates.duration(round(tau * 1000))))
    said.append(_room(book, sheet.room))
    offset, u = sheet.box.offset
    if abs(offset) > 2.0 * u:
        said.append(_("All states together suggest the hygrometer reads {offset:+.0f} % RH off.", offset=offset))
    return said


def _room(book: Book, room: Room | None) -> str:
    if room is None:
        return _("Room air not read lately: 21 °C and 50 % RH assumed.")
    return _(
        "Room: {celsius}, {rh}, corrected.",
        celsius=number(room.celsius, "temperature", book.temperature_unit),
        rh=number(room.rh, "humidity", "%"),
    )


def unmoved(sheet: BoxSheet) -> str:
    """What was never changed, so that nothing is known of it; empty where all was."""
    used = [s.state for s in sheet.states if s.used and s.state is not None]
    if len(used) < 2:
        return ""
    if len({round(s.vent, 2) for s in used}) == 1:
        return _("The vent was never moved in this log: what it does is taken from usual boxes until it is.")
    if len({round(s.surface_cm2) for s in used}) == 1:
        return _(
            "The wet surface was never changed in this log: what water does is taken from usual boxes until it is."
        )
    return ""
