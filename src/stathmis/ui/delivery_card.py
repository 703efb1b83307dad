"""The eggs of a plan as they came: a few counts, each an edit of its own."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QBoxLayout, QFrame, QLabel, QLineEdit

from stathmis.core.errors import UserError
from stathmis.services.desk import Desk
from stathmis.services.eggs import delivery
from stathmis.services.plan.planning import Plan
from stathmis.ui.kit.attempt import attempt
from stathmis.ui.kit.fields import field
from stathmis.ui.kit.page import column, holder, row
from stathmis.ui.kit.pieces import label, problem_label, say, set_text
from stathmis.ui.theme import Theme
from stathmis.words import delivery as words
from stathmis.words.catalogue import _


class DeliveryCard(QFrame):
    """Received, cracked, dirty, odd, inked; where from, how warm they were kept, how long they rested."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("card")
        self._desk, self._theme = desk, theme
        self._plan: Plan | None = None
        self.fields: dict[str, QLineEdit] = {}
        self._rows: list[QBoxLayout] = []
        self._unit, self._share, self._problem = label("", "muted"), label("", "small", wrap=True), problem_label()
        first = self._line(
            ("received", "", _("received")), ("cracked", "", _("cracked")), ("dirty", "", _("dirty")),
            ("odd", "", _("odd in size or shape")), ("inked", "", _("marked in ink")),
        )  # fmt: skip
        second = self._line(
            ("source", _("from"), ""), ("kept_c", _("kept at"), self._unit), ("rested_h", _("rested"), _("h")),
        )  # fmt: skip
        head = label(_("The eggs as they came"), "heading")
        box = column(head, first, second, self._share, self._problem)
        box.setContentsMargins(16, 12, 16, 14)
        self.setLayout(box)

    def _line(self, *parts: tuple[str, str, str | QLabel]) -> QBoxLayout:
        made = row()
        for name, before, after in parts:
            width = 160.0 if name == "source" else 56.0
            edit = field(words.called(name), width=(self._theme, width), entered=partial(self._typed, name))
            edit.editingFinished.connect(partial(self._typed, name))
            around = [label(w, "muted") if isinstance(w, str) else w for w in (before, after) if w]
            self.fields[name] = edit
            made.addWidget(holder(row(*around[: bool(before)], edit, *around[bool(before) :], 1)))
        made.addStretch(1)
        self._rows.append(made)
        return made

    def show_plan(self, plan: Plan | None, *, narrow: bool) -> None:
        """Show the eggs of a plan; what is being typed stays where it is still the same plan's."""
        # a clutch is laid here, not delivered
        self.setVisible(plan is not None and plan.species.kind == "bird")
        for line in self._rows:
            line.setDirection((column() if narrow else row()).direction())
        same = plan is not None and self._plan is not None and plan.name == self._plan.name
        self._plan = plan
        if plan is None:
            return
        book = self._desk.book
        set_text(self._unit, book.temperature_unit)
        for name, edit in self.fields.items():
            if not (same and edit.isModified()):
                edit.setText(delivery.shown(book, plan, name, book.temperature_unit))
        found = delivery.delivery_of(book, plan)
        told = words.share(found, plan.stored_days, plan.eggs, book.temperature_unit) if found is not None else []
        say(self._share, " ".join(told))

    def _typed(self, name: str) -> None:
        """Enter, or the cursor leaves the field."""
        edit, plan = self.fields[name], self._plan
        if plan is None or not edit.isModified():
            return

        def action() -> str:
            edit.setModified(False)
            try:
                return delivery.note(self._desk, plan, name, edit.text())
            except UserError:
                # what is refused stays to be mended
                edit.setModified(True)
                raise

        attempt(self._problem, action)
