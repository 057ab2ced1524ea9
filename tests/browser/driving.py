"""Chromium as the tests, the pictures and the benches start it, and the walks that they share."""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path

from playwright.sync_api import Page, expect

CHROMIUM = "/usr/bin/chromium"
SWITCHES = (
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
)  # fmt: skip
LAUNCH = {"executable_path": CHROMIUM, "args": list(SWITCHES)}
PHONE = {"width": 390, "height": 844}
SCREEN = {"width": 1280, "height": 800}
LOOKS = ("day", "dusk", "phone")
AXE = (Path(__file__).parent / "vendor/axe-core/axe.min.js").read_text(encoding="utf-8")
_AXE_RUN = """async () => (await axe.run(document, {resultTypes: ["violations"]}))
    .violations.map(v => [v.id, v.nodes.map(n => n.html)])"""


def sign_in(page: Page, role: str = "technician") -> None:
    """Through the demonstration's one click."""
    page.goto("/sign-in")
    page.get_by_role("button", name=role).click()
    page.wait_for_url("**/")


def begin(page: Page, probe: str) -> None:
    """Begin a run with what is proposed."""
    page.goto("/bench/")
    page.get_by_role("link", name=re.compile(f"(Calibrate|Check) {probe}")).click()
    page.get_by_role("button", name="Begin").click()


def begin_with(page: Page, probe: str, procedure: str, fields: Mapping[str, str]) -> None:
    """Begin a run by a procedure, with what is typed or chosen in fields that there are."""
    page.goto("/bench/")
    page.get_by_role("link", name=f"Calibrate {probe}").click()
    page.get_by_text(procedure, exact=True).click()
    for name, value in fields.items():
        field = page.locator(f"[name={name}]")
        if field.count() and field.evaluate("e => e.tagName") == "SELECT":
            field.select_option(value)
        elif field.count():
            field.fill(value)
    page.get_by_role("button", name="Begin").click()


def all_so(page: Page) -> None:
    """Answer what a step asks, where it asks."""
    for asked in page.locator("fieldset.asked:visible").all():
        for box in asked.locator("[name=so]:not([value=none])").all():
            box.check()


def take(page: Page, button: str = "Take the point") -> None:
    """Say that all is so where a step asks, and take its point."""
    all_so(page)
    page.get_by_role("button", name=button).click()


def take_point(page: Page, button: str = "Probe is in") -> None:
    """Put the probe in, wait until it is stable, take the point."""
    page.get_by_role("button", name=button).click()
    take_once_stable(page)


_PRESS_ONCE_STABLE = """([button, key, traces]) => {
    const look = setInterval(() => {
        if (document.querySelectorAll("[data-settling=stable]").length < traces) return;
        clearInterval(look);
        if (key) document.body.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true }));
        else document.querySelector(button).click();
    }, 20);
}"""


def take_once_stable(page: Page, button: str = "[data-when-stable]", *, key: str = "", traces: int = 1) -> None:
    """Take point or reading once stable, looked and pressed in one moment: the bench is faster than a hand."""
    page.wait_for_selector("[data-settling]")
    all_so(page)
    with page.expect_navigation():
        page.evaluate(_PRESS_ONCE_STABLE, [button, key, traces])


def take_unsettled(page: Page, button: str, after_s: int = 75) -> None:
    """Put the probe in, and take the point after so many seconds, stable or not."""
    page.get_by_role("button", name=button).click()
    expect(page.locator("[data-plot]")).to_contain_text(f"{after_s} s")
    all_so(page)
    page.get_by_text("Record deviation", exact=True).click()
    page.locator("#unsettled_reason").fill("a fault to learn by")
    page.get_by_role("button", name="Take the point").click()


def sign(page: Page) -> None:
    """Sign the run."""
    page.get_by_role("button", name="Sign as").click()
    page.wait_for_url("**/ledger/calibrations/**")


def give_up(page: Page) -> None:
    """Give the run up."""
    page.locator("summary", has_text="Cancel calibration").click()
    page.locator("#reason").fill("only a test")
    page.get_by_role("button", name="Cancel calibration").click()
    page.wait_for_url("**/bench/")


def take_points(page: Page, count: int = 3) -> None:
    """Take the points of the next steps."""
    for _ in range(count):
        take_point(page)


def read_site(page: Page, site: str) -> None:
    """Take reading with the probe at hand, from the calibration's page."""
    page.get_by_role("link", name="Take reading").click()
    page.get_by_label("Site", exact=True).select_option(label=site)
    page.get_by_role("button", name="Probe is in").click()
    take_once_stable(page)
    page.wait_for_url("**/ledger/readings/**")


def ail(page: Page, fault: str) -> None:
    """Give the simulated probe a fault; it is set on the page of an open run."""
    page.locator("#fault").wait_for(state="attached")
    if not page.locator("#fault").is_visible():
        page.get_by_text("Simulated bench", exact=True).click()
    page.locator("#fault").select_option(fault)
    with page.expect_navigation():
        page.get_by_role("button", name="Set", exact=True).click()


def choose(page: Page, name: str, beginning: str) -> None:
    """Choose the option of a list whose words begin so; the page follows by itself."""
    options = page.locator(f"[name={name}] option")
    options.filter(has_text=beginning).first.wait_for(state="attached")
    value = options.evaluate_all("(all, words) => all.find(o => o.textContent.startsWith(words)).value", beginning)
    with page.expect_navigation():
        page.locator(f"[name={name}]").first.select_option(value)


def dressed(page: Page, look: str) -> None:
    """The page in daylight, at dusk, on a phone, or on a phone at dusk."""
    if look.endswith("dusk"):
        page.get_by_role("button", name="Dusk").click()
        page.wait_for_selector("html[data-bs-theme=dark]")
    if look.startswith("phone"):
        page.set_viewport_size(PHONE)


def too_wide(page: Page) -> bool:
    """Whether it has to be pushed sideways to be read."""
    page.wait_for_load_state()
    return bool(page.evaluate("document.documentElement.scrollWidth > document.documentElement.clientWidth"))


def no_violations(page: Page) -> None:
    """Axe finds nothing to object to, and nothing reaches beyond the page."""
    assert not too_wide(page)
    page.evaluate(AXE + ";0")
    found = page.evaluate(_AXE_RUN)
    assert found == [], found


def open_probe(page: Page, label: str) -> None:
    page.goto("/kit/")
    page.locator("a.title", has_text=label).click()


def answer(page: Page, first: str) -> None:
    questions = page.locator(".question")
    for n in range(questions.count()):
        questions.nth(n).get_by_text(first if n == 0 else "Yes", exact=True).click()


def plan(page: Page, departure: str, kit: str, *sites: str) -> None:
    page.goto("/plan/")
    page.get_by_role("textbox", name="Departure").fill(departure)
    page.get_by_label("Kit that goes along").select_option(kit)
    for site in sites:
        page.locator(".pick", has_text=site).click()
    page.get_by_role("button", name="Plan round").click()
