"""The file border for JSON: read whole, checked whole, written whole or not at all."""

from __future__ import annotations

import math
import reprlib
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any

from vastcellar.core.errors import BadFileError
from vastcellar.store.private_files import replace_file
from vastcellar.store.reading import read_json

if TYPE_CHECKING:
    from pydantic import ValidationError

__all__ = [
    "as_bad_file",
    "plain_for_json",
    "read_json",
    "read_strictly",
    "require_format",
    "write_bytes_whole",
    "write_text_whole",
]


def write_text_whole(path: Path, text: str, *, is_private: bool = False) -> None:
    """Write *text* as ``write_bytes_whole`` does, in UTF-8."""
    # A lone surrogate, as Python makes of a file name that isn't UTF-8, can't be written.
    write_bytes_whole(path, text.encode("utf-8", errors="replace"), is_private=is_private)


def write_bytes_whole(path: Path, content: bytes, *, is_private: bool = False) -> None:
    """Write *content* so that *path* holds either the old or the new, whatever happens.

    With *is_private* nobody else may read it, whatever its mode was.

    Raises BadFileError where the folder is missing, full or read-only; *path* is then unchanged.
    """
    try:
        replace_file(path, content, is_private=is_private)
    except (OSError, ValueError) as error:  # a name with a NUL in it is a ValueError
        reason = getattr(error, "strerror", None) or error
        raise BadFileError(
            f"it can't be written ({reason})",
            where=str(path),
            mend="Check that the folder exists, is writable and has room; nothing was changed",
        ) from error


def read_strictly(*kinds: Any) -> None:
    """Let core's own classes be read straight from a file; names that they lack are refused."""
    for kind in kinds:
        kind.__pydantic_config__ = {"extra": "forbid"}


def plain_for_json(value: Any) -> Any:
    """Return *value* as JSON can hold it: what is infinite or missing is null, never made up."""
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, date):  # a datetime is one, too
        return value.isoformat()
    if isinstance(value, dict):
        return {key: plain_for_json(entry) for key, entry in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain_for_json(entry) for entry in value]
    return value


def require_format(content: Any, path: Path, name: str, newest_version: int) -> None:
    """Raise BadFileError unless *content* says it is format *name* of a version we know."""
    if not isinstance(content, dict) or content.get("format") != name:
        found = content.get("format", "nothing") if isinstance(content, dict) else "a bare list"
        raise BadFileError(
            f"it says {found!r} where {name!r} should stand",
            where=f"{path.name}: format",
            mend="Open a file of the right kind",
        )
    version = content.get("version")
    if not isinstance(version, int) or not 1 <= version <= newest_version:
        raise BadFileError(
            f"it is version {version!r}; this program reads 1 to {newest_version}",
            where=f"{path.name}: version",
            mend="Use a newer Vast Cellar, or save the file again with this one",
        )


def as_bad_file(error: ValidationError, path: Path, prefix: str = "") -> BadFileError:
    """Translate pydantic's findings into one sentence about the first of them."""
    first = error.errors(include_url=False, include_context=False)[0]
    field = prefix
    for step in first["loc"]:
        field += f"[{step}]" if isinstance(step, int) else f".{step}" if field else str(step)
    # Not repr of the whole: an input may be as large as the file.
    shown = reprlib.repr(first.get("input"))
    shown = shown if len(shown) <= 60 else shown[:57] + "..."
    message = first["msg"][0].lower() + first["msg"][1:]
    more = error.error_count() - 1
    also = f"; {more} more to mend after it" if more else ""
    missing = first["type"] == "missing"
    return BadFileError(
        f"{message}{also}" if missing else f"{message}, but it has {shown}{also}",
        where=f"{path.name}: {field}",
        mend="Add this field" if missing else "Correct this field",
    )
