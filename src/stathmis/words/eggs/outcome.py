"""What came of the eggs, taking off, comparing batches, in words."""

from __future__ import annotations

from stathmis.words.catalogue import N_, Refusal, Sentence

DEAD_LATE_NOT_PIPPED = Sentence("dead late, not pipped")
SO_FEW_EGGS_SAY_LITTLE = Sentence("So few eggs say little about what to change: look at the trace first.")
IN_BRACKETS_WHERE_THE_TRUE = Sentence("In brackets: where the true rate lies, at 95 % (Wilson).")
MORE_WEAK_ONES_THAN_ARE = Refusal("More weak ones than are taken off.", "Count again.")
OUT_AND_STILL_WET = Sentence("out and still wet")
EGGS_PIPPED_LEAVE_THE_DRY = Sentence("{eggs} pipped: leave the dry ones in until they are out, or be very quick.")
OVER_FEED_AND_WATER_THEM = Sentence("over: feed and water them now")
THE_FIRST_ONE_NEEDS_FEED = Sentence("The first one needs feed and water by {by} ({until}).")
SOURCE_OF_THE_EGGS = Sentence("source of the eggs")
AGE_OF_THE_EGGS = Sentence("age of the eggs")
PLACE_IN_THE_TRAY = Sentence("place in the tray")
EDGE_OF_THE_TRAY = Sentence("edge of the tray")
MIDDLE_OF_THE_TRAY = Sentence("middle of the tray")
KEPT_UP_TO_BEST_STORED = Sentence("kept up to {best_stored_days:.0f} days")
WRONGS_TURNING_EGGS_SET_POINT = Sentence(" {wrongs}: turning, eggs set point up, or chance.")
GONE_OUT_OF_THE_MACHINE = Sentence("; {gone} out of the machine")
STRAIGHT_ROWS = Sentence("straight rows")
STAGGERED_ROWS = Sentence("staggered rows")
WORST_OF_THE_EGGS = Sentence("worst of the eggs")
STILL_OPEN = Sentence("{n} egg is still open.", "{n} eggs are still open.")
GROUPS = {
    "species": N_("species"),
    "incubator": N_("machine"),
    "school": N_("school"),
    "source": N_("source of the eggs"),
    "age": N_("age of the eggs"),
    "place": N_("place in the tray"),
    "season": N_("season"),
}
"""What batches are compared by."""
