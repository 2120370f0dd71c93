"""A store as it is typed in, put together from the catalog; and what is asked of it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

from vastcellar.core.checks import require_above_zero
from vastcellar.core.edit.arrays import STRIPE_BYTES, Level, array_of
from vastcellar.core.edit.disks import disk_of
from vastcellar.core.edit.edit_load import Beside, EditLoad, StreamKind
from vastcellar.core.edit.edit_store import (
    ROUND_TRIP_S,
    EditStore,
    Stage,
    StageKind,
    network_bytes_per_s,
)
from vastcellar.core.edit.editors import DAY_S, Desk, sound_of
from vastcellar.core.errors import BadValueError, UnknownPartError
from vastcellar.core.links.links import LARGER_FRAMES, LinkMode
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.shoot.edit_plan import Editor, EditPlan, StoreSetup, StreamSetup
from vastcellar.core.shoot.needs import camera_need, stream_rate
from vastcellar.core.shoot.shoot import Camera, Shoot


def level_of(setup: StoreSetup) -> Level:
    """Return how the disks of a store are put together. Raises BadValueError for no such level."""
    try:
        return Level(setup.level)
    except ValueError as error:
        raise BadValueError(
            f"{setup.level!r} is no way to put disks together",
            where=f"store {setup.name!r}",
            mend=f"Use one of {', '.join(each.value for each in Level)}",
        ) from error


def build_store(setup: StoreSetup, catalog: Catalog) -> EditStore:
    """Return the store with all its stages.

    Raises UnknownPartError for keys that the catalog hasn't; BadValueError for too few disks, too
    many for its box, or a link that its box or hub doesn't have.
    """
    where = f"store {setup.name!r}"
    disks = [disk_of(catalog.drive(key)) for key in setup.disk_keys]
    array = array_of(level_of(setup), disks, setup.stripe_bytes or STRIPE_BYTES)
    price = sum(each.price for each in disks)
    stages: list[Stage] = []
    offered: tuple[str, ...] = ()
    if setup.box_key:
        box = catalog.enclosure(setup.box_key)
        if len(disks) > box.bays:
            raise BadValueError(
                f"{len(disks)} disks are in it, and {box.name} has {box.bays} bays",
                where=where,
                mend="Take some out, or choose a larger box",
            )
        offered, price = box.host_modes, price + box.price
    elif setup.hub_key:
        hub = catalog.hub(setup.hub_key)
        offered, price = hub.uplink_modes, price + hub.price
    if setup.encrypted_by == "store":
        stages.append(_encryption(setup, "the store", is_per_desk=False))
    if setup.port_mode:
        if offered and setup.port_mode not in with_larger_frames(offered):
            raise BadValueError(
                f"it has no link {setup.port_mode!r}",
                where=where,
                mend=f"Use one of {', '.join(offered)}",
            )
        stages.append(_port(setup, catalog.modes))
    if setup.desk_mode:
        mode = _mode(catalog.modes, setup.desk_mode, where)
        rate = network_bytes_per_s(mode, setup.window_bytes, round_trip_s(setup))
        stages.append(Stage(StageKind.DESK, mode.short, rate, is_per_desk=True, how=mode.name))
    if setup.encrypted_by == "desk":
        stages.append(_encryption(setup, "the desk", is_per_desk=True))
    return EditStore(
        setup.name,
        array,
        tuple(stages),
        setup.used_share,
        round_trip_s(setup) if is_network(setup) else setup.round_trip_s,
        price,
        setup.rebuild_bytes_per_s,
    )


def is_network(setup: StoreSetup) -> bool:
    """Whether a network lies between the store and the desk."""
    return bool(setup.box_key) or setup.port_mode.startswith("eth-")


def round_trip_s(setup: StoreSetup) -> float:
    """Return its round trip: as it was typed in, or the usual one of a network."""
    return setup.round_trip_s or ROUND_TRIP_S


def with_larger_frames(modes: tuple[str, ...]) -> tuple[str, ...]:
    """Every network port takes larger frames as well, where both ends are set to them."""
    return (*modes, *(f"{each}{LARGER_FRAMES}" for each in modes if each.startswith("eth-")))


def _mode(modes: Mapping[str, LinkMode], key: str, where: str) -> LinkMode:
    if key not in modes:
        raise UnknownPartError(
            f"there is no link {key!r}", where=where, mend="Use one that the catalog has"
        )
    return modes[key]


def _port(setup: StoreSetup, modes: Mapping[str, LinkMode]) -> Stage:
    mode = _mode(modes, setup.port_mode, f"store {setup.name!r}")
    if setup.hub_key:
        return Stage(StageKind.HUB, mode.short, mode.typical_bytes_per_s, how=mode.name)
    window = setup.window_bytes if is_network(setup) and not setup.desk_mode else 0.0
    rate = network_bytes_per_s(mode, window, round_trip_s(setup))
    return Stage(StageKind.PORT, mode.short, rate, how=mode.name)


def _encryption(setup: StoreSetup, who: str, *, is_per_desk: bool) -> Stage:
    return Stage(
        StageKind.ENCRYPTION, who, setup.encryption_bytes_per_s, is_per_desk=is_per_desk,
        is_duplex=False, how=f"as {who} decrypts",
    )  # fmt: skip


# What is asked


def stream_of(setup: StreamSetup, shoot: Shoot | None, plan: EditPlan) -> StreamKind:
    """Return the stream that is played: of a camera of *shoot*, or of its own rate.

    Raises BadValueError for a camera that isn't there, or that records no proxy.
    """
    name, rate, frames = setup.name, setup.bytes_per_s, setup.frames_per_s
    if setup.camera_key:
        if shoot is None:
            raise BadValueError(
                f"it is camera {setup.camera_key}'s, and no shoot is open", where="stream",
                mend="Give it a rate of its own",
            )  # fmt: skip
        camera = shoot.camera(setup.camera_key)
        rate, frames = _rate_of(camera, is_proxy=setup.is_proxy)
        name = name or (f"{camera.key} proxy" if setup.is_proxy else f"{camera.key} as recorded")
    name = name or "stream"
    if setup.speed != 1.0:
        name = f"{name}, {setup.speed:g} x"
    return StreamKind(
        name, rate * setup.speed, frames * setup.speed, plan.read_ahead_s, plan.block_bytes
    )


def _rate_of(camera: Camera, *, is_proxy: bool) -> tuple[float, float]:
    """Return what a camera's recording plays at: at its project's frame rate where it is slowed."""
    if not is_proxy:
        recording = camera.recording
        need = camera_need(camera)
        rate = need.average_bytes_per_s - need.second_bytes_per_s
    else:
        if camera.second is None:
            raise BadValueError(
                f"camera {camera.key} records no proxy", where="stream",
                mend="Let it record one in Shoot, or give a rate",
            )  # fmt: skip
        recording = camera.second.recording
        rate = stream_rate(recording, camera.second.crest).average_bytes_per_s
    plays = recording.project_frames_per_s or recording.frames_per_s
    return rate * float(plays / recording.frames_per_s), float(plays)


def load_of(plan: EditPlan, shoot: Shoot | None) -> EditLoad:
    """Return what *plan* asks of a store. Raises as ``stream_of`` does.

    With editors named it has as many desks as work at once.
    """
    stream = stream_of(plan.stream, shoot, plan)
    require_above_zero("stream", bytes_per_s=stream.bytes_per_s)
    at_once = [len(there) for there in _at_once(plan.editors)]
    return EditLoad(stream, max(at_once, default=plan.desks), plan.beside)


def wanted_of(plan: EditPlan, shoot: Shoot | None) -> int:
    """Return how many streams of the plan's kind are wanted at once.

    With editors named: what they ask at their busiest, in so many of those streams.
    """
    if not plan.editors:
        return plan.streams
    one = stream_of(plan.stream, shoot, plan).bytes_per_s
    asked = {each.name: each.asked_bytes_per_s for each in desks_of(plan, shoot)}
    most = max(sum(asked[each.name] for each in there) for there in _at_once(plan.editors))
    return max(math.ceil(round(most / one, 6)), 1)


def desks_of(plan: EditPlan, shoot: Shoot | None) -> tuple[Desk, ...]:
    """Return the desks of *plan*'s editors with what goes on at each. Raises as ``stream_of``."""
    return tuple(
        Desk(
            each.name,
            each.start_s,
            each.end_s,
            stream_of(each.stream or plan.stream, shoot, plan),
            each.streams,
            _beside_of(each),
        )
        for each in plan.editors
    )


