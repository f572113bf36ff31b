"""A PostgreSQL server of the tests' own, on a socket in a temporary folder."""

from __future__ import annotations

import getpass
import itertools
import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psycopg
import pytest

#: Debian keeps them off the path, by version.
_PROGRAMS = sorted(Path("/usr/lib/postgresql").glob("*/bin"))
#: The server refuses to run as root; the package brings this user.
_USER = "postgres" if os.geteuid() == 0 else getpass.getuser()


class Server:
    """The running server."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._numbers = itertools.count()

    def address(self, database: str = "postgres") -> str:
        return f"host={self._folder} user=fenland dbname={database}"

    def new_database(self) -> str:
        """The address of a new, empty database."""
        name = f"test{next(self._numbers)}"
        with psycopg.connect(self.address(), autocommit=True) as connection:
            connection.execute(f"CREATE DATABASE {name}".encode())
        return self.address(name)


@contextmanager
def server() -> Iterator[Server]:
    """A server that lives as long as the body; skipped with a word where it is not installed."""
    if not _PROGRAMS:
        pytest.skip("PostgreSQL is not installed: scripts/postgres.sh installs it")
    folder = Path(tempfile.mkdtemp(prefix="fenland-pg-"))
    shutil.chown(folder, _USER)

    def run(program: str, *words: str) -> None:
        command = [str(_PROGRAMS[-1] / program), "-D", str(folder / "data"), *words]
        who = _USER if os.geteuid() == 0 else None
        subprocess.run(command, check=True, capture_output=True, user=who, cwd=folder)

    # Nothing here need outlive the tests, so nothing waits for the disk.
    options = f"-k {folder} -c listen_addresses= -c fsync=off -c max_connections=50"
    try:
        run("initdb", "-U", "fenland", "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8", "--no-sync")
        run("pg_ctl", "-w", "-l", str(folder / "log"), "-o", options, "start")
        try:
            yield Server(folder)
        finally:
            run("pg_ctl", "-w", "-m", "immediate", "stop")
    finally:
        shutil.rmtree(folder, ignore_errors=True)
