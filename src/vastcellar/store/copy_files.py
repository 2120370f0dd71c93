"""The record that lies beside a verified copy: what a file of it must hold, and its reader."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vastcellar.core.errors import BadFileError
from vastcellar.core.roll.copies import CopyState
from vastcellar.store.json_files import as_bad_file, read_json, require_format
from vastcellar.store.reading import as_sentence

COPY_FORMAT = "vast-cellar/copy"


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class CopiedFile(_Strict):
    """One file of the card on this destination."""

    path: str = Field(min_length=1, description="Below the card's folder, with /")
    copied_as: str = Field(min_length=1, description="Below the copy's folder; another where it "
                           "stands aside")  # fmt: skip
    size_bytes: int = Field(ge=0)
    modified_ns: int = Field(description="Of the card's file, since 1970")
    digest: str = Field(pattern=r"^([0-9a-f]{32}|[0-9a-f]{64}|)$")
    state: CopyState
    was_there: bool = Field(description="It lay there already, and was only compared")
    trouble: str = ""


class CopyRecordInFile(_Strict):
    """A copy of a card on one destination."""

    format: Literal["vast-cellar/copy"]
    version: Literal[1]
    name: str = Field(min_length=1)
    source: str
    made_at: datetime
    algorithm: Literal["xxh128", "sha256"]
    is_cancelled: bool
    files: list[CopiedFile]
    left_out: list[str]


def read_copy_record(path: Path) -> CopyRecordInFile:
    """Return the record in *path*. Raises BadFileError naming file and field."""
    content = read_json(path)
    require_format(content, path, COPY_FORMAT, 1)
    with as_sentence(path, "record"):
        try:
            return CopyRecordInFile.model_validate(content)
        except ValidationError as error:
            raise as_bad_file(error, path, "") from error
        except ValueError as error:
            raise BadFileError(str(error), where=path.name, mend="Copy the card again") from error


def copy_schema() -> dict[str, Any]:
    """Return the JSON Schema of a copy's record."""
    return CopyRecordInFile.model_json_schema()
