"""What must be proved before the day, as a plan for the evening: which test on which port."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from vastcellar.core.checks import require_above_zero, require_between


@dataclass(frozen=True, slots=True)
class ToProve:
    """A take that a unit is to be proved with."""

    tag: str
    need: str
    duration_s: float
    bytes_to_write: float

    def __post_init__(self) -> None:
        require_above_zero(f"proof of {self.tag}", duration_s=self.duration_s)


@dataclass(frozen=True, slots=True)
class Slot:
    """A test at its time on a port."""

    port: int
    begin_s: float
    test: ToProve


@dataclass(frozen=True)
class Evening:
    """The tests, one after the other on each port."""

    slots: tuple[Slot, ...]
    ports: int

    @property
    def took_s(self) -> float:
        """From the first test's beginning to the last one's end."""
        return max((each.begin_s + each.test.duration_s for each in self.slots), default=0.0)

    @property
    def bytes_to_write(self) -> float:
        """Of all tests."""
        return sum(each.test.bytes_to_write for each in self.slots)


def plan_evening(tests: Sequence[ToProve], ports: int, rest_s: float = 0.0) -> Evening:
    """Return *tests* on so many *ports*, with *rest_s* between two on one port.

    Longest first onto the port that is free first: at most a third longer than the best plan.
    Two tests of one unit never run at once.
    Source: Graham, SIAM Journal on Applied Mathematics 17 (1969).
    """
    require_between("evening", 1, 64, ports=ports)
    free = [0.0] * ports
    busy: dict[str, float] = {}
    slots = []
    for test in sorted(tests, key=lambda each: (-each.duration_s, each.tag, each.need)):
        port = min(range(ports), key=lambda at: (max(free[at], busy.get(test.tag, 0.0)), at))
        begin = max(free[port], busy.get(test.tag, 0.0))
        slots.append(Slot(port, begin, test))
        free[port] = busy[test.tag] = begin + test.duration_s + rest_s
    return Evening(tuple(slots), ports)
