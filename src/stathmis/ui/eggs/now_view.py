"""The hatch under way: what has come so far, quiet countdowns, may I open, and what came of the batch in numbers."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PySide6.QtWidgets import QGridLayout, QWidget

from stathmis.core.course.way import Opened
from stathmis.core.units import count_typed
from stathmis.services import clock, knowledge
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.eggs import findings, hatching, tray
from stathmis.services.eggs.hatch_course import HatchCourse, hatch_course
from stathmis.services.eggs.hatching import Hatching
from stathmis.services.eggs.outcome import outcome_lines, rate_words
from stathmis.services.eggs.tray import TraySheet
from stathmis.services.plan import lockdown, planning
from stathmis.ui.eggs.hatch_picture import HatchPicture
from stathmis.ui.eggs.lid_curve import LidCurve
from stathmis.ui.interval_bar import IntervalBar
from stathmis.ui.kit.attempt import attempt, emptied
from stathmis.ui.kit.fields import Chooser, field
from stathmis.ui.kit.lines import Lines, Said, StrikeList
from stathmis.ui.kit.page import Page, column, holder, row
from stathmis.ui.kit.pieces import button, label, problem_label, set_property, set_text
from stathmis.ui.theme import Theme
from stathmis.ui.work import Latest
from stathmis.words import clutch as clutch_words
from stathmis.words import dates, typed
from stathmis.words import hatch as hatch_words
from stathmis.words.catalogue import N_, Spoken, _, midway
from stathmis.words.eggs.ready import ready
from stathmis.words.pages import empty

RATES = (N_("fertile of those judged"), N_("hatched of set"), N_("hatched of fertile"))
ANSWERS = Spoken(
    {"no": N_("Keep it shut."), "better not": N_("Better keep it shut."), "quickly": N_("Quickly."), "yes": N_("Yes.")}
)


class NowView(Page):
    """The hatch of the batch in view."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(theme, 860)
        self.desk = desk
        self.course: Course | None = None
        self.sheet: TraySheet | None = None
        self.found: Hatching | None = None
        self._latest = Latest()
        self._none = label(empty("hatch"), "muted", wrap=True)
        self.page.addWidget(self._none)
        self.picture = HatchPicture(theme)
        self.page.addWidget(self.picture)
        left, right = self.columns(1, 1)
        self.page.addStretch(1)
        self.school = Chooser(
            _("Whether the lid is opened during the hatch"),
            [(midway(text.partition(":")[0]), key) for key, text in hatching.OPEN_SCHOOLS.items()],
            picked=self._choose_school,
            yielding=True,
        )
        theme.fit(self.school, MinimumWidth=264)
        self.school.setMinimumContentsLength(max(len(self.school.itemText(i)) for i in range(self.school.count())))
        self._may = label(_("May I open?"), "heading")
        left.addLayout(row(self._may, 1, self.school))
        self.answer = label("", "big")
        self.why = label("", "muted", wrap=True)
        left.addWidget(self.answer)
        left.addWidget(self.why)
        self.curve = LidCurve(theme)
        left.addWidget(self.curve)
        self._lines = Lines(left)
        left.addWidget(self._counting())
        left.addStretch(1)
        right.addWidget(label(_("What came of it"), "heading"))
        rates = QGridLayout()
        rates.setColumnStretch(1, 1)
        rates.setHorizontalSpacing(12)
        self._rates = [label(), label(), label()]
        self._bars = [IntervalBar(theme) for _rate in RATES]
        for i, name in enumerate(_(r) for r in RATES):
            rates.addWidget(label(name, "muted"), i, 0)
            rates.addWidget(self._bars[i], i, 1)
            rates.addWidget(self._rates[i], i, 2)
        right.addLayout(rates)
        self._outcome = Lines(right)
        self._ready_title = label(_("Ready before the first chick"), "name")
        right.addWidget(self._ready_title)
        self._ready = Lines(right)
        right.addStretch(1)

    def _choose_school(self, school: Opened) -> None:
        """The lid is held otherwise: that is the way of this batch from now on."""
        if self.course is not None:
            plan = planning.plan_of(self.desk.book, self.course.batch)
            planning.change_way(self.desk, plan, replace(plan.way, opening=school))

    def _counting(self) -> QWidget:
        """Counts for a keeper who does not mark eggs."""
        self.count = field(_("How many"), _("count"), width=(self.theme, 84), entered=self.log_count)
        self.kind = Chooser(_("What is counted"), yielding=True)
        self.at = field(_("When; empty means now"), typed.own("now"), entered=self.log_count)
        fields = row(self.count, self.kind, self.at, button(_("Log it"), self.log_count))
        self.problem = problem_label()
        self._counted = StrikeList(partial(findings.strike, self.desk))
        self._count_card = holder(column(label(_("By counts"), "name"), fields, self.problem, self._counted), top=8)
        return self._count_card

    def show_course(self, course: Course | None) -> None:
        """Show the hatch of a batch; what the log says of the lid comes when it is read."""
        fresh = course is None or self.course is None or course.batch.id != self.course.batch.id
        self.course = course
        self._none.setVisible(course is None)
        if fresh:
            for shown in (self.picture, self.curve, self._ready_title):
                shown.hide()
            self._ready.say([])
        if course is None:
            return
        if self.kind.property("for") != course.species.kind:
            self.kind.setProperty("for", course.species.kind)
            groups = ("hatch", "young", "after", "candling")
            self.kind.offer([(one.word, one.key) for g in groups for one in findings.offered(course, g)], "out")
        self.sheet = sheet = tray.tray(self.desk.book, course.batch)
        self._count_card.setVisible(not sheet.eggs)
        clutch = course.species.kind == "reptile"
        set_text(self._may, _("May I air the box?") if clutch else _("May I open?"))
        self.school.setVisible(not clutch)
        self.school.choose(hatching.open_school(self.desk.book, course))
        self._show_rates(sheet)
        self._show_counted(sheet)
        book = self.desk.book
        self._latest.find(
            lambda: (hatching.hatching(book, course, sheet), hatch_course(book, course, sheet)), self._arrived
        )

    def _arrived(self, both: tuple[Hatching, HatchCourse]) -> None:
        found, along = both
        if self.course is None or found.course.batch.id != self.course.batch.id:
            return
        self.found = found
        book, clutch = self.desk.book, found.course.species.kind == "reptile"
        answer, why = (
            clutch_words.may_open() if clutch else hatching.may_open(found, hatching.open_school(book, found.course))
        )
        self.picture.show_course(book, along)
        if not clutch:
            self.curve.show_hatching(found)
        open_now = [r for r in along.ready if not r.done] if found.course.batch.ended_ms is None else []
        self._ready_title.setVisible(bool(open_now))
        self._ready.say([ready(book, one) for one in along.ready] if open_now else [])
        self.answer.setText(ANSWERS[answer])
        self.why.setText(why)
        under_way = clutch_words.under_way(book, found, self.sheet) if clutch and self.sheet else None
        lines: list[Said] = [*(hatching.lines(book, found) if under_way is None else under_way)]
        if not clutch and found.first_pip_ms is not None and found.course.batch.ended_ms is None:
            plan = planning.plan_of(self.desk.book, found.course.batch)
            left = hatch_words.forgotten(lockdown.forgotten(self.desk.book, plan))
            lines = [(left, "name", "undecided"), *lines] if left else lines
        if found.course.species.kind == "bird" and (found.pipped or found.first_out_ms is not None):
            lines += [(line, "muted") for line in hatching.help_out(self.desk.book, found)]
        self._lines.say(lines)

    def _show_rates(self, sheet: TraySheet) -> None:
        tally = sheet.tally
        decided = tally.hatched > 0 or sheet.batch.ended_ms is not None
        for i, rate in enumerate((tally.fertility, tally.hatch_of_set, tally.hatch_of_fertile)):
            told = decided or i == 0
            set_property(self._rates[i], "role", "name" if told else "muted")
            set_text(self._rates[i], rate_words(rate) if told else _("not yet"))
            share = rate.share if told else float("nan")
            self._bars[i].show_share(_(RATES[i]), share, rate.low, rate.high, self._rates[i].text())
        self._outcome.say(outcome_lines(sheet))

    def _show_counted(self, sheet: TraySheet) -> None:
        kind = self.course.species.kind if self.course is not None else "bird"
        book, kinds = self.desk.book, knowledge.findings(kind)
        newest = reversed(sheet.counted[-6:])
        lines = [(dates.moment(book.local(f.time_ms)), f"{f.count} {kinds[f.kind].word}", f) for f in newest]
        self._counted.show_lines(lines, self.theme.px(96))

    def log_count(self) -> None:
        """Log so many at once."""
        course = self.course
        if course is None:
            return

        def action() -> str:
            with emptied(self.count, self.at) as (typed, when):
                at = clock.parse_moment(when, self.desk.now_ms, self.desk.book.zone)
                n = count_typed(typed) or 0
                findings.log_count(self.desk, course, self.kind.currentData(), n, at)
                return _("{n} {kind}: logged.", n=n, kind=self.kind.currentText())

        attempt(self.problem, action)
