"""Two commands are enough anywhere: in root's own home, for an ordinary user, in a path with spaces."""

from __future__ import annotations

import os
import pwd
import shutil
import subprocess
import sys
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest

from brumel.launch.cluster import Cluster, free_port
from tests.cutoff import data_folder
from tests.launch.front_door import PATIENCE_S, ctrl_c, until

AS_ROOT = pytest.mark.skipif(os.geteuid() != 0, reason="only root can be somebody else")
NOT_COPIED = shutil.ignore_patterns(".venv", ".git", "__pycache__", ".*_cache", ".hypothesis", "docs")


@pytest.fixture
def data() -> Iterator[Path]:
    """A data folder with a space in its name."""
    made = data_folder("any where")
    made.mkdir(parents=True)
    yield made
    Cluster(made / "demo").remove()
    shutil.rmtree(made)


@pytest.fixture
def tree(root: Path, data: Path) -> Path:
    """A clone in a home that nobody else may read."""
    home = data / "a home"
    home.mkdir(mode=0o700)
    return Path(shutil.copytree(root, home / "a clone", ignore=NOT_COPIED))


def environment(**settings: str) -> dict[str, str]:
    return {k: v for k, v in os.environ.items() if k not in {"PYTHONPATH", "BRUMEL_USER"}} | settings


def front_door(tree: Path, *arguments: str, user: str | None = None, **settings: str) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [tree / "brumel", *arguments], env=environment(**settings), cwd=tree, user=user, text=True,
        extra_groups=[] if user else None, stdout=subprocess.PIPE, stderr=subprocess.STDOUT,
    )  # fmt: skip


def the_same_packages(data: Path, tree: Path) -> None:
    """Put the environment of this run where the front door looks for the one with that lock file."""
    command = f"source '{tree}/brumel' help >/dev/null; hash_of <'{tree}/requirements/test.txt'"
    name = subprocess.run(["bash", "-c", command], check=True, capture_output=True, text=True).stdout.strip()
    (data / "program").mkdir(parents=True)
    (data / "program" / f"env-test-{name}").symlink_to(sys.prefix)


def answers(port: int) -> bool:
    with urllib.request.urlopen(f"http://127.0.0.1:{port}/healthy", timeout=PATIENCE_S) as answer:
        return answer.status == 200


@AS_ROOT
def test_root_starts_from_a_folder_that_only_root_reads(tree: Path, data: Path) -> None:
    the_same_packages(data, tree)
    own = {"BRUMEL_DATA": str(data)}
    port = free_port()
    running = front_door(tree, "demo", "--days", "30", "--port", str(port), **own)
    said = until(running, f"http://127.0.0.1:{port}/")
    assert "installing" not in said
    assert answers(port)
    (copy,) = (p for p in (data / "program").iterdir() if not p.is_symlink() and p.is_dir())
    for made in [copy, *copy.rglob("*")]:
        assert made.stat().st_uid == 0, made
        assert not made.stat().st_mode & 0o022, made
        assert made.stat().st_mode & 0o004, made
    serving = [
        Path(f"/proc/{pid}")
        for pid in subprocess.check_output(["pgrep", "-u", "brumel", "-f", "web-server"], text=True).split()
        if f"BRUMEL_DATA={data}".encode() in Path(f"/proc/{pid}/environ").read_bytes()
    ]
    assert len(serving) == 2
    for process in [Path(f"/proc/{running.pid}"), *serving]:
        assert f"PYTHONPATH={copy}/src".encode() in (process / "environ").read_bytes().split(b"\0")

    def programs() -> set[Path]:
        said, _ = front_door(tree, "calc", "--list", **own).communicate(timeout=120)
        assert "unionized-ammonia" in said
        return {p for p in (data / "program").iterdir() if not p.is_symlink() and p.is_dir()}

    assert programs() == {copy}
    (tree / "README.md").write_text("Another version.")
    assert len(programs()) == 2, "what runs still has its program"
    ctrl_c(running)
    left = programs()
    assert len(left) == 1
    assert copy not in left
    said, _ = front_door(tree, "bench", "--help", **own).communicate(timeout=120)
    assert "there are screens, live" in said


@AS_ROOT
def test_an_ordinary_user_starts_it_in_a_path_with_spaces(tree: Path, data: Path) -> None:
    """Nothing of the machine is written to but their own folders."""
    nobody, home = pwd.getpwnam("nobody"), tree.parent
    for path in [home, *home.rglob("*")]:
        os.chown(path, nobody.pw_uid, nobody.pw_gid)
    (tree / ".venv").symlink_to(sys.prefix)
    port = free_port()
    running = front_door(
        tree, "demo", "--days", "30", "--port", str(port), user="nobody", HOME=str(home), XDG_DATA_HOME=str(home)
    )
    until(running, f"http://127.0.0.1:{port}/")
    assert answers(port)
    ctrl_c(running)
    assert (home / "brumel" / "demo").owner() == "nobody"
