"""Practice: what each batch follows, the humidity schools with their reasons, and the keeper's own profiles."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, QTimer
from PySide6.QtWidgets import QFileDialog, QFrame, QGridLayout, QHBoxLayout, QVBoxLayout

from stathmis.core.course.profile import DayCount, OwnProfile
from stathmis.core.errors import UserError
from stathmis.logbook.records import Batch, Incubator, Stay, StoredPlan, StoredProfile
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services import knowledge, notify
from stathmis.services.batch import batches, profiles
from stathmis.services.batch.profile_draft import draft_of
from stathmis.services.desk import Desk
from stathmis.services.plan import conflicts
from stathmis.ui.pieces import Chooser, FoldingView, button, clear, label, rule, scrolling_page, yielding
from stathmis.ui.profile_editor import ProfileEditor
from stathmis.ui.theme import Theme
from stathmis.words.numbers import band_text

PROFILE_FILES = "Profiles (*.stathmis-profile.toml *.toml)"


class PracticeView(FoldingView):
    """What batches follow, and what there is to follow."""

    rests_on = frozenset[type | str]({Batch, Incubator, Stay, StoredPlan, StoredProfile, SETTINGS})

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 880)
        self._desk, self._theme = desk, theme
        self._built_narrow = False
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, page = scrolling_page()
        self._area = area
        outer.addWidget(area)
        page.addWidget(label("Practice", "title"))
        page.addWidget(label("What the batches follow", "heading"))
        self._following = QVBoxLayout()
        page.addLayout(self._following)
        page.addWidget(rule())
        head = self.folding_row(12)
        head.addWidget(label("What there is to follow", "heading"))
        self.species = Chooser()
        for key, species in knowledge.species().items():
            self.species.addItem(species.name, key)
        self.species.setAccessibleName("Species")
        self.species.currentIndexChanged.connect(self._show_choices)
        head.addWidget(self.species)
        head.addStretch(1)
        head.addWidget(button("Bring in a profile file…", self._bring_in))
        page.addLayout(head)
        self._choices = QVBoxLayout()
        page.addLayout(self._choices)
        self.editor = ProfileEditor(desk, theme)
        self.editor.hide()
        self.editor.ended.connect(self._editor_ended)
        page.addWidget(self.editor)
        page.addStretch(1)

    def fold(self) -> bool:
        """Rows of a narrow page stand one under the other."""
        changed = super().fold() or self.narrow != self._built_narrow
        if changed:
            self.editor.fold(narrow=self.narrow)
            self.refresh()
        return changed

    def begin(self) -> None:
        """Come in at the species of the batch in hand."""
        courses = [c for i in self._desk.book.incubators() for c in batches.all_running(self._desk.book, i)]
        if courses:
            self.species.setCurrentIndex(self.species.findData(courses[0].batch.species))
        self.species.setFocus()

    def leave(self) -> bool:
        """Esc leaves the profile that is being written first."""
        if not self.editor.isVisible():
            return False
        self.editor.give_up()
        return True

    def refresh(self) -> None:
        """Show the logbook as it stands; a profile being written stays as it is."""
        self._show_following()
        self._show_choices()
        self.editor.refresh()

    def _show_following(self) -> None:
        clear(self._following)
        desk = self._desk
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setColumnStretch(0, 1)
        self._built_narrow = self.narrow
        row, under = 0, int(self.narrow)
        for incubator in desk.book.incubators():
            for course in batches.all_running(desk.book, incubator):
                batch = course.batch
                words = f"{batch.name}, {incubator.name}, {course.day_text(desk.now_ms)}"
                grid.addWidget(label(words, wrap=True), row, 0, 1, 1 + under)
                regime, counting = Chooser(), Chooser()
                for choice in profiles.choices(desk.book, batch.species):
                    regime.addItem(choice.name, choice.key)
                regime.setCurrentIndex(regime.findData(batch.regime))
                regime.setAccessibleName(f"What {batch.name} follows")
                for key, text in profiles.DAY_COUNTS.items():
                    counting.addItem(f"days {text.partition(':')[0]}", key)
                counting.setCurrentIndex(counting.findData(batch.day_count))
                counting.setAccessibleName(f"How the days of {batch.name} are counted")
                for box in (regime, counting):
                    box.activated.connect(partial(self._follow, batch, regime, counting))
                    yielding(box).setMinimumWidth(self._theme.px(160))
                grid.addWidget(regime, row + under, 1 - under)
                grid.addWidget(counting, row + under, 2 - under)
                row += 1 + under
        self._following.addLayout(grid)
        if not row:
            self._following.addWidget(label("No batch is set.", "muted"))
        thin = profiles.thin_air(desk.book)
        if thin:
            self._following.addWidget(label(thin, "", "eggs", wrap=True))
        for incubator in desk.book.incubators():
            for warning in conflicts.sharing(desk.book, incubator):
                self._following.addWidget(label(warning, "", "undecided", wrap=True))

    def _follow(self, batch: Batch, regime: Chooser, counting: Chooser, _index: int) -> None:
        count: DayCount = counting.currentData()
        if (regime.currentData(), count) == (batch.regime, batch.day_count):
            return
        try:
            profiles.follow(self._desk, batch, str(regime.currentData()), count)
        except UserError as error:
            notify.tell_error(error)
            self._show_following()
            return
        notify.tell("info", f"{batch.name} is judged by it from its first day on. Ctrl+Z takes it back.")

    def _show_choices(self) -> None:
        clear(self._choices)
        if self.editor.isVisible():
            return
        species = str(self.species.currentData())
        own = profiles.own_profiles(self._desk.book)
        for choice in profiles.choices(self._desk.book, species):
            profile = profiles.start_from(self._desk.book, species, choice.key)
            self._choices.addWidget(self._card(choice, profile, own=choice.key in own))

    def _card(self, choice: profiles.Choice, profile: OwnProfile, *, own: bool) -> QFrame:
        card = QFrame()
        card.setObjectName("card")
        box = QVBoxLayout(card)
        box.setContentsMargins(16, 10, 16, 10)
        box.setSpacing(4)
        head = QHBoxLayout()
        head.setSpacing(16)
        head.addWidget(label(choice.name + (", your own" if own else ""), "name", wrap=True), 1)
        box.addLayout(head)
        links = QHBoxLayout() if self.narrow else head
        if links is not head:
            box.addLayout(links)
        if own:
            stored_id = int(choice.key.removeprefix(profiles.OWN))
            actions = [
                ("Change", partial(self.write_own, profile, stored_id)),
                ("Copy", partial(self.write_own, profile, None)),
                ("Pass on…", partial(self._pass_on, profile)),
                ("Take away", partial(self._remove, stored_id)),
            ]
        else:
            actions = [("Make my own from this", partial(self.write_own, profile, None))]
        for text, action in actions:
            made = button(text, action, "link")
            made.setAccessibleName(f"{text}: {choice.name}")
            links.addWidget(made)
        if links is not head:
            links.addStretch(1)
        box.addWidget(label(self._in_words(profile), "", wrap=True))
        box.addWidget(label(choice.why, "small", wrap=True))
        return card

    def _in_words(self, profile: OwnProfile) -> str:
        parts = []
        before = None
        for stage in profile.stages:
            if stage.humidity is None or (stage.humidity == before and not stage.title):
                continue
            before = stage.humidity
            moist = band_text(stage.humidity.low, stage.humidity.high, "humidity", "%")
            parts.append(f"{stage.title or stage.kind} from day {stage.from_day:g}: {moist}")
        heat = profile.stages[0].temperature_c
        air = band_text(heat.low, heat.high, "temperature", self._desk.book.temperature_unit)
        return f"{air} in moving air; " + ", ".join(parts)

    def write_own(self, profile: OwnProfile, stored_id: int | None) -> None:
        """Begin a profile from another one, or change the one kept under this id."""
        draft = draft_of(profile, self._desk.book.temperature_unit, stored_id)
        self.editor.edit(draft)
        self.editor.show()
        self._show_choices()
        self.editor.name.setFocus()
        # its height is known once it was laid out
        QTimer.singleShot(0, self, self.show_editor)

    def show_editor(self) -> None:
        """Scroll to the profile that is being written."""
        self._area.ensureWidgetVisible(self.editor, 0, 0)

    def _editor_ended(self) -> None:
        self.editor.hide()
        self._show_choices()
        self.species.setFocus()

    def _remove(self, stored_id: int) -> None:
        try:
            profiles.remove_profile(self._desk, stored_id)
        except UserError as error:
            notify.tell_error(error)
            return
        notify.tell("info", "Profile taken away. Ctrl+Z brings it back.")

    def _pass_on(self, profile: OwnProfile) -> None:
        name = f"{profile.name}.stathmis-profile.toml".replace("/", "-")
        chosen, _ = QFileDialog.getSaveFileName(self, "Pass on a profile", str(Path.home() / name), PROFILE_FILES)
        if chosen:
            self.write_to(profile, Path(chosen))

    def write_to(self, profile: OwnProfile, path: Path) -> None:
        """Write a profile to a file to pass on."""
        try:
            profiles.write_out(profile, path)
        except UserError as error:
            notify.tell_error(error)
            return
        notify.tell("info", f"{profile.name} written to {path.name}.")

    def _bring_in(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Bring in a profile", str(Path.home()), PROFILE_FILES)
        if chosen:
            self.bring_in(Path(chosen))

    def bring_in(self, path: Path) -> None:
        """Bring in a profile's file."""
        try:
            found = profiles.bring_in(self._desk, path)
        except UserError as error:
            notify.tell_error(error)
            return
        with QSignalBlocker(self.species):
            self.species.setCurrentIndex(self.species.findData(found.species))
        self._show_choices()
        notify.tell("info", f"{found.name} is among your profiles. Ctrl+Z takes it back.")
