"""The edit test of several clients at once: streams shared out, steps begun at one moment."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, dataclass, replace
from typing import Any

from vastcellar.bench.edit_run import EditPlan, EditRun
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.meeting import SAYS_WITHIN_S, Meeting
from vastcellar.bench.progress import Progress, stopped
from vastcellar.core.errors import BadFileError
from vastcellar.core.protocols.read_ahead import is_held


@dataclass(frozen=True, slots=True)
class ClientStep:
    """What one client saw of a step."""

    streams: int
    frames: int
    missed: int
    worst_late_s: float
    read_bytes_per_s: float
    read_ahead_loss_s_per_s: float = 0.0
    """Of its streams, in the mean."""


@dataclass(frozen=True, slots=True)
class TogetherStep:
    """A step of all clients."""

    streams: int
    clients: tuple[ClientStep, ...]

    @property
    def frames(self) -> int:
        """Of all of them."""
        return sum(each.frames for each in self.clients)

    @property
    def missed(self) -> int:
        """Of all of them."""
        return sum(each.missed for each in self.clients)

    @property
    def read_ahead_loss_s_per_s(self) -> float:
        """Of all streams, in the mean."""
        return sum(c.streams * c.read_ahead_loss_s_per_s for c in self.clients) / self.streams

    @property
    def is_held(self) -> bool:
        """Whether every client held its share."""
        return is_held(self.missed, self.read_ahead_loss_s_per_s)

    @property
    def read_bytes_per_s(self) -> float:
        """By all of them together."""
        return sum(each.read_bytes_per_s for each in self.clients)


def shared_out(streams: int, client: int, clients: int) -> int:
    """Return how many of *streams* the client of that number, from 0, plays: as even as can be."""
    return (streams - client + clients - 1) // clients


class TogetherRun(EditRun):
    """One client's part: it plays its share of each step's streams, and tells what it saw.

    The client that called adds a stream at a time until one of anybody's isn't held.
    """

    def __init__(
        self, plan: EditPlan, target: FolderTarget, meeting: Meeting, clients: int
    ) -> None:
        # Its own clips are enough for its share of the last step.
        most = shared_out(plan.streams, 0, clients)
        super().__init__(replace(plan, streams=most), target)
        self._meeting, self._clients, self._most = meeting, clients, plan.streams
        meeting.stops_with(self._stop)
        self.together: list[TogetherStep] = []

    def _measure(self) -> Iterator[Progress]:
        meeting, most = self._meeting, self._most
        try:
            yield from self._prepare()
            meeting.come()
            here = meeting.wait_for(self._clients) if meeting.is_caller else ()
            for number in range(1, most + 2):
                if meeting.is_caller:
                    is_over = number > most or not all(each.is_held for each in self.together)
                    meeting.let_go(number, {"clients": list(here), "streams": number,
                                            "is_over": is_over})  # fmt: skip
                said = meeting.wait_go(number)
                if said.get("is_over"):
                    break
                yield from self._share_of(said, number)
                if meeting.is_caller:
                    told = meeting.gather(number, here, self.plan.step_s + SAYS_WITHIN_S)
                    self.together.append(_joined(number, told))
        finally:
            if not self._folder.is_given_up:  # the meeting's words lie on that very share
                meeting.leave()

    def _share_of(self, said: dict[str, Any], number: int) -> Iterator[Progress]:
        """Play this client's streams of a step, and tell what came of them."""
        clients = said.get("clients")
        if not isinstance(clients, list) or self._meeting.me not in clients:
            raise BadFileError(
                "it has begun without this client", where=f"step {number}",
                mend="Call the meeting once more, and start all clients within two minutes",
            )  # fmt: skip
        mine = shared_out(number, clients.index(self._meeting.me), len(clients))
        seen = ClientStep(0, 0, 0, 0.0, 0.0)
        if mine:
            yield from self._step(mine, 0.25 + 0.75 * (number - 1) / self._most,
                                  0.75 / self._most)  # fmt: skip
            step = self._steps[-1]
            seen = ClientStep(
                mine, step.frames, step.missed, step.worst_late_s, step.read_bytes_per_s,
                step.read_ahead_loss_s_per_s,
            )  # fmt: skip
        stopped(self._stop)
        self._meeting.tell(number, asdict(seen))


def _joined(streams: int, told: dict[str, Any]) -> TogetherStep:
    try:
        clients = tuple(
            ClientStep(int(each["streams"]), int(each["frames"]), int(each["missed"]),
                       float(each["worst_late_s"]), float(each["read_bytes_per_s"]),
                       float(each["read_ahead_loss_s_per_s"]))
            for each in told.values()
        )  # fmt: skip
    except (KeyError, TypeError, ValueError) as error:
        raise BadFileError(
            "what a client told can't be read", where=f"step {streams}",
            mend="Use the same version everywhere",
        ) from error  # fmt: skip
    return TogetherStep(streams, clients)
