"""Open, save and keep shoots; nothing that was entered may be lost."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

from vastcellar.core import camera_models
from vastcellar.core.errors import BadFileError
from vastcellar.core.parts import Catalog
from vastcellar.core.shoot import Camera, Shoot, default_copies
from vastcellar.services.folders import Folders
from vastcellar.store.json_files import read_json, write_text_whole
from vastcellar.store.shoot_files import SHOOT_SUFFIX, read_shoot, shoot_text, write_shoot

MOST_RECENT = 8
USUAL_COPIES = 2
"""At least two verified copies before a card is wiped."""
_AUTOSAVE_FORMAT = "vast-cellar/unsaved"


@dataclass(frozen=True, slots=True)
class OpenShoot:
    """A shoot with the file it belongs to, if any, and whether it differs from that file."""

    shoot: Shoot
    path: Path | None = None
    is_restored: bool = False


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
    return read_shoot(path, catalog)


def open_shoot(path: Path, catalog: Catalog, places: Folders) -> OpenShoot:
    """Open the shoot in *path* and remember it as recent. Raises BadFileError."""
    shoot = read_shoot(path, catalog)
    remember_recent(path, places)
    return OpenShoot(shoot, path.resolve())


def save_shoot(shoot: Shoot, path: Path, places: Folders) -> Path:
    """Save *shoot* and return its path, with the suffix that was left off. Raises BadFileError."""
    if not path.name.endswith(".json"):
        path = path.with_name(path.name + SHOOT_SUFFIX)
    write_shoot(path, shoot)
    remember_recent(path, places)
    forget_unsaved(places)
    return path.resolve()


def keep_unsaved(shoot: Shoot, path: Path | None, places: Folders) -> None:
    """Put the unsaved state of *shoot* where the next start finds it. Raises BadFileError."""
    content = {
        "format": _AUTOSAVE_FORMAT,
        "version": 1,
        "path": str(path) if path else None,
        "shoot": json.loads(shoot_text(shoot)),
    }
    places.state.mkdir(parents=True, exist_ok=True)
    write_text_whole(places.autosave_file, json.dumps(content, indent=1, ensure_ascii=False))


def forget_unsaved(places: Folders) -> None:
    """Drop the unsaved state: it is saved now, or given up."""
    places.autosave_file.unlink(missing_ok=True)


def restore_unsaved(catalog: Catalog, places: Folders) -> OpenShoot | None:
    """Return what was entered and not saved when the program last ended, or None.

    A damaged autosave is set aside under another name, never deleted.
    """
    path = places.autosave_file
    if not path.exists():
        return None
    scratch = path.with_suffix(".shoot.json")
    try:
        content = read_json(path)
        scratch.write_text(json.dumps(content["shoot"]), encoding="utf-8")
        shoot = read_shoot(scratch, catalog)
        saved_to = content.get("path")
    except (BadFileError, KeyError, TypeError, AttributeError, OSError):
        path.replace(path.with_suffix(".damaged.json"))
        return None
    finally:
        scratch.unlink(missing_ok=True)
    return OpenShoot(shoot, Path(saved_to) if saved_to else None, is_restored=True)


def recent_shoots(places: Folders) -> tuple[Path, ...]:
    """Return the shoots opened lately that still exist, newest first."""
    try:
        listed = json.loads(places.recent_file.read_text(encoding="utf-8"))
        return tuple(path for path in map(Path, listed) if path.exists())
    except (OSError, ValueError, TypeError):
        return ()  # a list of conveniences: not worth a complaint


def remember_recent(path: Path, places: Folders) -> None:
    """Put *path* first in the list of recent shoots."""
    known = [str(path.resolve())]
    known += [str(p) for p in recent_shoots(places) if str(p) not in known]
    try:
        places.config.mkdir(parents=True, exist_ok=True)
        write_text_whole(places.recent_file, json.dumps(known[:MOST_RECENT], indent=1))
    except (OSError, BadFileError):
        pass  # the same: a shoot must open from a read-only home too
