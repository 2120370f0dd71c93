"""The steps of one build, from its kind and its parts: what, how long, what is for good."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from vastcellar.core.build.checks import mirror_bytes_per_s
from vastcellar.core.build.cooling import BURNS_C, TOUCHED_C, USUAL_ROOM_C, cooling_s
from vastcellar.core.build.kinds import BuildKind, kind_of
from vastcellar.core.build.layout import Layout
from vastcellar.core.build.printed import IN_THE_SUN_C, MOUNT_PARTS, plastic_for, printed_mount
from vastcellar.core.parts.dimensions import m2_length_mm
from vastcellar.core.said import Said, said


class Caution(StrEnum):
    """What may go wrong at a step."""

    STATIC = "static"
    FORCE = "force"
    WARRANTY = "warranty"
    FOR_GOOD = "for good"
    HOT = "hot"
    MAINS = "mains"
    HOT_IRON = "hot iron"
    SPRING = "spring"


@dataclass(frozen=True, slots=True)
class Step:
    """One step at the bench."""

    key: str
    said: Said
    minutes: float
    """How long it usually takes, until one's own times say more (typical)."""
    can_undo: bool = True
    cautions: tuple[Caution, ...] = ()
    wait_s: float = 0.0
    """What has to pass before it counts as done; 0 for a step that waits for nothing."""


def screws_of(layout: Layout) -> int:
    """Return how many screws go into one case, of all sizes, or into all bays of a store."""
    inside = layout.enclosure.inside
    return sum(each.count for each in inside.screws) * layout.enclosure.bays if inside else 0


def steps_of(
    layout: Layout, case_c: float | None = None, room_c: float = USUAL_ROOM_C
) -> tuple[Step, ...]:
    """Return the steps of *layout*, in their order; *case_c* is how hot its case gets, if known."""
    kind, screws = kind_of(layout), screws_of(layout)
    steps = _print(layout, case_c) if kind is BuildKind.MAGAZINE else []
    steps.append(_lay_out(layout, screws))
    if kind in _ON_THE_MAINS:
        steps.append(Step("mains", said("unplug the mains"), 0.5, cautions=(Caution.MAINS,)))
    steps.append(Step("ground", said("touch ground"), 0.5, cautions=(Caution.STATIC,)))
    steps += _put_in(layout) if layout.is_module else _slide_in(layout)
    if kind is BuildKind.CARRIER_BOX:
        steps.append(Step("carrier", said("push the carrier in"), 1.0, cautions=(Caution.FORCE,)))
        steps.append(Step("fan", said("look at the fan"), 0.5))
    steps += _close(layout, kind, screws)
    if kind is BuildKind.MAGAZINE:
        steps.append(Step("latch", said("pull at the latch"), 0.5))
    if kind is BuildKind.DOCK:
        steps += _into_the_dock(layout, steps)
    steps.append(Step("plug in", said("plug in"), 1.0))
    if kind is BuildKind.STORE:
        steps.append(_mirror_it(layout))
    felt = said("feel it" if layout.is_module else "feel the disk")
    steps.append(Step("warm", felt, 2.0, cautions=(Caution.HOT,)))
    if wait_s := cooling_s(layout, case_c, room_c):
        told = said("let it cool", case_c=BURNS_C if case_c is None else case_c, below_c=TOUCHED_C)
        steps.append(Step("cool", told, wait_s / 60, wait_s=wait_s))
    steps.append(Step("label", said("label it"), 1.0))
    return tuple(steps)


_ON_THE_MAINS = (BuildKind.DISK_CASE, BuildKind.CARRIER_BOX, BuildKind.STORE)


def _into_the_dock(layout: Layout, of_one: list[Step]) -> list[Step]:
    """Return what follows once the first of a dock's cases is closed."""
    more = layout.bays - 1
    # The rest goes as the first did, but for laying out and the ground under one's hands.
    again = minutes_of(tuple(each for each in of_one if each.key not in ("lay out", "ground")))
    return [
        Step("others", said("build the others", more=more), max(again * more, 0.5),
             cautions=(Caution.STATIC,)),
        Step("dock power", said("power the dock first"), 0.5),
        Step("slots", said("slide each in", slots=layout.bays), 0.5 * layout.bays),
    ]  # fmt: skip


