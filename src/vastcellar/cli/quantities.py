"""Typed-in quantities as options of a command."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import click

from vastcellar.core.errors import BadValueError
from vastcellar.core.units import parse_duration


class Quantity(click.ParamType):  # type: ignore[type-arg]
    """A typed-in quantity with its unit."""

    def __init__(self, name: str, parse: Callable[..., Any]) -> None:
        self.name = name
        self._parse = parse

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """Return the parsed quantity; a bad one is a usage error that says how to write it."""
        if not isinstance(value, str):
            return value
        try:
            return self._parse(value)
        except BadValueError as error:
            self.fail(str(error), param, ctx)


def parse_seconds(text: str) -> float:
    """Read a time; a bare number on an option named in seconds is seconds."""
    try:
        return float(text)
    except ValueError:
        return parse_duration(text)
