"""What is edited and from where, as it is typed in: stores by their parts, streams, growth."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field, replace

from vastcellar.core.checks import require_above_zero, require_between, require_not_negative
from vastcellar.core.errors import BadValueError

MOST_STORES, MOST_STREAMS_ASKED = 4, 256
_MOST_DISKS, _MOST_BESIDE, _MOST_EDITORS = 48, 10, 16


@dataclass(frozen=True, slots=True)
class StoreSetup:
    """A store by its parts: keys of the catalog, and how they are put together."""

    name: str
    level: str = "single"
    """How its disks are put together: "single", "each by itself", "raid-0" … "raid-10"."""
    disk_keys: tuple[str, ...] = ()
    box_key: str = ""
    """The network store that they are in; "" for drives at the desk itself."""
    hub_key: str = ""
    """The hub or dock whose uplink they share."""
    port_mode: str = ""
    """The link of the store, or of the drive at the desk."""
    desk_mode: str = ""
    """The desk's own link to a network; "" for one that carries no less."""
    used_share: float = 0.0
    encrypted_by: str = ""
    """"store" or "desk" where what is read is decrypted there."""
    encryption_bytes_per_s: float = 0.0
    window_bytes: float = 0.0
    """What one connection may have on its way unanswered; 0 where that is no limit."""
    round_trip_s: float = 0.0
    """0 for the usual one."""
    stripe_bytes: int = 0
    """0 for the usual one."""
    rebuild_bytes_per_s: float = 0.0
    """A disk; 0 for the typical share of what it reads."""
    unit_tag: str = ""
    """The unit of the shelf that it is: its edit tests stand over what is computed."""

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise BadValueError("a store has no name", where="store", mend="Give it one")
        where = f"store {self.name!r}"
        require_between(where, 1, _MOST_DISKS, disks=len(self.disk_keys))
        require_between(where, 0.0, 0.99, used_share=self.used_share)
        require_between(where, 0.0, 1.0, round_trip_s=self.round_trip_s)
        require_not_negative(
            where,
            encryption_bytes_per_s=self.encryption_bytes_per_s,
            window_bytes=self.window_bytes,
            stripe_bytes=self.stripe_bytes,
            rebuild_bytes_per_s=self.rebuild_bytes_per_s,
        )
        if self.encrypted_by not in ("", "store", "desk"):
            raise BadValueError(
                f"it can't be encrypted by {self.encrypted_by!r}", where=where,
                mend="Say store, desk or nothing",
            )  # fmt: skip
        if bool(self.encrypted_by) != (self.encryption_bytes_per_s > 0):
            raise BadValueError(
                "who encrypts and at what rate belong together", where=where,
                mend="Give both, or neither",
            )  # fmt: skip
        if self.box_key and self.hub_key:
            raise BadValueError(
                "it stands in a network and on a hub", where=where, mend="Choose one of them"
            )


@dataclass(frozen=True, slots=True)
class StreamSetup:
    """A stream that is played: as a camera records it, or of a rate of its own."""

    name: str = ""
    camera_key: str = ""
    """Whose format it is; "" where the rate is given."""
    is_proxy: bool = False
    """Whether the camera's second, small recording is played in place of it."""
    bytes_per_s: float = 0.0
    frames_per_s: float = 25.0
    speed: float = 1.0
    """At which it is played: 2 for double."""

    def __post_init__(self) -> None:
        where = "stream"
        require_not_negative(where, bytes_per_s=self.bytes_per_s)
        require_between(where, 1.0, 1000.0, frames_per_s=self.frames_per_s)
        require_between(where, 0.01, 100.0, speed=self.speed)
        if not self.camera_key and self.bytes_per_s <= 0:
            raise BadValueError(
                "it has neither a camera nor a rate", where=where, mend="Give one of them"
            )


@dataclass(frozen=True, slots=True)
class Beside:
    """Work without a deadline that goes on beside the streams: a render, an ingest, caches."""

    name: str
    write_bytes_per_s: float = 0.0
    read_bytes_per_s: float = 0.0
    block_bytes: float = 8 * 2**20

    def __post_init__(self) -> None:
        where = f"beside {self.name!r}"
        require_not_negative(
            where,
            write_bytes_per_s=self.write_bytes_per_s,
            read_bytes_per_s=self.read_bytes_per_s,
        )
        require_above_zero(where, block_bytes=self.block_bytes)


