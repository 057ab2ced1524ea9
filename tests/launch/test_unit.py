"""The unit for systemd, whose Restart= is the outermost hand."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import pytest

from tests.launch.front_door import PATIENCE_S


@pytest.mark.skipif(shutil.which("systemd-analyze") is None, reason="systemd is not installed")
def test_the_unit_holds(root: Path, tmp_path: Path) -> None:
    unit = (root / "deploy" / "brumel.service").read_text()
    assert "Restart=always" in unit
    assert "\nUser=" not in unit, "one user would own and serve"
    copy = tmp_path / "brumel.service"
    copy.write_text(unit.replace("/opt/brumel/brumel", str(root / "brumel")).replace("/opt/brumel", str(root)))
    done = subprocess.run(
        ["systemd-analyze", "verify", "--man=no", str(copy)],
        capture_output=True,
        text=True,
        check=False,
        timeout=PATIENCE_S,
    )
    about = [line for line in (done.stdout + done.stderr).splitlines() if "brumel" in line]
    assert done.returncode == 0, done.stderr
    assert about == []
