"""The shoot file: one JSON document a job, ``"format": "vast-cellar/shoot"``, version 1."""

from __future__ import annotations

import json
from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import (
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    ValidationError,
    field_serializer,
)

from vastcellar.core.errors import BadFileError, BadValueError, UnknownPartError
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.edit_plan import (
    Beside,
    Editor,
    EditPlan,
    GrowthSetup,
    StoreSetup,
    StreamSetup,
)
from vastcellar.core.shoot.formats import (
    MAX_FRAMES_PER_S,
    MAX_VIDEO_BYTES_PER_S,
    RateRule,
    RecordingFormat,
)
from vastcellar.core.shoot.measured_rate import MeasuredRate
from vastcellar.core.shoot.offload import Break, FurtherStation, Offload, Person
from vastcellar.core.shoot.roll_patterns import RollPattern
from vastcellar.core.shoot.shoot import (
    DEFAULT_BUFFER_BYTES,
    DEFAULT_DAY_S,
    DEFAULT_RESERVE,
    AllowedMedium,
    Camera,
    CameraLimits,
    Copy,
    SecondStream,
    Setup,
    Shoot,
    default_copies,
)
from vastcellar.store.json_files import (
    as_bad_file,
    read_json,
    read_strictly,
    require_format,
    write_text_whole,
)
from vastcellar.store.reading import as_sentence

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
    sampling: str = ""
    project_frames_per_s: Fraction | None = None

    @field_serializer("frames_per_s", "project_frames_per_s")
    def _exact(self, value: Fraction | None) -> str | None:
        return None if value is None else str(value)


# Values that need nothing looked up are read straight into core's own classes.
read_strictly(
    AllowedMedium, Break, CameraLimits, Copy, MeasuredRate, FurtherStation, Offload, Person,
    Beside, EditPlan, Editor, GrowthSetup, StoreSetup, StreamSetup,
)  # fmt: skip


class SetupInFile(_Strict):
    """What a camera records to, by part keys of the catalog and unit tags of the cellar."""

    drive_key: str
    host_key: str
    port_key: str
    unit_tag: str = ""
    enclosure_key: str = ""
    cable_key: str = ""
    hub_keys: tuple[str, ...] = ()
    sharing: int = 1
    file_system_key: str = ""
    is_encrypted: bool = False


class SecondInFile(_Strict):
    """A second stream recorded at the same time."""

    recording: FormatInFile
    crest: float
    is_on_same_medium: bool = True


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
    hours_by_day: tuple[float, ...] = ()
    pattern: RollPattern = RollPattern.DOCUMENTARY
    longest_on_day: int = 0
    second: SecondInFile | None = None
    limits: CameraLimits = Field(default_factory=CameraLimits)
    medium_guarantee: str = ""
    measured: MeasuredRate | None = None
    pool_tags: tuple[str, ...] = ()
    more_media: int = 0
    call_s: float | None = None
    wrap_s: float | None = None
    card_changes_s: tuple[float, ...] = ()
    station: str = ""


def _copies(value: Any) -> Any:
    """A bare number stands for so many copies as they are usually kept."""
    return default_copies(value) if isinstance(value, int) else value


class ShootInFile(_Strict):
    """The whole document."""

    format: Literal["vast-cellar/shoot"]
    version: Literal[1]
    name: str
    note: str = ""
    days: int
    ambient_c: float
    copies: Annotated[tuple[Copy, ...], BeforeValidator(_copies)]
    reserve: float = DEFAULT_RESERVE
    day_start_s: float = DEFAULT_DAY_S[0]
    day_end_s: float = DEFAULT_DAY_S[1]
    breaks: tuple[Break, ...] = ()
    offload: Offload = Field(default_factory=Offload)
    edit: EditPlan = Field(default_factory=EditPlan)
    cameras: Annotated[tuple[CameraInFile, ...], Field(max_length=200)]


class LoadInFile(_Strict):
    """What a chain is asked for: a camera's rates and buffer."""

    average_bytes_per_s: float = Field(gt=0, le=MAX_VIDEO_BYTES_PER_S)
    needed_write_bytes_per_s: float = Field(gt=0, le=MAX_VIDEO_BYTES_PER_S)
    frames_per_s: Fraction = Field(default=Fraction(25), gt=0, le=MAX_FRAMES_PER_S)
    buffer_bytes: int = Field(default=DEFAULT_BUFFER_BYTES, ge=0, le=10**15)


class ChainInFile(_Strict):
    """A setup on its own, to be judged without a shoot."""

    format: Literal["vast-cellar/chain"]
    version: Literal[1]
    name: str = ""
    setup: SetupInFile
    ambient_c: float = 25.0
    used_bytes: float = Field(default=0.0, ge=0)
    load: LoadInFile | None = None
    measured_bytes_per_s: dict[str, float] = Field(default_factory=dict)
    """Stages that were measured on this host, by their keys."""


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
    return shoot_from(read_json(path), path, catalog)


