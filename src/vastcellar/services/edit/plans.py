"""Edit plans in files of their own."""

from __future__ import annotations

from pathlib import Path

from vastcellar.core.shoot.edit_plan import EditPlan
from vastcellar.store.edit_files import read_edit, write_edit


def edit_in_file(path: Path) -> EditPlan:
    """Return the plan in *path*. Raises BadFileError naming the field."""
    return read_edit(path)


def save_edit(path: Path, plan: EditPlan, name: str = "") -> None:
    """Save *plan* in *path*, whole or not at all. Raises BadFileError where it can't be."""
    write_edit(path, plan, name)
