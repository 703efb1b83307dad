"""The way of one batch: what is asked of its air, how it is turned, cooled, candled, weighed, hatched and fed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QEvent, QObject, Signal
from PySide6.QtWidgets import QBoxLayout, QFileDialog, QFrame, QLabel, QLineEdit, QScrollArea, QWidget

from stathmis.core.course.way import Way
from stathmis.core.errors import UserError
from stathmis.services import notify
from stathmis.services.batch import batches
from stathmis.services.clock import DAY_MS
from stathmis.services.desk import Desk
from stathmis.services.plan import planning, way_fields
from stathmis.services.plan.planning import Plan
from stathmis.services.plan.way_fields import LOCKDOWN
from stathmis.ui.course_strip import CourseStrip
from stathmis.ui.kit.attempt import attempt
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.page import column, holder, row
from stathmis.ui.kit.pieces import button, label, problem_label, say, set_text
from stathmis.ui.theme import Theme
from stathmis.words import turning as turning_words
from stathmis.words import way as way_words
from stathmis.words.catalogue import Sentence, _, filled_in

WAY_FILES = Sentence("Ways (*.stathmis-way.toml *.toml)")
_WIDE = frozenset({"box", "candling_days", "setting_rh", "lockdown_rh"})


class WayCard(QFrame):
    """How a batch in hand is kept; every change is an edit of its own. turned: another batch came into view."""

    turned = Signal()

    def __init__(self, desk: Desk, theme: Theme, since: Chooser) -> None:
        """since: whether a change counts from the first day (True) or from now on."""
        super().__init__()
        self.setObjectName("card")
        self._desk, self._theme, self.since = desk, theme, since
        self._whose = ""
        self.fields: dict[str, QLineEdit] = {}
        self._around: dict[str, QWidget] = {}
        self._lines: dict[str, tuple[QWidget, tuple[str, ...]]] = {}
        self._rows: list[QBoxLayout] = []
        self._titles: list[QLabel] = []
        self._narrow = self.everything = False
        self.batch = Chooser(_("Whose way"), picked=self.show_plan, yielding=True)
        self._problem, self._counter = problem_label(), label("", "name", "undecided", wrap=True)
        self._preview, self._preview_words = CourseStrip(theme), label("", "small", wrap=True)
        self._reason = label("", "small", wrap=True)
        self.choosers = {
            name: self._chooser(name, words, options) for name, (words, options) in way_words.choices().items()
        }
        self._more = button("", self.show_all, "link")
        head = row(label(_("How it is done"), "heading"), (self.batch, 1), spacing=12)
        self._note = label("", "small", wrap=True)
        self._heat_unit, self._off_unit = label("", "muted"), label("", "muted")
        self._still_unit, self._alarm_unit, self._late_unit = (label("", "muted") for _i in range(3))
        out = button(_("Pass this way on…"), self._pass_on, "link")
        into = button(_("Bring in a way file…"), self._bring_in, "link")
        links = row(self._more, 1, into, out, spacing=16)
        box = column(head, self._note, *self._make_lines(), links)
        self._rows += [head, links]
        for shown in (self._reason, self._preview, self._preview_words, self._counter, self._problem):
            box.addWidget(shown)
        box.setContentsMargins(16, 12, 16, 14)
        self.setLayout(box)

    def _make_lines(self) -> tuple[QWidget, ...]:
        percent = _("% RH")
        return (
            self._line(
                _("Days"),
                (_("hatch after"), "term_days", _("days,")), (_("lockdown on day"), LOCKDOWN, ""),
                (_("weight lost by then"), "loss_percent", "%"),
            ),
            self._line(_("Warmth"), "held", ("", "set_c", self._heat_unit), ("±", "tolerance_k", self._off_unit)),
            self._line(_("Still air"), ("", "still_offset_k", self._still_unit)),
            self._line(_("Humidity"), ("", "setting_rh", percent), (_("from lockdown"), "lockdown_rh", percent)),
            self._line(
                _("Turned"), "turning",
                ("", "turns_a_day", _("times a day, at most")), ("", "longest_gap_h", _("h apart")),
                (_("between"), "day_begins_h", ""), (_("and"), "day_ends_h", _("o'clock")),
                (_("every"), "turn_every_min", _("min")), (_("by"), "turn_degrees", "°"),
                (_("its own counter stops on day"), "counter_day", ""),
            ),
            self._line(
                _("Cooled"), "cooling",
                ("", "coolings_a_day", _("times a day for")), ("", "cool_minutes", _("min")),
                (_("from day"), "cool_from_day", ""),
            ),
            self._line(_("Candled"), "candling", (_("or on days of your own"), "candling_days", "")),
            self._line(_("Weighed"), (_("every"), "weigh_every_days", _("days; empty: not at all"))),
            self._line(
                _("Vents"),
                ("", "vent_setting", _("% open")), (_("from lockdown"), "vent_lockdown", "%"),
                (_("from the first chick"), "vent_hatching", "%"),
            ),
            self._line(_("Hatch"), "misted", "opening", "helping", "taken_off"),
            self._line(
                _("Alarms"),
                (_("too warm by"), "hot_k", ""), (_("too cold by"), "cold_k", self._alarm_unit),
                (_("too dry by"), "dry_rh", ""), (_("too moist by"), "moist_rh", percent),
            ),
            self._line(
                _("Alarms late"),
                (_("too warm by"), "late_hot_k", ""), (_("too cold by"), "late_cold_k", self._late_unit),
                (_("too dry by"), "late_dry_rh", ""), (_("too moist by"), "late_moist_rh", percent),
            ),
            self._line(
                _("At the end"),
                (_("brooder ready"), "brooder_days", _("days before lockdown")),
                (_("first feed within"), "feed_limit_h", _("h of coming out")),
            ),
            self._line(_("Wished"), "wished"),
            self._line(_("Aired"), "airing_day"),
            self._line(_("Box"), ("", "box", _("where it stands in the machine"))),
        )  # fmt: skip

    def _chooser(self, name: str, words: str, options: dict[Any, str]) -> Chooser:
        made = Chooser(words, [(text, key) for key, text in options.items()], picked=partial(self._choose, name))
        self._theme.fit(made, MinimumWidth=190)
        made.installEventFilter(self)
        return made

    def _line(self, title: str, *parts: str | tuple[str, str, Any]) -> QWidget:
        """A line of choosers (by name) and fields, each with the words before and after it, which come and go with
        it."""
        name = label(title, "muted")
        self._titles.append(name)
        made = row(name)
        names = []
        for part in parts:
            if isinstance(part, str):
                names.append(part)
                made.addWidget(self.choosers[part])
                continue
            before, key, after = part
            names.append(key)
            width = 96.0 if key in _WIDE else 64.0 if key == "set_c" else 56.0
            edit = field(way_words.called(key), width=(self._theme, width), entered=partial(self._typed, key))
            edit.editingFinished.connect(partial(self._typed, key))
            edit.textEdited.connect(partial(self._draw, key))
            edit.installEventFilter(self)
            words = [label(w, "muted") if isinstance(w, str) else w for w in (before, after) if w]
            inside = row(*words[: bool(before)], edit, *words[bool(before) :], 1)
            self.fields[key], self._around[key] = edit, holder(inside)
            made.addWidget(self._around[key])
        made.addStretch(1)
        self._rows.append(made)
        line = holder(made)
        self._lines[title] = line, tuple(names)
        return line

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """What speaks for either side is said of the field the cursor is in."""
        if event.type() == QEvent.Type.FocusIn:
            for names in (names for _line, names in self._lines.values()):
                if any(watched in (self.fields.get(n), self.choosers.get(n)) for n in names):
                    mine = next((n for n in names if watched in (self.fields.get(n), self.choosers.get(n))), "")
                    say(self._reason, way_words.reason(mine) or way_words.reason(names[0]))
        return False

    def refresh(self, *, narrow: bool) -> None:
        """Show the way as it stands; what is being typed stays. narrow: its fields stand one under the other."""
        self._narrow = narrow
        wide = max(self._theme.px(84), *(title.sizeHint().width() for title in self._titles))
        for title in self._titles:
            title.setFixedWidth(wide)
        room = _room(self) - self._theme.px(112)
        for line in self._rows:
            line.setDirection(row().direction())
            if narrow or line.sizeHint().width() > room:
                line.setDirection(column().direction())
        book = self._desk.book
        plans = planning.plans(book)
        self.setVisible(bool(plans))
        if not plans:
            return
        self.batch.keep((f"{p.name}, {p.incubator.name}", _of(p)) for p in plans)
        plan = self._plan or plans[0]
        self._whose = _of(plan)
        self.batch.choose(self._whose)
        for name, chooser in self.choosers.items():
            chooser.choose(getattr(plan.way, name))
        usual = way_fields.usual(book, plan, book.temperature_unit)
        for name, edit in self.fields.items():
            edit.setPlaceholderText(usual.get(name, ""))
            if not edit.isModified():
                edit.setText(way_fields.shown(plan, name, book.temperature_unit))
        say(self._note, plan.species.note)
        self._draw_course(plan, plan.way, said=False)
        self._show_what_counts(plan)

    def _show_what_counts(self, plan: Plan) -> None:
        """Only what this way leaves open stands there; what is as the school has it, on request."""
        book = self._desk.book
        bird, way, own = plan.species.kind == "bird", plan.way, plan.regime.startswith("own ")
        by_weight = plan.regime == "by_weight"
        counts = {
            **dict.fromkeys(("turns_a_day", "longest_gap_h", "day_begins_h", "day_ends_h"), way.turning == "by hand"),
            **dict.fromkeys(("turn_every_min", "turn_degrees", "counter_day"), way.turning == "machine"),
            **dict.fromkeys(("coolings_a_day", "cool_minutes", "cool_from_day"), way.cools(plan.species.cooling)),
            **dict.fromkeys((LOCKDOWN, "loss_percent", "lockdown_rh"), plan.step("lockdown") is not None),
        }
        if not self.everything:
            for name in ("day_begins_h", "day_ends_h", "turn_every_min", "turn_degrees"):
                counts[name] &= getattr(way, name) != getattr(Way(), name)
        for name, around in self._around.items():
            around.setVisible(counts.get(name, True))
        clutch = plan.species.sex_by_temperature
        never = {
            _("Warmth"): own, _("Humidity"): own or by_weight, _("Wished"): not clutch,
            _("Aired"): bird, _("Box"): bird,
            _("Still air"): plan.incubator.air != "still" or not bird,
            **dict.fromkeys((_("Turned"), _("Cooled"), _("Candled"), _("Weighed"), _("Vents"), _("Hatch")), not bird),
            _("At the end"): not bird, _("Alarms late"): plan.step("lockdown") is None,
        }  # fmt: skip
        on_request = {_("Days"), _("Warmth"), _("Humidity"), _("Vents"), _("Hatch"), _("Alarms"), _("Alarms late")}
        for title, (line, names) in self._lines.items():
            other = any(way_fields.said(plan, name) for name in names)
            line.setVisible(not never.get(title, False) and (self.everything or title not in on_request or other))
        set_text(self._more, _("Only what is done otherwise") if self.everything else _("All that can be said"))
        self.choosers["candling"].setEnabled(not way.candling_days)
        self.choosers["held"].setVisible(bird)
        fahrenheit = book.temperature_unit == "°F"
        unit = "°F" if fahrenheit else "K"
        of = _("{unit} of the shell") if way.by_shell(plan.species) else _("{unit} in moving air")
        set_text(self._heat_unit, filled_in(of, unit=book.temperature_unit))
        set_text(self._off_unit, unit)
        set_text(self._alarm_unit, unit)
        set_text(self._late_unit, unit)
        set_text(self._still_unit, _("{unit} warmer at the egg tops", unit=unit))
        counter = ""
        if plan.batch is not None:
            counter = turning_words.counter(book, batches.course_of(book, plan.batch, plan.incubator))
        say(self._counter, counter)

    @property
    def plan(self) -> Plan | None:
        """The plan in view."""
        return self._plan

    def _pass_on(self) -> None:
        plan = self._plan
        if plan is None:
            return
        name = f"{plan.name}.stathmis-way.toml".replace("/", "-")
        chosen, _kind = QFileDialog.getSaveFileName(self, _("Pass on a way"), str(Path.home() / name), WAY_FILES())
        if chosen:
            self.write_to(Path(chosen))

    def write_to(self, path: Path) -> None:
        """Write the way in view to a file."""
        plan = self._plan
        if plan is None:
            return
        try:
            planning.pass_on(plan, path)
        except UserError as error:
            say(self._problem, str(error))
            return
        notify.tell("info", _("The way of {name} written to {file}.", name=plan.name, file=path.name))

    def _bring_in(self) -> None:
        chosen, _kind = QFileDialog.getOpenFileName(self, _("Bring in a way"), str(Path.home()), WAY_FILES())
        if chosen:
            self.bring_in(Path(chosen))

    def bring_in(self, path: Path) -> None:
        """Let the batch in view be kept as a file has it."""
        plan = self._plan
        if plan is None:
            return

        def action() -> str:
            whole = plan.batch is None or bool(self.since.currentData())
            same = planning.take_over(self._desk, plan, path, whole=whole)
            self.refresh(narrow=self._narrow)
            if same:
                return _("{name} is kept as {file} has it.", name=plan.name, file=path.name)
            return _("{name}: of another species, so its days and bands are left out.", name=plan.name)

        attempt(self._problem, action)

    def show_all(self) -> None:
        """All that can be said, or only what is done otherwise again."""
        self.everything = not self.everything
        self.refresh(narrow=self._narrow)

    @property
    def _plan(self) -> Plan | None:
        return next((p for p in planning.plans(self._desk.book) if self._whose in (_of(p), p.subject)), None)

    def show_plan(self, subject: str) -> None:
        """Bring the way of a plan into view, ready for the keyboard."""
        self.turn_to(subject)
        first = self.choosers["turning"]
        (first if first.isVisibleTo(self) else self.batch).setFocus()

    def turn_to(self, subject: str) -> None:
        """Bring the way of a plan into view."""
        self._whose = subject
        for edit in self.fields.values():
            edit.setModified(False)
        self.refresh(narrow=self._narrow)
        self.turned.emit()

    def _draw(self, name: str, text: str) -> None:
        """What is being typed is drawn as a course, before it is kept."""
        plan = self._plan
        if plan is None:
            return
        try:
            if name == LOCKDOWN:
                day = way_fields.number(plan, name, text, self._desk.book.temperature_unit)
                self._draw_course(plan, plan.way, lockdown=day)
            else:
                way = way_fields.typed(plan, name, text, self._desk.book.temperature_unit)
                self._draw_course(plan, way)
        except UserError:
            pass

    def _draw_course(self, plan: Plan, way: Way, lockdown: float | None = None, *, said: bool = True) -> None:
        book = self._desk.book
        course = planning.course(book, plan, way)
        if lockdown is not None:
            course = replace(course, lockdown_moved=lockdown)
        self._preview.show_course(book, course, [])
        say(self._preview_words, way_words.drawn(book, course) if said else "")

    def _choose(self, name: str, key: Any) -> None:
        plan = self._plan
        if plan is not None and getattr(plan.way, name) != key:
            change: dict[str, Any] = {name: key}
            attempt(self._problem, lambda: self._kept(plan, lambda: replace(plan.way, **change)))

    def _typed(self, name: str) -> None:
        """Enter, or the cursor leaves the field."""
        edit, plan = self.fields[name], self._plan
        if plan is None or not edit.isModified():
            return
        unit, text = self._desk.book.temperature_unit, edit.text()

        def action() -> str:
            if name == LOCKDOWN:
                said = self._move_lockdown(plan, text)
                edit.setModified(False)
                self.refresh(narrow=self._narrow)
                return said

            def way() -> Way:
                made = way_fields.typed(plan, name, text, unit)
                edit.setModified(False)
                return made

            return self._kept(plan, way)

        # what is refused stays to be mended
        attempt(self._problem, action)

    def _move_lockdown(self, plan: Plan, text: str) -> str:
        if not text.strip():
            planning.unmove_step(self._desk, plan, "lockdown")
        else:
            day = way_fields.number(plan, LOCKDOWN, text, self._desk.book.temperature_unit)
            planning.move_step(self._desk, plan, "lockdown", plan.set_ms + round(day * DAY_MS))
        return _("{name}: lockdown moved.", name=plan.name)

    def _kept(self, plan: Plan, typed: Callable[[], Way]) -> str:
        way, whole = typed(), plan.batch is None or bool(self.since.currentData())
        if way != plan.way:
            planning.change_way(self._desk, plan, way, whole=whole)
        self.refresh(narrow=self._narrow)
        if whole:
            return _("{name}: so from its first day on.", name=plan.name)
        return _("{name}: done so from now on.", name=plan.name)


def _room(widget: QWidget) -> int:
    """The width of what a widget scrolls in."""
    above = widget.parentWidget()
    while above is not None and not isinstance(above, QScrollArea):
        above = above.parentWidget()
    return above.viewport().width() if above is not None else widget.width()


def _of(plan: Plan) -> str:
    """What a plan is known by: its batch once it is set, for it may get a record of its plan only when that changes."""
    return f"batch {plan.batch.id}" if plan.batch is not None else plan.subject
