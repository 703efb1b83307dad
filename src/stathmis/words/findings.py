"""What the log of a machine shows, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Sentence

AS_OPEN_AS_THE_HUMIDITY = Sentence(
    "As open as the humidity holds: chicks breathe, and air does more for them than the last percent."
)
NEARLY_CLOSED_LITTLE_WATER_HOLDS = Sentence(
    "Nearly closed: little water holds the humidity; open more when the window streams or chicks gasp."
)
COOLED_AS_MEANT = Sentence("cooled, as meant")
LID_OPENED = Sentence("lid opened")
WATER_ADDED = Sentence("water added")
VENT_CHANGED = Sentence("vent changed")
SET_POINT_CHANGED = Sentence("set point changed")
POWER_CUT = Sentence("power cut")
EGGS_AT_DANGER_C_C = Sentence("eggs at {danger_c:.0f} °C and more are in danger at once")
SO_MUCH_TOO_WARM_FOR = Sentence("so much too warm for hours kills")
HEAT_ADDS_UP_EARLY_SMALL = Sentence("heat adds up: early, small chicks")
SHORT_AND_SMALL_WATCH_IT = Sentence("short and small; watch it")
MANY_HOURS_FAR_TOO_COLD = Sentence("many hours far too cold")
COLD_DELAYS_THE_HATCH_AND = Sentence("cold delays the hatch and weakens chicks")
EMBRYOS_STAND_AN_HOUR_OR = Sentence("embryos stand an hour or two of cold well")
A_SHARP_DROP_LID_OPEN = Sentence("a sharp drop: lid open or heat lost")
IT_DID_NOT_SETTLE = Sentence("it did not settle")
HOW_FAR_THE_VENT_WAS = Sentence("how far the vent was open")
CHICKS_MAY_HAVE_BEEN_WET = Sentence("chicks may have been wet")
