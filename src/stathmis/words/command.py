"""What the command line says."""

from __future__ import annotations

from collections.abc import Sequence

from stathmis.words.catalogue import N_, Spoken, _
from stathmis.words.numbers import count, unit_word

HELP = Spoken(
    {
        "commands": N_("What can be done without a window; without a command, the window opens."),
        "codes": N_(
            "Exit codes: 0 done, 1 something is amiss, 2 wrong command or value, 3 the logbook cannot be opened."
        ),
        "log": N_("Log what an instrument shows, as it would be typed on Round."),
        "import": N_("Bring a logger's file in, read as files like it were before."),
        "export": N_("Write readings (.csv), the plans (.ics) or the whole logbook (.zip)."),
        "now": N_("Say how every machine stands and what is due."),
        "check": N_("Check that the file still is as it was written."),
        "report": N_("Write the report of a batch (.pdf or .html)."),
        "instrument": N_("its name, or how it begins"),
        "value": N_("such as 37.4, 99.3F or 48%%; the temperature first"),
        "--at": N_("such as 08:10 or 'yesterday 21:30'; now by default"),
        "--batch": N_("which one; the newest by default"),
        "--json": N_("as named figures: °C, %% RH, U at 95 %%, UTC"),
        "--logbook": N_("which one; the keeper's own by default"),
        "--now": N_("pretend it is this time, such as 2026-05-18T08:40 (UTC)"),
    }
)


def help_of(name: str) -> str:
    """What a command, or one of its parts, is for."""
    return _(HELP[name])


def no_instrument(name: str, known: Sequence[str]) -> tuple[str, str]:
    """No instrument is called so, or several are."""
    listed = ", ".join(known) or _("none is entered")
    return _("No instrument is called “{name}”.", name=name), _("There are: {listed}.", listed=listed)


def which_channel(name: str, typed: str) -> tuple[str, str]:
    """A bare number for an instrument that shows two quantities."""
    return (
        _("{name} shows temperature and humidity: which is {typed}?", name=name, typed=typed),
        _("Write its unit behind it, such as 37.4C or 48%, or give both."),
    )


def too_many(name: str, channels: int) -> tuple[str, str]:
    """More numbers than an instrument shows."""
    return (
        _("{name} shows {shown}.", name=name, shown=count(channels, "{n} value", "{n} values")),
        _("Give one number for each, the temperature first."),
    )


def wrong_value(name: str, problem: str, offer: str) -> tuple[str, str]:
    """What is wrong with a typed number, and how to write it."""
    return _("{name}: {problem}", name=name, problem=problem), _("Write {offer}.", offer=offer) if offer else ""


def logged(name: str, shown: Sequence[tuple[str, str]], when: str) -> str:
    """What was logged; shown: number and unit of each."""
    values = ", ".join(f"{typed} {unit_word(unit)}" for typed, unit in shown)  # type: ignore[arg-type]
    return _("{name}: {values} logged, {when}.", name=name, values=values, when=when)


def brought_in(file: str, good: int, duplicate: int, bad: int) -> str:
    """What became of a file."""
    rows = count(good, "{n} row", "{n} rows")
    left = _("{duplicate} there already, {bad} left out", duplicate=f"{duplicate:,}".replace(",", " "), bad=bad)
    return _("{file}: {rows} brought in, {left}.", file=file, rows=rows, left=left)


def ask_in_window() -> str:
    """A file whose columns leave a question."""
    return _("Bring such a file in once in the window; files like it are then read the same way.")


def no_batch(name: str) -> tuple[str, str]:
    """No batch is called so."""
    return (
        _("No batch is called “{name}”.", name=name) if name else _("There is no batch."),
        _("Name one as it stands on its page."),
    )


def suffix(file: str, known: Sequence[str]) -> tuple[str, str]:
    """A file to write whose ending does not say what it is to be."""
    return _("What is {file} to be?", file=file), _("Its ending says it: {known}.", known=", ".join(known))


def held() -> tuple[str, str]:
    """A window has the logbook and does not answer."""
    return (
        _("A window has this logbook open, and it does not answer."),
        _("Nothing was written. Try again in a moment, or close the window."),
    )


def told_in_window(said: str) -> str:
    """What the window tells of a command."""
    return _("From the command line: {said} Ctrl+Z takes it back.", said=said)


def other_version() -> str:
    """The window is of another version than the command."""
    return _("The window is another version of Stathmis: close it and open it again.")


def written(file: str, rows: int) -> str:
    """A file of readings was written."""
    return _("{readings} written to {file}.", readings=count(rows, "{n} reading", "{n} readings"), file=file)
