"""Flat-out writing and reading against dd with direct I/O on the same file system, alternately.

    .venv/bin/python benchmarks/disk.py [FOLDER] [--size-mb N] [--rounds N]

Each round runs dd (1 MiB blocks), ours at the same block and depth 1, and ours at 4 MiB with four
in flight, in turning order. Also printed: processor time for each GB/s, the pacing error of a
recorder test, and the resident memory of a measuring process.
"""

from __future__ import annotations

import argparse
import json
import os
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from fractions import Fraction
from pathlib import Path

from vastcellar.bench.flat_run import FlatPlan, FlatRun
from vastcellar.bench.folder_target import FolderTarget
from vastcellar.bench.probe import Shape
from vastcellar.bench.recorder_run import RecorderRun
from vastcellar.core.recording.recorder import RecorderLoad

_SHAPES = {"ours, 1 MiB x 1": Shape(2**20, 1), "ours, 4 MiB x 4": Shape(4 * 2**20, 4)}


def dd(folder: Path, size: int, source: Path) -> dict[str, float]:
    """Return dd's rates and processor time for *size* bytes; zeros might be folded away."""
    path = folder / "dd.bin"
    count = f"count={size // 2**20}"
    figures: dict[str, float] = {}
    for name, command in (
        (
            "write",
            ["dd", f"if={source}", f"of={path}", "bs=1M", count, "oflag=direct", "conv=fsync"],
        ),
        ("read", ["dd", f"if={path}", "of=/dev/null", "bs=1M", "iflag=direct"]),
    ):
        begin_s, cpu_s = time.perf_counter(), _cpu_s(resource.RUSAGE_CHILDREN)
        subprocess.run(command, check=True, capture_output=True)
        figures[name] = size / (time.perf_counter() - begin_s)
        spent_s = _cpu_s(resource.RUSAGE_CHILDREN) - cpu_s
        figures[f"{name}_cpu_share"] = spent_s / (size / 1e9)
    path.unlink()
    return figures


def ours(folder: Path, size: int, shape: Shape) -> dict[str, float]:
    """Return our rates and the processor time of writing and reading, from a process of its own."""
    code = [
        sys.executable,
        __file__,
        str(folder),
        "--one",
        f"{size},{shape.block_bytes},{shape.depth}",
    ]
    printed = subprocess.run(code, check=True, capture_output=True, text=True).stdout
    figures: dict[str, float] = json.loads(printed)
    return figures


def _cpu_s(who: int = resource.RUSAGE_SELF) -> float:
    used = resource.getrusage(who)
    return used.ru_utime + used.ru_stime


def one(folder: Path, size: int, shape: Shape) -> None:
    """Run one test and print its figures."""
    run = FlatRun(
        FlatPlan("read", size, shape=shape, reads_back=True), FolderTarget(folder, folder / "notes")
    )
    marks = []
    for snapshot in run.snapshots():
        if snapshot.begins_pass:
            marks.append(_cpu_s())
    marks.append(_cpu_s())
    result = run.result
    assert result is not None and result.read is not None
    print(
        json.dumps(
            {
                "write": result.write.bytes_per_s,
                "read": result.read.bytes_per_s,
                "write_cpu_share": (marks[1] - marks[0]) / (size / 1e9),
                "read_cpu_share": (marks[2] - marks[1]) / (size / 1e9),
                "rss_mb": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024,
            }
        )
    )


def pacing_error(folder: Path) -> float:
    """Return how far a paced test's rate is off what was asked, as a share."""
    load = RecorderLoad(60e6, Fraction(25), 512_000_000, 8)
    run = RecorderRun(load, FolderTarget(folder, folder / "notes"))
    for _ in run.snapshots():
        pass
    result = run.result
    assert result is not None
    return (result.elapsed_s - result.flush_s) / load.duration_s - 1


def main() -> None:
    """Print medians and ratios."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("folder", nargs="?", type=Path)
    parser.add_argument("--size-mb", type=int, default=2048)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--one", help=argparse.SUPPRESS)
    asked = parser.parse_args()
    if asked.one:
        size, block, depth = map(int, asked.one.split(","))
        one(asked.folder, size, Shape(block, depth))
        return
    with (
        tempfile.TemporaryDirectory(dir=asked.folder or Path.cwd()) as name,
        tempfile.NamedTemporaryFile(dir="/dev/shm") as source,
    ):
        for _ in range(asked.size_mb):
            source.write(os.urandom(2**20))
        source.flush()
        compare(Path(name), asked.size_mb * 2**20, asked.rounds, Path(source.name))


def compare(folder: Path, size: int, rounds: int, source: Path) -> None:
    """Run the rounds in turning order and print what came of them."""
    names = ["dd, 1 MiB", *_SHAPES]
    figures: dict[str, list[dict[str, float]]] = {name: [] for name in names}
    for number in range(rounds):
        for name in names[number % 3 :] + names[: number % 3]:
            got = ours(folder, size, _SHAPES[name]) if name in _SHAPES else dd(folder, size, source)
            figures[name].append(got)
            os.sync()
    mean = {
        name: {key: statistics.median(each[key] for each in rows) for key in rows[0]}
        for name, rows in figures.items()
    }
    base = mean[names[0]]
    print(f"{rounds} rounds of {size / 1e6:,.0f} MB; medians")
    for name, row in mean.items():
        line = (
            f"{name:18} write {row['write'] / 1e6:7,.0f} MB/s ratio "
            f"{row['write'] / base['write']:.3f}"
            f"   read {row['read'] / 1e6:7,.0f} MB/s ratio {row['read'] / base['read']:.3f}"
            f"   core per GB/s: write {row['write_cpu_share']:.1%} read {row['read_cpu_share']:.1%}"
        )
        print(line + (f"   resident {row['rss_mb']:.0f} MB" if "rss_mb" in row else ""))
    print("wanted: ratio 0.98 at 1 MiB x 1, more at 4 x 4; under 20 % of a core; under 250 MB")
    print("dd's own processor time is the kernel's alone: what is beyond it is ours")
    print(f"pacing error {pacing_error(folder):+.3%} (wanted: within 0.5 %)")


if __name__ == "__main__":
    main()
