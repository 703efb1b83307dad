"""Planning a batch: what is in the way, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

HOW_MANY_EGGS = Refusal("How many eggs?", "A batch has at least one.")
KEPT_EGGS_CANNOT_FOLLOW_THAT = Refusal("{kept} eggs cannot follow that profile.", "Choose one for the species.")
THAT_MEANS_SETTING_ON_LATE = Refusal(
    "That means setting on {late}, which is over.",
    "Choose a later day, or set eggs that are in already under Enter or change.",
)
THE_EGGS_WOULD_BE_LAID = Refusal("The eggs would be laid after they are set.", "Mend the day they are collected from.")
EGGS_THAT_OLD_HARDLY_HATCH = Refusal("Eggs that old hardly hatch.", "{most_stored_days:.0f} days are the usual limit.")
THAT_STEP_IS_NOT_IN = Refusal("That step is not in this plan any more.", "Choose another.")
THESE_EGGS_ARE_SET_THEIR = Refusal("These eggs are set: their first day stands.", "Move the other steps.")
THAT_DAY_IS_OVER = Refusal("That day is over.", "Choose a later one.")
THE_EGGS_CHOOSE_THEIR_DAY = Refusal("The eggs choose their day.", "Move the set day, and the hatch moves with it.")
THE_SCHOOL_IT_FOLLOWED_DOES = Sentence(" The school it followed does not fit: steady now.")
THESE_EGGS_ARE_SET = Refusal("These eggs are set.", "End the batch under Enter or change instead.")
THESE_EGGS_ARE_SET_ALREADY = Refusal("These eggs are set already.", "")
THAT_TIME_HAS_NOT_COME = Refusal("That time has not come yet.", "Set them when they go in, or move the plan.")
