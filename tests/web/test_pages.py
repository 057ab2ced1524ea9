"""The screens through Flask, on the real database: signing in, rights, errors, amendments."""

from __future__ import annotations

import html
import re
import uuid

import psycopg
import pytest
from flask.testing import FlaskClient
from tests.conftest import Urls
from tests.web.screens import BASE, enter, person_of_role, post, probe_id

from brumel import demo
from brumel.services.application import Services
from brumel.services.calibrating.rows import Begin
from brumel.services.ledger.records import Filter
from brumel.services.visits.visits import NewVisit
from brumel.store.models.reference import PersonRole
from brumel.web.app import WebSettings, create_app


def test_nothing_is_shown_to_strangers(client: FlaskClient) -> None:
    for path in ("/", "/bench/", "/rounds/", "/ledger/readings", "/ledger/readings.csv"):
        answer = client.get(path, base_url=BASE)
        assert answer.status_code == 302
        assert "/sign-in" in answer.location


def test_headers_and_cookie_are_strict(client: FlaskClient) -> None:
    enter(client, "technician")
    answer = client.get("/", base_url=BASE)
    policy = answer.headers["Content-Security-Policy"]
    assert "default-src 'none'" in policy
    assert "unsafe" not in policy
    assert "<script>" not in answer.text
    assert 'style="' not in answer.text
    cookie = post(client, "/sign-out").headers["Set-Cookie"]
    assert "Secure" in cookie
    assert "HttpOnly" in cookie


def test_the_demonstrations_sign_in_exists_only_there(services: Services) -> None:
    with create_app(services, WebSettings("test")).test_client() as real:
        assert "Hallow Reach" not in real.get("/sign-in", base_url=BASE).text
        assert post(real, "/sign-in/demo", role="technician").status_code == 404


def test_sign_in_is_throttled(client: FlaskClient, urls: Urls) -> None:
    with psycopg.connect(urls.owner) as owner:  # a longer wait than the slowest machine takes
        owner.execute(
            "INSERT INTO login_attempt (login, address, succeeded) SELECT 'oskar', 'far away', false "
            "FROM generate_series(1, 20)"
        )
    answer = post(client, "/sign-in", login="oskar", password=demo.PASSWORD)
    assert answer.status_code == 422
    assert "Too many attempts have failed: wait 15 min, then try again." in answer.text
    assert post(client, "/sign-in", login="mira", password=demo.PASSWORD).status_code == 302


def test_a_form_without_its_token_is_refused(client: FlaskClient) -> None:
    enter(client, "technician")
    assert client.post("/bench/new", base_url=BASE, headers={"Referer": BASE}).status_code == 400


def test_next_leads_nowhere_else(client: FlaskClient) -> None:
    for target in ("https://elsewhere.example/", "//elsewhere.example", "/\\elsewhere.example"):
        answer = post(client, "/sign-in/demo", role="technician", next=target)
        assert answer.location == "/"
        post(client, "/sign-out")


def test_a_reader_sees_and_does_not_record(client: FlaskClient, services: Services) -> None:
    enter(client, "reader")
    assert client.get("/ledger/readings", base_url=BASE).status_code == 200
    run = services.ledger.calibrations(Filter()).rows[0].run
    answer = post(client, f"/ledger/calibrations/{run.id}", id=uuid.uuid4(), reason="no", kind="withdrawal")
    assert answer.status_code == 403


def test_a_typed_reading_twice_is_one_and_is_amended_by_another(client: FlaskClient, services: Services) -> None:
    enter(client, "technician")
    site = services.states.sites()[0]
    state = next(s for s in services.states.probe_states() if s.probe.label == "A-pH")
    form = {
        "id": uuid.uuid4(), "site": site.id, "probe": state.probe.id, "source": "typed-signal", "signal": "12,5",
        "temperature_c": "21",
    }  # fmt: skip
    here = Filter(site_id=site.id)
    before = "".join(services.ledger.readings_csv(here)).count("\n")
    for _ in range(2):
        assert post(client, "/rounds/reading", **form).status_code == 302
    rows = services.ledger.readings(here).rows
    assert "".join(services.ledger.readings_csv(here)).count("\n") == before + 1
    assert rows[0].signal == 12.5
    amendment = form | {"id": uuid.uuid4(), "signal": "-12.5", "amends": form["id"]}
    assert "needs its reason" in post(client, "/rounds/reading", **amendment).text
    assert post(client, "/rounds/reading", **amendment, amend_reason="sign").status_code == 302
    assert services.ledger.readings(Filter(site_id=site.id)).rows[0].signal == -12.5
    assert "Amended" in client.get(f"/ledger/readings/{form['id']}", base_url=BASE).text
    again = amendment | {"id": uuid.uuid4(), "amend_reason": "once more"}
    assert post(client, "/rounds/reading", **again).status_code == 409


