"""The shoot file: one JSON document a job, ``"format": "vast-cellar/shoot"``, version 1."""

from __future__ import annotations

import json
from fractions import Fraction
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, ValidationError, field_serializer

from vastcellar.core.errors import BadFileError, BadValueError, UnknownPartError
from vastcellar.core.formats import RateRule, RecordingFormat
from vastcellar.core.parts import Catalog
from vastcellar.core.shoot import Camera, Setup, Shoot
from vastcellar.store.json_files import as_bad_file, read_json, require_format, write_text_whole

SHOOT_FORMAT = "vast-cellar/shoot"
CHAIN_FORMAT = "vast-cellar/chain"
SHOOT_SUFFIX = ".shoot.json"


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class FormatInFile(_Strict):
    """A recording format by codec key; only the fields that the codec's rule asks for."""

    codec: str
    width_px: int
    height_px: int
    frames_per_s: Fraction
    bit_depth: int = 12
    ratio: float = 1.0
    quality: str = ""
    menu_bits_per_s: float = 0.0
    audio_channels: int = 2
    container_overhead: float = 0.0

    @field_serializer("frames_per_s")
    def _exact(self, value: Fraction) -> str:
        return str(value)


class SetupInFile(_Strict):
    """What a camera records to, by part keys of the catalog and unit tags of the cellar."""

    drive_key: str
    host_key: str
    port_key: str
    unit_tag: str = ""
    enclosure_key: str = ""
    cable_key: str = ""


class CameraInFile(_Strict):
    """One camera."""

    key: str
    name: str
    model: str = ""
    recording: FormatInFile
    crest: float
    headroom: float
    longest_take_s: float
    hours_a_day: float
    medium_bytes: int
    buffer_bytes: int
    setup: SetupInFile | None = None


class ShootInFile(_Strict):
    """The whole document."""

    format: Literal["vast-cellar/shoot"]
    version: Literal[1]
    name: str
    note: str = ""
    days: int
    ambient_c: float
    copies: int
    cameras: tuple[CameraInFile, ...]


class ChainInFile(_Strict):
    """A setup on its own, to be judged without a shoot."""

    format: Literal["vast-cellar/chain"]
    version: Literal[1]
    name: str = ""
    setup: SetupInFile
    ambient_c: float = 25.0
    used_bytes: float = 0.0


def shoot_schema() -> dict[str, Any]:
    """Return the JSON Schema of the shoot file."""
    return ShootInFile.model_json_schema()


def chain_schema() -> dict[str, Any]:
    """Return the JSON Schema of the chain file."""
    return ChainInFile.model_json_schema()


def read_shoot(path: Path, catalog: Catalog) -> Shoot:
    """Return the shoot in *path*.

    Raises BadFileError naming the field; a file with an error opens nothing.
    """
    content = read_json(path)
    require_format(content, path, SHOOT_FORMAT, 1)
    try:
        document = ShootInFile.model_validate(content)
    except ValidationError as error:
        raise as_bad_file(error, path) from error
    cameras = []
    for index, entry in enumerate(document.cameras):
        field = f"{path.name}: cameras[{index}]"
        try:
            cameras.append(_camera(entry, catalog))
        except (BadValueError, UnknownPartError) as error:
            raise BadFileError(
                error.what, where=f"{field} ({error.where})", mend=error.mend
            ) from error
    try:
        return Shoot(
            name=document.name,
            days=document.days,
            cameras=tuple(cameras),
            ambient_c=document.ambient_c,
            copies=document.copies,
            note=document.note,
        )
    except BadValueError as error:
        raise BadFileError(
            error.what, where=f"{path.name}: {error.where}", mend=error.mend
        ) from error


def _camera(entry: CameraInFile, catalog: Catalog) -> Camera:
    fields = entry.recording.model_dump()
    fields["frames_per_s"] = entry.recording.frames_per_s
    fields["codec"] = catalog.codec(entry.recording.codec)
    return Camera(
        key=entry.key,
        name=entry.name,
        model=entry.model,
        recording=RecordingFormat(**fields),
        crest=entry.crest,
        headroom=entry.headroom,
        longest_take_s=entry.longest_take_s,
        hours_a_day=entry.hours_a_day,
        medium_bytes=entry.medium_bytes,
        buffer_bytes=entry.buffer_bytes,
        setup=Setup(**entry.setup.model_dump()) if entry.setup else None,
    )


def shoot_text(shoot: Shoot) -> str:
    """Return *shoot* as the text of its file; reading it back gives the same shoot."""
    document = ShootInFile(
        format="vast-cellar/shoot",
        version=1,
        name=shoot.name,
        note=shoot.note,
        days=shoot.days,
        ambient_c=shoot.ambient_c,
        copies=shoot.copies,
        cameras=tuple(_camera_in_file(camera) for camera in shoot.cameras),
    )
    content = document.model_dump(mode="json")
    for camera, entry in zip(shoot.cameras, content["cameras"], strict=True):
        _drop_unused(camera.recording, entry["recording"])
    return json.dumps(content, indent=2, ensure_ascii=False) + "\n"


def _camera_in_file(camera: Camera) -> CameraInFile:
    recording, setup = camera.recording, camera.setup
    return CameraInFile(
        key=camera.key,
        name=camera.name,
        model=camera.model,
        recording=FormatInFile(
            codec=recording.codec.key,
            width_px=recording.width_px,
            height_px=recording.height_px,
            frames_per_s=recording.frames_per_s,
            bit_depth=recording.bit_depth,
            ratio=recording.ratio,
            quality=recording.quality,
            menu_bits_per_s=recording.menu_bits_per_s,
            audio_channels=recording.audio_channels,
            container_overhead=recording.container_overhead,
        ),
        crest=camera.crest,
        headroom=camera.headroom,
        longest_take_s=camera.longest_take_s,
        hours_a_day=camera.hours_a_day,
        medium_bytes=camera.medium_bytes,
        buffer_bytes=camera.buffer_bytes,
        setup=SetupInFile(
            drive_key=setup.drive_key,
            host_key=setup.host_key,
            port_key=setup.port_key,
            unit_tag=setup.unit_tag,
            enclosure_key=setup.enclosure_key,
            cable_key=setup.cable_key,
        )
        if setup
        else None,
    )


_USED_BY_RULE = {
    RateRule.RATIO_RAW: {"bit_depth", "ratio"},
    RateRule.BITS_PER_PIXEL: {"quality"},
    RateRule.MENU_RATE: {"menu_bits_per_s"},
}


def _drop_unused(recording: RecordingFormat, entry: dict[str, Any]) -> None:
    """Leave out what the codec's rule doesn't ask for, where it still has its default."""
    defaults = {name: field.default for name, field in FormatInFile.model_fields.items()}
    for name in {"bit_depth", "ratio", "quality", "menu_bits_per_s"} - _USED_BY_RULE[
        recording.codec.rule
    ]:
        if entry[name] == defaults[name]:
            del entry[name]


def write_shoot(path: Path, shoot: Shoot) -> None:
    """Save *shoot* in *path*, whole or not at all. Raises BadFileError where it can't be."""
    write_text_whole(path, shoot_text(shoot))


def read_chain(path: Path) -> tuple[Setup, float, float]:
    """Return (setup, ambient in °C, used bytes) of a chain file. Raises BadFileError."""
    content = read_json(path)
    require_format(content, path, CHAIN_FORMAT, 1)
    try:
        document = ChainInFile.model_validate(content)
    except ValidationError as error:
        raise as_bad_file(error, path) from error
    return Setup(**document.setup.model_dump()), document.ambient_c, document.used_bytes
