"""What candling shows, in words."""

from __future__ import annotations

from stathmis.words.catalogue import N_, Sentence

FERTILE_ONES_SHOW_VESSELS_ON = Sentence(
    "Fertile ones show vessels on a pink ground; the chalky patch spreads as they grow."
)
ON_THIS_DAY_A_LIVING = Sentence("On this day a living egg shows {text}.")
DENTED_EARLY_TOO_DRY_MOISTEN = Sentence("dented early: too dry; moisten the substrate beside it, not the egg")
DENTED_IN_THE_LAST_DAYS = Sentence("dented in the last days: usual before the hatch")
WITH_MOLD_WIPE_IT_AIR = Sentence("with mold: wipe it, air the box; a good egg stands it")
WET_AND_GLASSY_TOO_MOIST = Sentence("wet and glassy: too moist; air the box and add no water")
SHOWS = (
    (0.0, N_("nothing yet; the yolk's shadow")),
    (3 / 21, N_("a beating spot and the first vessels")),
    (5 / 21, N_("the eye, and more vessels")),
    (7 / 21, N_("a spider of veins; the embryo moves")),
    (10 / 21, N_("half the egg dark, the egg tooth")),
    (14 / 21, N_("mostly dark; it moves; the air cell is a fifth")),
    (18 / 21, N_("dark but for a clear air cell with a slanted edge")),
    (19.5 / 21, N_("the beak in the air cell, peeping")),
    (20.5 / 21, N_("a star crack, then the zip round the blunt end")),
)
"""What a living egg shows at shares of a chick's 21 days. Source: common embryology; scaled for other birds."""
