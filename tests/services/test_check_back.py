"""Back from a round: each standard as the probe came and again cleaned; what the day was worth, and what it is not."""

from __future__ import annotations

import re
import uuid
from collections.abc import Mapping
from datetime import timedelta

import pytest

from brumel.core.findings import Finding, Level
from brumel.core.sensing.run import Came
from brumel.core.shipped_rules import shipped
from brumel.core.words.catalogue import word
from brumel.services.calibrating.shown import RunView
from brumel.services.errors import InvalidInput
from brumel.services.today.steps import Action
from brumel.store.models.reference import Probe
from tests.conftest import NOW
from tests.services.world import World

DAY, HOUR = timedelta(days=1), timedelta(hours=1)
STEPS = ("neutral-came", "side-came", "clean", "neutral-cleaned", "side-cleaned")


def begun_back(world: World, probe: Probe) -> uuid.UUID:
    return world.begin(probe, {"side": "10.01"}, method="ph-check-back", sites=(world.site.id,))


def checked_back(world: World, probe: Probe, came: float, cleaned: float, **electrode: float) -> RunView:
    """An electrode that reads so much too high as it came, and cleaned, in both buffers."""
    run_id = begun_back(world, probe)
    for step in STEPS:
        if step == "clean":
            world.at().calibrations.begin_step(run_id, uuid.uuid4(), step, world.person)
        else:
            off = came if step.endswith("came") else cleaned
            world.take(run_id, step, off_ph=off, **electrode)  # type: ignore[arg-type]
    return world.sign(run_id)


def moved(view: RunView) -> Mapping[str, Finding]:
    """Return what is said of dirt and drift, by code and standard."""
    found = {f.code + " " + str(f.says.values["at"])[:10]: f for f in view.findings if f.code in ("dirt", "drift")}
    assert len(found) == 4
    return found


@pytest.fixture
def probe(world: World) -> Probe:
    made = world.probe()
    world.calibrated(made, NOW - 6 * HOUR)
    return made


def test_its_steps_are_the_checks_twice_with_cleaning_between(world: World, probe: Probe) -> None:
    view = world.at().calibrations.view(begun_back(world, probe))
    assert [s.key for s in view.steps] == list(STEPS)
    assert [s.step.came for s in view.steps] == [*[Came.AS_IT_CAME] * 2, None, *[Came.CLEANED] * 2]
    assert not view.adjusts
    codes = [code for code, m in shipped().procedures.items() if m.checks_back]
    assert set(codes) == {f"{one}-check-back" for one in ("conductivity", "ph", "luminescence", "membrane", "orp")}
    assert not any(code.startswith("thermometer") for code in codes)


def test_dirt_is_what_cleaning_takes_away_and_drift_what_remains(world: World, probe: Probe) -> None:
    """0.09 too high as it came, 0.02 cleaned: dirt 0.07, drift 0.02, by hand."""
    view = checked_back(world, probe, 0.09, 0.02)
    for key, finding in moved(view).items():
        off = finding.says.values["off"]
        assert off.value == pytest.approx(0.07 if key.startswith("dirt") else 0.02, abs=2e-3)  # type: ignore[union-attr]
    assert view.level is Level.SOUND, "only its cleaned state says whether the probe is fit"
    assert {s.key: s.level for s in view.steps if s.point}["neutral-came"] is not Level.SOUND


def test_each_is_called_by_its_size(world: World, probe: Probe) -> None:
    said = {str(word(f.says)) for f in moved(checked_back(world, probe, 0.6, 0.0)).values()}
    assert all("beyond what the U of readings allowed for." in words for words in said if words.startswith("Dirt"))
    assert all("nothing to see." in words for words in said if words.startswith("Drift"))
    assert all("in the calibration's own lot" in words for words in said if words.startswith("Drift"))
    small = moved(checked_back(world, probe, 0.03, 0.0))
    assert {str(f.says.values["size"].key) for k, f in small.items() if k.startswith("dirt")} == {"small"}  # type: ignore[union-attr]


