"""What a unit still holds, as it is now: the cameras of a shoot, each on the best way to it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from vastcellar.core.errors import VastCellarError
from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.units import Unit
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.core.units import NumberFormat
from vastcellar.services.match.judging import judge_camera
from vastcellar.services.match.matching import setup_for_unit
from vastcellar.services.workplace.workplace import Shelf


@dataclass(frozen=True, slots=True)
class Held:
    """What one camera could do with the unit."""

    camera_key: str
    verdict: Verdict
    margin: float | None


def held_by(unit: Unit, shoot: Shoot, catalog: Catalog, shelf: Shelf) -> tuple[Held, ...]:
    """Return the verdict on *unit* for each camera of *shoot* that it connects to.

    As Match judges it, whoever records to it now.
    """
    found = []
    for camera in shoot.cameras:
        try:
            setup = setup_for_unit(shoot, camera, unit, catalog, shelf)
            judged = judge_camera(shoot, replace(camera, setup=setup), catalog, shelf)
        except VastCellarError:
            continue  # it doesn't fit this camera
        found.append(Held(camera.key, judged.verdict, judged.margin))
    return tuple(found)


def held_words(held: tuple[Held, ...], shoot_name: str, fmt: NumberFormat) -> str:
    """Return it as a sentence; "" for a unit that no camera of the shoot connects to."""
    parts = []
    for verdict, words in ((Verdict.HOLDS, "it still holds"), (Verdict.TIGHT, "is tight for"),
                           (Verdict.FALLS_SHORT, "is too slow or too full for"),
                           (Verdict.NOT_KNOWN, "isn't known for")):  # fmt: skip
        mine = [_camera(each, fmt) for each in held if each.verdict is verdict]
        if mine:
            parts.append(f"{words} {', '.join(mine)}")
    if not parts:
        return ""
    first = parts[0] if parts[0].startswith("it ") else f"it {parts[0]}"
    return f"In {shoot_name or 'this shoot'} {'; '.join([first, *parts[1:]])}."


def _camera(held: Held, fmt: NumberFormat) -> str:
    if held.margin is None or held.verdict not in (Verdict.HOLDS, Verdict.TIGHT):
        return held.camera_key
    return f"{held.camera_key} ({fmt.percent(held.margin, signed=True)})"
