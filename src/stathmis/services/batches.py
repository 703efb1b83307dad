"""A batch on its course: which day and phase it is in, and the bands to hold."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from stathmis.core import profile
from stathmis.core.profile import Band, Phase, Species
from stathmis.logbook.records import Batch, Incubator, Quantity
from stathmis.services import knowledge
from stathmis.services.clock import DAY_MS
from stathmis.services.workbench import Workbench


@dataclass(frozen=True)
class Course:
    """A batch with its species and phases. Times are UTC ms, days are elapsed days since setting."""

    batch: Batch
    incubator: Incubator

    @property
    def species(self) -> Species:
        """The batch's species."""
        return knowledge.species()[self.batch.species]

    @cached_property
    def phases(self) -> tuple[Phase, ...]:
        """Phases from warm-up to take-off."""
        return profile.phases(self.species, knowledge.regimes()[self.batch.regime], self.incubator.air)

    @property
    def start_ms(self) -> int:
        """Start of warm-up."""
        return self.at_ms(self.phases[0].start_day)

    @property
    def end_ms(self) -> int:
        """End of take-off."""
        return self.at_ms(self.phases[-1].end_day)

    def at_ms(self, day: float) -> int:
        """The instant of a day."""
        return self.batch.set_ms + round(day * DAY_MS)

    def day(self, at_ms: float) -> float:
        """Elapsed days since setting."""
        return (at_ms - self.batch.set_ms) / DAY_MS

    def phase(self, at_ms: float) -> Phase | None:
        """The phase at a time, None outside the course."""
        return profile.phase_at(self.phases, self.day(at_ms))

    def band(self, quantity: Quantity, at_ms: float) -> Band | None:
        """The band to hold at a time, None where nothing is asked."""
        phase = self.phase(at_ms)
        if phase is None:
            return None
        return phase.temperature_c if quantity == "temperature" else phase.humidity

    def day_text(self, at_ms: float) -> str:
        """ "day 13 of 24", or how long until setting, or that it is over."""
        day = self.day(at_ms)
        if day < 0:
            return "not set yet"
        about = "about " if self.species.kind == "reptile" else ""
        return f"day {int(day)} of {about}{self.species.days:g}"

    def next_step(self, at_ms: float) -> str:
        """What comes next on the course, in words, empty when nothing does."""
        day = self.day(at_ms)
        steps: list[tuple[float, str]] = []
        if self.species.stop_turning_day is not None:
            steps.append((self.species.stop_turning_day, "lockdown"))
        steps += [(self.species.days, "hatch expected"), (self.phases[-1].end_day, "last day")]
        for at, what in steps:
            if day < at:
                away = int(at) - int(day)
                when = "today" if away == 0 else "tomorrow" if away == 1 else f"in {away} days"
                return f"{what} {when}"
        return ""


def running(bench: Workbench, incubator: Incubator) -> Course | None:
    """The batch an incubator runs now: the newest that has not ended."""
    open_batches = [b for b in bench.records(Batch) if b.incubator_id == incubator.id and b.ended_ms is None]
    return Course(max(open_batches, key=lambda b: b.set_ms), incubator) if open_batches else None
