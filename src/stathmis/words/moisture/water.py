"""Water and vents as typed, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

TEXT_IS_NO_SURFACE = Refusal("{text} is no surface.", "Write cm², or length x breadth such as 20 x 6.")
A_TROUGH_HAS_A_SURFACE = Refusal("A trough has a surface above 0 cm².", "Measure it, or leave this one out.")
AREA_CM_IS_LARGER_THAN = Refusal("{area:.0f} cm² is larger than any box.", "Write cm, not mm.")
TEXT_IS_NO_OPENING = Refusal("{text} is no opening.", "Write a share such as 1/3, half, 40 % or open.")
TEXT_IS_NO_AMOUNT_OF = Refusal("{text} is no amount of water.", "Write ml, such as 300.")
WHAT_DO_YOU_CALL_IT = Refusal("What do you call it?", "A word such as long trough.")
THERE_IS_A_NAMED_ALREADY = Refusal("There is a {named} already.", "Choose another name.")
VOLUME_IS_NO_VOLUME = Refusal("{volume} is no volume.", "Write ml, such as 400, or leave it empty.")
THAT_IS_HOW_IT_STOOD = Refusal(
    "That is how it stood already.", "Change what is wet, how far the vents are open, or refill."
)
CHANGES_OF_WATER_AND_VENTS = Sentence("{changes} of water and vents logged")
