"""A folder held by its descriptor: what is done in it is done there, whatever becomes of its name.

Whoever may write beside us can swap a folder for a link, or plant a link where a file of ours is
about to be. So a folder is opened once, and from then on every name is looked up below that
descriptor, never followed, never opened where something stands already; and only what was made
here is removed, if it still is what was made.
"""

from __future__ import annotations

import contextlib
import ctypes
import errno
import os
import stat
import threading
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType

_FOLDER_FLAGS = os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC
_RENAME_NOREPLACE = 1
# Looked up once: renaming is measured. None where the C library is older than the call.
_renameat2 = getattr(ctypes.CDLL(None, use_errno=True), "renameat2", None)
PRIVATE_FOLDER_MODE, PRIVATE_FILE_MODE = 0o700, 0o600


@dataclass(frozen=True, slots=True)
class Identity:
    """What a name stood for when it was looked at."""

    device: int
    inode: int

    @classmethod
    def of(cls, status: os.stat_result) -> Identity:
        """Return the identity in *status*."""
        return cls(status.st_dev, status.st_ino)


class HeldFolder:
    """One open folder, and what was made in it through this object. Methods may raise OSError."""

    def __init__(self, handle: int) -> None:
        self._handle = handle
        self._made: dict[str, Identity] = {}
        self._lock = threading.Lock()
        self.identity = Identity.of(os.fstat(handle))

    @classmethod
    def open(cls, path: Path) -> HeldFolder:
        """Hold the folder that a user chose: links on the way to it are the user's own."""
        return cls(os.open(path, _FOLDER_FLAGS))

    @classmethod
    def of_handle(cls, held: HeldFolder) -> HeldFolder:
        """Hold the same folder once more, on a descriptor of its own."""
        return cls(os.dup(held.handle))

    def __enter__(self) -> HeldFolder:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.close()

    @property
    def handle(self) -> int:
        """The descriptor, for what has no method here."""
        return self._handle

    def identity_of(self, name: str) -> Identity | None:
        """Return what *name* stands for now, links not followed; None where it stands for nothing.

        Raises OSError where that can't be told, as of a disk that is gone.
        """
        try:
            return Identity.of(os.stat(name, dir_fd=self._handle, follow_symlinks=False))
        except FileNotFoundError:
            return None

    def status(self, name: str) -> os.stat_result:
        """Return the status of *name*, links not followed."""
        return os.stat(name, dir_fd=self._handle, follow_symlinks=False)

    def names(self) -> list[str]:
        """Return all names in the folder, whoever made them."""
        return sorted(os.listdir(self._handle))  # noqa: PTH208 - only this lists an open folder

    def make_folder(self, name: str) -> HeldFolder:
        """Make the folder *name*, private to this user, and hold it."""
        os.mkdir(name, PRIVATE_FOLDER_MODE, dir_fd=self._handle)
        made = self.open_folder(name)
        # Whatever was put there in between would not be empty, ours and on the same disk.
        status = os.fstat(made.handle)
        if status.st_dev != self.identity.device or made.names():
            made.close()
            raise OSError(errno.EEXIST, "somebody else put something in its place", name)
        self._made[name] = made.identity
        return made

    def open_folder(self, name: str) -> HeldFolder:
        """Hold the folder *name*; a link is refused."""
        return HeldFolder(os.open(name, _FOLDER_FLAGS | os.O_NOFOLLOW, dir_fd=self._handle))

    def create(self, name: str, flags: int = os.O_RDWR) -> int:
        """Make the file *name* and return it open; whatever stands there already is refused."""
        handle = os.open(
            name,
            flags | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC,
            PRIVATE_FILE_MODE,
            dir_fd=self._handle,
        )
        with self._lock:
            self._made[name] = Identity.of(os.fstat(handle))
        return handle

    def open_file(self, name: str, flags: int = os.O_RDONLY) -> int:
        """Open the regular file *name* that is there; links, pipes and devices are refused."""
        return self.open_regular(name, flags)[0]

    def open_regular(self, name: str, flags: int = os.O_RDONLY) -> tuple[int, os.stat_result]:
        """Open as ``open_file`` does; return the descriptor and its status."""
        # Without O_NONBLOCK a pipe in its place would hold us up for ever.
        handle = os.open(
            name, flags | os.O_NOFOLLOW | os.O_CLOEXEC | os.O_NONBLOCK, dir_fd=self._handle
        )
        status = os.fstat(handle)
        if not stat.S_ISREG(status.st_mode):
            os.close(handle)
            raise OSError(errno.EINVAL, "it is no regular file", name)
        return handle, status

    def rename(self, name: str, new_name: str) -> None:
        """Give what was made here as *name* a *new_name* that nothing has yet."""
        self._require_ours(name)
        _rename_without_replacing(self._handle, name, new_name)
        with self._lock:
            self._made[new_name] = self._made.pop(name)

    def remove(self, name: str) -> int:
        """Remove the file *name* that was made here and return its size; 0 where it is gone.

        Raises OSError where something else stands there now.
        """
        if self.identity_of(name) is None:
            with self._lock:
                self._made.pop(name, None)
            return 0
        self._require_ours(name)
        size_bytes = self.status(name).st_size
        os.unlink(name, dir_fd=self._handle)
        with self._lock:
            self._made.pop(name, None)
        return size_bytes

    def remove_folder(self, name: str, held: HeldFolder) -> bool:
        """Remove the empty folder *name* if it is still *held*; return whether it is gone.

        Moved away by somebody, it is sought by its descriptor.
        """
        if self.identity_of(name) == held.identity:
            with contextlib.suppress(OSError):  # somebody put something of theirs into it
                os.rmdir(name, dir_fd=self._handle)
            return self.identity_of(name) != held.identity
        return held.remove_itself()

    def remove_itself(self) -> bool:
        """Remove this folder, empty, from wherever it was moved to; return whether that worked."""
        try:
            place = Path(os.readlink(f"/proc/self/fd/{self._handle}"))  # noqa: PTH115 - no path
            with HeldFolder.open(place.parent) as parent:
                if parent.identity_of(place.name) != self.identity:
                    return False
                os.rmdir(place.name, dir_fd=parent.handle)
        except OSError:
            return False
        return True

    def is_ours(self, name: str) -> bool:
        """Whether *name* was made here and still is what was made."""
        made = self._made.get(name)
        if made is None:
            return False
        try:
            status = os.stat(name, dir_fd=self._handle, follow_symlinks=False)
        except FileNotFoundError:
            return False
        return status.st_ino == made.inode and status.st_dev == made.device

    def _require_ours(self, name: str) -> None:
        if not self.is_ours(name):
            raise OSError(errno.ESTALE, "it is not what was made here", name)

    def made_as(self, name: str) -> Identity:
        """Return what *name* stood for when it was made here."""
        with self._lock:
            return self._made[name]

    def made(self) -> tuple[str, ...]:
        """Return the names that were made here and not removed since."""
        with self._lock:
            return tuple(self._made)

    def sync(self) -> None:
        """Return when the folder's entries are on the drive."""
        os.fsync(self._handle)

    def close(self) -> None:
        """Let go of the folder; a disk that is gone may complain once more, unheard."""
        if self._handle >= 0:
            with contextlib.suppress(OSError):
                os.close(self._handle)
            self._handle = -1


def _rename_without_replacing(folder_handle: int, name: str, new_name: str) -> None:
    """Rename below *folder_handle*; raises FileExistsError where *new_name* stands already."""
    if _renameat2 is not None:
        before, after = os.fsencode(name), os.fsencode(new_name)
        done = _renameat2(folder_handle, before, folder_handle, after, _RENAME_NOREPLACE)
        if done == 0:
            return
        number = ctypes.get_errno()
        if number not in (errno.EINVAL, errno.ENOSYS, errno.EOPNOTSUPP):
            raise OSError(number, os.strerror(number), new_name)
    # Some file systems can't refuse by themselves: then the gap between look and deed is left.
    with contextlib.suppress(FileNotFoundError):
        os.stat(new_name, dir_fd=folder_handle, follow_symlinks=False)
        raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST), new_name)
    os.rename(name, new_name, src_dir_fd=folder_handle, dst_dir_fd=folder_handle)
