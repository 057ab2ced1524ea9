"""Whatever is sent to the forms of kit, shelf, plan and sites: a sentence in its field, nothing stored or broken."""

from __future__ import annotations

import html
import uuid
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from flask.testing import FlaskClient
from tests.web.screens import BASE, enter, post, probe_id
from werkzeug.datastructures import MultiDict

from brumel.services.application import Services
from brumel.services.visits.visits import NewVisit
from brumel.web.forms import Typed


@pytest.fixture(scope="module")
def places(services: Services) -> dict[str, object]:
    tess = services.people.add("tess", "Tess Ferrow", "technician", "a long password")
    return {
        "ec": probe_id(services, "A-EC"),
        "do": probe_id(services, "A-DO"),
        "ph": probe_id(services, "A-pH"),
        "lot": next(e.lot.id for e in services.shelf.entries() if e.lot.lot_number == "C14-0902"),
        "round": services.planned.ahead()[0].id,
        "site": services.states.sites()[0].id,
        "visit": services.visits.open(NewVisit(uuid.uuid4(), services.states.sites()[0].id), tess),
    }


@pytest.fixture(autouse=True)
def signed_in(client: FlaskClient) -> None:
    enter(client, "technician")


LOT = {"standard": "conductivity", "nominal": "1413", "lot_number": "L", "expires_on": "2027-01-01", "pack": "bottle"}
METER = {"label": "x", "serial": "y", "kit": "k", "in_service_on": "2026-01-01", "takes": "orp"}
SITE = {"code": "X", "name": "b", "water_kind": "c", "visit_every_days": "1"}
ROUND = {"departure": "2026-05-07T08:00", "kit": "Kit B", "rinse": "distilled-once"}
EC = {"label": "A-EC", "kit": "Kit A", "own_label": "1"}

NEW = str(uuid.uuid4())
READING = {"site": "{site}", "probe": "{ph}", "source": "typed-signal", "signal": "10", "temperature_c": "20"}

MORE = {"more_quantity": "salinity", "id-more": NEW}

CASES: list[tuple[str, dict[str, str], str]] = [
    ("/bench/kept/{ec}", {"cell-constant": "nan"}, "'nan' is not a number"),
    ("/bench/kept/{ec}", {"cell-constant": "1e9"}, "must be −1000 to 1000 /cm"),
    ("/bench/kept/{ec}", {"nonsense": "1"}, "at least one value"),
    ("/kit/probes/{ec}/care", {"care": ""}, "Choose what was done"),
    ("/kit/probes/{ec}/care", {"care": "cleaned", "at": "yesterday"}, "is not a date and time"),
    ("/kit/probes/{do}/care", {"care": "membrane-changed", "good_until": "2020-01-01"}, "past its date"),
    ("/kit/probes/{ec}/change", EC | {"label": "A-pH"}, "another probe's label"),
    ("/kit/probes/{ec}/change", EC | {"meter": str(uuid.uuid4())}, "This meter is not known"),
    ("/kit/probes/{ec}/change", EC | {"wait-cleaned": "-3"}, "from 0 to 2 880"),
    ("/kit/meters/new", METER | {"memory_records": "12.7"}, "a whole number"),
    ("/kit/meters/new", METER | {"battery_hours": "1e400"}, "too large to be meant"),
    ("/shelf/new", LOT | {"nominal": "-5"}, "must be above 0"),
    ("/shelf/new", LOT | {"lot_number": "c14-0902"}, "stands on the shelf already"),
    ("/shelf/new", LOT | {"pack": "barrel"}, "Choose what it comes in"),
    ("/shelf/new", LOT | {"expires_on": "99999-01-01"}, "is not a date"),
    ("/shelf/new", LOT | {"content": "-1"}, "must be from 0.1 to"),
    ("/shelf/lots/{lot}/use", {"amount": "20001"}, "how many mL"),
    ("/shelf/lots/{lot}/certificate", {}, "neither a PDF nor a picture"),
    ("/visits/{visit}", MORE | {"more_value": "3200 ppm"}, "is not in ppm: choose salt as sodium chloride"),
    ("/visits/{visit}", MORE | {"more_value": "salty"}, "'salty' is not a number"),
    ("/visits/{visit}", MORE | {"more_value": "99"}, "salinity must be"),
    ("/rounds/reading", READING | {"temperature_c": "20 psi"}, "'20 psi' is not a number, and not one in a unit of it"),
    ("/plan/{round}", ROUND, "Choose the sites"),
    ("/visits/{visit}/at-once/immerse", {}, "Choose from one to 5 probes."),
    ("/visits/{visit}/at-once/immerse", {"probe": "tea"}, "Choose from one to 5 probes."),
    ("/visits/{visit}/at-once/immerse", {"probe": "{ph}", "pressure": "x"}, "'x' is not a number"),
    ("/visits/{visit}/at-once/record", {"dip": "{ph}:0", "spot_depth": "deep"}, "'deep' is not a number"),
    ("/visits/{visit}/at-once/record", {"dip": "{ph}:9999", "id-{ph}": NEW}, "No sample has come from the probe since"),
    ("/visits/{visit}/at-once/record", {"dip": "{ph}:0"}, "reload the page"),
    ("/plan/{round}", ROUND | {"departure": "2099-12-31T23:59", "site": "{site}"}, "two weeks ahead"),
    ("/plan/{round}", ROUND | {"departure": "9999-12-31T23:59", "site": "{site}"}, "The year 9999 can't be meant"),
    ("/kit/probes/{ec}/care", {"care": "cleaned", "at": "0026-05-06T08:00"}, "The year 26 can't be meant"),
    ("/rounds/reading", READING | {"taken_at": "1026-05-06T08:00"}, "The year 1026 can't be meant"),
    ("/plan/{round}/way", {"field": "without", "value": "mood"}, "no longer there"),
    ("/plan/{round}/way", {"field": "departure", "value": "2026-05-06T08:00"}, "The departure has passed"),
    ("/rounds/sites/new", SITE | {"visit_every_days": "1.5"}, "a whole number"),
    ("/rounds/sites/{site}", SITE | {"low-ph": "9", "high-ph": "2"}, "lower end must be below"),
    ("/rounds/sites/{site}", SITE | {"low-ph": "x", "high-ph": "2"}, "is not a number"),
]


