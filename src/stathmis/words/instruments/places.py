"""Comparing places and heights, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

TWO_PLACES_OR_MORE_GIVE = Sentence("Two places or more give a comparison; nine give the whole picture.")
ONE_INSTRUMENTS_OWN_ERROR_CANCELS = Sentence(
    "One instrument's own error cancels between places; what is left is its scatter and the thermostat's swing."
)
SEVERAL_INSTRUMENTS_EACH_ONES_CORRECTION = Sentence(
    "Several instruments: each one's correction counts in the uncertainty. One moved about compares finer."
)
EVEN_AS_FAR_AS_THIS = Sentence("Even, as far as this can tell: {cold} and {warm} differ by {figures}.")
EVEN_ENOUGH_WARM_IS_FIGURES = Sentence(
    "Even enough: {warm} is {figures} warmer than {cold}. No need to move eggs for that."
)
WARM_IS_FIGURES_WARMER_THAN = Sentence(
    "{warm} is {figures} warmer than {cold}. Move eggs round between the two every few days, so that none stays there."
)
AT_THE_EGG_TOPS_WITH = Sentence("At the egg tops {with_u}; ")
THAT_IS_BEYOND_CM_CM = Sentence(" That is {beyond_cm:g} cm beyond what was measured: read nearer to the egg tops.")
THE_HEIGHT_OF_THE_EGG = Sentence("The height of the egg tops in cm")
BOTH_READINGS_ARE_AT_ONE = Sentence("Both readings are at one height: take one lower and one higher.")
THE_SWING_OF_THE_THERMOSTAT = Sentence("The swing of the thermostat")
CHOOSE_THE_INSTRUMENT_THAT_STOOD = Sentence("Choose the instrument that stood here.")
TWO_PLACES_OR_MORE_ARE = Refusal("Two places or more are needed, all readable.", "Fill in or mend the marked ones.")
FOR_EACH_CM_UP = Sentence("{gradient} {unit} for each cm up.")
THE_HEIGHT = Sentence("The height in cm")
