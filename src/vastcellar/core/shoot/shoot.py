"""A shoot: cameras, what they record, for how long, onto what, and what copies are kept."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field, replace

from vastcellar.core.checks import require_above_zero, require_between, require_not_negative
from vastcellar.core.errors import BadValueError
from vastcellar.core.shoot.edit_plan import EditPlan
from vastcellar.core.shoot.formats import RecordingFormat, video_bytes_per_s
from vastcellar.core.shoot.guarantees import find_guarantee
from vastcellar.core.shoot.measured_rate import MeasuredRate
from vastcellar.core.shoot.offload import Break, FurtherStation, Offload
from vastcellar.core.shoot.roll_patterns import RollPattern

DEFAULT_HEADROOM = 0.20
DEFAULT_BUFFER_BYTES = 512_000_000
DEFAULT_AMBIENT_C = 25.0
DEFAULT_RESERVE = 0.10
DEFAULT_DAY_S = (8 * 3600.0, 18 * 3600.0)
MAX_DAYS = 1000
_MOST_MEDIA, _MOST_BREAKS = 100, 50
"""Beyond these a day is no plan, and would take minutes to let happen."""


@dataclass(frozen=True, slots=True)
class Setup:
    """What a camera records to: a drive, in an enclosure, on a cable, in a port, by part keys.

    ``unit_tag`` names a unit of the cellar whose drive this is, or is empty for a drive out of
    the catalog. Cards and ready-made drives have no enclosure; slots have no cable.
    """

    drive_key: str
    host_key: str
    port_key: str
    unit_tag: str = ""
    enclosure_key: str = ""
    cable_key: str = ""
    hub_keys: tuple[str, ...] = ()
    """Hubs and docks between cable and device, from the port outward."""
    sharing: int = 1
    """Devices that are busy behind the same hub at the same time, this one among them."""
    file_system_key: str = ""
    is_encrypted: bool = False

    def __post_init__(self) -> None:
        require_between("setup", 1, 64, sharing=self.sharing)
        if self.sharing > 1 and not self.hub_keys:
            raise BadValueError(
                f"{self.sharing} devices are said to share a hub, and there is none",
                where="setup",
                mend="Name the hub, or let the device be alone on its port",
            )


@dataclass(frozen=True, slots=True)
class AllowedMedium:
    """A kind of medium that a camera takes, and the class it asks for there, "" for none."""

    name: str
    guarantee: str = ""

    def __post_init__(self) -> None:
        if self.guarantee:
            find_guarantee(self.guarantee)


def on_another_way(setup: Setup, chosen: Setup) -> Setup:
    """Return *setup* with drive and way of *chosen*; how the medium is formatted stays.

    Whatever is taken over goes through here: a field that is added to a setup is kept unless it
    is named here as chosen anew.
    """
    return replace(
        setup,
        drive_key=chosen.drive_key,
        unit_tag=chosen.unit_tag,
        enclosure_key=chosen.enclosure_key,
        host_key=chosen.host_key,
        port_key=chosen.port_key,
        cable_key=chosen.cable_key,
        hub_keys=chosen.hub_keys,
        sharing=chosen.sharing,
    )


@dataclass(frozen=True, slots=True)
class CameraLimits:
    """What a camera does by itself, whatever the medium could take. 0 where there is no limit."""

    longest_clip_s: float = 0.0
    """It stops recording after so long."""
    split_bytes: float = 0.0
    """It starts a new file after so much (4 GiB - 1 byte on FAT32)."""
    media: tuple[AllowedMedium, ...] = ()

    def __post_init__(self) -> None:
        require_not_negative(
            "camera limits", longest_clip_s=self.longest_clip_s, split_bytes=self.split_bytes
        )


@dataclass(frozen=True, slots=True)
class SecondStream:
    """A proxy or second picture recorded at the same time."""

    recording: RecordingFormat
    crest: float
    is_on_same_medium: bool = True
    """Else it goes to a medium of its own and asks nothing of the first."""

    def __post_init__(self) -> None:
        require_between("second stream", 1.0, 10.0, crest=self.crest)


@dataclass(frozen=True, slots=True)
class Camera:
    """One camera of a shoot and what is asked of it."""

    key: str
    name: str
    model: str
    recording: RecordingFormat
    crest: float
    longest_take_s: float
    hours_a_day: float
    medium_bytes: int
    headroom: float = DEFAULT_HEADROOM
    buffer_bytes: int = DEFAULT_BUFFER_BYTES
    setup: Setup | None = None
    hours_by_day: tuple[float, ...] = ()
    """Days that differ, from the first on; ``hours_a_day`` counts after them."""
    pattern: RollPattern = RollPattern.DOCUMENTARY
    longest_on_day: int = 0
    """The day of the longest take, from 1; 0 for every day."""
    second: SecondStream | None = None
    limits: CameraLimits = field(default_factory=CameraLimits)
    medium_guarantee: str = ""
    """Class printed on the media in use, "" for none."""
    measured: MeasuredRate | None = None
    pool_tags: tuple[str, ...] = ()
    """Units that it records to besides that of its setup, in the order in which they go in."""
    more_media: int = 0
    """Media like the first that would have to be bought or lent."""
    call_s: float | None = None
    wrap_s: float | None = None
    """Its own hours; None for those of the shoot."""
    card_changes_s: tuple[float, ...] = ()
    """When its medium is changed before it is full, where another is at hand; on each day."""
    station: str = ""
    """Where its cards are copied: a further station's name, "" for the first."""

    def __post_init__(self) -> None:
        where = f"camera {self.key!r}"
        if not self.key.strip():
            raise BadValueError(
                "a camera has no letter", where="camera", mend="Give it one, like A"
            )
        require_between(where, 1.0, 10.0, crest=self.crest)
        require_between(where, 0.0, 5.0, headroom=self.headroom)
        require_above_zero(
            where, longest_take_s=self.longest_take_s, medium_bytes=self.medium_bytes
        )
        require_between(where, 0.0, 24.0, hours_a_day=self.hours_a_day)
        for hours in self.hours_by_day:
            require_between(where, 0.0, 24.0, hours_by_day=hours)
        require_between(where, 0, MAX_DAYS, longest_on_day=self.longest_on_day)
        require_between(
            where,
            0,
            _MOST_MEDIA,
            more_media=self.more_media,
            media_in_pool=len(self.pool_tags),
            card_changes=len(self.card_changes_s),
        )
        for hour_s in (self.call_s, self.wrap_s, *self.card_changes_s):
            if hour_s is not None:
                require_between(where, 0, 36 * 3600, hours_of_the_day_s=hour_s)
        if len(set(self.pool_tags)) < len(self.pool_tags) or "" in self.pool_tags:
            raise BadValueError(
                "a unit stands twice in its pool, or has no tag",
                where=where,
                mend="Name each once",
            )
        require_not_negative(where, buffer_bytes=self.buffer_bytes)
        if self.medium_guarantee:
            find_guarantee(self.medium_guarantee)
        if not 1 <= self.longest_take_s <= 24 * 3600:
            raise BadValueError(
                f"longest_take_s is {self.longest_take_s:g}",
                where=where,
                mend="Give a take of 1 second to 24 hours",
            )
        if self.medium_bytes < video_bytes_per_s(self.recording):
            raise BadValueError(
                f"medium_bytes is {self.medium_bytes}, less than a second of its picture",
                where=where,
                mend="Give the size of one card or drive, for example 256 GB",
            )

    def hours_on(self, day: int) -> float:
        """Return the recorded hours of *day*, counted from 1."""
        if day <= len(self.hours_by_day):
            return self.hours_by_day[day - 1]
        return self.hours_a_day

    def with_hours_on(self, day: int, hours: float) -> Camera:
        """Return the camera with *hours* on *day*; the other days stay as they are."""
        before = [self.hours_on(each) for each in range(1, max(day, len(self.hours_by_day)) + 1)]
        before[day - 1] = hours
        while before and before[-1] == self.hours_a_day:
            before.pop()
        return replace(self, hours_by_day=tuple(before))

    def has_longest_on(self, day: int) -> bool:
        """Return whether the longest take is due on *day*, counted from 1."""
        return self.longest_on_day in (0, day)


