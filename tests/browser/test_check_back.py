"""Back from the round: from Today through one probe, as it came and cleaned, to what the day was worth."""

from __future__ import annotations

from playwright.sync_api import Page, expect
from tests.browser.driving import PHONE, no_violations, sign, take_point, too_wide


def check_back(page: Page, label: str, standards: int) -> None:
    """Read each standard as the probe came, clean it, read each once more, sign."""
    page.goto("/bench/back")
    page.get_by_role("link", name=f"Check back {label}").click()
    expect(page.get_by_role("radio", name="Check back")).to_be_checked()
    page.get_by_role("button", name="Begin").click()
    for _ in range(standards):
        take_point(page)
    expect(page.locator("li.current")).to_contain_text("no cleaning solution")
    page.get_by_role("button", name="Done").click()
    for _ in range(standards):
        take_point(page)
    sign(page)


def test_what_the_day_was_worth(technician: Page) -> None:
    page = technician
    line = page.get_by_role("link", name="Check back: Back from the round")
    expect(line).to_contain_text("check 1 probe")
    line.click()
    no_violations(page)
    check_back(page, "A-pH", 2)
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("Check back of A-pH")
    expect(page.locator("[data-code=dirt]")).to_have_count(2)
    expect(page.locator("[data-code=drift]").first).to_contain_text("in the calibration's own lot")
    expect(page.locator("dl.facts")).to_contain_text("Read as it came, before anything was adjusted.")
    no_violations(page)
    page.goto("/bench/back")
    expect(page.get_by_role("link", name="Checked Wed 6 May")).to_be_visible()
    page.set_viewport_size(PHONE)
    assert not too_wide(page)
    words = page.get_by_text("Drift in buffer 7.00").bounding_box()
    assert words is not None
    assert words["width"] > PHONE["width"] / 2, "a long button once left a word a line"
    no_violations(page)
    page.goto("/")
    expect(page.get_by_text("Back from the round")).to_have_count(0)
