"""A command that writes is handed over to the window that has the logbook open, on a local socket in the user's own
runtime folder: one line of JSON there, one back. Nothing listens on a network, and nobody else may open the socket.
"""

from __future__ import annotations

import hashlib
import json
import logging
import os
import socket
import struct
import threading
import warnings
from collections.abc import Callable
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

import platformdirs

import stathmis
from stathmis.core.errors import UserError
from stathmis.services.desk import Desk
from stathmis.words import command as words

if TYPE_CHECKING:
    from stathmis.services.command.verbs import Verb

log = logging.getLogger(__name__)

MOST_BYTES = 65_536
"""No request and no answer is longer."""
TURN_S = 0.25
PATIENCE_S = 5.0
"""So long one waits for the other's line."""
ANSWER_S = 120.0
"""So long for an answer: an import may take its time."""


def socket_path(logbook: Path) -> Path:
    """Where the window of a logbook listens, whatever name the logbook is opened by."""
    name = hashlib.sha256(os.fsencode(logbook.resolve())).hexdigest()[:16]
    with warnings.catch_warnings():
        # a session without a runtime folder has one of its own under the temporary ones
        warnings.simplefilter("ignore")
        return Path(platformdirs.user_runtime_dir("stathmis")) / f"{name}.sock"


def ask(logbook: Path, verb: Verb) -> str | None:
    """Hand a command over; what was done, in words, or None where no window listens for this logbook.

    Raises UserError for what the window refused, and where it does not answer.
    """
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as link:
        link.settimeout(PATIENCE_S)
        try:
            link.connect(str(socket_path(logbook)))
        except OSError:
            return None
        from stathmis.services.command.verbs import VERBS

        name = next(n for n, kind in VERBS.items() if isinstance(verb, kind))
        try:
            link.sendall(_line({"version": stathmis.__version__, "verb": name, **asdict(verb)}))
            link.settimeout(ANSWER_S)
            answer = json.loads(_read(link))
            refused, said = bool(answer["refused"]), str(answer["said"])
        except (OSError, ValueError, KeyError, TypeError) as error:
            raise UserError(*words.held()) from error
    if refused:
        raise UserError(said)
    return said


class Listener:
    """Takes commands for the logbook a window has open, on a thread of its own, as long as it is entered.

    told: what was done, for the window to say; called on the listener's thread.
    """

    def __init__(self, desk: Desk, told: Callable[[str], None]) -> None:
        self._desk, self._told = desk, told
        self._stop = threading.Event()
        self._path = socket_path(desk.logbook.path)
        self._socket: socket.socket | None = None
        self._thread = threading.Thread(target=self._run, daemon=True, name="commands")

    def __enter__(self) -> Listener:
        """Begin to listen; where that cannot be, commands are refused in words by the logbook's own lock."""
        if self._desk.read_only:
            return self
        made = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            if self._path.parent.stat().st_uid != os.getuid():
                raise PermissionError(self._path.parent)
            self._path.parent.chmod(0o700)
            # whoever holds the logbook may: one left behind belongs to a window that was killed
            self._path.unlink(missing_ok=True)
            made.bind(str(self._path))
            self._path.chmod(0o600)
            made.listen(8)
            made.settimeout(TURN_S)
        except OSError as error:
            log.warning("no commands: %s", error)
            made.close()
            return self
        self._socket = made
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        """Listen no longer; what is under way is finished."""
        self._stop.set()
        if self._socket is None:
            return
        self._thread.join(timeout=ANSWER_S)
        self._socket.close()
        with suppress(OSError):
            self._path.unlink()

    def _run(self) -> None:
        assert self._socket is not None
        while not self._stop.is_set():
            try:
                link, _address = self._socket.accept()
            except TimeoutError:
                continue
            except OSError as error:
                log.warning("command lost: %s", error)
                self._stop.wait(TURN_S)
                continue
            with link:
                try:
                    link.settimeout(PATIENCE_S)
                    self._answer(link)
                except Exception as error:  # noqa: BLE001  a thread that ends quietly would take no more commands
                    # whoever asked went away, or sent what no command sends
                    log.warning("command dropped: %s", error)

    def _answer(self, link: socket.socket) -> None:
        _pid, uid, _gid = struct.unpack("3i", link.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, 12))
        if uid != os.getuid():
            return
        asked = json.loads(_read(link))
        if asked.pop("version", "") != stathmis.__version__:
            link.sendall(_line({"refused": True, "said": words.other_version()}))
            return
        # what commands need is read in with the first of them: most windows never hear one
        from stathmis.services.command.verbs import VERBS

        kind = VERBS[asked.pop("verb")]
        try:
            said = _made(kind, asked).run(self._desk)
        except UserError as error:
            link.sendall(_line({"refused": True, "said": str(error)}))
            return
        # first the window, then the answer: whoever was told it is done finds it there
        self._told(said)
        link.sendall(_line({"refused": False, "said": said}))


def _made(kind: type[Verb], asked: dict[str, Any]) -> Verb:
    """A command as it was sent. Raises TypeError for parts it does not have."""
    parts: dict[str, Any] = {k: tuple(map(str, v)) if isinstance(v, list) else str(v) for k, v in asked.items()}
    return kind(**parts)


def _line(what: dict[str, object]) -> bytes:
    return json.dumps(what).encode() + b"\n"


def _read(link: socket.socket) -> bytes:
    """One line. Raises ValueError where it is cut off or too long."""
    held = b""
    while not held.endswith(b"\n"):
        part = link.recv(4096)
        held += part
        if not part or len(held) > MOST_BYTES:
            raise ValueError("no whole line")
    return held