@dataclass(frozen=True, slots=True)
class Copy:
    """A verified copy of everything: what it is for, where it is kept, and how long."""

    name: str
    kept_at: str = ""
    keep_days: int = 0
    """Each day's material is let go after so many days; 0 keeps it to the end."""
    unit_tags: tuple[str, ...] = ()
    """The units that it is made on."""
    is_handed_over: bool = False
    """Whether it leaves the house: no copy when it comes to wiping a card."""
    write_bytes_per_s: float = 0.0
    """What a drive that isn't ours is said to write, where no unit is named; 0 for not known."""
    made_from: str = ""
    """The copy that this one is made from later, elsewhere or at night; "" where it is made from
    the cards, with the others."""
    not_before_s: float = 0.0
    """When a later one can begin, since midnight of each shooting day; past 24 h the next day."""
    station: str = ""
    """Where it is made: a further station's name, "" for the first; a later one where that is
    which it is made from."""

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise BadValueError("a copy has no name", where="copy", mend="Say what it is for")
        where = f"copy {self.name!r}"
        require_between(where, 0, 48 * 3600, not_before_s=self.not_before_s)
        require_between(where, 0, MAX_DAYS, keep_days=self.keep_days)
        require_between(where, 0, 1e12, write_bytes_per_s=self.write_bytes_per_s)


