"""Files and folders for this user's eyes only, and files replaced whole, whatever the umask."""

from __future__ import annotations

import contextlib
import os
import secrets
import stat
from pathlib import Path

PRIVATE_FOLDER_MODE, PRIVATE_FILE_MODE = 0o700, 0o600
_NEW_FILE_MODE = 0o666


def make_private_folder(folder: Path) -> None:
    """Make *folder* and what is missing above it, closed to other users. Raises OSError.

    One of ours that an earlier umask had left open is closed.
    """
    missing = []
    place = folder
    while not place.exists() and place != place.parent:
        missing.append(place)
        place = place.parent
    for each in reversed(missing):
        with contextlib.suppress(FileExistsError):
            each.mkdir(PRIVATE_FOLDER_MODE)
    status = folder.stat()
    is_open = stat.S_IMODE(status.st_mode) & 0o077
    if is_open and status.st_uid == os.geteuid():
        with contextlib.suppress(OSError):  # some file systems have no modes
            folder.chmod(PRIVATE_FOLDER_MODE)


def replace_file(path: Path, content: bytes, *, is_private: bool = False) -> None:
    """Put *content* in place of what *path* holds, whole or not at all. Raises OSError.

    A file that is there keeps its mode, and a link stays one: what it leads to is replaced. What
    is written meanwhile has a name that can't be guessed and is never opened through a link.
    """
    target = Path(os.path.realpath(path))
    # A new file gets what the umask leaves, as with any program.
    mode = PRIVATE_FILE_MODE if is_private else _NEW_FILE_MODE
    kept_mode = None
    with contextlib.suppress(FileNotFoundError):
        kept_mode = stat.S_IMODE(target.stat().st_mode)
    folder = os.open(target.parent, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    scratch = f".vast-cellar-{secrets.token_hex(8)}.part"
    try:
        flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
        handle = os.open(scratch, flags, mode, dir_fd=folder)
        try:
            with os.fdopen(handle, "wb") as file:
                if kept_mode is not None and not is_private:
                    with contextlib.suppress(OSError):
                        os.fchmod(handle, kept_mode)
                file.write(content)
                file.flush()
                os.fsync(handle)
            os.rename(scratch, target.name, src_dir_fd=folder, dst_dir_fd=folder)
        except OSError:
            with contextlib.suppress(OSError):
                os.unlink(scratch, dir_fd=folder)
            raise
        with contextlib.suppress(OSError):  # the file itself is safe already
            os.fsync(folder)
    finally:
        os.close(folder)
