"""Probes that steer something: a pause before they leave the water, a passed check before they go on."""

from __future__ import annotations

import uuid
from datetime import timedelta

import pytest

from brumel.core.calibrating.procedure import StepKind
from brumel.core.sensing.run import Use
from brumel.core.shipped_rules import shipped
from brumel.services.errors import InvalidInput
from brumel.services.kit.probes import NewProbe
from brumel.services.probes.care_log import NewCare
from brumel.services.today.steps import Action, NextStep
from brumel.store.models.reference import Probe
from tests.conftest import NOW
from tests.services.world import World

WHAT = "the acid dosing of the reservoir"


def steering(world: World) -> Probe:
    return world.at().states.probe_state(world.other_probe("ph-combination", steers=WHAT)).probe


def done(world: World, run_id: uuid.UUID, step: str, note: str = "") -> None:
    world.at().calibrations.begin_step(run_id, uuid.uuid4(), step, world.person, note)


def log(world: World, probe: Probe, care: str) -> None:
    world.at().kit.log(probe.id, NewCare(uuid.uuid4(), care), world.person)


def paused_on_today(world: World, label: str) -> list[NextStep]:
    found = world.at().today.day().steps
    return [s for s in found if s.title == f"Hand {WHAT} back" and (label in s.why or s.action is Action.RESUME)]


def run_of(world: World, probe: Probe, *, points: bool = True) -> uuid.UUID:
    run_id = world.begin(probe)
    done(world, run_id, "pause", "the keeper at panel 2")
    for step in ("neutral", "acid", "alkaline") if points else ():
        world.take(run_id, step)
    return run_id


@pytest.mark.parametrize("code", sorted(shipped().procedures))
def test_every_procedure_is_framed_by_pause_check_and_hand_back(code: str) -> None:
    plain = shipped().procedures[code]
    steps = plain.steering(WHAT).steps
    assert (steps[0].kind, steps[-1].kind) == (StepKind.PAUSE, StepKind.HAND_BACK)
    assert WHAT in steps[0].words
    assert WHAT in steps[-1].words
    points = [s for s in steps if s.kind.has_point]
    assert points[-1].use is Use.CHECK
    assert points[-1].kind is not StepKind.ZERO
    assert len({s.key for s in steps}) == len(steps)
    assert plain.steering("") is plain


def test_nothing_is_taken_before_it_is_paused(world: World) -> None:
    run_id = world.begin(steering(world))
    words = f"Pause {WHAT} before the probe leaves the water. Say that it is done, then go on."
    with pytest.raises(InvalidInput) as typed:
        world.take(run_id, "neutral")
    with pytest.raises(InvalidInput) as put:
        done(world, run_id, "neutral")
    assert typed.value.fields == put.value.fields == {"device": words}


def test_it_is_handed_back_in_the_run_after_an_unadjusted_check(world: World) -> None:
    probe = steering(world)
    run_id = run_of(world, probe)
    with pytest.raises(InvalidInput, match="Hand back only after a check has passed"):
        done(world, run_id, "hand-back")  # the points that it was adjusted to are no check
    assert [s.action for s in paused_on_today(world, probe.label)] == [Action.RESUME]
    world.take(run_id, "neutral-check")
    done(world, run_id, "hand-back")
    assert not paused_on_today(world, probe.label)
    view = world.sign(run_id)
    assert view.complete
    log_of = [h.words for h in world.at().kit.life(probe.id).happened.rows if h.what == "care"]
    assert sorted(log_of) == [
        f"What it steers was handed back, {WHAT}", f"What it steers was paused, {WHAT}. the keeper at panel 2",
    ]  # fmt: skip


def test_a_failed_check_keeps_it_paused_and_today_says_so_until_one_passes(world: World) -> None:
    probe = steering(world)
    run_id = run_of(world, probe)
    world.take(run_id, "neutral-check", off_ph=0.2)
    with pytest.raises(InvalidInput, match="take it, and mend what it finds"):
        done(world, run_id, "hand-back")
    world.sign(run_id)
    (step,) = paused_on_today(world, probe.label)
    assert step.action is Action.PAUSED
    assert f"by {world.person.name}, the keeper at panel 2. Only after a check of {probe.label}" in step.why
    with pytest.raises(InvalidInput, match="Hand back only after a check has passed"):
        log(world, probe, "handed-back")
    again = run_of(world, probe)  # paused already: it keeps its since and by whom
    world.take(again, "neutral-check")
    world.sign(again)
    (step,) = paused_on_today(world, probe.label)
    assert step.action is Action.HAND_BACK
    assert step.why.endswith(f"The check of {probe.label} has passed.")
    log(world, probe, "handed-back")
    assert not paused_on_today(world, probe.label)
    assert sum("was paused" in h.words for h in world.at().kit.life(probe.id).happened.rows) == 1


