"""The whole application, started as the demonstration starts it, driven in Chromium."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect
from tests.browser.driving import LAUNCH, sign_in
from tests.conftest import NOW, load_demonstration
from tests.cutoff import data_folder
from tests.ready import Ready

from brumel.launch.processes import Processes
from brumel.launch.start import DemoOptions, demonstration
from brumel.settings import read_settings

PATIENCE_MS = 30_000
"""Longer than a page ever takes, on a machine that has much else to do."""
expect.set_options(timeout=PATIENCE_MS)


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, Any]:
    return LAUNCH


@pytest.fixture(scope="session")
def pristine(ready: Ready) -> Iterator[Path]:
    """The data folder of a demonstration that nobody has used yet and that does not run."""
    folder = data_folder("pristine")
    try:
        ready.demonstration(folder, load_demonstration)
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="module")
def speed() -> float:
    """So many times faster than time does the bench run; much faster, and traces move between a look and a press."""
    return 20.0


@pytest.fixture(scope="module")
def processes(pristine: Path, speed: float) -> Iterator[Processes]:
    """A demonstration of the module's own: what one file leaves behind meets no other."""
    folder = data_folder("browser")
    user = os.environ.get("BRUMEL_USER", "brumel")
    settings = read_settings({"BRUMEL_DATA": str(folder), "BRUMEL_NOW": NOW.isoformat(), "BRUMEL_USER": user})
    try:
        subprocess.run(["cp", "-a", "--reflink=auto", f"{pristine}/.", folder], check=True)
        with demonstration(settings, DemoOptions(port=0, speed=speed, servers=1)) as running:
            yield running
    finally:
        shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="module")
def address(processes: Processes) -> str:
    """Where it answers."""
    return processes.address


@pytest.fixture(scope="session")
def base_url() -> None:
    """No address holds for the whole run; see ``address``."""


@pytest.fixture(scope="module")
def browser_context_args(browser_context_args: dict[str, Any], address: str) -> dict[str, Any]:
    return browser_context_args | {"base_url": address}


@pytest.fixture(scope="module")
def signed_in(browser: Browser, address: str) -> list[Any]:
    """The cookies of a technician who has signed in."""
    page = browser.new_page(base_url=address)
    sign_in(page)
    cookies = page.context.cookies()
    page.context.close()
    return cookies


@pytest.fixture
def technician(page: Page, signed_in: list[Any]) -> Page:
    page.set_default_timeout(PATIENCE_MS)
    page.context.add_cookies(signed_in)
    page.goto("/")
    return page
