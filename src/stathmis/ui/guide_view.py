"""The guide inside the window: its parts, a line to search it, and the part that tells of the page one came from."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QImage, QResizeEvent, QTextBlockFormat, QTextCharFormat, QTextCursor, QTextDocument
from PySide6.QtWidgets import QListWidget, QTextBrowser, QTextEdit, QWidget

from stathmis.services import guide
from stathmis.services.desk import Desk
from stathmis.services.guide import Part
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.page import column, put, row
from stathmis.ui.kit.pieces import label
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _


class _Text(QTextBrowser):
    """A part of the guide; its pictures are as wide as there is room."""

    def __init__(self) -> None:
        super().__init__()
        self.setOpenLinks(False)
        self.setAccessibleName(_("The guide"))
        self._part: Part | None = None

    def show_part(self, part: Part) -> None:
        """Show a part from its beginning."""
        self._part = part
        self._put(part.text)
        self.moveCursor(QTextCursor.MoveOperation.Start)

    def say(self, words: str) -> None:
        """Show a few words instead of a part."""
        self._part = None
        self._put(words)

    def _put(self, markdown: str) -> None:
        # what was marked points into the text that goes: left marked, Qt would follow it there
        self.setExtraSelections([])
        self.setMarkdown(markdown)
        self._space()

    def _space(self) -> None:
        """Room between paragraphs, and between lines: it is read, not glanced at."""
        block = self.document().begin()
        while block.isValid():
            spaced = QTextCursor(block)
            room = block.blockFormat()
            room.setBottomMargin(8.0 if block.textList() is None else 3.0)
            if "\ufffc" not in block.text():
                # a picture is a line of its own: it needs no more than its height
                room.setLineHeight(125.0, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value)
            spaced.setBlockFormat(room)
            block = block.next()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Pictures follow the width."""
        super().resizeEvent(event)
        if self._part is not None and event.oldSize().width() != event.size().width():
            at = self.verticalScrollBar().value()
            self.show_part(self._part)
            self.verticalScrollBar().setValue(at)

    def loadResource(self, kind: int, name: QUrl | str) -> Any:
        """A picture of ours, made to fit; nothing is fetched from anywhere else."""
        path = guide.folder() / (name.toString() if isinstance(name, QUrl) else name)
        inside = path.resolve().is_relative_to(guide.folder().resolve())
        if kind != QTextDocument.ResourceType.ImageResource.value or not inside or not path.exists():
            return None
        image = QImage(str(path))
        wide = min(image.width(), max(200, self.viewport().width() - 48))
        return image.scaledToWidth(wide, Qt.TransformationMode.SmoothTransformation)

    def mark(self, words: list[str]) -> None:
        """Mark words where they stand, and show the first."""
        marks, first = [], None
        look = QTextCharFormat()
        look.setBackground(self.palette().highlight())
        look.setForeground(self.palette().highlightedText())
        for word in words:
            at = self.document().find(word)
            while not at.isNull():
                mark = QTextEdit.ExtraSelection()
                mark.cursor, mark.format = at, look
                marks.append(mark)
                first = at if first is None or at.position() < first.position() else first
                at = self.document().find(word, at)
        self.setExtraSelections(marks)
        if first is not None:
            there = QTextCursor(first)
            there.clearSelection()
            self.setTextCursor(there)
            self.ensureCursorVisible()


class GuideView(QWidget):
    """The guide as a place of the window."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.page = "round"
        self.text = _Text()
        hint = _("search: salt, turning, power cut …")
        self.search = field(_("Search the guide"), hint, typed=self._search, entered=self.text.setFocus)
        self.list = QListWidget()
        self.list.setAccessibleName(_("Parts of the guide"))
        self.list.currentRowChanged.connect(self._chosen)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.text.document().setDocumentMargin(16)
        self._shown: list[Part] = []
        theme.fit(self.list, FixedWidth=208)
        theme.fit(self.search, FixedWidth=260)
        body = row(self.list, (self.text, 1), spacing=16)
        inner = column(row(label(_("Guide"), "title"), 1, self.search), (body, 1), spacing=12)
        inner.setContentsMargins(32, 16, 32, 16)
        put(self, column(inner, spacing=0))
        inner.setContentsMargins(32, 16, 32, 16)
        theme.dress(self)
        theme.changed.connect(self.refresh)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where there is little room the text has most of it."""
        super().resizeEvent(event)
        self.list.setFixedWidth(self._theme.px(208 if self.width() >= self._theme.px(640) else 120))

    def begin(self) -> None:
        """Come in at the part of the page one came from."""
        self.search.clear()
        self._offer(guide.with_words(""), guide.part_of(self.page))
        self.text.setFocus()

    def refresh(self) -> None:
        """The guide stays as it is; its letters follow the theme."""
        self.text.setFont(self._theme.font())
        self.text.document().setDefaultFont(self._theme.font())

    def leave(self) -> bool:
        """Esc empties the search first."""
        if not self.search.text():
            return False
        self.begin()
        return True

    def _offer(self, parts: list[Part], first: Part | None) -> None:
        self._shown = parts
        self.list.blockSignals(True)
        self.list.clear()
        self.list.addItems([part.title for part in parts])
        self.list.blockSignals(False)
        if parts:
            self.list.setCurrentRow(parts.index(first) if first in parts else 0)

    def _chosen(self, at: int) -> None:
        if 0 <= at < len(self._shown):
            self.refresh()
            self.text.show_part(self._shown[at])
            self.text.mark(self.search.text().split())

    def _search(self, typed: str) -> None:
        found = guide.with_words(typed)
        self._offer(found, None)
        if not found:
            self.text.say(_("Nothing in the guide has all of these words. Try fewer, or others."))
