"""A PostgreSQL cluster of our own, on loopback, in a folder of its own.

It never touches another cluster of the machine: own folder, own free port, no socket folder shared.
PostgreSQL refuses to run as root; started as root it runs as Debian's ``postgres`` user.
"""

from __future__ import annotations

import os
import pwd
import secrets
import shlex
import shutil
import signal
import socket
import subprocess
import time
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import psycopg
from psycopg import sql

from brumel.launch.loopback import HOST, LaunchError

if TYPE_CHECKING:
    from brumel.launch.processes import Processes

ADMIN, OWNER, APPLICATION = "brumel_admin", "brumel_owner", "brumel_app"
DATABASE = "brumel"
_TRIES = 3
_SERVES_WITHIN_S = 60.0
_BARE = {"PATH": "/usr/bin:/bin", "LANG": "C.UTF-8"}
"""All that a server needs of the environment: none of our secrets."""


@dataclass(frozen=True)
class Cluster:
    """A cluster in ``folder``: ``data/`` is PostgreSQL's, the rest ours."""

    folder: Path

    @property
    def data(self) -> Path:
        """PostgreSQL's own folder."""
        return self.folder / "data"

    @property
    def log(self) -> Path:
        """The server's log, in a folder that its user may write to."""
        return self.data / "server.log"

    def start(self) -> None:
        """Create the cluster where it is missing, start it where it is stopped, on a free port."""
        if self.port() is not None:
            return
        try:
            if not (self.data / "PG_VERSION").exists():
                self._create()
            self._serve()
        except OSError as error:
            raise LaunchError(f"The data folder {self.folder} can't be written: {error.strerror}.") from error
        self._roles()

    def serve_with(self, processes: Processes) -> None:
        """Create it where it is missing, and serve it as a child that is looked after and ends with us.

        What an earlier start left running is stopped first: nobody else has this folder.
        """
        self.stop()
        try:
            if not (self.data / "PG_VERSION").exists():
                self._create()
            port, log = free_port(), self.log
        except OSError as error:
            raise LaunchError(f"The data folder {self.folder} can't be written: {error.strerror}.") from error
        command = [str(programs() / "postgres"), "-D", str(self.data), *_listening(port)]
        server = processes.start(
            "database", "/bin/sh", "-c", 'exec "$@" >> "$0" 2>&1', str(log), *command, stop_signal=signal.SIGINT,
            account="postgres" if os.geteuid() == 0 else "", environment=_BARE, stops_last=True,
        )  # fmt: skip
        deadline = time.monotonic() + _SERVES_WITHIN_S
        while not self._ready():
            if server.ended or time.monotonic() > deadline:
                raise LaunchError(self._why("postgres", ""))
            time.sleep(0.05)
        self._roles()

    def stop(self) -> None:
        """Stop the server if it runs."""
        if self._pid() is not None:
            self._pg_ctl("-w", "-s", "-m", "fast", "stop")

    def remove(self) -> None:
        """Stop the server and delete the folder with all that is in it."""
        self.stop()
        shutil.rmtree(self.folder, ignore_errors=True)

    def port(self) -> int | None:
        """Return the port that the server listens on; None where it does not run."""
        try:
            port = int((self.data / "postmaster.pid").read_text().splitlines()[3])
        except (OSError, ValueError, IndexError):
            return None
        return port if self._pid() is not None and answers(port) else None

    def _ready(self) -> bool:
        """Say whether it takes connections: its file says so once what was cut off has been recovered."""
        try:
            return (self.data / "postmaster.pid").read_text().splitlines()[7].strip() == "ready"
        except (OSError, IndexError):
            return False

    def _pid(self) -> int | None:
        """The server's process; None where it does not run. A number that another program has now does not count."""
        try:
            pid = int((self.data / "postmaster.pid").read_text().splitlines()[0])
            name = Path(f"/proc/{pid}/comm").read_text().strip()
        except (OSError, ValueError, IndexError):
            return None
        return pid if name == "postgres" else None

    def url(self, role: str = APPLICATION, database: str = DATABASE) -> str:
        """Say where to connect, as one of the three roles."""
        port = self.port()
        if port is None:
            raise LaunchError(f"The database in {self.folder} does not run; its log is {self.log}.")
        return f"postgresql://{role}:{self.secret(role)}@{HOST}:{port}/{database}"

    def secret(self, name: str) -> str:
        """Return a secret of this cluster, made at first use, readable by its owner only."""
        path = self.folder / "secrets" / name
        if not path.exists():
            path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
                file.write(secrets.token_urlsafe(32))
        return path.read_text()

    def _create(self) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        self.folder.chmod(0o755)
        if self.data.exists():
            shutil.rmtree(self.data)
        self.data.mkdir(mode=0o700)
        words = self.data.with_name("initdb-word")
        words.write_text(self.secret(ADMIN))
        words.chmod(0o600)
        if os.geteuid() == 0:
            account = pwd.getpwnam("postgres")
            for path in (self.data, words):
                os.chown(path, account.pw_uid, account.pw_gid)
        try:
            self._run(
                "initdb", "-D", str(self.data), "-U", ADMIN, "--auth=scram-sha-256",
                f"--pwfile={words}", "-E", "UTF8", "--locale=C.UTF-8",
            )  # fmt: skip
        except LaunchError:
            shutil.rmtree(self.data, ignore_errors=True)
            raise
        finally:
            words.unlink()

    def _serve(self) -> None:
        """Start the server on a free port, on another where somebody took that one meanwhile."""
        for left in reversed(range(_TRIES)):
            port = free_port()
            try:
                self._pg_ctl("-w", "-s", "-l", str(self.log), "-o", shlex.join(_listening(port)), "start")
                return
            except LaunchError:
                if not left or not answers(port):
                    raise

    def _roles(self) -> None:
        with psycopg.connect(self.url(ADMIN, "postgres"), autocommit=True) as connection:
            known = {row[0] for row in connection.execute("SELECT rolname FROM pg_roles")}
            for role in (OWNER, APPLICATION):
                if role not in known:
                    connection.execute(
                        sql.SQL("CREATE ROLE {} LOGIN PASSWORD {}").format(
                            sql.Identifier(role), sql.Literal(self.secret(role))
                        )
                    )
        self.create_database(DATABASE)

    def create_database(self, name: str) -> None:
        """Create a database of the owner's where it is missing."""
        with psycopg.connect(self.url(ADMIN, "postgres"), autocommit=True) as connection:
            if connection.execute("SELECT 1 FROM pg_database WHERE datname = %s", (name,)).fetchone() is None:
                connection.execute(
                    sql.SQL("CREATE DATABASE {} OWNER {}").format(sql.Identifier(name), sql.Identifier(OWNER))
                )
                self.keep_to_tables(connection, name)

    @staticmethod
    def keep_to_tables(connection: psycopg.Connection[Any], name: str) -> None:
        """Let nobody but the owner make temporary tables or schemas in a database."""
        connection.execute(sql.SQL("REVOKE TEMPORARY, CREATE ON DATABASE {} FROM PUBLIC").format(sql.Identifier(name)))

    def _pg_ctl(self, *arguments: str) -> None:
        self._run("pg_ctl", "-D", str(self.data), *arguments)

    def _run(self, program: str, *arguments: str) -> None:
        command = [str(programs() / program), *arguments]
        if os.geteuid() == 0:
            command = ["runuser", "-u", "postgres", "--", *command]
        done = subprocess.run(
            command, cwd="/", stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE,
            text=True, check=False,
        )  # fmt: skip
        if done.returncode:
            raise LaunchError(self._why(program, done.stderr))

    def _why(self, program: str, errors: str) -> str:
        tail = errors
        if self.log.exists():
            tail += self.log.read_text(errors="replace")[-2000:]
        if "No space left on device" in tail:
            return f"The disk of {self.folder} is full: free some space and start again."
        last = (errors.strip().splitlines() or ["no message"])[-1]
        return f"PostgreSQL's {program} failed ({last}); its log is {self.log}."


def _listening(port: int) -> list[str]:
    """Say how a server is told where it listens: on loopback alone."""
    return ["-p", str(port), "-c", f"listen_addresses={HOST}", "-c", "unix_socket_directories="]


def answers(port: int) -> bool:
    """Say whether something accepts connections on a port of loopback.

    A connection to a port that nobody has can meet itself, where the system chooses that port as its own end.
    """
    with socket.socket() as probe:
        probe.settimeout(2)
        return probe.connect_ex((HOST, port)) == 0 and probe.getsockname() != probe.getpeername()


def free_port() -> int:
    """Return a port of loopback that nobody listens on."""
    with socket.socket() as probe:
        probe.bind((HOST, 0))
        port: int = probe.getsockname()[1]
        return port


def programs() -> Path:
    """Return the newest PostgreSQL that Debian has installed; its programs are not on PATH."""
    found = sorted(
        (p for p in Path("/usr/lib/postgresql").glob("*/bin") if (p / "initdb").exists()),
        key=lambda p: int(p.parent.name),
    )
    if not found:
        raise LaunchError("PostgreSQL is not installed: sudo apt-get install postgresql")
    return found[-1]
