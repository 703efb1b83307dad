"""Where a batch stands, and power cuts, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

LEFT_OVER_THE_HATCH_DAY = Sentence("{left} over the hatch day")
LENGTH_H_IS_NO_POWER = Refusal(
    "{length:g} h is no power cut to reckon with.", "From a few minutes to {longest_h:.0f} h."
)
HOW_WARM_IS_THE_ROOM = Refusal("How warm is the room?", "A temperature such as 18 or 64F.")
A_ROOM_AT_SHOWN = Refusal("A room at {shown}?", "Write 64F for Fahrenheit or 18C for Celsius.")
AFTER_HOURS_H_WITH_THE = Sentence(
    "After {hours:g} h with the lid shut the eggs are at about {egg} (boxes differ: {low} to {high} {unit})."
)
LEAVE_THE_LID_SHUT_EMBRYOS = Sentence("Leave the lid shut. Embryos stand this; expect the hatch a little later.")
LID_SHUT_A_BLANKET_ROUND = Sentence(
    "Lid shut, a blanket round the box but not over the vents. When it lasts, warm bottles beside the eggs."
)
WARM_THEM_BOTTLES_OF_WARM = Sentence(
    "Warm them: bottles of warm water in the box, renewed, or another machine. Candle in a few days."
)
WHEN_THE_POWER_IS_BACK = Sentence(" When the power is back, do not raise the set point: 1-3 h to recover is normal.")
HOW_LONG = Refusal("How long was or will it be?", "Hours, such as 2.5.")
