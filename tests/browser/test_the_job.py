"""A technician's whole job in a real browser on the real database."""

from __future__ import annotations

import csv
import json
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

AXE = (Path(__file__).parent / "vendor/axe-core/axe.min.js").read_text(encoding="utf-8")


def begin(page: Page, probe: str) -> None:
    page.goto("/bench/")
    page.get_by_role("link", name=f"Calibrate {probe}").click()
    page.get_by_role("button", name="Begin").click()


def take_points(page: Page, count: int = 3) -> None:
    for _ in range(count):
        page.get_by_role("button", name="Probe is in").click()
        page.wait_for_selector("[data-settling=stable]")
        page.get_by_role("button", name="Take the point").click()


def no_violations(page: Page) -> None:
    page.evaluate(AXE + ";0")
    found = page.evaluate("async () => (await axe.run()).violations.map(v => [v.id, v.nodes.map(n => n.html)])")
    assert found == [], found


def test_calibrate_read_and_export(technician: Page) -> None:
    page = technician
    begin(page, "A-pH")
    take_points(page)
    expect(page.get_by_role("heading", name="Verdict")).to_contain_text("sound")
    page.keyboard.press("s")
    page.wait_for_url("**/ledger/calibrations/**")
    expect(page.locator(".answer")).to_contain_text("98.6 %")
    page.get_by_role("link", name="Read a site").click()
    page.get_by_label("Site", exact=True).select_option(label="Shrimp pond")
    page.get_by_role("button", name="Probe is in").click()
    page.wait_for_selector("[data-settling=stable]")
    page.get_by_role("button", name="Record").first.click()
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
    assert f"{float(newest['ph']):.2f}" == shown
    page.goto("/ledger/calibrations")
    with page.expect_download() as download:
        page.get_by_role("link", name="JSON").click()
    exported = json.loads(Path(download.value.path()).read_text())["calibrations"]
    mine = next(c for c in exported if c["calibration_id"] == newest["calibration_id"])
    assert [p["step"] for p in mine["points"]] == ["neutral", "acid", "alkaline"]


def test_swapped_buffers_are_unfit_in_the_right_words(technician: Page) -> None:
    page = technician
    begin(page, "A-pH")
    lots = {}
    for number, wrong in enumerate(("acid", "neutral", None)):
        page.get_by_role("button", name="Probe is in").click()
        if number == 0:
            for option in page.locator("#beaker option").all():
                lots.setdefault((option.text_content() or "").split(" ")[0], option.get_attribute("value"))
        if wrong:
            page.get_by_text("Simulated bench").click()
            page.locator("#beaker").select_option({"acid": lots["4.01"], "neutral": lots["7.00"]}[wrong])
            page.get_by_role("button", name="Put it there").click()
            expect(page.locator("[data-look]")).to_contain_text("It looks like")
        page.wait_for_selector("[data-settling=stable]")
        page.get_by_role("button", name="Take the point").click()
    expect(page.get_by_role("heading", name="Verdict")).to_contain_text("unfit")
    expect(page.locator("[data-code=buffers-swapped]")).to_contain_text("Buffers swapped")
    page.get_by_text("Give this run up").click()
    page.locator("#reason").fill("cups mixed up")
    page.get_by_role("button", name="Give up").click()


@pytest.mark.parametrize(
    ("fault", "words"),
    [("silent", "has not answered"), ("garbled", "plug"), ("unplugged", "line to the probe is closed")],
)
def test_a_fault_mid_run_is_told_and_the_run_goes_on(technician: Page, fault: str, words: str) -> None:
    page = technician
    begin(page, "B-pH")
    page.get_by_role("button", name="Probe is in").click()
    page.wait_for_selector("[data-settling=settling], [data-settling=stable]")
    page.get_by_text("Simulated bench").click()
    page.locator("#fault").select_option(fault)
    page.get_by_role("button", name="Set").click()
    expect(page.locator("[data-trouble]")).to_contain_text(words)
    page.locator("#fault").select_option("none")
    page.get_by_role("button", name="Set").click()
    page.wait_for_selector("[data-settling=stable]")
    page.get_by_role("button", name="Take the point").click()
    expect(page.get_by_role("button", name="Probe is in")).to_be_visible()
    page.get_by_text("Give this run up").click()
    page.locator("#reason").fill("only to learn")
    page.get_by_role("button", name="Give up").click()


def test_typed_input_is_kept_with_a_sentence_in_its_field(technician: Page) -> None:
    page = technician
    page.goto("/rounds/")
    page.get_by_role("link", name="Read Training pool").click()
    page.get_by_label("Probe", exact=True).select_option(index=3)
    page.get_by_label("Potential").fill("abc")
    page.get_by_label("Temperature of the water").fill("26,5")
    page.get_by_role("button", name="Record").click()
    expect(page.locator("#error-mv")).to_contain_text("is not a number")
    expect(page.get_by_label("Temperature of the water")).to_have_value("26,5")
    no_violations(page)


@pytest.mark.parametrize("path", ["/", "/bench/", "/bench/new", "/rounds/", "/ledger/readings", "/ledger/calibrations"])
@pytest.mark.parametrize("look", ["day", "dusk", "phone"])
def test_no_accessibility_violation(technician: Page, path: str, look: str) -> None:
    page = technician
    if look == "phone":
        page.set_viewport_size({"width": 390, "height": 844})
    if look == "dusk":
        page.get_by_role("button", name="Dusk").click()
    page.goto(path)
    no_violations(page)
