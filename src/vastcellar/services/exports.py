"""Save what was made for others: whole or not at all."""

from __future__ import annotations

from pathlib import Path

from vastcellar.store.json_files import write_bytes_whole


def save_bytes(path: Path, content: bytes) -> None:
    """Save *content* in *path*. Raises BadFileError; *path* is then as it was."""
    write_bytes_whole(path, content)
