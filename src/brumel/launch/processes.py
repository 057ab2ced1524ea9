"""The processes of one start, and their end together."""

from __future__ import annotations

import ctypes
import errno
import http.client
import os
import pwd
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from ipaddress import ip_address
from pathlib import Path
from types import FrameType
from typing import Any

from brumel.launch.loopback import HOST, LaunchError
from brumel.services.health import note_restart

_STOP_WITHIN_S = 6.0
_LOOK_EVERY_S = 0.2
_PAUSES_S = (0.0, 1.0, 2.0, 4.0, 8.0, 16.0, 30.0)
"""How long a child is left alone before it is started again: longer each time that it ends soon."""
_RAN_WELL_S = 60.0
"""A child that ran so long begins with the first pause again."""
_PR_SET_PDEATHSIG = 1
_libc = ctypes.CDLL(None, use_errno=True)


@dataclass
class Child:
    """One process: what runs, as whom, and how it is asked to stop; started again whenever it ends by itself."""

    name: str
    command: list[str]
    inherits: tuple[int, ...] = ()
    account: str = ""
    """The user that it runs as; ours where empty."""
    environment: Mapping[str, str] | None = None
    stop_signal: signal.Signals = signal.SIGTERM
    stops_last: bool = False
    process: subprocess.Popen[bytes] | None = None
    launched_at: float = 0.0
    soon: int = 0
    """How often in a row it ended soon."""
    again_at: float | None = None
    """When it is started again; None while it runs."""

    @property
    def ended(self) -> bool:
        """Whether it does not run."""
        return self.process is None or self.process.poll() is not None

    @property
    def why(self) -> str:
        """How it ended, in words."""
        code = self.process.returncode if self.process else None
        if code is None:
            return "never ran"
        return f"signal {-code}" if code < 0 else f"code {code}"


@dataclass
class Processes:
    """Children that start in order, are started again each by itself, and stop together."""

    environment: Mapping[str, str]
    address: str = ""
    say: Callable[[str], None] = lambda words: None
    clock: Callable[[], float] = time.monotonic
    notes: Path | None = None
    """Where it is noted for the pages that a child is started again."""
    children: list[Child] = field(default_factory=list)
    _stopping: bool = False

    def start(
        self, name: str, *command: str, inherits: tuple[int, ...] = (), account: str = "",
        environment: Mapping[str, str] | None = None, stop_signal: signal.Signals = signal.SIGTERM,
        stops_last: bool = False,
    ) -> Child:  # fmt: skip
        """Start a child in a session of its own, so that Ctrl-C reaches it through us only; it ends when we do.

        ``inherits`` are open files that it takes over under their numbers; they stay open here, for the next start.
        Call it from the main thread: a child ends with the thread that started it.
        """
        child = Child(name, list(command), inherits, account, environment, stop_signal, stops_last)
        self.children.append(child)
        self._launch(child)
        return child

    def heed_signals(self) -> None:
        """From now on a signal to stop is taken as one: before anybody is told that it runs."""
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, self._ask_to_stop)

    def wait(self) -> None:
        """Look after the children until a signal asks to stop: one that ended is started again, for ever."""
        while not self._stopping:
            self.look_after()
            time.sleep(_LOOK_EVERY_S)

    def look_after(self) -> None:
        """Start again what has ended: at once, then after longer pauses where it ends soon; each by itself."""
        now = self.clock()
        for child in self.children:
            if not child.ended:
                continue
            if child.again_at is None:
                child.soon = 0 if now - child.launched_at >= _RAN_WELL_S else child.soon + 1
                pause_s = _PAUSES_S[min(max(child.soon - 1, 0), len(_PAUSES_S) - 1)]
                child.again_at = now + pause_s
                when = f"in {pause_s:g} s" if pause_s else "at once"
                self.say(f"the {child.name} ended by itself ({child.why}); it is started again {when}")
                if self.notes is not None:
                    note_restart(self.notes, child.name, child.why)
            if now >= child.again_at:
                try:
                    self._launch(child)
                except OSError as error:
                    child.again_at = now + _PAUSES_S[-1]
                    self.say(f"the {child.name} can't be started ({error.strerror}); tried again in 30 s")

    def stop(self) -> None:
        """End all children, the last started first; what the others lean on after them."""
        for last in (False, True):
            group = [c for c in reversed(self.children) if c.stops_last is last]
            for child in group:
                _signal(child, child.stop_signal)
            deadline = time.monotonic() + _STOP_WITHIN_S
            for child in group:
                if child.process is not None:
                    try:
                        child.process.wait(max(deadline - time.monotonic(), 0.1))
                    except subprocess.TimeoutExpired:
                        _signal(child, signal.SIGKILL)

    def _launch(self, child: Child) -> None:
        ours, signal_number = os.getpid(), int(child.stop_signal)

        def end_with_us() -> None:
            _libc.prctl(_PR_SET_PDEATHSIG, signal_number)
            if os.getppid() != ours:  # we ended before it could be told
                os._exit(1)

        user: dict[str, Any] = {}
        if child.account:
            entry = pwd.getpwnam(child.account)
            groups = os.getgrouplist(child.account, entry.pw_gid)  # a serial line belongs to one
            user = {"user": entry.pw_uid, "group": entry.pw_gid, "extra_groups": groups, "cwd": "/"}
        environment = self.environment if child.environment is None else child.environment
        child.process = subprocess.Popen(
            child.command, env=dict(environment), stdin=subprocess.DEVNULL, start_new_session=True,
            pass_fds=child.inherits, preexec_fn=end_with_us, **user,
        )  # fmt: skip
        child.launched_at, child.again_at = self.clock(), None

    def _ask_to_stop(self, number: int, frame: FrameType | None) -> None:
        del number, frame
        self._stopping = True


def python(*arguments: str) -> list[str]:
    """Return a command of this interpreter."""
    return [sys.executable, *arguments]


def claim(host: str, port: int, patience_s: float = 0.0) -> socket.socket:
    """Listen on a port from now on, on any free one for 0; a server inherits it, so that nobody takes it meanwhile.

    Who comes early waits until the server takes over. ``patience_s``: so long a server that is ending may have it yet.

    Raises
    ------
    LaunchError
        Where somebody has it, or the host or port can't be had.
    """
    deadline = time.monotonic() + patience_s
    while True:
        claimed = socket.socket()
        claimed.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            claimed.bind((host, port))
            claimed.listen()
        except OSError as error:
            claimed.close()
            if error.errno == errno.EADDRINUSE and time.monotonic() < deadline:
                time.sleep(_LOOK_EVERY_S)
                continue
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
    """Say how a child's command names a socket that it inherits."""
    return f"fd://{claimed.fileno()}"


def taken_over(where: str) -> socket.socket:
    """Return the socket that a command names: one that it inherits, or a port of loopback that it claims itself."""
    number = where.removeprefix("fd://")
    return claim(HOST, int(where)) if number == where else socket.socket(fileno=int(number))


def _signal(child: Child, number: int) -> None:
    """Tell a child, and what it started; a database tells its own."""
    if child.process is not None and child.process.poll() is None:
        (os.kill if child.stops_last else os.killpg)(child.process.pid, number)
