"""Catalog files: link modes, codecs and parts as JSON, read into core's values."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from vastcellar.core.errors import BadFileError, BadValueError
from vastcellar.core.links.hubs import Hub
from vastcellar.core.links.links import Cable, LinkMode, Port
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.dimensions import BadPair, CaseInside, DriveSize, Pad, Screws
from vastcellar.core.parts.file_systems import FileSystem
from vastcellar.core.parts.parts import Case, Drive, Enclosure, Host, ThrottleStage, WriteBehaviour
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.camera_models import CameraModel, FormatPreset
from vastcellar.core.shoot.formats import CodecFamily, Quality
from vastcellar.core.shoot.shoot import AllowedMedium, CameraLimits
from vastcellar.store.json_files import as_bad_file, read_json, require_format
from vastcellar.store.reading import as_sentence
from vastcellar.store.shipped_catalog import CATALOG_SECTIONS, shipped_catalog

if TYPE_CHECKING:
    # Loaded with the first file that is read: a start that reads none does without.
    from pydantic import TypeAdapter

CATALOG_FORMAT = "vast-cellar/catalog"
CELLAR_FORMAT = "vast-cellar/cellar"

# core knows nothing of pydantic, so the border says how strictly its values are read from
# files: a misspelt field must not pass as a missing one.
_FROM_FILES: tuple[Any, ...] = (
    LinkMode,
    CodecFamily,
    Quality,
    Drive,
    WriteBehaviour,
    ThrottleStage,
    Case,
    Enclosure,
    Cable,
    Host,
    Port,
    Unit,
    CameraModel,
    FormatPreset,
    CameraLimits,
    AllowedMedium,
    Hub,
    FileSystem,
    DriveSize,
    CaseInside,
    Screws,
    Pad,
    BadPair,
)
for _kind in _FROM_FILES:
    _kind.__pydantic_config__ = {"extra": "forbid"}

_SECTIONS: dict[str, type[Any]] = {**CATALOG_SECTIONS, "units": Unit}

# What a calibration found is kept with its runs: a file can't claim it.
_OF_CALIBRATION: dict[str, tuple[str, ...]] = {
    "drives": ("typical",),
    "units": (
        "fitted",
        "fitted_from",
        "is_fit_simulated",
        "fitted_at",
        "device",
        "acceptance",
        "doubted_at",
        "slowed",
    ),
}


@lru_cache(maxsize=32)
def section_adapter(kind: Any) -> TypeAdapter[list[Any]]:
    """Return pydantic's reader for a list of *kind*; it also makes the JSON Schema."""
    from pydantic import TypeAdapter

    return TypeAdapter(list[kind])


def rows_for_file(section: str, values: Sequence[Any]) -> list[dict[str, Any]]:
    """Return *values* as a file lists them in its *section*, without what no file may claim."""
    adapter = section_adapter(_SECTIONS[section])  # type: ignore[arg-type]
    rows: list[dict[str, Any]] = adapter.dump_python(list(values), mode="json")
    kept_out = _OF_CALIBRATION.get(section, ())
    return [{key: row[key] for key in row if key not in kept_out} for row in rows]


def read_rows(section: str, rows: Sequence[Mapping[str, Any]]) -> list[Any]:
    """Return the values of *rows* as a file lists them. Raises ValueError, KeyError, BadValueError.

    (A ValidationError is a ValueError.)
    """
    found: list[Any] = section_adapter(_SECTIONS[section]).validate_python(list(rows))  # type: ignore[arg-type]
    return found


def read_sections(path: Path, format_name: str) -> dict[str, list[Any]]:
    """Return the values of each list in *path*, by the name of the section.

    Raises BadFileError naming file and field; nothing is taken over from a file with an error.
    """
    from pydantic import ValidationError

    content = read_json(path)
    require_format(content, path, format_name, 1)
    sections: dict[str, list[Any]] = {}
    for name, kind in _SECTIONS.items():
        if name not in content:
            continue
        _require_no_calibration(name, content[name], path)
        with as_sentence(path, "catalog"):
            try:
                sections[name] = section_adapter(kind).validate_python(content[name])  # type: ignore[arg-type]
            except ValidationError as error:
                raise as_bad_file(error, path, name) from error
            except BadValueError as error:
                raise BadFileError(
                    error.what, where=f"{path.name}: {name}: {error.where}", mend=error.mend
                ) from error
    unknown = set(content) - set(_SECTIONS) - {"format", "version", "currency", "simulated"}
    if unknown:
        raise BadFileError(
            f"{sorted(unknown)[0]!r} is no section of such a file",
            where=path.name,
            mend=f"Use {', '.join(_SECTIONS)}",
        )
    if "currency" in content:
        sections["currency"] = [str(content["currency"])]
    return sections


def _require_no_calibration(name: str, rows: Any, path: Path) -> None:
    """Raise BadFileError where a file claims what only measured runs can tell."""
    for row in rows if isinstance(rows, list) else ():
        names = _OF_CALIBRATION.get(name, ()) if isinstance(row, dict) else ()
        claimed = [field for field in names if row.get(field)]  # null claims nothing
        if claimed:
            raise BadFileError(
                f"{claimed[0]!r} comes from a unit's own runs, not from a file",
                where=f"{path.name}: {name}",
                mend="Leave it out, and measure the unit",
            )