def test_a_check_before_the_last_adjustment_or_before_the_pause_is_none(world: World) -> None:
    probe = steering(world)
    run_id = run_of(world, probe)
    world.take(run_id, "neutral-check")
    world.take(run_id, "acid")  # adjusted once more
    with pytest.raises(InvalidInput, match="Hand back only after"):
        done(world, run_id, "hand-back")
    world.take(run_id, "neutral-check")
    done(world, run_id, "hand-back")
    world.sign(run_id)
    later = world.at(NOW + timedelta(hours=1))
    later.kit.log(probe.id, NewCare(uuid.uuid4(), "paused"), world.person)
    with pytest.raises(InvalidInput, match="Hand back only after"):
        later.kit.log(probe.id, NewCare(uuid.uuid4(), "handed-back"), world.person)


def test_a_run_given_up_leaves_it_paused(world: World) -> None:
    probe = steering(world)
    run_id = run_of(world, probe)
    world.take(run_id, "neutral-check")
    world.at().calibrations.abandon(run_id, world.person, "called away")
    assert [s.action for s in paused_on_today(world, probe.label)] == [Action.PAUSED]


def test_what_cannot_be_logged(world: World) -> None:
    probe = steering(world)
    with pytest.raises(InvalidInput, match=f"Nothing is paused: {WHAT} needs no handing back"):
        log(world, probe, "handed-back")
    log(world, probe, "paused")
    with pytest.raises(InvalidInput, match="It is paused already, since "):
        log(world, probe, "paused")
    new = NewProbe(
        probe.id, probe.label, probe.serial, probe.kind, probe.kit, probe.in_service_on, version=probe.version
    )
    with pytest.raises(InvalidInput) as wrong:
        world.at().probes.change(new, world.person)
    assert wrong.value.fields == {"steers": f"Hand {WHAT} back first: it is paused."}
    with pytest.raises(InvalidInput, match="Choose what was done"):
        log(world, world.probe(), "paused")  # a probe that steers nothing knows no pause


@pytest.mark.parametrize("before", [True, False])
def test_a_pause_that_was_logged_by_hand_is_known_to_the_run(world: World, before: bool) -> None:
    """The run asked for a pause that stood in the log, and took no point without."""
    probe = steering(world)
    if before:
        log(world, probe, "paused")
    run_id = world.begin(probe)
    if not before:
        log(world, probe, "paused")
    view = world.at().calibrations.view(run_id)
    assert [s.done for s in view.steps if s.step.kind is StepKind.PAUSE] == [True]
    for step in ("neutral", "acid", "alkaline"):
        world.take(run_id, step)
    assert len([s for s in world.at().calibrations.view(run_id).steps if s.point]) == 3


@pytest.mark.parametrize(("came", "cleaned", "passes"), [(0.3, 0.0, True), (0.0, 0.3, False)])
def test_checked_back_it_is_handed_back_by_what_it_reads_cleaned(
    world: World, came: float, cleaned: float, passes: bool
) -> None:
    """A film that came off is no reason to keep the dosing paused, and one that has yet to come off none to go on."""
    probe, morning = steering(world), NOW - timedelta(hours=5)
    calibrated = world.begin(probe, moment=morning)
    world.at(morning).calibrations.begin_step(calibrated, uuid.uuid4(), "pause", world.person)
    for step in ("neutral", "acid", "alkaline"):
        world.take(calibrated, step, moment=morning)
    world.sign(calibrated, morning)
    run_id = world.begin(probe, {"side": "10.01"}, method="ph-check-back", sites=(world.site.id,))
    done(world, run_id, "pause")
    for step in ("neutral-came", "side-came"):
        world.take(run_id, step, off_ph=came)
    with pytest.raises(InvalidInput, match="Hand back only after a check has passed"):
        done(world, run_id, "hand-back")
    done(world, run_id, "clean")
    for step in ("neutral-cleaned", "side-cleaned"):
        world.take(run_id, step, off_ph=cleaned)
    if passes:
        done(world, run_id, "hand-back")
        return
    with pytest.raises(InvalidInput, match="Hand back only after a check has passed"):
        done(world, run_id, "hand-back")
