"""The processes of one start, and their end together."""

from __future__ import annotations

import http.client
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Mapping
from dataclasses import dataclass, field
from ipaddress import ip_address
from types import FrameType

from brumel.launch.cluster import HOST, LaunchError

_STOP_WITHIN_S = 6.0
_LOOK_EVERY_S = 0.2
_MOST_RESTARTS = 5


@dataclass
class Child:
    """One process: what runs, and whether it is started again when it ends by itself."""

    name: str
    command: list[str]
    restart: bool = True
    inherits: tuple[int, ...] = ()
    process: subprocess.Popen[bytes] | None = None
    started: int = 0


@dataclass
class Processes:
    """Children that start in order and stop together."""

    environment: Mapping[str, str]
    address: str = ""
    children: list[Child] = field(default_factory=list)
    _stopping: bool = False

    def start(self, name: str, *command: str, restart: bool = True, inherits: tuple[int, ...] = ()) -> None:
        """Start a child in a session of its own, so that Ctrl-C reaches it through us only.

        ``inherits`` are open files that it takes over under their numbers.
        """
        child = Child(name, list(command), restart, inherits)
        self.children.append(child)
        self._launch(child)

    def heed_signals(self) -> None:
        """From now on a signal to stop is taken as one: before anybody is told that it runs."""
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, self._ask_to_stop)

    def wait(self) -> None:
        """Look after the children until a signal asks to stop or one that must not end has ended.

        Raises
        ------
        LaunchError
            Where a child ended that can't be started again.
        """
        while not self._stopping:
            for child in self.children:
                if child.process is None or child.process.poll() is None:
                    continue
                if not child.restart or child.started > _MOST_RESTARTS:
                    raise LaunchError(f"The {child.name} ended by itself (code {child.process.returncode}).")
                self._launch(child)
            time.sleep(_LOOK_EVERY_S)

    def stop(self) -> None:
        """End all children, the last started first."""
        for child in reversed(self.children):
            _signal(child, signal.SIGTERM)
        deadline = time.monotonic() + _STOP_WITHIN_S
        for child in self.children:
            if child.process is not None:
                try:
                    child.process.wait(max(deadline - time.monotonic(), 0.1))
                except subprocess.TimeoutExpired:
                    _signal(child, signal.SIGKILL)

    def _launch(self, child: Child) -> None:
        child.started += 1
        child.process = subprocess.Popen(
            child.command, env=dict(self.environment), stdin=subprocess.DEVNULL, start_new_session=True,
            pass_fds=child.inherits,
        )  # fmt: skip

    def _ask_to_stop(self, number: int, frame: FrameType | None) -> None:
        del number, frame
        self._stopping = True


def python(*arguments: str) -> list[str]:
    """A command of this interpreter."""
    return [sys.executable, *arguments]


def gunicorn(factory: str, claimed: socket.socket, *, workers: int = 2, threads: int = 40) -> list[str]:
    """The web server. Threads exceed the live streams and pages of a team; each stream holds one."""
    return python(
        "-m", "gunicorn", f"brumel.launch.wsgi:{factory}()", "--bind", handed_over(claimed),
        "--worker-class", "gthread",
        "--workers", str(workers), "--threads", str(threads), "--graceful-timeout", "2", "--no-control-socket",
        "--log-level", "warning",
    )  # fmt: skip


def claim(host: str, port: int) -> socket.socket:
    """Listen on a port from now on, on any free one for 0; a server inherits it, so that nobody takes it meanwhile.

    Who comes early waits until the server takes over.

    Raises
    ------
    LaunchError
        Where somebody has it, or the host or port can't be had.
    """
    claimed = socket.socket()
    claimed.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        claimed.bind((host, port))
        claimed.listen()
    except OSError as error:
        claimed.close()
        raise LaunchError(f"Port {port} can't be used ({error.strerror}): choose another with --port.") from error
    return claimed


def wait_until_served(host: str, port: int, processes: Processes, timeout_s: float = 60.0) -> None:
    """Wait until the web server answers, whatever it answers."""

    def served() -> bool:
        connection = http.client.HTTPConnection(HOST if ip_address(host).is_unspecified else host, port, timeout=1)
        try:
            connection.request("GET", "/healthy")
            connection.getresponse()
        except (OSError, http.client.HTTPException):
            return False
        finally:
            connection.close()
        return True

    deadline = time.monotonic() + timeout_s
    while time.monotonic() < deadline:
        if served():
            return
        dead = next((c for c in processes.children if c.process and c.process.poll() is not None), None)
        if dead is not None:
            raise LaunchError(f"The {dead.name} ended at once; its message stands above.")
        time.sleep(0.05)
    raise LaunchError(f"Nothing answers on port {port} after {timeout_s:g} s.")


def handed_over(claimed: socket.socket) -> str:
    """How a child's command names a socket that it inherits."""
    return f"fd://{claimed.fileno()}"


def taken_over(where: str) -> socket.socket:
    """The socket that a command names: one that it inherits, or a port of loopback that it claims itself."""
    number = where.removeprefix("fd://")
    return claim(HOST, int(where)) if number == where else socket.socket(fileno=int(number))


def _signal(child: Child, number: int) -> None:
    if child.process is not None and child.process.poll() is None:
        os.killpg(child.process.pid, number)
