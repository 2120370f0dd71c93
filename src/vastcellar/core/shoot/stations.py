"""Several places where the cards of one day are copied: each has cameras and copies of its own.

Nothing passes between them on the day: a card is copied where its camera's cards go, by the
people there, onto the drives that stand there. So each is planned as a shoot of its own, and
what is changed in it is put back into the whole.
"""

from __future__ import annotations

from dataclasses import fields, replace
from typing import Any

from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.offload import Break, FurtherStation, Offload, Person
from vastcellar.core.shoot.shoot import Camera, Copy, Shoot

FIRST = ""


def station_label(name: str) -> str:
    """Return what a station is called in a sentence."""
    return "first station" if name == FIRST else name


def station_names(shoot: Shoot) -> tuple[str, ...]:
    """Return the names of all stations; that of the first is ``FIRST``."""
    return (FIRST, *(each.name for each in shoot.offload.further))


def station_of_camera(shoot: Shoot, camera: Camera) -> str:
    """Return where the cards of *camera* are copied: at the first where its own is gone."""
    return camera.station if camera.station in station_names(shoot) else FIRST


def station_of_copy(shoot: Shoot, copy: Copy) -> str:
    """Return where *copy* is made; a later one, where that is which it is made from."""
    made_from = next((each for each in shoot.copies if each.name == copy.made_from), copy)
    return made_from.station if made_from.station in station_names(shoot) else FIRST


def at_station(shoot: Shoot, name: str) -> Shoot:
    """Return what of *shoot* goes on at the station *name*, as a shoot of its own.

    Raises BadValueError where there is none of that name.
    """
    if not shoot.offload.further and name == FIRST:
        return shoot
    rules = shoot.offload
    if name != FIRST:
        rules = replace(rules, **_own(_further(shoot, name)))
    return replace(
        shoot,
        cameras=tuple(each for each in shoot.cameras if station_of_camera(shoot, each) == name),
        copies=tuple(each for each in shoot.copies if station_of_copy(shoot, each) == name),
        offload=replace(rules, further=()),
    )


def with_station(shoot: Shoot, name: str, changed: Shoot) -> Shoot:
    """Return *shoot* with the station *name* as it is in *changed*, which ``at_station`` gave.

    Cameras and copies are the same ones there; what is the same at all stations, hours, breaks,
    order and rule of wiping, is taken from *changed* for all of them.
    """
    if not shoot.offload.further and name == FIRST:
        return changed
    cameras = {each.key: each for each in changed.cameras}
    copies = iter(changed.copies)
    return replace(
        changed,
        cameras=tuple(cameras.get(each.key, each) for each in shoot.cameras),
        copies=tuple(
            next(copies) if station_of_copy(shoot, each) == name else each for each in shoot.copies
        ),
        offload=_joined(shoot.offload, name, changed.offload),
    )


def _joined(rules: Offload, name: str, here: Offload) -> Offload:
    if name == FIRST:
        return replace(here, further=rules.further)
    further = tuple(
        replace(each, **_own(here)) if each.name == name else each for each in rules.further
    )
    return replace(
        rules, further=further, order=here.order, verified_copies=here.verified_copies
    )  # fmt: skip


def _own(station: Offload | FurtherStation) -> dict[str, Any]:
    """Return what each station has of its own, by the names that both kinds have for it."""
    names = (each.name for each in fields(FurtherStation) if each.name != "name")
    return {name: getattr(station, name) for name in names}


def with_further(shoot: Shoot, name: str) -> Shoot:
    """Return *shoot* with one more station. Raises BadValueError where the name is taken."""
    rules = shoot.offload
    return replace(shoot, offload=replace(rules, further=(*rules.further, FurtherStation(name))))


def without_station(shoot: Shoot, name: str) -> Shoot:
    """Return *shoot* without the station *name*: its cameras and copies are the first's again.

    Raises BadValueError where there is none of that name.
    """
    gone, rules = _further(shoot, name), shoot.offload
    return replace(
        shoot,
        cameras=tuple(
            replace(each, station=FIRST) if each.station == name else each
            for each in shoot.cameras
        ),
        copies=tuple(
            replace(each, station=FIRST) if each.station == name else each for each in shoot.copies
        ),
        offload=replace(
            rules, further=tuple(each for each in rules.further if each is not gone)
        ),
    )  # fmt: skip


def renamed_station(shoot: Shoot, name: str, new_name: str) -> Shoot:
    """Return *shoot* with the station *name* called otherwise, by its cameras and copies too.

    Raises BadValueError where there is none of that name, or *new_name* is empty or taken.
    """
    known, rules = _further(shoot, name), shoot.offload
    further = tuple(
        replace(each, name=new_name) if each is known else each for each in rules.further
    )

    def named(each: Camera | Copy) -> str:
        return new_name if each.station == name else each.station

    return replace(
        shoot,
        cameras=tuple(replace(each, station=named(each)) for each in shoot.cameras),
        copies=tuple(replace(each, station=named(each)) for each in shoot.copies),
        offload=replace(rules, further=further),
    )


def with_members(shoot: Shoot, name: str, cameras: set[str], copies: set[str]) -> Shoot:
    """Return *shoot* with those cameras and copies at the station *name*, by keys and names.

    Whoever was there and isn't named goes to the first.
    """

    def where(each: Camera | Copy, *, is_member: bool) -> str:
        if is_member:
            return name
        return FIRST if each.station == name else each.station

    return replace(
        shoot,
        cameras=tuple(
            replace(each, station=where(each, is_member=each.key in cameras))
            for each in shoot.cameras
        ),
        copies=tuple(
            replace(each, station=where(each, is_member=each.name in copies))
            for each in shoot.copies
        ),
    )


def with_breaks(shoot: Shoot, breaks: tuple[Break, ...]) -> Shoot:
    """Return *shoot* with breaks of all: no take begins, and nobody changes cards anywhere."""

    def rested(people: tuple[Person, ...]) -> tuple[Person, ...]:
        return tuple(replace(each, breaks=breaks) for each in people)

    rules = shoot.offload
    further = tuple(replace(each, people=rested(each.people)) for each in rules.further)
    return replace(
        shoot,
        breaks=breaks,
        offload=replace(rules, people=rested(rules.people), further=further),
    )


def _further(shoot: Shoot, name: str) -> FurtherStation:
    for each in shoot.offload.further:
        if each.name == name:
            return each
    known = ", ".join(each.name for each in shoot.offload.further) or "none beside the first"
    raise BadValueError(f"there is no station {name!r}", where="station", mend=f"It has: {known}")
