"""The way of one batch: how it is turned, cooled, candled, weighed and fed, each in a field of its own."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

from PySide6.QtWidgets import QBoxLayout, QFrame, QLineEdit, QWidget

from stathmis.core.course.way import CANDLINGS, Way
from stathmis.services.batch import batches
from stathmis.services.desk import Desk
from stathmis.services.plan import planning, way_fields
from stathmis.services.plan.planning import Plan
from stathmis.ui.kit.attempt import attempt
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.page import column, holder, row
from stathmis.ui.kit.pieces import label, problem_label, say, set_text
from stathmis.ui.theme import Theme
from stathmis.words import turning as turning_words
from stathmis.words import way as way_words
from stathmis.words.catalogue import _


class WayCard(QFrame):
    """How a batch in hand is kept; every change is an edit of its own."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("card")
        self._desk, self._theme = desk, theme
        self._whose = ""
        self.fields: dict[str, QLineEdit] = {}
        self._around: dict[str, QWidget] = {}
        self._lines: dict[str, QWidget] = {}
        self._rows: list[QBoxLayout] = []
        self._narrow = False
        self.batch = Chooser(_("Whose way"), picked=self.show_plan, yielding=True)
        self._problem, self._counter = problem_label(), label("", "name", "undecided", wrap=True)
        by_hand, by_machine = _("by hand"), _("by the machine")
        turned = {"machine": by_machine, "by hand": by_hand, "none": _("not at all")}
        cooled = {"": _("as the species wants"), "none": _("never"), "by hand": by_hand, "by machine": by_machine}
        self.choosers = {
            "turning": self._chooser("turning", _("How they are turned"), turned),
            "cooling": self._chooser("cooling", _("How they are cooled"), cooled),
            "candling": self._chooser("candling", _("How often they are candled"), {key: key for key in CANDLINGS}),
        }
        self._unit = label("", "muted")
        lines = (
            self._line(
                _("Turned"), "turning",
                ("", "turns_a_day", _("times a day, at most")), ("", "longest_gap_h", _("h apart")),
                (_("its own counter stops on day"), "counter_day", ""),
            ),
            self._line(
                _("Cooled"), "cooling",
                ("", "coolings_a_day", _("times a day for")), ("", "cool_minutes", _("min")),
                (_("from day"), "cool_from_day", ""),
            ),
            self._line(_("Candled"), "candling", (_("or on days of your own"), "candling_days", "")),
            self._line(
                _("Weighed"), "", (_("every"), "weigh_every_days", _("days; empty: not at all")),
            ),
            self._line(_("Still air"), "", ("", "still_offset_k", self._unit)),
            self._line(
                _("At the end"), "",
                (_("brooder ready"), "brooder_days", _("days before lockdown")),
                (_("first feed within"), "feed_limit_h", _("h of coming out")),
            ),
        )  # fmt: skip
        head = row(label(_("How it is done"), "heading"), (self.batch, 1))
        self._note = label("", "small", wrap=True)
        box = column(head, self._note, *lines, self._counter, self._problem)
        box.setContentsMargins(16, 12, 16, 14)
        self.setLayout(box)

    def _chooser(self, name: str, words: str, options: dict[str, str]) -> Chooser:
        made = Chooser(words, [(text, key) for key, text in options.items()], picked=partial(self._choose, name))
        self._theme.fit(made, FixedWidth=190)
        return made

    def _line(self, title: str, chooser: str, *fields: tuple[str, str, Any]) -> QWidget:
        """A line of fields, each with the words before and after it, with which it comes and goes."""
        name = label(title, "muted")
        self._theme.fit(name, FixedWidth=84)
        made = row(name)
        if chooser:
            made.addWidget(self.choosers[chooser])
        for before, key, after in fields:
            width = 96.0 if key == "candling_days" else 56.0
            edit = field(way_words.called(key), width=(self._theme, width), entered=partial(self._typed, key))
            edit.editingFinished.connect(partial(self._typed, key))
            words = [label(w, "muted") if isinstance(w, str) else w for w in (before, after) if w]
            inside = row(*words[: bool(before)], edit, *words[bool(before) :], 1)
            self.fields[key], self._around[key] = edit, holder(inside)
            made.addWidget(self._around[key])
        made.addStretch(1)
        self._rows.append(made)
        line = self._lines[title] = holder(made)
        return line

    def refresh(self, *, narrow: bool) -> None:
        """Show the way as it stands; what is being typed stays. narrow: its fields stand one under the other."""
        self._narrow = narrow
        for line in self._rows:
            line.setDirection((column() if narrow else row()).direction())
        plans = planning.plans(self._desk.book)
        self.setVisible(bool(plans))
        if not plans:
            return
        offered = [(f"{p.name}, {p.incubator.name}", _of(p)) for p in plans]
        if [self.batch.itemData(i) for i in range(self.batch.count())] != [what for _name, what in offered]:
            self.batch.offer(offered)
        plan = self._plan or plans[0]
        self._whose = _of(plan)
        self.batch.choose(self._whose)
        for name, chooser in self.choosers.items():
            chooser.choose(getattr(plan.way, name))
        for name, edit in self.fields.items():
            if not edit.isModified():
                edit.setText(way_fields.shown(plan, name, self._desk.book.temperature_unit))
        say(self._note, plan.species.note)
        self._show_what_counts(plan)

    def _show_what_counts(self, plan: Plan) -> None:
        """Only what this way leaves open stands there."""
        bird, way = plan.species.kind == "bird", plan.way
        cools = way.cools(plan.species.cooling)
        counts = {
            "turns_a_day": way.turning == "by hand",
            "longest_gap_h": way.turning == "by hand",
            "counter_day": way.turning == "machine",
            **dict.fromkeys(("coolings_a_day", "cool_minutes", "cool_from_day"), cools),
        }
        for name, around in self._around.items():
            around.setVisible(counts.get(name, True))
        self._lines[_("Still air")].setVisible(plan.incubator.air == "still" and bird)
        for title in (_("Turned"), _("Cooled"), _("Candled"), _("Weighed"), _("At the end")):
            self._lines[title].setVisible(bird)
        self.choosers["candling"].setEnabled(not way.candling_days)
        unit = "°F" if self._desk.book.temperature_unit == "°F" else "K"
        set_text(self._unit, _("{unit} warmer at the egg tops; empty: the usual", unit=unit))
        counter = ""
        if plan.batch is not None:
            course = batches.course_of(self._desk.book, plan.batch, plan.incubator)
            counter = turning_words.counter(self._desk.book, course)
        say(self._counter, counter)

    @property
    def _plan(self) -> Plan | None:
        return next((p for p in planning.plans(self._desk.book) if self._whose in (_of(p), p.subject)), None)

    def show_plan(self, subject: str) -> None:
        """Bring the way of a plan into view, ready for the keyboard."""
        self._whose = subject
        for edit in self.fields.values():
            edit.setModified(False)
        self.refresh(narrow=self._narrow)
        self.choosers["turning"].setFocus()

    def _choose(self, name: str, key: Any) -> None:
        plan = self._plan
        if plan is not None and getattr(plan.way, name) != key:
            attempt(self._problem, lambda: self._kept(plan, replace(plan.way, **{name: key})))

    def _typed(self, name: str) -> None:
        """Enter, or the cursor leaves the field."""
        edit, plan = self.fields[name], self._plan
        if plan is None or not edit.isModified():
            return

        def action() -> str:
            way = way_fields.typed(plan, name, edit.text(), self._desk.book.temperature_unit)
            edit.setModified(False)
            return self._kept(plan, way)

        # what is refused stays to be mended
        attempt(self._problem, action)

    def _kept(self, plan: Plan, way: Way) -> str:
        if way != plan.way:
            planning.change_way(self._desk, plan, way)
        self.refresh(narrow=self._narrow)
        return _("{name}: done so from now on.", name=plan.name)


def _of(plan: Plan) -> str:
    """What a plan is known by: its batch once it is set, for it may get a record of its plan only when that changes."""
    return f"batch {plan.batch.id}" if plan.batch is not None else plan.subject
