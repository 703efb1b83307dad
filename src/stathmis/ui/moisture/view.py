"""Moisture: what the eggs ask for, and the water and vents that give it."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout, QWidget

from stathmis.logbook.records import Incubator
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.ui.moisture.water_view import WaterView
from stathmis.ui.moisture.weights_view import WeightsView
from stathmis.ui.part_tabs import PartTabs
from stathmis.ui.theme import Theme


class MoistureView(QWidget):
    """The two parts of moisture, one in view."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.eggs, self.water = WeightsView(desk, theme), WaterView(desk, theme)
        self.parts = PartTabs(
            (
                ("eggs", "What the eggs ask for", "Alt+A", self.eggs),
                ("water", "Water and vents", "Alt+Y", self.water),
            )
        )
        self.parts.chosen.connect(lambda _part: self._refresh())
        layout.addWidget(self.parts)
        self._incubator: Incubator | None = None
        self._course: Course | None = None

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
