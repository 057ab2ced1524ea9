"""Files that no export of ours would be, made from a seed: taken whole or refused with a place, and no page breaks."""

from __future__ import annotations

import json
import random
import re
import traceback
import uuid
from collections.abc import Iterator
from typing import Any

from flask.testing import FlaskClient
from tests.web.screens import BASE
from tests.web.walking import walk

from brumel.services.application import Services
from brumel.services.errors import InvalidInput
from brumel.services.ledger.exchange import Exchange
from brumel.services.ledger.records import Filter
from brumel.services.start.loading import Loading

VALUES: tuple[Any, ...] = (
    None, True, False, 5, -5, 0, 1e308, -1e308, 1e-400, 5e-324, 10**400, -(10**17), "", "x", "superb", "\0", "\ud800",
    "x" * 5_000, "<script>", "0001-01-01T00:00:00+23:00", "9999-12-31T23:59:59-23:00", "2026-05-06T08:00",
    "1899-12-31T23:59:59+00:00", "2100-01-01T00:00:00+00:00", [], {}, [[]], [None], [5], ["x"], {"x": 5}, {"x": []},
    [{"quantity": "ph"}], [{"quantity": "mood", "value": 1, "u": 1, "unit": "", "working": []}], [1e308], ["\ud800"],
    "PGh0bWw+", "/9j/4AAQSkZJRg==", "00000000-0000-0000-0000-000000000000", [["x", 5]], ["a", "b", "c", "d"],
    {"pressure": {"typed": "x", "unit": "furlong", "kind": "station"}}, {"salinity": -5},
)  # fmt: skip
TEXTS = (
    "", "{", "[" * 5_000, "[" * 900 + "]" * 900, "null", "5", '"x"', "\0", '{"format": "brumel-readings"}', "NaN",
    '{"format": "brumel-readings", "version": 1, "records": {"reading": [5]}}', '{"a": 1, "a": 2}', "9" * 5_000,
    '{"format": "brumel-readings", "version": 1, "records": {"reading": [{"id": 5}]}}', '{"x": "\\ud800"}',
    '{"format": "brumel-readings", "version": 1, "records": {"nothing": []}}', "\ufeff{}", '{"version": ' + "9" * 400,
)  # fmt: skip
KIT = """
[[meters]]
label = "meter Q"
serial = "1"
kit = "Kit"
in_service_on = 2026-01-01
takes = ["ph-combination"]
[[probes]]
label = "pH Q"
serial = "0001"
kind = "ph-combination"
kit = "Kit"
in_service_on = 2026-01-01
meter = "meter Q"
own_waits = { cleaned = 30 }
[[lots]]
lot_number = "N-Q"
family = "technical"
nominal = 7.00
received_on = 2026-01-01
expires_on = 2027-01-01
open_life_days = 90
certificate_u = 0.01
pack = "bottle"
content = 500
[[sites]]
code = "Q"
name = "Pond"
water_kind = "warm-water pond"
visit_every_days = 1
expected = { ph = [6.5, 8.5] }
[[devices]]
label = "line Q"
url = "socket://127.0.0.1:4000"
address = "7"
channels = ["temperature", "mV"]
"""
OF_TOML = (
    "true", "-5", "0", "1e308", "nan", "inf", "9" * 400, "9" * 5_000, '""', '"x"', '"\\u0000"', f'"{"x" * 5_000}"',
    "[]", "[[]]", "{}", "{ x = 5 }", "0001-01-01", "9999-12-31", "2026-05-06T08:00:00", "08:00:00", '["x"]', "[5]",
    "[" * 900 + "]" * 900, "[nan, 5]", '{ ph = ["x", 5] }', "{ ph = [1, 2, 3] }", '{ cleaned = "x" }', "12.7", '"Kit"',
)  # fmt: skip
_KEY = re.compile(r"[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}")


def exported(services: Services) -> str:
    """An export of one site with all that stands behind it."""
    site = next(s for s in services.states.sites() if s.code == "SHRIMP")
    since = services.clock.today().replace(day=1)
    return services.ledger.readings_json(Filter(site_id=site.id, since=since, with_amended=True))


