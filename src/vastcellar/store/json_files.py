"""The file border for JSON: read whole, checked whole, written whole or not at all."""

from __future__ import annotations

import contextlib
import json
import os
from pathlib import Path
from typing import TYPE_CHECKING, Any

from vastcellar.core.errors import BadFileError

if TYPE_CHECKING:
    from pydantic import ValidationError


def read_json(path: Path) -> Any:
    """Return the parsed content of *path*. Raises BadFileError: missing, unreadable, not JSON."""
    try:
        return json.loads(path.read_text(encoding="utf-8"))
    except json.JSONDecodeError as error:
        raise BadFileError(
            f"it is not JSON: {error.msg.lower()}",
            where=f"{path.name}, line {error.lineno}, column {error.colno}",
            mend="Mend that place or restore the file from a copy",
        ) from error
    except UnicodeDecodeError as error:
        raise BadFileError(
            f"byte {error.start} is not UTF-8", where=path.name, mend="Save it as UTF-8"
        ) from error
    except FileNotFoundError as error:
        raise BadFileError(
            "there is no such file", where=str(path), mend="Check the path"
        ) from error
    except OSError as error:
        raise BadFileError(
            f"it can't be read ({error.strerror})", where=str(path), mend="Check its permissions"
        ) from error


def write_text_whole(path: Path, text: str) -> None:
    """Write *text* as ``write_bytes_whole`` does, in UTF-8."""
    write_bytes_whole(path, text.encode("utf-8"))


def write_bytes_whole(path: Path, content: bytes) -> None:
    """Write *content* so that *path* holds either the old or the new, whatever happens.

    Raises BadFileError where the folder is missing, full or read-only; *path* is then unchanged.
    """
    scratch = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        with scratch.open("wb") as handle:
            handle.write(content)
            handle.flush()
            os.fsync(handle.fileno())
        scratch.replace(path)
    except OSError as error:
        with contextlib.suppress(OSError):
            scratch.unlink(missing_ok=True)
        raise BadFileError(
            f"it can't be written ({error.strerror})",
            where=str(path),
            mend="Check that the folder exists, is writable and has room; nothing was changed",
        ) from error


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
    first = error.errors(include_url=False)[0]
    field = prefix
    for step in first["loc"]:
        field += f"[{step}]" if isinstance(step, int) else f".{step}" if field else str(step)
    shown = repr(first.get("input"))
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
