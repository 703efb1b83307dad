"""Your way: what each batch follows and how it is done, the schools with their reasons, and profiles of one's own."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cached_property
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, QTimer
from PySide6.QtWidgets import QFileDialog, QFrame, QPushButton, QWidget

from stathmis.core.course.profile import DayCount, OwnProfile
from stathmis.core.errors import UserError
from stathmis.logbook.records import Batch, Delivery
from stathmis.logbook.snapshot import SETTINGS
from stathmis.services import notify
from stathmis.services.batch import batches, own_species, profiles
from stathmis.services.batch.profile_draft import draft_of
from stathmis.services.batch.species import OWN, species_offered
from stathmis.services.desk import Desk
from stathmis.services.plan import conflicts
from stathmis.ui.delivery_card import DeliveryCard
from stathmis.ui.kit.fields import Chooser
from stathmis.ui.kit.lines import Lines, Pool, Said
from stathmis.ui.kit.page import Page, column, put, row
from stathmis.ui.kit.pieces import button, label, say, set_text
from stathmis.ui.profile_editor import ProfileEditor
from stathmis.ui.species_editor import SpeciesEditor
from stathmis.ui.theme import Theme
from stathmis.ui.way_card import WayCard
from stathmis.words.catalogue import Sentence, _
from stathmis.words.numbers import band_text
from stathmis.words.pages import empty

PROFILE_FILES = Sentence("Profiles (*.stathmis-profile.toml *.toml)")


class _Following(QWidget):
    """A batch, what it follows, and how its days are counted."""

    def __init__(self, view: WayView) -> None:
        super().__init__()
        self._view = view
        self._batch: Batch | None = None
        self._words = label("", wrap=True)
        self.regime = Chooser(picked=self._picked, yielding=True)
        counts = [
            (_("days {partition}", partition=text.partition(":")[0]), key) for key, text in profiles.DAY_COUNTS.items()
        ]
        self.counting = Chooser(options=counts, picked=self._picked, yielding=True)
        for box in (self.regime, self.counting):
            view.theme.fit(box, MinimumWidth=160)
        self._line = row((self._words, 1), row(self.regime, self.counting))
        put(self, self._line)

    def show_batch(self, batch: Batch, words: str, choices: list[profiles.Choice], *, narrow: bool) -> None:
        self._batch = batch
        set_text(self._words, words)
        self._line.setDirection(row().direction() if not narrow else column().direction())
        offered = [(c.name, c.key) for c in choices]
        if [self.regime.itemText(i) for i in range(self.regime.count())] != [name for name, _ in offered]:
            self.regime.offer(offered)
        self.regime.choose(batch.regime)
        self.counting.choose(batch.day_count)
        self.regime.setAccessibleName(_("What {batch} follows", batch=batch.name))
        self.counting.setAccessibleName(_("How the days of {batch} are counted", batch=batch.name))

    def _picked(self, _what: object) -> None:
        if self._batch is not None:
            self._view.follow(self._batch, str(self.regime.currentData()), self.counting.currentData())


class _ProfileCard(QFrame):
    """A school or a profile of one's own: what it asks, why, and what can be done with it."""

    def __init__(self, view: WayView) -> None:
        super().__init__()
        self.setObjectName("card")
        self._profile: OwnProfile | None = None
        self._stored_id: int | None = None
        self._name, self._words, self._why = (
            label("", "name", wrap=True),
            label(wrap=True),
            label("", "small", wrap=True),
        )

        def link(text: str, action: Callable[[OwnProfile, int | None], object]) -> QPushButton:
            return button(text, lambda: self._profile and action(self._profile, self._stored_id), "link")

        self._own = (
            link(_("Change"), view.write_own),
            link(_("Copy"), lambda profile, _stored: view.write_own(profile, None)),
            link(_("Pass on…"), lambda profile, _stored: view.pass_on(profile)),
            link(_("Take away"), lambda _profile, stored: view.remove(stored)),
        )
        self._school = link(_("Make my own from this"), lambda profile, _stored: view.write_own(profile, None))
        self._head = row((self._name, 1), row(*self._own, self._school, spacing=16), spacing=16)
        self._warning = label("", "small", "undecided", wrap=True)
        box = column(self._head, self._words, self._why, self._warning, spacing=4)
        box.setContentsMargins(16, 10, 16, 10)
        self.setLayout(box)

    def show_choice(self, choice: profiles.Choice, profile: OwnProfile, words: str, *, own: bool, narrow: bool) -> None:
        self._profile = profile
        self._stored_id = int(choice.key.removeprefix(profiles.OWN)) if own else None
        self._head.setDirection(row().direction() if not narrow else column().direction())
        set_text(self._name, choice.name + (_(", your own") if own else ""))
        set_text(self._words, words)
        set_text(self._why, choice.why)
        say(self._warning, choice.warning)
        for made in (*self._own, self._school):
            made.setVisible(own == (made is not self._school))
            made.setAccessibleName(f"{made.text()}: {choice.name}")


