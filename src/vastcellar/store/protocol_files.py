"""Protocols as JSON: the shipped ones, and those of one's own in a folder beside the catalog."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vastcellar.core.errors import BadFileError
from vastcellar.core.protocols.protocols import Protocol, ProtocolStep, StepKind
from vastcellar.data import data_path
from vastcellar.store.json_files import as_bad_file, read_json, require_format, write_text_whole
from vastcellar.store.private_files import make_private_folder
from vastcellar.store.reading import as_sentence

FORMAT = "vast-cellar/protocols"
VERSION = 1


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class _Step(_Strict):
    kind: StepKind
    times: int = Field(default=1, ge=1, le=100)
    size_bytes: int = Field(default=0, ge=0, le=10**18)
    share_of_free: float = Field(default=0.0, ge=0, le=1)
    most_s: float = Field(default=0.0, ge=0, le=30 * 86400)
    until_steady: bool = False
    pause_s: float = Field(default=0.0, ge=0, le=30 * 86400)
    instruction: str = ""


class _Protocol(_Strict):
    key: str = Field(min_length=1)
    name: str
    purpose: str = ""
    is_cooling_pair: bool = False
    steps: list[_Step] = Field(max_length=200)

    def value(self) -> Protocol:
        steps = tuple(ProtocolStep(**step.model_dump()) for step in self.steps)
        return Protocol(self.key, self.name, self.purpose, steps, self.is_cooling_pair)


class _File(_Strict):
    format: Literal["vast-cellar/protocols"]
    version: Literal[1]
    protocols: list[_Protocol]


def protocol_schema() -> dict[str, Any]:
    """Return the JSON Schema of a file of protocols."""
    return _File.model_json_schema()


def read_protocols(path: Path) -> tuple[Protocol, ...]:
    """Return the protocols in *path*. Raises BadFileError naming file and field."""
    content = read_json(path)
    require_format(content, path, FORMAT, VERSION)
    with as_sentence(path, "set of tests"):
        try:
            return tuple(each.value() for each in _File.model_validate(content).protocols)
        except ValidationError as error:
            raise as_bad_file(error, path) from error


def all_protocols(own_folder: Path) -> dict[str, Protocol]:
    """Return the shipped protocols by key, those of *own_folder* laid over them.

    Raises BadFileError for the first file that is none.
    """
    found = {each.key: each for each in read_protocols(data_path("protocols.json"))}
    for path in sorted(own_folder.glob("*.json")) if own_folder.is_dir() else ():
        found.update({each.key: each for each in read_protocols(path)})
    return found


OWN_FILE = "own.json"


def save_own_protocol(protocol: Protocol, own_folder: Path) -> None:
    """Add *protocol* to the user's own ones, in place of one of its key.

    Raises BadFileError where the file there is none, or can't be written; it is then as it was.
    """
    path = own_folder / OWN_FILE
    before = read_protocols(path) if path.exists() else ()
    kept = [each for each in before if each.key != protocol.key]
    content = {
        "format": FORMAT,
        "version": VERSION,
        "protocols": [asdict(each) for each in (*kept, protocol)],
    }
    try:
        make_private_folder(own_folder)
    except OSError as error:
        raise BadFileError(
            f"the folder can't be made ({error.strerror})",
            where=str(own_folder),
            mend="Check the permissions of the data folder",
        ) from error
    write_text_whole(path, json.dumps(content, indent=2, ensure_ascii=False) + "\n")
