"""The regimes a batch can follow: the shipped schools, and the keeper's own profiles, made, changed, shared."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path

from stathmis.core.course.profile import DayCount, OwnProfile, Phase, Stage, phases, unsuited
from stathmis.core.errors import UserError
from stathmis.exchange import profile_file
from stathmis.logbook.records import Batch, EarlierWay, StoredProfile
from stathmis.services import knowledge
from stathmis.services.batch import ways
from stathmis.services.batch.species import all_species, species_of
from stathmis.services.book import Book
from stathmis.services.desk import Desk
from stathmis.words import way as way_words
from stathmis.words.batch import profiles as say
from stathmis.words.catalogue import Spoken, _

DAY_COUNTS: Spoken[DayCount] = Spoken(
    {
        "from 0": say.FROM_SETTING_DAY_IS_DAY,
        "from 1": say.FROM_SETTING_DAY_IS_DAY_2,
        "down": say.DOWN_TO_ON_THE_HATCH,
    }
)
OWN = "own "
"""A batch that follows a keeper's own profile names it by this and the profile's id."""
THIN_AIR_M = 1800.0
"""Above about this the air is thin and dry. Source: common practice."""


@dataclass(frozen=True)
class Choice:
    """Something a batch can follow: the key a batch keeps, its name, why one would, and what speaks against it for the
    species."""

    key: str
    name: str
    why: str
    warning: str = ""


@lru_cache(maxsize=64)
def _parsed(text: str, species: frozenset[str]) -> OwnProfile:
    return profile_file.parse_profile(text, species)


def own_profiles(book: Book) -> dict[str, OwnProfile]:
    """The keeper's own profiles by the key a batch keeps."""
    known = frozenset(all_species(book))
    return {f"{OWN}{s.id}": _parsed(s.text, known) for s in book.records(StoredProfile)}


def own_of(book: Book, regime: str) -> OwnProfile | None:
    """The own profile a regime key names; None for a shipped regime. Raises KeyError for one that is gone."""
    return own_profiles(book)[regime] if regime.startswith(OWN) else None


def choices(book: Book, species: str) -> list[Choice]:
    """What a batch of a species can follow: the keeper's own profiles for it, and the shipped regimes it can keep."""
    found = [Choice(k, p.name, p.why or _("Your own.")) for k, p in own_profiles(book).items() if p.species == species]
    kept = species_of(book, species)
    reptile = kept.kind == "reptile"
    shipped = [r for r in knowledge.regimes().values() if not (reptile and (r.setting_rh or r.by_weight))]
    return [Choice(r.key, r.name, r.why, way_words.unsuited(kept, unsuited(kept, r))) for r in shipped] + found


def start_from(book: Book, species: str, regime: str) -> OwnProfile:
    """A profile to begin with: a shipped regime (or an own profile) written out stage by stage."""
    own = own_of(book, regime)
    if own is not None:
        return own
    kept = species_of(book, species)
    return _written_out(
        phases(kept, knowledge.regimes()[regime], "forced"), species, _("My {kept}", kept=kept.name), ""
    )


def _written_out(course: tuple[Phase, ...], species: str, name: str, why: str) -> OwnProfile:
    kept = [p for p in course if p.name not in ("warm-up", "dry")]
    stages = tuple(Stage(p.name, p.start_day, p.temperature_c, p.humidity, p.title) for p in kept)  # type: ignore[arg-type]
    return OwnProfile(name, species, why, stages, kept[-1].end_day)


