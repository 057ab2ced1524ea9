"""A pH check that adjusts nothing: anybody can begin it, the line stays, a failed one ends its use."""

from __future__ import annotations

from datetime import timedelta

import pytest

from tests.conftest import NOW
from tests.services.world import World


def checked(world: World, off_ph: float) -> tuple[object, object]:
    probe = world.probe()
    world.calibrated(probe, NOW - timedelta(days=2), slope=97.0, offset=5.0)
    run_id = world.begin(probe, method="ph-check", sites=(world.site.id,), lots={"side": "4.01"})
    for step in ("neutral", "side"):
        world.take(run_id, step, slope=97.0, offset=5.0, off_ph=off_ph)
    return world.sign(run_id), world.at().states.probe_state(probe.id)


def test_a_check_that_passes_leaves_the_line_as_it_is(world: World) -> None:
    view, state = checked(world, 0.0)
    assert {f.code for f in view.findings if f.level != "sound"} == set()
    assert [f.code for f in view.findings].count("check-residual") == 2
    # It gives no coefficients: readings rest on those of the run before.
    assert not view.coefficients
    assert state.level == "sound"
    read = world.read(state.probe, signal=5.0)
    assert read.reading.value == pytest.approx(7.0, abs=0.02)


def test_a_check_that_fails_says_so_and_ends_its_use(world: World) -> None:
    view, state = checked(world, 0.12)
    assert any(f.code == "check-residual" and f.level == "unfit" for f in view.findings)
    assert (state.level, state.why) == ("unfit", "The newest check was judged unfit.")
