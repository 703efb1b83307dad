"""What a keeper can mend, as against our own bugs; and numbers that cannot be had as asked."""

from __future__ import annotations


class UserError(Exception):
    """Something the keeper can put right: what happened, and what to do. Its text is shown as it stands."""

    def __init__(self, what: str, to_do: str = "") -> None:
        super().__init__(f"{what} {to_do}".strip())
        self.what = what
        self.to_do = to_do


class NumbersError(ValueError):
    """Numbers that cannot be had as asked. Its text is English; words.numbers.reason says it in the window's language.

    sentence: with {places}; parts: what goes into them.
    """

    def __init__(self, sentence: str, **parts: object) -> None:
        super().__init__(sentence.format(**parts) if parts else sentence)
        self.sentence = sentence
        self.parts = parts
