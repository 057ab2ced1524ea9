"""A technician's whole job in a real browser on the real database."""

from __future__ import annotations

import csv
import json
import re
from pathlib import Path
from urllib.parse import urlsplit

from playwright.sync_api import Browser, Page, expect
from tests.browser.driving import (
    PHONE,
    begin,
    choose,
    give_up,
    no_violations,
    sign_in,
    take_once_stable,
    take_point,
)


def reach(page: Page, name: str, most: int = 80) -> None:
    """Go there with the Tab key."""
    for _ in range(most):
        page.keyboard.press("Tab")
        reached = page.evaluate("(e => e === document.body ? '' : e.name || e.innerText)(document.activeElement)")
        if name in (reached or ""):
            return
    raise AssertionError(f"Tab never came to {name!r}")


def test_calibrate_and_read_by_keyboard_alone_and_export(technician: Page) -> None:
    page = technician
    page.goto("/bench/new")
    reach(page, "probe")
    page.keyboard.type("A-pH")
    page.wait_for_url("**probe=*")
    reach(page, "Begin")
    page.keyboard.press("Enter")
    for _ in range(3):
        page.wait_for_selector("[data-key=p]")
        page.keyboard.press("p")
        take_once_stable(page, key="t")
    expect(page.get_by_role("heading", name="Verdict")).to_contain_text("sound")
    page.keyboard.press("s")
    page.wait_for_url("**/ledger/calibrations/**")
    # The electrode's own slope is 98.6 %; bottles are off by their certificate, so that it is not found to the digit.
    expect(page.locator(".answer")).to_contain_text(re.compile(r"9[789]\.\d %"))
    assert page.locator(".figure text").filter(has_text=re.compile(r"[+−]0\.0\d[1-9]")).count() > 0
    reach(page, "Take reading")
    page.keyboard.press("Enter")
    page.wait_for_url("**/rounds/reading**")
    reach(page, "site")
    page.keyboard.type("Shrimp")
    page.wait_for_url("**site=*")
    page.keyboard.press("p")
    take_once_stable(page, key="r")
    page.wait_for_url("**/ledger/readings/**")
    expect(page.locator(".answer")).to_contain_text("sound")
    expect(page.locator(".working")).to_contain_text("Nernst slope at")
    shown = page.locator(".answer .value").inner_text().removeprefix("pH ")
    page.goto("/ledger/readings")
    with page.expect_download() as download:
        page.get_by_role("link", name="CSV").click()
    rows = list(csv.DictReader(Path(download.value.path()).read_text().splitlines()))
    newest = max(rows, key=lambda r: r["taken_at"])
    assert newest["site"] == "SHRIMP"
    assert f"{float(newest['value']):.2f}" == shown
    page.goto("/ledger/calibrations")
    with page.expect_download() as download:
        page.get_by_role("link", name="JSON").click()
    exported = json.loads(Path(download.value.path()).read_text())["calibrations"]
    mine = next(c for c in exported if c["calibration_id"] == newest["calibration_id"])
    assert [p["step"] for p in mine["points"]] == ["neutral", "acid", "alkaline"]


def test_a_wrong_cup_is_told_while_the_probe_stands_in_it(technician: Page) -> None:
    """What a whole run with swapped buffers comes to is tried in ``tests/services``."""
    page = technician
    begin(page, "A-pH")
    page.get_by_role("button", name="Probe is in").click()
    page.wait_for_selector("[data-settling]")
    acid = page.locator("#beaker option", has_text="4.01").first.get_attribute("value")
    page.get_by_text("Simulated bench").click()
    page.locator("#beaker").select_option(acid)
    page.get_by_role("button", name="Move the probe").click()
    expect(page.locator("[data-look]")).to_contain_text("It looks like")
    take_once_stable(page)
    expect(page.locator(".steps svg.drop.tone-unfit")).to_have_count(1)
    give_up(page)


