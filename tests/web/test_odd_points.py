"""Whatever a probe is said to show at the bench: its run, its sheet and every page that speaks of it open."""

from __future__ import annotations

import random
import re
import uuid

import pytest
from flask.testing import FlaskClient
from tests.web.screens import BASE, enter, person_of_role, probe_id

from brumel.core.place.station_pressure import Pressure
from brumel.core.place.surroundings import Surroundings
from brumel.core.shipped_rules import shipped
from brumel.services.application import Services
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput
from brumel.services.people import Person
from brumel.store.models.reference import PersonRole

ODD = (0.0, -0.001, 0.001, 6.0, -6.0, 350.0, -350.0, 1999.0)
"""As a shorted plug, a dry cell, a probe in the wrong liquid show."""
DID = {"A-EC": {"method": "none"}}
PLACE = Surroundings(Pressure(1004.0))


def taken(services: Services, person: Person, run_id: uuid.UUID, drawn: random.Random, did: dict[str, str]) -> None:
    """Every step with something odd, until one is accepted."""
    for step in services.calibrations.view(run_id).steps:
        for signal in drawn.sample(ODD, len(ODD)):
            point = TakePoint(uuid.uuid4(), step.step.key, signal, 22.0, device=False, meter_did=did)
            try:
                services.calibrations.take(run_id, point, person)
            except InvalidInput:
                continue
            break


@pytest.mark.parametrize(
    ("label", "method"),
    [
        ("A-pH", "ph-neutral-acid-alkaline"), ("A-pH", "ph-one-point"), ("B-ORP", "orp-check"),
        ("B-ORP", "orp-offset"), ("A-EC", "conductivity-one"), ("A-EC", "conductivity-two"),
        ("A-EC", "conductivity-air-one"), ("A-DO", "membrane-zero-air"), ("B-DO", "luminescence-zero-air"),
        ("B-NH4", "ammonium-two"),
    ],
)  # fmt: skip
def test_its_pages_open(client: FlaskClient, services: Services, label: str, method: str) -> None:
    enter(client, "technician")
    person = person_of_role(services, PersonRole.TECHNICIAN)
    assert person
    probe, drawn = probe_id(services, label), random.Random(f"{label} {method}")
    lots = services.calibrations.choices(probe).lots
    roles = {s.role for s in shipped().procedures[method].steps if s.role}
    for _ in range(3):
        chosen = {role: drawn.choice(lots[role]).lot.id for role in roles}
        begin = Begin(uuid.uuid4(), probe, method, "distilled-once", chosen, despite="a test", place=PLACE)
        services.calibrations.begin(begin, person)
        taken(services, person, begin.run_id, drawn, DID.get(label, {}))
        run = f"/bench/runs/{begin.run_id}"
        for path in (run, f"{run}/sheet", "/", "/bench/", f"/kit/probes/{probe}"):
            page = client.get(path, base_url=BASE)
            assert page.status_code == 200, path
            assert not re.search(r"[\s>+−](nan|inf)[\s<.]", page.text), path
        try:
            services.calibrations.sign(begin.run_id, person)
        except InvalidInput:
            services.calibrations.abandon(begin.run_id, person, "a test")
            continue
        for path in (f"/ledger/calibrations/{begin.run_id}", f"/ledger/calibrations/{begin.run_id}.json"):
            assert client.get(path, base_url=BASE).status_code == 200, path
