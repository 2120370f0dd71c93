"""Codecs of the user's own: kept as a catalog file that is laid over the shipped ones."""

from __future__ import annotations

import json
import re
from typing import Any

from vastcellar.core.errors import BadFileError
from vastcellar.core.formats import CodecFamily
from vastcellar.core.parts import Catalog
from vastcellar.services.catalogs import read_catalog
from vastcellar.services.folders import Folders
from vastcellar.store.catalog_files import CATALOG_FORMAT, section_adapter
from vastcellar.store.json_files import read_json, require_format, write_text_whole

OWN_FORMATS_FILE = "own-formats.json"


def own_key(name: str) -> str:
    """Return the catalog key of a codec of the user's own called *name*."""
    return "own-" + (re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "codec")


def save_codec(codec: CodecFamily, places: Folders) -> Catalog:
    """Add *codec* to the user's own, in place of one of the same key; return the new catalog.

    Raises BadFileError where the file can't be read or written; it is then as it was.
    """
    path = places.catalog_folder / OWN_FORMATS_FILE
    content: dict[str, Any] = {"format": CATALOG_FORMAT, "version": 1, "codecs": []}
    if path.exists():
        content = read_json(path)
        require_format(content, path, CATALOG_FORMAT, 1)
    (entry,) = section_adapter(CodecFamily).dump_python([codec], mode="json")
    others = [each for each in content.get("codecs", []) if each.get("key") != codec.key]
    content["codecs"] = [*others, entry]
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadFileError(
            f"the folder can't be made ({error.strerror})",
            where=str(path.parent),
            mend="Check the permissions of the data folder",
        ) from error
    write_text_whole(path, json.dumps(content, indent=2, ensure_ascii=False) + "\n")
    return read_catalog(places)
