"""Whether a machine is ready for eggs, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Sentence

NOT_READY_FOR_EGGS_SEE = Sentence("Not ready for eggs: see {wrong}.")
NOT_KNOWN_YET_WHETHER_IT = Sentence("Not known yet whether it is ready: {missing}.")
NO_TEMPERATURE_WAS_READ_LATELY = Sentence(
    "no temperature was read lately: hang a checked thermometer at egg-top height"
)
IT_WAS_READ_OVER_HOURS = Sentence("it was read over {hours:.0f} h only; 24 h dry and 24 h wet is best")
OVER_HOURS_H_IT_DRIFTED = Sentence("over {hours:.0f} h it drifted {slope:.1f} {unit} and swung ± {swing:.1f} {unit}")
OPEN_THE_LID_FOR_A = Sentence("open the lid for a minute and let a logger see it come back")
THE_LID_WAS_NOT_OPENED = Sentence("the lid was not opened: open it for a minute to see it come back")
IT_WAS_NOT_BACK_WITHIN = Sentence("it was not back within four hours of an opening")
BACK_WITHIN_MINUTES_MIN_OF = Sentence("back within {minutes:.0f} min of an opening")
MARK_AN_EGG_LOOK_AGAIN = Sentence("mark an egg, look again in 1 to 2 h: a tilting turner is too slow to see")
NO_HUMIDITY_WAS_READ_LATELY = Sentence("no humidity was read lately")
WITH_SO_MUCH_WATER = Sentence(" with {surface_cm2:.0f} cm² of water")
