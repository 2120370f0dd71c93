"""Save what was made for others: whole or not at all."""

from __future__ import annotations

import os
from pathlib import Path

from vastcellar.core.errors import BadFileError
from vastcellar.store.json_files import plain_for_json, write_bytes_whole, write_text_whole

__all__ = ["plain_for_json", "require_can_save", "save_bytes", "write_text_whole"]


def require_can_save(path: Path) -> None:
    """Raise BadFileError where *path* could not be written: before something is measured for it."""
    place = path.parent
    if path.is_dir():
        what, mend = "it is a folder", "Name a file in it"
    elif not place.is_dir():
        what, mend = "there is no such folder", "Make the folder first, or choose another"
    elif not os.access(path if path.exists() else place, os.W_OK):
        what, mend = "there is no permission to write it", "Choose another place"
    else:
        return
    raise BadFileError(what, where=str(path), mend=mend)


def save_bytes(path: Path, content: bytes) -> None:
    """Save *content* in *path*. Raises BadFileError; *path* is then as it was."""
    write_bytes_whole(path, content)
