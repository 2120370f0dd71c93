"""A real network store beside what is computed for it: streams from a server behind one gigabit.

    sudo .venv/bin/python benchmarks/network_store.py [--line 1gbit] [--mode eth-1g] [--seconds N]

Needs root, iproute2, openssh-server and sshfs: a server in a network namespace of its own, a pair
of links between that and here, both held to the line's rate by tc, and a FUSE mount over it. Two
streams that together ask more than the line carries are played from it; what arrives is the
measured limit. A plain dd of the same file runs alternately beside it.
"""

from __future__ import annotations

import argparse
import contextlib
import statistics
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from vastcellar.bench.edit_run import EditPlan, EditRun
from vastcellar.core.edit.edit_store import network_bytes_per_s
from vastcellar.services.proving.places import find_place, folder_target
from vastcellar.store.catalog_files import load_catalog

NAMESPACE, HERE, THERE = "vc-store", "10.213.7.1", "10.213.7.2"
FILE_BYTES = 400 * 2**20


def run(*command: str) -> None:
    """Run *command*; raises with what it said where it fails."""
    done = subprocess.run(command, check=False, capture_output=True, text=True)
    if done.returncode:
        raise SystemExit(f"{' '.join(command)}: {done.stderr.strip() or 'it failed'}")


@contextlib.contextmanager
def linked(line: str) -> Iterator[None]:
    """A namespace with a link of that rate each way; all of it goes again."""
    shape = ("root", "tbf", "rate", line, "burst", "128kb", "latency", "20ms")
    inside = ("ip", "netns", "exec", NAMESPACE)
    run("ip", "netns", "add", NAMESPACE)
    try:
        run("ip", "link", "add", "vc-here", "type", "veth", "peer", "name", "vc-there")
        run("ip", "link", "set", "vc-there", "netns", NAMESPACE)
        run("ip", "addr", "add", f"{HERE}/24", "dev", "vc-here")
        run("ip", "link", "set", "vc-here", "up")
        run(*inside, "ip", "addr", "add", f"{THERE}/24", "dev", "vc-there")
        run(*inside, "ip", "link", "set", "vc-there", "up")
        run("tc", "qdisc", "add", "dev", "vc-here", *shape)
        run(*inside, "tc", "qdisc", "add", "dev", "vc-there", *shape)
        yield
    finally:
        subprocess.run(("ip", "netns", "del", NAMESPACE), check=False, capture_output=True)


@contextlib.contextmanager
def mounted(work: Path) -> Iterator[Path]:
    """A folder of the server's, mounted here past every cache."""
    store, mount = work / "store", work / "mount"
    for folder in (store, mount, Path("/run/sshd")):
        folder.mkdir(exist_ok=True, parents=True)
    for name in ("host", "user"):
        run("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(work / name))
    (work / "empty").write_text("")
    options = {
        "AuthorizedKeysFile": f"{work}/user.pub", "StrictModes": "no", "PermitRootLogin": "yes",
        "PidFile": f"{work}/pid", "Subsystem": "sftp internal-sftp",
    }  # fmt: skip
    given = [word for name, value in options.items() for word in ("-o", f"{name}={value}")]
    run("ip", "netns", "exec", NAMESPACE, "/usr/sbin/sshd", "-f", str(work / "empty"), "-p", "2222",
        "-h", str(work / "host"), *given)  # fmt: skip
    time.sleep(1.0)
    try:
        run("sshfs", f"root@{THERE}:{store}", str(mount), "-p", "2222", "-o",
            f"IdentityFile={work}/user,StrictHostKeyChecking=no,UserKnownHostsFile=/dev/null,"
            "Ciphers=aes128-gcm@openssh.com,Compression=no,direct_io,max_conns=4")  # fmt: skip
        yield mount
    finally:
        subprocess.run(("fusermount", "-u", str(mount)), check=False, capture_output=True)
        with contextlib.suppress(OSError, ValueError):
            run("kill", (work / "pid").read_text().strip())


def played(mount: Path, notes: Path, rate: float, seconds: float) -> float:
    """Return what two streams of *rate* get a second from the store."""
    plan = EditPlan(rate, 25.0, 2, step_s=seconds, read_ahead_frames=12, jumps_per_minute=0,
                    scrubs_per_minute=0, is_ramp=False, clip_s=2)  # fmt: skip
    run_ = EditRun(plan, folder_target(mount, find_place(mount), notes))
    for _ in run_.snapshots():
        pass
    assert run_.result is not None, "it ended without an error"
    return run_.result.steps[-1].read_bytes_per_s


def copied(path: Path) -> float:
    """Return what dd reads a second."""
    begin_s = time.perf_counter()
    run("dd", f"if={path}", "of=/dev/null", "bs=4M")
    return FILE_BYTES / (time.perf_counter() - begin_s)


def main() -> None:
    """Print the limit as measured and as computed, and the ratio."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--line", default="1gbit", help="as tc writes it")
    parser.add_argument("--mode", default="eth-1g", help="the catalog's link of that rate")
    parser.add_argument("--seconds", type=float, default=8.0)
    parser.add_argument("--runs", type=int, default=3)
    asked = parser.parse_args()
    computed = network_bytes_per_s(load_catalog().modes[asked.mode])
    with tempfile.TemporaryDirectory() as made, linked(asked.line):
        work = Path(made)
        with mounted(work) as mount:
            run(
                "dd",
                "if=/dev/urandom",
                f"of={work}/store/file",
                "bs=4M",
                f"count={FILE_BYTES // (4 * 2**20)}",
                "iflag=fullblock",
            )
            streams, plain = [], []
            for _ in range(asked.runs):
                streams.append(played(mount, work / "notes", computed * 0.7, asked.seconds))
                plain.append(copied(mount / "file"))
    measured, bare = statistics.median(streams), statistics.median(plain)
    print(
        f"{asked.line}: two streams get {measured / 1e6:.1f} MB/s, dd {bare / 1e6:.1f}; computed "
        f"{computed / 1e6:.1f}: {computed / measured:.2f} of that (wanted 0.90 to 1.10)"
    )


if __name__ == "__main__":
    main()
