"""Edits of the cellar killed at any moment: what was confirmed is there, and the file is whole."""

import os
import random
import signal
import time
from datetime import UTC, datetime, timedelta

from vastcellar.core.cellar.story import EventKind, UnitEvent
from vastcellar.core.parts.units import Unit
from vastcellar.store.backups import integrity
from vastcellar.store.cellar import Cellar
from vastcellar.store.unit_log import add_event, unit_events

KILLS = 200
AT = datetime(2026, 11, 3, tzinfo=UTC)


def edit_until_killed(place, begin, told):
    """Note one thing after the other; say each number once it is kept. Never returns."""
    cellar = Cellar(place)
    number = begin
    while True:
        add_event(cellar, UnitEvent("K-11", AT + timedelta(seconds=number), EventKind.LABEL,
                                    {"number": number}))  # fmt: skip
        os.write(told, f"{number}\n".encode())
        number += 1


def confirmed_edits(place):
    """Kill two hundred processes at any moment after they began; return what they confirmed.

    The moments go as far as twice what one takes to its first edit: how long that is, this machine
    at this hour says.
    """
    cellar = Cellar(place)
    cellar.add_unit(Unit("K-11", "some-drive"))
    cellar.close()
    rng = random.Random(7)
    confirmed: set[int] = set()
    most_s = 0.0
    for kill in range(KILLS):
        is_first = kill == 0  # it lives until it has said something
        reads, told = os.pipe()
        begin_s = time.monotonic()
        child = os.fork()
        if child == 0:
            os.close(reads)
            try:
                edit_until_killed(place, kill * 10_000, told)
            finally:
                os._exit(1)
        os.close(told)
        with os.fdopen(reads, "rb") as said:
            first = said.readline() if is_first else b""
            if is_first:
                most_s = 2 * (time.monotonic() - begin_s)
            else:
                time.sleep(rng.uniform(0.0, most_s))
            os.kill(child, signal.SIGKILL)
            os.waitpid(child, 0)
            lines = (first + said.read()).split(b"\n")
        # The last line may be cut short; a whole one was confirmed.
        confirmed |= {int(each) for each in lines[:-1] if each}
    return confirmed


def kept_edits(place):
    """The numbers that are in the cellar."""
    again = Cellar(place)
    kept = {each.data["number"] for each in unit_events(again)}
    again.close()
    return kept


def test_two_hundred_kills_in_edits_lose_nothing_that_was_confirmed(tmp_path):
    """Killed at any moment from its begin on, opening and migrating included."""
    path = tmp_path / "cellar.db"
    confirmed = confirmed_edits(path)
    kept = kept_edits(path)
    assert confirmed <= kept
    assert len(confirmed) > KILLS / 4 and len(kept) - len(confirmed) <= KILLS
    assert integrity(path) == []


def test_two_hundred_killed_desks_lose_nothing_on_a_server_and_hold_nobody_up(server):
    """What was confirmed is there; a desk that died in its edit holds no lock."""
    address = server.new_database()
    confirmed = confirmed_edits(address)
    kept = kept_edits(address)
    assert confirmed <= kept
    assert len(confirmed) > KILLS / 4 and len(kept) - len(confirmed) <= KILLS
