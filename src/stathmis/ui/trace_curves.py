"""The curves a trace can show beside the corrected one; apart from the charts, which are heavy to load."""

from __future__ import annotations

from stathmis.words.catalogue import N_, Spoken

CURVES = Spoken(
    {
        "ribbon": N_("± U around the curve"),
        "core": N_("egg core"),
        "ahead": N_("the next two days"),
        "raw": N_("as shown (raw)"),
        "others": N_("all instruments"),
        "set_point": N_("set point"),
        "room": N_("room and dew point"),
    }
)
"""Key and words of each."""