class WayView(Page):
    """What batches follow, and what there is to follow."""

    rests_on = frozenset[type | str]({*batches.COURSES_REST_ON, Delivery, SETTINGS})

    def __init__(self, desk: Desk, theme: Theme, in_view: Callable[[], int | None] = lambda: None) -> None:
        """in_view: the incubator the keeper comes from, by its id."""
        super().__init__(theme, 880)
        self._desk, self._in_view = desk, in_view
        self._built_narrow = False
        self.page.addWidget(label(_("Your way"), "title"))
        when = ((_("from now on"), False), (_("from the first day"), True))
        self.since = Chooser(_("From when on a change counts"), when)
        top = self.folding_row(12)
        top.addWidget(label(_("What the batches follow"), "heading"))
        top.addStretch(1)
        top.addWidget(label(_("changes count"), "muted"))
        top.addWidget(self.since)
        self.page.addLayout(top)
        self._following = Pool(self.page, lambda: _Following(self))
        self._warnings = Lines(self.page, "muted")
        self._way_room, self._delivery_room = column(), column()
        self.page.addLayout(self._way_room)
        self.page.addLayout(self._delivery_room)
        self.species = Chooser(_("Species"), species_offered(desk.book), changed=lambda _species: self._show_choices())
        head = self.folding_row(12)
        head.addWidget(label(_("What there is to follow"), "heading", wrap=True))
        head.addWidget(self.species)
        self._another = button(_("A species of your own…"), lambda: self._write_species(copy=True), "link")
        self._change = button(_("Change it"), lambda: self._write_species(copy=False), "link")
        self._away = button(_("Take it away"), self._remove_species, "link")
        for link in (self._change, self._away, self._another):
            head.addWidget(link)
        head.addStretch(1)
        head.addWidget(button(_("Bring in a profile file…"), self._bring_in))
        self.page.addLayout(head)
        self._species_room = column()
        self.page.addLayout(self._species_room)
        self._choices = Pool(self.page, lambda: _ProfileCard(self))
        self.editor = ProfileEditor(desk, theme)
        self.editor.hide()
        self.editor.ended.connect(self._editor_ended)
        self.page.addWidget(self.editor)
        self.page.addStretch(1)

    def ready(self) -> Iterator[None]:
        """Make its parts, each in a step of its own."""
        for part in ("way", "delivery"):
            getattr(self, part)
            yield

    @cached_property
    def way(self) -> WayCard:
        """How a batch is kept."""
        made = WayCard(self._desk, self.theme, self.since)
        made.turned.connect(self._show_delivery)
        self._way_room.addWidget(made)
        return made

    @cached_property
    def delivery(self) -> DeliveryCard:
        """Its eggs as they came."""
        made = DeliveryCard(self._desk, self.theme)
        self._delivery_room.addWidget(made)
        return made

    @cached_property
    def species_editor(self) -> SpeciesEditor:
        """Where a species of one's own is written; made when the first one is."""
        made = SpeciesEditor(self._desk, self.theme)
        made.fold(narrow=self.narrow)
        made.hide()
        made.ended.connect(self._species_ended)
        self._species_room.addWidget(made)
        return made

    def fold(self) -> bool:
        """Rows of a narrow page stand one under the other."""
        changed = super().fold() or self.narrow != self._built_narrow
        if changed:
            self.editor.fold(narrow=self.narrow)
            if "species_editor" in self.__dict__:
                self.species_editor.fold(narrow=self.narrow)
            self.refresh()
        return changed

    def begin(self) -> None:
        """Come in at the species of the batch in hand."""
        courses = [c for i in self._desk.book.incubators() for c in batches.all_running(self._desk.book, i)]
        if courses:
            course = next((c for c in courses if c.incubator.id == self._in_view()), courses[0])
            self.species.choose(course.batch.species)
            self.way.turn_to(f"batch {course.batch.id}")
        self.species.setFocus()

    def leave(self) -> bool:
        """Esc leaves the profile that is being written first."""
        if "species_editor" in self.__dict__ and self.species_editor.isVisible():
            self._species_ended("")
            return True
        if not self.editor.isVisible():
            return False
        self.editor.give_up()
        return True

    def _write_species(self, *, copy: bool) -> None:
        """Begin a species of one's own from the one in view, or change it."""
        self.species_editor.begin(str(self.species.currentData()), copy=copy)
        self.species_editor.show()
        self.species_editor.name.setFocus()
        QTimer.singleShot(0, self, lambda: self.area.ensureWidgetVisible(self.species_editor, 0, 0))

    def _species_ended(self, key: str) -> None:
        self.species_editor.hide()
        self.refresh()
        if key:
            self.species.choose(key)
        self.species.setFocus()

    def _remove_species(self) -> None:
        try:
            own_species.remove(self._desk, int(str(self.species.currentData()).removeprefix(OWN)))
        except UserError as error:
            notify.tell_error(error)
            return
        notify.tell("info", _("Species taken away. Ctrl+Z brings it back."))

    def refresh(self) -> None:
        """Show the logbook as it stands; a profile being written stays as it is."""
        self._built_narrow = self.narrow
        self._show_following()
        self.way.refresh(narrow=self.narrow)
        self._show_delivery()
        self._show_choices()
        self.editor.refresh()

    def _show_delivery(self) -> None:
        self.delivery.show_plan(self.way.plan, narrow=self.narrow)

    def _show_following(self) -> None:
        book = self._desk.book
        courses = [c for i in book.incubators() for c in batches.all_running(book, i)]
        for shown, course in zip(self._following.show(len(courses)), courses, strict=True):
            words = f"{course.batch.name}, {course.incubator.name}, {course.day_text(self._desk.now_ms)}"
            choices = profiles.choices(book, course.batch.species)
            shown.show_batch(course.batch, words, choices, narrow=self.narrow)
        lines: list[Said] = [] if courses else [empty("way")]
        thin = profiles.thin_air(book)
        lines += [(thin, "", "eggs")] if thin else []
        lines += [(warning, "", "undecided") for i in book.incubators() for warning in conflicts.sharing(book, i)]
        self._warnings.say(lines)

    def follow(self, batch: Batch, regime: str, count: DayCount) -> None:
        """Let a batch follow a school or profile, its days counted so."""
        if (regime, count) == (batch.regime, batch.day_count):
            return
        whole = bool(self.since.currentData())
        try:
            profiles.follow(self._desk, batch, regime, count, whole=whole)
        except UserError as error:
            notify.tell_error(error)
            self._show_following()
            return
        since = _("from its first day on") if whole else _("from now on")
        notify.tell("info", _("Judged by it {since}: {batch}. Ctrl+Z takes it back.", since=since, batch=batch.name))

    def _show_choices(self) -> None:
        book = self._desk.book
        self.species.keep(species_offered(book))
        species = str(self.species.currentData())
        for link in (self._change, self._away):
            link.setVisible(species.startswith(OWN))
        own = profiles.own_profiles(book)
        found = profiles.choices(book, species) if self.editor.isHidden() else []
        for card, choice in zip(self._choices.show(len(found)), found, strict=True):
            profile = profiles.start_from(book, species, choice.key)
            words = self._in_words(profile)
            card.show_choice(choice, profile, words, own=choice.key in own, narrow=self.narrow)

    def _in_words(self, profile: OwnProfile) -> str:
        parts = []
        before = None
        for stage in profile.stages:
            if stage.humidity is None or (stage.humidity == before and not stage.title):
                continue
            before = stage.humidity
            moist = band_text(stage.humidity.low, stage.humidity.high, "humidity", "%")
            parts.append(
                _(
                    "{title} from day {from_day:g}: {moist}",
                    title=stage.title or _(stage.kind),
                    from_day=stage.from_day,
                    moist=moist,
                )
            )
        heat = profile.stages[0].temperature_c
        air = band_text(heat.low, heat.high, "temperature", self._desk.book.temperature_unit)
        return _("{air} in moving air; ", air=air) + ", ".join(parts)

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
        self.area.ensureWidgetVisible(self.editor, 0, 0)

    def _editor_ended(self) -> None:
        self.editor.hide()
        self._show_choices()
        self.species.setFocus()

    def remove(self, stored_id: int | None) -> None:
        """Take a profile of one's own away."""
        if stored_id is None:
            return
        try:
            profiles.remove_profile(self._desk, stored_id)
        except UserError as error:
            notify.tell_error(error)
            return
        notify.tell("info", _("Profile taken away. Ctrl+Z brings it back."))

    def pass_on(self, profile: OwnProfile) -> None:
        """Ask where a profile goes, and write it there."""
        name = f"{profile.name}.stathmis-profile.toml".replace("/", "-")
        chosen, _kind = QFileDialog.getSaveFileName(
            self, _("Pass on a profile"), str(Path.home() / name), PROFILE_FILES()
        )
        if chosen:
            self.write_to(profile, Path(chosen))

    def write_to(self, profile: OwnProfile, path: Path) -> None:
        """Write a profile to a file to pass on."""
        try:
            profiles.write_out(profile, path)
        except UserError as error:
            notify.tell_error(error)
            return
        notify.tell("info", _("{profile} written to {path}.", profile=profile.name, path=path.name))

    def _bring_in(self) -> None:
        chosen, _kind = QFileDialog.getOpenFileName(self, _("Bring in a profile"), str(Path.home()), PROFILE_FILES())
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
            self.species.choose(found.species)
        self._show_choices()
        notify.tell("info", _("{found} is among your profiles. Ctrl+Z takes it back.", found=found.name))
