"""An installation of the version before gets keys for what it says; its words stay as they were."""

from __future__ import annotations

from collections import Counter
from typing import Any

import psycopg
import pytest
from psycopg.rows import dict_row
from psycopg.types.json import Jsonb
from tests.conftest import Urls

from brumel.core.findings import Finding
from brumel.core.said import Value, as_value, says
from brumel.core.sensing.principles import principles
from brumel.core.shipped_rules import shipped
from brumel.core.words.catalogue import share_words, word
from brumel.launch.cluster import APPLICATION
from brumel.services.said import deviation_columns, findings_of, lines_of
from brumel.store import schema
from brumel.store.frozen_words import frozen, keyed, otherwise

FINDINGS = ("calibration_finding", "reading_finding")


@pytest.fixture(scope="module")
def template(demonstrated: str) -> str:
    return demonstrated


def rows(url: str, query: str) -> list[dict[str, Any]]:
    with psycopg.connect(url, row_factory=dict_row) as connection:
        return connection.execute(query).fetchall()


def findings(url: str, table: str) -> list[dict[str, Any]]:
    return rows(url, f"SELECT * FROM {table} ORDER BY {'run_id' if 'calibration' in table else 'reading_id'}, ordinal")


def otherwise_at_some(urls: Urls) -> None:
    """Put deviations to the first points, as taking a point does: the demonstration has none."""
    of_a_hurry: list[Value] = [d.said for d in shipped().deviations.values()] + [
        says("deviation.because", why="rain: all wet")
    ]
    columns = deviation_columns([*of_a_hurry, "its cup stood in the sun"])
    with psycopg.connect(urls.owner) as connection:
        connection.execute("ALTER TABLE calibration_point DISABLE TRIGGER USER")
        connection.execute(
            "UPDATE calibration_point SET deviations = %s, deviations_said = %s WHERE step = 'acid'",
            (columns["deviations"], Jsonb(columns["deviations_said"])),
        )
        connection.execute("ALTER TABLE calibration_point ENABLE TRIGGER USER")


@pytest.fixture(scope="module")
def before_and_after(urls: Urls) -> tuple[dict[str, Any], dict[str, Any]]:
    """All that is said, as this version recorded it, and after a way back to the version before and here again."""

    def said() -> dict[str, Any]:
        budgets = rows(urls.owner, "SELECT id, source, budget, settling_words, settling_said FROM reading ORDER BY id")
        points = rows(urls.owner, "SELECT id, deviations, deviations_said FROM calibration_point ORDER BY id")
        return {"reading": budgets, "point": points} | {table: findings(urls.owner, table) for table in FINDINGS}

    otherwise_at_some(urls)
    before = said()
    schema.downgrade(urls.owner, "0022")
    with psycopg.connect(urls.owner) as connection:
        old = connection.execute("SELECT budget FROM reading WHERE budget::text LIKE '%\"key\"%' LIMIT 1").fetchone()
    assert old is None, "the version before knows no keys"
    schema.upgrade(urls.owner, APPLICATION)
    return before, said()


def test_every_line_of_a_working_has_its_key_and_says_the_words_that_were_read(urls: Urls) -> None:
    """A reading of an older version, or of a later one, says its words alone."""
    keyless = 0
    for kept in rows(urls.owner, "SELECT working, working_said, derived FROM reading"):
        for one in (kept, *kept["derived"]):
            said = one["working_said"]
            keyless += sum(isinstance(line, str) for line in said)
            assert [str(word(as_value(line))) for line in said] == one["working"]
            assert lines_of(None, one["working"]) == one["working"]
            assert lines_of([{"key": "of a later version"}], one["working"]) == one["working"]
    assert keyless == 0


def test_every_contribution_gets_the_key_that_this_version_gives_it(
    before_and_after: tuple[dict[str, Any], dict[str, Any]],
) -> None:
    before, after = before_and_after
    for was, now in zip(before["reading"], after["reading"], strict=True):
        assert now["budget"] == was["budget"], was["source"]
        assert now["settling_said"] == was["settling_said"], was["settling_words"]
    some = Counter(c["key"] for r in after["reading"] for c in r["budget"])
    assert {"line", "temperature", "signal", "reading.ph"} <= set(some)


def test_what_was_otherwise_at_a_point_gets_its_keys(before_and_after: tuple[dict[str, Any], dict[str, Any]]) -> None:
    before, after = before_and_after
    assert after["point"] == before["point"]
    assert any(p["deviations_said"] for p in after["point"])


@pytest.mark.parametrize("table", FINDINGS)
def test_every_finding_is_worded_as_before_and_what_has_no_numbers_by_its_key(
    before_and_after: tuple[dict[str, Any], dict[str, Any]], table: str
) -> None:
    before, after = (found[table] for found in before_and_after)
    for was, now in zip(before, after, strict=True):
        (old,), (new,) = findings_of([was]), findings_of([now])
        assert said(new) == said(old) == (was["sentence"], was["remedy"], was["source"])
        if not was["said"]["says"].get("values"):
            assert new.says.key == old.says.key
    assert any(f["said"].get("remedy", {}).get("key", "verbatim") != "verbatim" for f in after)
    assert all(f["said"]["source"] == b["said"]["source"] for f, b in zip(after, before, strict=True))


def said(found: Finding) -> tuple[str, str, str]:
    return str(word(found.says)), str(word(found.remedy)), str(word(found.source))


def test_every_deviation_of_the_versions_before_has_its_key() -> None:
    """The frozen words are those of the catalogue when it was frozen; what was typed stays as typed."""
    known = frozen("otherwise")
    assert set(known.values()) == {
        *shipped().deviations,
        *(a.key for p in principles() for s in p.asks.values() for a in s),
    }
    given = ["rinse skipped", "because: no water: none", "taken all the same: late", "stood on its head"]
    said = otherwise(given)
    assert [str(word(as_value(d))) for d in said] == given
    assert [d if isinstance(d, str) else d["key"] for d in said] == [
        "rinse-skipped", "deviation.because", "deviation.all-the-same", "stood on its head",
    ]  # fmt: skip
    assert otherwise(said) == said, "keyed once"


def test_a_file_of_an_earlier_version_gets_its_keys_and_what_is_not_known_keeps_its_words() -> None:
    old = [{"name": "temperature", "u": 0.1}, {"name": "potential", "u": 0.2}, {"name": "the moon", "u": 0.3}]
    assert [c.get("key") for c in keyed(old, derived=False)] == ["temperature", "signal", None]
    assert [c.get("key") for c in keyed(old[:1], derived=True)] == ["reading.temperature"]
    assert keyed(keyed(old, derived=False), derived=True) == keyed(old, derived=False), "keyed once"
    assert keyed("no budget", derived=False) == "no budget"
    assert [str(share_words(c["key"], c.get("of", ""))) for c in keyed(old[:2], derived=False)] == [
        "temperature", "potential"
    ]  # fmt: skip
