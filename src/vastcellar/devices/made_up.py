"""The made-up computers that ship with the application, written out as a tree below a folder."""

from __future__ import annotations

import json
from pathlib import Path

from vastcellar.core.errors import UnknownPartError
from vastcellar.data import data_path


def made_up_computers() -> dict[str, str]:
    """Return what each made-up computer shows, by its name."""
    return {
        path.stem: json.loads(path.read_text(encoding="utf-8"))["about"]
        for path in sorted(data_path("computers").glob("*.json"))
    }


def write_made_up(name: str, folder: Path) -> Path:
    """Write the tree of the made-up computer *name* below *folder*, which is new or empty.

    Returns *folder*. Raises UnknownPartError for a name that doesn't ship.
    """
    path = data_path("computers", f"{name}.json")
    if name not in made_up_computers():
        raise UnknownPartError(
            f"there is no made-up computer {name!r}",
            where="--root",
            mend=f"Give a folder, or one of {', '.join(made_up_computers())}",
        )
    tree = json.loads(path.read_text(encoding="utf-8"))
    for inside, content in tree["files"].items():
        target = folder / inside
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(content, encoding="utf-8")
    for inside, target_text in tree["links"].items():
        link = folder / inside
        link.parent.mkdir(parents=True, exist_ok=True)
        if not link.is_symlink():
            link.symlink_to(target_text)
    return folder
