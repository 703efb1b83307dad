"""Batches that share an incubator: the temperature that suits them all."""

from __future__ import annotations

from stathmis.core.course.profile import Band, common_band
from stathmis.services.batch.course import Course


def common_temperature(courses: list[Course], at_ms: int) -> Band | None:
    """The air temperature nearest to what all batches want at a time, °C; None where none asks for any."""
    bands = [b for c in courses if (b := c.band("temperature", at_ms)) is not None]
    return common_band(bands)[0] if bands else None
