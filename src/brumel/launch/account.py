"""The user that serves where root starts: it owns nothing, and reads nothing but what it needs."""

from __future__ import annotations

import compileall
import os
import pwd
import subprocess
import sys
from collections.abc import Mapping
from pathlib import Path

from brumel.launch.loopback import LaunchError

_SECRET = ("SECRET", "TOKEN", "PASSWORD", "CREDENTIAL", "PRIVATE")
_OF_ROOT = {"HOME": "/nonexistent", "USER": "", "LOGNAME": "", "MAIL": "", "XDG_DATA_HOME": "", "XDG_RUNTIME_DIR": ""}
_PACKAGE = Path(__file__).parents[1]


def account(name: str) -> str:
    """Whom the parts that face others run as: a user of their own where we are root; us, an empty name, where not.

    Raises
    ------
    LaunchError
        Where that user can't be had, or can't read the program.
    """
    if os.geteuid() != 0 or name == "root":
        return ""
    try:
        pwd.getpwnam(name)
    except KeyError:
        made = subprocess.run(
            ["useradd", "--system", "--home-dir", "/nonexistent", "--shell", "/usr/sbin/nologin", name],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        if made.returncode:
            raise LaunchError(f"The user {name}, as whom it serves, can't be made: {made.stderr.strip()}.") from None
    compileall.compile_dir(_PACKAGE, quiet=2)  # that user can't keep what it compiled
    if not _reads_the_program(name):
        raise LaunchError(
            f"The user {name}, as whom it serves, can't read the program in {_PACKAGE.parents[1]}: put it where others "
            "may read, start as another user than root, or let root serve (BRUMEL_USER=root)."
        )
    return name


def _reads_the_program(name: str) -> bool:
    """Say whether it reads where our modules are, and the packages: one of each tells, and is read in a moment."""
    try:
        tried = subprocess.run(
            [sys.executable, "-c", "import brumel.settings, flask.globals"], user=name, extra_groups=[],
            cwd="/", env=bare(os.environ), capture_output=True, check=False,
        )  # fmt: skip
    except PermissionError:
        return False
    return tried.returncode == 0


def bare(environment: Mapping[str, str]) -> dict[str, str]:
    """Return an environment without root's own secrets and places, for a process that begins in another folder."""
    kept = {k: v for k, v in environment.items() if not any(word in k.upper() for word in _SECRET)}
    if path := kept.get("PYTHONPATH"):
        kept["PYTHONPATH"] = os.pathsep.join(str(Path(part).resolve()) for part in path.split(os.pathsep) if part)
    return {k: v for k, v in (kept | _OF_ROOT).items() if v}
