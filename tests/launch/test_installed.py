"""The built wheel, installed into an empty environment and run from another folder."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tarfile
import urllib.request
import zipfile
from pathlib import Path

import psycopg
import pytest

from brumel import __version__
from brumel.launch.cluster import ADMIN, APPLICATION, OWNER, Cluster
from tests.conftest import load_demonstration
from tests.launch.front_door import PATIENCE_S, ctrl_c, until
from tests.ready import Ready

_BUILD = "import sys, setuptools.build_meta as b; print(getattr(b, sys.argv[1])(sys.argv[2]))"
_NEEDED = (
    "core/kit/kinds.toml",
    "core/calibrating/rinses.toml",
    "core/quantities/quantities.toml",
    "core/standards/buffers.csv",
    "store/migrations/versions/0001_first_schema.py",
    "web/templates/base.html",
    "web/bench/templates/bench/run.html",
    "web/static/css/paper.css",
    "web/static/js/live.js",
    "web/static/vendor/bootstrap/LICENSE",
)


@pytest.fixture(scope="module")
def built(root: Path, tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    """Wheel and source distribution, from a copy of the tree."""
    tree, out = tmp_path_factory.mktemp("tree") / "brumel", tmp_path_factory.mktemp("dist")
    shutil.copytree(root, tree, ignore=shutil.ignore_patterns(".*", "__pycache__", "docs", "*.egg-info"))
    return [out / _built(tree, how, out) for how in ("build_wheel", "build_sdist")]


def _built(tree: Path, how: str, out: Path) -> str:
    done = subprocess.run(
        [sys.executable, "-c", _BUILD, how, out], cwd=tree, check=True, capture_output=True, text=True
    )
    return done.stdout.split()[-1]


@pytest.fixture(scope="module")
def installed(root: Path, built: list[Path], tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The command of an environment that holds the wheel and what it needs, and nothing of this tree."""
    home = tmp_path_factory.mktemp("environment")
    subprocess.run(["/usr/bin/python3", "-m", "venv", home], check=True)
    pip = [home / "bin/python", "-m", "pip", "install", "--quiet", "--no-compile", "--disable-pip-version-check"]
    subprocess.run([*pip, "--require-hashes", "-r", root / "requirements/run.txt"], check=True)
    subprocess.run([*pip, "--no-deps", built[0]], check=True)
    return home / "bin/brumel"


def environment(**settings: str) -> dict[str, str]:
    return (
        {k: v for k, v in os.environ.items() if k not in {"PYTHONPATH", "VIRTUAL_ENV"}}
        | {
            "BRUMEL_USER": "root",  # a folder of a test is read by who made it alone
        }
        | settings
    )


def fetched(address: str) -> str:
    with urllib.request.urlopen(address, timeout=PATIENCE_S) as answer:
        return str(answer.read().decode())


def test_wheel_and_source_hold_all_that_the_application_reads(root: Path, built: list[Path]) -> None:
    wheel, source = built
    in_wheel = {n.removeprefix("brumel/") for n in zipfile.ZipFile(wheel).namelist() if n.startswith("brumel/")}
    with tarfile.open(source) as archive:
        in_source = {n.partition("/src/brumel/")[2] for n in archive.getnames()}
    tree = root / "src/brumel"
    ours = {str(p.relative_to(tree)) for p in tree.rglob("*") if p.is_file() and "__pycache__" not in p.parts}
    assert set(_NEEDED) <= ours
    assert ours - in_wheel == set()
    assert ours - in_source == set()


def test_calculates_from_another_folder(installed: Path, tmp_path: Path) -> None:
    def said(*words: str) -> str:
        return subprocess.run(
            [installed, *words], cwd=tmp_path, env=environment(), capture_output=True, text=True, check=True
        ).stdout

    assert said("--version") == f"brumel {__version__}\n"
    assert "9.09 mg/L" in said("calc", "oxygen-saturation", "temperature_c=20")
    assert "ph-buffer" in said("calc", "--list")
    assert "BRUMEL_DATABASE_URL" in said("settings")


def test_the_demonstration_serves_its_data_with_styles(
    installed: Path, tmp_path: Path, folder: Path, ready: Ready
) -> None:
    ready.demonstration(folder, load_demonstration)
    process = subprocess.Popen(
        [installed, "demo", "--port", "0"], cwd=tmp_path, env=environment(BRUMEL_DATA=str(folder)),
        stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
    )  # fmt: skip
    address = until(process, "Hallow Reach is at").split(" is at ")[1].split("/  ")[0].strip()
    page = fetched(f"{address}/sign-in")
    assert "Sign in" in page
    styles = [part.split('"')[0] for part in page.split('href="')[1:] if ".css" in part.split('"')[0]]
    assert styles
    assert all("{" in fetched(address + style) for style in styles)
    ctrl_c(process)


def test_serves_a_database_of_ones_own(installed: Path, tmp_path: Path, cluster: Cluster, folder: Path) -> None:
    cluster.create_database("ones_own")
    settings = environment(
        BRUMEL_DATABASE_URL=cluster.url(APPLICATION, "ones_own"),
        BRUMEL_DATABASE_OWNER_URL=cluster.url(OWNER, "ones_own"),
        BRUMEL_SECRET_KEY="a long random text for signing",
        BRUMEL_DATA=str(folder),
    )
    process = subprocess.Popen(
        [installed, "serve", "--port", "0"], cwd=tmp_path, env=settings, stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT, text=True,
    )  # fmt: skip
    address = until(process, "Brumel is at").split("Brumel is at ")[1].split("/  ")[0].strip()
    assert fetched(f"{address}/healthy")
    assert "Hallow Reach" not in fetched(f"{address}/sign-in")
    ctrl_c(process)
    with psycopg.connect(cluster.url(ADMIN, "ones_own")) as connection:
        assert connection.execute("SELECT count(*) FROM person").fetchone() == (0,)
