"""A run that is cut off leaves no process behind: a watcher outlives it, ends what it started, and removes its data.

All that a run starts carries its mark in the environment; its databases' folders carry it in their names, for
PostgreSQL hides its environment.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import signal
import subprocess
import sys
import time
import uuid
from pathlib import Path

from brumel.settings import default_data_folder

MARK = "PYTEST_BRUMEL_RUN"
_PATIENCE_S = 10.0


def run_mark() -> str:
    """The mark of this run; made, and watched over, at first use."""
    mark = os.environ.get(MARK, "")
    if not mark.endswith(f"-{os.getpid()}"):
        mark = os.environ[MARK] = f"{uuid.uuid4().hex[:8]}-{os.getpid()}"
        _watch(mark)
    return mark


def data_folder(what: str) -> Path:
    """A new folder for a database of this run."""
    return default_data_folder() / f"{what}-{run_mark()}-{uuid.uuid4().hex[:6]}"


def _watch(mark: str) -> None:
    reading, writing = os.pipe()
    os.set_inheritable(writing, False)
    # The write end stays open as long as we live, however we end.
    subprocess.Popen(
        [sys.executable, __file__, mark, str(default_data_folder())], stdin=reading, start_new_session=True,
        env={k: v for k, v in os.environ.items() if k != MARK},
    )  # fmt: skip
    os.close(reading)


def end_all(mark: str, root: Path) -> None:
    """End every process with this mark, stop its databases, remove their folders."""
    for process in Path("/proc").glob("[0-9]*"):
        with contextlib.suppress(OSError):
            if f"{MARK}={mark}".encode() in (process / "environ").read_bytes().split(b"\0"):
                os.kill(int(process.name), signal.SIGKILL)
    for folder in root.glob(f"*-{mark}-*"):
        for pid_file in folder.rglob("postmaster.pid"):
            with contextlib.suppress(OSError, ValueError, IndexError):
                pid = int(pid_file.read_text().splitlines()[0])
                os.kill(pid, signal.SIGQUIT)
                deadline = time.monotonic() + _PATIENCE_S
                while time.monotonic() < deadline:
                    os.kill(pid, 0)
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    sys.stdin.buffer.read()  # ends with the run
    end_all(sys.argv[1], Path(sys.argv[2]))
