"""Where a set of tests runs: a real folder, or a simulated rig with a timeline of its own."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Protocol

from vastcellar.bench.flat_run import FlatPlan
from vastcellar.core.chain.chain import Chain
from vastcellar.core.errors import BadValueError
from vastcellar.core.recording.recorder import RecorderLoad
from vastcellar.core.writing.write_profile import Phase
from vastcellar.services.proving.file_proving import FilePlan, FileProof, file_proof
from vastcellar.services.proving.flat_proving import (
    FlatProof,
    folder_flat_proof,
    rig_flat_proof,
    rig_room_bytes,
)
from vastcellar.services.proving.places import find_place
from vastcellar.services.proving.recorder_proving import Proof, folder_proof, rig_proof
from vastcellar.services.runs.resting import Rest
from vastcellar.services.workplace.workplace import Workplace


class Testbed(Protocol):
    """A place where one test after the other can run."""

    @property
    def name(self) -> str:
        """What it is called."""

    @property
    def is_simulated(self) -> bool:
        """Whether nothing is written to a disk."""

    @property
    def chain(self) -> Chain | None:
        """What leads to it, where that is known."""

    @property
    def room_bytes(self) -> int:
        """What a test may fill."""

    def flat(self, plan: FlatPlan, rest: Rest, *, with_fan: bool) -> FlatProof:
        """Return a flat-out test here. Raises DiskError, BadValueError."""

    def record(self, loads: Sequence[RecorderLoad]) -> Proof:
        """Return a recorder test here. Raises DiskError, BadValueError."""

    def files(self, plan: FilePlan) -> FileProof:
        """Return a test that works with files. Raises DiskError; BadValueError on a rig."""

    def passed(self, busy_s: float, rested_s: float) -> None:
        """Take note that a test ran so long, and then nothing."""


@dataclass(frozen=True)
class FolderTestbed:
    """A folder on a real file system; a fan is put there by hand."""

    folder: Path
    notes_folder: Path
    chain: Chain | None = None
    ambient_c: float = math.nan
    link_bytes_per_s: float | None = None
    apart: bool = False
    """Whether its tests run in a process of their own."""
    drive_c: float | None = None
    """The drive's temperature now as somebody read it, where no sensor tells."""
    is_simulated = False

    @property
    def name(self) -> str:
        """The folder's path."""
        return str(self.folder)

    @property
    def room_bytes(self) -> int:
        """Free space less the reserve. Raises DiskError."""
        return find_place(self.folder).room_bytes

    def flat(self, plan: FlatPlan, rest: Rest, *, with_fan: bool) -> FlatProof:
        """Return a flat-out test in the folder. Raises DiskError, BadValueError."""
        return folder_flat_proof(
            self.folder,
            plan,
            self.notes_folder,
            chain=self.chain,
            ambient_c=self.ambient_c,
            link_bytes_per_s=self.link_bytes_per_s,
            rest=rest,
            with_fan=with_fan,
            apart=self.apart,
            drive_c=self.drive_c,
        )

    def record(self, loads: Sequence[RecorderLoad]) -> Proof:
        """Return a recorder test in the folder. Raises DiskError, BadValueError."""
        return folder_proof(
            self.folder, loads, self.notes_folder, self.chain, self.ambient_c, apart=self.apart
        )

    def files(self, plan: FilePlan) -> FileProof:
        """Return a test with files in the folder. Raises DiskError, BadValueError."""
        return file_proof(
            self.folder,
            plan,
            self.notes_folder,
            chain=self.chain,
            ambient_c=self.ambient_c,
            apart=self.apart,
        )

    def passed(self, busy_s: float, rested_s: float) -> None:
        """Real time passes by itself."""


@dataclass
class RigTestbed:
    """A simulated rig that remembers what it was put through; its time costs nobody any."""

    chain: Chain
    ambient_c: float
    workplace: Workplace | None = None
    speed: float = math.inf
    sample_tag: str = ""
    _past: list[Phase] = field(default_factory=list)
    is_simulated = True

    @property
    def name(self) -> str:
        """The rig's name."""
        return f"simulated rig of {self.chain.parts.name}"

    @property
    def room_bytes(self) -> int:
        """The model's free space."""
        return rig_room_bytes(self.chain)

    def flat(self, plan: FlatPlan, rest: Rest, *, with_fan: bool) -> FlatProof:
        """Return a flat-out test on the rig, after all that it went through.

        With a fan it begins at rest, as the cooling pair asks.
        """
        if with_fan:
            self._past.clear()
        return rig_flat_proof(
            plan,
            self.chain,
            self.ambient_c,
            workplace=self.workplace,
            speed=self.speed,
            sample_tag=self.sample_tag,
            past=tuple(self._past),
            with_fan=with_fan,
            rest=rest,
        )

    def record(self, loads: Sequence[RecorderLoad]) -> Proof:
        """Return a recorder test on a rig at rest."""
        return rig_proof(
            loads, self.chain, self.ambient_c, workplace=self.workplace, speed=self.speed
        )

    def files(self, plan: FilePlan) -> FileProof:
        """Raise BadValueError: the model knows bytes, not files."""
        raise BadValueError(
            "a simulated rig has no files to work with",
            where=self.name,
            mend="Choose a real folder for edit, project and offload tests",
        )

    def passed(self, busy_s: float, rested_s: float) -> None:
        """Let the rig's time pass, writing and then idle."""
        for offered, duration_s in ((math.inf, busy_s), (0.0, rested_s)):
            if duration_s > 0:
                self._past.append(Phase(offered, duration_s))
