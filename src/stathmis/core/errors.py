"""What a keeper can mend, as against our own bugs."""

from __future__ import annotations


class UserError(Exception):
    """Something the keeper can put right: what happened, and what to do. Its text is shown as it stands."""

    def __init__(self, what: str, to_do: str = "") -> None:
        super().__init__(f"{what} {to_do}".strip())
        self.what = what
        self.to_do = to_do
