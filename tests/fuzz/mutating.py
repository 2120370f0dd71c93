"""Files as an accident or an enemy leaves them: seeded, so that a red run can be run again."""

from __future__ import annotations

import copy
import json
import os
import random
from typing import Any

CASES = int(os.environ.get("FUZZ_CASES", "100"))
"""How many for each reader; ``make fuzz`` asks for 2000."""

_ODD: tuple[Any, ...] = (
    None, True, False, 0, -1, 1, 2**31, 2**63, 10**29, 1e308, -1e308, 5e-324, 0.1, "", " ", "A",
    "NaN", "1e9", "1;2", "0/0", "1/0", "25", "-25", "\u0000", "ü\u202e", "../../etc", "=1+1",
    "<img src=x>", "x" * 3000, [], {}, [[]], [None], {"": None}, [1, 2, 3], "24000/1001",
    "1000000000", 1e9, 10**18, -273.16, 99999,
)  # fmt: skip
_RAW = (
    b"\x00", b"\xff\xfe", b"\xed\xa0\x80", b"\xf0\x9f\x92\xa9", b"[" * 2000, b"{" * 500,
    b"9" * 6000,
    b"NaN", b"Infinity", b"-", b"\\ud800", b'"', b",", b"]", b"}", b"\r\n", b"\n\n", b";", b"1e999",
    b"a" * 140_000, b"\xef\xbb\xbf",
)  # fmt: skip


def mutated_json(content: Any, chance: random.Random) -> bytes:
    """Return *content* with values, keys or raw bytes changed."""
    made = copy.deepcopy(content)
    for _ in range(chance.randint(1, 3)):
        _change_one(made, chance)
    text = json.dumps(made, ensure_ascii=chance.random() < 0.5).encode("utf-8", "surrogatepass")
    return mutated_bytes(text, chance) if chance.random() < 0.3 else text


def _change_one(content: Any, chance: random.Random) -> None:
    places: list[tuple[Any, Any]] = []
    todo = [content]
    while todo:
        each = todo.pop()
        steps = each.items() if isinstance(each, dict) else enumerate(each)
        for key, value in steps:
            places.append((each, key))
            if isinstance(value, (dict, list)) and value:
                todo.append(value)
    if not places:
        return
    parent, key = chance.choice(places)
    deed = chance.random()
    if deed < 0.6:
        parent[key] = copy.deepcopy(chance.choice(_ODD))
    elif deed < 0.7 and isinstance(parent, dict):
        del parent[key]
    elif deed < 0.8 and isinstance(parent, dict):
        parent[f"{key}x"] = parent[key]
    elif deed < 0.9 and isinstance(parent, list):
        parent.extend(copy.deepcopy(parent[:50]))
    else:
        value = parent[key]
        if isinstance(value, (int, float)) and not isinstance(value, bool):
            parent[key] = value * chance.choice((-1, 0, 1e-9, 1e9, 1e18))
        else:
            parent[key] = {"deep": [[value]]}


def mutated_bytes(content: bytes, chance: random.Random) -> bytes:
    """Return *content* cut, with bytes flipped, or with raw ones put in."""
    made = bytearray(content)
    for _ in range(chance.randint(1, 4)):
        at = chance.randrange(len(made) + 1)
        deed = chance.random()
        if deed < 0.3 and made:
            made[at % len(made)] = chance.randrange(256)
        elif deed < 0.5:
            del made[at : at + chance.choice((1, 5, 100, 5000))]
        elif deed < 0.6:
            del made[at:]
        else:
            made[at:at] = chance.choice(_RAW)
    return bytes(made)


def mutated_csv(text: str, chance: random.Random) -> bytes:
    """Return the rows of *text* with cells or bytes changed."""
    rows = [line.split(",") for line in text.splitlines()]
    for _ in range(chance.randint(1, 3)):
        row = chance.choice(rows)
        if chance.random() < 0.8:
            row[chance.randrange(len(row))] = str(chance.choice(_ODD))
        elif chance.random() < 0.5:
            row.append("more")
        else:
            rows.remove(row)
            rows = rows or [["only"]]
    made = "\n".join(",".join(row) for row in rows).encode("utf-8", "replace")
    return mutated_bytes(made, chance) if chance.random() < 0.3 else made
