"""Lists that ``sha256sum -c`` and ``xxh128sum -c`` check, written and read."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from vastcellar.core.errors import BadFileError
from vastcellar.core.roll.copies import CopyOutcome, CopyState

_LENGTHS = {32: "xxh128", 64: "sha256"}
LISTED = (CopyState.VERIFIED, CopyState.COPIED)
"""States of the files that a list names."""


@dataclass(frozen=True, slots=True)
class Listed:
    """One line: a checksum, and a file below the list's folder."""

    digest: str
    path: str


def list_text(outcome: CopyOutcome, number: int, folder: str) -> str:
    """Return the list of what lies whole on the destination *number*, below *folder*."""
    rows = (
        (each.digest, f"{folder}/{each.on[number].name or each.name}")
        for each in outcome.files
        if each.digest and each.on[number].state in LISTED
    )
    return "".join(_line(digest, path) for digest, path in rows)


def _line(digest: str, path: str) -> str:
    # As both tools do: a line that begins with a backslash has its name escaped. Only sha256sum
    # needs it for a backslash alone; xxh128sum reads such a name as it is, since ever.
    is_sha = len(digest) == max(_LENGTHS)
    if not (_unread_by_older(path) or (is_sha and "\\" in path)):
        return f"{digest}  {path}\n"
    escaped = path.replace("\\", "\\\\").replace("\n", "\\n").replace("\r", "\\r")
    return f"\\{digest}  {escaped}\n"


def _unread_by_older(path: str) -> bool:
    return "\n" in path or "\r" in path


def lines_unread_by_older(outcome: CopyOutcome) -> int:
    """Return how many lines of the list xxh128sum reads from its version 0.8.2 on only."""
    if outcome.algorithm != "xxh128":
        return 0
    return sum(_unread_by_older(each.name) for each in outcome.files)


def read_list(text: str, where: str) -> tuple[Listed, ...]:
    """Return the lines of a list. Raises BadFileError naming the first that is none.

    A name that leads out of the list's folder is refused.
    """
    found = []
    for number, line in enumerate(text.split("\n"), start=1):
        if not line:
            continue
        is_escaped = line.startswith("\\")
        digest, gap, path = line[is_escaped:].partition("  ")
        if not gap or len(digest) not in _LENGTHS or set(digest) - set("0123456789abcdef"):
            raise BadFileError(
                "it is no line of a checksum and a name",
                where=f"{where}, line {number}",
                mend="Choose a list as xxh128sum or sha256sum make it",
            )
        if is_escaped:
            path = _unescaped(path)
        parts = path.split("/")
        if path.startswith("/") or ".." in parts or "" in parts or "\0" in path:
            raise BadFileError(
                f"{path!r} leads out of its folder",
                where=f"{where}, line {number}",
                mend="Take that line out of it",
            )
        found.append(Listed(digest, path))
    return tuple(found)


def _unescaped(text: str) -> str:
    out, rest = [], iter(text)
    for sign in rest:
        if sign != "\\":
            out.append(sign)
            continue
        out.append({"n": "\n", "r": "\r"}.get(following := next(rest, "\\"), following))
    return "".join(out)


def algorithm_of(listed: Iterable[Listed]) -> str:
    """Return by what a list was made, by the length of its checksums."""
    return next((_LENGTHS[len(each.digest)] for each in listed), "xxh128")
