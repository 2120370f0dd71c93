"""A group whose commands are imported when they are called: no answer waits for another's needs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from importlib import import_module
from typing import Any

import click


@dataclass(frozen=True, slots=True)
class Late:
    """Where a command stands, and what a list of commands says of it."""

    place: str
    """"module:name", the module under ``vastcellar.cli``."""
    says: str

    def load(self) -> click.Command:
        """Import the command."""
        module, _, name = self.place.partition(":")
        command: click.Command = getattr(import_module(f"vastcellar.cli.{module}"), name)
        return command


class LateGroup(click.Group):
    """Finds its commands by name in *late*, and lists them without importing any."""

    def __init__(self, *args: Any, late: Mapping[str, Late], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.late = late

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Return the names."""
        return sorted(self.late)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Import the command of that name, None where there is none."""
        return self.late[cmd_name].load() if cmd_name in self.late else None

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """List what each command is for."""
        with formatter.section("Commands"):
            formatter.write_dl([(name, self.late[name].says) for name in self.list_commands(ctx)])