def test_a_form_that_names_somebody_else_records_who_is_signed_in(client: FlaskClient, services: Services) -> None:
    enter(client, "technician")
    probe, site = probe_id(services, "A-pH"), services.states.sites()[0].id
    other = person_of_role(services, PersonRole.SUPERVISOR).id
    forged = {"person": other, "person_id": other, "taken_by": other, "login": "oskar"}
    reading = {
        "id": uuid.uuid4(),
        "site": site,
        "probe": probe,
        "source": "typed-signal",
        "signal": "3",
        "temperature_c": "21",
    }
    assert post(client, "/rounds/reading", **reading, **forged).status_code == 302
    assert services.readings.view(reading["id"]).reading.person.login == "mira"
    care = {"id": uuid.uuid4(), "care": "soaked"}
    assert post(client, f"/kit/probes/{probe}/care", **care, **forged).status_code == 302
    assert services.kit.life(probe).happened.rows[0].by == "Mira Tolland"


@pytest.mark.parametrize(
    "path",
    ["/ledger/readings?kind=x&_external=1&_scheme=evil", "/bench/new?probe=x", "/rounds/reading?site=x"],
)
def test_bad_queries_do_not_break_a_page(client: FlaskClient, path: str) -> None:
    enter(client, "technician")
    assert client.get(path, base_url=BASE).status_code == 200


@pytest.mark.parametrize("page", ["x", "²", "１", "-1", "0", "9" * 30, ""])
@pytest.mark.parametrize("path", ["/ledger/readings?page=", "/ledger/calibrations?page="])
def test_a_page_that_can_not_be_is_not_there(client: FlaskClient, path: str, page: str) -> None:
    enter(client, "technician")
    answer = client.get(path + page, base_url=BASE)
    assert answer.status_code == 404
    assert "There is no such page." in answer.text


@pytest.mark.parametrize("after", ["²", "-1", "9" * 30, "x"])
def test_a_trace_that_can_not_be_is_not_there(client: FlaskClient, services: Services, after: str) -> None:
    enter(client, "technician")
    probe = probe_id(services, "A-pH")
    assert client.get(f"/live/{probe}/reading?after={after}", base_url=BASE).status_code == 404


@pytest.mark.parametrize("host", ["evil.example", "localhost:99999", "[::1", "127.0.0.1.evil.example"])
def test_under_another_name_nothing_is_answered_but_a_sentence(client: FlaskClient, host: str) -> None:
    answer = client.get("/sign-in", base_url=BASE, headers={"Host": host})
    assert answer.status_code == 400
    assert "not reached under that name" in answer.text
    assert "Location" not in answer.headers


@pytest.mark.parametrize("what", ["run", "beaker"])
def test_what_is_not_there_is_said(client: FlaskClient, services: Services, what: str) -> None:
    enter(client, "technician")
    run_id = uuid.uuid4()
    if what == "beaker":
        probe = probe_id(services, "B-ORP")
        choices = services.calibrations.choices(probe)
        (role, lots), *_ = choices.lots.items()
        person = person_of_role(services, PersonRole.TECHNICIAN)
        assert person
        begin = Begin(run_id, probe, "orp-check", "distilled-once", {role: lots[0].lot.id}, despite="only a test")
        services.calibrations.begin(begin, person)
    path = f"/bench/runs/{run_id}/immerse"
    answer = post(client, path, id=uuid.uuid4(), step="redox", beaker=uuid.uuid4())
    assert answer.status_code == 404
    assert "is not there: go back, reload the page and choose again" in answer.text


