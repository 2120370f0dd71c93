"""A real PostgreSQL server of the tests' own: the system's programs, a folder that goes again."""

from __future__ import annotations

import os
import pwd
import shutil
import subprocess
import tempfile
from pathlib import Path

import psycopg


class NoServerHereError(Exception):
    """The system has no PostgreSQL server, and says why."""


def programs() -> Path:
    """Return the folder of the server's programs. Raises NoServerHereError."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
    if found:
        return found[-1].parent
    if elsewhere := shutil.which("initdb"):
        return Path(elsewhere).parent
    raise NoServerHereError("no PostgreSQL server is installed: apt-get install postgresql")


class Server:
    """One server, stopped and started at will; it listens on a socket in its folder alone."""

    def __init__(self) -> None:
        self._bin = programs()
        # Not below pytest's own folder: another user gets there, and sockets need short names.
        self.folder = Path(tempfile.mkdtemp(prefix="vc-pg-", dir="/tmp"))
        self._data = self.folder / "data"
        self._user = "postgres" if os.geteuid() == 0 else pwd.getpwuid(os.geteuid()).pw_name
        if os.geteuid() == 0:
            shutil.chown(self.folder, "postgres")
        self._count = 0
        self._run("initdb", "-D", self._data, "-A", "trust", "-U", "desk", "-E", "UTF8",
                  "--no-sync", "--locale=C.UTF-8")  # fmt: skip
        self.start()

    def _run(self, program: str, *words: object) -> None:
        command = [str(self._bin / program), *map(str, words)]
        if os.geteuid() == 0:
            command = ["setpriv", f"--reuid={self._user}", f"--regid={self._user}",
                       "--init-groups", *command]  # fmt: skip
        subprocess.run(command, check=True, capture_output=True, cwd="/", timeout=120)

    def start(self) -> None:
        """Start it, and wait until it answers."""
        options = (
            f"-k {self.folder} -c listen_addresses= -c fsync=off -c timezone=Pacific/Chatham "
            "-c unix_socket_permissions=0777"
        )
        self._run("pg_ctl", "-D", self._data, "-w", "-o", options, "-l", self.folder / "log",
                  "start")  # fmt: skip

    def stop(self) -> None:
        """Stop it at once: connections are cut."""
        self._run("pg_ctl", "-D", self._data, "-w", "-m", "immediate", "stop")

    def new_database(self) -> str:
        """Make an empty database and return its address."""
        self._count += 1
        name = f"cellar_{self._count}"
        with psycopg.connect(self.address("postgres"), autocommit=True) as connection:
            connection.execute(f"CREATE DATABASE {name}")
        return self.address(name)

    def address(self, name: str) -> str:
        """Return the address of the database *name*."""
        return f"postgresql://desk@/{name}?host={self.folder}"

    def remove(self) -> None:
        """Stop it and take its folder away."""
        try:
            self.stop()
        finally:
            shutil.rmtree(self.folder, ignore_errors=True)
