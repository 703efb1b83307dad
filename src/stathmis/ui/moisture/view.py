"""Moisture: what the eggs ask for, and the water and vents that give it."""

from __future__ import annotations

from functools import cached_property

from PySide6.QtWidgets import QWidget

from stathmis.logbook.records import Incubator
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.ui.kit.page import column, put
from stathmis.ui.kit.part_tabs import PartTabs
from stathmis.ui.moisture.water_view import WaterView
from stathmis.ui.moisture.weights_view import WeightsView
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _


class MoistureView(QWidget):
    """The two parts of moisture, one in view."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self._incubator: Incubator | None = None
        self._course: Course | None = None
        self.parts = PartTabs(
            theme,
            (
                ("eggs", _("What the eggs ask for"), "Alt+A", lambda: self.eggs),
                ("water", _("Water and vents"), "Alt+Y", lambda: self.water),
            ),
        )
        self.parts.chosen.connect(lambda _part: self._refresh())
        put(self, column(self.parts))

    @cached_property
    def eggs(self) -> WeightsView:
        """What the eggs ask for."""
        return WeightsView(self._desk, self._theme)

    @cached_property
    def water(self) -> WaterView:
        """Water and vents."""
        return WaterView(self._desk, self._theme)

    @property
    def part(self) -> str:
        """The part in view."""
        return self.parts.part

    def show_part(self, part: str) -> None:
        """Bring one part into view."""
        self.parts.show_part(part)

    def show_incubator(self, incubator: Incubator, course: Course | None) -> None:
        """Show an incubator and the batch in view as they stand."""
        self._incubator, self._course = incubator, course
        self._refresh()

    def _refresh(self) -> None:
        if self.part == "eggs":
            self.eggs.show_course(self._course)
        elif self._incubator is not None:
            self.water.show_incubator(self._incubator, self._course)
