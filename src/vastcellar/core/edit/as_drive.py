"""Several disks as the one drive that copies see: what it holds, how it writes, what it warms."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vastcellar.core.chain.setup_parts import case_of
from vastcellar.core.checks import require_above_zero
from vastcellar.core.edit.arrays import Array, Level
from vastcellar.core.errors import BadValueError
from vastcellar.core.parts.parts import (
    Case,
    Drive,
    DriveKind,
    Enclosure,
    ThrottleStage,
    WriteBehaviour,
)

_LEAST_INNER_SHARE = 0.05


def array_as_drive(
    key: str,
    name: str,
    array: Array,
    members: Sequence[Drive],
    host_modes: tuple[str, ...],
    box: Enclosure | None = None,
    most_bytes_per_s: float | None = None,
) -> Drive:
    """Return *array* as one drive of the catalog, computed from its disks.

    Written in one go and whole stripes: a copy of clips does that, a thousand small files don't.

    Args:
        key: of the drive that is made.
        name: of it.
        array: the disks as they are put together.
        members: the same disks as the catalog has them, in their order.
        host_modes: the links that the whole of it has.
        box: that they stand in, with a power supply of its own; None for disks at the desk.
        most_bytes_per_s: what encryption, or the window of a connection, lets through; None where
            neither lies between.

    Returns:
        a drive whose figures are those of the slowest disk times the disks that hold data.

    Raises:
        BadValueError: for disks that each are a volume of their own, or other disks than *array*'s.

    References:
        a byte of data is 1 / width bytes on each disk: so goes the endurance; all disks warm.

    """
    where = f"store {name!r}"
    if array.level is Level.EACH:
        raise BadValueError(
            "its disks are a volume each, and no drive of their sum",
            where=where,
            mend="Put each of them on the shelf as a unit of its own",
        )
    if len(members) != array.count:
        raise BadValueError(
            f"it has {array.count} disks, and {len(members)} are named", where=where,
            mend="Name each of its disks",
        )  # fmt: skip
    if most_bytes_per_s is not None:
        require_above_zero(where, most_bytes_per_s=most_bytes_per_s)
    most = math.inf if most_bytes_per_s is None else most_bytes_per_s
    writes = _writes(array, most)
    media = {each.medium for each in members}
    tbw = min(each.tbw_bytes for each in members) * array.width
    places = f" in {box.name}" if box else ""
    return Drive(
        key=key,
        name=name,
        kind=DriveKind.STORE,
        medium=media.pop() if len(media) == 1 else "mixed",
        capacity_bytes=int(array.usable_bytes),
        claimed_read_bytes_per_s=min(
            min(each.outer_read_bytes_per_s for each in array.disks) * array.width, most
        ),
        claimed_write_bytes_per_s=max(
            writes.cache_write_bytes_per_s, writes.direct_write_bytes_per_s
        ),
        behaviour=writes,
        host_modes=host_modes,
        own_case=_case(members, box),
        tbw_bytes=tbw,
        price=sum(each.price for each in members) + (box.price if box else 0.0),
        mass_g=sum(each.mass_g for each in members) + (box.mass_g if box else 0.0),
        warranty_years=min(each.warranty_years for each in members),
        source=f"computed: {array.level.value} of {_named(members)}{places}",
    )


def _writes(array: Array, most_bytes_per_s: float) -> WriteBehaviour:
    """Return how the whole of it writes: as its slowest disk, so many times at once."""
    disks = [each.writes for each in array.disks]
    width, count = array.width, array.count
    spread = count / width
    """Bytes that the disks write for each byte of data, with copies and parity."""
    direct = min(min(each.direct_write_bytes_per_s for each in disks) * width, most_bytes_per_s)
    has_cache = all(each.has_cache for each in disks)
    cached = min(each.cache_write_bytes_per_s for each in disks) * width if has_cache else direct
    # The first of them that grows hot slows the whole stripe.
    hottest = min(
        (each.throttle for each in disks if each.throttle), key=lambda s: s[0].on_c, default=()
    )
    return WriteBehaviour(
        cache_write_bytes_per_s=min(cached, most_bytes_per_s),
        direct_write_bytes_per_s=direct,
        cache_static_bytes=min(d.cache_static_bytes for d in disks) * width if has_cache else 0.0,
        cache_share_of_free=min(d.cache_share_of_free for d in disks) if has_cache else 0.0,
        fold_bytes_per_s=min(each.fold_bytes_per_s for each in disks) * width,
        fold_while_writing=min(each.fold_while_writing for each in disks),
        inner_share=max(min(each.inner_share for each in disks), _LEAST_INNER_SHARE),
        idle_w=sum(each.idle_w for each in disks),
        cache_j_per_gb=spread * _mean([each.cache_j_per_gb for each in disks]),
        direct_j_per_gb=spread * _mean([each.direct_j_per_gb for each in disks]),
        fold_j_per_gb=spread * _mean([each.fold_j_per_gb for each in disks]),
        heat_capacity_j_per_k=sum(each.heat_capacity_j_per_k for each in disks),
        throttle=tuple(
            ThrottleStage(each.on_c, each.off_c, each.cap_bytes_per_s * width) for each in hottest
        ),
    )


def _case(members: Sequence[Drive], box: Enclosure | None) -> Case:
    """Return what carries its heat to the room: the box that all stand in, or a case each."""
    cases = [case_of(each, box) for each in members]
    to_case = 1 / sum(1 / each.drive_to_case_k_per_w for each in cases)
    if box is not None:
        whole = box.case
        return Case(
            whole.heat_capacity_j_per_k, to_case, whole.case_to_room_k_per_w, whole.bridge_w
        )  # fmt: skip
    return Case(
        sum(each.heat_capacity_j_per_k for each in cases),
        to_case,
        1 / sum(1 / each.case_to_room_k_per_w for each in cases),
        sum(each.bridge_w for each in cases),
    )


def _mean(values: Sequence[float]) -> float:
    return sum(values) / len(values)


def _named(members: Sequence[Drive]) -> str:
    names = [each.name for each in members]
    parts = [f"{names.count(name)} x {name}" for name in dict.fromkeys(names)]
    return " and ".join(parts)
