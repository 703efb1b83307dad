"""What a check says, in the keeper's words: settling, the choice of curve, and what would help."""

from __future__ import annotations

from math import isinf

from stathmis.core.calibration import Fit
from stathmis.core.checks.settling import Settling
from stathmis.core.units import Unit, from_inside
from stathmis.services.instruments.checking import Check
from stathmis.services.instruments.improving import Prospect
from stathmis.services.instruments.sheet import MODEL_WORDS
from stathmis.services.instruments.zones import ZoneVerdict
from stathmis.words.catalogue import _, as_number, begun
from stathmis.words.instruments import sheet as say
from stathmis.words.numbers import places_for, signed, unit_word


def settling_words(found: Settling, limit: float, response_s: float, unit: Unit) -> str:
    """ "mean 36.13, scatter 0.06, rising 0.3 °C/h: settled (less than 0.05 °C to go; response time 2 min)"."""
    places = places_for(limit / 5)
    head = _(
        "mean {mean}, scatter {deviation}",
        mean=as_number(found.mean, f".{places}f"),
        deviation=as_number(found.deviation, f".{places}f"),
    )
    minutes = response_s / 60.0
    limit_words = f"{as_number(limit, 'g')} {unit_word(unit)}"
    if isinf(found.to_go):
        return say.HEAD_A_THIRD_READING_TELLS(head=head, minutes=minutes)
    hourly = found.slope_per_s * 3600.0
    moving = (
        _("steady")
        if abs(hourly) < limit
        else _("{word} {hourly:.1f} an hour", word=_("rising") if hourly > 0 else _("falling"), hourly=abs(hourly))
    )
    if found.settled:
        return say.HEAD_MOVING_SETTLED_LESS_THAN(head=head, moving=moving, limit_words=limit_words, minutes=minutes)
    wait = max(1, round(found.wait_s / 60.0))
    return say.HEAD_MOVING_NOT_SETTLED_WAIT(
        head=head, moving=moving, wait=wait, limit_words=limit_words, minutes=minutes
    )


def choice_words(fitted: Fit) -> str:
    """What curve it is, and which points count for little in it."""
    name = begun(MODEL_WORDS[fitted.correction.model])
    if fitted.correction.model != "averaged":
        return _("{name}, as you asked.", name=name)
    return say.EACH_WEIGHED_BY_WHAT_THE(name=name)


def result_words(check: Check) -> str:
    """ "When it shows 36.9 °C: add +0.52 ± 0.09 °C"."""
    unit = unit_word(check.channel.unit)
    places = places_for(check.channel.resolution / 10)
    value, U = check.corrected_at(check.at)
    return say.WHEN_IT_SHOWS_AT_UNIT_ADD(
        at=check.at, unit=unit, value=signed(value - check.at, places), u=as_number(U, f".{places}f")
    )


def range_words(check: Check) -> str:
    """Over what range it was checked, what holds beyond, and anything that widened U."""
    correction = check.correction
    assert correction is not None
    unit = unit_word(check.channel.unit)
    low, high = correction.domain
    over = (
        _("at {low:.1f} {unit}", low=low, unit=unit)
        if high - low < 0.05
        else _("from {low:.1f} to {high:.1f} {unit}", low=low, high=high, unit=unit)
    )
    words = say.CHECKED_OVER_BEYOND_THAT_THE(over=over, coverage_factor=correction.coverage_factor)
    if check.channel.unit == "%":
        words += say.CORRECTED_HUMIDITY_IS_HELD_TO()
    if check.hysteresis:
        words += say.RISING_AND_FALLING_DIFFER_BY(hysteresis=check.hysteresis, unit=unit)
    if correction.widened > 1:
        words += say.THE_POINTS_DISAGREE_MORE_THAN(widened=correction.widened)
    return words


def prospect_words(verdict: ZoneVerdict, found: list[Prospect], unit: Unit) -> str:
    """What would make an instrument good enough for a zone, or that nothing here would."""
    low, high = (float(from_inside(v, unit)) for v in (verdict.zone.band.low, verdict.zone.band.high))
    places = 0 if unit == "%" else 1
    band = f"{as_number(low, f'.{places}f')}–{as_number(high, f'.{places}f')} {unit_word(unit)}"
    wanted = _("below ± {half} {unit_word}", half=as_number(verdict.half, f".{places + 1}f"), unit_word=unit_word(unit))
    enough = [p for p in found if p.enough]
    if enough:
        ways = "; ".join(f"{p.words} (± {as_number(p.U, f'.{places + 1}f')})" for p in enough)
        return say.FOR_BAND_U_MUST_COME(band=band, wanted=wanted, ways=ways)
    if found:
        best = found[0]
        helps = f"{best.words} (± {as_number(best.U, f'.{places + 1}f')})"
        return say.FOR_BAND_U_MUST_COME_WANTED(band=band, wanted=wanted, helps=helps)
    return say.FOR_BAND_U_MUST_COME_WANTED_NOTHING(band=band, wanted=wanted)