def keep_profile(desk: Desk, profile: OwnProfile, stored_id: int | None = None) -> int:
    """Keep a profile, new or in place of the one with this id; undoable. Batches that follow it are judged anew.

    Raises UserError without a name, with a name that is taken, or where a batch of another species follows it.
    """
    name = profile.name.strip()
    if not name:
        raise UserError(*say.THE_PROFILE_NEEDS_A_NAME())
    for key, known in own_profiles(desk.book).items():
        if known.name.casefold() == name.casefold() and key != f"{OWN}{stored_id}":
            raise UserError(*say.THERE_IS_A_PROFILE_NAMED(known=known.name))
    profile = replace(profile, name=name)
    text = profile_file.profile_text(profile)
    # what cannot be read back must not be kept
    profile_file.parse_profile(text, all_species(desk.book).keys())
    if stored_id is None:
        return desk.add(_("profile {name} kept", name=name), [(StoredProfile, {"text": text})])[0]
    followers = _followers(desk.book, stored_id)
    if any(b.species != profile.species for b in followers):
        raise UserError(*say.FOLLOWERS_FOLLOWS_THIS_PROFILE(followers=followers[0].name))
    with desk.edit(_("profile {name} changed", name=name)) as edit:
        edit.change(StoredProfile, stored_id, text=text)
    return stored_id


def _followers(book: Book, stored_id: int) -> list[Batch]:
    before = {e.batch_id for e in book.records(EarlierWay) if e.regime == f"{OWN}{stored_id}"}
    return [b for b in book.records(Batch) if b.regime == f"{OWN}{stored_id}" or b.id in before]


def remove_profile(desk: Desk, stored_id: int) -> None:
    """Take a profile away; undoable. Raises UserError where a batch follows or followed it."""
    followers = _followers(desk.book, stored_id)
    if followers:
        raise UserError(*say.FOLLOWERS_FOLLOWS_THIS_PROFILE_2(followers=followers[0].name))
    desk.strike(_("profile taken away"), StoredProfile, [stored_id])


def bring_in(desk: Desk, path: Path) -> OwnProfile:
    """Bring in a profile from a file; undoable. One with a taken name is numbered. Raises ProfileError, UserError."""
    found = profile_file.read_profile(path, all_species(desk.book).keys())
    taken = {p.name.casefold() for p in own_profiles(desk.book).values()}
    name, number = found.name, 2
    while name.casefold() in taken:
        name, number = f"{found.name} {number}", number + 1
    found = replace(found, name=name)
    keep_profile(desk, found)
    return found


def write_out(profile: OwnProfile, path: Path) -> None:
    """Write a profile to a file to pass on, whole or not at all. Raises UserError."""
    write_text(path, profile_file.profile_text(profile))


def write_text(path: Path, text: str) -> None:
    """Write a text to a file, whole or not at all. Raises UserError."""
    partial = path.with_name(path.name + ".part")
    try:
        partial.write_text(text, encoding="utf-8")
        partial.replace(path)
    except OSError as error:
        partial.unlink(missing_ok=True)
        raise UserError(*say.PATH_CANNOT_BE_WRITTEN_STRERROR(path=path.name, strerror=error.strerror)) from None


def follow(desk: Desk, batch: Batch, regime: str, day_count: DayCount, *, whole: bool = True) -> None:
    """Let a batch follow another regime, or number its days otherwise; undoable.

    whole: it is judged anew from its setting; else what was asked of it until now stands.
    Raises UserError for a regime its species cannot keep.
    """
    if regime not in {c.key for c in choices(desk.book, batch.species)}:
        raise UserError(*say.THIS_SPECIES_CANNOT_FOLLOW_THAT())
    with desk.edit(_("{batch} changed", batch=batch.name)) as edit:
        if not whole and regime != batch.regime:
            ways.keep_earlier(edit, desk.book, batch)
        edit.change(Batch, batch.id, regime=regime, day_count=day_count)


def thin_air(book: Book) -> str:
    """What the altitude of the place asks for, empty where nothing does. Source: common practice."""
    if book.altitude_m is None or book.altitude_m < THIN_AIR_M:
        return ""
    more = 100.0 * (1013.25 / book.pressure_hpa - 1.0)
    return say.AT_ALTITUDE_M_M_THE(altitude_m=book.altitude_m, more=more)
