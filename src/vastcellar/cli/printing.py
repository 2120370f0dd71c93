"""How answers are printed: aligned lines for people, JSON for programs."""

from __future__ import annotations

import json
from typing import Any

import click

from vastcellar.core.printable import escaped, printable
from vastcellar.services.workplace.exports import plain_for_json


def echo(text: object = "", *, err: bool = False, nl: bool = True) -> None:
    """Print *text*; what steers a terminal in it, as a file's name may, is marked instead."""
    click.echo(printable(str(text)), err=err, nl=nl)


def print_json(content: Any) -> None:
    """Print *content* as JSON. An infinite or missing figure is null, never a made-up one."""
    click.echo(escaped(json.dumps(plain_for_json(content), indent=2, ensure_ascii=False)))


def print_lines(lines: list[tuple[str, str]]) -> None:
    """Print label and value, values under each other."""
    width = max(len(label) for label, _ in lines)
    for label, value in lines:
        echo(f"  {label:<{width}}  {value}")
