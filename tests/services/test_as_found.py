"""What a run found before anything was adjusted: what the calibration before would have shown in each standard."""

from __future__ import annotations

import csv
import io
import json
import uuid
from collections.abc import Mapping
from datetime import timedelta

import pytest

from brumel.core.findings import Level
from brumel.core.sensing.run import Came
from brumel.core.words.catalogue import word
from brumel.services.calibrating.as_found import AsFound, PointFound
from brumel.services.calibrating.shown import RunView
from brumel.services.ledger.records import Filter
from brumel.services.probes.care_log import NewCare
from brumel.store.models.reference import Probe
from tests.conftest import NOW
from tests.services.world import World

DAY, HOUR = timedelta(days=1), timedelta(hours=1)
MV_PER_PH = 0.97 * 58.563
"""Of an electrode of 97 % at 22 °C: Nernst's 0.198416 mV/K · 295.15 K, by hand."""


def drifted(world: World, before: Mapping[str, float], now: Mapping[str, float]) -> tuple[Probe, RunView]:
    """Calibrated two days ago, and again now that the electrode is another."""
    probe = world.probe()
    world.calibrated(probe, NOW - 2 * DAY, **before)
    return probe, world.calibrated(probe, NOW, **now)


def by_step(view: RunView) -> dict[str, PointFound]:
    assert view.as_found is not None
    return {s.key: view.as_found.points[s.point.id] for s in view.steps if s.point}


def cared(world: World, probe: Probe, care: str, before: timedelta, detail: str = "") -> None:
    world.at().kit.log(probe.id, NewCare(uuid.uuid4(), care, NOW - before, detail=detail), world.person)


def test_an_offset_that_crept_is_found_in_every_buffer(world: World) -> None:
    """3 mV more read 3 / (0.97 · 58.563) = 0.0528 pH too low by the line of before."""
    _, view = drifted(world, {"slope": 97.0, "offset": 5.0}, {"slope": 97.0, "offset": 8.0})
    assert view.as_found is not None
    assert view.as_found.came is Came.AS_IT_CAME
    assert view.as_found.before is not None
    for found in by_step(view).values():
        assert found.before is not None
        assert found.before.off.value == pytest.approx(-3.0 / MV_PER_PH, abs=2e-4)
        assert found.before.level is Level.DOUBTFUL
        assert found.after is not None
        assert (found.read_again, found.after.off.value) == (False, pytest.approx(0.0, abs=1e-6))


def test_the_first_run_finds_nothing_known(world: World) -> None:
    view = world.calibrated(world.probe())
    assert view.as_found is not None
    assert view.as_found.came is Came.NOT_KNOWN
    assert str(word(view.as_found.why)) == "Not known: no calibration stands before."
    assert all(found.before is None and found.after for found in by_step(view).values())


@pytest.mark.parametrize(
    ("care", "came", "why"),
    [
        ("electrode-changed", Came.NOT_KNOWN, "Not known: electrode changed since its last calibration."),
        ("cleaned", Came.CLEANED, "It was cleaned first: what it read is no check of the day before."),
        ("stored", Came.AS_IT_CAME, "Read as it came, before anything was adjusted."),
    ],
)
def test_what_was_done_to_it_since(world: World, care: str, came: Came, why: str) -> None:
    probe = world.probe()
    world.calibrated(probe, NOW - 2 * DAY)
    cared(world, probe, care, 6 * HOUR, "storage solution" if care == "stored" else "")
    found = world.calibrated(probe).as_found
    assert found is not None
    assert (found.came, str(word(found.why))) == (came, why)
    assert (found.before is None) == (found.worst is None) == (came is Came.NOT_KNOWN)


def test_cleaned_before_its_last_reading_it_came_as_it_was_used(world: World) -> None:
    probe = world.probe()
    world.calibrated(probe, NOW - 2 * DAY)
    cared(world, probe, "cleaned", DAY)
    world.read(probe, NOW - HOUR)
    found = world.calibrated(probe).as_found
    assert found is not None
    assert found.came is Came.AS_IT_CAME


def test_what_was_withdrawn_afterwards_stood_then(world: World) -> None:
    probe, view = drifted(world, {"offset": 5.0}, {"offset": 8.0})
    before = view.as_found and view.as_found.before
    assert before
    supervisor = world.at().people.add("sue", "Sue", "supervisor", "a long password")
    world.at(NOW + HOUR).calibrations.amend(before.id, uuid.uuid4(), supervisor, "wrong probe", withdraw=True)
    again = world.at().calibrations.view(view.run.id).as_found
    assert again is not None
    assert again.before is not None
    third = world.calibrated(probe, NOW + 2 * HOUR)
    assert third.as_found
    assert third.as_found.before
    assert third.as_found.before.id == view.run.id


def test_a_check_after_adjusting_is_as_left(world: World) -> None:
    probe = world.probe()
    run_id = world.begin(
        probe, {"side": "4.01", "opposite": "10.01"}, method="ph-neutral-side-check", sites=(world.site.id,)
    )
    steps = [s.key for s in world.at().calibrations.view(run_id).steps]
    for step in steps:
        world.take(run_id, step, off_ph=0.03 if step == steps[-1] else 0.0)
    found = by_step(world.sign(run_id))
    assert [found[step].read_again for step in steps] == [False, False, True]
    last = found[steps[-1]].after
    assert last is not None
    assert last.off.value == pytest.approx(0.03, abs=1e-3)


def test_a_check_alone_finds_and_leaves_the_same(world: World) -> None:
    probe = world.probe()
    world.calibrated(probe, NOW - DAY, slope=97.0, offset=5.0)
    run_id = world.begin(probe, method="ph-check", lots={"side": "4.01"}, sites=(world.site.id,))
    for step in ("neutral", "side"):
        world.take(run_id, step, slope=97.0, offset=5.0, off_ph=0.1)
    for found in by_step(world.sign(run_id)).values():
        assert found.after is None
        assert found.before is not None
        assert found.before.off.value == pytest.approx(0.1, abs=1e-3)
        assert found.before.level is Level.UNFIT


def worst_of(found: AsFound | None) -> float:
    assert found is not None
    assert found.worst is not None
    return found.worst.off.value


def test_list_and_files_say_the_same_as_the_page(world: World) -> None:
    probe, view = drifted(world, {"slope": 97.0, "offset": 5.0}, {"slope": 96.0, "offset": 8.0})
    ledger, of_it = world.at().ledger, Filter(probe_id=probe.id)
    worst = worst_of(view.as_found)
    assert worst_of(ledger.calibrations(of_it).rows[0].as_found) == worst
    lines = [r for r in csv.DictReader(io.StringIO("".join(ledger.calibrations_csv(of_it)))) if r["found_by"]]
    assert {r["came"] for r in lines} == {"as-it-came"}
    assert min(float(r["as_found_off"]) for r in lines) == pytest.approx(worst, abs=1e-4)
    assert all(r["residual"] and not r["as_left_off"] for r in lines)
    record, first = json.loads(ledger.calibrations_json(of_it))["calibrations"]
    assert [p["as_found_off"] for p in record["points"]] == [float(r["as_found_off"]) for r in lines]
    assert (first["came"], first["found_by"]) == ("not-known", None)
    file = json.loads(ledger.calibration_file(view.run.id))["as_found"]
    assert json.loads(ledger.calibrations_jsonl(of_it).splitlines()[0])["as_found"] == file
    assert min(p["before"]["off"] for p in file["points"]) == worst
    assert (file["came"], file["before"]) == ("as-it-came", first["calibration_id"])
