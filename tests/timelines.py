"""Makes timelines for tests, in the exchange format's own library."""

import opentimelineio as otio
from opentimelineio.opentime import RationalTime, TimeRange

RATE = 92.17e6


def span(start_s, seconds, fps=25):
    """A range of time at a rate."""
    return TimeRange(RationalTime(start_s * fps, fps), RationalTime(seconds * fps, fps))


def clip(name, seconds, rate=RATE, media="", start_s=0.0, fps=25, speed=None):
    """A clip of so many seconds; without a rate its media has to tell."""
    made = otio.schema.Clip(name, source_range=span(start_s, seconds, fps))
    if rate:
        made.metadata["vast-cellar"] = {"bytes_per_s": rate}
    if media:
        made.media_reference = otio.schema.ExternalReference(target_url=str(media))
    if speed is not None:
        made.effects.append(otio.schema.LinearTimeWarp(time_scalar=speed))
    return made


def gap(seconds):
    """Nothing for so many seconds."""
    return otio.schema.Gap(source_range=span(0, seconds))


def dissolve(before_s, after_s):
    """A transition that reads both of its clips."""
    return otio.schema.Transition(
        in_offset=RationalTime(before_s * 25, 25), out_offset=RationalTime(after_s * 25, 25)
    )


def track(*parts, kind="Video", name=""):
    """A track of such parts."""
    made = otio.schema.Track(name, kind=kind)
    made.extend(parts)
    return made


def stack(*parts, trim=None):
    """Parts over each other."""
    made = otio.schema.Stack("nested", source_range=trim)
    made.extend(parts)
    return made


def timeline(*tracks, name="cut"):
    """A whole cut."""
    made = otio.schema.Timeline(name)
    made.tracks.extend(tracks)
    return made


def write(path, made):
    """Write it, and return where."""
    path.write_text(otio.adapters.write_to_string(made, "otio_json"), encoding="utf-8")
    return path
