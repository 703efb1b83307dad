"""A keeper's own profiles: what is wrong with them, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

THE_FIRST_STAGE_BEGINS_AT = Sentence("The first stage begins at day 0.")
IT_BEGINS_AFTER_THE_STAGE = Sentence("It begins after the stage before it, which begins at {before:g}.")
THE_LAST_DAY_IS_A = Sentence("The last day is a number such as 23.")
THE_LAST_DAY_COMES_AFTER = Sentence("The last day comes after the last stage, which begins at {from_day:g}.")
A_PROFILE_HAS_ONE_STAGE = Sentence("A profile has one stage or more.")
FROM_WHICH_DAY_WRITE_A = Sentence("From which day? Write a number such as 7.")
WHICH_TEMPERATURES_WRITE_THE_LOWEST = Sentence("Which temperatures? Write the lowest and the highest.")
THE_WORD_RUNS_FROM_A = Sentence("The {word} runs from a number to a number.")
THE_WORD_RUNS_FROM_LOW = Sentence("The {word} runs from low to high, within {least:g} to {most:g} {unit}.")
FROM_SETTING_DAY_IS_DAY = Sentence("from 0: setting day is day 0")
FROM_SETTING_DAY_IS_DAY_2 = Sentence("from 1: setting day is day 1")
DOWN_TO_ON_THE_HATCH = Sentence("down: to 0 on the hatch day")
THE_PROFILE_NEEDS_A_NAME = Refusal("The profile needs a name.", "A word or two are enough.")
THERE_IS_A_PROFILE_NAMED = Refusal("There is a profile named {known} already.", "Give this one another name.")
FOLLOWERS_FOLLOWS_THIS_PROFILE = Refusal(
    "{followers} follows this profile.", "Its species cannot change; make a copy of it."
)
FOLLOWERS_FOLLOWS_THIS_PROFILE_2 = Refusal("{followers} follows this profile.", "Let it follow another one first.")
PATH_CANNOT_BE_WRITTEN_STRERROR = Refusal("{path} cannot be written: {strerror}.", "Choose another folder.")
THIS_SPECIES_CANNOT_FOLLOW_THAT = Refusal("This species cannot follow that profile.", "Choose one made for it.")
AT_ALTITUDE_M_M_THE = Sentence(
    "At {altitude_m:,.0f} m the air is thin: keep the vents more open for oxygen, above all from "
    "lockdown; eggs lose about {more:.0f} % more weight than at sea level, so keep the humidity in its "
    "upper half."
)