def test_a_fault_mid_run_is_told_and_the_run_goes_on(technician: Page) -> None:
    """What each fault is called is tried in ``tests/services/test_link.py``."""
    page = technician
    begin(page, "B-pH")
    page.get_by_role("button", name="Probe is in").click()
    page.wait_for_selector("[data-settling=settling], [data-settling=stable]")
    page.get_by_text("Simulated bench").click()
    page.locator("#fault").select_option("unplugged")
    page.get_by_role("button", name="Set", exact=True).click()
    expect(page.locator("[data-trouble]")).to_contain_text("line to the probe is closed")
    expect(page.get_by_role("button", name="Take the point")).to_be_disabled()
    wide = page.viewport_size
    for size in (PHONE, wide):  # no sample comes, yet the trace is drawn as wide as its place
        page.set_viewport_size(size)
        plot = page.locator("[data-plot]")
        width = plot.evaluate("p => p.clientWidth")
        expect(plot).to_have_attribute("viewBox", re.compile(rf"^0 0 {width} "))
    page.locator("#fault").select_option("none")
    page.get_by_role("button", name="Set", exact=True).click()
    expect(page.locator("[data-trouble]")).to_be_hidden()  # what was stable before the fault no longer counts
    take_once_stable(page)
    expect(page.get_by_role("button", name="Probe is in")).to_be_visible()
    give_up(page)


def test_a_slow_probe_is_told_and_still_draws(technician: Page) -> None:
    page = technician
    begin(page, "B-pH")
    page.get_by_role("button", name="Probe is in").click()
    page.wait_for_selector("[data-settling=settling], [data-settling=stable]")
    page.get_by_text("Simulated bench").click()
    page.locator("#fault").select_option("slow")
    page.get_by_role("button", name="Set", exact=True).click()
    expect(page.locator("[data-trouble]")).to_contain_text("answers slowly")
    page.wait_for_selector("[data-drawn-after]")  # a sample came after it
    expect(page.locator("[data-trouble]")).to_contain_text("answers slowly")
    page.locator("#fault").select_option("none")
    page.get_by_role("button", name="Set", exact=True).click()
    expect(page.locator("[data-trouble]")).to_be_hidden()
    give_up(page)


def test_typed_input_is_kept_with_a_sentence_in_its_field(technician: Page) -> None:
    page = technician
    page.goto("/rounds/")
    page.get_by_role("link", name="Take reading at Training pool").click()
    choose(page, "probe", "C-pH")
    page.get_by_label("Potential").fill("abc")
    page.get_by_label("Temperature of the water").fill("26,5")
    page.get_by_role("button", name="Record").click()
    expect(page.locator("#error-signal")).to_contain_text("is not a number")
    expect(page.get_by_label("Temperature of the water")).to_have_value("26,5")
    no_violations(page)


def test_a_run_goes_on_in_another_browser(technician: Page, browser: Browser, address: str) -> None:
    begin(technician, "A-pH")
    take_point(technician)
    technician.get_by_role("button", name="Probe is in").click()
    technician.wait_for_selector("[data-settling=settling], [data-settling=stable]")
    path = urlsplit(technician.url).path
    technician.close()
    page = browser.new_page(base_url=address)
    sign_in(page, "supervisor")
    page.goto("/bench/")
    page.locator(f"a[href^='{path}']").click()
    take_once_stable(page)
    expect(page.locator("#error-take_over")).to_contain_text("Mira Tolland is at A-pH since")
    page.get_by_label("Take over, because").fill("Mira is called to the lido")
    with page.expect_navigation():
        page.get_by_role("button", name="Take over").click()
    take_once_stable(page)
    take_point(page)
    expect(page.get_by_role("heading", name="Verdict")).to_contain_text("sound")
    give_up(page)
    page.close()


def test_the_side_of_the_water_then_the_opposite_buffer_as_a_check_are_its_steps(technician: Page) -> None:
    page = technician
    page.goto("/bench/")
    page.get_by_role("link", name="Calibrate B-pH").click()
    page.get_by_text("third as check").click()
    page.get_by_role("button", name="Begin").click()
    steps = page.locator(".steps > li")
    expect(steps.nth(1)).to_contain_text("Alkaline buffer")
    expect(steps.nth(2)).to_contain_text("check only")
    give_up(page)


def test_stopping_after_one_buffer_is_signed_as_weaker(technician: Page) -> None:
    page = technician
    begin(page, "A-pH")
    take_point(page)
    page.keyboard.press("s")
    expect(page.get_by_role("button", name="Probe is in")).to_be_visible()
    page.get_by_text("Finish early and sign").click()
    page.get_by_role("button", name="Sign as").click()
    page.wait_for_url("**/ledger/calibrations/**")
    expect(page.locator("[data-code=one-point]")).to_contain_text("carried over from the last full run")