@pytest.mark.parametrize(("path", "form", "words"), CASES)
def test_it_is_said_and_what_was_typed_stays(
    client: FlaskClient, places: dict[str, object], path: str, form: dict[str, str], words: str
) -> None:
    sent = {"id": str(uuid.uuid4())} | {k.format(**places): v.format(**places) for k, v in form.items()}
    answer = post(client, path.format(**places), **sent)
    assert answer.status_code == 422
    assert words in html.unescape(answer.text)
    for name, typed in form.items():
        if name in ("label", "lot_number", "amount", "low-ph", "visit_every_days", "memory_records"):
            assert f'value="{typed}"' in answer.text, name


def test_a_form_without_its_key_says_so(client: FlaskClient, places: dict[str, object]) -> None:
    answer = post(client, f"/kit/probes/{places['ec']}/care", id="x", care="cleaned")
    assert answer.status_code == 422
    assert "reload the page" in answer.text


def test_nothing_was_stored(services: Services, places: dict[str, object]) -> None:
    assert "A-EC" in [c.state.probe.label for c in services.kit.cards()]
    assert [v.meter.label for v in services.meters.all()] == ["A-meter", "B-meter"]
    assert all(e.lot.lot_number != "L" for e in services.shelf.entries())
    assert len(services.planned.ahead()) == 1


@pytest.mark.parametrize("path", ["/find/?q=%00", "/find/?q=" + "a" * 3000, "/kit/probes/{ec}?care=%00&minutes=x"])
def test_an_odd_address_breaks_nothing(client: FlaskClient, places: dict[str, object], path: str) -> None:
    assert client.get(path.format(**places), base_url=BASE).status_code == 200


def test_a_time_typed_with_its_offset_keeps_it() -> None:
    typed = Typed(MultiDict({"at": "2026-05-06T08:00+14:00", "here": "2026-05-06T08:00"}))
    assert typed.moment("at", ZoneInfo("UTC")) == datetime(2026, 5, 5, 18, 0, tzinfo=UTC)
    assert typed.moment("here", ZoneInfo("Etc/GMT+5")) == datetime(2026, 5, 6, 13, 0, tzinfo=UTC)
