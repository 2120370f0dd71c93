"""The JSON Schemas of the open formats, by the name of the file they describe."""

from __future__ import annotations

from typing import Any

from vastcellar.store.catalog_files import catalog_schema
from vastcellar.store.copy_files import copy_schema
from vastcellar.store.edit_files import edit_schema
from vastcellar.store.protocol_files import protocol_schema
from vastcellar.store.shoot_files import chain_schema, shoot_schema


def schemas() -> dict[str, dict[str, Any]]:
    """Return each schema; files and schemas come from the same models."""
    return {
        "shoot": shoot_schema(),
        "chain": chain_schema(),
        "edit": edit_schema(),
        "catalog": catalog_schema(),
        "protocols": protocol_schema(),
        "copy": copy_schema(),
    }
