"""Save what was made for others: whole or not at all."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

from vastcellar.store.json_files import write_bytes_whole, write_text_whole

__all__ = ["plain_for_json", "save_bytes", "write_text_whole"]


def save_bytes(path: Path, content: bytes) -> None:
    """Save *content* in *path*. Raises BadFileError; *path* is then as it was."""
    write_bytes_whole(path, content)


def plain_for_json(value: Any) -> Any:
    """Return *value* as JSON can hold it: what is infinite or missing is null, never made up."""
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {key: plain_for_json(entry) for key, entry in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain_for_json(entry) for entry in value]
    return value
