"""What a reference says, and what is wrong with a row, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Sentence

A_READING_IS_MISSING_HERE = Sentence("A reading is missing here.")
THIS_ROW_MIXES_C_AND = Sentence("This row mixes °C and °F: write all its readings in one unit.")
WHAT_IS_A_NUMBER_SUCH = Sentence("{what} is a number, such as {word:g}.")
LABEL_WANTS_A_NUMBER_FROM = Sentence("“{label}” wants a number from 0 up, such as 0.05.")
LABEL_CANNOT_BE_NEGATIVE_WRITE = Sentence("“{label}” cannot be negative: write how far off it may be, either way.")
A_TEMPERATURE_IS_MISSING_HERE = Sentence("A temperature is missing here, such as 22 or 72F.")
THIS_FIELD_TAKES_A_TEMPERATURE = Sentence("This field takes a temperature.")
VALUE_UNIT_IS_OUT_OF = Sentence("{value:g} {unit} is out of range here; {other}.")
THE_PRESSURE_HERE_IN_HPA = Sentence("The pressure here in hPa")
THE_ALTITUDE_IN_METERS = Sentence("The altitude in meters")
THE_REPORTED_PRESSURE_IN_HPA = Sentence("The reported pressure in hPa")
CHOOSE_AN_INSTRUMENT_HERE_ENTER = Sentence(
    "Choose an instrument here; enter one under Enter or change if there is none."
)
DRIFT_OF_NAME_SINCE_ITS = Sentence("Drift of {name} since its certificate")
NAME_BEYOND_ITS_CERTIFICATES_POINTS = Sentence("{name} beyond its certificate's points")
NAME_BEYOND_ITS_CHECKED_RANGE = Sentence("{name} beyond its checked range")
CHOOSE_THE_SALT_IN_THIS = Sentence("Choose the salt in this jar.")
ERROR_KEEP_THE_JAR_WITHIN = Sentence("{error}; keep the jar within it, or use another salt.")
THE_WET_BULB_IS_ABOVE = Sentence("The wet bulb is above the dry one: swap the two, or wet the wick.")
NO_AIR_IS_THAT_DRY = Sentence("No air is that dry: read both again, and see that the wick is wet.")
