"""The screens through Flask: the steps that their tests share."""

from __future__ import annotations

import re
import uuid
from collections.abc import Callable

from flask.testing import FlaskClient
from werkzeug.test import TestResponse

from brumel.services.application import Services
from brumel.services.people import Person

BASE = "https://localhost"


def token(client: FlaskClient) -> str:
    """The key that a form of this session carries."""
    page = client.get("/find/", base_url=BASE, follow_redirects=True).text
    return re.findall(r'name="csrf_token" value="([^"]+)"', page)[0]


def post(client: FlaskClient, path: str, **form: object) -> TestResponse:
    """Send a form."""
    sent = {**form, "csrf_token": token(client)}
    return client.post(path, data=sent, base_url=BASE, headers={"Referer": BASE})


def enter(client: FlaskClient, role: str) -> None:
    """Sign in through the demonstration's one click."""
    assert post(client, "/sign-in/demo", role=role).status_code == 302


def person_of_role(services: Services, role: str) -> Person:
    """Somebody of the demonstration."""
    with services.people.database.session() as session:
        return session.query(Person).filter_by(role=role).order_by(Person.login).first()  # type: ignore[return-value]


def probe_id(services: Services, label: str) -> uuid.UUID:
    """A probe of the demonstration."""
    return next(s.probe.id for s in services.states.probe_states() if s.probe.label == label)


EVERYTHING_CHANGED = """
    UPDATE change_count SET counts = (SELECT jsonb_object_agg(tablename, txid_current() * 1000)
        FROM pg_tables WHERE schemaname = 'public')
"""
"""For the owner: as if something had just been recorded in each table, so that nothing that was kept holds."""
_ID = "[0-9a-f-]{36}"

Get = Callable[[str], str]


def screen_paths(get: Get) -> dict[str, str]:
    """Every main screen by name, its address found by walking there."""

    def there(pattern: str, page: str, index: int = 0) -> str:
        return re.findall(pattern, get(page))[index]

    life = there(rf'href="(/kit/probes/{_ID})">A-pH<', "/kit/")
    site = there(rf"/visits/site/{_ID}", "/rounds/")
    return {
        "Today": "/",
        "Kit": "/kit/",
        "Kit, a probe's life": life,
        "Kit, a meter": there(rf"/kit/meters/{_ID}", "/kit/"),
        "Shelf": "/shelf/",
        "Shelf, a lot": there(rf"/shelf/lots/{_ID}", "/shelf/"),
        "Bench": "/bench/",
        "Bench, new run": f"/bench/new?probe={life.rsplit('/', 1)[1]}",
        "Rounds": "/rounds/",
        "Rounds, reading at a site": there(rf"/rounds/reading\?site={_ID}", "/rounds/"),
        "A site's history": site,
        "A visit": there(rf"/visits/{_ID}", site),
        "A new visit": "/visits/new",
        "Plans": "/plan/",
        "Plan, a round": there(rf'href="(/plan/{_ID})"', "/plan/"),
        "Ledger, readings": "/ledger/readings",
        "Ledger, calibrations": "/ledger/calibrations",
        "Ledger, care": "/ledger/care",
        "Ledger, one calibration": there(rf"/ledger/calibrations/{_ID}", "/ledger/calibrations?level=sound", -1),
        "Ledger, one reading": there(rf"/ledger/readings/{_ID}", "/ledger/readings", -1),
        "Reckon": "/reckon/",
        "Reckon, a calculation": "/reckon/salinity",
        "Reckon, an answer": "/reckon/salinity/answer?conductivity_ms_cm=40&temperature_c=18",
        "Guide": "/guide/",
        "Set up": "/start/",
    }
