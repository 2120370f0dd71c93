"""How answers are printed: aligned lines for people, JSON for programs."""

from __future__ import annotations

import json
import math
from typing import Any

import click


def print_json(content: Any) -> None:
    """Print *content* as JSON. An infinite or missing figure is null, never a made-up one."""
    click.echo(json.dumps(_plain(content), indent=2, ensure_ascii=False))


def _plain(value: Any) -> Any:
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {key: _plain(entry) for key, entry in value.items()}
    if isinstance(value, (list, tuple)):
        return [_plain(entry) for entry in value]
    return value


def print_lines(lines: list[tuple[str, str]]) -> None:
    """Print label and value, values under each other."""
    width = max(len(label) for label, _ in lines)
    for label, value in lines:
        click.echo(f"  {label:<{width}}  {value}")
