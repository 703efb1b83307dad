"""Influences by name: kept in English in the logbook, said in the window's language."""

from __future__ import annotations

from stathmis.words.catalogue import N_

HYSTERESIS_LABEL = N_("Rising and falling differ")
OWN_SCATTER = N_("Scatter of this instrument")
OWN_STEPS = N_("Display steps during the check")
STEPS_IN_USE = N_("Display steps when it is read in use")
FLICKER_IN_USE = N_("Flicker in use")
NOT_SETTLED = N_("Jar not settled")
OF_A_CURVE = (
    N_("Slope nobody checked beyond the points"),
    N_("Disagreement of the points"),
    N_("Shape left open"),
    N_("Odd point"),
    N_("Bend not seen"),
)
"""As core.calibration calls them; the last is in calibrations kept by earlier versions."""
DISTRIBUTIONS = (N_("normal"), N_("rectangular"), N_("two-valued"))
