"""A species of the keeper's own: a few numbers, each fault at its field."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QBoxLayout, QCheckBox, QFrame, QLabel, QLineEdit, QWidget

from stathmis.services.batch import own_species
from stathmis.services.batch.own_species import FIELDS, OF_BIRDS, SpeciesDraft, draft_of, interpret
from stathmis.services.batch.species import species_of
from stathmis.services.desk import Desk
from stathmis.ui.kit.attempt import attempt
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.page import FieldGrid, column, holder, row
from stathmis.ui.kit.pieces import button, label, problem_label, say, set_text
from stathmis.ui.theme import Theme
from stathmis.words import species as words
from stathmis.words.catalogue import _

_LINES = (
    (("days_low", ""), ("days", ""), ("days_high", "")),
    (("stop_turning_day", ""),),
    (("set_c", "°"), ("half_band_k", "°")),
    (("setting_rh", "% RH"), ("lockdown_rh", "% RH")),
    (("loss_percent", "%"), ("egg_g", "g")),
)
"""Fields side by side, each with its unit; "°": that of temperatures."""


class SpeciesEditor(QFrame):
    """The fields of one species; ended with its key when it was kept, with an empty one when it was given up."""

    ended = Signal(str)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("card")
        self._desk, self._theme = desk, theme
        self._draft: SpeciesDraft | None = None
        self.fields: dict[str, QLineEdit] = {}
        self._units: list[QLabel] = []
        self._rows: list[QBoxLayout] = []
        self._of_birds: list[QWidget] = []
        self._heading, self.problem = label("", "heading", wrap=True), problem_label()
        grid = FieldGrid()
        self.name = self._field("name", None)
        grid.add(words.called("name"), self.name)
        kinds = ((_("bird"), "bird"), (_("reptile: never turned"), "reptile"))
        self.kind = grid.add(_("Kind"), Chooser(_("Kind"), kinds, picked=lambda _kind: self._typed()))
        titles = (_("Hatch, day"), _("Lockdown, day"), _("Warmth"), _("Humidity"), _("Egg"))
        for title, line in zip(titles, _LINES, strict=True):
            made = row()
            for name, unit in line:
                made.addWidget(self._numbered(name, unit))
            made.addStretch(1)
            self._rows.append(made)
            whole = holder(made)
            name_of_line = label(title, "muted")
            grid.add(name_of_line, whole)
            if all(name in OF_BIRDS for name, _unit in line):
                self._of_birds += [name_of_line, whole]
        self.cooling = QCheckBox(_("cooling every day helps"))
        self.cooling.toggled.connect(lambda _on: self._typed())
        grid.add("", self.cooling)
        grid.add(words.called("note"), self._field("note", None))
        self.keep = button(_("&Keep this species"), self._keep, "main")
        foot = row(self.keep, button(_("Give up"), lambda: self.ended.emit("")), 1)
        self._doubt = label("", "small", "undecided", wrap=True)
        box = column(self._heading, grid, self.problem, self._doubt, foot)
        box.setContentsMargins(16, 12, 16, 14)
        self.setLayout(box)

    def _field(self, name: str, width: float | None) -> QLineEdit:
        made = field(
            words.called(name),
            width=(self._theme, width) if width is not None else None,
            typed=partial(self._typed, name),
            entered=self._keep,
        )
        self.fields[name] = made
        return made

    def _numbered(self, name: str, unit: str) -> QWidget:
        """A number behind its words (where a line has several), before its unit."""
        before = {
            "days_low": _("from"),
            "days": _("usually"),
            "days_high": _("to"),
            "half_band_k": "±",
            "lockdown_rh": _("from lockdown"),
            "loss_percent": _("loses by lockdown"),
            "egg_g": _("weighs"),
        }.get(name)
        after = label(_(unit), "muted")
        if unit == "°":
            self._units.append(after)
        parts: list[QWidget] = [label(before, "muted")] if before else []
        edit = self._field(name, 84.0 if name.endswith("_rh") else 64.0)
        made = holder(row(*parts, edit, after, 1))
        if name in OF_BIRDS:
            self._of_birds.append(made)
        return made

    def fold(self, *, narrow: bool) -> None:
        """In a narrow page the fields of a line stand one under the other."""
        for line in self._rows:
            line.setDirection((column() if narrow else row()).direction())

    def edit(self, draft: SpeciesDraft, like: str) -> None:
        """Begin with a draft; like: the name of the species it starts from."""
        self._draft = None
        new = draft.stored_id is None
        heading = _("A species of your own, beginning as {like}", like=like) if new else _("Change {like}", like=like)
        set_text(self._heading, heading)
        self.kind.choose(draft.kind)
        self.cooling.setChecked(draft.cooling)
        for name, edit in self.fields.items():
            edit.setText(draft.texts.get(name, ""))
        heat, off = self._units
        set_text(heat, self._desk.book.temperature_unit)
        set_text(off, "°F" if self._desk.book.temperature_unit == "°F" else "K")
        self._draft = draft
        self._typed()
        self.name.setFocus()

    def begin(self, key: str, *, copy: bool) -> None:
        """Begin with a species by its key: change it, or make a copy of it one's own."""
        species = species_of(self._desk.book, key)
        self.edit(draft_of(species, self._desk.book.temperature_unit, copy=copy), species.name)

    def _typed(self, _name: str = "", _text: str = "") -> None:
        if self._draft is None:
            return
        kind: own_species.Kind = self.kind.currentData()
        texts = {name: self.fields[name].text() for name in FIELDS}
        self._draft = SpeciesDraft(kind, self.cooling.isChecked(), texts, self._draft.stored_id)
        for widget in self._of_birds:
            widget.setVisible(kind == "bird")
        found = interpret(self._desk.book, self._draft, self._desk.book.temperature_unit)
        self.keep.setEnabled(not found.problems)
        # an empty name is no fault before anything else is typed
        told = [text for name, text in found.problems.items() if name != "name" or self.name.text().strip()]
        say(self.problem, told[0] if told else "")
        say(self._doubt, found.doubt)

    def _keep(self) -> None:
        draft = self._draft
        if draft is None or not self.keep.isEnabled():
            return

        def action() -> str:
            made = own_species.keep(self._desk, draft)
            self.ended.emit(f"own {made}")
            return _("{name}: among the species now.", name=draft.texts["name"].strip())

        attempt(self.problem, action)
