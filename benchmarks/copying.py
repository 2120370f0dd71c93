"""Verified copies against cp and xxh128sum on the same disks, alternately, caches dropped.

    .venv/bin/python benchmarks/copying.py CARD ONE TWO [--size-mb N] [--rounds N]

CARD, ONE and TWO are folders, best on a disk each; a card is made up in the first. Theirs copies
with cp and compares source and copies by xxh128sum, as one does by hand; ours is `vast-cellar
copy`. Printed are ours over theirs: two copies, one copy, and many small files (where ours are on
the drive when it ends, and theirs are flushed by no one). Needs root to drop caches, and Debian's
xxhash. With --sparse-gb also the resident memory of a copy of one sparse file.
"""

from __future__ import annotations

import argparse
import os
import random
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

_OURS = "from vastcellar.cli.main import main; main()"
_BLOCK = 4 * 2**20
_BYTECODE = Path(tempfile.gettempdir()) / "vast-cellar-bytecode"


def _drop_caches() -> None:
    os.sync()
    Path("/proc/sys/vm/drop_caches").write_text("3")


def _timed(work: Callable[[], None]) -> float:
    _drop_caches()
    begin_s = time.perf_counter()
    work()
    return time.perf_counter() - begin_s


def _sums(folder: Path) -> None:
    subprocess.run(
        "find . -type f -print0 | sort -z | xargs -0 xxh128sum > /dev/null",
        shell=True, cwd=folder, check=True,
    )  # fmt: skip


def _theirs(card: Path, targets: list[Path], name: str) -> None:
    for target in targets:
        subprocess.run(["cp", "-a", str(card), str(target / name)], check=True)
    os.sync()  # what isn't on the drive yet would be compared with itself
    Path("/proc/sys/vm/drop_caches").write_text("1")
    for folder in (card, *(target / name for target in targets)):
        _sums(folder)


def _ours(card: Path, targets: list[Path], name: str) -> None:
    command = [sys.executable, "-c", _OURS, "copy", "--no-log", str(card), *map(str, targets),
               "--name", name, "--json"]  # fmt: skip
    # Bytecode is compiled already on a user's computer: the first round makes it.
    environment = {**os.environ, "PYTHONPYCACHEPREFIX": str(_BYTECODE)}
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL, env=environment)


def _clear(targets: list[Path]) -> None:
    for target in targets:
        for each in target.glob("card*"):
            if each.is_dir():
                shutil.rmtree(each)
            else:
                each.unlink()


def _ratio(
    name: str, card: Path, targets: list[Path], rounds: int, *, are_many: bool = False
) -> None:
    """Print what ours took of theirs.

    Where *are_many* files, nothing is removed between: what was just removed keeps its number for
    minutes, and whoever makes files next would look at each of those numbers in vain.
    """
    ratios, seconds = [], []
    for number in range(rounds):
        found = {}
        both = [("theirs", _theirs), ("ours", _ours)]
        for kind, work in both if number % 2 else reversed(both):
            folder = f"card-{kind}-{number}"
            found[kind] = _timed(
                lambda work=work, folder=folder: work(card, targets, folder)
            )  # fmt: skip
            if not are_many:
                _clear(targets)
        ratios.append(found["ours"] / found["theirs"])
        seconds.append((found["ours"], found["theirs"]))
    _clear(targets)
    told = ", ".join(f"{ours:.1f} : {theirs:.1f} s" for ours, theirs in seconds)
    print(f"{name}: {statistics.median(ratios):.2f} of theirs ({told})", flush=True)


def _make_clips(card: Path, size: int) -> None:
    shutil.rmtree(card, ignore_errors=True)
    card.mkdir()
    draw = random.Random(1)
    block = draw.randbytes(_BLOCK)
    for number in range(4):
        with (card / f"C{number:04}.MP4").open("wb") as file:
            for at in range(0, size // 4, _BLOCK):
                file.write(block[8:] + (at + number).to_bytes(8, "little"))


def _make_small(card: Path, count: int) -> None:
    shutil.rmtree(card, ignore_errors=True)
    draw = random.Random(2)
    for number in range(count):
        folder = card / f"{number // 500:03}"
        folder.mkdir(parents=True, exist_ok=True)
        (folder / f"f{number:05}.dat").write_bytes(draw.randbytes(draw.randint(4, 64) * 1024))


def _resident(card: Path, target: Path, size: int) -> None:
    shutil.rmtree(card, ignore_errors=True)
    card.mkdir()
    with (card / "sparse.raw").open("wb") as file:
        file.truncate(size)
        file.seek(size // 2)
        file.write(b"something")
    _ours(card, [target], "card-sparse")
    most_mb = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    print(f"resident memory while {size / 1e9:,.0f} GB (sparse) are copied: {most_mb:.0f} MB")
    _clear([target])


def main() -> None:
    """Print the ratios."""
    parser = argparse.ArgumentParser(description=__doc__.partition("\n")[0])
    parser.add_argument("card", type=Path)
    parser.add_argument("one", type=Path)
    parser.add_argument("two", type=Path)
    parser.add_argument("--size-mb", type=int, default=1024)
    parser.add_argument("--files", type=int, default=20_000)
    parser.add_argument("--rounds", type=int, default=3)
    parser.add_argument("--sparse-gb", type=int, default=0)
    asked = parser.parse_args()
    card, targets = asked.card / "card", [asked.one, asked.two]
    _clear(targets)
    try:
        if asked.size_mb:
            _make_clips(card, asked.size_mb * 2**20)
            _ratio("two verified copies", card, targets, asked.rounds)
            _ratio("one verified copy", card, targets[:1], asked.rounds)
        if asked.files:
            _make_small(card, asked.files)
            name = f"two copies of {asked.files:,} small files"
            _ratio(name, card, targets, asked.rounds, are_many=True)
        if asked.sparse_gb:
            _resident(card, targets[0], asked.sparse_gb * 10**9)
    finally:
        shutil.rmtree(card, ignore_errors=True)


if __name__ == "__main__":
    main()
