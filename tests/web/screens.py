"""The screens through Flask: the steps that their tests share."""

from __future__ import annotations

import re
import uuid

from flask.testing import FlaskClient
from werkzeug.test import TestResponse

from brumel.services.application import Services

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


def probe_id(services: Services, label: str) -> uuid.UUID:
    """A probe of the demonstration."""
    return next(s.probe.id for s in services.states.probe_states() if s.probe.label == label)
