"""Numbers far out, in every field of every form that takes numbers: refused in their place, or never stored as such."""

from __future__ import annotations

import html
import uuid

import pytest
from flask.testing import FlaskClient
from tests.web.hostile import USUAL, unsound, unsound_files
from tests.web.screens import BASE, enter, probe_id, token
from tests.web.walking import Page

from brumel.services.application import Services
from brumel.services.visits.visits import NewVisit
from brumel.store.database import Database

FAR = ("-1e308", "5e-324")
PLACES = (
    "/shelf/new", "/shelf/lots/{lot}", "/kit/probes/{ph}", "/kit/meters/new", "/kit/instruments/new",
    "/bench/new?probe={do}", "/bench/kept/{ec}", "/rounds/sites/new", "/rounds/sites/{site}", "/visits/{visit}",
    "/rounds/reading?site={site}&probe={ph}&source=typed-signal", "/visits/site/{site}",
)  # fmt: skip


@pytest.fixture(scope="module")
def places(services: Services) -> dict[str, object]:
    person = services.people.add("faye", "Faye", "supervisor", "a long password")
    site = services.states.sites()[0].id
    return {
        "ec": probe_id(services, "A-EC"), "do": probe_id(services, "A-DO"), "ph": probe_id(services, "A-pH"),
        "site": site, "lot": next(e.lot.id for e in services.shelf.entries() if e.lot.lot_number == "C14-0902"),
        "visit": services.visits.open(NewVisit(uuid.uuid4(), site), person),
    }  # fmt: skip


@pytest.mark.parametrize("place", PLACES)
def test_a_number_far_out_is_refused_in_its_field(client: FlaskClient, places: dict[str, object], place: str) -> None:
    enter(client, "supervisor")
    key, here = token(client), place.format(**places)
    forms = Page(client.get(here, base_url=BASE).text).forms
    told = 0
    for action, method, fields in forms:
        numbers = [name for name, kind, _ in fields if kind == "number"]
        if method != "post" or not numbers:
            continue
        for name in numbers:
            for far in FAR:
                sent = {n: v or USUAL.get(n, "") for n, _, v in fields} | {name: far, "csrf_token": key}
                if "id" in sent:
                    sent["id"] = str(uuid.uuid4())
                answer = client.post(action or here, data=sent, base_url=BASE, headers={"Referer": BASE})
                # A field that only counts with another one may pass; what is stored is looked at below.
                assert answer.status_code in (302, 422, 404), (name, far, answer.status_code)
                told += "to be meant" in html.unescape(answer.text)
    assert told


def test_nothing_far_out_is_stored_or_goes_out(client: FlaskClient, database: Database) -> None:
    assert unsound(database) == []
    assert unsound_files(client.application, "supervisor") == []
