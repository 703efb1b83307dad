"""What a batch teaches, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Sentence

THE_TEMPERATURE_WAS_LOW_ON = Sentence("The temperature was low on average")
THE_TEMPERATURE_WAS_HIGH_ON = Sentence("The temperature was high on average")
THE_TEMPERATURE_SWUNG = Sentence("The temperature swung")
TOO_MOIST_BEFORE_LOCKDOWN_THE = Sentence("Too moist before lockdown: the eggs lost too little")
TOO_DRY_BEFORE_LOCKDOWN_THE = Sentence("Too dry before lockdown: the eggs lost too much")
TOO_DRY_IN_LOCKDOWN_CHICKS = Sentence("Too dry in lockdown: chicks stick in the membrane")
TOO_LONG_BETWEEN_TURNS = Sentence("Too long between turns")
EGGS_KEPT_TOO_LONG_BEFORE = Sentence("Eggs kept too long before setting")
THE_LID_WAS_OPENED_WHILE = Sentence("The lid was opened while eggs were pipped")
MANY_EGGS_WERE_INFERTILE = Sentence("Many eggs were infertile")
GIVE_IT_A_STEADIER_ROOM = Sentence(
    "Give it a steadier room, out of sun and draft, and leave the controller alone for a day after a change."
)
HOLD_IT_DRIER_BEFORE_LOCKDOWN = Sentence(
    "Hold it drier before lockdown next time, and weigh the eggs: the school by weight."
)
HOLD_IT_MOISTER_BEFORE_LOCKDOWN = Sentence(
    "Hold it moister before lockdown next time, and weigh the eggs: the school by weight."
)
MORE_WATER_SURFACE_BEFORE_THE = Sentence(
    "More water surface before the lid is shut for lockdown; see the way to it under Moisture."
)
TURN_AN_ODD_NUMBER_OF = Sentence(
    "Turn an odd number of times a day, and late in the evening; or have it done by a machine."
)
SET_WITHIN_A_WEEK_OF = Sentence("Set within a week of laying; plan the collecting days backward from the set day.")
LEAVE_THE_LID_SHUT_FROM = Sentence("Leave the lid shut from the first pip until the chicks are dry.")
LOOK_AT_THE_FLOCK_NOT = Sentence(
    "Look at the flock, not at the incubator: cock and hens, age, season, and how eggs were handled."
)
AS_THE_SHEET_SAYS = Sentence("as the sheet says")
THE_MIDDLE_CHICK_CAME_ON = Sentence("The middle chick came on {day_words}, {way}.")
AND_THIS_DOES_NOT_FIT = Sentence("and this does not fit: is the thermometer right?")
BY_THE_TEMPERATURES_IN_THE = Sentence(
    " By the temperatures in the log it was to come on {expected} ± {u:.1f} days, {fits}."
)
THE_REVIEW_COMES_WHEN_THE = Sentence(
    "The review comes when the hatch is over: end the batch, or log what came of every egg."
)
NO_CLEAR_CAUSE_STANDS_OUT = Sentence("No clear cause stands out in this run.")
MOST_LIKELY_WORDS_WEIGHT_OF = Sentence("Most likely: {words} ({weight:.0f} % of the weight).")
SO_FEW_EGGS_SAY_LITTLE = Sentence("So few eggs say little; take it as a hint.")
HATCHED_AT_THE_EDGE_OF = Sentence(
    "Hatched at the edge of the tray {edge} of {edge_of}, in its middle {middle} of {middle_of}: "
)
CHANGED_SINCE_THE_CHECK_OF = Sentence(
    "Changed since: the check of {instrument} on {at} moves its readings of this batch by {off} {unit_word}."
)
BEFORE_THAT_THIS_REVIEW_WOULD = Sentence("Before that this review would have said: {was}.")
HOW_MUCH_THE_TEMPERATURE_SWUNG = Sentence("how much the temperature swung")
THE_TEMPERATURE = Sentence("the temperature")
THE_LOSS_OF_WEIGHT_AT = Sentence("the loss of weight at lockdown")
THE_HUMIDITY_IN_LOCKDOWN = Sentence("the humidity in lockdown")
TURNING_BY_HAND = Sentence("turning by hand")
HOW_OLD_THE_EGGS_WERE = Sentence("how old the eggs were")
OPENINGS_WHILE_EGGS_WERE_PIPPED = Sentence("openings while eggs were pipped")
OFF_WIDE_UNIT_OFF_THE = Sentence("{off} ± {wide:.1f} {unit} off the profile on average")
THE_EGGS_TEMPERATURE_SPREAD_BY = Sentence("the eggs' temperature spread by {v:.2f} {unit} about its mean")
V_U_PERCENTAGE_POINTS_OFF = Sentence("{v} ± {u:.1f} percentage points off the loss aimed at")
HUMIDITY_IN_LOCKDOWN_NOT_BELOW = Sentence("humidity in lockdown not below its band")
OPENED_TIMES_WHILE_EGGS_WERE = Sentence("opened {times} while eggs were pipped")
MOVE_THE_EGGS_ROUND_THOSE = Sentence(
    "Move the eggs round: those at the {worse} hatched worse. Compare warm and cold places under Instruments."
)
CHANGE_NOTHING_FOR_THIS_RUNS = Sentence(
    "Change nothing for this run's sake; check an instrument that is due, and log the next one."
)
WAY_THE_SET_POINT_BY = Sentence(
    "{way} the set point by two tenths, and check the thermometer first: it was not measured."
)
CHECK_THE_THERMOMETER_THE_EGGS = Sentence(
    "Check the thermometer: the eggs look as if it had not shown the temperature they had."
)
DIRECTION_THE_SET_POINT_BY = Sentence(
    "{direction} the set point by {tenths:.1f} {unit}: the next hatch should come about {days:.1f} days "
    "{when} (approximate)."
)
CHECK_THE_THERMOMETER_THE_HATCH = Sentence(
    "Check the thermometer: the hatch came {off:.1f} days {word} than its readings say, as if they were "
    "about {error:.1f} {unit} too {way} (approximate)."
)
HOLD_ABOUT_WANTED_RH_BEFORE = Sentence(
    "Hold about {wanted:.0f} % RH before lockdown instead of {rh:.0f}: the loss should come to "
    "{aim:.0f} % (approximate). Weigh the eggs on the way."
)
EGGS_FOR_IT = Sentence("the eggs speak for it")
EGGS_AGAINST_IT = Sentence("the eggs speak against it")
EGGS_SAY_LITTLE = Sentence("the eggs say little")
RH_BELOW_ITS_BAND = Sentence("{v:.0f} % RH below its band")
