"""What a check says, in the keeper's words: settling, the choice of curve, and what would help."""

from __future__ import annotations

from math import isinf

from stathmis.core.calibration import BEND_SEEN, QUADRATIC_POINTS, WELL_APART, Considered
from stathmis.core.checks.settling import Settling
from stathmis.core.units import Unit, from_inside
from stathmis.services.instruments.checking import Check
from stathmis.services.instruments.improving import Prospect
from stathmis.services.instruments.sheet import MODEL_WORDS
from stathmis.services.instruments.zones import ZoneVerdict
from stathmis.words.numbers import count, places_for, signed, unit_word


def settling_words(found: Settling, limit: float, response_s: float, unit: Unit) -> str:
    """ "mean 36.13, scatter 0.06, rising 0.3 °C/h: settled (less than 0.05 °C to go; response time 2 min)"."""
    places = places_for(limit / 5)
    head = f"mean {found.mean:.{places}f}, scatter {found.deviation:.{places}f}"
    minutes = response_s / 60.0
    limit_words = f"{limit:g} {unit_word(unit)}"
    if isinf(found.to_go):
        return f"{head}; a third reading tells whether it has settled (response time {minutes:.0f} min)"
    hourly = found.slope_per_s * 3600.0
    moving = "steady" if abs(hourly) < limit else f"{'rising' if hourly > 0 else 'falling'} {abs(hourly):.1f} an hour"
    if found.settled:
        return f"{head}, {moving}: settled, less than {limit_words} to go (response time {minutes:.0f} min)"
    wait = max(1, round(found.wait_s / 60.0))
    return (
        f"{head}, {moving}: not settled. Wait about {wait} min and read again (settled: less than {limit_words} to go, "
        f"watched for its response time of {minutes:.0f} min)"
    )


def choice_words(considered: tuple[Considered, ...]) -> str:
    """What curve was chosen, what was not, and why."""
    return " ".join(_one(c) for c in sorted(considered, key=lambda c: not c.chosen))


def _one(c: Considered) -> str:
    name = MODEL_WORDS[c.model].capitalize()
    if c.reason == "asked":
        return f"{name}, as you asked."
    if c.chosen:
        why = {
            "alone": "the points ask for nothing more",
            "apart": f"the points span {c.figure:.0f} times their uncertainty ({WELL_APART:.0f} is enough)",
            "bent": f"the bend is {c.figure:.1f} times its uncertainty ({BEND_SEEN:.0f} is enough)",
        }[c.reason]
        return f"{name}: {why}."
    least = QUADRATIC_POINTS if c.model == "quadratic" else 2
    why = {
        "apart": "the points lie too far apart to trust that one number fits all",
        "few": f"{count(int(c.figure), 'reading')} that differ; it wants {least}",
        "close": f"the points span only {c.figure:.1f} times their uncertainty, {WELL_APART:.0f} are wanted",
        "straight": f"the bend is {c.figure:.1f} times its uncertainty, {BEND_SEEN:.0f} are wanted",
    }[c.reason]
    return f"Not {MODEL_WORDS[c.model]}: {why}."


def result_words(check: Check) -> str:
    """ "When it shows 36.9 °C: add +0.52 ± 0.09 °C"."""
    unit = unit_word(check.channel.unit)
    places = places_for(check.channel.resolution / 10)
    value, U = check.corrected_at(check.at)
    return f"When it shows {check.at:.1f} {unit}: add {signed(value - check.at, places)} ± {U:.{places}f} {unit}"


def range_words(check: Check) -> str:
    """Over what range it was checked, what holds beyond, and anything that widened U."""
    correction = check.correction
    assert correction is not None
    unit = unit_word(check.channel.unit)
    low, high = correction.domain
    over = f"at {low:.1f} {unit}" if high - low < 0.05 else f"from {low:.1f} to {high:.1f} {unit}"
    words = f"Checked {over}; beyond that the uncertainty grows. U holds at 95 %, k = {correction.coverage_factor:.2f}."
    if check.channel.unit == "%":
        words += " Corrected humidity is held to 0–100 %."
    if check.hysteresis:
        words += f" Rising and falling differ by up to ± {check.hysteresis:.1f} {unit}."
    if correction.widened > 1:
        words += (
            f" The points disagree more than their uncertainties allow: U was widened {correction.widened:.1f} times. "
            "Read again, and wait longer."
        )
    return words


def prospect_words(verdict: ZoneVerdict, found: list[Prospect], unit: Unit) -> str:
    """What would make an instrument good enough for a zone, or that nothing here would."""
    low, high = (float(from_inside(v, unit)) for v in (verdict.zone.band.low, verdict.zone.band.high))
    places = 0 if unit == "%" else 1
    band = f"{low:.{places}f}–{high:.{places}f} {unit_word(unit)}"
    wanted = f"below ± {verdict.half:.{places + 1}f} {unit_word(unit)}"
    enough = [p for p in found if p.enough]
    if enough:
        ways = "; ".join(f"{p.words} (± {p.U:.{places + 1}f})" for p in enough)
        return f"For {band} U must come {wanted}. Enough would be: {ways}."
    if found:
        best = found[0]
        helps = f"{best.words} (± {best.U:.{places + 1}f})"
        return f"For {band} U must come {wanted}. No one step is enough; most helps {helps}."
    return f"For {band} U must come {wanted}. Nothing at the bench would do: use another instrument there."