def files(whole: str, chance: random.Random) -> Iterator[str]:
    """Such files, of readings: each says one thing that can't be, or says something twice."""
    yield from TEXTS
    own = {
        row[name] for rows in json.loads(whole)["records"].values() for row in rows for name in ("id",) if name in row
    }
    while True:
        data = json.loads(_under_other_keys(whole, own, str(chance.getrandbits(64))))
        rows = chance.choice([rows for rows in data["records"].values() if rows])
        row = chance.choice(rows)
        name = chance.choice(list(row))
        match chance.randrange(12):
            case 0:
                del row[name]
            case 1:
                row["mood"] = "good"
            case 2:
                rows.append(row | {name: chance.choice(VALUES)})
            case 3 if "id" in row and "amends_id" in row:
                row |= {"amends_id": row["id"], "amend_reason": "circle"}
            case _:
                row[name] = _odd(row[name], chance)
        yield json.dumps(data)


def _under_other_keys(whole: str, own: set[str], salt: str) -> str:
    return _KEY.sub(lambda m: str(uuid.uuid5(uuid.UUID(m[0]), salt)) if m[0] in own else m[0], whole)


def _odd(value: Any, chance: random.Random) -> Any:
    """Another value, or the same with something odd inside."""
    if isinstance(value, dict) and value and chance.random() < 0.7:
        key = chance.choice(list(value))
        return value | {key: _odd(value[key], chance)}
    if isinstance(value, list) and value and chance.random() < 0.7:
        place = chance.randrange(len(value))
        return [*value[:place], _odd(value[place], chance), *value[place + 1 :]]
    return chance.choice(VALUES)


def kits(chance: random.Random) -> Iterator[str]:
    """Such files, of a kit in TOML."""
    yield from (
        "",
        "[",
        "\0",
        "x = 1",
        "[[probes]]",
        "probes = 5",
        "probes = [5]",
        "[probes]\nlabel = 5",
        "a = " + "9" * 5_000,
    )
    lines = KIT.strip().splitlines()
    places = [n for n, line in enumerate(lines) if " = " in line]
    while True:
        place = chance.choice(places)
        name = lines[place].split(" = ")[0]
        new = "" if chance.random() < 0.1 else f"{name} = {chance.choice(OF_TOML)}"
        yield "\n".join([*lines[:place], new, *lines[place + 1 :]]).replace(" Q", f" {chance.getrandbits(40)}")


def attack_by_files(services: Services, client: FlaskClient, seed: int, count: int) -> tuple[int, list[str]]:
    """Take in so many; how many were taken, and every one that ended in no sentence or broke a page."""
    chance, wrong, taken = random.Random(seed), list[str](), 0
    exchange, loading = (
        Exchange(services.ledger.database, services.clock),
        Loading(services.ledger.database, services.clock),
    )
    made = files(exported(services), chance)
    kinds = [(exchange.take_in, made), (loading.load, kits(chance))]
    for number in range(count):
        take, texts = kinds[number % 3 == 2]
        text = next(texts)
        try:
            take(text)
            taken += 1
        except InvalidInput as refused:
            words = str(refused)
            if not re.search(r"[A-Za-z][a-z].{8,}", words) or len(words) > 3_000:
                wrong.append(f"refused without a sentence: {words[:200]!r}")
        except Exception:
            wrong.append(f"{traceback.format_exc(limit=-3)[-600:]} for {text[:200]!r}")
    seen, _ = walk(client)
    wrong += [f"{path} answers {status}" for path, status in seen.items() if status >= 500]
    for name in ("calibrations.csv", "calibrations.json", "calibrations.jsonl", "readings.csv", "readings.json"):
        answer = client.get(f"/ledger/{name}", base_url=BASE)
        if answer.status_code != 200:
            wrong.append(f"/ledger/{name} answers {answer.status_code}")
    return taken, wrong
