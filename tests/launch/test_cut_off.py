"""The tests themselves: a run that is killed leaves no process and no data behind."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.launch.front_door import PATIENCE_S
from tests.launch.processes import alive

_RUN = """
import subprocess, sys, time
from pathlib import Path
from brumel.launch.cluster import Cluster
from tests.cutoff import data_folder
folder = data_folder("cut")
cluster = Cluster(folder)
cluster.start()
child = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(600)"])
print(folder, child.pid, (cluster.data / "postmaster.pid").read_text().split()[0], flush=True)
time.sleep(600)
"""


@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGTERM])
def test_a_run_that_is_cut_off_leaves_nothing(root: Path, how: signal.Signals) -> None:
    run = subprocess.Popen(
        [sys.executable, "-c", _RUN], cwd=root, stdout=subprocess.PIPE, text=True,
        env={**os.environ, "PYTHONPATH": f"{root}/src:{root}"},
    )  # fmt: skip
    assert run.stdout
    folder, child, postmaster = run.stdout.readline().split()
    assert alive(int(child))
    assert alive(int(postmaster))
    run.send_signal(how)
    run.wait(30)
    deadline = time.monotonic() + PATIENCE_S
    while time.monotonic() < deadline and (alive(int(child)) or alive(int(postmaster)) or Path(folder).exists()):
        os.sched_yield()
    assert not alive(int(child))
    assert not alive(int(postmaster))
    assert not Path(folder).exists()
