"""Reckon in a real browser: found by what one has, answered at every keystroke, sent on to a reading."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect
from tests.browser.driving import choose, dressed, no_violations


def test_from_what_one_has_to_the_answer(technician: Page) -> None:
    page = technician
    page.get_by_role("link", name="Reckon").click()
    page.locator(".tag", has_text="conductivity").click()
    page.wait_for_url("**have=conductivity**")
    page.locator(".tag", has_text="temperature").click()
    page.wait_for_url("**have=temperature**")
    page.get_by_label("I want").select_option("Practical salinity")
    page.wait_for_url("**want=**")
    offers = page.locator(".offers li")
    expect(offers.first).to_contain_text("you have all it needs")
    offers.first.get_by_role("link").click()
    page.get_by_label("Conductivity at the sample's temperature", exact=True).press_sequentially("53.07")
    expect(page.locator("[data-answer]")).to_contain_text("Type temperature")
    page.get_by_label("Temperature", exact=True).press_sequentially("25")
    expect(page.locator(".answers .first dd")).to_contain_text("34.999")
    expect(page.locator(".working li").last).to_contain_text("PSS-78 at 25.0 °C")
    expect(page.locator("svg.curve circle.here")).to_be_visible()
    page.get_by_label("Unit of temperature").select_option("°F")
    page.get_by_label("Temperature", exact=True).fill("77")
    expect(page.locator(".answers .first dd")).to_contain_text("34.999")
    page.reload()
    expect(page.locator(".answers .first dd")).to_contain_text("34.999")
    expect(page.get_by_label("Temperature", exact=True)).to_have_value("77")


def test_what_the_meter_did_is_undone_first(technician: Page) -> None:
    page = technician
    page.goto("/reckon/conductivity-at-reference?conductivity_us_cm=500&temperature_c=10&method=natural-water")
    expect(page.locator(".answers .first dd")).to_contain_text("714.0")
    expect(page.get_by_label("The meter's coefficient", exact=True)).to_be_hidden()
    page.get_by_label("Its compensation").select_option("linear")
    expect(page.locator("[data-error-for=meter_coefficient_percent_per_c]")).to_contain_text("always names it")
    page.get_by_label("The meter's coefficient", exact=True).press_sequentially("2")
    expect(page.locator(".answers .first dd")).to_contain_text("499.8")
    expect(page.locator(".working")).to_contain_text("undone, 500 becomes 350")


def test_a_bad_value_gets_its_sentence_and_stays(technician: Page) -> None:
    page = technician
    page.goto("/reckon/oxygen-saturation")
    page.get_by_label("Temperature", exact=True).press_sequentially("45")
    expect(page.locator("[data-error-for=temperature_c]")).to_contain_text("from 0 to 40 °C; 45 lies outside")
    expect(page.get_by_label("Temperature", exact=True)).to_have_value("45")
    expect(page.get_by_label("Temperature", exact=True)).to_have_attribute("aria-invalid", "true")
    page.get_by_label("Temperature", exact=True).fill("20")
    expect(page.locator("[data-error-for=temperature_c]")).to_be_empty()
    expect(page.locator("[data-answer]")).to_contain_text("Type station pressure or altitude")
    page.get_by_label("Station pressure").first.fill("1013,25")
    expect(page.locator(".answers .first dd")).to_contain_text("9.09 mg/L")


def test_what_is_likely_wrong_is_asked_beside_the_answer(technician: Page) -> None:
    page = technician
    page.goto("/reckon/oxygen-saturation?temperature_c=20")
    page.get_by_label("or altitude").fill("630")
    expect(page.locator(".answers .first dd")).to_contain_text("8.42 mg/L")
    expect(page.locator(".ask-back")).to_contain_text("from 630 m of altitude")
    page.get_by_label("or altitude").fill("")
    page.get_by_label("Station pressure").first.fill("760")
    expect(page.locator(".ask-back")).to_contain_text("was mmHg meant")
    no_violations(page)
    page.get_by_label("Station pressure").first.fill("1,013")
    expect(page.locator("[data-error-for=pressure_hpa]")).to_contain_text("write 1013 for thousands, or 1.013")
    expect(page.get_by_label("Station pressure").first).to_have_value("1,013")


def test_the_answer_goes_on_to_a_site_reading(technician: Page) -> None:
    page = technician
    page.goto("/reckon/ph-from-millivolts?mv=-20&temperature_c=18&slope_percent=98&offset_mv=3")
    page.get_by_role("link", name="Use in a site reading").click()
    choose(page, "site", "Oyster nursery")
    choose(page, "probe", "A-pH")
    expect(page.get_by_label("Potential")).to_have_value("-20")
    expect(page.get_by_label("Temperature of the water")).to_have_value("18")
    expect(page.get_by_label("Note")).to_have_value("pH from millivolts: 7.41")


def test_points_and_times_are_typed(technician: Page) -> None:
    page = technician
    page.goto("/reckon/electrode-fit")
    for n, row in enumerate((("7.00", "3", "25"), ("4.01", "178", "25"))):
        for label, text in zip(("pH", "Potential", "Temperature"), row, strict=True):
            page.get_by_label(f"{label} of point {n + 1}").fill(text)
    expect(page.locator(".answers .first dd")).to_contain_text("98.9 % of Nernst")
    page.goto("/reckon/night-oxygen?evening_mg_l=10&later_mg_l=8.5&limit_mg_l=6")
    for label, text in (
        ("#evening_at", "2026-05-06T19:00"),
        ("#later_at", "2026-05-06T22:00"),
        ("#dawn_at", "2026-05-07T05:00"),
    ):
        page.locator(label).fill(text)
    expect(page.locator(".answers")).to_contain_text("2026-05-07T03:00:00+00:00")


@pytest.mark.parametrize("look", ["dusk"])
def test_no_accessibility_violation(technician: Page, look: str) -> None:
    page = technician
    dressed(page, look)
    for path in (
        "/reckon/",
        "/reckon/?have=pH&want=Resistivity",
        "/reckon/salinity",
        "/reckon/formulas",
        "/reckon/electrode-fit",
        "/reckon/oxygen-percent?oxygen_mg_l=6.1&temperature_c=18&temperature_c_u=0.2",
        "/reckon/oxygen-saturation?temperature_c=99",
    ):
        page.goto(path)
        no_violations(page)