def catalog_schema() -> dict[str, Any]:
    """Return the JSON Schema of catalog and cellar files: the same sections, each optional."""
    sections = {
        name: section_adapter(kind).json_schema(ref_template="#/$defs/{model}")  # type: ignore[arg-type]
        for name, kind in _SECTIONS.items()
    }
    definitions: dict[str, Any] = {}
    for section in sections.values():
        definitions.update(section.pop("$defs", {}))
    for name, fields in _OF_CALIBRATION.items():
        for field in fields:
            del definitions[_SECTIONS[name].__name__]["properties"][field]
    for kind in ("DeviceIdentity", "Acceptance", "Slowed"):  # only runs tell of these
        definitions.pop(kind, None)
    return {
        "$defs": definitions,
        "title": "CatalogInFile",
        "description": "Link modes, codecs and parts; a cellar file lists units.",
        "type": "object",
        "additionalProperties": False,
        "required": ["format", "version"],
        "properties": {
            "format": {"enum": [CATALOG_FORMAT, CELLAR_FORMAT]},
            "version": {"const": 1},
            "currency": {"type": "string"},
            "simulated": {"type": "boolean"},
            **sections,
        },
    }


def load_catalog(extra: Iterable[Path] = ()) -> Catalog:
    """Return the shipped catalog with the files *extra* laid over it, later keys winning.

    Raises BadFileError for a file with an error, or where a part names a link mode that no
    file describes.
    """
    shipped = shipped_catalog()
    merged: dict[str, dict[str, Any]] = {
        name: dict(getattr(shipped, name)) for name in CATALOG_SECTIONS
    }
    merged["units"] = {}
    currency = shipped.currency
    for path in extra:
        sections = read_sections(path, CATALOG_FORMAT)
        currency = sections.pop("currency", [currency])[0]
        for name, values in sections.items():
            merged[name].update((value.key, value) for value in values)
        with as_sentence(path, "catalog"):
            _require_known_modes(merged, path)
            _require_possible_presets(merged, path)
            _require_possible_bridges(merged, path)
            _require_cases_apart(merged, path)
    return Catalog(
        modes=merged["modes"],
        codecs=merged["codecs"],
        drives=merged["drives"],
        enclosures=merged["enclosures"],
        cables=merged["cables"],
        hosts=merged["hosts"],
        cameras=merged["cameras"],
        hubs=merged["hubs"],
        file_systems=merged["file_systems"],
        pads=merged["pads"],
        bad_pairs=merged["bad_pairs"],
        stores=merged["stores"],
        currency=currency,
    )


def _require_known_modes(merged: dict[str, dict[str, Any]], path: Path) -> None:
    named: list[tuple[str, tuple[str, ...]]] = []
    named += [(drive.key, drive.host_modes) for drive in merged["drives"].values()]
    cases = (*merged["enclosures"].values(), *merged["stores"].values())
    named += [(case.key, case.host_modes) for case in cases]
    named += [(cable.key, cable.modes) for cable in merged["cables"].values()]
    for hub in merged["hubs"].values():
        named += [(hub.key, hub.uplink_modes), (hub.key, hub.downlink_modes)]
    for host in merged["hosts"].values():
        named += [(f"{host.key}/{port.key}", port.modes) for port in host.ports]
    for owner, keys in named:
        for key in keys:
            if key not in merged["modes"]:
                raise BadFileError(
                    f"it names the link mode {key!r}, which no file describes",
                    where=f"{path.name}: {owner}",
                    mend=f"Use one of {', '.join(sorted(merged['modes']))}, or describe it",
                )


def _require_cases_apart(merged: dict[str, dict[str, Any]], path: Path) -> None:
    """A store is no case for one drive: Match would take both of its disks for one."""
    for section, is_store in (("enclosures", False), ("stores", True)):
        for case in merged[section].values():
            if (case.bays > 1) != is_store:
                raise BadFileError(
                    f"it has {case.bays} {'bays' if case.bays > 1 else 'bay'}",
                    where=f"{path.name}: {section}: {case.key}",
                    mend=f"List it among the {'enclosures' if is_store else 'stores'}",
                )
    if doubled := merged["enclosures"].keys() & merged["stores"].keys():
        raise BadFileError(
            f"{sorted(doubled)[0]!r} is both an enclosure and a store",
            where=path.name,
            mend="Give one of them another key",
        )


def _require_possible_bridges(merged: dict[str, dict[str, Any]], path: Path) -> None:
    for enclosure in (*merged["enclosures"].values(), *merged["stores"].values()):
        best = max(merged["modes"][key].ceiling_bytes_per_s for key in enclosure.host_modes)
        bridge = enclosure.bridge_write_bytes_per_s
        if bridge > best * 1.001:
            raise BadFileError(
                f"its bridge of {bridge / 1e6:,.0f} MB/s is faster than its link, which carries "
                f"{best / 1e6:,.0f} MB/s",
                where=f"{path.name}: {enclosure.key}",
                mend="Check for bits and bytes, a factor of 8",
            )


def _require_possible_presets(merged: dict[str, dict[str, Any]], path: Path) -> None:
    for model in merged["cameras"].values():
        for preset in model.presets:
            where = f"{path.name}: {model.key}: {preset.name}"
            codec = merged["codecs"].get(preset.codec)
            if codec is None:
                raise BadFileError(
                    f"it names the codec {preset.codec!r}, which no file describes",
                    where=where,
                    mend=f"Use one of {', '.join(sorted(merged['codecs']))}, or describe it",
                )
            try:
                preset.recording(codec)
            except BadValueError as error:
                raise BadFileError(error.what, where=where, mend=error.mend) from error


def read_units(path: Path) -> tuple[Unit, ...]:
    """Return the units of a cellar file. Raises BadFileError as read_sections does."""
    return tuple(read_sections(path, CELLAR_FORMAT).get("units", []))
