"""Typed-in quantities as options of a command."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import click

from vastcellar.core.errors import BadValueError
from vastcellar.core.units import parse_duration, parse_number


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
    if re.fullmatch(r"\s*[\d.,' ]+\s*", text):
        return parse_number(text, asks_back=True)
    return parse_duration(text)


def parse_price(text: str) -> float:
    """Read an amount of money, 0 or more."""
    price = parse_number(text, where="price", asks_back=True)
    if price < 0:
        raise BadValueError(
            f"{text.strip()!r} is below zero", where="price", mend="Write 0 or more"
        )
    return price
