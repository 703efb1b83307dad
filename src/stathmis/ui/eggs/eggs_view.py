"""Eggs: the tray as it lies, the story of the egg under the cursor, and candling in the dark with one key an egg."""

from __future__ import annotations

from typing import Literal

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QHideEvent, QKeyEvent

from stathmis.logbook.records import EggFinding
from stathmis.services import clock, knowledge
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs import candling, findings, moving, tray
from stathmis.services.eggs.break_out import draft_of
from stathmis.services.eggs.tray import EggStory, TraySheet
from stathmis.ui.eggs.candle_picture import CandlePicture
from stathmis.ui.eggs.laying_card import LayingCard
from stathmis.ui.eggs.moving_card import MovingCard
from stathmis.ui.eggs.shell_card import ShellCard
from stathmis.ui.eggs.tray_picture import TrayPicture
from stathmis.ui.kit.attempt import attempt
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.lines import Line, Lines, Said, StrikeList
from stathmis.ui.kit.page import Page, column, holder, row
from stathmis.ui.kit.pieces import button, label, problem_label, say
from stathmis.ui.theme import Theme
from stathmis.words import dates
from stathmis.words.catalogue import N_, Spoken, _
from stathmis.words.pages import empty

GROUPS = Spoken(
    {
        "candling": N_("By candling"),
        "hatch": N_("At the hatch"),
        "weak": N_("The young"),
        "young": N_("Later"),
        "after": N_("Out of it"),
    }
)


