"""One combined pH and conductivity solution: one bottle, two values, one pour for two runs, each weaker."""

from __future__ import annotations

import uuid
from datetime import timedelta

import pytest

from brumel.core.findings import Level
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput
from brumel.services.shelf.lots import LotEntry
from brumel.services.shelf.typed_lot import NewLot
from tests.conftest import NOW
from tests.said import sentence
from tests.services.world import World

SHARED_CUP = "cup-shared"


def received(world: World, number: str, **given: object) -> uuid.UUID:
    fields: dict[str, object] = {
        "family": "combined", "nominal": 4.0, "expires_on": NOW.date() + timedelta(days=200), "content": 500.0,
        "table": "15 3.99\n20 4.00\n25 4.00\n30 4.01", "also_us_cm": 2530.0,
        "also_table": "15 2030\n20 2280\n25 2530\n30 2790", "also_u": 13.0,
    }  # fmt: skip
    new = NewLot(uuid.uuid4(), "ph-buffer", number, **fields | given)  # type: ignore[arg-type]
    return world.at().shelf.receive(new, world.person)


def faces(world: World, number: str) -> dict[str, LotEntry]:
    entries = world.at().shelf.entries(discarded=True)
    return {e.lot.standard: e for e in entries if e.lot.lot_number.startswith(number)}


def run(world: World, kind: str, method: str, role: str, lot: uuid.UUID, kit: str) -> uuid.UUID:
    begin = Begin(uuid.uuid4(), world.other_probe(kind, kit), method, "distilled-once", {role: lot})
    return world.at().calibrations.begin(begin, world.person)


def test_one_bottle_stands_on_the_shelf_as_two_standards_that_go_together(world: World) -> None:
    lot_id = received(world, "K-1")
    both = faces(world, "K-1")
    assert set(both) == {"ph-buffer", "conductivity"}
    assert both["conductivity"].lot.nominal == 2530.0
    assert both["conductivity"].lot.certificate_u == 13.0
    assert both["conductivity"].lot.value_table[0] == [15.0, 2030.0]
    world.at().shelf.use(both["conductivity"].lot.id, uuid.uuid4(), 100.0, "", world.person)
    world.at().shelf.use(lot_id, uuid.uuid4(), 50.0, "", world.person)
    assert [e.facts.left for e in faces(world, "K-1").values()] == [350.0, 350.0]
    world.at().shelf.open(both["conductivity"].lot.id, uuid.uuid4(), world.person)
    assert {e.lot.opened_on for e in faces(world, "K-1").values()} == {NOW.date()}
    world.at().shelf.discard(lot_id, uuid.uuid4(), "cloudy", world.person)
    assert {e.lot.discarded_on for e in faces(world, "K-1").values()} == {NOW.date()}


def test_one_pour_two_runs_each_weaker_by_its_own_value_at_its_temperature(world: World) -> None:
    lot_id = received(world, "K-2")
    salts = faces(world, "K-2")["conductivity"].lot.id
    ph = run(world, "ph-combination", "ph-combined", "combined-ph", lot_id, "Greenhouse kit")
    cell = world.other_probe("conductivity-1", "Greenhouse kit")
    services = world.at()
    services.calibrations.take(ph, TakePoint(uuid.uuid4(), "combined", 175.0, 20.0, device=False), world.person)
    view = world.sign(ph)
    assert view.steps[0].point is not None
    assert view.steps[0].point.target == 4.00
    by_code = {f.code: f for f in view.findings}
    assert by_code["leaves-open"].level is Level.DOUBTFUL
    assert "the slope, which is taken over" in sentence(by_code["leaves-open"])
    assert "one-point" in by_code
    assert [p.id for p in services.calibrations.same_pour(ph)] == [cell]
    begin = Begin(uuid.uuid4(), cell, "conductivity-combined", "distilled-once", {"combined-conductivity": salts})
    services.calibrations.begin(begin, world.person)
    point = TakePoint(
        uuid.uuid4(), "combined", 2290.0, 20.0, device=False, meter_did={"method": "none"}, deviations=(SHARED_CUP,),
        deviation_reason="one pour for both",
    )  # fmt: skip
    services.calibrations.take(begin.run_id, point, world.person)
    view = world.sign(begin.run_id)
    assert view.steps[0].point is not None
    assert view.steps[0].point.target == 2280.0
    assert view.response is not None
    assert view.response["cell-constant"] == pytest.approx(2280.0 / 2290.0, rel=0.01)
    by_code = {f.code: f for f in view.findings}
    assert "every range but this one" in sentence(by_code["leaves-open"])
    assert "cup shared with another probe; because: one pour for both" in sentence(by_code["deviation"])
    # One cup of 30 mL went into both.
    assert [e.facts.left for e in faces(world, "K-2").values()] == [470.0, 470.0]


def test_a_used_sachet_or_an_earlier_meter_is_kept_with_its_size(world: World) -> None:
    received(world, "K-3")
    salts = faces(world, "K-3")["conductivity"].lot.id
    run_id = run(
        world, "conductivity-1", "conductivity-combined", "combined-conductivity", salts, "Kit of the sachet"
    )  # fmt: skip
    otherwise = ("sachet-used", "bottle-opened")
    point = TakePoint(
        uuid.uuid4(), "combined", 2500.0, 25.0, device=False, meter_did={"method": "none"}, deviations=otherwise,
        deviation_reason="the last one",
    )  # fmt: skip
    world.at().calibrations.take(run_id, point, world.person)
    finding = next(f for f in world.at().calibrations.view(run_id).findings if f.code == "deviation")
    # 0.01 · (500 − 2 530) / 2 530
    assert "1 % of fresh water left in it puts it off by −0.8 %." in sentence(finding)
    assert "bottle opened earlier for another meter" in sentence(finding)


@pytest.mark.parametrize(
    ("given", "field", "words"),
    [
        ({"also_us_cm": None}, "also_us_cm", "Give its conductivity too: one solution, two values."),
        ({"also_us_cm": -3.0}, "also_us_cm", "The value of a standard must be above 0"),
        ({"also_table": "20 x"}, "also_table", "Line 1 can't be read: write temperature and value, like 20 1278."),
        (
            {"also_table": "25 1413"},
            "also_table",
            "At 25 °C the table has 1413, the label 2530: one",
        ),
        ({"also_u": 0.0}, "also_u", "An uncertainty must be from 0.000001"),
        ({"family": "technical", "table": ""}, "also_us_cm", "Only a combined solution has two values: choose that"),
    ],
)
def test_what_cannot_be_is_asked_in_its_field(
    world: World, given: dict[str, object], field: str, words: str
) -> None:  # fmt: skip
    with pytest.raises(InvalidInput) as refused:
        received(world, f"K-{uuid.uuid4()}", **given)
    assert refused.value.fields[field].startswith(words)


def test_an_ordinary_buffer_is_no_combined_one(world: World) -> None:
    with pytest.raises(InvalidInput, match="can't be the combined-ph one"):
        run(world, "ph-combination", "ph-combined", "combined-ph", world.lots["4.01"].id, "Kit")
