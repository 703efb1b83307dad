"""What is brought in from files, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

A_VALUE_IS_OUT_OF = Sentence("a value is out of the instrument's range")
THE_LOG_ALREADY_HAS_ANOTHER = Sentence("the log already has another value at this time")
NO_COLUMN_IS_MARKED_AS = Refusal("No column is marked as the time.", "Choose the column that holds the times.")
NO_COLUMN_GOES_TO_AN = Refusal("No column goes to an instrument.", "Choose an instrument for at least one column.")
TWO_COLUMNS_GO_TO_THE = Refusal("Two columns go to the same instrument.", "Give each column its own.")
THIS_TIME_HAS_NOT_COME = Sentence("this time has not come yet; is the time zone right?")
THERE_IS_NOTHING_NEW_IN = Refusal("There is nothing new in this file.", "Every good row is in the log already.")
PATH_ROWS_TAKEN_IN_BY = Sentence("{path}: {rows} taken in by itself{left}.")
FOLDER_IS_WATCHED_FOR_SUCH = Refusal("{folder} is watched for such files already.", "Nothing is left to do.")
ITS_COLUMNS_ARE_NOT_THOSE = Sentence("its columns are not those of the first file. Bring it in by hand once.")
IT_CANNOT_BE_READ_ERROR = Sentence("it cannot be read ({error}). Bring it in by hand.")
