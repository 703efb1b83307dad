"""Weighings as typed, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

TEXT_IS_NO_MASS_WRITE = Sentence("{text} is no mass; write one such as 58.3 or 2.06oz.")
HOW_MANY_EGGS_LIE_ON = Sentence("How many eggs lie on the scale?")
THE_LAST_WEIGHING_OF_THE = Sentence("The last weighing of the {name_of} is later than this one.")
TEXT_G_AS_OUNCES_IT = Sentence("{text} g? As ounces it would be {as_ounces:.1f} g an egg: write {text}oz.")
EACH_G_AN_EGG_AND = Sentence("{each:.0f} g an egg, and {usual:.0f} g is usual: was the tray weighed with them?")
EACH_G_AN_EGG_AND_USUAL = Sentence("{each:.1f} g an egg, and {usual:.0f} g is usual: is the count of {eggs} right?")
EGGS_EGGS_THE_LAST_TIME = Sentence("{then} eggs the last time, {now} now: the same eggs belong on the scale each time.")
EGGS_FEWER_THAN_THE_LAST = Sentence("{eggs} fewer than the last time: were they taken out for good?")
HEAVIER_THAN_BEFORE_LAST_EGGS = Sentence(
    "Heavier than before ({last}); eggs only lose weight. Another egg, the tray with it, or water on it?"
)
MUCH_LIGHTER_THAN_BEFORE_LAST = Sentence(
    "Much lighter than before ({last}): another egg, a cracked one, or a slip of the finger?"
)
THERE_IS_NOTHING_TO_LOG = Refusal("There is nothing to log.", "Type what the scale shows.")
THE_EGGS_ARE_WEIGHED_FROM = Refusal("The eggs are weighed from their setting until now.", "Mend the time.")
THE_SCALES_STEP_IS_A = Refusal(
    "The scale's step is a number such as 0.1 g.", "It is the smallest step its display makes."
)
THE_SCALES_STEP_IS_A_NUMBER = Refusal(
    "The scale's step is a number such as 0.1 g.", "It is the smallest step it shows."
)
