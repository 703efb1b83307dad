"""The curves a trace can show beside the corrected one; apart from the charts, which are heavy to load."""

from __future__ import annotations

CURVES = {
    "ribbon": "± U around the curve",
    "core": "egg core",
    "ahead": "the next two days",
    "raw": "as shown (raw)",
    "others": "all instruments",
    "set_point": "set point",
    "room": "room and dew point",
}
"""Key and words of each."""
