"""The bar of a practice window: what time it is there, what the displays show, what is done at the machine, and going
on.

Everything else is done on the pages, as with a real machine.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtWidgets import QBoxLayout, QPushButton

from stathmis.core.errors import UserError
from stathmis.services import notify, rounds
from stathmis.services.advice import now as adviser
from stathmis.services.practice import deeds
from stathmis.services.practice.under_way import EVENING_H, MORNING_H, Practice, Shown, Step
from stathmis.ui.kit.page import FoldingView, column, holder, put, row
from stathmis.ui.kit.pieces import button, label, say, set_text
from stathmis.words import dates
from stathmis.words import practice as words
from stathmis.words.advice import said
from stathmis.words.catalogue import _
from stathmis.words.numbers import unit_word

if TYPE_CHECKING:
    from stathmis.ui.window import Window

NARROW = 840
GO_KEYS = {"night": "F6", "morning": "F7", "task": "F8", "something": "F9"}


class PracticeBar(FoldingView):
    """Above the pages of a practice window."""

    uncover_wanted = Signal()

    def __init__(self, window: Window, practice: Practice) -> None:
        super().__init__(window.theme, NARROW)
        self._window, self.practice = window, practice
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._when, self._shows = label("", "name", wrap=True), label("", "", "eggs", wrap=True)
        self._told, self._bench = label("", "muted", wrap=True), label("", "small", wrap=True)
        self._bench.hide()
        self.typed = button(_("Type them into Round"), self.type_in, "link", "Ctrl+Shift+D")
        self.check = button(_("At the bench …"), self.show_bench, "link", _("what they show in a check"))
        self.hint_button = button(_("Hint"), self.hint, "link", "Ctrl+Shift+H")
        ways: dict[str, tuple[str, Callable[[], object]]] = {
            "night": (_("Go on to tonight"), partial(self._go, lambda p: p.go_on(p.to_hour(EVENING_H)))),
            "morning": (_("To the morning"), partial(self._go, lambda p: p.go_on(p.to_hour(MORNING_H)))),
            "task": (_("To the next task"), partial(self._go, lambda p: p.go_on(p.to_next_task()))),
            "something": (_("Until something happens"), partial(self._go, lambda p: p.until_something())),
        }
        self.ways: dict[str, QPushButton] = {}
        for key, (text, do) in ways.items():
            made = button(text, do, "main" if key == "night" else "", GO_KEYS[key])
            made.setShortcut(GO_KEYS[key])
            self.ways[key] = made
        done: dict[str, Callable[[Practice], str]] = {
            "set eggs": self._set,
            "look in": deeds.look_in,
            "weigh": deeds.weigh,
            "candle": deeds.candle,
            "turner": deeds.look_at_turner,
            "warm": deeds.warm_room,
            "finish": deeds.finish,
        }
        self.deeds = {key: button(_(words.DEEDS[key]), partial(self._do, do), "link") for key, do in done.items()}
        self.cover = button(_("Take the cover off"), self.uncover_wanted.emit, "main")
        self._done = holder(self._folded(*self._halves(list(self.deeds.values()), 16)))
        box = column(
            row((self._when, 1), self.cover),
            self._folded(row((self._shows, 1)), row(self.typed, self.check, self.hint_button, spacing=16), first=1),
            self._bench,
            self._folded(*self._halves(list(self.ways.values()), 8)),
            self._done,
            self._told,
            spacing=4,
        )
        put(self, box)
        box.setContentsMargins(32, 8, 32, 6)
        self.typed.setShortcut("Ctrl+Shift+D")
        self.hint_button.setShortcut("Ctrl+Shift+H")
        self.show_now()

    def _folded(self, *parts: QBoxLayout, first: int = 0) -> QBoxLayout:
        """Parts side by side, one under the other where there is little room; first: the share of the first one."""
        made = self.folding_row()
        for at, part in enumerate(parts):
            made.addLayout(part, 0 if at else first)
        if not first:
            made.addStretch(1)
        return made

    def event(self, event: QEvent) -> bool:
        """It is as high as its words and buttons need at its width: the pages below have the rest."""
        layout = self.layout()
        if event.type() in (QEvent.Type.LayoutRequest, QEvent.Type.Resize) and layout is not None:
            needed = layout.totalHeightForWidth(self.width())
            if needed > 0 and needed != self.minimumHeight():
                self.setFixedHeight(needed)
        return super().event(event)

    @staticmethod
    def _halves(buttons: list[QPushButton], spacing: int) -> list[QBoxLayout]:
        middle = (len(buttons) + 1) // 2
        return [row(*part, 1, spacing=spacing) for part in (buttons[:middle], buttons[middle:])]

    def show_now(self, told: str = "") -> None:
        """The practice as it stands."""
        practice, book = self.practice, self._window.desk.book
        now = book.local(practice.now_ms)
        course = practice.course
        day = course.day_text(practice.now_ms) if course is not None else _("eggs not set")
        when = dates.moment(now, weekday=True)
        set_text(self._when, words.heading(practice.key, practice.seed, when, "" if practice.over else day))
        set_text(self._shows, self._displays(practice.displays()))
        say(self._told, told)
        over, late = practice.over, course is not None and course.day(practice.now_ms) > course.species.days_low - 0.5
        for made in (*self.ways.values(), self.typed, self.check, self.hint_button):
            made.setVisible(not over)
        self.place_changed()
        shown = {
            "set eggs": course is None and not over,
            "look in": late,
            "weigh": course is not None,
            "candle": course is not None and not late,
            "turner": course is not None and not late,
            "warm": True,
            "finish": late,
        }
        for key, made in self.deeds.items():
            made.setVisible(shown[key] and not over)

    def place_changed(self) -> None:
        """The cover is offered while it is on."""
        self.cover.setVisible(self.practice.over and self._window.place != "uncovering")

    def _displays(self, shown: list[Shown]) -> str:
        by_name: dict[str, list[str]] = {}
        for one in shown:
            by_name.setdefault(one.instrument.name, []).append(f"{one.text} {unit_word(one.channel.unit)}")
        return "   ".join(f"{name}: {', '.join(texts)}" for name, texts in by_name.items())

    def type_in(self) -> None:
        """Put what the displays show into the fields of Round; Enter there logs it."""
        shown = {one.channel.id: one.text for one in self.practice.displays()}
        self._window.show_page("round")
        page = self._window.pages.round
        typed = [one for one in page.rows if one.line.channel.id in shown]
        for one in typed:
            page.type_into(one, shown[one.line.channel.id])
        if typed:
            typed[0].edit.setFocus()

    def show_bench(self) -> None:
        """What every instrument shows in ice, over salt and beside the reference now; told or hidden."""
        if not self._bench.isHidden():
            self._bench.hide()
            self._done.show()
            return
        # where there is little room one stands in the other's place
        self._done.setVisible(not self.narrow)
        lines = []
        for instrument, channel in self.practice.instruments():
            lines.append(words.at_bench(instrument.name, channel.quantity, self.practice.bench(channel)))
        say(self._bench, "\n".join(dict.fromkeys(lines)))

    def hint(self) -> None:
        """The same advice as everywhere: what presses now, else the first task, else that nothing does."""
        practice, desk = self.practice, self._window.desk
        sheet = rounds.sheet(desk.book, practice.incubator)
        box = self._window.pages.boxes.get(practice.incubator.id)
        found = adviser.advise(desk.book, sheet, sheet.verdict("temperature"), sheet.verdict("humidity"), box)
        if found:
            one = said(desk.book, found[0])
            self.show_now(f"{one.text} {one.note}".strip())
            return
        self.show_now(words.first_task(practice.open_task()))

    def _set(self, practice: Practice) -> str:
        deeds.set_eggs(practice)
        return words.set_now()

    def _do(self, deed: Callable[[Practice], str]) -> None:
        try:
            told = deed(self.practice)
        except UserError as error:
            notify.tell_error(error)
            return
        self._after(told)

    def _go(self, going: Callable[[Practice], Step]) -> None:
        try:
            step = going(self.practice)
        except UserError as error:
            notify.tell_error(error)
            return
        when = dates.moment(self._window.desk.book.local(step.until_ms), weekday=True)
        self._after(words.seen(words.gone_on(when), step.came))

    def _after(self, told: str) -> None:
        self._window.refresh()
        self.show_now(told)
        self._window.alarm.look()
