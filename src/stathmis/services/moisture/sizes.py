"""Eggs by caliper and by candling: the fresh mass of posted eggs, and the air cell as a coarse second source."""

from __future__ import annotations

import re

from stathmis.core import moisture
from stathmis.core.errors import UserError
from stathmis.core.uncertainty import NORMAL_95
from stathmis.logbook.records import EggSize
from stathmis.services.batch.course import Course
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.services.findings.loss import LossSheet
from stathmis.services.moisture import weights
from stathmis.words.catalogue import _
from stathmis.words.moisture import sizes as say

U_FRESH = 0.02
"""Relative standard uncertainty of a fresh mass from length and breadth. Source: Hoyt (1979), about 2 %."""
LENGTHS_MM = (15.0, 190.0)
WEIGH_LOSS_BEFORE = 3.0
"""From so much lost before setting on, percent, it is said. Source: common practice."""


def sizes(book: Book, batch_id: int) -> list[EggSize]:
    """All measured sizes of a batch in order of time."""
    return sorted((s for s in book.records(EggSize) if s.batch_id == batch_id), key=lambda s: (s.time_ms, s.id))


def _millimetres(text: str, what: str) -> float | None:
    if not text.strip():
        return None
    found = re.fullmatch(r"(\d{1,3}(?:[.,]\d+)?)\s*(mm|cm)?", text.strip().lower())
    value = float(found[1].replace(",", ".")) * (10.0 if found[2] == "cm" else 1.0) if found else 0.0
    if not value > 0:
        raise UserError(*say.TEXT_IS_NO_WHAT(text=text.strip(), what=what))
    return value


def log_size(desk: Desk, course: Course, mark: str, length: str, breadth: str, air_cell: str, at_ms: int) -> str:
    """Log what was measured of an egg (mark empty for the mean egg), mm; undoable. Returns what it comes to.

    Raises UserError for nothing measured, a length without a breadth, what is no egg, and an air cell deeper than one.
    """
    long, broad = _millimetres(length, "length"), _millimetres(breadth, "breadth")
    deep = _millimetres(air_cell, say.DEPTH_OF_AN_AIR_CELL())
    if long is None and broad is None and deep is None:
        raise UserError(*say.THERE_IS_NOTHING_TO_LOG())
    if (long is None) != (broad is None):
        raise UserError(*say.LENGTH_AND_BREADTH_BELONG_TOGETHER())
    if long is not None and broad is not None:
        if not (LENGTHS_MM[0] <= broad <= long <= LENGTHS_MM[1]):
            raise UserError(*say.LONG_BY_BROAD_MM_IS(long=long, broad=broad))
        mass, usual = float(moisture.fresh_mass(long / 10.0, broad / 10.0)), course.species.egg_g
        if not weights.PLAUSIBLE[0] * usual <= mass <= weights.PLAUSIBLE[1] * usual:
            raise UserError(*say.THAT_EGG_WOULD_WEIGH_MASS(mass=mass, species=course.species.name, usual=usual))
    if at_ms > desk.now_ms:
        raise UserError(*say.THAT_TIME_HAS_NOT_COME())
    made = EggSize(-1, course.batch.id, at_ms, mark.strip(), long, broad, deep)
    words = size_words(course, made)
    fields = {name: getattr(made, name) for name in EggSize.__dataclass_fields__ if name != "id"}
    desk.add(say.SIZE_OF_AN_EGG_LOGGED(), [(EggSize, fields)])
    return words


def size_words(course: Course, size: EggSize) -> str:
    """What a measured egg comes to: fresh mass, and loss since laying from its air cell. Raises UserError."""
    name = _("Egg {mark}", mark=size.mark) if size.mark else _("The mean egg")
    parts = []
    mass = course.species.egg_g
    if size.length_mm is not None and size.breadth_mm is not None:
        mass = float(moisture.fresh_mass(size.length_mm / 10.0, size.breadth_mm / 10.0))
        parts.append(_("weighed {mass:.1f} ± {U:.1f} g when laid", mass=mass, U=NORMAL_95 * U_FRESH * mass))
    if size.air_cell_mm is not None:
        try:
            lost, u = moisture.loss_from_air_cell(size.air_cell_mm, mass, size.breadth_mm)
        except ValueError:
            raise UserError(*say.AN_AIR_CELL_AIR_CELL(air_cell_mm=size.air_cell_mm)) from None
        parts.append(say.HAS_LOST_ABOUT_LOST_NORMAL(lost=lost, U=NORMAL_95 * u))
    return f"{name} {_(' and ').join(parts)}."


def lines(book: Book, sheet: LossSheet) -> list[str]:
    """What calipers and candle add to the scale, the newest of each egg."""
    said = []
    newest = {(s.mark, s.air_cell_mm is None): s for s in sizes(book, sheet.course.batch.id)}
    for size in newest.values():
        text = size_words(sheet.course, size)
        at_setting = next((e.conductance.mass_g for e in sheet.eggs if e.mark == size.mark), None)
        if size.mark == "" and sheet.conductance is not None:
            at_setting = sheet.conductance.mass_g
        if at_setting is not None and size.length_mm is not None and size.breadth_mm is not None:
            fresh = float(moisture.fresh_mass(size.length_mm / 10.0, size.breadth_mm / 10.0))
            before = 100.0 * (1.0 - at_setting / fresh)
            U = NORMAL_95 * 100.0 * U_FRESH
            if before - U > WEIGH_LOSS_BEFORE:
                text += say.AT_SETTING_IT_HAD_LOST(before=before, u=U)
            else:
                text += say.AT_SETTING_IT_HAD_LOST_BEFORE(before=before, u=U)
        if size.air_cell_mm is not None and sheet.loss_now is not None:
            text += say.THE_SCALE_SAYS_LOSS_NOW(loss_now=sheet.loss_now[0])
        said.append(text)
    return said
