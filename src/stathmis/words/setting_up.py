"""Entering machines, instruments and batches: what is wrong, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

DIGITAL_PROBE = Sentence("Digital probe")
STICK_THERMOMETER = Sentence("Stick thermometer")
LAB_THERMOMETER = Sentence("Lab thermometer")
FEVER_THERMOMETER = Sentence("Fever thermometer")
INFRARED_GUN = Sentence("Infrared gun")
THE_WHAT_NEEDS_A_NAME = Refusal("The {what} needs a name.", "A word you would call it by is enough.")
THERE_IS_AN_INCUBATOR_NAMED = Refusal("There is an incubator named {named} already.", "Choose another name.")
THE_ROOM_IS_ENTERED_ALREADY = Refusal("The room is entered already: {room}.", "One room is enough.")
WHAT_DOES_IT_SHOW = Refusal("What does it show?", "Tick temperature, humidity or both.")
STEPS_AND_ACCURACY_ARE_NUMBERS = Refusal(
    "Steps and accuracy are numbers above 0.", "Use the ones offered if you know none."
)
AT_THE_EGG_TOPS = Sentence("at the egg tops")
INSTRUMENT_HANGS_THERE_ALREADY = Refusal("{instrument} hangs there already.", "Choose another place.")
ALTITUDE_M_M_IS_NO = Refusal("{altitude_m:g} m is no altitude for hatching.", "Meters above the sea, such as 900.")
PART_IS_NOT_READING_CORRECTION = Refusal(
    "“{part}” is not reading, correction and U.", "Three numbers, points apart by semicolons."
)
THE_CERTIFICATE_NEEDS_A_POINT = Refusal(
    "The certificate needs a point.", "Copy reading, correction and U from the paper."
)
U_AND_K_ON_A = Refusal("U and k on a certificate are above 0.", "Copy them from the paper.")
TWO_POINTS_STAND_AT_THE = Refusal("Two points stand at the same reading.", "Remove one.")
DRIFT_IN_A_YEAR_IS = Refusal("Drift in a year is a number from 0 up.", "Write how far it may move, either way.")
THE_CERTIFICATE_IS_DATED_IN = Refusal("The certificate is dated in the future.", "Copy its date from the paper.")
THE_CERTIFICATE_RUNS_OUT_BEFORE = Refusal("The certificate runs out before its date.", "Check both dates on the paper.")
A_CERTIFICATES_READING_LIES_OUTSIDE = Refusal(
    "A certificate's reading lies outside what this instrument shows, {low:g} to {high:g}.",
    "The order is reading, correction, U.",
)
STEPS_ACCURACY_AND_RESPONSE_TIME = Refusal(
    "Steps, accuracy and response time are numbers above 0.", "Leave the time empty if unknown."
)
RUNNING_IS_SET_IN_INCUBATOR = Refusal("{running} is set in {incubator}.", "End it first.")
PLANNED_IS_PLANNED_FOR_INCUBATOR = Refusal(
    "{planned} is planned for {incubator}.", "Give that plan up, or plan it elsewhere."
)
THE_HANGING_HANGS_IN_INCUBATOR = Refusal("The {hanging} hangs in {incubator}.", "Move it first, under Enter or change.")
HOW_MANY_EGGS = Refusal("How many eggs?", "A batch has at least one.")
KEPT_EGGS_CANNOT_FOLLOW_THAT = Refusal(
    "{kept} eggs cannot follow that profile.", "Choose the regime that follows the species, or a profile made for it."
)
