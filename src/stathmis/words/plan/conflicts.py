"""Plans that get into each other's way, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

INCUBATOR_WOULD_HOLD_EGGS_AND = Sentence("{incubator} would hold {eggs}, and has room for {capacity} ({days}).")
MOVE_ONE_OR_SET_FEWER = Sentence("Move {one}, or set fewer.")
LOCKDOWN_OF_ONE_COMES_WHILE = Sentence(
    "Lockdown of {one} comes while turning and drier air are still due to {other} ({days})."
)
HATCH_ONE_OF_THEM_IN = Sentence("Hatch one of them in another machine, or move its set day.")
ONE_AND_OTHER_SHARE_INCUBATOR = Sentence(
    "{one} and {other} share {incubator}: birds are turned, clutches must lie still ({days})."
)
ONE_AND_OTHER_WANT_WANTS = Sentence("{one} and {other} want {wants} in one machine ({days}).")
BETTER_APART_MIDDLE_IS_NEAREST = Sentence("Better apart; {middle} is nearest to both.")
MOVE_THE_SET_DAY_OR = Sentence("Move the set day, or ask someone.")
MOVE_THEM_A_DAY_OR = Sentence("Move them a day or two.")
YOU_ARE_AWAY_DAYS_DUE = Sentence("You are away {days}; due then for {plan}: {names}.")
PLAN_THE_OLDEST_EGG_IS = Sentence(
    "{plan}: the oldest egg is {stored:.0f} days old at setting, which costs about {low:.0f} to "
    "{high:.0f} percentage points of the hatch (approximate)."
)
SET_SOONER_OR_LEAVE_THE = Sentence("Set sooner, or leave the oldest out.")
THAT_ENDS_BEFORE_IT_BEGINS = Refusal("That ends before it begins.", "Mend one of the days.")
THOSE_DAYS_ARE_OVER = Refusal("Those days are over.", "Note days to come.")
DAYS_AWAY_TAKEN_OUT = Sentence("days away taken out")
A_MACHINE_HOLDS_AT_LEAST = Refusal("A machine holds at least one egg.", "Write how many, or leave it empty.")
