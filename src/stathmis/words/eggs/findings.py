"""Noting what is found at eggs, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Refusal

THERE_IS_NO_EGG_MARK = Refusal("There is no egg {mark} in this tray.", "Lay the eggs out first.")
THAT_TIME_HAS_NOT_COME = Refusal("That time has not come yet.", "Mend the time.")
THE_EGGS_WERE_NOT_SET = Refusal("The eggs were not set then.", "Mend the time.")
EGG_MARK_WAS_WORD_ON = Refusal("Egg {mark} was {word} on {when}.", "Undo that first, or is it another egg?")
WORDS_THIS_COMES_BEFORE_IT = Refusal("{words}: this comes before it.", "Give an earlier time, or strike that one.")
WORDS_THIS_COMES_AFTER_IT = Refusal("{words}: this comes after it.", "Give a later time, or strike that one.")
HOW_MANY = Refusal("How many?", "Write a count.")
THESE_EGGS_HAVE_MARKS = Refusal("These eggs have marks.", "Log each at its place in the tray.")
WHAT_AND_EGGS_LEFT_OF = Refusal("{what}, and {eggs} left of {of}.", "Is the count right?")
