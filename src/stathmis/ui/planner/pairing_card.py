"""Females that were paired, and when they are likely to lay."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QFrame

from stathmis.services import clock
from stathmis.services.batch.species import species_of, species_offered
from stathmis.services.desk import Desk
from stathmis.services.plan import clutch
from stathmis.ui.kit.attempt import attempt, emptied
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.lines import StrikeList
from stathmis.ui.kit.page import column, row
from stathmis.ui.kit.pieces import button, label, problem_label
from stathmis.words import clutch as words
from stathmis.words.catalogue import _


class PairingCard(QFrame):
    """Who was paired when; shown to keepers of clutches."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.setObjectName("card")
        self._list = StrikeList(partial(clutch.strike_pairing, desk))
        self.species = Chooser(_("Species of the pair"), yielding=True)
        self.mother = field(_("The female"), _("female"), entered=self.note)
        self.day = field(_("The day they were paired; empty means today"), _("3 May"), entered=self.note)
        self.problem = problem_label()
        typed = row(self.species, self.mother, self.day, button(_("Note the pair"), self.note, "link"))
        self.setLayout(column(label(_("Pairs"), "name"), self._list, typed, self.problem))

    def refresh(self, *, clutches: bool) -> None:
        """Show the logbook as it stands; clutches: the keeper has some, or is planning one."""
        book = self._desk.book
        found = clutch.awaited(book)
        self.setVisible(clutches or bool(found))
        offered = [(name, key) for name, key in species_offered(book) if species_of(book, key).laid_after is not None]
        self.species.offer(offered, self.species.currentData())
        self._list.show_lines([("", words.awaited(book, one), one) for one in found])

    def note(self) -> None:
        """Note the pair as typed."""
        desk = self._desk

        def action() -> str:
            with emptied(self.mother, self.day) as (mother, day):
                at = clock.parse_day(day, desk.now_ms, desk.book.zone, 0.0) if day.strip() else desk.now_ms
                clutch.log_pairing(desk, str(self.species.currentData()), mother, at)
                return _("{mother} noted.", mother=mother.strip())

        attempt(self.problem, action)
