"""What a measured drive holds: each camera of the shoot, or every format that is known."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.recording.replay import Recordable, Replay, recordable, replay
from vastcellar.core.shoot.camera_models import new_camera
from vastcellar.core.shoot.needs import Need, camera_need
from vastcellar.core.shoot.shoot import Camera, Shoot
from vastcellar.core.trace import Trace
from vastcellar.core.units import NumberFormat


@dataclass(frozen=True, slots=True)
class Held:
    """A camera, and how long it could have recorded onto the drive of a trace."""

    name: str
    camera: Camera
    need: Need
    replay: Replay
    """Of its longest take."""
    could: Recordable

    @property
    def verdict(self) -> Verdict:
        """Of the camera's longest take."""
        return self.replay.verdict


def held_cameras(trace: Trace, shoot: Shoot, catalog: Catalog) -> tuple[Held, ...]:
    """Return what the drive of a flat-out *trace* holds, the greatest need first.

    The cameras are those of *shoot*; where it has none, every preset that the catalog knows, each
    need once. Raises BadValueError for a trace of under half a second.
    """
    cameras = [(f"{each.key} {each.name}", each) for each in shoot.cameras]
    found: dict[object, Held] = {}
    for name, camera in cameras or _known_formats(catalog):
        need = camera_need(camera)
        # Two models that are set to one format and last as long are one line.
        key = name if cameras else (camera.recording.name, need.needed_write_bytes_per_s)
        if key not in found:
            replayed = replay(trace, camera, need)
            found[key] = Held(name, camera, need, replayed, recordable(trace, camera, need))
    by_need = sorted(found.values(), key=lambda each: -each.need.needed_write_bytes_per_s)
    return tuple(by_need)


def _known_formats(catalog: Catalog) -> list[tuple[str, Camera]]:
    return [
        (preset.name, new_camera("-", model.name, model, preset, catalog.codec(preset.codec)))
        for model in catalog.cameras.values()
        for preset in model.presets
    ]


def held_words(held: Held, fmt: NumberFormat) -> str:
    """Say how long: until a frame is lost, or as long as the trace has seen."""
    if held.could.needs_bytes:
        return f"too short to tell: {_needed_words(held, fmt)} would"
    seconds = fmt.duration(held.could.seconds)
    if held.could.loses_then:
        return f"a frame lost after {seconds}" if held.could.seconds >= 1 else "frames lost at once"
    return f"{seconds} and no frame lost: as far as was written"


def held_sentence(held: tuple[Held, ...], fmt: NumberFormat) -> str:
    """Say in a sentence what of all is held, and what isn't."""
    lost = [each for each in held if each.could.loses_then]
    short = [each for each in held if each.could.needs_bytes]
    kept = [each for each in held if not each.could.loses_then and not each.could.needs_bytes]
    if not held:
        return ""
    if len(short) == len(held):
        longest = max(short, key=lambda each: each.could.needs_s)
        return f"Too short to tell for any of {len(held)}: {_needed_words(longest, fmt)} would"
    told = _told_sentence(len(held), lost, kept, fmt)
    if short:
        longest = max(short, key=lambda each: each.could.needs_s)
        told += f"; too short to tell for {len(short)}: {_needed_words(longest, fmt)} would"
    return told


def _needed_words(held: Held, fmt: NumberFormat) -> str:
    """Say how much a run would have to write, and how long that takes at this one's rate."""
    seconds = fmt.duration(max(round(held.could.needs_s), 1))
    return f"{fmt.size(held.could.needs_bytes)} ({seconds} at this rate)"


def _told_sentence(count: int, lost: list[Held], kept: list[Held], fmt: NumberFormat) -> str:
    if not kept:
        least = lost[-1]
        which = f"None of {count} holds" if len(lost) == count else f"{len(lost)} lose frames"
        return f"{which}: {least.name} has {held_words(least, fmt)}"
    if not lost:
        greatest = kept[0]
        which = f"any of {count}" if len(kept) == count else f"{len(kept)} of {count}"
        return (
            f"No frame lost of {which}, up to {greatest.name} at "
            f"{fmt.rate(greatest.need.needed_write_bytes_per_s)}, for as long as was written"
        )
    return (
        f"{len(kept)} of {count} lose no frame for as long as was written; "
        f"{lost[-1].name}: {held_words(lost[-1], fmt)}"
    )
