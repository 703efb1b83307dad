"""The reports of a batch and a season, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Sentence

MADE_BY_STATHMIS_FROM_THE = Sentence(
    "Made by Stathmis from the keeper's own log, corrected by the calibrations in force that day. "
)
FERTILE_OF_THOSE_JUDGED = Sentence("fertile of those judged")
WHAT_CAME_OF_IT = Sentence("What came of it")
EGGS_THAT_HATCHED_ARE_NOT = Sentence("{eggs} that hatched are not listed.")
OPENED_AFTER_THE_HATCH = Sentence("Opened after the hatch")
THE_EGGS_OUTSIDE_THEIR_BAND = Sentence("the eggs outside their band")
NAMES_BY_NAMES_CORRECTED_FROM = Sentence("{names} by {instruments}, corrected, from day {first:.0f} to day {last:.0f}")
LOST_SINCE_THE_FIRST = Sentence("lost since the first")
WHERE_IT_SHOWS_THE_MIDDLE = Sentence("where it shows the middle of the band")
UNIT_BY_DAY_SHADED_TO = Sentence("{unit}, by day; shaded: to be kept; about the line: ± U")
INTERVALS_AT_WILSON_A_PLACE = Sentence(
    "Intervals at 95 % (Wilson); a place is shared where the difference may be chance."
)
BATCHS_WITH_EGGS_SET_THE = Sentence("{batchs} with {eggs} set; the end of {known} is known.")
