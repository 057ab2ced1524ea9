"""As whom the parts that face others run, what they can read, and what half a request costs."""

from __future__ import annotations

import http.client
import json
import os
import pwd
import socket
import subprocess
import sys
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest

from brumel.launch import start
from brumel.launch.account import account, bare
from brumel.launch.loopback import HOST, LaunchError
from brumel.launch.processes import Processes, claim, handed_over, python, wait_until_served
from brumel.launch.start import DemoOptions, demonstration
from brumel.settings import read_settings
from tests.conftest import Urls, load_demonstration
from tests.launch.front_door import PATIENCE_S
from tests.ready import Ready

AS_ROOT = pytest.mark.skipif(
    os.geteuid() != 0 or os.environ.get("BRUMEL_USER") == "root", reason="only root starts as somebody else"
)
HALVES = 120
"""More than a web server has threads."""


@AS_ROOT
def test_what_faces_others_runs_as_a_user_that_can_read_no_secret(folder: Path, ready: Ready) -> None:
    ready.demonstration(folder, load_demonstration)
    with demonstration(read_settings({"BRUMEL_DATA": str(folder)}), DemoOptions(port=0)) as running:
        serves = pwd.getpwnam("brumel")
        owners = {c.name: os.stat(f"/proc/{c.process.pid}").st_uid for c in running.children if c.process}
        assert {name for name, uid in owners.items() if uid == serves.pw_uid} == {
            "simulated bench", "link", "web server 1", "web server 2",
        }  # fmt: skip
        assert 0 not in owners.values()
        secrets = list((folder / "demo" / "secrets").iterdir())
        assert len(secrets) >= 4
        for secret in [*secrets, folder / "demo" / "data"]:
            read = subprocess.run(["ls", str(secret)], user="brumel", extra_groups=[], capture_output=True, check=False)
            assert read.returncode != 0, secret
        with urllib.request.urlopen(f"{running.address}/ready", timeout=PATIENCE_S) as ready_:
            assert json.load(ready_)["serves_apart"] is True
        owner = (folder / "demo" / "secrets" / "brumel_owner").read_text().encode()
        for child in running.children:
            assert child.process
            assert owner not in Path(f"/proc/{child.process.pid}/environ").read_bytes()


@AS_ROOT
def test_a_program_that_the_user_cannot_read_is_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    hidden = tmp_path / "python"
    hidden.symlink_to(sys.executable)
    monkeypatch.setattr(sys, "executable", str(hidden))
    with pytest.raises(LaunchError, match=r"The user brumel, as whom it serves, can't read the program in .*: put it"):
        account("brumel")


@AS_ROOT
def test_a_user_that_cannot_be_made_is_said() -> None:
    with pytest.raises(LaunchError, match=r"The user no:body, as whom it serves, can't be made: .+"):
        account("no:body")


def test_root_may_serve_where_that_is_asked_for() -> None:
    assert account("root") == ""


def test_secrets_of_whoever_starts_are_not_handed_on() -> None:
    given = {"PATH": "/bin", "SOME_SECRET": "x", "api_token": "x", "HOME": "/root", "PYTHONPATH": "src", "LANG": "C"}
    assert bare(given) == {
        "PATH": "/bin", "LANG": "C", "HOME": "/nonexistent", "PYTHONPATH": str(Path("src").resolve()),
    }  # fmt: skip


def test_who_starts_for_themselves_keeps_their_environment(monkeypatch: pytest.MonkeyPatch) -> None:
    """A password file of theirs is found by their home; only another user is given nothing of it."""
    monkeypatch.setenv("HOME", "/home/ada")
    settings = read_settings({})
    assert start._environment(settings, "url", "key", "")["HOME"] == "/home/ada"
    assert start._environment(settings, "url", "key", "brumel")["HOME"] == "/nonexistent"


@pytest.fixture
def served(urls: Urls) -> Iterator[int]:
    """A web server's port."""
    with claim(HOST, 0) as claimed:
        environment = {**os.environ, "BRUMEL_DATABASE_URL": urls.application, "BRUMEL_SECRET_KEY": "k" * 40}
        processes = Processes(environment)
        command = python("-m", "brumel", "web-server", "--listen", handed_over(claimed))
        processes.start("web server", *command, inherits=(claimed.fileno(),))
        try:
            wait_until_served(HOST, claimed.getsockname()[1], processes)
            yield claimed.getsockname()[1]
        finally:
            processes.stop()


@pytest.mark.parametrize("half", [b"GET /sign-in HTTP/1.1\r\nHost: 127.0", b"POST /sign-in HTTP/1.1\r\n"
                                  b"Host: 127.0.0.1\r\nContent-Length: 500\r\n\r\nlogin="])  # fmt: skip
def test_half_a_request_holds_no_thread(served: int, half: bytes) -> None:
    held = []
    try:
        for _ in range(HALVES):
            held.append(socket.create_connection((HOST, served)))
            held[-1].sendall(half)
        for _ in range(3):
            # Far below the time after which a connection that says nothing is closed.
            connection = http.client.HTTPConnection(HOST, served, timeout=PATIENCE_S)
            connection.request("GET", "/sign-in")
            assert connection.getresponse().status == 200
            connection.close()
    finally:
        for one in held:
            one.close()


def test_a_request_too_large_is_refused_before_it_is_read(served: int) -> None:
    with socket.create_connection((HOST, served)) as one:
        one.sendall(b"POST /sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 900000000\r\n\r\n")
        assert b" 413 " in one.recv(200)
    with socket.create_connection((HOST, served)) as one:
        one.sendall(b"GET /sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Long: " + b"x" * 40_000)
        assert b" 431 " in one.recv(200)
