"""The species there are: those of the shipped list, and the keeper's own; and what a batch of one is expected to do."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from stathmis.core.course import profile, schedule
from stathmis.core.course.profile import Band, OwnProfile, Species
from stathmis.core.course.way import Way
from stathmis.logbook.records import Incubator, OwnSpecies
from stathmis.services import knowledge
from stathmis.services.batch.course import Learned
from stathmis.services.book import Book, finding

OWN = "own "
"""A batch of a species of the keeper's own names it by this and its id."""


@finding(OwnSpecies)
def all_species(book: Book) -> Mapping[str, Species]:
    """Every species by key: the shipped ones in the order of their list, then the keeper's own."""
    return {**knowledge.species(), **{f"{OWN}{own.id}": species_in(own) for own in book.records(OwnSpecies)}}


def species_in(own: OwnSpecies) -> Species:
    """A species of the keeper's own, as everything else reads it."""
    late = own.lockdown_low is not None and own.lockdown_high is not None
    return Species(
        key=f"{OWN}{own.id}",
        name=own.name,
        kind=own.kind,
        days=own.days,
        days_low=own.days_low,
        days_high=own.days_high,
        stop_turning_day=own.stop_turning_day,
        set_c=own.set_c,
        half_band_k=own.half_band_k,
        setting_rh=Band(own.setting_low, own.setting_high),
        lockdown_rh=Band(own.lockdown_low, own.lockdown_high) if late else None,  # type: ignore[arg-type]
        loss_percent=own.loss_percent,
        note=own.note,
        egg_g=own.egg_g,
        cooling=bool(own.cooling),
    )


def species_offered(book: Book) -> list[tuple[str, str]]:
    """All species to choose from: name and key."""
    return [(species.name, key) for key, species in all_species(book).items()]


def species_of(book: Book, key: str) -> Species:
    """The species with this key. Raises KeyError where there is none."""
    return all_species(book)[key]


def expected(
    listed: Species, incubator: Incubator, way: Way, own: OwnProfile | None = None, learned: Learned | None = None
) -> Species:
    """A species with the days to the hatch, and the loss aimed at, that are expected of a batch.

    The term is what the keeper says, else what own hatches taught, else the list's; where the temperature sets it, that
    of what is held: by the way, the keeper's own profile, or what the machine was set to. Source: common practice.
    """
    if way.loss_percent is not None and listed.loss_percent is not None:
        listed = replace(listed, loss_percent=way.loss_percent)
    taught = learned or Learned()
    term = way.term_days if way.term_days is not None else taught.term_days
    if term is not None:
        return profile.with_term(listed, term)
    if not listed.term_by_temperature:
        return listed
    points, held = listed.term_by_temperature, way.held_c(listed)
    if own is not None:
        held = own.stages[0].temperature_c.middle
    elif held is None and incubator.set_point_c is not None and points[0][0] <= incubator.set_point_c <= points[-1][0]:
        held = incubator.set_point_c
    if held is None:
        # what the machine was set to before, for other eggs, says nothing of these
        held = listed.set_c
    soonest, likely, latest = term_at(listed, held, taught)
    return replace(listed, days=likely, days_low=soonest, days_high=latest)


def term_at(listed: Species, celsius: float, learned: Learned) -> tuple[float, float, float]:
    """Days to the hatch of a clutch kept at a temperature: soonest, expected, latest; drawn toward own clutches.

    Source: core.course.schedule.term_for.
    """
    ratio, spread = learned.term_ratio or (1.0, schedule.TERM_SPREAD)
    soonest, likely, latest = schedule.term_for(listed.term_by_temperature, celsius, spread)
    return ratio * soonest, ratio * likely, ratio * latest