def test_where_no_response_is_found_nothing_is_offered_to_sign(client: FlaskClient, services: Services) -> None:
    enter(client, "technician")
    probe, person = probe_id(services, "A-EC"), person_of_role(services, PersonRole.TECHNICIAN)
    lot = next(c.lot.id for c in services.calibrations.choices(probe).lots["conductivity"] if c.lot.nominal == 1413)
    assert person
    begin = Begin(uuid.uuid4(), probe, "conductivity-one", "distilled-once", {"conductivity": lot}, despite="a test")
    services.calibrations.begin(begin, person)
    page = f"/bench/runs/{begin.run_id}"
    form = {"id": uuid.uuid4(), "step": "standard", "source": "typed", "signal": "0", "temperature_c": "22"}
    form |= {"meter_method": "none"}
    assert post(client, f"{page}/points", **form).status_code == 302
    shown = client.get(page, base_url=BASE).text
    assert "No response can be found: the probe gave 0.0 µS" in shown
    assert "There is nothing to sign: repeat the points" in shown
    assert "Sign as" not in shown
    assert "No response can be found" in html.unescape(post(client, f"{page}/sign").text)


@pytest.mark.parametrize("kind", ["readings", "calibrations"])
@pytest.mark.parametrize(
    ("query", "words"),
    [
        ("since=nonsense", "is not a date"),
        ("until=9999-12-31", "The year 9999 can't be meant"),
        ("since=0026-11-01", "The year 26 can't be meant"),
        ("since=2026-05-02&until=2026-05-01", "It ends before it begins"),
        ("probe=A-pH", "none of the list"),
        ("level=good", "no verdict"),
    ],
)
def test_a_filter_that_cannot_be_read_shows_and_exports_nothing(
    client: FlaskClient, kind: str, query: str, words: str
) -> None:
    enter(client, "technician")
    page = client.get(f"/ledger/{kind}?{query}", base_url=BASE)
    assert page.status_code == 422
    assert words in html.unescape(page.text)
    assert "Nothing is shown" in page.text
    for form in ("csv", "json"):
        assert client.get(f"/ledger/{kind}.{form}?{query}", base_url=BASE).status_code == 422


def test_unknown_records_are_not_found(client: FlaskClient) -> None:
    enter(client, "technician")
    for path in ("/bench/runs/", "/ledger/calibrations/", "/ledger/readings/"):
        assert client.get(f"{path}{uuid.uuid4()}", base_url=BASE).status_code == 404


def test_a_devices_values_are_mapped_on_its_meters_page(client: FlaskClient, services: Services) -> None:
    enter(client, "technician")
    probe = next(c.state.probe for c in services.kit.cards() if c.state.probe.label == "A-pH")
    page = f"/kit/meters/{probe.meter_id}/devices/{probe.device_id}"
    assert b"1 temperature, 2 mV" in client.get(f"/kit/meters/{probe.meter_id}", base_url=BASE).data
    assert b"selected>A-pH: its signal" in client.get(page, base_url=BASE).data  # known, for it reads one probe alone
    wrong = post(client, page, **{"position-1": f"signal:{probe.id}", "position-2": "heat:"})
    assert (wrong.status_code, b"Choose what this value is." in wrong.data) == (422, True)
    assert b"selected>A-pH: its signal" in wrong.data  # what was chosen stays
    missing = post(client, page, **{"position-1": f"signal:{probe.id}"})
    assert b"Its temperature is missing" in missing.data
    assert post(client, page, **{"position-1": f"signal:{probe.id}", "position-2": "temperature:"}).status_code == 302
    assert b"1 A-pH, mV, 2 temperature" in client.get(f"/kit/meters/{probe.meter_id}", base_url=BASE).data


