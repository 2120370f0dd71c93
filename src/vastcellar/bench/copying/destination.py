"""One destination: files are written under a name of ours, flushed, renamed, then read back.

Nothing that stands there already is overwritten or removed. A file gets its own name only when it
is whole and on the drive; a rename that would replace something is refused by the kernel.
"""

from __future__ import annotations

import contextlib
import ctypes
import errno
import mmap
import os
import stat
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path, PurePath

from vastcellar.bench.copying.ends import ends_of_name
from vastcellar.bench.copying.file_writer import FileWriter, Seen, Written
from vastcellar.bench.copying.folders import OpenFolders
from vastcellar.bench.copying.journal import Journal, VerifiedFile
from vastcellar.bench.copying.source import SourceFile, folder_below
from vastcellar.bench.held_folder import HeldFolder, Identity
from vastcellar.core.errors import DiskError

_syncfs = getattr(ctypes.CDLL(None, use_errno=True), "syncfs", None)
DIRECT_FROM_BYTES = 8 * 2**20
"""Smaller files are as quick through the host's memory, and are flushed together."""
_MOST_ASIDE = 1000


@dataclass
class Destination(FileWriter):
    """A folder that a card is copied into, as a folder of its own name in it."""

    path: Path
    copy_name: str
    algorithm: str
    flushes_each: bool = False
    card_id: str = ""
    """What the card's file system calls itself."""
    card_folders: frozenset[Identity] = frozenset()
    """All folders of the card: nothing is ever written into one."""
    stamps_last: bool = True
    """Whether inode numbers and change times there tell whether a file was touched."""
    where: str = ""
    is_fresh: bool = False
    """Whether the card's folder was made just now: nothing can stand in it."""
    _made: set[tuple[str, ...]] = field(default_factory=set)

    def open(self) -> None:
        """Hold the destination, make or take up the card's folder and its journal.

        Raises OSError, or DiskError where another copy is at it.
        """
        self.where = str(self.path)
        self.root = HeldFolder.open(self.path)
        try:
            self._refuse_card(self.root)
            self.journal = Journal(
                self.root, self.copy_name, self.algorithm, self.where, self.card_id
            )
            try:
                self.tree = self._take_folder(self.root, self.copy_name)
                self.folders = OpenFolders(self.tree)
            except BaseException:
                self.journal.close()
                raise
        except BaseException:
            self.root.close()
            raise
        self._sweep()

    def _refuse_card(self, held: HeldFolder) -> HeldFolder:
        """Return *held*, closed and refused where it is one of the card's own folders."""
        if held.identity in self.card_folders:
            held.close()
            raise DiskError(
                "it is a folder of the card itself, and nothing is written to a card",
                where=self.where,
                mend="Choose another place, or another name with --name",
            )
        return held

    def close(self) -> None:
        """Let everything go."""
        self.journal.close()
        self.folders.close()
        self.tree.close()
        self.root.close()

    def _take_folder(self, parent: HeldFolder, name: str) -> HeldFolder:
        """Hold the folder *name*, made if it isn't there; a link in its place is refused."""
        try:
            os.mkdir(name, 0o777, dir_fd=parent.handle)
            self.is_fresh = True
        except FileExistsError:
            pass
        return self._refuse_card(parent.open_folder(name))

    def _sweep(self) -> None:
        """Remove what this very copy was writing when it was cut off: its token is in the name.

        Of one with another checksum before it, too: nobody else would ever take that away.
        """
        for token in self.journal.swept_tokens:
            self._sweep_marked(f".{token}-")
            mark = self._beside_mark(token)
            for name in self.root.names():
                if name.startswith(mark) and stat.S_ISREG(self.root.status(name).st_mode):
                    os.unlink(name, dir_fd=self.root.handle)

    def _beside_mark(self, token: str) -> str:
        return f".{self.copy_name}.{token}."

    def beside_name(self, number: int) -> str:
        """Return the name that a list has while it is written beside the copy."""
        return f"{self._beside_mark(self.journal.token)}{number}"

    def _sweep_marked(self, mark: str) -> None:
        waiting: list[tuple[str, ...]] = [()]
        while waiting:
            path = waiting.pop()
            with folder_below(self.tree, path) as folder, os.scandir(folder.handle) as entries:
                for each in entries:
                    status = each.stat(follow_symlinks=False)
                    if stat.S_ISDIR(status.st_mode):
                        waiting.append((*path, each.name))
                    elif each.name.startswith(mark) and stat.S_ISREG(status.st_mode):
                        os.unlink(each.name, dir_fd=folder.handle)

    @property
    def _mark(self) -> str:
        return f".{self.journal.token}-"

    # What is there already

    def known(self, file: SourceFile) -> VerifiedFile | None:
        """Return what the journal says of *file*, where both it and its copy are as they were.

        Its ends are still to be compared with those of the clip.
        """
        found = self.journal.verified.get(file.path)
        if found is None or found.size_bytes != file.size_bytes:
            return None
        if found.modified_ns != file.modified_ns:
            return None
        stamps = found.card_inode, found.card_changed_ns
        if file.is_lasting and stamps != (file.identity.inode, file.changed_ns):
            return None
        try:
            with folder_below(self.tree, file.folder) as folder:
                status = folder.status(found.name.rpartition("/")[2] or file.name)
        except OSError:
            return None
        now = status.st_ino, status.st_ctime_ns, status.st_size
        is_same = stat.S_ISREG(status.st_mode) and now == (
            found.inode, found.changed_ns, file.size_bytes
        )  # fmt: skip
        return found if is_same else None

    def stands(self, file: SourceFile) -> bool:
        """Whether something stands under the name of *file* already."""
        if self.is_fresh:
            return False
        try:
            folder = self.folders.take(file.folder)
        except OSError:
            return False  # not there, or a link in its place: making it tells
        try:
            return folder.identity_of(file.name) is not None
        finally:
            self.folders.give_back(file.folder)

    def found(self, file: SourceFile) -> Written:
        """Return what stands there, to be compared. Raises OSError where it is no regular file."""
        folder = self.folders.take(file.folder)
        try:
            handle = folder.open_file(file.name)
            status = os.fstat(handle)
            os.close(handle)
        except OSError:
            self.folders.give_back(file.folder)
            raise
        return Written(
            file, folder, "", -1, False, Identity.of(status), file.name,
            size_bytes=status.st_size, was_there=True,
        )  # fmt: skip

    def asides(self, written: Written) -> Iterator[Written]:
        """Yield what stands aside already in the place of *written*, and could be the same."""
        file = written.file
        for number in range(1, _MOST_ASIDE):
            name = _aside_name(file.name, number)
            try:
                status = written.folder.status(name)
            except FileNotFoundError:
                return
            if stat.S_ISREG(status.st_mode) and status.st_size == file.size_bytes:
                yield Written(
                    file, written.folder, "", -1, False, Identity.of(status), name,
                    digest=written.digest, size_bytes=status.st_size, was_there=True, is_held=False,
                )  # fmt: skip

    # Writing

    def make_folder(self, path: tuple[str, ...]) -> None:
        """Make the folder *path* and those above it, where they aren't there yet."""
        for depth in range(1, len(path) + 1):
            part = path[:depth]
            if part in self._made:
                continue
            with folder_below(self.tree, part[:-1]) as parent:
                with contextlib.suppress(FileExistsError):
                    os.mkdir(part[-1], 0o777, dir_fd=parent.handle)
                    parent.sync()
                # a link or a file in its place is refused, and so is the card
                self._refuse_card(parent.open_folder(part[-1])).close()
            self._made.add(part)

    def place_of(self, file: SourceFile, number: int) -> tuple[HeldFolder, str, str]:
        """Return its folder, made where it isn't there, the name of ours, and its own."""
        self.make_folder(file.folder)
        return self.folders.take(file.folder), f"{self._mark}{number}.part", file.name

    def let_go(self, file: SourceFile) -> None:
        """Let the folder of *file* be closed where nothing else goes on in it."""
        self.folders.give_back(file.folder)

    def is_direct(self, file: SourceFile) -> bool:
        """Whether it is large enough for it to be worth it."""
        return file.size_bytes >= DIRECT_FROM_BYTES

    def flush_all(self) -> bool:
        """Return when everything on the destination is on the drive; False where that can't be."""
        if _syncfs is None or self.flushes_each:
            return False
        if _syncfs(self.tree.handle) != 0:
            number = ctypes.get_errno()
            raise OSError(number, os.strerror(number), self.where)
        return True

    def publish(self, written: Written) -> None:
        """Give it its own name, or one aside where that is taken. Raises OSError."""
        self.close_handle(written)
        name = written.file.name
        # One by one: nearly every file gets its own name, and the others cost time to think of.
        for number in range(1 if written.aside else 0, _MOST_ASIDE):
            written.name = _aside_name(name, number) if number else name
            try:
                written.folder.rename(written.temporary, written.name)
                return
            except FileNotFoundError as error:
                if written.folder.identity_of(written.temporary):  # it is there: its new name isn't
                    raise OSError(errno.EINVAL, "its name can't be held there", name) from error
                raise
            except FileExistsError:
                # Somebody put it there meanwhile: theirs stays, ours stands beside it.
                written.aside = True
        raise OSError(errno.EEXIST, "a thousand files stand beside it already", name)

    def sentence(self, error: OSError) -> DiskError:
        """Return what took it out of the copy."""
        found = super().sentence(error)
        if found.is_full:
            mend = "Make room: what is verified isn't copied again"
            return DiskError(found.what, where=self.where, mend=mend)
        return found

    def remove(self, folder: HeldFolder, temporary: str) -> None:
        """Remove what isn't whole. Raises OSError."""
        try:
            folder.remove(temporary)
        except OSError as error:
            # Some file systems give a file another number once nobody has it open: then the token
            # in its name, which nobody else can know, says whose it is.
            if error.errno != errno.ESTALE or not temporary.startswith(self._mark):
                raise
            if stat.S_ISREG(folder.status(temporary).st_mode):
                os.unlink(temporary, dir_fd=folder.handle)

    def note(self, written: Written) -> None:
        """Note in the journal that it is verified."""
        file = written.file
        self.journal.add(
            VerifiedFile(
                file.path, file.size_bytes, file.modified_ns, written.digest,
                written.identity.inode, written.changed_ns,
                written.path if written.name != file.name else "",
                file.identity.inode, file.changed_ns, written.ends_digest,
            )
        )  # fmt: skip

    # The last look

    def why_not_in_place(self) -> str:
        """Return why the folder that is held isn't the one at its path; "" where it is."""
        try:
            status = self.path.stat()
            at_its_path = Identity.of(status)
            inside = self.root.identity_of(self.copy_name)
        except OSError as error:
            return f"its folder can't be reached any more ({error.strerror})"
        if at_its_path != self.root.identity or inside != self.tree.identity:
            return "something else lies at its place now"
        return ""

    def why_not_as_read(
        self, file: SourceFile, seen: Seen, ends: str, buffer: mmap.mmap, *, reads: bool
    ) -> str:
        """Return what became of a verified copy since it was *seen*; "" where nothing did.

        Where it *reads*, its ends are read from the drive once more.
        """
        name = seen.name or file.name
        try:
            folder = self.folders.take(file.folder)
        except OSError as error:
            return f"its folder is gone ({error.strerror})"
        try:
            status = folder.status(name)
            if not stat.S_ISREG(status.st_mode) or status.st_size != file.size_bytes:
                return "it was changed after it was read back"
            now = status.st_ino, status.st_ctime_ns
            if self.stamps_last and now != (seen.inode, seen.changed_ns):
                return "it was changed after it was read back"
            if not ends or not reads:
                return ""
            if ends_of_name(folder, name, file.size_bytes, buffer) != ends:
                return "it reads otherwise than when it was read back"
        except FileNotFoundError:
            return "it is gone from there since it was read back"
        except OSError as error:
            return f"it can't be read any more ({error.strerror})"
        finally:
            self.folders.give_back(file.folder)
        return ""

    def sync_notes(self) -> None:
        """Return when the journal is on the drive."""
        self.journal.sync()

    def end_folder(self, path: tuple[str, ...], modified_ns: int) -> None:
        """Give a folder the time that the source's has; rights stay as they are here."""
        with contextlib.suppress(OSError), folder_below(self.tree, path) as folder:
            os.utime(folder.handle, ns=(modified_ns, modified_ns))
            folder.sync()


def _aside_name(name: str, number: int) -> str:
    pure = PurePath(name)
    return f"{pure.stem}.other-{number}{pure.suffix}"
