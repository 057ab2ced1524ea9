"""What is asked at a step, and what must be waited for: answered, left open, or overridden with a reason."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import pytest

from brumel.core import tables
from brumel.core.errors import CoreError
from brumel.core.findings import Level
from brumel.core.place.station_pressure import Pressure
from brumel.core.place.surroundings import Surroundings
from brumel.core.shipped_rules import shipped
from brumel.services.application import Services
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput
from brumel.services.readings.draft import NewReading
from tests.conftest import NOW
from tests.said import sentence, source
from tests.services.world import DESPITE, World


def air(world: World, water_c: float | None = None) -> uuid.UUID:
    """A run of a cap in air, begun at noon."""
    probe_id = world.other_probe("oxygen-optical")
    place = Surroundings(Pressure(1010.0), water_c=water_c)
    begin = Begin(uuid.uuid4(), probe_id, "luminescence-air", "distilled-once", {}, despite=DESPITE, place=place)
    return world.at().calibrations.begin(begin, world.person)


def take(
    world: World, run_id: uuid.UUID, so: Sequence[str] | None = None, *, reason: str = "", t: float = 25.0,
    step: str = "air",
) -> None:  # fmt: skip
    point = TakePoint(uuid.uuid4(), step, 57.6, t, device=False, so=so, unsettled_reason=reason)
    world.at().calibrations.take(run_id, point, world.person)


DRY_AIR = "in open air, not above water or in a damp sleeve"
ALL = ("cap-wet", "open-air", "wind")


@pytest.mark.parametrize(
    ("so", "kept"),
    [
        (ALL, []),
        (ALL[:2], ["in wind or near people"]),
        (["none"], ["a wet cap in the air", DRY_AIR, "in wind or near people"]),
        (None, []),  # another way in, where nobody was asked
    ],
)  # fmt: skip
def test_what_is_not_said_to_be_so_is_kept_with_the_point(
    world: World, so: Sequence[str] | None, kept: list[str]
) -> None:
    run_id = air(world)
    take(world, run_id, so)
    view = world.at().calibrations.view(run_id)
    point = view.step("air").point
    assert point is not None
    assert list(point.deviations) == kept
    assert ("deviation" in {f.code for f in view.findings}) is bool(kept)


def test_a_question_that_nobody_answered_is_asked_again(world: World) -> None:
    with pytest.raises(InvalidInput) as refused:
        take(world, air(world), [])
    assert refused.value.fields == {"so": "Look, and tick what is so; what isn't ticked is kept with the point."}


def test_air_and_waters_far_apart_are_waited_for(world: World) -> None:
    run_id = air(world, water_c=12.0)
    with pytest.raises(InvalidInput) as refused:
        take(world, run_id, t=24.0)
    assert refused.value.fields == {
        "apart": "The air has 24.0 °C, the waters 12.0 °C: more than 10 °C apart, "
        "and what corrects the probe for temperature is not that good. "
        "Hang the bottle in the water for half an hour, or say why not."
    }
    take(world, run_id, t=24.0, reason="no time before the tide")
    view = world.at().calibrations.view(run_id)
    assert "air-and-water-apart" in {f.code for f in view.findings}
    assert "no time before the tide" in next(sentence(f) for f in view.findings if f.code == "deviation")
    take(world, air(world, water_c=14.1), t=24.0)


STEERING = """
code = "ph-steering"
version = 1
principle = "glass"
name = "One point of a probe that steers"
why = "Acid stays off while the probe is out."
used_for = "Dosing."
source = "common practice"

[[steps]]
key = "neutral"
role = "neutral"
use = "adjust"

[[steps]]
key = "back"
kind = "hand-back"
words = "Let the dosing go on."