@pytest.mark.parametrize(
    "place",
    ["", "&pressure=1004&pressure_unit=bar", "&pressure=1004&pressure_kind=guessed", "&pressure=3", "&pressure=x"],
)
def test_a_place_that_cannot_be_is_not_watched(client: FlaskClient, services: Services, place: str) -> None:
    enter(client, "technician")
    probe = next(s.probe for s in services.states.probe_states() if s.probe.label == "B-DO")
    site = next(s for s in services.states.sites() if s.code == "OYSTER")
    answer = client.get(f"/live/{probe.id}/reading?after=0&site={site.id}&salinity=32{place}", base_url=BASE)
    assert answer.status_code == 422


def test_a_person_reads_and_types_in_units_of_their_own(client: FlaskClient, services: Services) -> None:
    enter(client, "technician")
    assert post(client, "/units", **{"unit-°C": "°F", "unit-µS/cm": "mS/cm", "unit-hPa": "inHg"}).status_code == 302
    site = next(s for s in services.states.sites() if s.code == "TANK")
    visit = uuid.uuid4()
    post(client, "/visits/new", id=visit, site=site.id)
    page = client.get(f"/visits/{visit}", base_url=BASE).text
    assert "<option selected>°F" in page
    assert '<option value="inHg" selected>' in page
    post(client, f"/visits/{visit}", **{"temperature": "68", "unit-temperature": "°F", "id-temperature": uuid.uuid4()})
    page = client.get(f"/visits/{visit}", base_url=BASE).text
    assert "<b>68.0</b> °F" in " ".join(page.split())
    assert "±0.9" in page  # ±0.5 °C has no offset
    reading = services.visits.view(visit).readings[0]
    assert (reading.value, reading.unit, reading.typed_as) == (20.0, "°C", "68 °F")
    assert post(client, "/units", **{"unit-°C": "furlong"}).status_code == 422
    post(client, "/units")
    page = client.get(f"/visits/{visit}", base_url=BASE).text
    assert "<b>20.0</b> °C" in " ".join(page.split())


def test_a_visit_asks_why_a_probe_that_is_not_ready_is_used_and_takes_the_reason(
    client: FlaskClient, services: Services
) -> None:
    enter(client, "technician")
    site = next(s for s in services.states.sites() if s.code == "SPRING")
    visit, probe = uuid.uuid4(), probe_id(services, "A-DO")  # its membrane was changed a moment ago
    post(client, "/visits/new", id=visit, site=site.id)
    form = {
        "temperature": "8.5", "id-temperature": uuid.uuid4(), "oxygen": "10.1", "id-oxygen": uuid.uuid4(),
        "with-oxygen": f"probe:{probe}", "pressure": "940", "id-pressure": uuid.uuid4(),
    }  # fmt: skip
    refused = post(client, f"/visits/{visit}", **form)
    assert refused.status_code == 422
    assert 'name="despite"' in refused.text
    assert "Or say why you read with it as it is" in html.unescape(refused.text)
    assert services.visits.view(visit).readings == []
    assert post(client, f"/visits/{visit}", **form, despite="a comparison").status_code == 302
    found = [f.code for r in services.visits.view(visit).readings for f in r.findings]
    assert "used-all-the-same" in found
    page = client.get(f"/visits/{visit}", base_url=BASE).text
    for reading in services.visits.view(visit).readings:  # the pressure too
        assert (f"/visits/readings/{reading.id}/amend" in page) == (reading.source != "derived"), reading.quantity


def test_spares_that_nobody_used_come_last_today_and_first_where_nothing_is_in_use(services: Services) -> None:
    states = services.states.probe_states()
    steps = [s.title for s in services.today.day().steps]
    assert steps.index("Calibrate B-pH") < steps.index("Read Shrimp pond")
    assert steps[-2:] == ["Calibrate C-DO", "Calibrate C-EC"]
    fresh = [s.title for s in services.today._worked_out([s for s in states if not s.in_use]).steps]
    assert fresh.index("Calibrate C-DO") < next(n for n, words in enumerate(fresh) if words.startswith("Read "))


AIR = {"pressure": "1009", "pressure_unit": "hPa", "pressure_kind": "station"}


