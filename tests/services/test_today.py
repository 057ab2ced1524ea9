"""Today: one next action, then what needs attention, what each kit needs, the sites, this evening and tomorrow."""

from __future__ import annotations

import uuid
from datetime import timedelta

from brumel.core.findings import Level
from brumel.services.planning.rounds import NewRound
from brumel.services.probes.care_log import NewCare
from brumel.services.today.day import DayView
from brumel.services.today.steps import Action, Section
from tests.conftest import NOW
from tests.services.rounds import Round
from tests.services.world import World

PH = (6.8, 7.2)
MORNING = 21 * 60
"""Minutes from the tests' now until early on the next day."""


def day(world: World, hours_later: float = 0) -> DayView:
    services = world.at(NOW + timedelta(hours=hours_later))
    return services.today.day()


def test_what_is_said_above_all_is_said_once(world: World) -> None:
    Round(world, "orp", minutes=300, orp=(600, 780))
    today = day(world)
    assert today.now is today.steps[0]
    placed = [s for section in Section for s in today.of(section)]
    assert today.now not in placed
    assert sorted(map(repr, [*placed, today.now])) == sorted(map(repr, today.steps))
    assert not [s for kit in today.kits for s in kit.steps if s is today.now]


def test_a_kit_says_what_is_ready_what_waits_and_what_is_to_be_done(world: World) -> None:
    kit = "A kit for a day"
    old, sound, new = (world.other_probe("ph-combination", kit=kit) for _ in range(3))
    for probe in (old, sound):
        world.calibrated(world.at().states.probe_state(probe).probe)
    world.at().kit.log(old, NewCare(uuid.uuid4(), "cleaned"), world.person)
    (found,) = [k for k in day(world).kits if k.name == kit]
    assert [s.probe.id for s in found.at_rest] == [sound]
    assert [s.probe.id for s in found.waiting] == [old]
    assert found.ready == 1
    assert new not in {s.probe.id for s in found.states}  # nobody has used it yet
    assert [s.target for s in day(world).spares if s.kit == kit] == [new]


def test_a_calibration_that_failed_needs_attention(world: World) -> None:
    probe = world.at().states.probe_state(world.other_probe("ph-combination")).probe
    world.calibrated(probe)
    assert [s for s in day(world).steps if s.target == probe.id] == []
    world.calibrated(probe, moment=NOW + timedelta(minutes=30), slope=70.0)
    (step,) = [s for s in day(world, 1).steps if s.target == probe.id]
    assert (step.action, step.section, step.why) == (
        Action.CALIBRATE, Section.ATTENTION, "The newest calibration was judged unfit.",
    )  # fmt: skip


def test_what_a_round_tomorrow_asks_for_tonight_and_lacks(world: World) -> None:
    soaks = Round(world, "orp", minutes=MORNING, orp=(600, 780))
    quick = Round(world, "ammonium", minutes=MORNING, ammonium_n=(0.1, 5))
    today = day(world)
    begin = {s.target: s for s in today.begin}
    assert soaks.id in begin  # cleaned and soaked, it would begin in the night
    assert quick.id not in begin
    assert "at the latest" in begin[soaks.id].why
    assert {soaks.id, quick.id} <= {r.id for r in today.rounds}
    lacking = {s.title: s for s in today.of(Section.ATTENTION) if s.action is Action.ORDER}
    assert [s.level for title, s in lacking.items() if "mmonium" in title] == [Level.UNFIT] * 2
    assert not day(world, 24).begin  # it has left


def test_what_should_have_begun_by_now_says_so(world: World) -> None:
    soaks = Round(world, "orp", minutes=16 * 60, orp=(600, 780))
    for hours, level in ((13, Level.DOUBTFUL), (14.4, Level.UNFIT)):  # it takes more than two
        (step,) = [s for s in day(world, hours).begin if s.target == soaks.id]
        assert step.level is level
        assert ("That is past: take another probe, or leave later." in step.why) == (level is Level.UNFIT)


def test_sites_due_are_apart_by_whether_a_round_goes_there(world: World) -> None:
    site, other = world.water("Due and planned", ph=PH), world.water("Due only", ph=PH)
    kit = world.at().states.probe_state(world.other_probe("ph-combination", kit="Kit to go")).probe.kit
    new = NewRound(uuid.uuid4(), NOW + timedelta(hours=5), kit, "distilled-once", [site])
    world.at().planned.save(new, world.person)
    today = day(world)
    assert site in {d.site.id for d in today.planned}
    assert other in {d.site.id for d in today.unplanned}
    assert [d.why for d in today.due if d.site.id == other] == ["No reading yet."]


def test_what_is_only_checked_is_not_called_calibrated(world: World) -> None:
    checked, by_meter = world.other_probe("orp"), world.other_probe("ph-combination")
    spares = {s.target: s for s in day(world).spares}
    assert spares[checked].title.startswith("Check orp")
    assert spares[checked].verb == "Check"
    assert spares[by_meter].title.startswith("Calibrate ph-combination")
