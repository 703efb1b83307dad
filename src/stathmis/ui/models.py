"""Qt models of plain lists: what a table shows, brought up to date in place so that choice and scroll stay."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Generic, TypeVar

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QObject, QPersistentModelIndex, Qt

Row = TypeVar("Row")
Index = QModelIndex | QPersistentModelIndex


class ListModel(QAbstractTableModel, Generic[Row]):
    """Rows of one kind in columns of text. key tells rows apart: rows that stay are changed in place."""

    def __init__(
        self,
        columns: Sequence[tuple[str, Callable[[Row], str]]],
        key: Callable[[Row], object],
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._columns, self._key = columns, key
        self._rows: list[Row] = []

    def row(self, at: int) -> Row:
        """The row at a place."""
        return self._rows[at]

    def show_rows(self, rows: Sequence[Row]) -> None:
        """Show these rows: new ones at the top and gone ones are told one by one, the rest is changed in place."""
        new, keys = list(rows), [self._key(r) for r in rows]
        wanted = set(keys)
        for at in range(len(self._rows) - 1, -1, -1):
            if self._key(self._rows[at]) not in wanted:
                self.beginRemoveRows(QModelIndex(), at, at)
                del self._rows[at]
                self.endRemoveRows()
        for at, row in enumerate(new):
            if at >= len(self._rows) or self._key(self._rows[at]) != keys[at]:
                self.beginInsertRows(QModelIndex(), at, at)
                self._rows.insert(at, row)
                self.endInsertRows()
            elif self._rows[at] != row:
                self._rows[at] = row
                self.dataChanged.emit(self.index(at, 0), self.index(at, len(self._columns) - 1))
        if len(self._rows) > len(new):
            self.beginRemoveRows(QModelIndex(), len(new), len(self._rows) - 1)
            del self._rows[len(new) :]
            self.endRemoveRows()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008  as Qt declares it
        """How many rows."""
        return 0 if parent.isValid() else len(self._rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008  as Qt declares it
        """How many columns."""
        return 0 if parent.isValid() else len(self._columns)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """The text of a cell."""
        if not index.isValid() or role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return None
        return self._columns[index.column()][1](self._rows[index.row()])

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """The heading of a column."""
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return self._columns[section][0]
        return None