@pytest.fixture
def pond_visit(services: Services, client: FlaskClient) -> uuid.UUID:
    """A visit to the shrimp pond, which is salt: nothing read yet."""
    enter(client, "technician")
    anna = services.people.add(f"anna-{uuid.uuid4().hex[:8]}", "Anna Weir", "technician", "a long password")
    pond = next(s for s in services.states.sites() if s.name == "Shrimp pond")
    return services.visits.open(NewVisit(uuid.uuid4(), pond.id), anna)


def tiles(text: str) -> dict[str, str]:
    """The words of each probe's tile, by its label."""
    parts = html.unescape(text).split('<section aria-labelledby="tile-')[1:]
    return {part.split('<span class="soft small">')[1].split("<")[0]: part.split("</section>")[0] for part in parts}


def test_oxygen_goes_into_no_water_without_its_pressure(
    services: Services, client: FlaskClient, pond_visit: uuid.UUID
) -> None:
    chosen = [str(probe_id(services, label)) for label in ("A-pH", "B-DO")]
    answer = post(client, f"/visits/{pond_visit}/at-once/immerse", probe=chosen)
    assert answer.status_code == 422
    assert "Give the pressure" in html.unescape(answer.text)
    assert "<details open> <summary>Air pressure" in " ".join(answer.text.split())
    assert all(f'value="{key}" checked' in answer.text for key in chosen)
    assert post(client, f"/visits/{pond_visit}/at-once/immerse", probe=chosen[:1]).status_code == 302
    given = AIR | {"id-pressure": str(uuid.uuid4())}
    assert post(client, f"/visits/{pond_visit}/at-once/immerse", probe=chosen, **given).status_code == 302


def test_the_next_depth_takes_every_probe_of_the_dip(
    services: Services, client: FlaskClient, pond_visit: uuid.UUID
) -> None:
    ph, salts = (str(probe_id(services, label)) for label in ("A-pH", "A-EC"))
    key = str(uuid.uuid4())
    post(client, f"/visits/{pond_visit}", temperature="28.6", **{"id-temperature": key})  # A-pH's, sent before
    sent: dict[str, object] = {f"id-{ph}": key, f"id-{salts}": str(uuid.uuid4()), "probe": [ph, salts]}
    place = f"/visits/{pond_visit}/at-once/record"
    answer = post(client, place, dip=[f"{ph}:0", f"{salts}:9999"], then="deeper", **sent)
    assert (answer.status_code, set(tiles(answer.text))) == (422, {"A-EC"})
    assert re.search('until-stable" role="alert">No sample has come', tiles(answer.text)["A-EC"])
    again = re.findall(r'name="probe" value="([^"]+)"', answer.text)
    assert set(again) == {ph, salts}
    deeper = post(client, place, dip=[f"{ph}:0"], then="deeper", **sent | {"probe": again})
    assert set(re.findall(r"dip=([0-9a-f-]+)", deeper.location)) == {ph, salts}


def test_a_value_that_leans_on_salts_says_so_in_its_tile_until_they_are_read(
    services: Services, client: FlaskClient, pond_visit: uuid.UUID
) -> None:
    dips = "&".join(f"dip={probe_id(services, label)}:0" for label in ("A-pH", "B-DO"))
    assert post(client, f"/visits/{pond_visit}", **AIR | {"id-pressure": str(uuid.uuid4())}).status_code == 302
    found = tiles(client.get(f"/visits/{pond_visit}/at-once?{dips}", base_url=BASE).text)
    assert "This water is salt: give its salinity, or read its conductivity with a probe first" in found["B-DO"]
    assert ["signal=1" in found[label] for label in ("B-DO", "A-pH")] == [True, False]
    assert "<small>1/ms</small>" in found["B-DO"]
    salt = {
        "temperature": "28.6",
        "id-temperature": str(uuid.uuid4()),
        "specific-conductance": "28300",
        "with-specific-conductance": f"probe:{probe_id(services, 'A-EC')}",
        "id-specific-conductance": str(uuid.uuid4()),
    }
    assert post(client, f"/visits/{pond_visit}", **salt).status_code == 302
    found = tiles(client.get(f"/visits/{pond_visit}/at-once?{dips}", base_url=BASE).text)
    assert ["signal=1" in found["B-DO"], "<small>mg/L</small>" in found["B-DO"]] == [False, True]
