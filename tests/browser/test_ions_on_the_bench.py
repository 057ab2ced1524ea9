"""An ammonium tip on the simulated bench: a run to a reading, salt water refused."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect
from tests.browser.driving import all_so, give_up, no_violations, sign, take, take_once_stable


@pytest.fixture(scope="module")
def speed() -> float:
    """A tip takes minutes where other probes take seconds."""
    return 60.0


def begin(page: Page) -> None:
    """B-NH4's tip was changed this morning: it hydrates for a day, and is used with a reason."""
    page.goto("/bench/")
    page.get_by_role("link", name="Calibrate B-NH4").click()
    expect(page.locator("main")).to_contain_text("hydrate, then calibrate")
    page.locator("[name=despite]").fill("the spare tip stood in its standard for a day")
    page.get_by_text("High and low at room temperature", exact=True).click()
    page.get_by_role("button", name="Begin").click()


def point(page: Page) -> None:
    page.get_by_role("button", name="Probe is in").click()
    take_once_stable(page)


def typed(page: Page, signal: str, temperature_c: str) -> None:
    page.get_by_text("Type the reading by hand").click()
    page.get_by_label("Potential").fill(signal)
    page.locator("#temperature_c").fill(temperature_c)
    take(page, "Take the typed point")


def test_high_and_low_then_a_reading_through_the_waters_salts(technician: Page) -> None:
    page = technician
    begin(page)
    point(page)
    expect(page.locator(".steps")).to_contain_text("true value 46.20 mg/L")
    point(page)
    expect(page.locator("[data-code=slope]")).to_contain_text("sound from 84 to 110 %")
    expect(page.locator("[data-code=gap]")).to_contain_text(re.compile(r"5\d\.\d mV a decade, 9\d % of theory"))
    no_violations(page)
    sign(page)
    page.get_by_role("link", name="Take reading").click()
    page.get_by_label("Site", exact=True).select_option(label="Reed-bed outfall")
    page.get_by_role("button", name="Probe is in").click()
    expect(page.locator("#error-conductivity")).to_contain_text("The water's salts count")
    page.get_by_label("Specific conductance of the water").fill("2340")
    page.get_by_role("button", name="Probe is in").click()
    expect(page.locator("#error-conductivity")).to_contain_text("above 1500 µS/cm")
    page.get_by_label("Specific conductance of the water").fill("780")
    page.get_by_role("button", name="Probe is in").click()
    page.locator("[name=despite]").fill("only a test")
    take_once_stable(page)
    page.wait_for_url("**/ledger/readings/**")
    expect(page.locator(".answer .value")).to_have_text(re.compile(r"NH₄⁺-N \d+\.\d\d mg/L"))
    expect(page.locator(".working").first).to_contain_text("γ at 780 µS/cm = 0.893")
    expect(page.locator("main")).to_contain_text("a(NH₄⁺-N)")
    no_violations(page)


def test_temperatures_apart_and_swapped_standards_are_named(technician: Page) -> None:
    page = technician
    begin(page)
    typed(page, "262.1", "22.9")
    typed(page, "207.4", "22.0")
    expect(page.locator("#error-apart")).to_contain_text("a pair needs one temperature within 0.5 °C")
    page.locator("#apart_reason").fill("no time to wait")
    take(page, "Take the typed point")
    expect(page.locator("[data-code]").first).to_have_attribute("data-code", "pair-temperatures")
    give_up(page)
    begin(page)
    page.get_by_role("button", name="Probe is in").click()
    page.wait_for_selector("[data-settling=settling]")
    page.get_by_text("Simulated bench", exact=True).click()
    low = page.locator("#beaker option", has_text="4.62").first.get_attribute("value")
    page.locator("#beaker").select_option(low)
    page.get_by_role("button", name="Move the probe").click()
    expect(page.locator("[data-look]")).to_contain_text("It looks like")
    all_so(page)
    give_up(page)
