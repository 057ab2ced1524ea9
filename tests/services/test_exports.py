"""What goes out as CSV and JSON: headers and keys as others have come to rely on them, and how values were accepted."""

from __future__ import annotations

import csv
import io
import json
import uuid
from collections.abc import Iterable
from dataclasses import replace
from datetime import timedelta

import pytest

from brumel.services.ledger.records import Filter
from brumel.services.probes.care_log import NewCare
from brumel.store.database import Database
from tests.conftest import NOW
from tests.services.world import World

CALIBRATIONS = [
    "calibration_id", "started_at", "probe", "probe_serial", "begun_by", "method", "status", "signed_at", "signed_by",
    "kept_by", "reference", "coefficients", "findings", "came", "found_by",
    "step", "use", "superseded", "taken_at", "source", "lot",
    "beside", "family", "nominal", "target", "target_u", "target_unit", "signal", "signal_unit", "shown_before",
    "shown_after", "temperature_c", "pressure_hpa", "settled", "settling_s", "deviations",
    "as_found", "as_found_off", "as_left_off", "residual", "off_unit",
]  # fmt: skip
READINGS = [
    "reading_id", "taken_at", "site", "site_name", "probe", "probe_serial", "instrument", "visit_id", "depth_m",
    "layer", "replicate", "taken_by", "quantity", "qualifier", "value",
    "u", "expanded_u", "unit", "temperature_c", "source", "signal", "signal_unit", "shown", "meter_setting_c",
    "meter_did", "pressure_hpa", "salinity", "conductivity_us_cm",
    "reference", "derived", "level", "keeps", "limits", "typed_as",
    "findings", "calibration_id", "settled", "settling_s", "despite", "note",
    "amends",
    "amend_reason",
]  # fmt: skip


CARE = [
    "entry_id", "at", "probe", "probe_serial", "what", "words", "detail", "minutes", "level", "by", "note", "withdrawn",
]  # fmt: skip


@pytest.fixture(scope="module")
def world(database: Database) -> World:
    made = World(database)
    probe = made.probe()
    made.calibrated(probe, NOW - timedelta(hours=1))
    made.read(probe, note="=HYPERLINK(1)")
    made.read(probe, source="typed-value", signal=None, shown=7.4)
    on_line = made.probe(device=True)
    made.calibrated(on_line)
    made.samples(on_line, [-20.0] * 40)
    made.read(on_line, source="device", after_seq=0, signal=None, temperature_c=None)
    return made


def rows(pieces: Iterable[str]) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO("".join(pieces))))


def test_the_headers_stay(world: World) -> None:
    ledger = world.at().ledger
    assert "".join(ledger.calibrations_csv(Filter())).splitlines()[0].split(",") == CALIBRATIONS
    assert "".join(ledger.readings_csv(Filter())).splitlines()[0].split(",") == READINGS
    assert "".join(ledger.care_csv(Filter())).splitlines()[0].split(",") == CARE
    calibration = json.loads(ledger.calibrations_json(Filter()))["calibrations"][0]
    begun = CALIBRATIONS.index("step")
    assert set(calibration) == {*CALIBRATIONS[:begun], "points", "amendments"}
    assert list(calibration["points"][0]) == CALIBRATIONS[begun:]
    reading = json.loads(ledger.readings_json(Filter()))["readings"][0]
    assert set(reading) == {*READINGS, "working", "working_said", "budget"}


def test_how_a_value_was_accepted_goes_out_with_it(world: World) -> None:
    ledger = world.at().ledger
    assert {r["settled"] for r in rows(ledger.calibrations_csv(Filter()))} == {"by-eye"}
    found = {r["source"]: r["settled"] for r in rows(ledger.readings_csv(Filter()))}
    assert found == {"typed-signal": "by-eye", "typed-value": "by-eye", "device": "settled"}


def test_the_figures_of_a_run_and_a_reading(world: World) -> None:
    """A slope of 98.5 % and an offset of 2.0 mV, typed without an error; U by hand from the pinned budget's parts."""
    run = rows(world.at().ledger.calibrations_csv(Filter()))[-1]
    assert run["coefficients"] == "offset 2.00 mV (fitted, u 0.344); slope 98.50 % (fitted, u 0.242)"
    assert (run["step"], run["use"], run["superseded"], run["nominal"]) == (
        "alkaline",
        "adjust",
        "no",
        "10.01",
    )
    assert run["status"] == "sound"
    assert run["method"] == "ph-neutral-acid-alkaline v1"
    typed = next(r for r in rows(world.at().ledger.readings_csv(Filter())) if r["source"] == "typed-signal")
    # pH = 7 − (−20 − 2) / (0.985 · 58.56 mV), k at 22 °C
    assert float(typed["value"]) == pytest.approx(7.381, abs=0.001)
    assert float(typed["expanded_u"]) == pytest.approx(2 * float(typed["u"]), abs=2e-4)
    assert 0.04 < float(typed["expanded_u"]) < 0.05
    assert typed["note"] == "'=HYPERLINK(1)"  # a spreadsheet would run it


