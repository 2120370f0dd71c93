"""Values of the cellar as JSON: in a cell of a table, and in an export."""

from __future__ import annotations

import base64
import json
from datetime import UTC, date, datetime
from typing import Any

import orjson

from vastcellar.store.json_files import plain_for_json

EXPORT_FORMAT, EXPORT_VERSION = "vast-cellar/cellar-export", 1
"""Of a whole cellar in a file, and of a backup of one on a server."""


class Unreadable:
    """Stands for a JSON cell that can't be read: whoever looks into it gets a KeyError."""

    def __getitem__(self, key: object) -> Any:
        raise KeyError(key)


def cell_as_json(value: Any) -> str:
    """Return what a JSON cell keeps of *value*."""
    return json.dumps(plain_for_json(value), allow_nan=False)


def cell_from_json(kept: str | bytes) -> Any:
    """Return what a JSON cell holds; Unreadable where that is no JSON."""
    try:
        return orjson.loads(kept)
    except (ValueError, TypeError, RecursionError):
        pass
    try:
        return json.loads(kept)  # names of files that are no text, which only this one takes
    except (ValueError, TypeError, RecursionError):
        return Unreadable()


def json_value(value: Any) -> Any:
    """Return a cell of any kind as an export has it: bytes in base64, moments in UTC."""
    if isinstance(value, (bytes, memoryview)):
        return base64.b64encode(value).decode("ascii")
    if isinstance(value, datetime):
        return value.replace(tzinfo=UTC).isoformat()
    return value.isoformat() if isinstance(value, date) else value