def default_copies(count: int) -> tuple[Copy, ...]:
    """Return so many copies as they are usually kept. Raises BadValueError beyond 0 to 10."""
    require_between("copies", 0, 10, copies=count)
    usual = (
        Copy("Working copy", "with the editors"),
        Copy("Safety copy", "elsewhere"),
        Copy("Client copy", "handed over"),
    )
    more = tuple(Copy(f"Copy {number}") for number in range(4, count + 1))
    return (*usual, *more)[:count]


@dataclass(frozen=True, slots=True)
class Shoot:
    """A named job of so many days in a room of some temperature."""

    name: str
    days: int
    cameras: tuple[Camera, ...]
    ambient_c: float = DEFAULT_AMBIENT_C
    copies: tuple[Copy, ...] = ()
    reserve: float = DEFAULT_RESERVE
    """Room kept over on every copy, as a share of what it holds."""
    day_start_s: float = DEFAULT_DAY_S[0]
    day_end_s: float = DEFAULT_DAY_S[1]
    note: str = ""
    breaks: tuple[Break, ...] = ()
    """When no camera begins a take."""
    offload: Offload = field(default_factory=Offload)
    edit: EditPlan = field(default_factory=EditPlan)

    def __post_init__(self) -> None:
        where = f"shoot {self.name!r}"
        require_between(where, 1, MAX_DAYS, days=self.days)
        require_between(where, -40, 60, ambient_c=self.ambient_c)
        require_between(where, 0, 10, copies=len(self.copies))
        require_between(where, 0, _MOST_BREAKS, breaks=len(self.breaks))
        require_between(where, 0, 2, reserve=self.reserve)
        require_between(where, 0, 24 * 3600, day_start_s=self.day_start_s)
        if not self.day_start_s < self.day_end_s <= 36 * 3600:
            raise BadValueError(
                f"the day ends at {self.day_end_s / 3600:g} h, it starts at "
                f"{self.day_start_s / 3600:g} h",
                where=where,
                mend="Let it end after it starts",
            )
        for camera in self.cameras:
            start_s, end_s = self.hours_of(camera)
            if not start_s < end_s:
                raise BadValueError(
                    f"its day ends at {end_s / 3600:g} h, it starts at {start_s / 3600:g} h",
                    where=f"camera {camera.key!r}",
                    mend="Let its wrap be after its call",
                )
        for kind, names in (
            ("cameras", [camera.key for camera in self.cameras]),
            ("copies", [copy.name for copy in self.copies]),
        ):
            name, count = next(iter(Counter(names).most_common(1)), ("", 0))
            if count > 1:
                raise BadValueError(
                    f"two {kind} are called {name!r}", where=where, mend="Give each its own name"
                )
        made_with_card = {copy.name for copy in self.copies if not copy.made_from}
        for copy in self.copies:
            if copy.made_from and copy.made_from not in made_with_card:
                raise BadValueError(
                    f"it is made from {copy.made_from!r}, and no copy of that name is made from "
                    "the cards",
                    where=f"copy {copy.name!r}",
                    mend="Name one that is, or let this one be made from the cards",
                )

    def hours_of(self, camera: Camera) -> tuple[float, float]:
        """Return call and wrap of *camera*, in seconds since midnight."""
        start_s = self.day_start_s if camera.call_s is None else camera.call_s
        return start_s, self.day_end_s if camera.wrap_s is None else camera.wrap_s

    def camera(self, key: str) -> Camera:
        """Return the camera called *key*. Raises BadValueError where there is none."""
        for camera in self.cameras:
            if camera.key == key:
                return camera
        known = ", ".join(camera.key for camera in self.cameras) or "none yet"
        raise BadValueError(
            f"there is no camera {key!r}", where=f"shoot {self.name!r}", mend=f"It has: {known}"
        )

    def with_camera(self, camera: Camera) -> Shoot:
        """Return the shoot with *camera* in place of the one of the same key, or added."""
        if any(known.key == camera.key for known in self.cameras):
            cameras = tuple(camera if known.key == camera.key else known for known in self.cameras)
        else:
            cameras = (*self.cameras, camera)
        return replace(self, cameras=cameras)


