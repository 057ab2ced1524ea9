"""The guided start through its forms: what is wrong is said in its place, and nothing typed is lost."""

from __future__ import annotations

import io
import re
import uuid

import pytest
from flask.testing import FlaskClient
from tests.web.screens import BASE, enter, post, token

from brumel.services.application import Services

CSV = "what,name,code,water_kind,visit_every_days\nsites,Mill race,RACE,stream or lake,7\nsites,Weir,WEIR,bog,x\n"


@pytest.fixture(autouse=True)
def signed_in(client: FlaskClient) -> None:
    enter(client, "supervisor")


def sent(client: FlaskClient, *rows: dict[str, str], rinse: str = "distilled-once") -> tuple[int, str]:
    """Send rows of the form; what comes back."""
    form: dict[str, object] = {"rinse": rinse, "row": [row["key"] for row in rows]}
    for row in rows:
        form |= {f"{row['key']}-{name}": text for name, text in row.items() if name != "key"}
    answer = post(client, "/start/proposal", **form)
    return answer.status_code, answer.text


def row(section: str, **values: str) -> dict[str, str]:
    return {"key": str(uuid.uuid4()), "section": section, "take": "1", **values}


def test_a_file_becomes_rows_to_look_over(client: FlaskClient) -> None:
    data = {"csrf_token": token(client), "file": (io.BytesIO(CSV.encode()), "sites.csv")}
    page = client.post("/start/file", data=data, base_url=BASE, headers={"Referer": BASE})
    assert page.status_code == 200
    assert 'value="Mill race"' in page.text
    assert re.search(r"oxygen saturation 80\.0 to 120\.0|dissolved oxygen at least 5\.00", page.text)


@pytest.mark.parametrize(
    ("given", "words"),
    [
        ({}, "Choose a file."),
        ({"file": (io.BytesIO(b"\xff\xfe\x00a"), "x.csv")}, "The file is no text in UTF-8."),
        ({"file": (io.BytesIO(b"[[lots]]\nnominal = " + b"9" * 5_000), "x.toml")}, "The file is not TOML"),
        ({"file": (io.BytesIO(b"[[sites]]\nvisit_every_days = inf"), "x.toml")}, "too large to be meant"),
        (
            {"file": (io.BytesIO(b"what,name\nsites," + b"x" * 200_000), "x.csv")},
            "be read: field larger than field limit",
        ),
        ({"file": (io.BytesIO(b"[[boats]]\nname = 'a'\n"), "x.toml")}, "is none of sites"),
    ],
)
def test_a_file_that_can_not_be_read_is_said(client: FlaskClient, given: dict[str, object], words: str) -> None:
    data = {"csrf_token": token(client), **given}
    page = client.post("/start/file", data=data, base_url=BASE, headers={"Referer": BASE})
    assert (page.status_code, words in page.text) == (422, True)


def test_what_is_right_is_kept_and_what_is_wrong_stays_as_typed(client: FlaskClient, services: Services) -> None:
    good = row("sites", name="Mill race", code="RACE", water_kind="stream or lake", visit_every_days="7")
    bad = row("sites", name="Weir", code="WEIR", water_kind="stream or lake", visit_every_days="often")
    off = row("sites", name="Ditch", code="DITCH", water_kind="well", visit_every_days="7") | {"take": ""}
    del off["take"]
    code, page = sent(client, good, bad, off)
    assert code == 422
    assert "Kept: Mill race." in page
    assert 'value="often"' in page
    assert 'aria-describedby="error-' in page
    assert {"RACE"} == {s.code for s in services.states.sites()} & {"RACE", "WEIR", "DITCH"}
    assert sent(client, {**bad, "visit_every_days": "7"})[0] == 302


def test_what_an_instrument_sees_is_read_or_said(client: FlaskClient, services: Services) -> None:
    seen = row("instruments", label="P-9", kind="photometer", kit="Kit 1", sees="free-chlorine 0.02 6; ph four 9")
    code, page = sent(client, seen)
    assert code == 422
    assert "Write quantity, from and to, parted by semicolons, such as ph 4 9; free-chlorine 0.02 6." in page
    assert "ph four 9" in page
    assert sent(client, {**seen, "sees": "free-chlorine 0.02 6; ph 4 9;"})[0] == 302
    (kept,) = [i for i in services.instruments.all() if i.label == "P-9"]
    assert {key: (m["low"], m["high"]) for key, m in kept.measures.items()} == {
        "free-chlorine": (0.02, 6.0), "ph": (4.0, 9.0),
    }  # fmt: skip


def test_a_probe_needs_its_meter_to_be_kept_too(client: FlaskClient) -> None:
    meter = row("meters", label="M-9", serial="", kit="Kit 1")
    probe = row("probes", label="Q-pH", serial="Q1", kind="ph-combination", kit="Kit 1", meter="M-9")
    code, page = sent(client, meter, probe)
    assert code == 422
    assert "M-9 is not kept: tick that meter and type its serial number, or choose none." in page
    assert sent(client, {**meter, "serial": "M9"}, probe)[0] == 302


@pytest.mark.parametrize(
    "spoilt", [{"section": "boats"}, {"key": "no-id"}, {"solution": "a/b/c"}, {"nominal": "1e999"}]
)
def test_rows_that_no_page_would_send_keep_nothing(
    client: FlaskClient, services: Services, spoilt: dict[str, str]
) -> None:
    before = len(services.shelf.entries())
    lot = (
        row("lots", solution="ph-buffer/technical", nominal="7.00", lot_number="X-1", expires_on="2027-01-01") | spoilt
    )
    assert sent(client, lot)[0] in (302, 422)
    assert len(services.shelf.entries()) == before
