"""One door to the keeper: messages from anywhere, kept until a window listens."""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from stathmis.core.errors import UserError
from stathmis.words import rounds as say

log = logging.getLogger(__name__)

Kind = Literal["info", "warning", "error"]


@dataclass(frozen=True)
class Message:
    """One message; text says what happened and what to do."""

    kind: Kind
    text: str


_waiting: list[Message] = []
_listener: Callable[[Message], None] | None = None


def listen(listener: Callable[[Message], None] | None) -> None:
    """Send messages to a window, those that waited first; None: keep them again."""
    global _listener
    _listener = listener
    if listener is not None:
        for message in _waiting[:]:
            _waiting.remove(message)
            listener(message)


def tell(kind: Kind, text: str) -> None:
    """Tell the keeper something."""
    message = Message(kind, text)
    if _listener is None:
        _waiting.append(message)
    else:
        _listener(message)


def tell_error(error: BaseException) -> None:
    """Tell of an error: what the keeper can mend in its own words, anything else as a fault of ours."""
    if isinstance(error, UserError):
        tell("error", str(error))
        return
    log.error("Unexpected error", exc_info=error)
    what = say.SOMETHING_WENT_WRONG_IN_STATHMIS(name=type(error).__name__)
    tell("error", say.WHAT_WHAT_WAS_LOGGED_IS(what=what))