def tags_in_use(shoot: Shoot, besides: str = "") -> frozenset[str]:
    """Return the tags of all units that *shoot* records or copies to.

    What only the camera of the key *besides* records to is left out: it may change that.
    """
    others = [camera for camera in shoot.cameras if camera.key != besides]
    tags = {camera.setup.unit_tag for camera in others if camera.setup}
    tags.update(tag for camera in others for tag in camera.pool_tags)
    tags.update(tag for copy in shoot.copies for tag in copy.unit_tags)
    return frozenset(tags - {""})


def with_tag_changed(shoot: Shoot, old: str, new: str) -> Shoot:
    """Return *shoot* with the unit *old* called *new* wherever it records or copies to it."""

    def changed(tags: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(new if tag == old else tag for tag in tags)

    cameras = tuple(
        replace(
            camera,
            pool_tags=changed(camera.pool_tags),
            setup=replace(camera.setup, unit_tag=new)
            if camera.setup is not None and camera.setup.unit_tag == old
            else camera.setup,
        )
        for camera in shoot.cameras
    )
    copies = tuple(replace(copy, unit_tags=changed(copy.unit_tags)) for copy in shoot.copies)

    def ports(station: Offload | FurtherStation) -> tuple[tuple[str, str], ...]:
        return tuple((new if tag == old else tag, port) for tag, port in station.ports)

    further = tuple(replace(each, ports=ports(each)) for each in shoot.offload.further)
    rules = replace(shoot.offload, ports=ports(shoot.offload), further=further)
    return replace(shoot, cameras=cameras, copies=copies, offload=rules)


def cables_and_hubs_of(shoot: Shoot) -> frozenset[str]:
    """Return the keys of the cables, readers and hubs that *shoot* uses: they are there already."""
    setups = (camera.setup for camera in shoot.cameras if camera.setup)
    keys = {key for each in setups for key in (each.cable_key, *each.hub_keys)}
    return frozenset(keys - {""})
