"""What the loss of the eggs says, in words: what to hold, whether it can be held, and what it rests on."""

from __future__ import annotations

from math import ceil, isfinite

from stathmis.core.conformity import decide
from stathmis.core.course.profile import Band
from stathmis.core.moisture import HIGHEST_RH
from stathmis.core.psychrometrics import dew_point, wet_bulb_temperature
from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import Weighing
from stathmis.services.book import Book
from stathmis.services.findings.corrections import Corrected
from stathmis.services.findings.loss import LossSheet, OddWeighing
from stathmis.words import dates
from stathmis.words.catalogue import _
from stathmis.words.numbers import count, number, places_for


def places(scale_g: float) -> int:
    """Decimals of a mass weighed in such steps."""
    return places_for(scale_g)


def weighing_words(found: Weighing) -> str:
    """ "whole tray, 30 eggs: 651.3 g, 21.71 g an egg"."""
    mass = f"{found.mass_g:.{places(found.scale_g)}f} g"
    if found.mark:
        return f"egg {found.mark}: {mass}"
    return f"whole tray, {count(found.eggs, 'egg')}: {mass}, {found.mass_g / found.eggs:.2f} g an egg"


def headline(sheet: LossSheet) -> str:
    """What to hold for the days left, or what is missing to say it."""
    target = sheet.target
    if sheet.day_now >= sheet.lockdown_day:
        return "The setting stage is over: lockdown has its own humidity."
    if target is None:
        return "Weigh the eggs: the first weighing sets the line, the second begins to show their shells."
    days = f"{sheet.lockdown_day - sheet.day_now:.1f} days to lockdown"
    aim = sheet.wanted[1]
    if target.reachable == "too moist":
        return f"Even {HIGHEST_RH:.0f} % RH for the {days} would lose more than {aim:g} %: hold it as moist as it goes."
    if target.reachable == "too dry" or target.rh < 5.0:
        return f"Even dry the {days} would lose less than {aim:g} %: take the water out and open the vent."
    low, high = max(target.low, 0.0), min(target.high, 100.0)
    return f"Hold {target.rh:.0f} % RH ({low:.0f}–{high:.0f}) for the {days}, to lose {aim:g} %."


def level_state(sheet: LossSheet) -> tuple[Band, Corrected, str]:
    """Band asked for, the last day's mean with its U, and whether it is in it."""
    assert sheet.target is not None and sheet.mean_rh is not None
    band = Band(sheet.target.low, sheet.target.high)
    mean = Corrected(sheet.mean_rh, NORMAL_95 * sheet.u_mean_rh)
    return band, mean, str(decide(mean.value, mean.u, band.low, band.high))


def _up(U: float) -> float:
    """An uncertainty to be shown in tenths: rounded up, never as nothing."""
    return max(0.1, ceil(10.0 * U - 1e-9) / 10.0)


def lines(book: Book, sheet: LossSheet) -> list[str]:
    """The target on other instruments, the loss so far, and where it goes if nothing is changed."""
    said = []
    target, unit = sheet.target, book.temperature_unit
    if target is not None and 1.0 < target.rh < 100.0:
        wet = float(wet_bulb_temperature(sheet.temperature_c, target.rh, book.pressure_hpa))
        dew = float(dew_point(sheet.temperature_c, target.rh))
        wet_text, dew_text = (number(v, "temperature", unit) for v in (wet, dew))
        said.append(f"That is a wet bulb of {wet_text}, a dew point of {dew_text}.")
    if sheet.loss_now is not None:
        value, u = sheet.loss_now
        said.append(f"Lost so far: {value:.1f} ± {_up(NORMAL_95 * u):.1f} %.")
    if sheet.forecast is not None and sheet.mean_rh is not None:
        value, u = sheet.forecast
        low, _aim, high = sheet.wanted
        fits = "within" if low <= value <= high else "outside"
        said.append(
            f"If the last day's {sheet.mean_rh:.0f} % RH stays: {value:.1f} ± {_up(NORMAL_95 * u):.1f} % at lockdown, "
            f"{fits} {low:g}–{high:g} %."
        )
    if sheet.odd is not None:
        said.append(_odd(book, sheet.odd))
    if sheet.room_rh is not None:
        said.append(f"The room's air alone gives {sheet.room_rh:.0f} % RH inside: it gets no drier than that.")
    return said


def _odd(book: Book, odd: OddWeighing) -> str:
    """A weighing that is likely wrong."""
    one = odd.weighing
    when = dates.moment(book.local(one.time_ms))
    off = abs(odd.off_g) * one.eggs
    parts = {"when": when, "off": f"{off:.{places(one.scale_g)}f}"}
    where = _("The weighing of {when} lies {off} g over the line of the others:")
    if odd.off_g < 0:
        where = _("The weighing of {when} lies {off} g under the line of the others:")
    said = where.format(**parts) + " " + _("likely a slip. Strike it, or weigh again.")
    if odd.without is None:
        return said
    value, u = odd.without
    return said + " " + _("Without it: {value:.1f} ± {U:.1f} % at lockdown.", value=value, U=_up(NORMAL_95 * u))


def egg_lines(sheet: LossSheet) -> list[str]:
    """Eggs unlike the rest, and the compromise for all of them."""
    said = []
    for egg in sheet.eggs:
        if egg.unlike:
            usual = sheet.conductance.value if sheet.conductance is not None else egg.conductance.value
            way = "thin, cracked or porous" if egg.conductance.value > usual else "thick"
            said.append(
                f"Egg {egg.mark} loses {egg.conductance.value / usual:.1f} times as fast as the rest (shell {way}?): "
                f"{egg.loss_at_lockdown:.0f} % at lockdown."
            )
    if sheet.compromise_rh is not None and sheet.target is not None and abs(sheet.compromise_rh - sheet.target.rh) > 2:
        said.append(f"{sheet.compromise_rh:.0f} % RH brings most of the marked eggs into the range.")
    return said


def why(book: Book, sheet: LossSheet) -> list[str]:
    """What it rests on."""
    said = []
    if sheet.conductance is not None:
        g = sheet.conductance
        said.append(
            f"Shell conductance {g.value:.2f} ± {NORMAL_95 * g.u:.2f} mg/(d·hPa), egg of {g.mass_g:.1f} g at setting, "
            f"from {count(sheet.weighed, 'weighing')}"
            + (" and the species' usual value, which further weighings overtake." if sheet.weighed < 4 else ".")
        )
    if isfinite(sheet.known_percent) and sheet.known_percent < 95:
        said.append(f"The humidity was read {sheet.known_percent:.0f} % of the time; for the rest its mean is assumed.")
    said.append(
        "Loss = conductance × vapor-pressure deficit, added up over the corrected log (Ar and Rahn, 1974 on). The "
        "humidity asked for is as your corrected instruments read it: an error they keep cancels out."
    )
    if book.altitude_m:
        more = 100 * (1013.25 / book.pressure_hpa - 1)
        said.append(f"At {book.altitude_m:.0f} m shells pass {more:.0f} % more than at sea level.")
    return said
