"""Surveys of an incubator's places and heights, in and out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

from stathmis.logbook import keeping, schema
from stathmis.logbook.opening import Logbook
from stathmis.logbook.records import Survey, SurveyPoint


def add_survey(logbook: Logbook, survey: Survey, points: Sequence[SurveyPoint]) -> int:
    """Store a survey with its points in one transaction and return its id; ids in the records are not looked at."""
    with logbook.writing() as connection:
        head = {k: v for k, v in asdict(survey).items() if k != "id"}
        made = int(connection.execute(schema.survey.insert().values(**head)).inserted_primary_key[0])  # type: ignore[index]
        rows = [{**{k: v for k, v in asdict(p).items() if k != "id"}, "survey_id": made} for p in points]
        connection.execute(schema.survey_point.insert(), rows)
    return made


def surveys(logbook: Logbook, incubator_id: int) -> list[tuple[Survey, list[SurveyPoint]]]:
    """Surveys of an incubator that stand, newest first, each with its points."""
    found = keeping.all_of(logbook, Survey, incubator_id=incubator_id)
    return [(s, keeping.all_of(logbook, SurveyPoint, survey_id=s.id)) for s in sorted(found, key=lambda s: -s.done_ms)]
