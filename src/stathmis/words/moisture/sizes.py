"""Eggs by caliper and candle, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

TEXT_IS_NO_WHAT = Refusal("{text} is no {what}.", "Write mm, such as 43.2.")
DEPTH_OF_AN_AIR_CELL = Sentence("depth of an air cell")
THERE_IS_NOTHING_TO_LOG = Refusal("There is nothing to log.", "Measure length and breadth, or candle the air cell.")
LENGTH_AND_BREADTH_BELONG_TOGETHER = Refusal(
    "Length and breadth belong together.", "Measure both, at the longest and the broadest."
)
LONG_BY_BROAD_MM_IS = Refusal("{long:g} by {broad:g} mm is no egg.", "Length is the longer; write mm, not cm.")
THAT_EGG_WOULD_WEIGH_MASS = Refusal(
    "That egg would weigh {mass:.0f} g; {species} eggs weigh about {usual:.0f} g.", "Is it mm, and the right species?"
)
THAT_TIME_HAS_NOT_COME = Refusal("That time has not come yet.", "Mend the time.")
SIZE_OF_AN_EGG_LOGGED = Sentence("size of an egg logged")
AN_AIR_CELL_AIR_CELL = Refusal(
    "An air cell {air_cell_mm:g} mm deep is more than half such an egg.", "Write mm from the blunt end."
)
HAS_LOST_ABOUT_LOST_NORMAL = Sentence("has lost about {lost:.0f} ± {U:.0f} % since laying by its air cell")
AT_SETTING_IT_HAD_LOST = Sentence(
    " At setting it had lost {before:.0f} ± {u:.0f} % of that already: an old egg; lean to the moist edge of the band."
)
AT_SETTING_IT_HAD_LOST_BEFORE = Sentence(" At setting it had lost {before:.0f} ± {u:.0f} % of that.")
THE_SCALE_SAYS_LOSS_NOW = Sentence(" The scale says {loss_now:.0f} % since setting; trust the scale.")
