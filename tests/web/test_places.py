"""Every place through Flask: who may see it, who may change it, what an unknown address says."""

from __future__ import annotations

import re
import uuid
from pathlib import Path

import pytest
from flask.testing import FlaskClient
from tests.web.screens import BASE, enter, post, probe_id

from brumel.core.reckoning.definition import calculations
from brumel.services.application import Services
from brumel.web.files import content_hash

PLACES = (
    "/", "/kit/", "/kit/new", "/shelf/", "/shelf/?discarded=1", "/shelf/new", "/shelf/labels", "/plan/",
    "/kit/meters/new", "/rounds/sites/new", "/bench/",
    "/bench/new", "/rounds/", "/reckon/", "/reckon/formulas", "/ledger/readings", "/ledger/calibrations", "/find/?q=pH",
)  # fmt: skip


@pytest.mark.parametrize("role", ["technician", "supervisor", "reader"])
@pytest.mark.parametrize("path", PLACES)
def test_every_place_opens_for_whoever_may_see(client: FlaskClient, role: str, path: str) -> None:
    enter(client, role)
    answer = client.get(path, base_url=BASE)
    assert answer.status_code == 200
    assert len(re.findall(r"<h1", answer.text)) == 1
    assert ' style="' not in answer.text
    assert not re.search(r"<script(?![^>]*\bsrc=)", answer.text)
    assert not re.search(r"\son\w+=", answer.text)


@pytest.mark.parametrize("name", calculations())
def test_every_calculation_has_its_page(client: FlaskClient, name: str) -> None:
    enter(client, "reader")
    answer = client.get(f"/reckon/{name}", base_url=BASE)
    assert answer.status_code == 200
    assert calculations()[name].title in answer.text.replace("&#39;", "'")


def test_a_reader_changes_nothing(client: FlaskClient, services: Services) -> None:
    enter(client, "reader")
    probe, lot = probe_id(services, "A-EC"), services.shelf.entries()[0].lot.id

    def counted() -> tuple[int, int, int]:
        life, view = services.kit.life(probe), services.shelf.view(lot)
        return len(life.happened.rows), len(view.records), len(services.kit.cards())

    before = counted()
    answers = {f"q-{q.key}": "yes" for q in services.kit.life(probe).card.kind.inspection}
    new_probe = {"label": "X", "serial": "X", "kind": "orp", "kit": "X", "in_service_on": "2026-01-01"}
    new_lot = {"lot_number": "X", "standard": "orp", "nominal": "220", "expires_on": "2027-01-01"}
    for path, form in {
        f"/kit/probes/{probe}/care": {"care": "cleaned"},
        f"/kit/probes/{probe}/inspection": answers,
        "/kit/new": new_probe,
        "/shelf/new": new_lot,
        f"/shelf/lots/{lot}/open": {},
        f"/shelf/lots/{lot}/use": {"amount": "5"},
        f"/shelf/lots/{lot}/discard": {"reason": "X"},
    }.items():
        assert post(client, path, id=uuid.uuid4(), **form).status_code == 403, path
    assert counted() == before


@pytest.mark.parametrize(
    "path",
    [
        "/kit/probes/{}", "/kit/photos/{}.jpg", "/kit/meters/{}", "/plan/{}", "/shelf/lots/{}/certificate",
        "/shelf/lots/{}", "/ledger/readings/{}", "/ledger/calibrations/{}",
        "/bench/runs/{}", "/reckon/nothing-{}", "/nowhere/{}",
    ],
)  # fmt: skip
def test_an_unknown_address_says_so(client: FlaskClient, path: str) -> None:
    enter(client, "technician")
    answer = client.get(path.format(uuid.uuid4()), base_url=BASE)
    assert answer.status_code == 404
    assert "There is no such" in answer.text or "No calculation" in answer.text


def test_a_photo_is_a_picture_and_runs_nothing(client: FlaskClient, services: Services) -> None:
    import io

    from PIL import Image

    enter(client, "technician")
    probe = probe_id(services, "B-ORP")
    out, inspection = io.BytesIO(), uuid.uuid4()
    Image.new("RGB", (40, 30), "navy").save(out, "PNG")
    answers = {f"q-{q.key}": "yes" for q in services.kit.life(probe).card.kind.inspection}
    form = {"id": inspection, **answers, "photo": (io.BytesIO(out.getvalue()), "shell.php")}
    assert post(client, f"/kit/probes/{probe}/inspection", **form).status_code == 302
    shown = client.get(f"/kit/photos/{inspection}.jpg", base_url=BASE)
    assert shown.mimetype == "image/jpeg"
    assert shown.headers["X-Content-Type-Options"] == "nosniff"
    bad = form | {"id": uuid.uuid4(), "photo": (io.BytesIO(b"<?php"), "x.jpg")}
    refused = post(client, f"/kit/probes/{probe}/inspection", **bad)
    assert refused.status_code == 422
    assert "This is no picture" in refused.text


def test_the_plan_is_told_what_is_missing(client: FlaskClient) -> None:
    enter(client, "technician")
    answer = post(client, "/plan/", id=uuid.uuid4(), departure="2026-05-06T08:00", kit="Kit A", rinse="distilled-once")
    assert answer.status_code == 422
    assert "The departure has passed" in answer.text
    assert "Choose the sites" in answer.text
    assert 'value="2026-05-06T08:00"' in answer.text
    typo = post(client, "/plan/", id=uuid.uuid4(), departure="tomorrow", kit="Kit A", rinse="distilled-once")
    assert typo.status_code == 422
    assert "is not a date and time" in typo.text


def test_reckon_answers_in_pieces_for_the_page(client: FlaskClient) -> None:
    enter(client, "technician")
    found = client.get(
        "/reckon/salinity/answer?conductivity_ms_cm=53.07&temperature_c=77&temperature_c.unit=°F", base_url=BASE
    ).json
    assert "34.999" in found["answer"]
    assert found["errors"] == {}
    wrong = client.get("/reckon/salinity/answer?conductivity_ms_cm=x&temperature_c=20", base_url=BASE).json
    assert "not a number" in wrong["errors"]["conductivity_ms_cm"]
    empty = client.get("/reckon/salinity/answer", base_url=BASE).json
    assert "Type conductivity" in empty["answer"]


@pytest.mark.parametrize(
    "path",
    ["/ledger/readings.csv", "/ledger/readings.json", "/ledger/calibrations.jsonl", "/ledger/care.csv", "/", "/kit/"],
)
def test_what_is_of_who_is_signed_in_is_kept_by_no_cache(client: FlaskClient, path: str) -> None:
    enter(client, "technician")
    answer = client.get(path, base_url=BASE)
    assert (answer.status_code, answer.headers["Cache-Control"]) == (200, "no-store")
    style, *_ = re.findall(r'href="(/static/[0-9a-f]{16}/css/paper.css)"', client.get("/", base_url=BASE).text)
    assert "max-age" in client.get(style, base_url=BASE).headers["Cache-Control"]


def test_what_another_version_loads_has_another_address(tmp_path: Path) -> None:
    """For an hour after an upgrade, new pages once met old scripts."""
    (tmp_path / "js").mkdir()
    (tmp_path / "js" / "a.js").write_text("1")
    first = content_hash(tmp_path)
    assert content_hash(tmp_path) == first
    (tmp_path / "js" / "a.js").rename(tmp_path / "js" / "b.js")
    second = content_hash(tmp_path)
    (tmp_path / "js" / "b.js").write_text("2")
    assert len({first, second, content_hash(tmp_path)}) == 3
