"""What would help a store that falls short, each put in and reckoned anew; and what would not."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

from vastcellar.core.edit.arrays import Level
from vastcellar.core.edit.demand import demand_of
from vastcellar.core.errors import VastCellarError
from vastcellar.core.evidence import VERDICT_ORDER
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.parts import Drive, DriveKind
from vastcellar.core.shoot.edit_plan import EditPlan, StoreSetup
from vastcellar.core.shoot.formats import RecordingFormat
from vastcellar.core.shoot.needs import stream_rate
from vastcellar.core.shoot.shoot import Shoot
from vastcellar.services.edit.edit_planning import (
    PlannedEdit,
    PlannedStore,
    planned_store,
)
from vastcellar.services.edit.stores import level_of, load_of
from vastcellar.services.edit.timelines import TimelineDemand

_GROWS = (Level.STRIPE, Level.PARITY, Level.DOUBLE_PARITY)
"""Levels that another disk of the same kind makes wider."""
_FRAMES_APART = 0.5
"""Two counts of late frames that differ by less are the same."""
_PROXY_CODEC, _PROXY_QUALITY, _PROXY_WIDTH, _PROXY_HEIGHT = "rdd36", "lt", 1920, 1080


class HelpKind(StrEnum):
    """What is changed."""

    READ_AHEAD = "read ahead further"
    PROXIES = "proxies"
    LARGER_FRAMES = "larger frames"
    FASTER_PORT = "faster port"
    MORE_DISKS = "one more disk"
    SSDS = "SSDs in the bays"


@dataclass(frozen=True)
class Help:
    """A change, and what the store is like with it."""

    kind: HelpKind
    subject: str
    """What is put in: a link, a drive, a format."""
    plan: EditPlan
    """The plan with it."""
    planned: PlannedStore
    price: float
    """To be paid; 0 for nothing."""
    helps: bool
    """Whether more streams are held than before, or fewer frames of the cut are late."""


def helps_for(edit: PlannedEdit, catalog: Catalog, shoot: Shoot | None) -> tuple[Help, ...]:
    """Return what would help the chosen store: what holds first, by its price; the rest last."""
    before = edit.chosen
    if before is None:
        return ()
    found = []
    for kind, subject, plan, price in _changes(edit.plan, before.setup, catalog, shoot):
        try:
            cut = edit.cut
            if cut is not None and kind is HelpKind.PROXIES:
                stream = load_of(plan, shoot).stream
                cut = _in_proxies(cut, stream.bytes_per_s / before.load.stream.bytes_per_s)
            planned = planned_store(plan.store or before.setup, plan, catalog, shoot, cut)
        except VastCellarError:
            continue  # what can't be put together helps nobody
        found.append(Help(kind, subject, plan, planned, price, _is_better(planned, before)))
    return tuple(sorted(found, key=_rank))


def _is_better(planned: PlannedStore, before: PlannedStore) -> bool:
    if planned.ladder.held != before.ladder.held:
        return planned.ladder.held > before.ladder.held
    was_busy, busy = before.busiest, planned.busiest
    if was_busy is not None and busy is not None:
        less = was_busy.late_frames_per_minute - busy.late_frames_per_minute
        if abs(less) > _FRAMES_APART:
            return less > 0
    was = before.played.late_frames if before.played else 0.0
    now = planned.played.late_frames if planned.played else 0.0
    return now < was - _FRAMES_APART


def _rank(each: Help) -> tuple[bool, int, float, float]:
    verdict = VERDICT_ORDER.index(each.planned.verdict)
    return not each.helps, verdict, each.price, -each.planned.ladder.held


def _in_proxies(cut: TimelineDemand, share: float) -> TimelineDemand:
    """Return the cut with every clip at so small a share of its rate."""
    clips = [replace(each, bytes_per_s=each.bytes_per_s * share) for each in cut.demand.clips]
    return replace(cut, demand=demand_of(clips))


_Change = tuple[HelpKind, str, EditPlan, float]


def _changes(
    plan: EditPlan, setup: StoreSetup, catalog: Catalog, shoot: Shoot | None
) -> Iterator[_Change]:
    def with_store(**changes: object) -> EditPlan:
        return plan.with_store(replace(setup, **changes), setup.name)  # type: ignore[arg-type]

    longer_s = plan.read_ahead_s * 2
    if longer_s <= 8:
        yield HelpKind.READ_AHEAD, f"{longer_s:g} s", replace(plan, read_ahead_s=longer_s), 0.0
    yield from _proxies(plan, catalog, shoot)
    mode = setup.port_mode
    if mode.startswith("eth-") and f"{mode}-jumbo" in catalog.modes:
        yield HelpKind.LARGER_FRAMES, "9000 bytes", with_store(port_mode=f"{mode}-jumbo"), 0.0
    faster = _faster_port(setup, catalog)
    if faster:
        short = catalog.modes[faster].short
        desk = faster if setup.desk_mode else ""
        yield HelpKind.FASTER_PORT, short, with_store(port_mode=faster, desk_mode=desk), 0.0
    bays = catalog.enclosure(setup.box_key).bays if setup.box_key else 0
    if level_of(setup) in _GROWS and len(setup.disk_keys) < bays:
        drive = catalog.drive(setup.disk_keys[0])
        # The same bytes on more disks: each is less full.
        less = setup.used_share * len(setup.disk_keys) / (len(setup.disk_keys) + 1)
        more = with_store(disk_keys=(*setup.disk_keys, drive.key), used_share=less)
        yield HelpKind.MORE_DISKS, drive.name, more, drive.price
    ssd = _ssd_for(setup, catalog)
    if ssd is not None:
        count = len(setup.disk_keys)
        yield (HelpKind.SSDS, ssd.name, with_store(disk_keys=(ssd.key,) * count),
               count * ssd.price)  # fmt: skip


def _proxies(plan: EditPlan, catalog: Catalog, shoot: Shoot | None) -> Iterator[_Change]:
    """Yield the camera's own proxy where it records one, else what HD of the light kind takes."""
    stream = plan.stream
    camera = None
    if stream.camera_key and shoot is not None:
        camera = shoot.camera(stream.camera_key)
    if stream.is_proxy:
        return
    if camera is not None and camera.second is not None:
        own = replace(stream, is_proxy=True, name="")
        yield HelpKind.PROXIES, f"of {camera.key}", replace(plan, stream=own), 0.0
        return
    kind = load_of(plan, shoot).stream
    codec = catalog.codecs.get(_PROXY_CODEC)
    if codec is None:
        return
    frames = Fraction(kind.frames_per_s).limit_denominator(1001)
    proxy = RecordingFormat(
        codec, _PROXY_WIDTH, _PROXY_HEIGHT, frames, quality=_PROXY_QUALITY, audio_channels=0
    )
    rate = stream_rate(proxy, 1.0).average_bytes_per_s
    if rate < kind.bytes_per_s:
        changed = replace(
            stream, camera_key="", name=f"{proxy.name} proxies", bytes_per_s=rate,
            frames_per_s=kind.frames_per_s, speed=1.0,
        )  # fmt: skip
        yield HelpKind.PROXIES, proxy.name, replace(plan, stream=changed), 0.0


