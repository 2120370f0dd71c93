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
from vastcellar.bench.copying.destination import Destination
from vastcellar.bench.copying.source import hold_source, read_tree
from vastcellar.bench.disk_errors import as_disk_error
from vastcellar.bench.held_folder import HeldFolder
from vastcellar.core.errors import BadValueError, DiskError
from vastcellar.core.roll.copies import CopyOutcome, CopyState
from vastcellar.services.roll.beside_copies import write_beside
from vastcellar.store.reading import read_bytes

PAYLOAD = "data"
"""The folder of a bag that the card's files lie in."""
ALGORITHM = "sha256"
"""What every tool for bags knows; xxh128 is known to none."""
_DECLARATION = "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"
_OURS = frozenset({PAYLOAD, "bagit.txt", "bag-info.txt", "manifest-sha256.txt",
                   "tagmanifest-sha256.txt"})  # fmt: skip


def bag_folders(asked: CopyPlan) -> list[Path]:
    """Return the folder of the bag in each destination of a copy, made where it is missing.

    *asked* is the copy that would be made without a bag: whatever stands in its way was refused
    before anything is made here.
    Raises BadValueError for a folder there that is no bag, or one that was handed over with other
    files; DiskError.
    """
    try:
        with hold_source(asked.source) as held:
            tree = read_tree(held, str(asked.source))
    except OSError as error:
        raise as_disk_error(error, str(asked.source)) from error
    wanted = {each.path: each.size_bytes for each in tree.files}
    folders = [each / asked.name for each in asked.paths]
    for folder in folders:
        _require_ours(folder, wanted)
    for folder in folders:
        try:
            folder.mkdir(exist_ok=True)
        except OSError as error:
            raise as_disk_error(error, str(folder)) from error
    return folders


def _require_ours(folder: Path, wanted: dict[str, int]) -> None:
    """Refuse a folder that is no bag, or a bag that holds other files than are wanted."""
    try:
        found = {each.name for each in folder.iterdir()}
        manifest = folder / "manifest-sha256.txt"
        # A line feed alone ends a line: names may have every other sign that ends one elsewhere.
        lines = read_bytes(manifest).decode().split("\n") if manifest.is_file() else None
    except FileNotFoundError:
        return
    except (OSError, UnicodeDecodeError) as error:
        reason = error if isinstance(error, OSError) else OSError(errno.EILSEQ, "it is no UTF-8")
        raise as_disk_error(reason, str(folder)) from error
    if lines is not None:
        listed = {_decoded(line.partition("  ")[2]) for line in lines if line}
        sizes = {
            path: (folder / PAYLOAD / path).stat().st_size if (folder / PAYLOAD / path).is_file()
            else -1
            for path in wanted
        }  # fmt: skip
        if listed != {f"{PAYLOAD}/{path}" for path in wanted} or sizes != wanted:
            raise BadValueError(
                "this bag was made of other files than lie on the card now",
                where=str(folder),
                mend="Give the bag another name: what was handed over stays as it was",
            )
    others = {each for each in found - _OURS if not each.startswith((f"{PAYLOAD}.", f".{PAYLOAD}"))}
    if folder.is_symlink() or others:
        what = f"{sorted(others)[0]!r} stands in it" if others else "it is a link"
        raise BadValueError(
            f"it is no bag of ours: {what}", where=str(folder), mend="Give the bag another name"
        )


def finish_bags(outcome: CopyOutcome, destinations: Sequence[Destination]) -> tuple[Path, ...]:
    """Write the lists of each bag whose files are all verified; return those bags.

    What is not whole gets no lists: half a bag would pass for one. Lists of the same content are
    left as they are, others never replaced. Raises DiskError.
    """
    if outcome.is_cancelled:
        return ()
    made = []
    for number, held in enumerate(destinations):
        states = [each.on[number].state for each in outcome.files]
        is_whole = all(state is CopyState.VERIFIED for state in states)
        if outcome.destinations[number].dropped_by or not is_whole or outcome.left_out:
            continue
        _write_lists(held, outcome, number)
        made.append(held.path)
    return tuple(made)


def _write_lists(held: Destination, outcome: CopyOutcome, number: int) -> None:
    folder = held.path
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
        _require_payload(held, {each.on[number].name or each.name for each in outcome.files})
        _write(held, "manifest-sha256.txt", manifest.encode())
        kept = _read(held.root, "bag-info.txt")
        if kept is None or f"Payload-Oxum: {size}.{len(outcome.files)}\n".encode() not in kept:
            _write(held, "bag-info.txt", info.encode())
        _write(held, "bagit.txt", _DECLARATION.encode())
        tags = ""
        for name in ("bag-info.txt", "bagit.txt", "manifest-sha256.txt"):
            content = _read(held.root, name) or b""
            tags += f"{hashlib.sha256(content).hexdigest()}  {name}\n"
        _write(held, "tagmanifest-sha256.txt", tags.encode())
    except OSError as error:
        raise as_disk_error(error, str(folder)) from error


def _require_payload(held: Destination, listed: set[str]) -> None:
    """Refuse a bag in whose payload something else lies: no tool would call it valid."""
    tree = read_tree(held.tree, str(held.path / PAYLOAD))
    others = {each.path for each in tree.files} - listed | set(tree.left_out)
    if others:
        raise DiskError(
            f"{sorted(others)[0]!r} lies in its payload and isn't on the card",
            where=str(held.path),
            mend="Give the bag another name",
        )


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


def _decoded(path: str) -> str:
    return path.replace("%0A", "\n").replace("%0D", "\r").replace("%25", "%")


def _read(root: HeldFolder, name: str) -> bytes | None:
    try:
        handle = root.open_file(name)
    except FileNotFoundError:
        return None
    with os.fdopen(handle, "rb") as file:
        return file.read()


def _write(held: Destination, name: str, content: bytes) -> None:
    """Write a list whole or not at all; one of the same content is left, another is refused."""
    known = _read(held.root, name)
    if known == content:
        return
    if known is not None:
        raise DiskError(
            f"another {name} stands in this bag",
            where=str(held.path),
            mend="Give the bag another name: what was handed over stays as it was",
        )
    write_beside(held, name, content)
