"""Everything the window can do, said once: menus, keys, their map and the line to type in come from here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

from stathmis.ui import language
from stathmis.ui.round_view import EVENT_KEYS
from stathmis.words.catalogue import N_, Spoken, _
from stathmis.words.events import EVENT_KINDS

if TYPE_CHECKING:
    from stathmis.ui.window import Window


@dataclass(frozen=True)
class Command:
    """Something to do or a place to go. menu: where it stands, "" for none; keys: its shortcut; more: other words by
    which it is looked for; group: a line is drawn between groups of a menu; pressed: another widget has its keys;
    checked: whether it is the one in force among several, None for what is done."""

    text: str
    do: Callable[[], object]
    menu: str = ""
    keys: str = ""
    more: str = ""
    group: int = 0
    pressed: bool = False
    checked: bool | None = None


MENUS = Spoken(
    {
        "logbook": N_("Logbook"),
        "edit": N_("Edit"),
        "log": N_("Log"),
        "go": N_("Go"),
        "view": N_("View"),
        "help": N_("Help"),
    }
)
"""The menus in their order."""


def commands(window: Window) -> list[Command]:
    """Every command of a window."""
    return [*_logbook(window), *_edit(window), *_log(window), *_go(window), *_view(window), *_help(window)]


def _logbook(window: Window) -> list[Command]:
    files = window.files
    return [
        Command(_("New logbook …"), files.new, "logbook", "Ctrl+Shift+N", _("create file")),
        Command(_("Open a logbook …"), files.open, "logbook", "Ctrl+O", _("file")),
        Command(_("Open the demo"), files.demo, "logbook", more=_("example try")),
        Command(
            _("Backups: what each holds, go back to one"),
            partial(window.show_place, "backups"),
            "logbook",
            "Ctrl+Shift+B",
            _("restore copy"),
            group=1,
        ),
        Command(
            _("Bring in a logger file"), partial(window.show_place, "bring_in"), "logbook", "Ctrl+B", _("CSV import"), 2
        ),
        Command(
            _("From paper: type back what was written"),
            partial(window.show_place, "written"),
            "logbook",
            "Ctrl+Shift+W",
            _("pencil card sheet readings"),
            group=2,
        ),
        Command(_("Print this page …"), window.print_page, "logbook", "Ctrl+P", _("paper pdf preview"), 2),
        Command(
            _("Print the card of this batch …"),
            partial(window.print_paper, "card"),
            "logbook",
            "Ctrl+Shift+C",
            _("paper pdf machine calendar"),
            group=2,
        ),
        Command(
            _("Print the sheet of a round …"),
            partial(window.print_paper, "round"),
            "logbook",
            more=_("paper pdf walk columns"),
            group=2,
        ),
        Command(
            _("Print the brooder's card …"),
            partial(window.print_paper, "brooder"),
            "logbook",
            more=_("paper pdf chicks weeks warm"),
            group=2,
        ),
        Command(
            _("Print labels for trays and boxes …"),
            partial(window.print_paper, "labels"),
            "logbook",
            more=_("paper pdf clutch cut out"),
            group=2,
        ),
        Command(
            _("Practise: lessons and free runs"),
            partial(window.show_place, "practise"),
            "logbook",
            "Ctrl+Shift+P",
            _("train learn game simulate"),
            group=2,
        ),
        Command(_("Close Stathmis"), window.close, "logbook", "Ctrl+Q", _("quit exit"), 3),
    ]


def _edit(window: Window) -> list[Command]:
    return [
        Command(_("Undo"), window.undo, "edit", "Ctrl+Z", _("take back")),
        Command(_("Redo"), window.redo, "edit", "Ctrl+Shift+Z", _("again")),
        Command(_("Find or do …"), window.find_or_do, "edit", "Ctrl+K", _("search command"), 1),
        Command(
            _("What was changed: every edit, and take it back"),
            partial(window.show_place, "changes"),
            "edit",
            "Ctrl+H",
            _("history undo"),
            group=1,
        ),
    ]


def _log(window: Window) -> list[Command]:
    errands = window.errands
    events = [
        Command(text, partial(errands.log_done, kind), "log", EVENT_KEYS[kind], "log", pressed=True)
        for kind, text in EVENT_KINDS.items()
    ]
    return [
        *events,
        Command(_("Power cut …"), errands.power_cut, "log", more=_("log electricity off")),
        Command(
            _("The next task on Round is done"), window.pages.round.today.tick_next, "log", "F4", _("tick"), group=1
        ),
    ]


def _go(window: Window) -> list[Command]:
    page, place, errands = window.show_page, window.show_place, window.errands
    return [
        Command(_("Round"), partial(page, "round"), "go", "Ctrl+1", _("read log readings today")),
        Command(_("Trace"), partial(page, "trace"), "go", "Ctrl+2", _("chart curve graph")),
        Command(_("Moisture"), partial(page, "moisture"), "go", "Ctrl+3", _("weigh weights loss humidity")),
        Command(_("Water and vents"), window.errands.show_water, "go", more=_("moisture trough mix surface")),
        Command(_("Eggs: the tray, candling"), partial(page, "eggs"), "go", "Ctrl+4", _("candle")),
        Command(_("Hatch: may I open, what came of it"), partial(page, "hatch"), "go", "Ctrl+5", _("pip chicks")),
        Command(_("The next two days on Round"), errands.ahead, "go", "Ctrl+Shift+A", _("forecast fan future coming")),
        Command(_("Try it first"), partial(place, "try"), "go", "Ctrl+J", _("what if forecast twin change future")),
        Command(_("Next incubator"), partial(window.step_incubator, 1), "go", "Ctrl+PgDown", group=1),
        Command(_("Incubator before"), partial(window.step_incubator, -1), "go", "Ctrl+PgUp", group=1),
        Command(
            _("Instruments"), partial(place, "instruments"), "go", "Ctrl+I", _("check calibrate thermometer drawer"), 2
        ),
        Command(_("Live probes"), partial(place, "live"), "go", "Ctrl+L", _("serial usb sensor"), 2),
        Command(
            _("Planner: days and steps of every batch"),
            partial(place, "planner"),
            "go",
            "Ctrl+D",
            _("calendar schedule plan dates"),
            group=3,
        ),
        Command(
            _("Your way: how it is done, schools and own profiles"),
            partial(place, "way"),
            "go",
            "Ctrl+Shift+Y",
            _("regime profile species humidity turning"),
            group=3,
        ),
        Command(_("Records: all batches, reviews"), partial(place, "records"), "go", "Ctrl+R", _("rates season"), 4),
        Command(
            _("Enter or change"),
            partial(place, "enter"),
            "go",
            "Ctrl+N",
            _("new batch set eggs instrument incubator altitude name"),
            group=4,
        ),
        Command(_("Leave, back to the round"), window.leave, "go", "Esc", group=5),
    ]


def _view(window: Window) -> list[Command]:
    theme = window.theme
    return [
        Command(_("Big figures on the whole screen"), window.show_big, "view", "F11", _("far full screen cellar")),
        Command(_("°C or °F"), window.switch_unit, "view", "F2", _("unit celsius fahrenheit")),
        Command(_("Light, dark, or as the system"), window.switch_theme, "view", "F3", _("theme colors night"), 1),
        Command(_("More contrast, or less"), theme.switch_contrast, "view", more=_("high contrast eyes"), group=1),
        Command(_("Larger text"), lambda: theme.enlarge(1), "view", "Ctrl++", _("zoom size"), 1),
        Command(_("Smaller text"), lambda: theme.enlarge(-1), "view", "Ctrl+-", _("zoom size"), 1),
        Command(
            _("An icon in the desktop's tray, or none"), window.switch_tray, "view", "Ctrl+T", _("notification"), 2
        ),
        *(
            Command(
                name, partial(window.speak, key), "view", more=_("language"), group=3, checked=key == language.wanted()
            )
            for key, name in {language.SYSTEM: _("Language: as the system"), **language.names()}.items()
        ),
    ]


def _help(window: Window) -> list[Command]:
    return [
        Command(_("The guide, at this page"), window.show_guide, "help", "F1", _("help manual how")),
        Command(_("The map of keys"), window.show_keys, "help", "Shift+F1", _("shortcuts keyboard")),
    ]
