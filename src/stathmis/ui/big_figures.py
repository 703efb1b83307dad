"""Big figures: the chosen machines on the whole screen, to be read from across the room, by night in dark red; the
screen stays awake as long as they stand there."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSettings, QSize, Qt, QTimer
from PySide6.QtGui import QAccessible, QColor, QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from stathmis.logbook.records import Incubator
from stathmis.services import rounds
from stathmis.services.book import Book
from stathmis.services.desk import Desk, Topics
from stathmis.services.plan import tasks
from stathmis.services.standing import QUANTITIES, Standing, standing
from stathmis.services.watch.live import LiveProbes
from stathmis.ui.keep_awake import KeepAwake
from stathmis.ui.kit.drawn import Speaking
from stathmis.ui.level import LevelState, paint_level
from stathmis.ui.theme import FAMILY, Inks, Theme
from stathmis.words import big as words
from stathmis.words.catalogue import _

if TYPE_CHECKING:
    from stathmis.services.findings.box import BoxSheet

TURN_MS = 10_000
NEXT_DAYS = 10.0
"""Of what comes within so many days the next stands there too."""
NIGHT_H = (21.0, 7.0)
"""Between these hours the figures are dark red, where the keeper says nothing else. Source: common practice."""
NIGHT = Inks(
    paper="#0A0000",
    column="#0A0000",
    card="#1C0404",
    ink="#D2402E",
    muted="#A03426",
    rule="#3A0E0A",
    heat="#D2402E",
    moisture="#D2402E",
    eggs="#D2402E",
    selection="#D2402E",
    good="#D2402E",
    bad="#D2402E",
    doubt="#D2402E",
    tint=40,
)
SHARE = 0.34
"""Height of a value's digits, as a share of its machine's part of the screen."""
SMALLEST = 0.55
"""A line that is too long is written so much smaller at most."""


@dataclass(frozen=True)
class Shown:
    """What stands of one machine: its head, by quantity the value in digits, its unit with U, and its level; lines
    below; how long ago its probe said something, empty where none is read."""

    head: str
    values: tuple[tuple[str, str, LevelState], ...]
    lines: tuple[str, ...]
    heard: str


class BigFigures(QWidget, Speaking):
    """The whole screen. Keys 1 to 9 choose machines, N turns night on or off, Esc or F11 leaves."""

    role = QAccessible.Role.StaticText

    def __init__(
        self,
        desk: Desk,
        theme: Theme,
        live: LiveProbes,
        boxes: Callable[[], Mapping[int, BoxSheet | None]],
        settings: QSettings | None,
        alarm: Callable[[], str],
    ) -> None:
        """boxes: what water and vents give, by machine; alarm: what cannot wait, in words, empty where all can."""
        super().__init__()
        self._alarm = alarm
        self._desk, self._theme, self._live, self._boxes, self._settings = desk, theme, live, boxes, settings
        self._night: bool | None = None
        kept = str(settings.value("big/left_out", "")) if settings is not None else ""
        self._left_out = {int(part) for part in kept.split(",") if part.isdecimal()}
        self.shown: tuple[Shown, ...] = ()
        self.setWindowTitle(_("Big figures"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(QSize(320, 240))
        self._awake = KeepAwake()
        desk.listeners.append(self._told)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.refresh)
        self._timer.start(TURN_MS)
        self.refresh()

    def _told(self, _topics: Topics) -> None:
        self.refresh()

    @property
    def night(self) -> bool:
        """Whether it is dark red now."""
        if self._night is not None:
            return self._night
        at = self._desk.book.local(self._desk.now_ms)
        return not NIGHT_H[1] <= at.hour + at.minute / 60.0 < NIGHT_H[0]

    def places(self) -> list[Incubator]:
        """All machines there are to choose from."""
        return self._desk.book.incubators()

    def chosen(self) -> list[Incubator]:
        """Those that are shown; all, where every one was left out."""
        every = self.places()
        return [p for p in every if p.id not in self._left_out] or every

    def refresh(self) -> None:
        """Show how they stand now."""
        book, boxes = self._desk.book, self._boxes()
        heard = words.heard(self._live.statuses(), book)
        found = []
        for place in self.chosen():
            stands = standing(book, rounds.sheet(book, place), boxes.get(place.id))
            found.append(self._shown(book, stands, heard.get(place.id) or words.read_ago(book, stands)))
        self.shown = tuple(found)
        said = ". ".join(words.spoken(one.head, [v[:2] for v in one.values], one.lines) for one in found)
        self.setAccessibleName(said)
        self.update()

    @staticmethod
    def _shown(book: Book, stands: Standing, heard: str) -> Shown:
        values = []
        for quantity in QUANTITIES:
            verdict = stands.verdicts[quantity]
            band = stands.sheet.band(quantity)
            if verdict is None:
                state = LevelState(quantity, band)
            else:
                state = LevelState(quantity, verdict.band, verdict.corrected, verdict.decision)
            values.append((*words.value(book, quantity, verdict), state))
        own = [*tasks.today(book), *tasks.coming(book, NEXT_DAYS)]
        due = [t for t in own if t.incubator.id == stands.incubator.id and t.state == "open"]
        return Shown(words.head(book, stands), tuple(values), words.lines(book, stands, due), heard)

    # ---- keys

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Choose machines, day or night, or leave."""
        key = event.key()
        if key in (Qt.Key.Key_Escape, Qt.Key.Key_F11):
            self.close()
        elif key == Qt.Key.Key_N:
            self._night = not self.night
            self.refresh()
        elif Qt.Key.Key_1 <= key <= Qt.Key.Key_9:
            self._switch(key - Qt.Key.Key_1)
        else:
            super().keyPressEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """A double click leaves too, for whoever has only a mouse."""
        self.close()

    def _switch(self, at: int) -> None:
        every = self.places()
        if at < len(every):
            self._left_out ^= {every[at].id}
            if self._settings is not None:
                self._settings.setValue("big/left_out", ",".join(map(str, sorted(self._left_out))))
            self.refresh()

    def closeEvent(self, event: object) -> None:
        """The screen may sleep again."""
        self._timer.stop()
        self._awake.release()
        if self._told in self._desk.listeners:
            self._desk.listeners.remove(self._told)
        super().closeEvent(event)  # type: ignore[arg-type]

    # ---- drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        """Each machine has its part of the screen: below each other, or beside each other where it is wide enough."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        inks = NIGHT if self.night else self._theme.inks
        painter.fillRect(self.rect(), QColor(inks.paper))
        margin = 0.02 * self.height()
        foot = QRectF(margin, self.height() - 2.2 * margin, self.width() - 2 * margin, 1.6 * margin)
        count = max(1, len(self.shown))
        across = 1 if count < 3 else 2
        down = -(-count // across)
        wide, high = self.width() / across, (self.height() - 2.5 * margin) / down
        for at, one in enumerate(self.shown):
            area = QRectF(at % across * wide, at // across * high, wide, high)
            self._paint_one(painter, inks, area.adjusted(margin, margin, -margin, -margin), one)
        alarm = self._alarm()
        _write(painter, inks.bad if alarm else inks.muted, foot, 0.9, alarm or words.keys(len(self.places())))

    def _paint_one(self, painter: QPainter, inks: Inks, area: QRectF, one: Shown) -> None:
        """The head, the digits as large as they go, their levels, what they are, then what to do."""
        high, half = area.height(), area.width() / 2.0
        line, gap = 0.1 * high, 0.04 * area.width()
        y = area.top()
        _write(painter, inks.ink, QRectF(area.left(), y, area.width(), line), 0.8, one.head, bold=True)
        y += 1.1 * line
        digits = SHARE * high
        room = QRectF(0.0, 0.0, half - gap, digits)
        size = min(_fitting(room, 0.98, value, bold=True)[1] for value, _unit, _state in one.values) / digits
        for at, (value, unit, state) in enumerate(one.values):
            left, color = area.left() + at * half, inks.of(state.quantity)
            box = QRectF(left, y, half - gap, digits)
            _write(painter, color, box, size, value, bold=True)
            level = QRectF(left, y + digits, half - gap, 1.1 * line)
            paint_level(painter, level, state, inks)
            about = QRectF(left, level.bottom(), half - gap, 0.9 * line)
            _write(painter, color, about, 0.75, unit)
        y += digits + 2.1 * line
        foot = area.bottom() - (line if one.heard else 0.0)
        for said in one.lines[: max(0, int((foot - y) / line))]:
            _write(painter, inks.ink, QRectF(area.left(), y, area.width(), line), 0.75, said)
            y += line
        if one.heard:
            _write(painter, inks.muted, QRectF(area.left(), foot, area.width(), 0.9 * line), 0.65, one.heard)


def _write(painter: QPainter, ink: str | QColor, box: QRectF, size: float, text: str, *, bold: bool = False) -> None:
    """Write a line as high as its box (times size); smaller where it is too long, and cut where it still is."""
    font, _pixels = _fitting(box, size, text, bold=bold)
    shown = QFontMetricsF(font).elidedText(text, Qt.TextElideMode.ElideRight, box.width())
    painter.setFont(font)
    painter.setPen(QColor(ink))
    painter.drawText(box, int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft), shown)


def _fitting(box: QRectF, size: float, text: str, *, bold: bool) -> tuple[QFont, float]:
    """The font of a line, and its height in pixels."""
    font = QFont(FAMILY)
    font.setFeature(QFont.Tag("tnum"), 1)
    font.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
    pixels = max(6.0, size * box.height())
    font.setPixelSize(round(pixels))
    wide = QFontMetricsF(font).horizontalAdvance(text)
    if wide > box.width() > 0:
        pixels = max(6.0, pixels * max(SMALLEST, 0.99 * box.width() / wide))
        font.setPixelSize(int(pixels))
    return font, pixels
