"""Photos of a build's steps: copies in the user's own folder, found again by build and step."""

from __future__ import annotations

import hashlib
from pathlib import Path

from vastcellar.core.errors import BadFileError
from vastcellar.services.build.chosen import Chosen
from vastcellar.services.build.progress import build_key
from vastcellar.services.workplace.folders import Folders
from vastcellar.store.json_files import write_bytes_whole
from vastcellar.store.reading import read_bytes

_KINDS = {b"\xff\xd8\xff": ".jpg", b"\x89PNG\r\n\x1a\n": ".png"}


def _folder(chosen: Chosen, places: Folders) -> Path:
    # Keys of one's own parts may hold anything: no name of a folder is made of them.
    name = hashlib.sha256(build_key(chosen).encode("utf-8")).hexdigest()[:16]
    return places.data / "photos" / name


def photos_of(chosen: Chosen, step_key: str, places: Folders) -> tuple[Path, ...]:
    """Return the photos of a step, the oldest first."""
    folder = _folder(chosen, places)
    wanted = step_key.replace(" ", "-")
    found = (path for path in folder.glob(f"{wanted}_*") if path.suffix in _KINDS.values())
    return tuple(sorted(found, key=lambda path: int(path.stem.rpartition("_")[2])))


def keep_photo(chosen: Chosen, step_key: str, source: Path, places: Folders) -> Path:
    """Keep a copy of *source* with the step; return where it lies.

    Raises BadFileError for a file that can't be read, is no JPEG or PNG, or is too large.
    """
    content = read_bytes(source)
    kind = next((suffix for head, suffix in _KINDS.items() if content.startswith(head)), "")
    if not kind:
        raise BadFileError("it is no photo", where=str(source), mend="Choose a JPEG or PNG file")
    before = photos_of(chosen, step_key, places)
    number = int(before[-1].stem.rpartition("_")[2]) + 1 if before else 1
    folder = _folder(chosen, places)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadFileError(
            f"no folder can be made for it ({error.strerror})",
            where=str(folder),
            mend="Check that the folder above is writable and has room",
        ) from error
    kept = folder / f"{step_key.replace(' ', '-')}_{number}{kind}"
    write_bytes_whole(kept, content)
    return kept
