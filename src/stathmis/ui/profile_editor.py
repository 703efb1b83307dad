"""Writing an own profile: its stages row by row, each fault at its row, and a picture of what it asks."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QGridLayout, QLabel, QLineEdit, QSizePolicy

from stathmis.core.course.profile import OwnProfile
from stathmis.core.errors import UserError
from stathmis.services import notify
from stathmis.services.batch import profiles
from stathmis.services.batch.profile_draft import (
    KINDS,
    Interpreted,
    ProfileDraft,
    StageRow,
    draft_of,
    interpret,
    with_stage_after,
    without_stage,
)
from stathmis.services.book import TemperatureUnit
from stathmis.services.desk import Desk
from stathmis.ui.kit.drawn import Drawn
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.page import FieldGrid, column, row
from stathmis.ui.kit.pieces import button, clear, label, problem_label, say
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import N_, _
from stathmis.words.numbers import unit_word

FIELDS = ("title", "from_day", "heat_low", "heat_high", "moist_low", "moist_high")
NAMES = (
    N_("called"),
    N_("from day"),
    N_("lowest temperature"),
    N_("highest temperature"),
    N_("lowest humidity"),
    N_("highest humidity"),
)


class ProfileEditor(QFrame):
    """The fields of one profile; ended when it was kept or given up."""

    ended = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("card")
        self._desk, self._theme = desk, theme
        self._draft: ProfileDraft | None = None
        self._unit: TemperatureUnit = desk.book.temperature_unit
        self._found = Interpreted()
        self._narrow = False
        self._titles: tuple[str, ...] = ()
        self._edits: list[dict[str, QLineEdit]] = []
        self._problems: list[QLabel] = []
        self._heading, self.problem = label("", "heading"), problem_label()
        head = FieldGrid()
        self.name = head.add(_("Name"), field(_("Name"), typed=self._typed))
        self.why = head.add(
            _("Why"), field(_("Why"), _("why one would: for whoever gets it from you"), typed=self._typed)
        )
        self.last_day = head.add(_("Last day"), field(_("Last day"), width=(theme, 80), typed=self._typed))
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        self._picture = ProfilePicture(theme)
        self.keep = button(_("&Keep this profile"), self._keep, "main")
        foot = row(self.keep, button(_("Give up"), self.give_up), 1)
        box = column(self._heading, head, self._grid, self.problem, self._picture, foot)
        box.setContentsMargins(16, 12, 16, 14)
        self.setLayout(box)

    def edit(self, draft: ProfileDraft) -> None:
        """Begin with a draft whose temperatures are in the unit shown now."""
        self._draft, self._unit = draft, self._desk.book.temperature_unit
        self._heading.setText(
            _("A profile of your own") if draft.stored_id is None else _("Change {draft}", draft=draft.name)
        )
        self.name.setText(draft.name)
        self.why.setText(draft.why)
        self.last_day.setText(draft.last_day)
        self._fill()

    def refresh(self) -> None:
        """Follow a switch of unit: what can be read is written anew in it."""
        if self._draft is None or self._unit == self._desk.book.temperature_unit:
            return
        profile = self._found.profile
        stored_id = self._draft.stored_id
        if profile is not None:
            self.edit(draft_of(profile, self._desk.book.temperature_unit, stored_id))
        else:
            # something is wrong in it yet: the numbers stay in the unit they were typed in
            self._fill()

    def fold(self, *, narrow: bool) -> None:
        """In a narrow page a stage takes two lines."""
        if narrow != self._narrow:
            self._narrow = narrow
            if self._draft is not None:
                self._fill()

    def give_up(self) -> None:
        """Leave it as it was."""
        self._draft = None
        self.ended.emit()

    def _fill(self) -> None:
        assert self._draft is not None
        clear(self._grid)
        self._edits, self._problems = [], []
        unit = unit_word(self._unit)
        self._titles = ("called", _("from day"), _("{unit} from", unit=unit), "to", _("% RH from"), "to")
        if not self._narrow:
            for x, text in enumerate(("stage", *self._titles)):
                self._grid.addWidget(label(text, "small"), 0, x)
        for i, stage in enumerate(self._draft.rows):
            self._stage_row(i, stage)
        self._grid.setColumnStretch(0, int(self._narrow))
        self._grid.setColumnStretch(1, int(not self._narrow))
        self._typed()

    def _stage_row(self, i: int, stage: StageRow) -> None:
        at = 1 + 3 * i
        kinds = [(kind, kind) for kind in KINDS]
        kind = Chooser(_("Stage {i} is", i=i + 1), kinds, stage.kind, picked=lambda chosen: self._set(i, kind=chosen))
        head, numbers = row(spacing=4), row(spacing=4)
        if self._narrow:
            # two lines for each stage, its words in the first and its numbers in the second
            self._grid.addLayout(head, at, 0)
            self._grid.addLayout(numbers, at + 1, 0)
            head.addWidget(kind)
        else:
            self._grid.addWidget(kind, at, 0)
        edits = {}
        for x, (name, says) in enumerate(zip(FIELDS, NAMES, strict=True), start=1):
            wide = None if name == "title" else (self._theme, 44 if self._narrow else 68)
            typed = partial(self._set_one, i, name)
            edits[name] = edit = field(
                _("Stage {i}, {says}", i=i + 1, says=_(says)), text=getattr(stage, name), width=wide, typed=typed
            )
            if not self._narrow:
                self._grid.addWidget(edit, at, x)
            elif name == "title":
                self._theme.fit(edit, MinimumWidth=60)
                head.addWidget(edit, 1)
            else:
                numbers.addWidget(label(self._titles[x - 1].removesuffix(" from"), "small"))
                numbers.addWidget(edit)
        numbers.addStretch(1)
        self._edits.append(edits)
        add, drop = partial(self._reshape, with_stage_after, i), partial(self._reshape, without_stage, i)
        links = [button(_("add after"), add, "link", name=_("Add a stage after stage {i}", i=i + 1))]
        if self._draft is not None and len(self._draft.rows) > 1:
            links.append(button(_("remove"), drop, "link", name=_("Remove stage {i}", i=i + 1)))
        for x, link in enumerate(links, start=7):
            if self._narrow:
                head.addWidget(link)
            else:
                self._grid.addWidget(link, at, x)
        problem = problem_label()
        self._grid.addWidget(problem, at + 2, 0, 1, 9)
        self._problems.append(problem)

    def _set_one(self, i: int, name: str, text: str) -> None:
        self._set(i, **{name: text})

    def _set(self, i: int, **fields: str) -> None:
        assert self._draft is not None
        rows = list(self._draft.rows)
        rows[i] = replace(rows[i], **fields)  # type: ignore[arg-type]
        self._draft = replace(self._draft, rows=tuple(rows))
        self._typed()

    def _reshape(self, change: object, i: int) -> None:
        assert self._draft is not None and callable(change)
        self._draft = change(self._draft, i)
        self._fill()
        focus = min(i + (change is with_stage_after), len(self._edits) - 1)
        self._edits[focus]["from_day"].setFocus()

    def _typed(self, _text: str = "") -> None:
        if self._draft is None:
            return
        self._draft = replace(self._draft, name=self.name.text(), why=self.why.text(), last_day=self.last_day.text())
        self._found = interpret(self._draft, self._unit)
        for i, problem in enumerate(self._problems):
            say(problem, self._found.problems.get(i, ""))
        say(self.problem, self._found.problems.get(-1, ""))
        self.keep.setEnabled(self._found.profile is not None)
        if self._found.profile is not None:
            self._picture.show_profile(self._found.profile)

    def _keep(self) -> None:
        if self._found.profile is None or self._draft is None:
            return
        stored_id = self._draft.stored_id
        try:
            profiles.keep_profile(self._desk, self._found.profile, stored_id)
        except UserError as error:
            say(self.problem, str(error))
            self.name.setFocus()
            return
        name = self._found.profile.name
        self._draft = None
        self.ended.emit()
        notify.tell("info", _("{name} is kept; a batch can follow it. Ctrl+Z takes it back.", name=name))


class ProfilePicture(Drawn):
    """What a profile asks over its days: a lane of temperature and a lane of humidity, bands as filled stretches."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._profile: OwnProfile | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """Preferred size at the text size in use."""
        return QSize(400, self.theme.px(120))

    def show_profile(self, profile: OwnProfile) -> None:
        """Draw this one."""
        self._profile = profile
        self.say(
            _("Picture of {profile}", profile=profile.name),
            _("{stages} stages to day {last_day:g}", stages=len(profile.stages), last_day=profile.last_day),
        )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        if self._profile is None:
            return
        theme, profile = self.theme, self._profile
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(12))
        left, lane = theme.px(64), (self.height() - theme.px(24)) / 2
        per_day = (self.width() - left - 4) / profile.last_day
        ends = [*(s.from_day for s in profile.stages[1:]), profile.last_day]
        for number, (word, ink) in enumerate(((_("Heat"), theme.inks.heat), (_("Moisture"), theme.inks.moisture))):
            top = number * lane
            bands = [s.temperature_c if number == 0 else s.humidity for s in profile.stages]
            asked = [b for b in bands if b is not None]
            if not asked:
                continue
            low, high = min(b.low for b in asked), max(b.high for b in asked)
            painter.setPen(QColor(ink))
            painter.drawText(QRectF(0, top, left - 8, lane), int(Qt.AlignmentFlag.AlignVCenter), word)
            for stage, end, band in zip(profile.stages, ends, bands, strict=True):
                if band is None:
                    continue
                y = [top + 6 + (lane - 12) * (high - v) / (high - low) for v in (band.high, band.low)]
                tint = QColor(ink)
                tint.setAlpha(60)
                x = left + stage.from_day * per_day
                painter.fillRect(QRectF(x, y[0], (end - stage.from_day) * per_day - 1, y[1] - y[0]), tint)
                painter.setPen(QPen(QColor(ink), 1))
                for edge in y:
                    painter.drawLine(QPointF(x, edge), QPointF(x + (end - stage.from_day) * per_day - 1, edge))
        painter.setPen(QColor(theme.inks.muted))
        free = -1.0
        for day in (*(s.from_day for s in profile.stages), profile.last_day):
            words = _("day {day:g}", day=day)
            width = painter.fontMetrics().horizontalAdvance(words)
            x = min(left + day * per_day, self.width() - width)
            if x >= free:
                painter.drawText(QPointF(x, self.height() - 6), words)
                free = x + width + 8
