"""Makes docs/screenshots from the demonstration's data at a frozen time; run with ``PYTHONPATH=src:.``."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

from PIL import Image
from playwright.sync_api import Browser, Page, sync_playwright
from tests.browser.driving import LAUNCH, PHONE, SCREEN, begin, read_site, sign_in, take_point

from brumel.core.guide.guide import tasks
from brumel.launch import start
from brumel.launch.start import DemoOptions, demonstration
from brumel.settings import default_data_folder, read_settings

ROOT = Path(__file__).parents[1]
OUT, GUIDE = ROOT / "docs" / "screenshots", ROOT / "src" / "brumel" / "web" / "static" / "guide"
_GUIDE_PX, _COLOURS = (640, 400), 128


POND = {
    "Temperature": "28.6", "Dissolved oxygen": "3.4", "pH": "8.3", "Specific conductance": "28300",
    "Ammonium as N": "0.4", "Pressure": "1009",
}  # fmt: skip


def _back(page: Page, keep: Callable[[str], None]) -> None:
    """An electrode that comes back from its round: as it came, cleaned, and what the day was worth."""
    page.goto("/bench/back")
    page.get_by_role("link", name="Check back A-pH").click()
    page.get_by_role("button", name="Begin").click()
    for button in ("Probe is in", "Probe is in", "Done", "Probe is in", "Probe is in"):
        if button == "Done":
            page.get_by_role("button", name=button).click()
        else:
            take_point(page)
    page.get_by_role("button", name="Sign as").click()
    page.wait_for_url("**/ledger/calibrations/**")
    page.goto("/bench/back")
    keep("back")


def _visit(page: Page, keep: Callable[[str], None]) -> None:
    """A pond at its bottom, and a site that opens on its history."""
    page.goto("/rounds/")
    page.get_by_role("link", name="Visit Shrimp pond").click()
    page.get_by_role("button", name="Begin visit").click()
    page.get_by_text("Bottom", exact=True).click()
    for name, value in POND.items():
        page.get_by_label(name, exact=True).fill(value)
    page.locator("button[data-key=s]").click()
    page.wait_for_url("**saved=1")
    keep("visit")
    page.set_viewport_size(PHONE)
    keep("visit-phone")
    page.set_viewport_size(SCREEN)
    page.get_by_role("link", name="Read all on the line at once").click()
    for label in ("A-DO", "B-DO", "A-pH", "A-EC", "B-pH", "B-ORP"):
        wanted = label in ("A-pH", "A-EC", "B-DO")
        page.locator("label", has_text=label).get_by_role("checkbox").set_checked(wanted)
    page.get_by_role("button", name="All are in").click()
    page.locator(".live[data-settling=stable]").first.wait_for(timeout=90_000)
    page.get_by_label("Depth").fill("0.5")
    page.evaluate("window.scrollTo(0, 0)")
    keep("at-once")
    page.goto("/rounds/")
    page.get_by_role("link", name="Training pool", exact=True).click()
    page.get_by_role("navigation", name="How far back").scroll_into_view_if_needed()
    keep("site")


def shoot(page: Page) -> None:
    """Walk through the main views."""

    def keep(name: str) -> None:
        page.screenshot(path=str(OUT / f"{name}.png"))

    sign_in(page)
    keep("today")
    page.get_by_role("button", name="Dusk").click()
    page.locator("html[data-bs-theme=dark]").wait_for()
    keep("today-dusk")
    page.get_by_role("button", name="Daylight").click()
    begin(page, "B-pH")
    take_point(page)
    page.get_by_role("button", name="Probe is in").click()
    page.locator("[data-left]", has_text="left").wait_for()
    keep("bench-run")
    page.set_viewport_size(PHONE)
    keep("bench-phone")
    page.set_viewport_size(SCREEN)
    page.wait_for_selector("[data-settling=stable]")
    page.get_by_role("button", name="Take the point").click()
    take_point(page)
    page.get_by_role("button", name="Sign as").click()
    page.wait_for_url("**/ledger/calibrations/**")
    keep("calibration")
    read_site(page, "Shrimp pond")
    keep("reading")
    page.goto("/ledger/readings")
    keep("ledger")
    _visit(page, keep)
    _back(page, keep)
    page.goto("/kit/")
    keep("kit")
    page.get_by_role("link", name="B-EC", exact=True).last.click()
    page.get_by_role("heading", name="Through its life").scroll_into_view_if_needed()
    keep("probe-life")
    page.goto("/shelf/")
    keep("shelf")
    page.goto("/plan/")
    page.get_by_role("textbox", name="Departure").fill("2026-05-06T12:50")
    page.get_by_label("Kit that goes along").select_option("Kit A")
    for name in ("Upland spring intake", "Greenhouse nutrient reservoir", "Training pool"):
        page.locator(".pick", has_text=name).click()
    page.get_by_role("button", name="Plan round").click()
    page.wait_for_selector(".tracks")
    keep("plan")
    page.get_by_role("button", name="Cancel round").click()
    begin(page, "B-Cl")
    for title in ("Self-zero", "One sample for both", "Tablet", "Shake"):
        page.locator("li.current .title", has_text=title).wait_for()
        page.get_by_role("button", name="Done").click()
    page.get_by_role("button", name="Probe is in").click()
    page.wait_for_selector("[data-settling=stable]")
    page.get_by_label("The reference shows").first.fill("1.30")
    keep("chlorine")
    page.goto("/reckon/oxygen-percent?oxygen_mg_l=6.1&temperature_c=13.2&temperature_c_u=0.1&pressure_hpa=942")
    keep("reckon-answer")


def begin_anew(browser: Browser, folder: Path) -> None:
    """The guided start of an empty installation."""
    said = list[str]()
    start.say = said.append
    with start.service(read_settings({"BRUMEL_DATA": str(folder / "empty")}), "127.0.0.1", 0) as running:
        page = browser.new_page(viewport=SCREEN, base_url=running.address)
        page.goto(next(words.split()[-1] for words in said if "/first/" in words))
        for label, text in (("Your name", "Mira Tolland"), ("Sign-in name", "mira"), ("Password", "only for pictures")):
            page.get_by_label(label).fill(text)
        page.get_by_role("button", name="Begin").click()
        page.goto("/start/proposal?work=ponds&gear=handheld&gear=photometer")
        page.screenshot(path=str(OUT / "start.png"))
        page.close()


def for_the_guide() -> None:
    """The guide's pictures, smaller."""
    for task in tasks():
        if task.picture:
            with Image.open(OUT / f"{task.picture}.png") as picture:
                small = picture.convert("RGB").resize(_GUIDE_PX, Image.Resampling.LANCZOS).quantize(_COLOURS)
                small.save(GUIDE / f"{task.picture}.png", optimize=True)


def main() -> None:
    """Start a demonstration of its own and an empty installation, take the pictures, remove both."""
    folder = default_data_folder() / "screenshots"
    settings = read_settings({"BRUMEL_DATA": str(folder), "BRUMEL_NOW": "2026-05-06T11:40:00+00:00"})
    OUT.mkdir(parents=True, exist_ok=True)
    try:
        options = DemoOptions(port=0, speed=8.0, servers=1)
        with demonstration(settings, options) as processes, sync_playwright() as playwright:
            browser = playwright.chromium.launch(**LAUNCH)
            page = browser.new_page(viewport=SCREEN, base_url=processes.address)
            shoot(page)
            begin_anew(browser, folder)
            browser.close()
        for_the_guide()
    finally:
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