[[steps]]
key = "odd"
kind = "air"
"""


def test_what_a_probe_steers_is_handed_back_after_a_sound_check_only(world: World, tmp_path: Path) -> None:
    (tmp_path / "procedures").mkdir()
    (tmp_path / "procedures" / "steering.toml").write_text(STEERING)
    with tables.added(tmp_path):
        run_id = world.begin(world.probe(), method="ph-steering")
        world.take(run_id, "neutral", offset=70.0)
        with pytest.raises(InvalidInput, match="Hand back only after a check has passed: take it, and mend what it"):
            world.at().calibrations.begin_step(run_id, uuid.uuid4(), "back", world.person)
        with pytest.raises(CoreError, match="The step odd has no standard: its method must say what it is"):
            take(world, run_id, step="odd")


@pytest.mark.parametrize(("hours", "remembered"), [(13.98, True), (14.02, False)])
def test_a_pressure_of_the_place_is_remembered_for_a_working_day(
    world: World, hours: float, remembered: bool
) -> None:  # fmt: skip
    site_id, probe_id = world.water(f"Pond of {hours} h"), world.other_probe("oxygen-optical")
    new = NewReading(
        uuid.uuid4(), site_id, probe_id, "typed-value", shown=8.2, temperature_c=20.0, meter_did={"shown_as": "mg-l"},
        place=Surroundings(Pressure(1003.0)), despite=DESPITE,
    )  # fmt: skip
    world.at().readings.record(new, world.person)
    found = world.at(NOW + timedelta(hours=hours)).readings.place(site_id, probe_id).pressure
    assert (found is not None and found.typed == 1003.0) is remembered


def test_the_bench_offers_the_pressure_of_the_kit_that_is_there_with_who_gave_it(world: World) -> None:
    """Another kit may stand 600 m higher: its pressure would cost 7 % of mg/L."""
    below, above = (world.other_probe("oxygen-optical", kit) for kit in ("Kit by the sea", "Kit on the hill"))
    for probe_id, hpa in ((below, 1008.0), (above, 938.0)):
        begin = Begin(
            uuid.uuid4(), probe_id, "luminescence-air", "distilled-once", {}, despite=DESPITE,
            place=Surroundings(Pressure(hpa)),
        )  # fmt: skip
        world.at().calibrations.begin(begin, world.person)
    beside = world.other_probe("oxygen-polarographic", "Kit by the sea")
    hints = world.at(NOW + timedelta(hours=1)).calibrations.before(beside)[1]
    assert hints.pressure is not None
    assert hints.pressure.typed == 1008.0
    assert hints.given_for is not None
    assert (hints.given_for.probe_id, hints.given_for.person.id) == (below, world.person.id)
    elsewhere = world.at().calibrations.before(world.other_probe("oxygen-optical", "Kit in the shed"))[1]
    assert (elsewhere.pressure, elsewhere.given_for) == (None, None)


def test_a_run_that_nobody_finished_is_told_before_another_begins(world: World) -> None:
    probe, other = (world.at().states.probe_state(world.other_probe("ph-combination")).probe for _ in range(2))
    bench = world.at().calibrations
    assert bench.before(probe.id)[1].unfinished is None
    run_id = world.begin(probe)
    found = bench.before(probe.id)[1].unfinished
    assert found is not None
    assert (found.id, found.person.id) == (run_id, world.person.id)
    assert bench.before(other.id)[1].unfinished is None
    bench.abandon(run_id, world.person, "the buffer was spilt")
    assert bench.before(probe.id)[1].unfinished is None


def test_a_broken_order_is_told_before_and_stays_with_the_run(world: World) -> None:
    """Buffers first, then a conductivity standard of the same kit: salt is carried over (common practice)."""
    buffers = world.at().states.probe_state(world.other_probe("ph-combination", "Kit in order")).probe
    world.take(world.begin(buffers), "neutral")
    cell = world.other_probe("conductivity-1", "Kit in order")
    elsewhere = world.other_probe("conductivity-1", "Another kit")
    later = world.at(NOW + timedelta(hours=1))
    (words,) = later.calibrations.before(cell)[1].out_of_order
    assert words.startswith(f"{buffers.label} was calibrated before it, at {NOW:%H:%M}: salt of a buffer")
    assert later.calibrations.before(elsewhere)[1].out_of_order == ()
    assert world.at(NOW + timedelta(hours=5)).calibrations.before(cell)[1].out_of_order == ()
    free = Services.over(world.database, later.clock, shipped().orders["ions-last"])
    assert free.calibrations.before(cell)[1].out_of_order == ()
    lot = world.shelved("1413 of the order", standard="conductivity", family="kcl", nominal=1413.0)
    begin = Begin(uuid.uuid4(), cell, "conductivity-one", "distilled-once", {"conductivity": lot.id}, despite=DESPITE)
    later.calibrations.begin(begin, world.person)
    later.calibrations.take(
        begin.run_id, TakePoint(uuid.uuid4(), "standard", 1413.0, 25.0, device=False, meter_did={"method": "none"}),
        world.person,
    )  # fmt: skip
    finding = next(f for f in later.calibrations.view(begin.run_id).findings if f.code == "order")
    assert (finding.level, source(finding)) == (Level.SOUND, "the house's order")
    assert sentence(finding) == f"{words}."


def test_what_was_done_otherwise_wants_a_reason_and_says_its_size_in_the_points_unit(world: World) -> None:
    run_id = world.begin(world.probe())
    world.take(run_id, "neutral")
    skipped = TakePoint(uuid.uuid4(), "acid", 175.0, 22.0, device=False, deviations=("rinse-skipped",))
    with pytest.raises(InvalidInput) as refused:
        world.at().calibrations.take(run_id, skipped, world.person)
    assert refused.value.fields == {"deviation_reason": "Say in a few words why; it stays on record with the point."}
    old_page = replace(skipped, deviations=("rinse skipped",))
    with pytest.raises(InvalidInput, match="load the page again"):
        world.at().calibrations.take(run_id, old_page, world.person)
    why = replace(skipped, deviation_reason="no water left in the boat")
    world.at().calibrations.take(run_id, why, world.person)
    finding = next(f for f in world.at().calibrations.view(run_id).findings if f.code == "deviation")
    # By hand: 1 % of the phosphate's 0.025 mol/L of base in a phthalate of 0.015 mol/L a pH.
    assert sentence(finding) == (
        "Buffer 4.01 (lot 4.01): rinse skipped; because: no water left in the boat. "
        "1 % of the 7.01 before left in it puts it off by +0.017 pH."
    )


def test_a_skipped_rinse_before_a_low_conductivity_standard_is_eight_percent(world: World) -> None:
    """Common practice: 1 % of 12 880 in 1413 is +8 %."""
    lots = {
        "high-conductivity": world.shelved("12880 carried", standard="conductivity", family="kcl", nominal=12_880.0).id,
        "low-conductivity": world.shelved("1413 carried", standard="conductivity", family="kcl", nominal=1413.0).id,
    }
    cell = world.other_probe("conductivity-1", "Kit of the carried")
    begin = Begin(uuid.uuid4(), cell, "conductivity-two", "distilled-once", lots, despite=DESPITE)
    services = world.at()
    services.calibrations.begin(begin, world.person)
    by_key = {s.key: s for s in services.calibrations.view(begin.run_id).steps}
    steps = sorted(by_key, key=lambda key: -(by_key[key].target or 0.0))
    for number, (key, us_cm) in enumerate(zip(steps, (12_880.0, 1413.0), strict=True)):
        point = TakePoint(
            uuid.uuid4(), key, us_cm, 25.0, device=False, meter_did={"method": "none"},
            deviations=("rinse-skipped",) if number else (), deviation_reason="in a hurry" if number else "",
        )  # fmt: skip
        services.calibrations.take(begin.run_id, point, world.person)
    found = [sentence(f) for f in services.calibrations.view(begin.run_id).findings if f.code == "deviation"]
    assert len(found) == 1
    assert found[0].endswith("1 % of the 12\u202f880 before left in it puts it off by +8.1 %.")
