"""A folder whose reads take time on a clock of its own, with nothing of the machine's load."""

import threading

from vastcellar.bench.folder_target import FolderTarget


class VirtualTime:
    """Time that passes only while all players wait; the one who waits for the soonest goes on."""

    def __init__(self, players):
        self.now_s = 0.0
        self._players = players
        self._change = threading.Condition()
        self._waiting = {}

    def wait_until(self, at_s):
        """Let the calling player sleep until then."""
        me = threading.current_thread().name
        with self._change:
            self._waiting[me] = max(at_s, self.now_s)
            self._go_on()
            self._change.wait_for(lambda: me not in self._waiting)

    def leave(self):
        """Wait for one player less: it has played its lane."""
        with self._change:
            self._players -= 1
            self._go_on()

    def _go_on(self):
        if self._waiting and len(self._waiting) >= self._players:
            soonest = min(self._waiting, key=lambda name: (self._waiting[name], name))
            self.now_s = self._waiting.pop(soonest)
            self._change.notify_all()


def let_players_leave(monkeypatch, player_class):
    """Let each player say when it has played its part: time goes on without it."""
    plays = player_class.run

    def play_and_leave(player):
        plays(player)
        player._target.time.leave()

    monkeypatch.setattr(player_class, "run", play_and_leave)


class VirtualFolder(FolderTarget):
    """Reads of all players together get so much a second, one after the other."""

    def __init__(self, folder, notes, players, bytes_per_s):
        super().__init__(folder, notes)
        self.time = VirtualTime(players)
        self._bytes_per_s = bytes_per_s
        self._free_s = 0.0

    def now_s(self):
        return self.time.now_s

    def wait_until(self, at_s, stop):
        self.time.wait_until(at_s)

    def read_at(self, at_bytes, into):
        begin_s = max(self.time.now_s, self._free_s)
        self._free_s = begin_s + len(into) / self._bytes_per_s
        self.time.wait_until(self._free_s)
        return len(into)

    def write_stream(self, *arguments):
        for written in super().write_stream(*arguments):
            self.time.now_s += 0.001
            yield written
