"""What must be ready before the first chick, in words."""

from __future__ import annotations

from stathmis.services.book import Book
from stathmis.services.eggs.hatch_course import Ready
from stathmis.words import dates
from stathmis.words.catalogue import _, filled_in


def ready(book: Book, one: Ready) -> str:
    """One of these: "✓ Brooder warm", or by when."""
    if one.done:
        return _("✓ {title}", title=one.title)
    by = dates.moment(book.local(one.due_ms), weekday=True)
    late = _("○ {title}: was due {by}") if one.due_ms < book.now_ms else _("○ {title}: by {by}")
    return filled_in(late, title=one.title, by=by)
