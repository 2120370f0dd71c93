"""The edit file: stores and what is asked of them, ``"format": "vast-cellar/edit"``, version 1."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vastcellar.core.shoot.edit_plan import (
    Beside,
    Editor,
    EditPlan,
    GrowthSetup,
    StoreSetup,
    StreamSetup,
)
from vastcellar.store.json_files import (
    as_bad_file,
    read_json,
    read_strictly,
    require_format,
    write_text_whole,
)
from vastcellar.store.reading import as_sentence

EDIT_FORMAT = "vast-cellar/edit"
EDIT_SUFFIX = ".edit.json"

read_strictly(Beside, EditPlan, Editor, GrowthSetup, StoreSetup, StreamSetup)


class EditInFile(BaseModel):
    """The whole document."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    format: Literal["vast-cellar/edit"]
    version: Literal[1]
    name: str = ""
    note: str = ""
    stores: tuple[StoreSetup, ...]
    chosen: str = ""
    stream: StreamSetup
    streams: int = 2
    read_ahead_s: float = 0.5
    block_bytes: float = 0.0
    desks: int = 1
    beside: tuple[Beside, ...] = ()
    growth: GrowthSetup = Field(default_factory=GrowthSetup)
    timeline: str = ""
    editors: tuple[Editor, ...] = ()


def edit_schema() -> dict[str, Any]:
    """Return the JSON Schema of the edit file."""
    return EditInFile.model_json_schema()


def read_edit(path: Path) -> EditPlan:
    """Return the plan in *path*. Raises BadFileError naming the field."""
    content = read_json(path)
    require_format(content, path, EDIT_FORMAT, 1)
    with as_sentence(path, "edit"):
        try:
            document = EditInFile.model_validate(content)
        except ValidationError as error:
            raise as_bad_file(error, path) from error
        fields = {name: getattr(document, name) for name in EditPlan.__dataclass_fields__}
        return EditPlan(**fields)


def edit_text(plan: EditPlan, name: str = "") -> str:
    """Return *plan* as the text of its file; reading it back gives the same plan."""
    content = {"format": EDIT_FORMAT, "version": 1, "name": name, **asdict(plan)}
    return json.dumps(content, indent=2, ensure_ascii=False) + "\n"


def write_edit(path: Path, plan: EditPlan, name: str = "") -> None:
    """Save *plan* in *path*, whole or not at all. Raises BadFileError where it can't be."""
    write_text_whole(path, edit_text(plan, name))
