"""Values of ours, kept as they are, for a program that reads its own file again.

What stands in such a file can be had otherwise, only slower: a file that is damaged, of another
version or of something else is no error, there is just none.
"""

from __future__ import annotations

import io
import json
import pickle
from collections.abc import Collection, Mapping
from datetime import date, datetime, timedelta, timezone
from fractions import Fraction
from pathlib import Path, PosixPath
from typing import Any

from vastcellar.store.json_files import write_bytes_whole
from vastcellar.store.private_files import make_private_folder

_MAGIC = b"vast-cellar picture 1\n"
_MOST_MARK_BYTES = 65536
_PLAIN = frozenset(
    (kind.__module__, kind.__qualname__)
    for kind in (date, datetime, timedelta, timezone, Fraction, PosixPath, frozenset, set)
)
_VALUES = "vastcellar.core."
"""Core is values in, values out: nothing in it reaches a disk."""


class _Reader(pickle.Unpickler):
    """Makes values of core and of *modules*, and a few plain ones: no function is ever called."""

    def __init__(self, content: bytes, modules: Collection[str]) -> None:
        super().__init__(io.BytesIO(content))
        self._modules = modules

    def find_class(self, module: str, name: str) -> Any:
        """Return the class *name* of *module*. Raises UnpicklingError for anything else."""
        is_ours = module.startswith(_VALUES) or module in self._modules
        if (module, name) not in _PLAIN and not is_ours:
            raise pickle.UnpicklingError(f"{module}.{name} is none of ours")
        found = super().find_class(module, name)
        # What a module of ours only imports is not ours, and a name with dots reaches all of that.
        if not isinstance(found, type) or found.__module__ != module:
            raise pickle.UnpicklingError(f"{module}.{name} is no class of that module")
        return found


def keep_picture(path: Path, mark: Mapping[str, Any], value: Any) -> None:
    """Keep *value* in *path*, for as long as *mark*, which JSON can hold, is the same.

    Raises BadFileError, and OSError for the folder.
    """
    make_private_folder(path.parent)
    line = json.dumps(mark, sort_keys=True).encode() + b"\n"
    content = _MAGIC + line + pickle.dumps(value, pickle.HIGHEST_PROTOCOL)
    write_bytes_whole(path, content, is_private=True)


def kept_picture(path: Path, mark: Mapping[str, Any], modules: Collection[str]) -> Any | None:
    """Return what is kept in *path*; None where that can't be read, or was kept for another mark.

    Args:
        path: where it is kept.
        mark: that it must have been kept for; compared before anything else is looked at.
        modules: whose classes may stand in it, beside those of core.

    """
    try:
        with path.open("rb") as file:
            if file.read(len(_MAGIC)) != _MAGIC:
                return None
            line = file.readline(_MOST_MARK_BYTES)
            if line.rstrip(b"\n") != json.dumps(mark, sort_keys=True).encode():
                return None
            content = file.read()
        return _Reader(content, modules).load()
    except Exception:  # a damaged pickle may raise whatever it likes: there is none then
        return None
