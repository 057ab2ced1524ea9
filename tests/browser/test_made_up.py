"""A quantity, principle, kind, care and method that nobody has: data files and one module, and nothing else."""

from __future__ import annotations

import csv
import threading
from collections.abc import Iterator
from contextlib import ExitStack
from datetime import timedelta
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect
from tests.browser.driving import sign_in
from tests.browser.made_up.sensing import Glow
from tests.conftest import CLOCK, Urls
from werkzeug.serving import make_server

from brumel.core import tables
from brumel.core.sensing import principles
from brumel.core.sensing.follows import ReadAs
from brumel.core.sensing.shows import Signs, nothing
from brumel.launch.cluster import APPLICATION
from brumel.services.application import Services
from brumel.services.people import INVENTED, INVENTED_PASSWORD, PersonRole
from brumel.services.probes import what_it_is
from brumel.store import schema
from brumel.store.database import Database
from brumel.web.app import WebSettings, create_app

FOLDER = Path(__file__).parent / "made_up"


@pytest.fixture(scope="module")
def place(database: Database, urls: Urls) -> Iterator[str]:
    """The application with the made-up tables and principle, in this process."""
    with ExitStack() as stack:
        stack.enter_context(tables.added(FOLDER))
        stack.enter_context(principles.added(Glow(), Signs(nothing), ReadAs()))
        services = Services.over(database, CLOCK)
        services.people.add(*INVENTED[PersonRole.TECHNICIAN], PersonRole.TECHNICIAN, INVENTED_PASSWORD)
        schema.upgrade(urls.owner, APPLICATION)  # as a start does: the schema learns what can be recorded of it
        server = make_server("127.0.0.1", 0, create_app(services, WebSettings("test", demo=True)), threaded=True)
        thread = threading.Thread(target=server.serve_forever)
        thread.start()
        yield f"http://127.0.0.1:{server.server_port}"
        server.shutdown()
        thread.join()


@pytest.fixture
def technician(browser: Browser, place: str) -> Iterator[Page]:
    page = browser.new_page(base_url=place)
    sign_in(page)
    yield page
    page.close()


def receive(page: Page, number: str, value: str) -> None:
    page.goto("/shelf/new")
    page.locator("[name=standard]").select_option("glow")
    page.locator("[name=nominal]").fill(value)
    page.locator("[name=lot_number]").fill(number)
    page.locator("[name=expires_on]").fill("2027-01-01")
    page.locator("main button.btn-primary").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Glow standard")


def test_it_is_calibrated_read_and_exported(technician: Page) -> None:
    page = technician
    receive(page, "G-5", "5")
    receive(page, "G-500", "500")
    page.goto("/kit/new")
    for name, text in (("label", "G-eye"), ("serial", "G-1"), ("kit", "Kit A"), ("in_service_on", "2026-01-01")):
        page.locator(f"[name={name}]").fill(text)
    page.locator("[name=kind]").select_option("glow-eye")
    page.get_by_role("button", name="Save").click()
    page.goto("/rounds/sites/new")
    for name, text in (("code", "CAVE"), ("name", "The cave"), ("water_kind", "cave"), ("visit_every_days", "1"),
                       ("low-glow", "100"), ("high-glow", "400")):  # fmt: skip
        page.locator(f"[name={name}]").fill(text)
    page.get_by_role("button", name="Enter it").click()

    page.goto("/bench/")
    page.get_by_role("link", name="Calibrate G-eye").click()
    expect(page.locator("main")).to_contain_text("Dim, then bright")
    page.get_by_role("button", name="Begin").click()
    for current in ("11,1", "1003"):  # zero 1.0 nA; gain 2.004 nA/gu
        page.locator("[name=signal]").fill(current)
        page.locator("[name=temperature_c]").fill("20")
        page.get_by_role("button", name="Take the typed point").click()
    expect(page.get_by_role("heading", name="Verdict")).to_be_visible()
    expect(page.locator("svg.figure")).to_contain_text("nA against glow")
    expect(page.locator("[data-code=gain]")).to_contain_text("sound from 1.8 to 2.2 nA/gu")
    page.get_by_role("button", name="Sign as").click()
    expect(page.locator(".answer")).to_contain_text("nA/gu")

    page.get_by_role("link", name="Take reading").click()
    page.get_by_label("Site", exact=True).select_option(label="The cave")
    page.locator("[name=signal]").fill("401")
    page.locator("[name=temperature_c]").fill("12")
    page.get_by_role("button", name="Record").click()
    expect(page.locator(".answer .value")).to_have_text("glow 199.6 gu")
    expect(page.locator(".working")).to_contain_text("glow = (401.0 − ")
    expect(page.locator(".working")).to_contain_text("No lamp was near.")

    page.goto("/")
    expect(page.locator("main")).to_contain_text("glow 199.6 gu")
    page.goto("/ledger/readings?quantity=glow")
    with page.expect_download() as download:
        page.get_by_role("link", name="CSV").click()
    (row,) = csv.DictReader(Path(download.value.path()).read_text().splitlines())
    assert (row["quantity"], row["unit"], row["signal_unit"], row["site"]) == ("glow", "gu", "nA", "CAVE")
    assert float(row["value"]) == pytest.approx(199.6, abs=0.1)


def test_its_meter_keeps_one_and_its_own_care_starts_its_wait(technician: Page, database: Database) -> None:
    page = technician
    page.goto("/bench/")
    page.get_by_role("link", name="Calibrate G-eye").click()
    page.get_by_role("link", name="Its meter adjusts itself?").click()
    page.get_by_label("Lot").select_option(label="glow standard 5 gu (lot G-5)")
    page.get_by_label("Temperature").fill("24")
    page.get_by_label("As found").fill("5.3")
    page.get_by_label("Gain").fill("2.1")
    page.get_by_role("button", name="Sign as").click()
    expect(page.locator("main")).to_contain_text("+6.0 % off")
    expect(page.locator(".answer")).to_contain_text("doubtful")
    page.goto("/kit/")
    page.get_by_role("link", name="G-eye").first.click()
    page.get_by_label("What was done").select_option(label="Eye changed")
    page.get_by_role("button", name="Save care").click()
    expect(page.locator("main")).to_contain_text("Eye changed")
    page.goto("/bench/")
    expect(page.locator(".rows")).to_contain_text("Eye changed: let it wake, then calibrate.")
    probe = next(s.probe for s in Services.over(database, CLOCK).states.probe_states() if s.probe.label == "G-eye")
    with database.session() as session:  # a calibration of before then counts no more, for readings too
        assert what_it_is.voided_by(session, probe, CLOCK.now() - timedelta(hours=1), CLOCK.now()) == "eye changed"
