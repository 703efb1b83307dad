"""What is at hand where there is no reference: ticked once, with what each would tell, and a button to begin."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtWidgets import QCheckBox, QFrame, QGridLayout, QWidget

from stathmis.logbook.records import Channel, Instrument
from stathmis.services.desk import Desk
from stathmis.services.instruments import at_hand
from stathmis.services.instruments.at_hand import METHODS, THINGS, Thing, Told
from stathmis.services.instruments.overview import Glance
from stathmis.ui.kit.lines import Pool
from stathmis.ui.kit.page import column, put, row
from stathmis.ui.kit.pieces import button, given, label, set_text
from stathmis.words import at_hand as words
from stathmis.words.catalogue import _

Begin = Callable[[Instrument, Channel, str], None]


class _Way(QWidget):
    """A thing and what it would tell of an instrument, with a button to begin."""

    def __init__(self, begin: Callable[[tuple[Glance, Told]], None]) -> None:
        super().__init__()
        self._of: tuple[Glance, Told] | None = None
        self._words = label("", "", wrap=True)
        self.begin = button(_("Begin"), given(lambda: self._of, begin), "link")
        put(self, row((self._words, 1), self.begin))

    def show_way(self, desk: Desk, glance: Glance, way: Told) -> None:
        self._of = glance, way
        text = words.told(desk.book, glance.instrument, glance.channel, way)
        set_text(self._words, text)
        self.begin.setAccessibleName(_("Begin: {what}", what=text))


class AtHandCard(QFrame):
    """Things to tick, and what they would tell of the instruments that cannot decide."""

    def __init__(self, desk: Desk, begin: Begin, look: Callable[[Channel, Thing], None]) -> None:
        super().__init__()
        self.setObjectName("card")
        self._desk, self._begin, self._look = desk, begin, look
        self.boxes: dict[Thing, QCheckBox] = {}
        for thing in THINGS:
            self.boxes[thing] = tick = QCheckBox(words.called(thing))
            tick.clicked.connect(partial(self._ticked, thing))
        self._nothing = label(words.nothing(), "muted", wrap=True)
        ticks = QGridLayout()
        for at, tick in enumerate(self.boxes.values()):
            ticks.addWidget(tick, at // 2, at % 2)
        ticks.setColumnStretch(2, 1)
        box = column(label(words.heading(), "name"), ticks, self._nothing)
        self._ways = Pool(box, lambda: _Way(self._go), 4)
        self.setLayout(box)

    def show_glances(self, glances: Sequence[Glance]) -> None:
        """The drawer as it stands."""
        book = self._desk.book
        coarse = [g for g in glances if g.decision != "inside"]
        self.setVisible(bool(coarse) or bool(book.settings.at_hand))
        for thing, box in self.boxes.items():
            box.setChecked(thing in book.settings.at_hand)
            box.setEnabled(not self._desk.read_only)
        # of each instrument the way that tells most
        found = [(g, told) for g in coarse if (told := at_hand.best(book, g.channel, g.corrected.U)) is not None]
        self._nothing.setVisible(not found)
        for shown, (glance, way) in zip(self._ways.show(len(found)), found, strict=True):
            shown.show_way(self._desk, glance, way)

    def _go(self, of: tuple[Glance, Told]) -> None:
        glance, way = of
        if way.thing in METHODS:
            self._begin(glance.instrument, glance.channel, METHODS[way.thing])
        else:
            self._look(glance.channel, way.thing)

    def _ticked(self, thing: Thing) -> None:
        at_hand.choose(self._desk, thing, here=self.boxes[thing].isChecked())
