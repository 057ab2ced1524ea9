"""The demonstration's data, made once a run: the workers and their servers copy the database."""

from __future__ import annotations

import fcntl
import os
import subprocess
from collections.abc import Callable
from pathlib import Path

import psycopg

from brumel.launch.cluster import ADMIN, DATABASE, Cluster, programs


def hasten(cluster: Cluster) -> None:
    """Let a cluster that is thrown away wait for no disk: what a crash of the machine would lose is nobody's."""
    with psycopg.connect(cluster.url(ADMIN, "postgres"), autocommit=True) as connection:
        for setting in ("fsync", "synchronous_commit", "full_page_writes"):
            connection.execute(f"ALTER SYSTEM SET {setting} = off")
        connection.execute("SELECT pg_reload_conf()")


class Ready:
    """A dump in a folder that all workers of a run share; who comes first makes it."""

    def __init__(self, folder: Path) -> None:
        self._dump, self._lock = folder / "demonstration.dump", folder / "demonstration.lock"

    def into(self, cluster: Cluster, name: str, make: Callable[[str], None]) -> None:
        """Fill a new database of a cluster: from the dump, or by ``make``, which is then dumped."""
        with self._lock.open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            if not self._dump.exists():
                make(name)
                partial = self._dump.with_suffix(".partial")
                self._run("pg_dump", cluster, name, "-Fc", "-Z1", "-f", str(partial))
                partial.rename(self._dump)
                return
        cluster.create_database(name)
        self._run("pg_restore", cluster, name, "--exit-on-error", "--no-comments", str(self._dump))

    def demonstration(self, folder: Path, make: Callable[[Cluster, str], None]) -> None:
        """Fill the data folder of a demonstration that is not running."""
        cluster = Cluster(folder / "demo")
        cluster.start()
        hasten(cluster)
        self.into(cluster, DATABASE, lambda name: make(cluster, name))
        # Else each copy would begin its life with it, beside a test.
        self._run("vacuumdb", cluster, DATABASE, "--analyze", "--freeze")
        cluster.stop()

    def _run(self, program: str, cluster: Cluster, name: str, *arguments: str) -> None:
        url = cluster.url(ADMIN, name)
        subprocess.run([programs() / program, "-d", url, *arguments], check=True, env=os.environ, capture_output=True)
