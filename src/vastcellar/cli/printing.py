"""How answers are printed: aligned lines for people, JSON for programs."""

from __future__ import annotations

import json
from typing import Any

import click

from vastcellar.services.exports import plain_for_json


def print_json(content: Any) -> None:
    """Print *content* as JSON. An infinite or missing figure is null, never a made-up one."""
    click.echo(json.dumps(plain_for_json(content), indent=2, ensure_ascii=False))


def print_lines(lines: list[tuple[str, str]]) -> None:
    """Print label and value, values under each other."""
    width = max(len(label) for label, _ in lines)
    for label, value in lines:
        click.echo(f"  {label:<{width}}  {value}")