def next_editor(plan: EditPlan) -> Editor:
    """Return one more editor with a name of his own, at the hours of the last."""
    taken = {each.name for each in plan.editors}
    numbered = (f"Editor {number}" for number in range(1, len(taken) + 2))
    name = next(name for name in numbered if name not in taken)
    if not plan.editors:
        return Editor(name, streams=plan.streams)
    last = plan.editors[-1]
    return replace(last, name=name)


_ANY = StreamKind("any", 1.0, 1.0)
"""Who is there doesn't depend on what plays."""


def _beside_of(editor: Editor) -> tuple[Beside, ...]:
    sound = (sound_of(editor.sound_tracks),) if editor.sound_tracks else ()
    written, read = editor.write_bytes_per_s, editor.read_bytes_per_s
    work = (Beside(f"work of {editor.name}", written, read),) if written or read else ()
    return (*sound, *work)


def _at_once(editors: Sequence[Editor]) -> list[list[Editor]]:
    """Return who is there whenever somebody comes."""
    desks = [Desk(each.name, each.start_s, each.end_s, _ANY, each.streams) for each in editors]
    return [
        [
            editor
            for editor, desk in zip(editors, desks, strict=True)
            if desk.is_within(comes.start_s) or editor.start_s % DAY_S == comes.start_s % DAY_S
        ]
        for comes in editors
    ]


def first_store(name: str, *, in_network: bool = False) -> StoreSetup:
    """Return a store to begin with: one disk at the desk, or four behind gigabit."""
    if in_network:
        return StoreSetup(
            name, Level.PARITY.value, ("kelmarsh-dray-8",) * 4, "sedgeway-loft-4", "", "eth-1g"
        )
    return StoreSetup(name, Level.SINGLE.value, ("kelmarsh-dray-8",), port_mode="usb-5g")
