"""What can't be started, each sentence once: which part it was, and what to do."""

from __future__ import annotations

import fcntl
import sys
from collections.abc import Mapping
from pathlib import Path

import pytest

from brumel.launch.cluster import Cluster, free_port
from brumel.launch.loopback import LaunchError
from brumel.launch.processes import Processes, wait_until_served
from brumel.launch.start import DemoOptions, demonstration
from brumel.settings import SettingsError, read_settings


@pytest.mark.parametrize(
    ("given", "words"),
    [
        ({"BRUMEL_TIMEZONE": "Moon/Base"}, "BRUMEL_TIMEZONE: 'Moon/Base' is not a time zone's IANA name."),
        ({"BRUMEL_ORDER": "as-it-comes"}, "BRUMEL_ORDER: 'as-it-comes' is no order; known are conductivity-first, "),
        ({"BRUMEL_TIMEZONE": "/etc/passwd"}, "is not a time zone's IANA name."),
        ({"BRUMEL_NOW": "noon"}, "BRUMEL_NOW: 'noon' is not an ISO 8601 time."),
        ({"BRUMEL_NOW": "2026-05-04T09:00:00"}, "has no offset from UTC; write it as 2026-05-04T09:00:00+00:00."),
        ({"BRUMEL_PROXY_HOPS": "one"}, "BRUMEL_PROXY_HOPS: a whole number is needed, not 'one'."),
        ({"BRUMEL_PROXY_HOPS": "²"}, "BRUMEL_PROXY_HOPS: a whole number is needed, not '²'."),
        ({"BRUMEL_SESSION_HOURS": "0"}, "BRUMEL_SESSION_HOURS: a whole number above 0 is needed, not '0'."),
        ({"BRUMEL_TEA": "1"}, "BRUMEL_TEA is not a setting; known are BRUMEL_DATABASE_URL"),
    ],
)
def test_a_setting_that_can_not_be_is_named(given: Mapping[str, str], words: str) -> None:
    with pytest.raises(SettingsError) as refused:
        read_settings(given)
    assert words in str(refused.value)


def test_a_database_that_does_not_run_says_where_its_log_is(tmp_path: Path) -> None:
    with pytest.raises(LaunchError, match=r"The database in .* does not run; its log is .*server.log"):
        Cluster(tmp_path).url()


def test_a_child_that_ends_at_the_start_is_named(tmp_path: Path) -> None:
    processes = Processes({})
    try:
        processes.start("link", sys.executable, "-c", "raise SystemExit(3)")
        assert processes.children[0].process is not None
        processes.children[0].process.wait()
        with pytest.raises(LaunchError, match="The link ended at once; its message stands above"):
            wait_until_served("127.0.0.1", free_port(), processes)
        with pytest.raises(LaunchError, match="Nothing answers on port"):
            wait_until_served("127.0.0.1", free_port(), Processes({}), timeout_s=0.0)
    finally:
        processes.stop()


def test_a_folder_that_is_in_use_is_left_alone(tmp_path: Path) -> None:
    folder = tmp_path / "demo"
    folder.mkdir()
    settings = read_settings({"BRUMEL_DATA": str(tmp_path)})
    lock = tmp_path / "demo.lock"
    with lock.open("w") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        taken = pytest.raises(LaunchError, match=r"It runs already with the data in .*: use that one, or stop it")
        with taken, demonstration(settings, DemoOptions(port=0)):
            pass
