"""Opening eggs that did not hatch, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal

HOW_FAR_HAD_IT_COME = Refusal("How far had it come?", "Press the letter of a stage first.")
AN_EMBRYO_THAT_YOUNG_HAS = Refusal("An embryo that young has no position yet.", "Leave the position out.")
THERE_IS_NO_EGG_MARK = Refusal("There is no egg {mark} in this tray.", "Choose another.")
A_CHICK_CAME_OUT_OF = Refusal("A chick came out of egg {mark}.", "Strike that first, or is it another egg?")
EGG_MARK_WAS_OPENED_ALREADY = Refusal("Egg {mark} was opened already.", "Strike what was noted first.")
THESE_EGGS_HAVE_MARKS = Refusal("These eggs have marks.", "Open them one by one.")
EGGS_OPENED_AND_LEFT_DID = Refusal("{eggs} opened, and {left} did not hatch.", "Is the count right?")
