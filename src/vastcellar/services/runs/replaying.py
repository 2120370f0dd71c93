"""Replay a measured trace: one run of a drive answers every camera of a shoot."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from vastcellar.core.evidence import Verdict
from vastcellar.core.recording.replay import Replay, replay
from vastcellar.core.shoot.needs import Need, camera_need
from vastcellar.core.shoot.shoot import Camera, Shoot
from vastcellar.core.trace import Trace
from vastcellar.core.units import NumberFormat
from vastcellar.services.words.verdict_wording import SHORT_WORDS
from vastcellar.store.trace_csv import read_trace


@dataclass(frozen=True, slots=True)
class CameraReplay:
    """What a camera would have met on the drive of the trace."""

    camera: Camera
    need: Need
    replay: Replay


def replay_in_file(path: Path, shoot: Shoot) -> tuple[CameraReplay, ...]:
    """Return the replay of the trace in *path* for each camera of *shoot*.

    Raises BadFileError for a file that is no trace, BadValueError for one that is too short.
    """
    return camera_replays(read_trace(path), shoot)


def camera_replays(trace: Trace, shoot: Shoot) -> tuple[CameraReplay, ...]:
    """Return the replay of *trace* for each camera of *shoot*. Raises BadValueError: too short."""
    found = []
    for camera in shoot.cameras:
        need = camera_need(camera)
        found.append(CameraReplay(camera, need, replay(trace, camera, need)))
    return tuple(found)


def replay_sentence(each: CameraReplay, fmt: NumberFormat) -> str:
    """Return what a camera would have met on the drive of a trace."""
    camera, replayed, outcome = each.camera, each.replay, each.replay.outcome
    head = f"{camera.key} {camera.name}: {SHORT_WORDS[replayed.verdict]}"
    if replayed.margin is not None:
        head += f" {fmt.percent(replayed.margin, signed=True)}"
    if outcome.lost_bytes > 0:
        return f"{head}, the first frame lost after {fmt.duration(outcome.first_loss_s)}"
    if replayed.verdict is Verdict.NOT_KNOWN:
        share = fmt.percent(replayed.covered_share)
        return f"{head}: the trace ends after {share} of the longest take's bytes"
    return f"{head}, most in the buffer {fmt.size(outcome.worst_backlog_bytes)}"
