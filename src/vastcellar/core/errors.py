"""The one family of errors: what is wrong, where, and the mend."""

from vastcellar.core.printable import printable

_MOST_SHOWN, _HEAD, _TAIL = 500, 300, 100
DISK_IS_FULL = "the disk is full"


class VastCellarError(Exception):
    """Something a user can understand and mend.

    It reads as one piece: ``where: what. mend.`` A dialog may set the mend apart.
    """

    def __init__(self, what: str, *, where: str = "", mend: str = "") -> None:
        # All three go to Exception, so that they survive pickling.
        super().__init__(_shown(what), _shown(where), _shown(mend))

    @property
    def what(self) -> str:
        """Say what is wrong, without the full stop."""
        return str(self.args[0])

    @property
    def where(self) -> str:
        """Name the file, line or field; may be empty."""
        return str(self.args[1])

    @property
    def mend(self) -> str:
        """Say what to do about it, without the full stop; may be empty."""
        return str(self.args[2])

    def __reduce__(self) -> tuple[object, ...]:
        return (_rebuild, (type(self), self.what, self.where, self.mend))

    def __str__(self) -> str:
        head = f"{self.where}: {self.what}." if self.where else f"{self.what}."
        return f"{head} {self.mend}." if self.mend else head


def _shown(text: str) -> str:
    """Return *text* so that it can be printed and read: what it quotes may be of any length."""
    if len(text) > _MOST_SHOWN:
        text = f"{text[:_HEAD]} … {text[-_TAIL:]}"
    # Half a character, as of a file name that isn't UTF-8, can't be printed.
    return printable(text).encode("utf-8", errors="replace").decode("utf-8")


def _rebuild(kind: type[VastCellarError], what: str, where: str, mend: str) -> VastCellarError:
    return kind(what, where=where, mend=mend)


class BadValueError(VastCellarError):
    """A value that can't be: negative, zero, without a unit, contradicting another."""


class BadFileError(VastCellarError):
    """A file that can't be read as what it should be; nothing of it was taken over."""


class UnknownPartError(VastCellarError):
    """A part, unit, host or port is named that neither catalog nor cellar has."""


class DiskError(VastCellarError):
    """The disk under test refused: gone, full, read-only, no permission."""

    @property
    def is_full(self) -> bool:
        """Whether it refused for want of room."""
        return self.what == DISK_IS_FULL


class CellarError(VastCellarError):
    """The record of units and runs could not be opened, read or written."""
