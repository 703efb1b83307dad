"""Surveys of an incubator's places and heights, each with its points."""

from __future__ import annotations

from stathmis.logbook.records import Survey, SurveyPoint
from stathmis.logbook.snapshot import Snapshot


def surveys(snapshot: Snapshot, incubator_id: int) -> list[tuple[Survey, list[SurveyPoint]]]:
    """Surveys of an incubator that stand, newest first, each with its points."""
    found = snapshot.records(Survey, incubator_id=incubator_id)
    return [(s, list(snapshot.records(SurveyPoint, survey_id=s.id))) for s in sorted(found, key=lambda s: -s.done_ms)]
