"""The JSON interface: answers, errors in their fields, and nothing that brings it down."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from flask.testing import FlaskClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.calculated import good
from tests.conftest import NOW

from brumel.core.reckoning.definition import calculations
from brumel.services.application import Services
from brumel.services.clock import Clock
from brumel.store.database import Database
from brumel.web.app import WebSettings, create_app

ROOT = "/api/v1/calculations"


@pytest.fixture(scope="module")
def api(database: Database) -> Iterator[FlaskClient]:
    services = Services.over(database, Clock(ZoneInfo("UTC"), NOW))
    with create_app(services, WebSettings("test")).test_client() as made:
        yield made


def post(api: FlaskClient, path: str, body: Any) -> tuple[int, Any]:
    answer = api.post(path, data=body if isinstance(body, bytes) else json.dumps(body))
    return answer.status_code, answer.get_json()


@pytest.mark.parametrize("name", calculations())
def test_every_calculation_answers(api: FlaskClient, name: str) -> None:
    code, found = post(api, f"{ROOT}/{name}", {"inputs": good(name)})
    assert code == 200
    assert found["working"]
    assert found["outputs"]
    assert api.get(f"{ROOT}/{name}").get_json()["name"] == name


@pytest.mark.parametrize(
    ("body", "words"),
    [
        (b"{", 'Wanted is {"inputs": {…}}.'), (b"\xff", "The body is not JSON"),
        ([], 'The body must be an object: {"inputs": {…}}.'),
        ({"inputs": 3}, "inputs must be an object of names and values."),
        ({"inputs": {}, "strict": 1}, "strict must be true or false."),
    ],
)  # fmt: skip
def test_a_body_that_can_not_be_is_named(api: FlaskClient, body: Any, words: str) -> None:
    code, found = post(api, f"{ROOT}/nernst-slope", body)
    assert code in (400, 422)
    assert words in json.dumps(found, ensure_ascii=False).replace('\\"', '"')


def test_lists_are_taken_and_units_too(api: FlaskClient) -> None:
    code, found = post(
        api, f"{ROOT}/oxygen-saturation", {"inputs": {"temperature_c": [10, 20], "pressure": "29.92 inHg"}}
    )
    assert code == 200
    assert found["outputs"]["oxygen_mg_l"] == pytest.approx([11.288, 9.092], abs=0.002)
    rows = {"inputs": {"temperature_c": [10, 99, None]}, "strict": False}
    assert [v is None for v in post(api, f"{ROOT}/oxygen-saturation", rows)[1]["outputs"]["oxygen_mg_l"]] == [
        False,
        True,
        True,
    ]


def test_errors_name_the_field_and_its_range(api: FlaskClient) -> None:
    code, found = post(api, f"{ROOT}/salinity", {"inputs": {"conductivity_ms_cm": -1, "temperature_c": 45}})
    assert code == 422
    assert "from 0 to 100 mS/cm" in found["fields"]["conductivity_ms_cm"]
    assert "from -2 to 35 °C" in found["fields"]["temperature_c"]


@pytest.mark.parametrize(
    ("path", "body", "code"),
    [
        (f"{ROOT}/nothing", b"{}", 404),
        (f"{ROOT}/salinity", b"{", 422),
        (f"{ROOT}/salinity", b"[" * 9000, 422),
        (f"{ROOT}/salinity", b"\xff\xfe", 422),
        (f"{ROOT}/salinity", b"[]", 422),
        (f"{ROOT}/salinity", b'{"inputs": 4}', 422),
        (f"{ROOT}/salinity", b'{"inputs": {}, "strict": 1}', 422),
        (ROOT, b'{"calc": "x", "inputs": {}}', 422),
        (f"{ROOT}/salinity", b" " * 1_100_000, 413),
    ],
)
def test_what_cannot_be_read_is_said_as_json(api: FlaskClient, path: str, body: bytes, code: int) -> None:
    found, answer = post(api, path, body)
    assert found == code
    assert answer["error"]


def test_several_in_one_call(api: FlaskClient) -> None:
    jobs = [{"calc": "nernst-slope", "inputs": {"temperature_c": 25}}, {"calc": "x"}, 3]
    results = post(api, ROOT, jobs)[1]["results"]
    assert ["outputs" in r for r in results] == [True, False, False]


def test_the_openapi_document_names_every_input(api: FlaskClient) -> None:
    document = api.get("/api/v1/openapi.json").get_json()
    assert document["openapi"].startswith("3.1")
    for chosen in calculations().values():
        body = document["paths"][f"{ROOT}/{chosen.name}"]["post"]["requestBody"]["content"]["application/json"][
            "schema"
        ]
        assert {i.name for i in chosen.all_inputs} <= set(body["properties"]["inputs"]["properties"])


ANYTHING = st.recursive(
    st.none()
    | st.booleans()
    | st.floats()
    | st.integers()
    | st.text(max_size=8)
    | st.sampled_from(["5 °C", "1e999", "linear"]),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=6,
)


@settings(max_examples=300, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.data())
def test_nothing_brings_it_down(api: FlaskClient, data: st.DataObject) -> None:
    chosen = data.draw(st.sampled_from(list(calculations().values())))
    names = [i.name for i in chosen.all_inputs] + [f"{i.name}_u" for i in chosen.all_inputs]
    changed = data.draw(st.dictionaries(st.sampled_from(names), ANYTHING, max_size=3))
    inputs = good(chosen.name) | changed
    body = {"inputs": inputs, "strict": data.draw(st.booleans())}
    code, found = post(api, f"{ROOT}/{chosen.name}", body)
    assert code in {200, 422}, (code, inputs)
    if code == 422:
        assert found["fields"]
    else:
        json.dumps(found, allow_nan=False)