def _faster_port(setup: StoreSetup, catalog: Catalog) -> str:
    """Return the fastest link that its box or hub has and doesn't use; "" for none."""
    offered: tuple[str, ...] = ()
    if setup.box_key:
        offered = catalog.enclosure(setup.box_key).host_modes
    elif setup.hub_key:
        offered = catalog.hub(setup.hub_key).uplink_modes
    known = [catalog.modes[key] for key in offered if key in catalog.modes]
    best = max(known, key=lambda mode: mode.typical_bytes_per_s, default=None)
    now = catalog.modes.get(setup.port_mode)
    if best is None or now is None or best.typical_bytes_per_s <= now.typical_bytes_per_s * 1.2:
        return ""
    return best.key


def _ssd_for(setup: StoreSetup, catalog: Catalog) -> Drive | None:
    """Return the cheapest SATA SSD that holds what is on each disk now; None where none does."""
    disks = [catalog.drive(key) for key in setup.disk_keys]
    if not setup.box_key or all(each.kind is not DriveKind.HARD_DISK for each in disks):
        return None
    held = max(each.capacity_bytes for each in disks) * setup.used_share
    fits = [
        each
        for each in catalog.drives.values()
        if each.kind is DriveKind.SATA and each.capacity_bytes >= held
    ]
    return min(fits, key=lambda each: each.price, default=None)
