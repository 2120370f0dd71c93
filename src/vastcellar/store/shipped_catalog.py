"""The shipped catalog, read without the checks that files from outside need.

These files are ours, and a test reads each of them by the strict reader too, and compares. So an
answer in the terminal and the first window don't wait for the machinery that checks strangers'
files, which takes longer to load than all of this takes to read.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import fields, is_dataclass
from fractions import Fraction
from functools import lru_cache
from types import MappingProxyType, UnionType
from typing import Any, Union, get_args, get_origin, get_type_hints

from vastcellar.core.links.hubs import Hub
from vastcellar.core.links.links import Cable, LinkMode
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.dimensions import BadPair, Pad
from vastcellar.core.parts.file_systems import FileSystem
from vastcellar.core.parts.parts import Drive, Enclosure, Host
from vastcellar.core.shoot.camera_models import CameraModel
from vastcellar.core.shoot.formats import CodecFamily
from vastcellar.data import data_path

SHIPPED_FILES = (
    "links.json",
    "codecs.json",
    "parts.json",
    "cameras.json",
    "file-systems.json",
    "builds.json",
)
CATALOG_SECTIONS: Mapping[str, type[Any]] = MappingProxyType(
    {
        "modes": LinkMode,
        "codecs": CodecFamily,
        "drives": Drive,
        "enclosures": Enclosure,
        "cables": Cable,
        "hosts": Host,
        "cameras": CameraModel,
        "hubs": Hub,
        "file_systems": FileSystem,
        "pads": Pad,
        "bad_pairs": BadPair,
        "stores": Enclosure,
    }
)
USUAL_CURRENCY = "EUR"


def shipped_catalog() -> Catalog:
    """Return the catalog as it ships."""
    sections: dict[str, dict[str, Any]] = {name: {} for name in CATALOG_SECTIONS}
    for name in SHIPPED_FILES:
        content = json.loads(data_path("catalog", name).read_bytes())
        for section, kind in CATALOG_SECTIONS.items():
            sections[section].update(_by_key(kind, content.get(section, ())))
    return Catalog(**sections, currency=USUAL_CURRENCY)


def shipped_modes() -> dict[str, LinkMode]:
    """Return the link modes alone: a sum asks for nothing else."""
    content = json.loads(data_path("catalog", "links.json").read_bytes())
    return dict(_by_key(LinkMode, content["modes"]))


def _by_key(kind: type[Any], rows: Iterable[Any]) -> Iterable[tuple[str, Any]]:
    for row in rows:
        value = _made(kind, row)
        yield value.key, value


@lru_cache(maxsize=64)
def _hints(kind: type[Any]) -> dict[str, Any]:
    hints = get_type_hints(kind)
    return {each.name: hints[each.name] for each in fields(kind)}


def _made(kind: Any, value: Any) -> Any:
    """Return *value*, as JSON has it, as the *kind* that a field is declared to be."""
    if is_dataclass(kind) and isinstance(kind, type):
        hints = _hints(kind)
        return kind(**{name: _made(hints[name], entry) for name, entry in value.items()})
    origin, arguments = get_origin(kind), get_args(kind)
    if origin is tuple:
        inner = arguments[:1] * len(value) if arguments[-1] is Ellipsis else arguments
        return tuple(_made(each, entry) for each, entry in zip(inner, value, strict=True))
    if origin in (Union, UnionType):
        return None if value is None else _made(arguments[0], value)
    return Fraction(value) if kind is Fraction else kind(value)
