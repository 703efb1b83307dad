"""Under way at the hatch: opening, help, countdowns, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Sentence

NEVER_WHILE_ANY_EGG_IS = Sentence("Never while any egg is pipped: the membrane dries onto the chick.")
QUICKLY_FOR_DRY_CHICKS_WHILE = Sentence(
    "Quickly for dry chicks, while the humidity recovers: a crowd of chicks rolls the pipped eggs about."
)
WET_CHICKS_THE_HUMIDITY_ROSE = Sentence(
    "Wet chicks: the humidity rose from {before:.0f} to {now:.0f} % RH since {since} with no water "
    "added. It falls again as they dry: add no water. If the window streams and they stay wet, open the "
    "vent further for a while, then put it back."
)
HELP_A_CHICK_OUT_NO = Sentence(
    "Help a chick out? No: it takes 12 to 24 h from the pip, and what is pulled out early bleeds."
)
PIPPED_LONGER_THAN_A_DAY = Sentence("Pipped longer than a day and not out: egg {which}. {rule_of_help}")
KEEPERS_WHO_DO_HELP_DO = Sentence(
    "Keepers who do help do it only if it stopped for hours, the membrane is dry and white, no blood "
    "shows in its vessels and nobody else is pipped; crack by crack, damp and warm, stopping at the "
    "first drop of blood."
)
FIRST_OF_ALL_THE_HUMIDITY = Sentence(
    "First of all the humidity: {rh:.0f} % RH dries the membrane. Bring it up and wait."
)
LOG_IT_AT_THE_EGG = Sentence("Log it at the egg with F, and whether it lived.")
HERE_THE_HUMIDITY_FALLS_BY = Sentence(
    "Here the humidity falls by {drop:.0f} % RH and takes {recovery_min:.0f} min to come back (from "
    "{openings} in the log)."
)
HOW_FAR_THE_HUMIDITY_FALLS = Sentence("How far the humidity falls here is not in the log yet.")
NO_EGG_IS_PIPPED_THAT = Sentence("No egg is pipped that is not out. Be quick all the same. {falls}")
PIPPED_THOUGH_NONE_IS_LOGGED = Sentence("Eggs may be pipped though none is logged")
FOOD_AND_WATER_AS_SOON = Sentence(
    "First out {began}: food and water as soon as they are in the brooder, by {last} at the latest."
)
EGGS_PIPPED_AND_NOT_OUT = Sentence("{eggs} pipped and not out")
THE_MEMBRANE_OF_A_PIPPED = Sentence("the membrane of a pipped egg dries onto the chick, and it dies in the shell")
EGGS_RISK_CHICKS_LIVE_TO = Sentence("{eggs}: {risk}. Chicks live 48 to 72 h on the yolk. {falls}")
EGGS_IT_WOULD_FALL_TO = Sentence("{eggs}; it would fall to about {low:.0f} % RH. Seconds, not minutes. {falls}")
EGGS_IT_WOULD_FALL_TO_ABOUT = Sentence(
    "{eggs}; it would fall to about {low:.0f} % RH, and their membranes begin to dry. {falls}"
)
EGGS_AND_THE_HUMIDITY_IS = Sentence(
    "{eggs}, and the humidity is not known well enough to say what opening costs. {falls}"
)
STRAGGLERS_WAIT_UNTIL_LAST_BEFORE = Sentence("Stragglers: wait until {last} before anything is switched off.")
THE_TIME_OF_STRAGGLERS_IS = Sentence("The time of stragglers is over: look for pips, listen, then open what is left.")
