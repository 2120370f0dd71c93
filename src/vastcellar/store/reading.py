"""The one border for files that somebody brings: limits first, then a sentence for what is wrong.

A file may be damaged, made by another program, or made to harm. Nothing in it may cost more
memory or time than an honest one, and nothing may come out as anything but a sentence that says
what, where, and the mend.
"""

from __future__ import annotations

import contextlib
import csv
import json
import math
import os
import stat
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from vastcellar.core.errors import BadFileError, BadValueError, UnknownPartError, VastCellarError

MOST_BYTES = 64 * 2**20
"""Of any text file: a trace of a whole day has 15 MB."""
MOST_PIXELS = 150_000_000
"""Of a picture: no camera takes more. A damaged head may say anything, and memory would be asked
for."""
MOST_DEPTH = 40
MOST_NODES = 500_000
_LARGE_BYTES, _LARGE_NODES, _LARGE_TEXT = 2 * 2**30, 50_000_000, MOST_BYTES
"""Of a whole cellar: years of runs, each with its trace."""
_MOST_DIGITS = 40
_MOST_TEXT = 100_000
_MOST_NUMBER = 1e24
"""Above every size, rate and time that means anything; below what a float still counts exactly."""

WHATEVER = (
    ValueError,
    TypeError,
    LookupError,
    AttributeError,
    ArithmeticError,
    RecursionError,
    MemoryError,
    csv.Error,
)
"""What working on a hostile content can come to in code that expects an honest one."""


@contextlib.contextmanager
def as_sentence(path: Path, kind: str) -> Iterator[None]:
    """Turn whatever goes wrong with the content of *path*, a *kind* of file, into BadFileError."""
    try:
        yield
    except (BadValueError, UnknownPartError) as error:
        where = f"{path.name}: {error.where}" if error.where else path.name
        raise BadFileError(error.what, where=where, mend=error.mend) from error
    except VastCellarError:
        raise
    except WHATEVER as error:
        raise BadFileError(
            f"something in it is no {kind} ({type(error).__name__.lower()})",
            where=path.name,
            mend="Restore the file from a copy, or make it anew",
        ) from error


def read_bytes(path: Path, *, is_large: bool = False) -> bytes:
    """Return the content of *path*. Raises BadFileError: missing, unreadable, too large."""
    most_bytes = _LARGE_BYTES if is_large else MOST_BYTES
    try:
        # A pipe in its place would hold us up for ever, a device would never end.
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        with os.fdopen(handle, "rb") as file:
            status = os.fstat(handle)
            if not stat.S_ISREG(status.st_mode):
                raise BadFileError(
                    "it is no file", where=str(path), mend="Choose a file, no folder or device"
                )
            # Room for so much would be taken at once, whatever the file holds; it may grow, too.
            content = file.read(min(status.st_size, most_bytes) + 1)
    except FileNotFoundError as error:
        raise BadFileError(
            "there is no such file", where=str(path), mend="Check the path"
        ) from error
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or error
        raise BadFileError(
            f"it can't be read ({reason})", where=str(path), mend="Check its permissions"
        ) from error
    if len(content) > most_bytes:
        raise BadFileError(
            f"it is larger than {most_bytes // 2**20} MiB",
            where=path.name,
            mend="Choose a file of the right kind, or split it",
        )
    return content


def read_text(path: Path, *, is_large: bool = False) -> str:
    """Return the text of *path*, a byte order mark left out. Raises BadFileError."""
    try:
        return read_bytes(path, is_large=is_large).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise BadFileError(
            f"byte {error.start} is not UTF-8", where=path.name, mend="Save it as UTF-8"
        ) from error


def read_json(path: Path, *, is_large: bool = False) -> Any:
    """Return the parsed content of *path*. Raises BadFileError: unreadable, not JSON, too much.

    *is_large* for a whole cellar, which may honestly be a thousand times as much.
    """
    text = read_text(path, is_large=is_large)
    try:
        content = json.loads(text, parse_int=_integer, parse_constant=_no_constant)
    except json.JSONDecodeError as error:
        raise BadFileError(
            f"it is not JSON: {error.msg.lower()}",
            where=f"{path.name}, line {error.lineno}, column {error.colno}",
            mend="Mend that place or restore the file from a copy",
        ) from error
    except RecursionError as error:
        raise _too_deep(path) from error
    except ValueError as error:
        raise BadFileError(str(error), where=path.name, mend="Correct that number") from error
    _require_modest(content, path, is_large=is_large)
    return content


def _integer(text: str) -> int:
    if len(text) > _MOST_DIGITS:
        raise ValueError(f"a number of {len(text)} digits stands in it")
    return int(text)


def _no_constant(text: str) -> float:
    raise ValueError(f"{text} stands in it, which is no number")


def _too_deep(path: Path) -> BadFileError:
    return BadFileError(
        f"its brackets are nested deeper than {MOST_DEPTH}",
        where=path.name,
        mend="Choose a file of the right kind",
    )


def _require_modest(content: Any, path: Path, *, is_large: bool) -> None:
    """Raise BadFileError for nesting, counts, texts and numbers that none of our files has."""
    most_nodes = _LARGE_NODES if is_large else MOST_NODES
    most_text = _LARGE_TEXT if is_large else _MOST_TEXT
    level, depth, nodes = [content], 0, 0
    while level:
        depth += 1
        nodes += len(level)
        if depth > MOST_DEPTH:
            raise _too_deep(path)
        if nodes > most_nodes:
            raise BadFileError(
                f"it lists more than {most_nodes:,} things",
                where=path.name,
                mend="Choose a file of the right kind",
            )
        deeper: list[Any] = []
        for each in level:
            if isinstance(each, dict):
                deeper.extend(each.keys())
                deeper.extend(each.values())
            elif isinstance(each, list):
                deeper.extend(each)
            else:
                _require_modest_value(each, path, most_text)
        level = deeper


def _require_modest_value(value: Any, path: Path, most_text: int) -> None:
    if isinstance(value, str):
        if len(value) > most_text:
            what = f"a text of {len(value):,} characters stands in it"
        elif any("\ud800" <= character <= "\udfff" for character in value):
            what = "a text with half a character (a lone surrogate) stands in it"
        elif "\0" in value:
            what = "a text with a zero character stands in it"
        else:
            return
    elif isinstance(value, (int, float)) and not isinstance(value, bool):
        if math.isfinite(value) and abs(value) <= _MOST_NUMBER:
            return
        what = f"the number {value:.3g} stands in it"
    else:
        return
    raise BadFileError(what, where=path.name, mend="Correct that place")
