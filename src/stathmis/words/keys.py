"""Keys that are words as well: looked up with _ where they are said."""

from __future__ import annotations

from stathmis.words.catalogue import N_

QUANTITIES = (N_("temperature"), N_("humidity"))
SEEN = (N_("turner seen"),)
HATCHED = (N_("out"), N_("dry"))
STAGES = (N_("warm-up"), N_("setting"), N_("incubation"), N_("lockdown"), N_("hatch"))
SIDES = (N_("high"), N_("low"))
DECISIONS = (N_("inside"), N_("outside"), N_("undecided"))
STATES = (N_("as found"), N_("as left"), N_("open"), N_("done"), N_("skipped"))
DIRECTIONS = (N_("rising"), N_("falling"))
DATE_ORDERS = (N_("year first"), N_("day first"), N_("month first"), N_("seconds since 1970"))
PLACES = (
    N_("back left"),
    N_("back"),
    N_("back right"),
    N_("left"),
    N_("middle"),
    N_("right"),
    N_("front left"),
    N_("front"),
    N_("front right"),
)
SALTS = (
    N_("lithium chloride"),
    N_("magnesium chloride"),
    N_("potassium carbonate"),
    N_("magnesium nitrate"),
    N_("sodium bromide"),
    N_("table salt"),
    N_("potassium chloride"),
    N_("potassium sulfate"),
)
"""As core.fixed_points names them."""
WEIGHTS = (N_("slight"), N_("matters"), N_("serious"))
HOW_OFTEN_CANDLED = (N_("twice"), N_("once"), N_("early and late"), N_("every week"))
"""How often eggs are candled."""
