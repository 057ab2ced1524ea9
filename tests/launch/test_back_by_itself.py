"""Back by itself: children are started again for ever and end with whoever started them; the next start goes on."""

from __future__ import annotations

import os
import signal
import sys
import time
import urllib.request
from pathlib import Path

import pytest

from brumel.launch.cluster import Cluster, free_port
from brumel.launch.processes import Processes
from brumel.services.health import Health
from brumel.store.database import Database
from tests.launch.front_door import PATIENCE_S, brumel, ctrl_c, until
from tests.launch.processes import alive

ENDS = ("-c", "raise SystemExit(3)")


class Clock:
    """Time that passes when it is told to."""

    now = 1000.0

    def __call__(self) -> float:
        return self.now


def ended(processes: Processes, child: int = 0) -> None:
    process = processes.children[child].process
    assert process is not None
    process.wait(20)


def test_a_child_that_ends_soon_is_started_again_after_longer_pauses_for_ever() -> None:
    clock, said = Clock(), list[str]()
    processes = Processes({}, say=said.append, clock=clock)
    try:
        processes.start("link", sys.executable, *ENDS)
        pauses = []
        for _ in range(9):
            ended(processes)
            processes.look_after()
            again = processes.children[0].again_at
            pauses.append(0.0 if again is None else again - clock.now)
            clock.now += pauses[-1]
            processes.look_after()
            assert processes.children[0].again_at is None  # it runs, or did
        assert pauses == [0.0, 1.0, 2.0, 4.0, 8.0, 16.0, 30.0, 30.0, 30.0]
        assert said[0] == "the link ended by itself (code 3); it is started again at once"
        assert said[2] == "the link ended by itself (code 3); it is started again in 2 s"
        ended(processes)
        clock.now += 61.0  # it ran for a minute: from the beginning
        processes.look_after()
        assert said[-1].endswith("at once")
    finally:
        processes.stop()


def test_one_childs_trouble_touches_no_other() -> None:
    clock, said = Clock(), list[str]()
    processes = Processes({}, say=said.append, clock=clock)
    try:
        processes.start("link", sys.executable, *ENDS)
        processes.start("web server", sys.executable, "-c", "import time; time.sleep(600)")
        steady = processes.children[1].process
        for _ in range(3):
            ended(processes)
            processes.look_after()
            clock.now += 5.0
        assert processes.children[1].process is steady
        assert steady is not None
        assert steady.poll() is None
        os.kill(steady.pid, signal.SIGKILL)
        ended(processes, 1)
        processes.look_after()
        assert said[-1] == "the web server ended by itself (signal 9); it is started again at once"
    finally:
        processes.stop()


def test_a_program_that_is_gone_is_tried_again_and_said(tmp_path: Path) -> None:
    clock, said = Clock(), list[str]()
    processes = Processes({}, say=said.append, clock=clock)
    program = tmp_path / "link"
    program.write_text("#!/bin/sh\nexit 1\n")
    program.chmod(0o755)
    processes.start("link", str(program))
    ended(processes)
    program.unlink()
    processes.look_after()
    assert said[-1] == "the link can't be started (No such file or directory); tried again in 30 s"
    processes.look_after()
    assert len(said) == 2


def pages(address: str) -> int:
    with urllib.request.urlopen(f"{address}/healthy", timeout=PATIENCE_S) as answer:
        status: int = answer.status
    return status


def of_group(name: str, folder: Path) -> list[int]:
    """Processes whose command names the folder or the program, started for this data."""
    found = []
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            environment = (entry / "environ").read_bytes()
            command = (entry / "cmdline").read_bytes()
        except OSError:
            continue
        if str(folder).encode() in environment + command and name.encode() in command:
            found.append(int(entry.name))
    return found


@pytest.mark.parametrize("how", [signal.SIGKILL])
def test_whoever_started_it_is_killed_and_the_next_start_serves(folder: Path, how: signal.Signals) -> None:
    port = free_port()
    settings = {"BRUMEL_DATA": str(folder)}
    first = brumel("serve", "--port", str(port), **settings)
    until(first, "Brumel is at")
    left = [pid for name in ("postgres", "web-server") for pid in of_group(name, folder)]
    assert len(left) >= 3
    first.send_signal(how)
    first.wait(20)
    second = brumel("serve", "--port", str(port), **settings)
    said = until(second, "Brumel is at")
    assert "the last start was cut off: what it left is ended" in said
    assert pages(f"http://127.0.0.1:{port}") == 200
    deadline = time.monotonic() + PATIENCE_S
    while any(alive(pid) for pid in left) and time.monotonic() < deadline:
        os.sched_yield()
    assert not any(alive(pid) for pid in left)
    ctrl_c(second)
    third = brumel("serve", "--port", str(port), **settings)
    assert "cut off" not in until(third, "Brumel is at")
    ctrl_c(third)
    Cluster(folder / "serve").remove()


def test_a_killed_database_and_a_killed_web_server_come_back(folder: Path) -> None:
    port = free_port()
    process = brumel("serve", "--port", str(port), BRUMEL_DATA=str(folder))
    try:
        until(process, "Brumel is at")
        data = folder / "serve" / "data"
        postmaster = int((data / "postmaster.pid").read_text().split()[0])
        os.kill(postmaster, signal.SIGKILL)
        until(process, "the database ended by itself (signal 9); it is started again at once")
        cluster, deadline = Cluster(folder / "serve"), time.monotonic() + PATIENCE_S
        while time.monotonic() < deadline and cluster.port() is None:
            os.sched_yield()
        assert int((data / "postmaster.pid").read_text().split()[0]) != postmaster
        servers = of_group("web-server", folder)
        assert len(servers) == 2
        for pid in servers:
            os.kill(pid, signal.SIGKILL)
        until(process, "the web server 2 ended by itself (signal 9); it is started again at once")
        assert pages(f"http://127.0.0.1:{port}") == 200
        noted = Health(Database("postgresql://"), notes=folder / "serve" / "restarts.jsonl").restarts()
        assert {(r.what, r.why) for r in noted} == {
            ("database", "signal 9"), ("web server 1", "signal 9"), ("web server 2", "signal 9"),
        }  # fmt: skip
    finally:
        ctrl_c(process)
        Cluster(folder / "serve").remove()
