"""A point that is repeated or dropped takes its warning not with it."""

from __future__ import annotations

from tests.said import sentence
from tests.services.world import World


def test_a_wrong_first_point_keeps_its_warning_after_the_repeat(world: World) -> None:
    run_id = world.begin(world.probe())
    world.take(run_id, "neutral", cup="4.01")
    world.take(run_id, "acid")
    assert not world.at().calibrations.view(run_id).superseded
    wrong = next(f for f in world.at().calibrations.view(run_id).findings)
    world.take(run_id, "neutral")
    (gone,) = world.at().calibrations.view(run_id).superseded
    assert (gone.point.step, gone.level, gone.why) == ("neutral", "unfit", "")
    assert "It looks like the acid buffer, 4.01." in gone.warnings[0]
    assert sentence(wrong) in gone.warnings
    world.take(run_id, "alkaline")
    signed = world.sign(run_id)
    assert signed.level == "sound"
    assert sentence(wrong) in signed.superseded[0].warnings, "and in the record for good"


def test_a_dropped_point_says_why_and_a_sound_one_that_was_repeated_has_no_warning(world: World) -> None:
    run_id = world.begin(world.probe())
    for step in ("neutral", "acid", "alkaline", "acid"):
        world.take(run_id, step)
    services = world.at()
    services.calibrations.drop(run_id, services.calibrations.view(run_id).run.id, "alkaline", world.person, "spilled")
    by_step = {s.point.step: s for s in services.calibrations.view(run_id).superseded}
    assert {step: s.why for step, s in by_step.items()} == {"acid": "", "alkaline": "spilled"}
    assert by_step["acid"].warnings == ()
    assert by_step["acid"].level == "sound"
