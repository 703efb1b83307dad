"""Laying a tray out, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

HOW_MANY_EGGS_LIE_IN = Refusal("How many eggs lie in the tray?", "Write a count from 1 to {largest}.")
THE_TRAY_IS_FULL = Refusal("The tray is full.", "Set another batch.")
A_PENCIL_MARK_HAS_LONGEST = Refusal(
    "A pencil mark has {longest_mark} letters at most.", "Write the rest as what is known of it."
)
EGG_NAMED_IS_IN_THE = Refusal("Egg {named} is in the tray already.", "Give it another mark.")
EGG_NAMED_IN_THE_TRAY = Sentence("egg {named} in the tray")
THERE_IS_NO_EGG_MARK = Refusal("There is no egg {mark} in this tray.", "Choose another.")
THE_EGG_WOULD_BE_LAID = Refusal("The egg would be laid after it was set.", "Mend the day.")
EGGS_THAT_OLD_HARDLY_HATCH = Refusal("Eggs that old hardly hatch.", "Mend the day, or leave it empty.")
THAT_IS_NO_MASS = Sentence("That is no mass.")
