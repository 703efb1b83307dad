"""The tray as it lies, every egg drawn by what was found at it: shape first, word below, color last."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy

from stathmis.services.eggs.tray import EggStory, TraySheet
from stathmis.services.eggs.tray_shape import Place, Spot, beside, spots
from stathmis.ui.kit.drawn import Drawn
from stathmis.ui.theme import Inks, Theme
from stathmis.words.catalogue import _

_CELL_W, _CELL_H = 74, 88


def egg_shape(area: QRectF) -> QPainterPath:
    """An egg, blunt end up."""
    path = QPainterPath()
    x, w, top, h = area.center().x(), area.width() / 2, area.top(), area.height()
    path.moveTo(x, top)
    path.cubicTo(x + 0.75 * w, top, x + w, top + 0.38 * h, x + w, top + 0.58 * h)
    path.cubicTo(x + w, top + 0.86 * h, x + 0.55 * w, top + h, x, top + h)
    path.cubicTo(x - 0.55 * w, top + h, x - w, top + 0.86 * h, x - w, top + 0.58 * h)
    path.cubicTo(x - w, top + 0.38 * h, x - 0.75 * w, top, x, top)
    return path


def paint_egg(painter: QPainter, area: QRectF, egg: EggStory, inks: Inks) -> None:
    """Draw an egg by its state."""
    state, shape = egg.state, egg_shape(area)
    color = QColor(inks.eggs)
    pen = QPen(color, 1.6, Qt.PenStyle.DotLine if egg.out else Qt.PenStyle.SolidLine)
    painter.setPen(pen)
    painter.setBrush(QColor(inks.card))
    if state in ("out", "dry", "taken"):
        _paint_chick(painter, area, color, filled=state != "out")
        return
    painter.drawPath(shape)
    center, w, h = area.center(), area.width(), area.height()
    painter.save()
    painter.setClipPath(shape)
    if state in ("alive", "internal pip", "external pip", "zip"):
        painter.fillRect(QRectF(area.left(), area.top() + 0.42 * h, w, h), color)
    elif state == "doubtful":
        painter.fillRect(area, QBrush(color, Qt.BrushStyle.BDiagPattern))
    elif state in ("late dead", "rotten", "collapsed", "dead in shell", "pipped dead"):
        painter.fillRect(area, QBrush(color, Qt.BrushStyle.Dense4Pattern))
    elif state in ("mold", "wet look"):
        painter.fillRect(area, QBrush(color, Qt.BrushStyle.Dense6Pattern))
    painter.restore()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(color, 2.0))
    if state == "early dead":
        painter.drawEllipse(QPointF(center.x(), center.y() + 0.08 * h), 0.24 * w, 0.2 * h)
    elif state in ("late dead", "dead in shell", "collapsed", "pipped dead"):
        painter.setPen(QPen(QColor(inks.ink), 2.0))
        painter.drawLine(QPointF(center.x() - 0.2 * w, center.y()), QPointF(center.x() + 0.2 * w, center.y() + 0.3 * h))
        painter.drawLine(QPointF(center.x() + 0.2 * w, center.y()), QPointF(center.x() - 0.2 * w, center.y() + 0.3 * h))
    elif state == "rotten":
        painter.setPen(QPen(QColor(inks.bad), 2.4))
        painter.drawPath(shape)
    elif state in ("cracked", "dented"):
        painter.drawPolyline(_zigzag(area))
    if state in ("internal pip", "external pip", "zip", "pipped dead"):
        painter.setPen(QPen(QColor(inks.ink), 2.0))
        y = area.top() + 0.2 * h
        reach = {"internal pip": 0.06, "external pip": 0.16, "zip": 0.42, "pipped dead": 0.16}[state]
        painter.drawLine(QPointF(center.x() - reach * w, y), QPointF(center.x() + reach * w, y))
        if state != "internal pip":
            painter.drawLine(QPointF(center.x(), y - 0.08 * h), QPointF(center.x(), y + 0.08 * h))


def _zigzag(area: QRectF) -> list[QPointF]:
    x, y, w, h = area.center().x(), area.top() + 0.15 * area.height(), area.width(), area.height()
    return [QPointF(x + (0.14 if i % 2 else -0.1) * w, y + 0.17 * h * i) for i in range(5)]


def _paint_chick(painter: QPainter, area: QRectF, color: QColor, *, filled: bool) -> None:
    """A chick: a body and a head; filled when dry."""
    painter.setPen(QPen(color, 1.8))
    painter.setBrush(color if filled else Qt.BrushStyle.NoBrush)
    w, h = area.width(), area.height()
    painter.drawEllipse(QRectF(area.left() + 0.1 * w, area.top() + 0.45 * h, 0.68 * w, 0.5 * h))
    painter.drawEllipse(QRectF(area.left() + 0.5 * w, area.top() + 0.18 * h, 0.36 * w, 0.3 * h))


class TrayPicture(Drawn):
    """The tray with a cursor. looked_at: an egg's mark; letter: a key was pressed at it; swapped: two eggs' marks."""

    looked_at = Signal(str)
    letter = Signal(str, str)
    swapped = Signal(str, str)

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._sheet: TraySheet | None = None
        self._spots: dict[Place, Spot] = {}
        self._extent: Spot = (1.0, 1.0)
        self.mark = ""
        self.lifted = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        """As large as its eggs ask."""
        width, depth = self._extent
        return QSize(round(self.theme.px(_CELL_W) * width), round(self.theme.px(_CELL_H) * depth) + 4)

    def minimumSizeHint(self) -> QSize:
        """Small eggs can still be told apart."""
        width, depth = self._extent
        return QSize(round(self.theme.px(40) * width), round(self.theme.px(62) * depth) + 4)

    def show_sheet(self, sheet: TraySheet) -> None:
        """Show a tray; the egg looked at stays."""
        self._sheet = sheet
        self._spots, self._extent = spots(sheet.batch.tray, (e.place for e in sheet.eggs))
        if sheet.egg(self.mark) is None:
            self.mark = sheet.eggs[0].mark if sheet.eggs else ""
        if sheet.egg(self.lifted) is None:
            self.lifted = ""
        self.updateGeometry()
        self._moved()

    def look_at(self, mark: str) -> None:
        """Put the cursor on an egg."""
        self.mark = mark
        self._moved()

    def _moved(self) -> None:
        egg = self._sheet.egg(self.mark) if self._sheet is not None else None
        if egg is not None:
            row, column = egg.place
            lifted = _("; egg {lifted} is picked up", lifted=self.lifted) if self.lifted else ""
            self.say(
                _("Tray"),
                _(
                    "egg {mark}, row {row}, place {column}, {word}{lifted}",
                    mark=egg.mark,
                    row=row,
                    column=column,
                    word=egg.word,
                    lifted=lifted,
                ),
            )
        self.looked_at.emit(self.mark)
        self.update()

    def next_egg(self) -> None:
        """On to the next egg that still lies in the machine."""
        if self._sheet is None:
            return
        eggs = list(self._sheet.eggs)
        start = next((i for i, e in enumerate(eggs) if e.mark == self.mark), -1)
        following = [e for e in eggs[start + 1 :] + eggs[: start + 1] if not e.out]
        if following:
            self.look_at(following[0].mark)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows, Home and End go about; a letter says what was found; Space picks an egg up and puts it down."""
        step = {
            Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
        }.get(Qt.Key(event.key()))
        text = event.text()
        plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier)
        if step is not None and self._sheet is not None:
            self._step(*step)
        elif event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End) and self._sheet is not None and self._sheet.eggs:
            self.look_at(self._sheet.eggs[0 if event.key() == Qt.Key.Key_Home else -1].mark)
        elif event.key() == Qt.Key.Key_Space and self.mark:
            self.lift()
        elif plain and text.isalpha() and self.mark:
            shifted = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.letter.emit(self.mark, text.upper() if shifted else text.lower())
        else:
            super().keyPressEvent(event)

    def lift(self) -> None:
        """Pick the egg under the cursor up, or put the one picked up here: the two change places."""
        first, self.lifted = self.lifted, "" if self.lifted else self.mark
        if first and first != self.mark:
            self.swapped.emit(first, self.mark)
        self._moved()

    def _step(self, down: int, right: int) -> None:
        assert self._sheet is not None
        egg = self._sheet.egg(self.mark)
        if egg is None:
            return
        places = {e.place: e.mark for e in self._sheet.eggs}
        there = beside(self._sheet.batch.tray, list(places), egg.place, down, right)
        if there is not None:
            self.look_at(places[there])

    def _egg_at(self, point: QPointF) -> str:
        eggs = self._sheet.eggs if self._sheet is not None else ()
        return next((e.mark for e in eggs if self._area(e).contains(point)), "")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Look at the egg under the pointer."""
        self.setFocus()
        mark = self._egg_at(event.position())
        if mark:
            self.look_at(mark)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """An egg drawn onto another changes places with it."""
        mark = self._egg_at(event.position())
        if mark and self.mark and mark != self.mark:
            self.swapped.emit(self.mark, mark)

    def _area(self, egg: EggStory) -> QRectF:
        width, depth = self._extent
        factor = 1.5 if self.theme.dim else 1.25
        wide = min(self.theme.px(_CELL_W) * factor, (self.width() - 2) / width)
        high = min(self.theme.px(_CELL_H) * factor, (self.height() - 2) / depth)
        x, y = self._spots[egg.place]
        return QRectF((x - 0.5) * wide, (y - 0.5) * high, wide, high)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        inks = self.theme.inks
        for egg in self._sheet.eggs if self._sheet is not None else ():
            area = self._area(egg)
            high = area.height() * 0.56
            shape = QRectF(area.center().x() - 0.39 * high, area.top() + 5, 0.78 * high, high)
            paint_egg(painter, shape, egg, inks)
            chosen = egg.mark == self.mark
            painter.setPen(QColor(inks.ink if not egg.out else inks.muted))
            painter.setFont(self.theme.font(12, QFont.Weight.DemiBold if chosen else QFont.Weight.Normal))
            below = QRectF(area.left(), shape.bottom() + 1, area.width(), self.theme.px(15))
            painter.drawText(below, Qt.AlignmentFlag.AlignCenter, egg.mark)
            painter.setFont(self.theme.font(10))
            word = _("out of it") if egg.out and egg.state == "in" else "" if egg.state == "in" else egg.word
            word = _("picked up") if egg.mark == self.lifted else word
            painter.drawText(below.translated(0, self.theme.px(13)), Qt.AlignmentFlag.AlignCenter, word)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if egg.mark == self.lifted:
                painter.setPen(QPen(QColor(inks.selection), 2.0, Qt.PenStyle.DashLine))
                painter.drawRoundedRect(area.adjusted(5, 4, -5, -4), 5, 5)
            if chosen:
                painter.setPen(QPen(QColor(inks.selection), 2.4 if self.hasFocus() else 1.2))
                painter.drawRoundedRect(area.adjusted(2, 1, -2, -1), 5, 5)