def shoot_from(content: Any, path: Path, catalog: Catalog) -> Shoot:
    """Return the shoot in the parsed *content* of *path*. Raises BadFileError naming the field."""
    require_format(content, path, SHOOT_FORMAT, 1)
    with as_sentence(path, "shoot"):
        try:
            document = ShootInFile.model_validate(content)
        except ValidationError as error:
            raise as_bad_file(error, path) from error
        cameras = []
        for index, entry in enumerate(document.cameras):
            try:
                cameras.append(_camera(entry, catalog))
            except (BadValueError, UnknownPartError) as error:
                raise BadFileError(
                    error.what,
                    where=f"{path.name}: cameras[{index}] ({error.where})",
                    mend=error.mend,
                ) from error
        fields = dict(document)
        del fields["format"], fields["version"]
        fields["cameras"] = tuple(cameras)
        return Shoot(**fields)


def _camera(entry: CameraInFile, catalog: Catalog) -> Camera:
    fields = dict(entry)
    fields["recording"] = _recording(entry.recording, catalog)
    fields["setup"] = Setup(**dict(entry.setup)) if entry.setup else None
    if entry.second is not None:
        second = dict(entry.second)
        second["recording"] = _recording(entry.second.recording, catalog)
        fields["second"] = SecondStream(**second)
    return Camera(**fields)


def _recording(entry: FormatInFile, catalog: Catalog) -> RecordingFormat:
    fields = dict(entry)
    fields["codec"] = catalog.codec(entry.codec)
    return RecordingFormat(**fields)


_SHOOT = frozenset(ShootInFile.model_fields) - {"format", "version"}


def shoot_text(shoot: Shoot) -> str:
    """Return *shoot* as the text of its file; reading it back gives the same shoot."""
    fields = {name: getattr(shoot, name) for name in ShootInFile.model_fields if name in _SHOOT}
    fields["cameras"] = tuple(_camera_in_file(camera) for camera in shoot.cameras)
    document = ShootInFile(format="vast-cellar/shoot", version=1, **fields)
    content = document.model_dump(mode="json")
    for camera, entry in zip(shoot.cameras, content["cameras"], strict=True):
        _drop_unused(camera.recording, entry["recording"])
        if camera.second is not None:
            _drop_unused(camera.second.recording, entry["second"]["recording"])
    return json.dumps(content, indent=2, ensure_ascii=False) + "\n"


def _camera_in_file(camera: Camera) -> CameraInFile:
    fields = _named(CameraInFile, camera)
    fields["recording"] = _format_in_file(camera.recording)
    fields["setup"] = SetupInFile(**_named(SetupInFile, camera.setup)) if camera.setup else None
    if camera.second is not None:
        second = _named(SecondInFile, camera.second)
        second["recording"] = _format_in_file(camera.second.recording)
        fields["second"] = SecondInFile(**second)
    return CameraInFile(**fields)


def _format_in_file(recording: RecordingFormat) -> FormatInFile:
    fields = _named(FormatInFile, recording)
    fields["codec"] = recording.codec.key
    return FormatInFile(**fields)


def _named(kind: type[BaseModel], value: object) -> dict[str, Any]:
    """Return what *value* has under the names of the fields of *kind*."""
    return {name: getattr(value, name) for name in kind.model_fields}


_USED_BY_RULE = {
    RateRule.RATIO: {"bit_depth", "ratio", "sampling"},
    RateRule.BITS_PER_PIXEL: {"quality"},
    RateRule.MENU_RATE: {"menu_bits_per_s"},
}


def _drop_unused(recording: RecordingFormat, entry: dict[str, Any]) -> None:
    """Leave out what the codec's rule doesn't ask for, where it still has its default."""
    defaults = {name: field.default for name, field in FormatInFile.model_fields.items()}
    for name in set().union(*_USED_BY_RULE.values()) - _USED_BY_RULE[recording.codec.rule]:
        if entry[name] == defaults[name]:
            del entry[name]


def write_shoot(path: Path, shoot: Shoot) -> None:
    """Save *shoot* in *path*, whole or not at all. Raises BadFileError where it can't be."""
    write_text_whole(path, shoot_text(shoot))


def read_chain(path: Path) -> ChainInFile:
    """Return the document of a chain file. Raises BadFileError."""
    content = read_json(path)
    require_format(content, path, CHAIN_FORMAT, 1)
    with as_sentence(path, "chain"):
        try:
            return ChainInFile.model_validate(content)
        except ValidationError as error:
            raise as_bad_file(error, path) from error


def setup_in_chain(document: ChainInFile, path: Path) -> Setup:
    """Return the setup of a chain file. Raises BadFileError for one that can't be."""
    with as_sentence(path, "chain"):
        return Setup(**dict(document.setup))
