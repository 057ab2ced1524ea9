"""Kit in a real browser: change a membrane and watch the clock, fail an inspection and clear it, store it wrongly."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect
from tests.browser.driving import answer, dressed, no_violations, open_probe


def test_a_new_probe_and_its_first_membrane(technician: Page) -> None:
    page = technician
    page.goto("/kit/new")
    page.get_by_role("button", name="Save").click()
    expect(page.locator("#error-label")).to_contain_text("label that stands on it")
    page.get_by_label("Name").fill("Z-DO")
    page.get_by_label("Serial number").fill("HR-Z-1")
    page.get_by_label("Kind").select_option(label="dissolved oxygen, polarographic")
    page.get_by_label("Kit").fill("Kit Z")
    page.get_by_label("In service since").fill("2026-05-01")
    page.get_by_role("button", name="Save").click()
    expect(page.locator(".standing")).to_contain_text("To be calibrated.")
    page.get_by_label("What was done").select_option(label="Membrane changed")
    page.get_by_role("button", name="Save care").click()
    expect(page.locator(".standing")).to_contain_text("Ready Wed 6 May, 11:00")
    expect(page.locator(".clock")).to_contain_text("polarisation")
    address = page.url
    page.goto("/kit/")
    expect(page.locator(".ribbon details .broad rect.wait")).not_to_have_count(0)
    page.goto(address)
    page.get_by_text("Correct entry").click()
    page.get_by_label("Why it is wrong").fill("that was another probe")
    page.get_by_role("button", name="Withdraw").click()
    expect(page.locator(".standing")).to_contain_text("To be calibrated.")
    expect(page.locator(".log .gone")).to_contain_text("that was another probe")


def test_a_failed_inspection_blocks_until_it_is_cleared(technician: Page) -> None:
    page = technician
    open_probe(page, "A-EC")
    answer(page, "No")
    expect(page.locator(".question .remedy").first).to_be_visible()
    page.get_by_role("button", name="Save inspection").click()
    expect(page.locator(".standing")).to_contain_text("Blocked. Failed its inspection")
    page.goto("/")
    expect(page.get_by_text("See to A-EC", exact=True)).to_be_visible()
    open_probe(page, "A-EC")
    answer(page, "Yes")
    page.get_by_role("button", name="Save inspection").click()
    expect(page.locator(".standing")).to_contain_text("Ready.")


def test_wrong_storage_is_told_on_the_spot(technician: Page) -> None:
    page = technician
    open_probe(page, "B-ORP")
    page.get_by_label("What was done").select_option(label="Stored")
    page.get_by_label("Stands in").select_option("deionised or distilled water")
    page.get_by_role("button", name="Save care").click()
    expect(page.get_by_role("alert")).to_contain_text("is not kept in deionised or distilled water")
    expect(page.locator(".standing")).to_contain_text("Blocked.")
    page.get_by_label("What was done").select_option(label="Soaked")
    page.get_by_label("With what").fill("storage solution")
    page.get_by_role("button", name="Save care").click()
    expect(page.locator(".standing")).to_contain_text("Ready Wed 6 May, 11:30")


def test_a_meter_takes_its_own_kinds_only_and_its_probes_feel_it(technician: Page) -> None:
    page = technician
    page.goto("/kit/meters/new")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("Choose the kinds of probes")).to_be_visible()
    page.get_by_label("Name").fill("Z-meter")
    page.get_by_label("Serial number").fill("HR-M-9")
    page.get_by_label("Kit").fill("Kit Z")
    page.get_by_label("In service since").fill("2026-05-01")
    page.locator(".pick", has_text="dissolved oxygen, polarographic").click()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Z-meter")
    page.goto("/kit/new")
    page.get_by_label("Name").fill("Y-DO")
    page.get_by_label("Serial number").fill("HR-Y-1")
    page.get_by_label("Kind").select_option(label="nitrate tip")
    page.get_by_label("Kit").fill("Kit Z")
    page.get_by_label("In service since").fill("2026-05-01")
    page.get_by_label("Plugged into").select_option(label="Z-meter · Kit Z")
    page.get_by_role("button", name="Save").click()
    expect(page.locator("#error-meter")).to_contain_text("Z-meter takes no nitrate tip probe")
    page.get_by_label("Kind").select_option(label="dissolved oxygen, polarographic")
    page.get_by_role("button", name="Save").click()
    page.get_by_role("link", name="Z-meter").click()
    page.get_by_label("What").select_option(label="Batteries out")
    page.get_by_role("button", name="Save").click()
    expect(page.locator(".rows")).to_contain_text("It is without power: Z-meter batteries out")


def test_what_a_meter_keeps_is_judged_and_becomes_a_run(technician: Page) -> None:
    page = technician
    open_probe(page, "B-EC")
    page.get_by_role("link", name="The meter's own calibration").click()
    page.get_by_role("button", name="Sign as").click()
    expect(page.locator(".field-error").first).to_contain_text("at least one value")
    page.get_by_label("Lot").select_option(label="standard 80\u202f000 µS/cm (lot C80-0209)")
    page.get_by_label("Temperature").fill("25")
    page.get_by_label("As found").fill("75400")
    page.get_by_label("As left").fill("80000")
    page.get_by_label("Cell constant").fill("11,4")
    page.get_by_role("button", name="Sign as").click()
    expect(page.locator("main")).to_contain_text("−5.8 % off")
    expect(page.locator("main")).to_contain_text("adjusted since")
    expect(page.get_by_role("heading", level=1)).to_contain_text("calibrated by its meter")
    expect(page.locator(".answer")).to_contain_text("doubtful")


@pytest.mark.parametrize("look", ["phone"])
def test_no_accessibility_violation(technician: Page, look: str) -> None:
    page = technician
    dressed(page, look)
    for path in ("/kit/", "/kit/new", "/kit/meters/new", "/rounds/sites/new"):
        page.goto(path)
        no_violations(page)
    for label in ("B-pH", "A-DO", "C-pH", "A-meter"):
        open_probe(page, label)
        no_violations(page)
