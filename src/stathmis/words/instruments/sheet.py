"""A check as a sheet, and its verdicts, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Sentence

ITS_CERTIFICATE_RUNS_OUT = Sentence("its certificate runs out")
WAY_BETWEEN_CHECKS_CHANGED = Sentence("way between checks changed")
REFERENCE_IN_THE_DRAWER = Sentence("reference, in the drawer")
ONE_OFFSET = Sentence("one offset")
A_STRAIGHT_LINE = Sentence("a straight line")
A_QUADRATIC = Sentence("a quadratic")
OFFSET_SLOPE_AND_BEND = Sentence("offset, slope and bend averaged")
EACH_WEIGHED_BY_WHAT_THE = Sentence(
    "{name}: each counts as far as the points bear it out, and what they leave open stays in U."
)
FOR_ALL_ITS_READINGS = Sentence("for all its readings")
WHEN_IT_SHOWS_AT_UNIT = Sentence(
    "When it shows {at} {unit}, add {value} ± {u} {unit} (95 %, k = {coverage_factor:.2f})."
)
OFF_THE_CURVE_IN_U = Sentence("off the curve, in u")
ITS_OWN_CHECK_OF_DONE = Sentence("its own check of {done_ms}")
AGAINST_NAME_BY_ITS_CERTIFICATE = Sentence(
    "Against {name}, by its certificate of {dated} ({points}, U up to {u:g} {unit_word}, k = {coverage_factor:g})."
)
AGAINST_NAME_KNOWN_BY_ITS = Sentence("Against {name}, known by its maker's accuracy only (± {accuracy:g}).")
HEAD_A_THIRD_READING_TELLS = Sentence(
    "{head}; a third reading tells whether it has settled (response time {minutes:.0f} min)"
)
HEAD_MOVING_SETTLED_LESS_THAN = Sentence(
    "{head}, {moving}: settled, less than {limit_words} to go (response time {minutes:.0f} min)"
)
HEAD_MOVING_NOT_SETTLED_WAIT = Sentence(
    "{head}, {moving}: not settled. Wait about {wait} min and read again (settled: less than "
    "{limit_words} to go, watched for its response time of {minutes:.0f} min)"
)
WHEN_IT_SHOWS_AT_UNIT_ADD = Sentence("When it shows {at:.1f} {unit}: add {value} ± {u} {unit}")
CHECKED_OVER_BEYOND_THAT_THE = Sentence(
    "Checked {over}; beyond that the uncertainty grows. U holds at 95 %, k = {coverage_factor:.2f}."
)
CORRECTED_HUMIDITY_IS_HELD_TO = Sentence(" Corrected humidity is held to 0–100 %.")
RISING_AND_FALLING_DIFFER_BY = Sentence(" Rising and falling differ by up to ± {hysteresis:.1f} {unit}.")
THE_POINTS_DISAGREE_MORE_THAN = Sentence(
    " The points disagree more than their uncertainties allow: U was widened {widened:.1f} times. Read "
    "again, and wait longer."
)
FOR_BAND_U_MUST_COME = Sentence("For {band} U must come {wanted}. Enough would be: {ways}.")
FOR_BAND_U_MUST_COME_WANTED = Sentence("For {band} U must come {wanted}. No one step is enough; most helps {helps}.")
FOR_BAND_U_MUST_COME_WANTED_NOTHING = Sentence(
    "For {band} U must come {wanted}. Nothing at the bench would do: use another instrument there."
)
