"""Alarms in words."""

from __future__ import annotations

from typing import NamedTuple

from stathmis.services import knowledge
from stathmis.services.advice.heat import DANGER_C
from stathmis.services.book import Book
from stathmis.services.watch.alarm import Alarm
from stathmis.words import dates
from stathmis.words.catalogue import _, filled_in
from stathmis.words.numbers import number
from stathmis.words.probes import state


class Told(NamedTuple):
    """What is the matter, and why it counts or what to do."""

    words: str
    why: str


def said(book: Book, alarm: Alarm) -> Told:
    """An alarm in two sentences."""
    unit = book.temperature_unit
    name = alarm.incubator.name if alarm.incubator is not None else ""
    at, limit = (number(c, "temperature", unit) for c in (alarm.celsius, alarm.limit_c))
    if alarm.kind == "silent" and alarm.probe is not None:
        return Told(
            _("{name} has been silent for {minutes} min.", name=alarm.probe.probe.name, minutes=alarm.minutes),
            _("Check its lead and power ({state}).", state=state(alarm.probe.status, alarm.probe.silent)),
        )
    if alarm.kind == "hot":
        return Told(
            _("{name}: the air is at {at}. Cool it now.", name=name, at=at),
            _("Eggs at {danger} and more are in danger at once.", danger=number(DANGER_C, "temperature", unit)),
        )
    if alarm.kind == "eggs":
        words = (
            _("{name}: the eggs are at {at}, too warm.") if alarm.warm else _("{name}: the eggs are at {at}, too cold.")
        )
        hot = _("Hot kills faster than cold: open it a little and look at the heater.")
        cold = _("Look at power and lid; embryos stand an hour or two of cold well.")
        return Told(filled_in(words, name=name, at=at), hot if alarm.warm else cold)
    if alarm.kind == "trend":
        rising = _("{name}: the eggs are rising, at {at} now and past {limit} about {when}.")
        falling = _("{name}: the eggs are falling, at {at} now and past {limit} about {when}.")
        when = dates.clock(book.local(alarm.at_ms))
        return Told(
            filled_in(rising if alarm.warm else falling, name=name, at=at, limit=limit, when=when),
            _("A steady way out of the band is no lid opening: look at heater, lid and room."),
        )
    if alarm.kind == "drying":
        when = dates.moment(book.local(alarm.at_ms))
        now, low = alarm.rh
        if now < low:
            words = _("{name}: {now:.0f} % RH and falling; {low:.0f} % are asked.", name=name, now=now, low=low)
            return Told(words, _("It falls as a trough does that runs dry: look at the water."))
        words = _(
            "{name}: {now:.0f} % RH and falling: under {low:.0f} % by {when}.", name=name, now=now, low=low, when=when
        )
        return Told(words, _("It falls as a trough does that runs dry: look at the water."))
    if alarm.instrument is not None:
        logger, lasted = alarm.instrument.name, dates.duration(60_000.0 * alarm.minutes)
        if alarm.kind == "stuck":
            words = _("{name}: {logger} has shown the very same for {lasted}.", name=name, logger=logger, lasted=lasted)
            return Told(words, _("A thermostat swings: is it frozen, or off? Read another thermometer."))
        words = _("{name}: nothing from {logger} for {minutes} min.", name=name, logger=logger, minutes=alarm.minutes)
        return Told(words, _("Its file used to come oftener: look at the logger and its folder."))
    if alarm.kind == "moisture":
        rh, wanted = alarm.rh
        dry = _("{name}: the air has been at {rh:.0f} % RH for {minutes} min and more; {wanted:.0f} % are asked.")
        words = filled_in(dry, name=name, rh=rh, minutes=alarm.minutes, wanted=wanted)
        more = _("Fill all water, warm, and leave it shut: a dry membrane holds the chick.")
        return Told(words, more if rh < wanted else _("Open the vents a little more; take water away if it stays."))
    return Told(
        _("{name}: the air has been at {at} for {minutes} min and more.", name=name, at=at, minutes=alarm.minutes),
        _("No lid opening was logged. If you opened it, log it and this is quiet."),
    )


def caution() -> str:
    """What an alarm is not."""
    return knowledge.cautions()["alarm"]
