"""Open, save and keep shoots; nothing that was entered may be lost."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from pathlib import Path

from vastcellar.core.errors import BadFileError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot import camera_models
from vastcellar.core.shoot.shoot import Camera, Shoot, default_copies
from vastcellar.services.workplace.autosaving import Autosave
from vastcellar.services.workplace.folders import Folders
from vastcellar.store.json_files import read_json, write_text_whole
from vastcellar.store.private_files import make_private_folder

MOST_RECENT = 8
USUAL_COPIES = 2
"""At least two verified copies before a card is wiped."""


@dataclass(frozen=True, slots=True)
class OpenShoot:
    """A shoot with the file it belongs to, if any, and whether it differs from that file."""

    shoot: Shoot
    path: Path | None = None
    is_restored: bool = False
    seen: str = ""
    """The mark of the file as it was read."""
    autosave: Autosave | None = None
    """Of a restored shoot: where it was found."""


def new_shoot(name: str = "New shoot") -> Shoot:
    """Return an empty shoot."""
    return Shoot(name=name, days=1, cameras=(), copies=default_copies(USUAL_COPIES))


def next_camera_key(shoot: Shoot) -> str:
    """Return the first letter, then number, that no camera of *shoot* has."""
    taken = {camera.key for camera in shoot.cameras}
    letters = [chr(code) for code in range(ord("A"), ord("Z") + 1)]
    numbered = (f"A{number}" for number in range(1, len(taken) + 2))
    return next(key for key in (*letters, *numbered) if key not in taken)


PLAIN_MODEL = "plain-422"
"""The camera that a new one is before anybody says which."""


def new_camera(shoot: Shoot, catalog: Catalog, model_key: str = PLAIN_MODEL) -> Camera:
    """Return a camera of *model_key* at its first preset, with good defaults for the rest."""
    model = catalog.camera(model_key)
    preset = model.presets[0]
    key = next_camera_key(shoot)
    codec = catalog.codec(preset.codec)
    return camera_models.new_camera(key, f"Camera {key}", model, preset, codec)


def set_to_preset(camera: Camera, catalog: Catalog, model_key: str, preset_name: str) -> Camera:
    """Return *camera* as that model at that preset of its menu."""
    model = catalog.camera(model_key)
    preset = model.preset(preset_name)
    return camera_models.set_to_preset(camera, model, preset, catalog.codec(preset.codec))


def shoot_in_file(path: Path, catalog: Catalog) -> Shoot:
    """Return the shoot in *path* without opening it for editing. Raises BadFileError."""
    # What checks files from outside takes a while to load, and the last window's needs no check.
    from vastcellar.store.shoot_files import read_shoot

    return read_shoot(path, catalog)


def open_shoot(path: Path, catalog: Catalog, places: Folders) -> OpenShoot:
    """Open the shoot in *path* and remember it as recent. Raises BadFileError."""
    seen = file_mark(path)
    shoot = shoot_in_file(path, catalog)
    remember_recent(path, places)
    return OpenShoot(shoot, path.resolve(), seen=seen)


def save_shoot(shoot: Shoot, path: Path, places: Folders, *, seen: str | None = None) -> Path:
    """Save *shoot* and return its path, with the suffix that was left off.

    *seen* is the mark of the file as it was read or last saved; None where it wasn't.
    Raises BadFileError where it can't be written, or was changed by somebody else since: then both
    are kept, theirs in the file and ours where it was.
    """
    from vastcellar.store.shoot_files import SHOOT_SUFFIX, write_shoot

    if not path.name.endswith(".json"):
        path = path.with_name(path.name + SHOOT_SUFFIX)
    now = file_mark(path)
    if seen and now and now != seen:
        raise BadFileError(
            "another window or program has changed it since it was opened here",
            where=str(path),
            mend="Save yours under another name (Save as …), then open both; nothing was changed",
        )
    write_shoot(path, shoot)
    remember_recent(path, places)
    return path.resolve()


def file_mark(path: Path) -> str:
    """Return what tells one content of *path* from another; "" where there is no such file."""
    try:
        return hashlib.sha256(path.read_bytes()).hexdigest()
    except OSError:
        return ""


def recent_shoots(places: Folders) -> tuple[Path, ...]:
    """Return the shoots opened lately that still exist, newest first."""
    try:
        listed = read_json(places.recent_file)
        return tuple(path for path in map(Path, listed[:MOST_RECENT]) if path.exists())
    except (OSError, BadFileError, LookupError, ValueError, TypeError):
        return ()  # a list of conveniences: not worth a complaint


def remember_recent(path: Path, places: Folders) -> None:
    """Put *path* first in the list of recent shoots."""
    known = [str(path.resolve())]
    known += [str(p) for p in recent_shoots(places) if str(p) not in known]
    try:
        make_private_folder(places.config)
        content = json.dumps(known[:MOST_RECENT], indent=1)
        write_text_whole(places.recent_file, content, is_private=True)
    except (OSError, BadFileError):
        pass  # the same: a shoot must open from a read-only home too