@dataclass(frozen=True, slots=True)
class Editor:
    """Somebody who edits: from when to when, what plays at that desk, what goes on beside it."""

    name: str
    start_s: float = 9 * 3600.0
    end_s: float = 18 * 3600.0
    """Since midnight; past 24 h the next day."""
    streams: int = 1
    stream: StreamSetup | None = None
    """What plays there; None for what the plan says."""
    sound_tracks: int = 0
    """Files of sound of their own that play along, as a mix has them."""
    write_bytes_per_s: float = 0.0
    """Renders, exports and caches of this desk."""
    read_bytes_per_s: float = 0.0
    """What it reads without a deadline: a transcode, a copy off the store."""

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise BadValueError("an editor has no name", where="editor", mend="Give one")
        where = f"editor {self.name!r}"
        require_between(where, 0, MOST_STREAMS_ASKED, streams=self.streams)
        require_between(where, 0, 512, sound_tracks=self.sound_tracks)
        require_not_negative(
            where,
            write_bytes_per_s=self.write_bytes_per_s,
            read_bytes_per_s=self.read_bytes_per_s,
        )
        if not 0 <= self.start_s < self.end_s <= min(self.start_s + 24 * 3600, 48 * 3600):
            raise BadValueError(
                f"the hours go from {self.start_s / 3600:g} to {self.end_s / 3600:g}",
                where=where,
                mend="Let them end after they start, within a day of it",
            )


@dataclass(frozen=True, slots=True)
class GrowthSetup:
    """How the store fills: what a month brings, and what is moved away again."""

    month_bytes: float = 0.0
    """0 for what the shoot records, once a month."""
    grows_by: float = 0.0
    archived_after_months: int = 0
    kept_share: float = 0.0

    def __post_init__(self) -> None:
        where = "growth"
        require_not_negative(where, month_bytes=self.month_bytes)
        require_between(where, -1.0, 10.0, grows_by=self.grows_by)
        require_between(where, 0, 120, archived_after_months=self.archived_after_months)
        require_between(where, 0.0, 1.0, kept_share=self.kept_share)


@dataclass(frozen=True)
class EditPlan:
    """Up to four stores side by side, and what is asked of them."""

    stores: tuple[StoreSetup, ...] = ()
    chosen: str = ""
    """The store that is looked at; "" for the first."""
    stream: StreamSetup = field(default_factory=lambda: StreamSetup("stream", bytes_per_s=92.2e6))
    streams: int = 2
    """So many are wanted at once."""
    read_ahead_s: float = 0.5
    block_bytes: float = 0.0
    """Read at once, before another stream has its turn; 0 for the whole read-ahead."""
    desks: int = 1
    beside: tuple[Beside, ...] = ()
    growth: GrowthSetup = field(default_factory=GrowthSetup)
    timeline: str = ""
    """Path of an OpenTimelineIO file: what the cut asks for."""
    editors: tuple[Editor, ...] = ()
    """Who edits when; then what is wanted at once, and by how many desks, follows from them."""

    def __post_init__(self) -> None:
        where = "edit"
        require_between(where, 0, MOST_STORES, stores=len(self.stores))
        require_between(where, 1, MOST_STREAMS_ASKED, streams=self.streams)
        require_between(where, 0.01, 60.0, read_ahead_s=self.read_ahead_s)
        require_not_negative(where, block_bytes=self.block_bytes)
        require_between(where, 1, 64, desks=self.desks)
        require_between(where, 0, _MOST_BESIDE, beside=len(self.beside))
        require_between(where, 0, _MOST_EDITORS, editors=len(self.editors))
        for kind, names in (
            ("stores", [each.name for each in self.stores]),
            ("editors", [each.name for each in self.editors]),
        ):
            name, count = next(iter(Counter(names).most_common(1)), ("", 0))
            if count > 1:
                raise BadValueError(
                    f"two {kind} are called {name!r}", where=where, mend="Give each its own name"
                )
        if self.chosen and self.chosen not in {each.name for each in self.stores}:
            raise BadValueError(
                f"there is no store {self.chosen!r}", where=where, mend="Choose one of them"
            )

    @property
    def store(self) -> StoreSetup | None:
        """The store that is looked at; None where there is none yet."""
        for each in self.stores:
            if each.name == self.chosen or not self.chosen:
                return each
        return None

    def with_store(self, store: StoreSetup, in_place_of: str = "") -> EditPlan:
        """Return the plan with *store* added, or in the place of the one of that name."""
        if in_place_of:
            stores = tuple(store if each.name == in_place_of else each for each in self.stores)
        else:
            stores = (*self.stores, store)
        return replace(self, stores=stores, chosen=store.name)
