"""Shelf in a real browser: receive, open, use, discard; find by what a scanner reads; labels."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect
from tests.browser.driving import dressed, no_violations


def test_from_the_parcel_to_the_bin(technician: Page) -> None:
    page = technician
    page.goto("/shelf/new")
    page.get_by_label("Lot number").fill("T4-9001")
    page.get_by_label("Expires").fill("2026-01-01")
    page.get_by_role("button", name="Save lot").click()
    expect(page.locator("#error-nominal")).to_contain_text("Give its value")
    expect(page.locator("#error-expires_on")).to_contain_text("before it was received")
    expect(page.get_by_label("Lot number")).to_have_value("T4-9001")
    page.get_by_label("Family").select_option("ph-buffer/technical")
    page.get_by_label("Value at 25 °C").fill("4.01")
    page.get_by_label("Expires").fill("2027-06-01")
    page.get_by_label("How much").fill("500")
    page.get_by_role("button", name="Save lot").click()
    expect(page.locator(".standing")).to_contain_text("sound")
    page.get_by_role("button", name="Open today").click()
    expect(page.locator(".log").first).to_contain_text("Opened")
    page.get_by_label("Taken").fill("-3")
    page.get_by_role("button", name="Log use").click()
    expect(page.locator("#error-amount")).to_contain_text("from 0.1 to")
    page.get_by_label("Taken").fill("120")
    page.get_by_role("button", name="Log use").click()
    expect(page.locator(".lot-left")).to_contain_text("380 mL left")
    address = page.url
    page.get_by_role("link", name="Find").click()
    page.get_by_label("Label, serial or lot number").fill("t4-9001")
    page.keyboard.press("Enter")
    page.wait_for_url("**/shelf/lots/**")
    assert page.url == address
    page.get_by_role("link", name="Print its label").click()
    expect(page.locator(".labels svg.qr")).to_have_count(1)
    page.goto(address)
    page.get_by_label("Why", exact=True).fill("spilt")
    page.get_by_role("button", name="Discard").click()
    expect(page.locator("[data-code=discarded]")).to_be_visible()


@pytest.mark.parametrize("look", ["day"])
def test_no_accessibility_violation(technician: Page, look: str) -> None:
    page = technician
    dressed(page, look)
    for path in ("/shelf/", "/shelf/new", "/shelf/labels", "/find/?q=zzz", "/find/?q=pH"):
        page.goto(path)
        no_violations(page)
    page.goto("/shelf/")
    page.locator("a.title").first.click()
    page.wait_for_url("**/shelf/lots/**")
    no_violations(page)
