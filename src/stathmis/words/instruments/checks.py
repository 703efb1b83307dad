"""Checking an instrument: results, doubts, what would improve it, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

BLOCK_TO_BLOCK_SCATTER = Sentence("Block to block scatter")
HOW_MUCH_RISING_AND_FALLING = Sentence("How much rising and falling differ is a number from 0 up, such as 1.")
THERE_IS_NO_CORRECTION_YET = Refusal("There is no correction yet.", "Enter at least one point.")
SOME_FIELDS_CANNOT_BE_READ = Refusal("Some fields cannot be read.", "Mend or empty them first.")
AS_LEFT_HOLDS_FROM_NOW = Refusal(
    "As left holds from now on only: before, the instrument was not adjusted yet.",
    "Use it from now, or choose as found.",
)
CORRECTION_PUT_TO_USE = Sentence("correction put to use")
FROM_THE_LOGS_START_TO = Sentence("From the logs, {start} to {end}, lag {lag_s:.0f} s")
THE_SAME_AS_ROW_ROW = Sentence("The same as row {row}: read anew, a copied row adds no knowledge.")
OFF_THE_CURVE_BY_RESIDUALS = Sentence(
    "Off the curve by {residuals:.1f} times its uncertainty (looked at from {residual_limit:.1f}): read "
    "this point again, or mend a slip of the pen. It still counts."
)
ALL_POINTS_LIE_SPAN_AND = Sentence(
    "All points lie {span}, and it works near {wanted:.1f} {unit}: U grows on the way. Add a point there."
)
THE_CERTIFICATE_OF_NAME_RAN = Sentence("The certificate of {name} ran out on {ended}: its drift since is a guess.")
NAME_WAS_NEVER_CHECKED_ITSELF = Sentence(
    "{name} was never checked itself: only its maker's accuracy is known, and U shows it."
)
NAME_WAS_CHECKED_FROM_LOW = Sentence(
    "{name} was checked from {low:g} to {high:g} {unit} only: beyond that its uncertainty grows."
)
NAME_THEIRS_IS_LESS_SURE = Sentence(
    "{name} (± {theirs:.2g}) is less sure than this one (± {own:.2g}): are the two swapped?"
)
READING_EACH_POINT_MORE_READINGS = Sentence("reading each point {more_readings} times")
A_REFERENCE_WITHOUT_ANY_ERROR = Sentence("a reference without any error of its own")
A_DISPLAY_IN_STEPS_OF = Sentence("a display in steps of {finer:g} {unit_word} instead of {resolution:g}")
ONE_MORE_JAR_OF_SALTS = Sentence("one more jar, of {salts}")
ONE_MORE_POINT_NEAR_MIDDLE = Sentence("one more point near {middle} {unit_word}")
THE_STRETCH_ENDS_BEFORE_IT = Refusal("The stretch ends before it begins.", "Give an earlier time first.")
THERE_ARE_ONLY_SIZE_READINGS = Refusal(
    "There are only {size} readings of {who} in that stretch.",
    "Choose a longer one, or bring in its logger file first.",
)
THE_TWO_DO_NOT_RUN = Refusal(
    "The two do not run side by side long enough there.",
    "A stretch of {least_blocks:.0f} h or more without holes is needed.",
)
THE_TWO_RUN_SIDE_BY = Refusal("The two run side by side for too short a time.", "Choose {least_blocks:.1f} h or more.")
