"""What own hatches teach, in words."""

from __future__ import annotations

from stathmis.words.catalogue import Sentence

HATCHES_EXPECT_VALUE_U_DAYS = Sentence(
    "{hatches}: expect {value:.1f} ± {u:.1f} days ({off} to the sheet's {days:g}, the temperatures taken out)."
)
SHARE_OF_THE_EGGS_SET = Sentence("{share:.0f} % of the eggs set ({low:.0f} to {high:.0f} %)")
EXPECT_TO_HATCH_EXPECTED_OF = Sentence("Expect to hatch {expected}: of {eggs} eggs about {chicks:.0f}.")
TO_BE_SURE_OF_WANTED = Sentence("To be sure of {wanted} {young} nine times out of ten, set {eggs_for}.")
THEIR_SHELLS_LET_OUT_OFF = Sentence("Their shells let out {off} % of the usual moisture; the weights start from that.")
