"""The whole application, started as the demonstration starts it, driven in Chromium."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, ViewportSize, expect
from tests.browser.driving import LAUNCH, sign_in
from tests.conftest import NOW, load_demonstration
from tests.cutoff import data_folder
from tests.ready import Ready

from brumel.launch.processes import Processes
from brumel.launch.start import DemoOptions, demonstration
from brumel.settings import read_settings

PATIENCE_MS = 90_000
"""Longer than a page ever takes, on a machine that has much else to do."""
expect.set_options(timeout=PATIENCE_MS)
SIZE: ViewportSize = {"width": 1280, "height": 720}


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
    return 30.0


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
def window(browser: Browser, browser_context_args: dict[str, Any]) -> Iterator[BrowserContext]:
    """One window for a file of tests: a new one costs half a second of a processor."""
    made = browser.new_context(**browser_context_args)
    yield made
    made.close()


@pytest.fixture
def context(window: BrowserContext) -> BrowserContext:
    """The file's; ``page`` leaves nothing behind in it."""
    return window


@pytest.fixture
def page(window: BrowserContext) -> Iterator[Page]:
    """A page that nobody has signed in on, as wide as ever, in daylight."""
    page = window.pages[0] if window.pages else window.new_page()
    page.set_viewport_size(SIZE)
    page.set_default_timeout(PATIENCE_MS)
    yield page
    window.set_offline(False)
    window.clear_cookies()
    for left in window.pages:
        left.unroute_all()
        left.emulate_media(media="screen")
        left.evaluate("location.protocol === 'about:' || localStorage.clear()")
        left.goto("about:blank")
    for other in window.pages[1:]:
        other.close()


@pytest.fixture(scope="module")
def signed_in(window: BrowserContext) -> list[Any]:
    """The cookies of a technician who has signed in."""
    page = window.new_page()
    sign_in(page)
    cookies = window.cookies()
    window.clear_cookies()
    return cookies


@pytest.fixture
def technician(page: Page, signed_in: list[Any]) -> Page:
    page.context.add_cookies(signed_in)
    page.goto("/")
    return page
