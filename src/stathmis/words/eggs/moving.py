"""Eggs that change places and machines, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

THERE_IS_NO_EGG_MARK = Refusal("There is no egg {mark} in this tray.", "Choose another.")
EGG_MARK_IS_OUT_OF = Refusal("Egg {mark} is out of the machine.", "Choose another.")
AN_EGG_DOES_NOT_CHANGE = Refusal("An egg does not change places with itself.", "Give another egg's mark.")
AN_EGG_CHANGES_PLACES_ONCE = Refusal("An egg changes places once at a time.", "Name each egg once.")
EGGS_PAIRS_AND_PAIRS_CHANGED = Sentence("eggs {one} and {other} changed places")
WARM_IS_SPREAD_U_UNIT = Sentence(
    "{warm} is {spread:.2f} ± {u:.2f} {unit} warmer than {cold}. Let these change places: {pairs}{more}."
)
WHICH_EGGS = Refusal("Which eggs?", "Write all, or their marks such as 1-5, 8.")
EGG_MARK_DOES_NOT_LIE = Refusal("Egg {mark} does not lie in this machine.", "Choose others.")
WHICH_EGGS_GO = Refusal("Which eggs go?", "Give their marks.")
THESE_ARE_ALL_THE_EGGS = Refusal("These are all the eggs that are in.", "Move the whole batch.")
THIS_BATCH_HAS_ENDED = Refusal("This batch has ended.", "")
THEY_LIE_IN_INCUBATOR_ALREADY = Refusal("They lie in {incubator} already.", "Choose another machine.")
EGGS_DO_NOT_HATCH_IN = Refusal("Eggs do not hatch in the room.", "Choose a machine.")
THAT_TIME_HAS_NOT_COME = Refusal("That time has not come yet.", "Mend the time.")
THEY_CAME_TO_INCUBATOR_ON = Refusal("They came to {incubator} on {when}.", "Give a later time.")