class EggsView(Page):
    """The eggs of the batch in view."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 860)
        self.desk = desk
        self.course: Course | None = None
        self.sheet: TraySheet | None = None
        self._batch_id = 0
        self.words = label("", "name", wrap=True)
        self.at = field(_("When it was found; empty means now"), _("found: now"), width=(theme, 140))
        self.dark = button(_("Candle in the dark"), self.toggle_dark, "main", "Alt+K")
        self.dark.setShortcut("Alt+K")
        self.page.addLayout(row((self.words, 1), self.at, self.dark))
        self.problem = problem_label()
        self.page.addWidget(self.problem)
        self._columns = self.folding_row(24)
        self.picture = TrayPicture(theme)
        self.picture.looked_at.connect(self._show_story)
        self.picture.letter.connect(self.found)
        self.picture.swapped.connect(self.swap)
        self._columns.addWidget(self.picture, 3)
        self.page.addLayout(self._columns, 1)
        self._title, self._about = label("", "heading", wrap=True), label("", "muted", wrap=True)
        self._findings = StrikeList(self._strike)
        self._opened = label("", "small", wrap=True)
        self._side = holder(column(self._title, self._about, self._findings, self._opened))
        # what to look for stays in sight in the dark, the words around it do not
        self.candle = CandlePicture(theme)
        below = column()
        self._legend = Lines(below, "small")
        self._words_below = holder(below)
        self._columns.addLayout(column(self._side, self.candle, self._words_below, 1), 2)
        cards = self.folding_row(28)
        self.laying, self.moving = LayingCard(desk, theme), MovingCard(desk, theme)
        cards.addWidget(self.laying, 1)
        cards.addWidget(self.moving, 1)
        self._cards = holder(cards)
        self.page.addWidget(self._cards)
        self.shells = ShellCard(desk, theme)
        self.page.addWidget(self.shells)
        self.installEventFilter(self)

    def show_course(self, course: Course | None) -> None:
        """Show the tray of a batch."""
        fresh = course is not None and course.batch.id != self._batch_id
        if course is not None and fresh:
            self._batch_id = course.batch.id
            self.problem.hide()
        self.course = course
        cards = (self._cards, self.shells)
        for widget in (self.picture, self._side, self.candle, self._words_below, self.dark, self.at, *cards):
            widget.setVisible(course is not None)
        if course is None:
            self.sheet = None
            self.words.setText(empty("eggs"))
            return
        self.sheet = sheet = tray.tray(self.desk.book, course.batch)
        laid = bool(sheet.eggs)
        for widget in (self.picture, self.dark, self.at, self.candle):
            widget.setVisible(laid)
        for widget in (self._side, self._words_below):
            widget.setVisible(laid and not self.theme.dim)
        self._cards.setVisible(not self.theme.dim)
        self.shells.show_course(course)
        if self.theme.dim:
            self.shells.hide()
        self.laying.show_course(course, laid=laid, fresh=fresh)
        self.moving.setVisible(laid)
        if laid and not self.theme.dim:
            self.moving.show_course(course, sheet)
        ended = _(" This batch has ended: what is entered now is marked as later.") if course.batch.ended_ms else ""
        keys = "   ".join(f"{f.letter.upper()} {f.word}" for f in findings.offered(course, "candling"))
        said = (
            _("{keys}   X taken out", keys=keys)
            if self.theme.dim
            else sheet.words()
            if laid
            else _("These eggs have no places yet.")
        )
        self.words.setText(said + ended)
        self.picture.show_sheet(sheet)

    def _show_story(self, mark: str) -> None:
        self.laying.show_egg(mark)
        sheet, course = self.sheet, self.course
        egg = sheet.egg(mark) if sheet is not None else None
        if sheet is None or course is None or egg is None:
            for shown in (self._title, self._about, self._opened):
                say(shown, "")
            self._findings.show_lines([])
            self._legend.say([])
            return
        say(
            self._title,
            _(
                "Egg {mark}: {word}{out}",
                mark=egg.mark,
                word=egg.word,
                out=_(", out of the machine") if egg.out else "",
            ),
        )
        ring = _("ring") if sheet.batch.tray == "ring" else _("row")
        say(
            self._about,
            "; ".join(
                [
                    _("{ring} {number}, place {place}", ring=ring, number=egg.place[0], place=egg.place[1]),
                    *self._known(egg),
                ]
            ),
        )
        self._findings.show_lines([self._found(f) for f in egg.findings], self.theme.px(96))
        say(self._opened, _("Opened: {words}.", words=draft_of(egg.opened).words()) if egg.opened is not None else "")
        day = course.day(self.desk.now_ms)
        self.candle.show_day(day / course.species.days, reptile=course.species.kind == "reptile")
        lines: list[Said] = [(candling.shows(course, day), "", "eggs")]
        urgent = (*candling.take_out(sheet), *candling.clutch_lines(course, sheet))
        lines += [(line, "", "undecided") for line in urgent]
        lines.append(candling.looks(course, day))
        for group, title in GROUPS.items():
            keys = "   ".join(f"{f.letter.upper()} {f.word}" for f in findings.offered(course, group))
            lines += [f"{title}:  {keys}"] if keys else []
        self._legend.say([*lines, _("Shift with a letter also takes the egg out."), knowledge.cautions()["eggs"]])

    @property
    def _kind(self) -> Literal["bird", "reptile"]:
        return self.course.species.kind if self.course is not None else "bird"

    def _known(self, egg: EggStory) -> list[str]:
        parts = [p for p in (egg.breed, egg.source, egg.about) if p]
        parts += [_("mother {mother}", mother=egg.mother)] if egg.mother else []
        if egg.laid_ms is not None:
            laid = self.desk.book.local(egg.laid_ms)
            parts.append(_("laid {laid}", laid=dates.day(laid)))
        return parts

    def _found(self, finding: EggFinding) -> Line:
        word = knowledge.findings(self._kind)[finding.kind].word
        ended = self.course.batch.ended_ms if self.course is not None else None
        late = ended is not None and finding.logged_ms >= ended
        words = _(
            "{word}{note}{late}",
            word=word,
            note=" · " + finding.note if finding.note else "",
            late=_(" (entered after the end)") if late else "",
        )
        return dates.moment(self.desk.book.local(finding.time_ms)), words, finding

    def _strike(self, finding: EggFinding) -> None:
        findings.strike(self.desk, finding)

    def found(self, mark: str, letter: str) -> None:
        """A letter at an egg: what was found, now or at the time typed; then on to the next egg."""
        course = self.course
        if course is None:
            return
        take_out = bool(letter.isupper())
        kinds = {f.letter: f.key for g in GROUPS for f in findings.offered(course, g)}
        kind = kinds.get(letter.lower())
        if kind is None:
            say(self.problem, _("{upper} stands for nothing here; the letters are at the right.", upper=letter.upper()))
            return

        def action() -> str:
            at = clock.parse_moment(self.at.text(), self.desk.now_ms, self.desk.book.zone)
            findings.log_finding(self.desk, course, mark, kind, at, take_out=take_out)
            return _(
                "Egg {mark}: {word}{take_out}.",
                mark=mark,
                word=knowledge.findings(self._kind)[kind].word,
                take_out=_(", taken out") if take_out else "",
            )

        if attempt(self.problem, action):
            self.picture.next_egg()

    def swap(self, one: str, other: str) -> None:
        """Two eggs change places."""
        course = self.course
        if course is None:
            return

        def action() -> str:
            moving.swap(self.desk, course, [(one, other)])
            return _("Eggs {one} and {other} changed places.", one=one, other=other)

        attempt(self.problem, action)

    def toggle_dark(self) -> None:
        """The whole window in dim red on black for candling, and back."""
        dark = not self.theme.dim
        self.dark.setText(_("Lights on") if dark else _("Candle in the dark"))
        # a new text takes the key away
        self.dark.setShortcut("Alt+K")
        for widget in (self._side, self._words_below):
            widget.setVisible(not dark)
        self._cards.setVisible(not dark)
        if self.course is not None:
            self.shells.setVisible(not dark and self.course.species.kind == "bird")
        self.theme.darken(dark)
        self.picture.setFocus()

    def hideEvent(self, event: QHideEvent) -> None:
        """Elsewhere the lights are on."""
        if self.theme.dim:
            self.toggle_dark()
        super().hideEvent(event)

    def leave(self) -> bool:
        """Esc puts the lights on first."""
        if not self.theme.dim:
            return False
        self.toggle_dark()
        return True

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Esc in the dark is the lights' key."""
        if event.type() == QEvent.Type.ShortcutOverride and self.theme.dim:
            assert isinstance(event, QKeyEvent)
            if event.key() == Qt.Key.Key_Escape:
                event.accept()
                return True
        return super().eventFilter(watched, event)
