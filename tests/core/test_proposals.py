"""What the guided start proposes can be entered as it stands, and what it reads of files."""

from __future__ import annotations

import pytest

from brumel.core.errors import CoreError
from brumel.core.quantities.quantity import quantities
from brumel.core.shipped_rules import shipped
from brumel.core.standards.targets import Bottle, check_bottle, families_of
from brumel.core.start.proposal import FIELDS, gears, propose, read_file, works

ALL = propose([w.key for w in works(shipped())], [g.key for g in gears(shipped())], shipped())
TOML = """
[[sites]]
name = "Mill pond"
code = "MILL"
water_kind = "warm-water pond"
visit_every_days = 1

[[lots]]
standard = "ph-buffer"
family = "technical"
nominal = 7.0
lot_number = "B7"
expires_on = 2027-06-30
"""
CSV = """what;name;code;water_kind;label;kind;serial;kit
sites;Mill pond;MILL;warm-water pond;;;;
probes;;;;A1;ph-combination;78;Kit 1
"""


def test_all_that_is_proposed_is_known() -> None:
    assert {row["water_kind"] for row in ALL.rows["sites"]} <= set(shipped().waters)
    assert {row["kind"] for row in ALL.rows["probes"]} <= set(shipped().kinds)
    assert {row["meter"] for row in ALL.rows["probes"]} <= {row["label"] for row in ALL.rows["meters"]}
    for row in ALL.rows["lots"]:
        assert row["family"] in families_of(row["standard"])
        check_bottle(Bottle(row["standard"], row["family"], float(row["nominal"])))
    assert ALL.rinse in shipped().rinses
    assert all(
        shipped().procedure(code) in shipped().procedures_of(principle) for principle, code in ALL.methods.items()
    )
    for row in ALL.rows["instruments"]:
        for said in row["sees"].split(";"):
            key, low, high, *gives = said.split()
            assert float(low) < float(high)
            assert {*gives} <= {g.key for g in quantities()[key].gives}
    for section, rows in ALL.rows.items():
        assert all(set(row) <= set(FIELDS[section]) for row in rows)
        labels = [row.get("label") or row.get("code") for row in rows if section != "lots"]
        assert len(labels) == len(set(labels))


@pytest.mark.parametrize("work", [w.key for w in works(shipped())])
def test_each_water_is_read_with_each_gear_that_can(work: str) -> None:
    found = propose([work], ["handheld"], shipped())
    assert found.rows["sites"]
    assert {shipped().kinds[row["kind"]].quantity for row in found.rows["probes"]} >= {"ph"}
    assert found.rows["lots"]


def test_nothing_chosen_proposes_nothing() -> None:
    assert not any(propose([], ["handheld", "nonsense"], shipped()).rows.values())
    assert propose(["ponds"], [], shipped()).rows["sites"]


def test_toml_and_csv_give_rows_as_they_are_typed() -> None:
    found = read_file(TOML, shipped()).rows
    assert found["lots"][0]["nominal"] == "7"
    assert found["lots"][0]["expires_on"] == "2027-06-30"
    table = read_file(CSV, shipped())
    assert table.rows["sites"] == [{"name": "Mill pond", "code": "MILL", "water_kind": "warm-water pond"}]
    assert table.rows["probes"][0]["label"] == "A1"
    assert table.methods == {"glass": "ph-neutral-acid-alkaline"}
    assert read_file(CSV.replace(";", ","), shipped()).rows == table.rows


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "The first line of a CSV file names its columns"),
        ("a,b\n1,2\n", "one is what"),
        ("what,name\nsites,a,b\n", "Line 2 has more cells"),
        ("what,name\nboats,a\n", "'boats' is none of sites"),
        ("what,colour\nsites,red\n", "sites: colour is not known"),
        ("what,name\n", "The file has no rows"),
        ("[[sites", "The file is not TOML"),
        ("[sites]\nname = 'a'", r"begin each with \[\[sites\]\]"),
        ("[[sites]]\nname = ['a']", "is no text and no number"),
        ("[[devices]]\nurl = 'socket://x'", "'devices' is none of"),
        ("what,name\n" + "sites,a\n" * 61, "At most 60 rows of each are taken at once: enter more with ./brumel load."),
    ],
)  # fmt: skip
def test_what_can_not_be_read_is_said_in_a_line(text: str, words: str) -> None:
    with pytest.raises(CoreError, match=words):
        read_file(text, shipped())
