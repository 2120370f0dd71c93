"""Photos of a unit: added to its story, shown, and saved as files again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path

from vastcellar.core.cellar.story import EventKind, Story
from vastcellar.core.errors import BadValueError
from vastcellar.services.cellar.unit_edits import Noted, note
from vastcellar.services.workplace.exports import save_bytes
from vastcellar.services.workplace.workplace import Workplace
from vastcellar.store.unit_photos import UnitPhoto, keep_photos, kept_photos, read_photo


@dataclass(frozen=True, slots=True)
class ShownPhoto:
    """A photo of a unit, with what was noted of it."""

    event_id: int
    at: datetime
    file: str
    note: str
    jpeg: bytes
    """Empty where it isn't in the cellar any more."""


@dataclass(frozen=True, slots=True)
class NewPhoto:
    """A photo that was read, with the name of its file, which isn't needed any more."""

    file: str
    photo: UnitPhoto


def read_new_photo(path: Path) -> NewPhoto:
    """Return the photo in *path*. Raises BadFileError for what is no picture."""
    return NewPhoto(path.name, read_photo(path))


def add_photo(
    workplace: Workplace, tag: str, new: NewPhoto, *, on: date | None = None, said: str = ""
) -> Noted:
    """Keep a photo with the unit *tag*.

    Raises CellarError, UnknownPartError, BadValueError as ``note`` does.
    """
    photo = new.photo
    # The picture first: an event that names one that isn't there would be worse than one too many.
    keep_photos(workplace.cellar, [photo])
    return note(workplace, tag, EventKind.PHOTO, on=on, said=said, file=new.file,
                photo=photo.digest)  # fmt: skip


def photos_of(workplace: Workplace, story: Story) -> tuple[ShownPhoto, ...]:
    """Return the photos in a unit's *story*, the newest first. Raises CellarError."""
    events = [each for each in story.events if each.kind is EventKind.PHOTO]
    kept = kept_photos(workplace.cellar, (each.text("photo") for each in events))
    found = []
    for each in reversed(events):
        photo = kept.get(each.text("photo"))
        jpeg = photo.jpeg if photo else b""
        found.append(ShownPhoto(each.event_id, each.at, each.text("file"), each.note, jpeg))
    return tuple(found)


def save_photos(photos: Sequence[ShownPhoto], tag: str, folder: Path) -> tuple[Path, ...]:
    """Save *photos* in *folder*, each under its day and a number; return where.

    Nothing that is there is overwritten. Raises BadFileError, and BadValueError for no photo.
    """
    saved: list[Path] = []
    if not photos:
        raise BadValueError("it has no photo", where=f"unit {tag}", mend="Add one first")
    bare = "".join(each if each.isalnum() or each in "-_" else "_" for each in tag)
    for each in (photo for photo in photos if photo.jpeg):
        day, number = each.at.astimezone().date().isoformat(), 1
        while (path := folder / f"{bare}_{day}_{number}.jpg").exists():
            number += 1
        save_bytes(path, each.jpeg)
        saved.append(path)
    return tuple(saved)
