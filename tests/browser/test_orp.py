"""ORP on the simulated bench: check, offset, typed, a drifted reference, Eh; a thermometer in baths."""

from __future__ import annotations

import csv
import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect
from tests.browser.driving import ail, give_up, no_violations, take_once_stable, take_point


def begin(page: Page, procedure: str = "Check only") -> None:
    page.goto("/bench/")
    page.get_by_role("link", name="Check B-ORP").click()
    page.get_by_text(procedure, exact=True).click()
    page.get_by_role("button", name="Begin").click()


def sign(page: Page) -> None:
    page.get_by_role("button", name="Sign as").click()
    page.wait_for_url("**/ledger/calibrations/**")


@pytest.fixture
def healthy(technician: Page) -> Iterator[Page]:
    yield technician
    begin(technician)
    ail(technician, "none")
    technician.locator("summary", has_text="Cancel calibration").click()
    technician.locator("#reason").fill("only to mend the probe")
    technician.get_by_role("button", name="Cancel calibration").click()


def test_a_check_and_a_reading_that_is_taken_before_it_is_stable(technician: Page) -> None:
    page = technician
    begin(page)
    expect(page.locator(".steps")).to_contain_text("Redox standard 220 mV")
    take_point(page)
    expect(page.get_by_role("heading", name="Verdict")).to_contain_text("sound")
    expect(page.locator("[data-code=check-residual]")).to_contain_text("sound within ±15 mV")
    expect(page.locator("svg.figure")).to_contain_text("mV against ORP")
    assert "+0.0" not in (page.locator("svg.figure").text_content() or "")  # no bottle is exactly what its label says
    no_violations(page)
    sign(page)
    expect(page.locator(".facts")).to_contain_text("Ag/AgCl, KCl 3 mol/L")
    page.get_by_role("link", name="Take reading").click()
    page.get_by_label("Site", exact=True).select_option(label="Training pool")
    expect(page.locator("main")).to_contain_text("over 10 to 30 minutes")
    page.get_by_role("button", name="Probe is in").click()
    page.wait_for_selector("[data-settling=settling]")
    expect(page.get_by_role("button", name="Record").first).to_be_disabled()
    page.keyboard.press("r")  # too early: it once did nothing and said nothing
    expect(page.locator("[data-early]")).to_contain_text("Not stable yet")
    expect(page.get_by_label("Because", exact=True)).to_be_focused()
    page.get_by_label("Because", exact=True).fill("the pool opens at ten")
    page.get_by_role("button", name="Record").first.click()
    page.wait_for_url("**/ledger/readings/**")
    expect(page.locator(".answer .value")).to_have_text(re.compile(r"ORP \d+ mV"))
    expect(page.locator("main")).to_contain_text("against the standard hydrogen electrode")
    expect(page.locator("[data-code=not-settled]")).to_be_visible()
    page.goto("/ledger/readings?quantity=orp")
    with page.expect_download() as download:
        page.get_by_role("link", name="CSV").click()
    newest = next(csv.DictReader(Path(download.value.path()).read_text().splitlines()))
    assert (newest["quantity"], newest["unit"], newest["reference"]) == ("orp", "mV", "ag-agcl-3m")
    assert newest["derived"].startswith("eh ")
    assert "the pool opens at ten" in newest["note"]


def test_an_offset_is_typed_by_hand(technician: Page) -> None:
    page = technician
    begin(page, "One offset")
    page.get_by_text("Type the reading by hand").click()
    page.locator("[name=signal]").fill("1,221")
    page.locator("[name=temperature_c]").fill("20")
    page.get_by_role("button", name="Take the typed point").click()
    expect(page.locator("#error-signal")).to_contain_text("can be read in two ways")
    expect(page.locator("[name=temperature_c]")).to_have_value("20")
    page.locator("[name=signal]").fill("221,5")
    page.locator("[name=temperature_c]").fill("20")
    page.get_by_role("button", name="Take the typed point").click()
    expect(page.locator("[data-code=offset]")).to_contain_text("sound within ±15 mV")
    sign(page)
    expect(page.locator(".answer")).to_contain_text("−8.1 mV")


def test_a_drifted_reference_is_named_and_no_sound_mark_stands_beside_it(healthy: Page) -> None:
    page = healthy
    begin(page)
    ail(page, "drifted reference")
    take_point(page)
    expect(page.locator("[data-code=reference-drifted]")).to_contain_text("the reference has drifted")
    expect(page.locator(".steps svg.drop.tone-sound")).to_have_count(0)
    expect(page.get_by_role("heading", name="Verdict")).to_contain_text("unfit")
    sign(page)


def test_a_thermometer_in_three_baths_and_knocked(technician: Page) -> None:
    """The smallest principle of all, beside a traceable one: its target is what that shows."""
    page = technician
    page.goto("/bench/")
    page.get_by_role("link", name="Check A-T").click()
    page.get_by_role("button", name="Begin").click()
    page.get_by_role("button", name="Probe is in").click()
    take_once_stable(page)
    expect(page.locator("#error-reference")).to_contain_text("is missing: type it in °C")
    no_violations(page)
    page.locator("#reference").fill("0,02")
    page.get_by_role("button", name="Take the point").click()
    expect(page.locator(".steps")).to_contain_text("by Traceable thermometer 0.02 °C")
    ail(page, "off after a knock")
    for shown in ("20.0", "38.0"):
        page.get_by_role("button", name="Probe is in").click()
        page.locator("#reference").fill(shown)
        take_once_stable(page)
    expect(page.get_by_role("heading", name="Verdict")).to_contain_text("unfit")
    expect(page.locator("[data-code=offset]")).to_contain_text("sound within ±0.2 °C")
    page.get_by_role("link", name=re.compile("^Repeat")).first.click()
    page.get_by_role("button", name="Probe is in").click()
    ail(page, "none")
    give_up(page)