def _mirror_it(layout: Layout) -> Step:
    """Return setting the mirror up, on the store's own page: the first copying takes long."""
    rate = mirror_bytes_per_s(layout)
    largest = max(each.capacity_bytes for each in layout.drives)
    told = said("mirror it", sync_s=largest / rate) if rate else said("mirror it some day")
    return Step("mirror", told, 5.0)


def _print(layout: Layout, case_c: float | None) -> list[Step]:
    """Return the printing of a mount first: the printer works while one builds."""
    if (mount := printed_mount(layout.enclosure.size_mm, case_c)) is None:
        return [Step("mount", said("no plastic" if plastic_for(case_c) is None else "mount"), 1.0)]
    told = said(
        "print the mount" if case_c is not None else "print the mount to be sure",
        plastic=mount.plastic.name,
        softens_c=mount.plastic.softens_c,
        case_c=case_c if case_c is not None else 0.0,
        mass_g=mount.mass_g,
        print_s=mount.print_s,
        sun_c=IN_THE_SUN_C,
    )
    inserts, *_ = MOUNT_PARTS
    return [
        Step("mount", told, 2.0),
        Step("inserts", said("melt the inserts in", inserts=inserts.count), 4.0,
             cautions=(Caution.HOT_IRON,)),
        Step("spring", said("put the spring in"), 1.0, cautions=(Caution.SPRING,)),
    ]  # fmt: skip


def _lay_out(layout: Layout, screws: int) -> Step:
    told = said("lay out with screws", screws=screws) if screws else said("lay out")
    return Step("lay out", told, 1.0)


def _open(layout: Layout) -> Step:
    screws = screws_of(layout)
    told = said("open the screwed case", screws=screws) if screws else said("open the case")
    return Step("open", told, 1.0)


def _put_in(layout: Layout) -> list[Step]:
    steps = [_open(layout)]
    inside, length = layout.enclosure.inside, m2_length_mm(layout.drive.form)
    if inside is not None and len(inside.posts_mm) > 1 and length is not None:
        steps.append(Step("post", said("set the post", length_mm=length), 1.0))
    steps.append(
        Step("insert", said("insert at a slant"), 1.0, cautions=(Caution.STATIC, Caution.FORCE))
    )
    steps.append(Step("label foil", said("leave the label on"), 0.2, cautions=(Caution.WARRANTY,)))
    if layout.pad_mm:
        steps.append(Step("pad", said("lay the pad", pad_mm=layout.pad_mm), 2.0))
        steps.append(Step("foils", said("both foils off"), 0.5))
    return steps


def _slide_in(layout: Layout) -> list[Step]:
    steps = [_open(layout)]
    body = layout.drive.size.body_mm if layout.drive.size else None
    bay = layout.enclosure.inside.body_mm if layout.enclosure.inside else None
    if body is not None and bay is not None and bay > body:
        steps.append(Step("spacer", said("put the spacer in", room_mm=bay - body), 0.5))
    if layout.enclosure.bays == 1:
        steps.append(Step("slide in", said("slide it in"), 1.0, cautions=(Caution.FORCE,)))
        return steps
    bays = layout.enclosure.bays
    steps.append(
        Step("slide in", said("slide them in", disks=bays), 1.5 * bays,
             cautions=(Caution.STATIC, Caution.FORCE))
    )  # fmt: skip
    steps.append(Step("trays", said("number the trays", disks=bays), 0.3 * bays))
    return steps


def _close(layout: Layout, kind: BuildKind, screws: int) -> list[Step]:
    inside = layout.enclosure.inside
    opens_again = inside.opens_again if inside else not layout.enclosure.is_sealed
    steps = []
    if not opens_again:
        close = Step(
            "close", said("close for good"), 1.0, can_undo=False, cautions=(Caution.FOR_GOOD,)
        )
        steps.append(close)
    elif layout.is_module:
        steps.append(Step("close", said("lid touches"), 1.0))
    else:
        steps.append(Step("close", said("close it"), 0.5))
    if screws:
        steps.append(Step("screws", said("none is left", screws=screws), 0.4 * screws))
    return steps


def minutes_of(steps: tuple[Step, ...]) -> float:
    """Return how long all of them take."""
    return sum(step.minutes for step in steps)
