"""Archives, profiles and ways as files: what is wrong with them, in words."""

from __future__ import annotations

from stathmis.words.catalogue import N_, Refusal, Sentence

A_HATCHING_LOGBOOK_AS_TABLES = Sentence("A hatching logbook as tables. Times are UTC milliseconds since 1970.")
PATH_IS_NO_ARCHIVE_OF = Refusal("{path} is no archive of a logbook.", "Choose the .zip that was written as one.")
PATH_WAS_WRITTEN_BY_A = Refusal("{path} was written by a newer Stathmis.", "Open it with that one.")
NAME_CSV_DOES_NOT_HAVE = Refusal("{name}.csv does not have its columns.", "Was the archive changed?")
NAME_CSV_LINE_NUMBER_CANNOT = Refusal("{name}.csv, line {number} cannot be read.", "Was the archive changed?")
THE_SPECIES_KEPT_IS_NOT = Sentence("the species {kept} is not known; known are {listed}")
NO_STAGE_IS_GIVEN = Sentence("no stage is given")
THE_LAST_DAY_IS_BEYOND = Sentence("the last day is beyond 400")
WHERE_KEY_IS_A_NUMBER = Sentence("{where}{key} is a number of 0 or more")
WHERE_IT_IS_NO_TABLE = Sentence("{where}it is no table")
WHERE_KIND_IS_ONE_OF = Sentence("{where}kind is one of {listed}")
WHERE_KEY_IS_A_PAIR = Sentence("{where}{key} is a pair such as [37.2, 37.8]")
WHERE_KEY_RUNS_FROM_LOW = Sentence(
    "{where}{key} runs from low to high within {least:g} to {most:g} {unit}; here {low:g} to {high:g}"
)
PATH_CANNOT_BE_WRITTEN_WHY = Refusal("{path} cannot be written: {why}.", "Choose another folder.")
ARCHIVE_HOLDS_A_LOGBOOK_OF = Refusal(
    "{archive} holds a logbook of version {version}; this is {ours}.", "Open it with the Stathmis that wrote it."
)
ARCHIVE_LACKS_SHAPE = Refusal("{archive} lacks {shape}.", "Ask for it to be written again.")
SHAPE_CSV_DOES_NOT_HAVE = Refusal("{shape}.csv does not have its columns.", "Was the archive changed?")
TARGET_HOLDS_WHAT_WAS_IN = Sentence("{target} holds what was in {archive}.")
KINDS_OF_FILES = (N_("profile"), N_("way"))
TOO_LARGE = Refusal("{path} is too large for a {what}.", "Choose a {what} file.")
CANNOT_BE_READ = Refusal("{path} cannot be read: {why}.", "Is it still there?")
NO_TEXT_FILE = Refusal("{path} is no text file.", "Choose a {what} file.")
NOT_WELL_FORMED = Refusal("This is no {what}: {why}.", "Mend that place in the file, or ask for it again.")
DOES_NOT_SAY_SO = Refusal("This is no {what}: it does not say so.", "It begins with: {begins}")
OF_A_NEWER_STATHMIS = Refusal("This {what} was made by a newer Stathmis.", "Bring this one up to date first.")
CANNOT_BE_USED = Refusal("This {what} cannot be used: {faults}.", "Mend that in it.")
