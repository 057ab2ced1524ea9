"""Makes docs/screenshots from the demonstration's data at a frozen time; run with ``PYTHONPATH=src``."""

from __future__ import annotations

import shutil
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from brumel.launch.cluster import free_port
from brumel.launch.start import DemoOptions, demonstration
from brumel.settings import default_data_folder, read_settings

OUT = Path(__file__).parents[1] / "docs" / "screenshots"
ARGUMENTS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"]


def shoot(page: Page, base: str) -> None:
    """Walk through the main views."""

    def keep(name: str) -> None:
        page.screenshot(path=str(OUT / f"{name}.png"))

    page.goto(f"{base}/sign-in")
    page.get_by_role("button", name="technician").click()
    keep("today")
    page.get_by_role("button", name="Dusk").click()
    keep("today-dusk")
    page.get_by_role("button", name="Daylight").click()
    page.goto(f"{base}/bench/")
    page.get_by_role("link", name="Calibrate B-pH").click()
    page.get_by_role("button", name="Begin").click()
    for number in range(3):
        page.get_by_role("button", name="Probe is in").click()
        if number == 1:
            page.wait_for_selector("[data-settling=settling]")
            page.wait_for_function("document.querySelector('[data-left]').textContent.includes('left')")
            keep("bench-run")
            page.set_viewport_size({"width": 390, "height": 844})
            keep("bench-phone")
            page.set_viewport_size({"width": 1280, "height": 800})
        page.wait_for_selector("[data-settling=stable]")
        page.get_by_role("button", name="Take the point").click()
    page.get_by_role("button", name="Sign as").click()
    page.wait_for_url("**/ledger/calibrations/**")
    keep("calibration")
    page.get_by_role("link", name="Read a site").click()
    page.get_by_label("Site", exact=True).select_option(label="Shrimp pond")
    page.get_by_role("button", name="Probe is in").click()
    page.wait_for_selector("[data-settling=stable]")
    page.get_by_role("button", name="Record").first.click()
    page.wait_for_url("**/ledger/readings/**")
    keep("reading")
    page.goto(f"{base}/ledger/readings")
    keep("ledger")


def main() -> None:
    """Start a demonstration of its own, take the pictures, remove it."""
    folder, port = default_data_folder() / "screenshots", free_port()
    settings = read_settings({"BRUMEL_DATA": str(folder), "BRUMEL_NOW": "2026-05-06T11:40:00+00:00"})
    OUT.mkdir(parents=True, exist_ok=True)
    try:
        with demonstration(settings, DemoOptions(port=port, speed=8.0, workers=1)), sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            shoot(page, f"http://127.0.0.1:{port}")
            browser.close()
    finally:
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