def test_a_shown_ph_stands_on_no_line_of_ours(world: World) -> None:
    shown = next(r for r in rows(world.at().ledger.readings_csv(Filter())) if r["source"] == "typed-value")
    assert shown["calibration_id"] == ""
    assert shown["expanded_u"] == "0.2"
    assert "doubtful meter-unknown" in shown["findings"]


def test_a_meters_stated_accuracy_makes_its_u(world: World) -> None:
    """±0.02 and two digits of 0.01 as limits, a display's last step, the junction: by hand, JCGM 100:2008."""
    meter_id = world.meter(accuracy={"ph": "±0.02, 2 digits, steps of 0.01"})
    probe = world.at().states.probe(world.other_probe("ph-combination", meter_id=meter_id))
    reading = world.read(probe, source="typed-value", signal=None, shown=7.40).reading
    by_hand = (0.04**2 / 3 + 0.01**2 / 12 + 0.02**2) ** 0.5
    assert reading.u == pytest.approx(by_hand, abs=1e-6)
    assert {c["name"] for c in reading.budget} == {
        "the meter's stated accuracy", "resolution of the display", "junction in the sample",
    }  # fmt: skip


def test_what_was_left_of_an_approach_widens_u(world: World) -> None:
    """Two probes alike; one is read while it still creeps within the rule, on its way to where it goes."""
    import math

    stands, creeps = world.probe(device=True), world.probe(device=True)
    for probe in (stands, creeps):
        world.calibrated(probe)
    world.samples(stands, [-20.0 + 100.0 * math.exp(-t / 5.0) for t in range(120)])
    world.samples(creeps, [-20.0 + 100.0 * math.exp(-t / 60.0) for t in range(340)])
    given = {"source": "device", "after_seq": 0, "signal": None, "temperature_c": None}
    still, creeping = (world.read(p, **given).reading for p in (stands, creeps))
    left = {c["name"]: c["u"] for c in creeping.budget}["left of the approach"]
    # At the mean of the last window, t = 309 to 339 s: 100 mV · e^(−t/60), as pH.
    by_hand = sum(100.0 * math.exp(-t / 60.0) for t in range(309, 340)) / 31 / (0.985 * 58.56)
    # Beside it stands what a slow part, which no trace of minutes shows, may have left.
    assert by_hand * 0.9 < left < by_hand * 1.6
    assert creeping.u > still.u
    assert {c["name"]: c["u"] for c in still.budget}["left of the approach"] < by_hand


def test_care_and_inspections_stand_in_the_ledger_with_the_same_filters(world: World) -> None:
    probe, other = world.probe(), world.probe()
    kit, ledger = world.at().kit, world.at().ledger
    wrong, old = uuid.uuid4(), NOW - timedelta(days=3)
    kit.log(probe.id, NewCare(uuid.uuid4(), "cleaned", old, "cleaning solution", 15.0, "a film"), world.person)
    kit.log(probe.id, NewCare(wrong, "dropped"), world.person)
    kit.withdraw(wrong, "another probe", world.person)
    asked = {q.key: True for q in kit.life(probe.id).card.kind.inspection}
    kit.inspect(probe.id, uuid.uuid4(), asked | {next(iter(asked)): False}, "", world.person)
    kit.log(other.id, NewCare(uuid.uuid4(), "cleaned"), world.person)
    own = Filter(probe_id=probe.id)
    page = ledger.care(own)
    assert page.rows[-1].what == "cleaned"  # three days ago, the newest come first
    assert {e.what: e.withdrawn for e in page.rows} == {"inspection": "", "dropped": "another probe", "cleaned": ""}
    assert [e.what for e in ledger.care(replace(own, level="unfit")).rows] == ["inspection"]
    assert [e.what for e in ledger.care(replace(own, until=old.date())).rows] == ["cleaned"]
    assert {e.probe for e in ledger.care(Filter()).rows} == {probe.label, other.label}
    (cleaned,) = rows(ledger.care_csv(replace(own, until=old.date())))
    assert (cleaned["detail"], cleaned["minutes"], cleaned["note"]) == ("cleaning solution", "15.0", "a film")
    assert cleaned["at"] == old.isoformat()
    told = {entry["what"]: entry for entry in json.loads(ledger.care_json(own))["care"]}
    assert list(told["inspection"]["answers"].values()).count(False) == 1
    assert told["cleaned"]["answers"] == {}
