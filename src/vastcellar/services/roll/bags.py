"""A card handed over as a BagIt bag: its files below ``data``, with lists that others validate.

Source: RFC 8493, The BagIt File Packaging Format (V1.0).
"""

from __future__ import annotations

import errno
import hashlib
import os
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path

from vastcellar import __version__
from vastcellar.bench.copying.copy_run import CopyPlan
from vastcellar.bench.copying.source import hold_source
from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.held_folder import HeldFolder
from vastcellar.core.errors import BadValueError, DiskError
from vastcellar.core.roll.copies import CopyOutcome, CopyState
from vastcellar.services.roll.whole_files import write_temporary

PAYLOAD = "data"
"""The folder of a bag that the card's files lie in."""
ALGORITHM = "sha256"
"""What every tool for bags knows; xxh128 is known to none."""
_DECLARATION = "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"
_OURS = frozenset({PAYLOAD, "bagit.txt", "bag-info.txt", "manifest-sha256.txt",
                   "tagmanifest-sha256.txt"})  # fmt: skip


def bag_folders(destinations: Sequence[Path], name: str) -> list[Path]:
    """Return the folder of the bag *name* in each of *destinations*, made where it is missing.

    Raises BadValueError for a name that is none, or a folder there that is no bag; DiskError.
    """
    if not name or name in (".", "..") or "/" in name or not name.isprintable():
        raise BadValueError(
            f"{name!r} is no name for a folder", where="bag", mend="Give one with --name"
        )
    return [_bag_folder(each, name) for each in destinations]


def _bag_folder(destination: Path, name: str) -> Path:
    folder = destination / name
    try:
        if not destination.is_dir():
            raise NotADirectoryError(errno.ENOTDIR, os.strerror(errno.ENOTDIR))
        folder.mkdir(exist_ok=True)
        found = {each.name for each in folder.iterdir()}
    except OSError as error:
        raise as_disk_error(error, str(folder)) from error
    others = {each for each in found - _OURS if not each.startswith((f"{PAYLOAD}.", f".{PAYLOAD}"))}
    if folder.is_symlink() or others:
        what = f"{sorted(others)[0]!r} stands in it" if others else "it is a link"
        raise BadValueError(
            f"it is no bag of ours: {what}", where=str(folder), mend="Give the bag another name"
        )
    return folder


def finish_bags(plan: CopyPlan, outcome: CopyOutcome) -> tuple[Path, ...]:
    """Write the lists of each bag whose files are all verified; return those bags.

    What is not whole gets no lists: half a bag would pass for one. Lists of the same content are
    left as they are, others never replaced. Raises DiskError.
    """
    if outcome.is_cancelled:
        return ()
    made = []
    for number, folder in enumerate(plan.destinations):
        states = [each.on[number].state for each in outcome.files]
        is_whole = all(state is CopyState.VERIFIED for state in states)
        if outcome.destinations[number].dropped_by or not is_whole or outcome.left_out:
            continue
        _write_lists(folder, outcome, number)
        made.append(folder)
    return tuple(made)


def _write_lists(folder: Path, outcome: CopyOutcome, number: int) -> None:
    size = sum(each.size_bytes for each in outcome.files)
    manifest = "".join(
        sorted(
            f"{each.digest}  {PAYLOAD}/{_encoded(each.on[number].name or each.name, folder)}\n"
            for each in outcome.files
        )
    )
    info = (
        f"Bagging-Date: {datetime.now(UTC).date().isoformat()}\n"
        f"Payload-Oxum: {size}.{len(outcome.files)}\n"
        f"Bag-Software-Agent: Vast Cellar {__version__}\n"
    )
    try:
        with hold_source(folder) as root:
            _write(root, folder, "manifest-sha256.txt", manifest.encode())
            kept = _read(root, "bag-info.txt")
            if kept is None or f"Payload-Oxum: {size}.{len(outcome.files)}\n".encode() not in kept:
                _write(root, folder, "bag-info.txt", info.encode())
            _write(root, folder, "bagit.txt", _DECLARATION.encode())
            tags = ""
            for name in ("bag-info.txt", "bagit.txt", "manifest-sha256.txt"):
                content = _read(root, name) or b""
                tags += f"{hashlib.sha256(content).hexdigest()}  {name}\n"
            _write(root, folder, "tagmanifest-sha256.txt", tags.encode())
    except OSError as error:
        raise as_disk_error(error, str(folder)) from error


def _encoded(path: str, folder: Path) -> str:
    try:
        path.encode("utf-8")
    except UnicodeEncodeError as error:
        raise DiskError(
            f"{path!r} has a name that is no UTF-8, and a bag's list can't hold it",
            where=str(folder),
            mend="Hand the card over without --bag",
        ) from error
    # RFC 8493, 2.1.3: these, and only these, are written as in a web address.
    return path.replace("%", "%25").replace("\r", "%0D").replace("\n", "%0A")


def _read(root: HeldFolder, name: str) -> bytes | None:
    try:
        handle = root.open_file(name)
    except FileNotFoundError:
        return None
    with os.fdopen(handle, "rb") as file:
        return file.read()


def _write(root: HeldFolder, folder: Path, name: str, content: bytes) -> None:
    """Write a list whole or not at all; one of the same content is left, another is refused."""
    known = _read(root, name)
    if known == content:
        return
    if known is not None:
        raise DiskError(
            f"another {name} stands in this bag",
            where=str(folder),
            mend="Give the bag another name: what was handed over stays as it was",
        )
    temporary = f".{PAYLOAD}.vast-cellar-list"
    write_temporary(root, temporary, content)
    root.rename(temporary, name)
    root.sync()
