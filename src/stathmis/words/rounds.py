"""Rounds, readings and times as typed: what is wrong with them, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal, Sentence

NAIVE_DID_NOT_HAPPEN_THAT = Refusal(
    "{naive} did not happen that day: the clocks went forward.", "Give a time after it."
)
TYPE_A_TIME_SUCH_AS = Sentence("Type a time such as 08:10, yesterday 21:30 or 2026-05-18 08:10.")
THERE_IS_NO_SUCH_TIME = Refusal("There is no such time.", "Type one such as 08:10.")
NAIVE_HAS_NOT_COME_YET = Sentence("{naive} has not come yet.")
FOR_YESTERDAY_WRITE_YESTERDAY = Sentence("For yesterday, write: {yesterday}.")
TYPE_A_DAY_SUCH_AS = Sentence("Type a day such as 20 Jun, 2026-06-20 08:00, tomorrow or in 10 days.")
THERE_IS_NO_SUCH_DAY = Refusal("There is no such day.", "Type one such as 20 Jun or 2026-06-20.")
THE_FIRST_READING = Sentence("The first reading")
YOUR_WAY = Sentence("Your way")
WHAT_WAS_CHANGED = Sentence("What was changed")
LIVE_PROBES = Sentence("Live probes")
FROM_PAPER = Sentence("From paper")
A_LOGGERS_FILE = Sentence("A logger's file")
ENTER_OR_CHANGE = Sentence("Enter or change")
TRY_IT_FIRST = Sentence("Try it first")
SOMETHING_WENT_WRONG_IN_STATHMIS = Sentence("Something went wrong in Stathmis ({name}).")
WHAT_WHAT_WAS_LOGGED_IS = Sentence("{what} What was logged is safe; see the log file.")
TYPE_A_NUMBER_SUCH_AS = Sentence("Type a number, such as {example}.")
RELATIVE_HUMIDITY_RUNS_FROM_TO = Sentence("Relative humidity runs from 0 to 100 %.")
THIS_INSTRUMENT_SHOWS_LOW_TO = Sentence("This instrument shows {low:g} to {high:g} {unit}; check the number.")
STRUCK_BY_THE_KEEPER = Sentence("struck by the keeper")
