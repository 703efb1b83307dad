"""What is wrong with a logger's file, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

PATH_HAS_ONLY_ONE_COLUMN = Refusal(
    "{path} has only one column.", "A logger file has a column of times and one of values."
)
NO_ROW_OF_PATH_HAS = Refusal(
    "No row of {path} has both a time and a number.",
    "A logger file has a column of times and a column of temperatures or humidities.",
)
PATH_IS_SIZE_MB_LOGGER = Refusal(
    "{path} is {size:,.0f} MB; logger files are read up to {largest_bytes:.0f} MB.",
    "Export a shorter stretch, or split the file by month.",
)
PATH_CANNOT_BE_READ_WHY = Refusal("{path} cannot be read: {why}.", "Is it still there? Try again.")
PATH_IS_EMPTY = Refusal("{path} is empty.", "Export it from the logger again.")
PATH_IS_NOT_A_TEXT = Refusal("{path} is not a text file.", "Export the readings from the logger as CSV.")
PATH_HAS_NO_ROWS = Refusal("{path} has no rows.", "Export it from the logger again.")
NO_TIME_IN_THIS_ROW = Sentence("no time in this row")
MORE_COLUMNS_THAN_THE_OTHERS = Sentence("more columns than the others")
A_VALUE_IS_NOT_A = Sentence("a value is not a number")
NO_VALUE_IN_THIS_ROW = Sentence("no value in this row")
THIS_TIME_DID_NOT_HAPPEN = Sentence("this time did not happen: the clocks went forward")
THIS_HOUR_HAPPENED_TWICE_CLOCKS = Sentence(
    "this hour happened twice (clocks went back) and the file does not tell which"
)
