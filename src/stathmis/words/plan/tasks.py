"""What is to be done, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

NOTHING_IS_PLANNED_THAT_IS = Refusal("Nothing is planned that is still to come.", "Plan a batch first.")
TURN_THE_EGGS_SHOW_NEXT = Sentence("Turn the eggs: show {next_side}")
THAT_TIME_HAS_NOT_COME = Refusal("That time has not come yet.", "Tick it when it is done.")
COOLING_BEGUN_MINUTES_MIN_WITH = Sentence("Cooling begun: {minutes:.0f} min with the lid open. The dip is expected.")
WHY_IS_IT_LEFT_OUT = Refusal("Why is it left out?", "A word is enough: it tells you next year.")
MAY_BE_DONE_FIRST_TO = Sentence("may be done {first} to {last}")
SPECIES_EGGS_MUST_NEVER_BE = Refusal("{species} eggs must never be turned.", "Keep the mark on top.")
TURNING_IS_OVER_FOR_THESE = Refusal("Turning is over for these eggs.", "They lie still from lockdown on.")
NO_MASS = Refusal("{text} is no mass.", "Write g, such as 412 or 412.5.")
