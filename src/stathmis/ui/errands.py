"""Errands through the window: go to what was asked for, and do there what was said, as a keeper would by hand."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from stathmis.services import notify
from stathmis.words.catalogue import _

if TYPE_CHECKING:
    from stathmis.ui.instruments.list_view import InstrumentsView
    from stathmis.ui.window import Window
    from stathmis.words.advice import Step


class Errands:
    """What menus, buttons and the line to type in ask of a window beyond going to a page."""

    def __init__(self, window: Window) -> None:
        self._window = window

    def take_step(self, step: Step) -> None:
        """Go where a piece of advice is followed."""
        if step.do == "trace":
            self._window.show_page("trace")
        elif step.do == "weigh":
            self._window.pages.moisture.show_part("eggs")
            self._window.show_page("moisture")
        elif step.do == "enter":
            self._window.show_place("enter")
        elif step.do == "water page":
            self.show_water()
        elif step.do == "check":
            self.begin_check(step.channel_id)
        else:
            self._window.show_place("instruments")

    def show_water(self) -> None:
        """Go to water and vents."""
        self._window.pages.moisture.show_part("water")
        self._window.show_page("moisture")

    def ahead(self) -> None:
        """Fold the next two days out on Round, or away."""
        if not self._at_a_machine():
            return
        self._window.pages.forget_past()
        self._window.show_page("round")
        self._window.pages.round.toggle_ahead()

    def _instruments(self) -> InstrumentsView:
        self._window.show_place("instruments")
        return self._window.stack.currentWidget()  # type: ignore[return-value]

    def begin_check(self, channel_id: int) -> None:
        """Begin a check of a channel, by the way that suits it."""
        channel = self._window.desk.book.channel(channel_id)
        self._instruments().begin_check(self._window.desk.book.instrument(channel.instrument_id), channel)

    def show_history(self, channel_id: int) -> None:
        """Show the checks of a channel over time."""
        self._instruments().show_history(self._window.desk.book.channel(channel_id))

    def power_cut(self) -> None:
        """Open what helps in a power cut."""
        if not self._at_a_machine():
            return
        self._window.pages.forget_past()
        self._window.show_page("round")
        self._window.pages.round.toggle_power_cut()

    def _at_a_machine(self) -> bool:
        """Whether an incubator is in view; in the room nothing is opened, filled or switched off."""
        incubator = self._window.pages.incubator
        if incubator is None or self._window.desk.book.is_empty:
            return False
        if incubator.air == "room":
            notify.tell("info", _("That is done at a machine: go to one first."))
            return False
        return True

    def log_done(self, kind: str, details: str = "") -> None:
        """Log something done to the incubator in view, with its details; what is wrong with them is said on Round."""
        if self._window.desk.book.is_empty or (kind != "note" and not self._at_a_machine()):
            return
        page = self._window.pages.round
        kept = page.note.text()
        if details:
            page.note.setText(details)
        if page.log_event(kind):
            page.note.setText(kept if details else "")
            return
        # it was refused: there it can be mended
        self._window.pages.forget_past()
        self._window.show_page("round")
        page.note.setFocus()

    def type_round(self, numbers: Sequence[str]) -> None:
        """Type a round's numbers into its fields, in their order; Enter logs them."""
        self._window.pages.forget_past()
        self._window.show_page("round")
        page = self._window.pages.round
        for row, number in zip(page.rows, numbers, strict=False):
            page.type_into(row, number)
        page.rows[len(numbers) - 1].edit.setFocus()

    def show_egg(self, mark: str) -> None:
        """Go to an egg in the tray."""
        self._window.show_page("eggs")
        picture = self._window.pages.eggs.picture
        picture.look_at(mark)
        picture.setFocus()

    def find_at_egg(self, mark: str, letter: str) -> None:
        """Note what was found at an egg."""
        self.show_egg(mark)
        self._window.pages.eggs.found(mark, letter)
