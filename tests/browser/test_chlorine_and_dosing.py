"""A chlorine tip beside a photometer, and an electrode that doses acid: paused, checked, handed back."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect
from tests.browser.driving import ail, begin, give_up, no_violations, sign, take, take_once_stable, take_point


def done(page: Page, *titles: str) -> None:
    for title in titles:
        current = page.locator("li.current .title")
        expect(current).to_have_text(title)
        page.keyboard.press("d")
        expect(current).not_to_have_text(title)


def compared(page: Page, shown: str) -> None:
    """From the self-zero to the comparison with what the photometer shows, keys and one field."""
    done(page, "Self-zero", "One sample for both", "Tablet")
    expect(page.locator("[data-countdown]")).to_have_attribute("data-countdown", "20")
    expect(page.locator("[data-countdown] b")).to_have_text(re.compile(r"1\d s"))
    no_violations(page)
    done(page, "Shake")
    page.keyboard.press("p")
    expect(page.locator("[data-countdown]")).to_have_attribute("data-countdown", "10")
    page.get_by_label("The reference shows").first.fill(shown)
    take_once_stable(page)


def test_a_tip_agrees_with_the_photometer_and_one_touched_tablet_does_not(technician: Page) -> None:
    page = technician
    begin(page, "B-Cl")
    compared(page, "1.30")
    expect(page.locator("[data-code=agreement]")).to_contain_text("They agree: E_n")
    sign(page)
    expect(page.locator("main")).to_contain_text("beside it 1.30 mg/L")
    expect(page.locator("main")).not_to_contain_text(re.compile(r"\bsafe\b", re.I))
    begin(page, "B-Cl")
    ail(page, "tablet touched by fingers")
    compared(page, "1.30")
    first = page.locator("[data-code]").first
    expect(first).to_have_attribute("data-code", "agreement")
    expect(first).to_contain_text("They disagree: E_n")
    expect(first).to_contain_text("a fresh sample and a new tablet")
    no_violations(page)
    ail(page, "none")
    give_up(page)


def test_what_a_photometer_shows_is_asked_in_its_field(technician: Page) -> None:
    page = technician
    begin(page, "B-Cl")
    done(page, "Self-zero", "One sample for both", "Tablet", "Shake")
    page.get_by_text("Type the reading by hand").click()
    page.get_by_label("Value shown").fill("1.2")
    page.locator("#temperature_c").fill("24")
    page.locator("#reference-typed").fill("12,345")
    page.get_by_role("button", name="Take the typed point").click()
    expect(page.locator("#error-reference")).to_contain_text("can be read in two ways")
    expect(page.get_by_label("Value shown")).to_have_value("1.2")
    page.locator("#reference-typed").fill("1.25")
    take(page, "Take the typed point")
    expect(page.locator("[data-code=agreement]")).to_contain_text("They agree")
    give_up(page)


def test_the_acid_stays_off_until_a_check_has_passed(technician: Page) -> None:
    page = technician
    page.goto("/bench/")
    page.get_by_role("link", name="Calibrate G-pH").click()
    expect(page.locator("main")).to_contain_text("It steers the acid dosing of the nutrient reservoir")
    page.get_by_text("One point", exact=True).click()
    page.get_by_role("button", name="Begin").click()
    expect(page.locator("li.current")).to_contain_text("Pause the acid dosing of the nutrient reservoir before")
    page.get_by_label("Paused by").fill("Wren at the panel")
    no_violations(page)
    page.get_by_role("button", name="It is paused").click()
    take_point(page)
    ail(page, "cracked")  # it gives the same in every liquid
    page.get_by_role("button", name="Probe is in").click()
    take_once_stable(page)
    page.get_by_role("button", name="Handed back").click()
    expect(page.locator("#error-step")).to_contain_text("Hand back only after a check has passed")
    no_violations(page)
    page.goto("/")
    first = page.locator(".now")
    expect(first).to_contain_text("Hand the acid dosing of the nutrient reservoir back")
    expect(first).to_contain_text("Wren at the panel")
    first.get_by_role("link", name="Continue").click()
    ail(page, "none")
    page.get_by_role("link", name=re.compile("Repeat")).nth(1).click()
    page.get_by_role("button", name="Probe is in").click()
    take_once_stable(page)
    page.get_by_role("button", name="Handed back").click()
    sign(page)
    page.goto("/")
    expect(page.locator("main")).not_to_contain_text("Hand the acid dosing")


def test_an_unrinsed_combined_solution_is_named_with_its_size(technician: Page) -> None:
    page = technician
    page.goto("/bench/")
    page.get_by_role("link", name="Calibrate G-EC").click()
    page.get_by_text("One combined solution", exact=True).click()
    page.get_by_role("button", name="Begin").click()
    page.get_by_role("button", name="It is paused").click()
    page.get_by_label("Conductivity as shown").fill("2290")
    page.locator("#temperature_c").fill("20")
    page.get_by_text("Done otherwise", exact=True).click()
    page.get_by_label("Rinse skipped").check()
    take(page, "Take the typed point")
    expect(page.locator("#error-deviation_reason")).to_contain_text("Say in a few words why")
    expect(page.get_by_label("Conductivity as shown")).to_have_value("2290")
    page.locator("#deviation_reason-typed").fill("no water left")
    take(page, "Take the typed point")
    deviation = page.locator("[data-code=deviation]")
    expect(deviation).to_contain_text("rinse skipped; because: no water left")
    expect(deviation).to_contain_text("left in it puts it off by −0.8 %")
    expect(page.locator("[data-code=leaves-open]")).to_contain_text("every range but this one")
    give_up(page)
