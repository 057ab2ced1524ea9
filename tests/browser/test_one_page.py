"""A handheld's whole run typed on one page by keyboard: as it comes, wrong ones marked, nothing lost."""

from __future__ import annotations

from playwright.sync_api import Page, expect
from tests.browser.driving import begin, dressed, no_violations, sign


def typed(page: Page, *texts: str) -> None:
    """Type into the field at hand, and go to the next by the tab key."""
    for text in texts:
        page.keyboard.type(text)
        page.keyboard.press("Tab")


def test_three_buffers_by_keyboard_alone(technician: Page) -> None:
    page = technician
    begin(page, "A-pH")
    page.get_by_role("link", name="Type the whole run on one page").press("Enter")
    page.locator("#neutral-signal").focus()
    typed(page, "2.9", "21.8", "")
    typed(page, "17x", "21.8", "")
    page.keyboard.press("Enter")  # on the field of the third
    expect(page.locator("#error-acid-signal")).to_contain_text("is not a number")
    expect(page.locator("#acid-signal")).to_have_value("17x")
    expect(page.locator("#acid-temperature_c")).to_have_value("21.8")
    expect(page.locator("#neutral-signal")).to_have_count(0)  # that one was taken
    expect(page.locator("main")).to_contain_text("+2.9 mV")
    no_violations(page)
    dressed(page, "phone-dusk")
    no_violations(page)
    page.locator("#acid-signal").fill("177.2")
    page.locator("#alkaline-signal").fill("-171.4")
    here = page.url
    page.goto("/kit/")  # the battery is empty, another page is opened: it is still there
    page.goto(here)
    expect(page.locator("#acid-signal")).to_have_value("177.2")
    expect(page.locator("#alkaline-signal")).to_have_value("-171.4")
    page.locator("#acid-temperature_c").fill("21.8")
    page.locator("#alkaline-temperature_c").fill("140")
    page.locator("#alkaline-temperature_c").press("Enter")
    expect(page.locator("#error-alkaline-temperature_c")).to_contain_text("from −5 to 105 °C")
    page.locator("#alkaline-temperature_c").fill("21.8")
    page.locator("#alkaline-temperature_c").press("Enter")
    expect(page.locator("#verdict")).to_contain_text("sound")
    sign(page)
    expect(page.locator("main")).to_contain_text("typed, judged by eye")
