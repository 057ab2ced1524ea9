"""Commands as somebody types them, and what they say."""

from __future__ import annotations

import os
import signal
import subprocess
import sys

PATIENCE_S = 180
"""Longer than any answer takes, on a machine that has much else to do."""


def brumel(*arguments: str, **settings: str) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-m", "brumel", *arguments],
        env={**os.environ, **settings}, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
    )  # fmt: skip


def refusal(*arguments: str, **settings: str) -> str:
    """The one line by which a command refuses."""
    process = brumel(*arguments, **settings)
    said, _ = process.communicate(timeout=PATIENCE_S)
    assert process.returncode not in (0, None)
    lines = said.strip().splitlines()
    assert len(lines) == 1, said
    return lines[0]


def until(process: subprocess.Popen[str], words: str) -> str:
    """What a command says until it says ``words``."""
    assert process.stdout
    said = ""
    for line in process.stdout:
        said += line
        if words in line:
            return said
    raise AssertionError(said)


def ctrl_c(process: subprocess.Popen[str]) -> None:
    process.send_signal(signal.SIGINT)
    process.communicate(timeout=PATIENCE_S)
    assert process.returncode == 0
