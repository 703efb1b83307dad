"""Every mix of water and vent as a picture: one small level each; arrow keys go from one to another."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFocusEvent, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy

from stathmis.services.findings.combinations import Cell, Grid, is_setting
from stathmis.services.findings.corrections import Corrected
from stathmis.services.moisture.water import Setting, opening_typed
from stathmis.ui.kit.drawn import Drawn
from stathmis.ui.level import LevelState, paint_level
from stathmis.ui.theme import Theme
from stathmis.words import box as box_words
from stathmis.words.catalogue import _, as_number

_LABELS, _ROW, _HEAD = 190, 50, 26


class BoxGrid(Drawn):
    """Rows are what is wet, columns how far the vent is open. looked_at: the cell under the frame, in words' order."""

    looked_at = Signal(object)
    taken = Signal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._grid: Grid | None = None
        self._now = Setting(None, None)
        self._at = (0, 0)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """As high as its rows at the text size in use."""
        rows = len(self._grid.cells) if self._grid is not None else 1
        return QSize(self.theme.px(560), self.theme.px(_HEAD + _ROW * rows) + 2)

    def minimumSizeHint(self) -> QSize:
        """It can be read when it is this narrow."""
        return QSize(self.theme.px(360), self.sizeHint().height())

    def show_grid(self, grid: Grid, now: Setting) -> None:
        """Show a grid; the best mix is looked at first."""
        kept = self._grid is not None and self._grid.title == grid.title and self.hasFocus()
        self._grid, self._now = grid, now
        wide, high = len(grid.cells[0]), len(grid.cells)
        if kept:
            self._at = (min(self._at[0], high - 1), min(self._at[1], wide - 1))
        else:
            best = [(r, c) for r in range(high) for c in range(wide) if grid.cells[r][c] == grid.chosen]
            self._at = best[0] if best else (high - 1, 0)
        self.updateGeometry()
        self._moved()

    @property
    def cell(self) -> Cell | None:
        """The cell looked at."""
        return self._grid.cells[self._at[0]][self._at[1]] if self._grid is not None else None

    def _moved(self) -> None:
        cell = self.cell
        if cell is not None and self._grid is not None:
            words = box_words.cell_words(self._grid, cell)
            self.say(_("Water and vents, {title}", title=_(self._grid.title)), words)
            self.looked_at.emit(cell)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go about; Enter takes a mix over into the fields."""
        step = {
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
            Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
        }.get(Qt.Key(event.key()))
        if self._grid is None:
            return
        if step is not None:
            high, wide = len(self._grid.cells), len(self._grid.cells[0])
            self._at = (max(0, min(high - 1, self._at[0] + step[0])), max(0, min(wide - 1, self._at[1] + step[1])))
            self._moved()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit(self.cell)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """The frame is drawn heavier."""
        self.update()
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """The frame is drawn lighter."""
        self.update()
        super().focusOutEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Look at the cell under the pointer."""
        if self._grid is None:
            return
        left, row, head, wide = self._measures()
        r, c = int((event.position().y() - head) // row), int((event.position().x() - left) // wide)
        if 0 <= r < len(self._grid.cells) and 0 <= c < len(self._grid.cells[0]):
            self._at = (r, c)
            self._moved()
        self.setFocus()

    def _measures(self) -> tuple[float, float, float, float]:
        """Width of the labels, height of a row and of the head, width of a column."""
        assert self._grid is not None
        left = float(min(self.theme.px(_LABELS), 0.36 * self.width()))
        return left, self.theme.px(_ROW), self.theme.px(_HEAD), (self.width() - left - 1) / len(self._grid.cells[0])

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        grid = self._grid
        if grid is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        inks, theme = self.theme.inks, self.theme
        left, row, head, wide = self._measures()
        painter.setFont(theme.font(12))
        painter.setPen(QColor(inks.muted))
        painter.drawText(QRectF(0, 0, left - 8, head), Qt.AlignmentFlag.AlignVCenter, _("% RH with the vent open"))
        for c, cell in enumerate(grid.cells[0]):
            area = QRectF(left + c * wide, 0, wide, head)
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, opening_typed(cell.opening))
        for r, cells in enumerate(grid.cells):
            top = head + r * row
            painter.setPen(QPen(QColor(inks.rule), 1))
            painter.drawLine(QPointF(0, top), QPointF(self.width(), top))
            painter.setPen(QColor(inks.ink))
            painter.setFont(theme.font(12))
            name = QRectF(0, top + 2, left - 8, row - 4)
            flags = Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(name, flags, cells[0].combination.words)
            for c, cell in enumerate(cells):
                self._paint_cell(painter, QRectF(left + c * wide, top, wide, row), cell, self._at == (r, c))

    def _paint_cell(self, painter: QPainter, area: QRectF, cell: Cell, looked_at: bool) -> None:
        assert self._grid is not None
        inks, theme, band = self.theme.inks, self.theme, self._grid.band
        tube = QRectF(area.left() + 8, area.top() + 4, area.width() - 16, area.height() * 0.38)
        state = LevelState("humidity", band, Corrected(cell.rh, cell.U), cell.decision)
        paint_level(painter, tube, state, theme.inks)
        chosen = cell == self._grid.chosen
        painter.setFont(theme.font(12, QFont.Weight.DemiBold if chosen else QFont.Weight.Normal))
        painter.setPen(QColor(inks.ink))
        text = f"{as_number(cell.rh, '.0f')} ± {as_number(max(1.0, cell.U), '.0f')}"
        now = is_setting(self._now, cell)
        words = ", ".join(w for w, is_so in ((_("best"), chosen), (_("now"), now)) if is_so)
        below = QRectF(area.left() + 4, tube.bottom(), area.width() - 8, area.bottom() - tube.bottom() - 2)
        if not words:
            painter.drawText(below, Qt.AlignmentFlag.AlignCenter, text)
        else:
            # number and words one under the other: a column may be narrow
            upper = QRectF(below.left(), below.top() - 2, below.width(), below.height() / 2 + 2)
            painter.drawText(upper, Qt.AlignmentFlag.AlignCenter, text)
            painter.setFont(theme.font(11))
            lower = QRectF(below.left(), upper.bottom() - 2, below.width(), below.height() / 2 + 2)
            painter.drawText(lower, Qt.AlignmentFlag.AlignCenter, words)
        if looked_at:
            painter.setPen(QPen(QColor(inks.selection), 2.0 if self.hasFocus() else 1.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(area.adjusted(2, 2, -2, -2), 4, 4)
