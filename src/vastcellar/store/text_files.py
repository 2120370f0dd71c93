"""Reading text that users bring: UTF-8, or one sentence about why not."""

from __future__ import annotations

from pathlib import Path

from vastcellar.core.errors import BadFileError


def read_text(path: Path) -> str:
    """Return the text of *path*, a byte order mark left out. Raises BadFileError."""
    try:
        return path.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise BadFileError(
            f"it can't be read ({error.strerror})", where=str(path), mend="Check the path"
        ) from error
    except UnicodeDecodeError as error:
        raise BadFileError(
            f"byte {error.start} is not UTF-8", where=path.name, mend="Save it as UTF-8"
        ) from error
