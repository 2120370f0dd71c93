"""Who is there to change cards: breaks, walks, and when each has nothing more to do."""

from __future__ import annotations

from vastcellar.core.shoot.offload import Person


class People:
    """The people of a day; whoever is free first changes the next card."""

    def __init__(self, people: tuple[Person, ...], walk_s: float, swap_s: float) -> None:
        self._people = people
        self._walk_s, self._swap_s = walk_s, swap_s
        self._busy_until_s = [0.0] * len(people)

    def hands_s(self, at_s: float) -> float:
        """Return from when on somebody can change a card, not before *at_s*."""
        return min(self._free_s(number, at_s) for number in range(len(self._people)))

    def changed_s(self, at_s: float) -> float:
        """Let somebody put a card into a reader; return when it is in."""
        return self._work(at_s, self._swap_s, range(len(self._people)))

    def brought_s(self, at_s: float) -> float:
        """Let a card be brought from the camera; return when it is at the station.

        The camera's own people do it, unless somebody of the station fetches.
        """
        fetchers = [number for number, each in enumerate(self._people) if each.fetches]
        if not fetchers:
            return at_s + self._walk_s
        return self._work(at_s, 2 * self._walk_s, fetchers)

    def taken_back_s(self, at_s: float) -> float:
        """Let a card that may be wiped be taken back; return when it is at the camera."""
        fetchers = [number for number, each in enumerate(self._people) if each.fetches]
        if not fetchers:
            return self.hands_s(at_s) + self._walk_s
        return self._work(at_s, 2 * self._walk_s, fetchers) - self._walk_s

    def left_s(self) -> tuple[tuple[str, float], ...]:
        """Return when each was busy last; 0 for one who never was."""
        pairs = zip(self._people, self._busy_until_s, strict=True)
        return tuple((each.name, at_s) for each, at_s in pairs)

    def _work(self, at_s: float, duration_s: float, numbers: range | list[int]) -> float:
        starts = {number: self._free_s(number, at_s) for number in numbers}
        who = min(starts, key=lambda number: starts[number])
        self._busy_until_s[who] = starts[who] + duration_s
        return self._busy_until_s[who]

    def _free_s(self, number: int, at_s: float) -> float:
        free_s = max(at_s, self._busy_until_s[number])
        for each in sorted(self._people[number].breaks, key=lambda b: b.start_s):
            if each.start_s <= free_s < each.end_s:
                free_s = each.end_s
        return free_s
