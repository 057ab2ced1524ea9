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


def test_a_check_asks_whether_the_newest_line_holds_not_the_newest_full_one(world: World) -> None:
    """After a single buffer set another offset, readings rest on that; the check once compared with the run before."""
    probe = world.probe()
    world.calibrated(probe, NOW - timedelta(days=2), slope=97.0, offset=-5.0)
    one = world.begin(probe, method="ph-one-point", moment=NOW - timedelta(days=1))
    world.take(one, "neutral", slope=97.0, offset=5.0, moment=NOW - timedelta(days=1))
    world.sign(one, NOW - timedelta(days=1))
    run_id = world.begin(probe, method="ph-check", sites=(world.site.id,), lots={"side": "4.01"})
    for step in ("neutral", "side"):
        world.take(run_id, step, slope=97.0, offset=5.0)
    view = world.sign(run_id)
    assert [f.code for f in view.findings if f.level != "sound"] == []
    assert world.read(probe, signal=5.0).reading.value == pytest.approx(7.0, abs=0.02)