def test_another_lot_has_its_certificate_in_the_drift(world: World) -> None:
    world.shelved("10.01 b", nominal=10.01)
    probe = world.probe()
    run_id = world.begin(probe, {"alkaline": "10.01 b"}, moment=NOW - 6 * HOUR)
    for step in ("neutral", "acid", "alkaline"):
        world.take(run_id, step, moment=NOW - 6 * HOUR)
    world.sign(run_id, NOW - 6 * HOUR)
    drift = {k: f for k, f in moved(checked_back(world, probe, 0.0, 0.0)).items() if k.startswith("drift")}
    lots = [str(word(f.says.values["lot"])) for f in drift.values()]  # type: ignore[arg-type]
    assert lots == ["in the calibration's own lot", "the certificate included"]
    own, other = (f.says.values["u"].value for f in drift.values())  # type: ignore[union-attr]
    assert other > own


def test_it_renews_nothing_and_gives_no_coefficients(world: World, probe: Probe) -> None:
    before = world.at().states.probe_state(probe.id)
    calibrated = world.read(probe).reading.calibration_run_id
    checked_back(world, probe, 0.01, 0.01)
    after = world.at(NOW + HOUR).states.probe_state(probe.id)
    assert (after.level, after.holds_until) == (before.level, before.holds_until)
    assert world.read(probe, NOW + HOUR).reading.calibration_run_id == calibrated


def test_a_probe_that_is_off_cleaned_is_unfit_until_it_is_calibrated(world: World, probe: Probe) -> None:
    view = checked_back(world, probe, 0.2, 0.2)
    assert view.level is Level.UNFIT
    assert world.at(NOW + HOUR).states.probe_state(probe.id).level == "unfit"
    assert world.read(probe, NOW + HOUR).reading.level == "unfit"
    world.calibrated(probe, NOW + 2 * HOUR)
    assert world.at(NOW + 3 * HOUR).states.probe_state(probe.id).level == "sound"


def test_it_cannot_be_signed_before_the_probe_is_cleaned(world: World, probe: Probe) -> None:
    run_id = begun_back(world, probe)
    world.take(run_id, "neutral-came")
    assert world.at().calibrations.view(run_id).response is None
    with pytest.raises(InvalidInput, match="Clean the probe and read at least one standard once more"):
        world.sign(run_id)


def test_the_next_calibration_says_that_it_was_cleaned(world: World, probe: Probe) -> None:
    checked_back(world, probe, 0.05, 0.0)
    found = world.calibrated(probe, NOW + DAY).as_found
    assert found is not None
    assert found.came is Came.CLEANED
    assert found.before is not None
    assert not found.before.checks_back


def test_how_it_travelled_is_asked_where_it_is_read_as_it_came(world: World, probe: Probe) -> None:
    view = world.at().calibrations.view(begun_back(world, probe))
    asked = {s.key: [str(word(a.so)) for a in s.step.asks(view.principle)] for s in view.steps if s.step.kind.has_point}
    assert "it travelled in its own water" in asked["neutral-came"]
    assert "it travelled in its own water" not in asked["neutral-cleaned"]


def test_today_asks_for_it_once_a_probe_was_out_and_no_more_once_it_is_begun(world: World, probe: Probe) -> None:
    world.read(probe, NOW - HOUR)

    def asked() -> list[str]:
        return [s.title for s in world.at().today.day().steps if s.action is Action.CHECK_BACK and probe.label in s.why]

    (title,) = asked()
    assert re.match(r"Back from the round at \d\d:\d\d: check \d+ probe", title)
    (back,) = [p for p in world.at().coming_back.probes() if p.state.probe.id == probe.id]
    assert (back.procedure, back.readings, back.last, back.run_id) == ("ph-check-back", 1, NOW - HOUR, None)
    run_id = begun_back(world, probe)
    assert asked() == []
    assert [p.run_id for p in world.at().coming_back.probes() if p.state.probe.id == probe.id] == [run_id]
    world.at().calibrations.abandon(run_id, world.person, "no time")
    assert len(asked()) == 1
    world.read(probe, NOW)
    assert [p.last for p in world.at().coming_back.probes() if p.state.probe.id == probe.id] == [NOW]
