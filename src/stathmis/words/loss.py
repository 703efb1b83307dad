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
from stathmis.words.catalogue import _, as_number, filled_in
from stathmis.words.numbers import count, number, places_for


def places(scale_g: float) -> int:
    """Decimals of a mass weighed in such steps."""
    return places_for(scale_g)


def weighing_words(found: Weighing) -> str:
    """ "whole tray, 30 eggs: 651.3 g, 21.71 g an egg"."""
    mass = f"{as_number(found.mass_g, f'.{places(found.scale_g)}f')} g"
    if found.mark:
        return _("egg {mark}: {mass}", mark=found.mark, mass=mass)
    return _(
        "whole tray, {eggs}: {mass}, {mass_g:.2f} g an egg",
        eggs=count(found.eggs, "{n} egg", "{n} eggs"),
        mass=mass,
        mass_g=found.mass_g / found.eggs,
    )


def headline(sheet: LossSheet) -> str:
    """What to hold for the days left, or what is missing to say it."""
    target = sheet.target
    if sheet.day_now >= sheet.lockdown_day:
        return _("The setting stage is over: lockdown has its own humidity.")
    if target is None:
        return _("Weigh the eggs: the first weighing sets the line, the second begins to show their shells.")
    days = _("{lockdown_day:.1f} days to lockdown", lockdown_day=sheet.lockdown_day - sheet.day_now)
    aim = sheet.wanted[1]
    if target.reachable == "too moist":
        return _(
            "Even {highest_rh:.0f} % RH for the {days} would lose more than {aim:g} %: hold it as moist as it goes.",
            highest_rh=HIGHEST_RH,
            days=days,
            aim=aim,
        )
    if target.reachable == "too dry" or target.rh < 5.0:
        return _(
            "Even dry the {days} would lose less than {aim:g} %: take the water out and open the vent.",
            days=days,
            aim=aim,
        )
    low, high = max(target.low, 0.0), min(target.high, 100.0)
    return _(
        "Hold {rh:.0f} % RH ({low:.0f}–{high:.0f}) for the {days}, to lose {aim:g} %.",
        rh=target.rh,
        low=low,
        high=high,
        days=days,
        aim=aim,
    )


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
        said.append(
            _("That is a wet bulb of {wet_text}, a dew point of {dew_text}.", wet_text=wet_text, dew_text=dew_text)
        )
    if sheet.loss_now is not None:
        value, u = sheet.loss_now
        said.append(_("Lost so far: {value:.1f} ± {up:.1f} %.", value=value, up=_up(NORMAL_95 * u)))
    if sheet.forecast is not None and sheet.mean_rh is not None:
        value, u = sheet.forecast
        low, _aim, high = sheet.wanted
        fits = _("within") if low <= value <= high else _("outside")
        said.append(
            _(
                "If the last day's {mean_rh:.0f} % RH stays: {value:.1f} ± {up:.1f} % at lockdown, "
                "{fits} {low:g}–{high:g} %.",
                mean_rh=sheet.mean_rh,
                value=value,
                up=_up(NORMAL_95 * u),
                fits=fits,
                low=low,
                high=high,
            )
        )
    if sheet.odd is not None:
        said.append(_odd(book, sheet.odd))
    if sheet.room_rh is not None:
        said.append(
            _(
                "The room's air alone gives {room_rh:.0f} % RH inside: it gets no drier than that.",
                room_rh=sheet.room_rh,
            )
        )
    return said


def _odd(book: Book, odd: OddWeighing) -> str:
    """A weighing that is likely wrong."""
    one = odd.weighing
    when = dates.moment(book.local(one.time_ms))
    off = abs(odd.off_g) * one.eggs
    parts = {"when": when, "off": as_number(off, f".{places(one.scale_g)}f")}
    where = _("The weighing of {when} lies {off} g over the line of the others:")
    if odd.off_g < 0:
        where = _("The weighing of {when} lies {off} g under the line of the others:")
    said = filled_in(where, **parts) + " " + _("likely a slip. Strike it, or weigh again.")
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
            way = _("thin, cracked or porous") if egg.conductance.value > usual else _("thick")
            said.append(
                _(
                    "Egg {mark} loses {value:.1f} times as fast as the rest (shell {way}?): "
                    "{loss_at_lockdown:.0f} % at lockdown.",
                    mark=egg.mark,
                    value=egg.conductance.value / usual,
                    way=way,
                    loss_at_lockdown=egg.loss_at_lockdown,
                )
            )
    if sheet.compromise_rh is not None and sheet.target is not None and abs(sheet.compromise_rh - sheet.target.rh) > 2:
        said.append(
            _(
                "{compromise_rh:.0f} % RH brings most of the marked eggs into the range.",
                compromise_rh=sheet.compromise_rh,
            )
        )
    return said


def why(book: Book, sheet: LossSheet) -> list[str]:
    """What it rests on."""
    said = []
    if sheet.conductance is not None:
        g = sheet.conductance
        said.append(
            _(
                "Shell conductance {value:.2f} ± {U:.2f} mg/(d·hPa), egg of {mass_g:.1f} g at "
                "setting, from {weighings}",
                value=g.value,
                U=NORMAL_95 * g.u,
                mass_g=g.mass_g,
                weighings=count(sheet.weighed, "{n} weighing", "{n} weighings"),
            )
            + (_(" and the species' usual value, which further weighings overtake.") if sheet.weighed < 4 else ".")
        )
    if isfinite(sheet.known_percent) and sheet.known_percent < 95:
        said.append(
            _(
                "The humidity was read {known_percent:.0f} % of the time; for the rest its mean is assumed.",
                known_percent=sheet.known_percent,
            )
        )
    said.append(
        _(
            "Loss = conductance × vapor-pressure deficit, added up over the corrected log (Ar and Rahn, "
            "1974 on). The humidity asked for is as your corrected instruments read it: an error they "
            "keep cancels out."
        )
    )
    if book.altitude_m:
        more = 100 * (1013.25 / book.pressure_hpa - 1)
        said.append(
            _(
                "At {altitude_m:.0f} m shells pass {more:.0f} % more than at sea level.",
                altitude_m=book.altitude_m,
                more=more,
            )
        )
    return said
