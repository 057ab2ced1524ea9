"""ORP through the stack: check and offset, fouled metal and drifted reference, readings with U and Eh."""

from __future__ import annotations

import math
import uuid
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import pytest

from brumel.core import tables
from brumel.core.findings import Finding
from brumel.core.sensing.principles import principle
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.shown import RunView
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput
from brumel.services.live.channels import TEMPERATURE, signal_channel
from brumel.services.readings.draft import NewReading
from brumel.store.models.reference import Device, Probe
from tests.said import remedy, sentence
from tests.services.world import World

TRUE_20 = 229.6
"""ZoBell's solution at 20 °C against Ag/AgCl in 3 mol/L KCl, mV: Nordstrom 1977, USGS NFM A6.5; from memory."""

MILLIVOLTS = signal_channel(principle("glass"))


def orp_probe(world: World, *, device: bool = False) -> Probe:
    probe_id = world.other_probe("orp")
    with world.database.session() as session:
        probe = session.get_one(Probe, probe_id)
        if device:
            line = Device(id=uuid.uuid4(), label=f"line {probe_id}", url="socket://127.0.0.1:1", address="2",
                          channels=[TEMPERATURE.plain, MILLIVOLTS.plain], period_s=1.0)  # fmt: skip
            session.add(line)
            session.flush()
            probe.device_id = line.id
    return world.at().states.probe(probe_id)


def begun(world: World, probe: Probe, method: str = "orp-check") -> uuid.UUID:
    begin = Begin(uuid.uuid4(), probe.id, method, "distilled-once", {"redox": world.lots["ZoBell"].id})
    return world.at().calibrations.begin(begin, world.person)


def typed(world: World, mv: float, method: str = "orp-check", probe: Probe | None = None) -> RunView:
    run_id = begun(world, probe or orp_probe(world), method)
    take = TakePoint(uuid.uuid4(), "redox", mv, 20.0, device=False)
    world.at().calibrations.take(run_id, take, world.person)
    return world.sign(run_id)


def traced(world: World, mv: Sequence[float]) -> tuple[Finding, ...]:
    """A check with a device's samples, one a second."""
    probe = orp_probe(world, device=True)
    run_id = begun(world, probe)
    services = world.at()
    services.calibrations.begin_step(run_id, uuid.uuid4(), "redox", world.person)
    world.samples(probe, mv, 20.0)
    services.calibrations.take(run_id, TakePoint(uuid.uuid4(), "redox"), world.person)
    return world.sign(run_id).findings


@pytest.mark.parametrize(
    ("off", "level"),
    # ±15 mV sound, ±25 doubtful (common practice).
    [(0.0, "sound"), (14.9, "sound"), (-14.9, "sound"), (15.6, "doubtful"), (-24.0, "doubtful"), (26.0, "unfit")],
)
def test_a_check_by_tolerance_around_the_value_at_temperature(world: World, off: float, level: str) -> None:
    signed = typed(world, TRUE_20 + off)
    assert signed.level == level
    (check,) = (f for f in signed.findings if f.code == "check-residual")
    assert check.level == level
    assert signed.response is not None
    assert signed.response["offset"] == 0.0
    assert signed.run.reference == "ag-agcl-3m"
    point = signed.run.points[0]
    assert (point.target, point.signal, point.use) == (pytest.approx(TRUE_20, abs=0.1), TRUE_20 + off, "check")


def test_an_offset_takes_out_what_the_reference_has_drifted(world: World) -> None:
    probe = orp_probe(world)
    signed = typed(world, TRUE_20 - 12.0, "orp-offset", probe)
    assert signed.response is not None
    assert signed.response["offset"] == pytest.approx(-12.0, abs=0.1)
    assert signed.level == "sound"
    assert typed(world, TRUE_20 - 20.0, "orp-offset").level == "doubtful"
    assert typed(world, TRUE_20 + 26.0, "orp-offset").level == "unfit"
    reading = read(world, probe, signal=300.0)
    assert reading.value == pytest.approx(312.0, abs=0.1)
    after = typed(world, TRUE_20 - 13.0, "orp-check", probe)  # a check later carries the offset
    assert after.response is not None
    assert after.response["offset"] == pytest.approx(-12.0, abs=0.1)
    assert after.level == "sound"


def read(world: World, probe: Probe, **given: object):  # type: ignore[no-untyped-def]
    new = NewReading(
        uuid.uuid4(), world.site.id, probe.id, "typed-signal", temperature_c=20.0, despite="only a test", **given
    )  # type: ignore[arg-type]
    world.at().readings.record(new, world.person)
    return world.at().readings.view(new.reading_id).reading


def test_a_reading_keeps_raw_reference_and_eh_apart(world: World) -> None:
    probe = orp_probe(world)
    typed(world, TRUE_20, "orp-offset", probe)
    reading = read(world, probe, signal=412.0)
    assert (reading.quantity, reading.unit, reading.signal, reading.reference) == ("orp", "mV", 412.0, "ag-agcl-3m")
    (eh,) = reading.derived
    assert (eh["quantity"], eh["value"]) == ("eh", pytest.approx(reading.value + 213.0, abs=0.5))
    # ±30 mV is usual in aerated water (common practice), whatever the calibration says.
    assert eh["u"] > reading.u > 15.0
    assert "the water's own unrest" in {c["name"] for c in reading.budget}
    assert {c["name"] for c in reading.budget} >= {"calibration line", "potential", "drift since calibration"}
    shown = NewReading(uuid.uuid4(), world.site.id, probe.id, "typed-value", temperature_c=20.0, shown=400.0)
    world.at().readings.record(shown, world.person)
    found = world.at().readings.view(shown.reading_id).reading
    assert found.u == 15.0  # ±30 mV of a meter of which nothing is known
    forged = replace(shown, reading_id=uuid.uuid4(), meter_setting_c=5.0)  # a metal's meter has no such setting
    world.at().readings.record(forged, world.person)
    assert world.at().readings.view(forged.reading_id).reading.value == 400.0
    (unknown,) = [f for f in found.findings if f.code == "meter-unknown"]
    assert "millivolts" not in remedy(unknown)  # they were typed


class TestCausesThatTheSignalShows:
    def test_a_clean_metal_shows_none(self, world: World) -> None:
        found = traced(world, [TRUE_20 + 3.0 - 120.0 * math.exp(-t / 12.0) for t in range(150)])
        assert [(f.code, f.level) for f in found] == [("check-residual", "sound")]

    def test_a_fouled_metal_is_slow_and_drawn_to_where_it_came_from(self, world: World) -> None:
        found = traced(world, [TRUE_20 - 30.0 - 200.0 * math.exp(-t / 90.0) for t in range(720)])
        fouled = next(f for f in found if f.code == "metal-fouled")
        assert fouled.level == "unfit"
        assert "a clean metal takes 1 to 3 min" in sentence(fouled)
        assert "towards the 0 mV it came from" in sentence(fouled)
        check = next(f for f in found if f.code == "check-residual")
        assert remedy(check).startswith("It follows from the finding above")

    def test_slow_and_right_is_doubtful(self, world: World) -> None:
        found = traced(world, [TRUE_20 + 1.0 - 200.0 * math.exp(-t / 90.0) for t in range(720)])
        assert [(f.code, f.level) for f in found if f.code == "metal-fouled"] == [("metal-fouled", "doubtful")]

    def test_a_drifted_reference_is_quick_and_off(self, world: World) -> None:
        found = traced(world, [TRUE_20 - 48.0 - 120.0 * math.exp(-t / 12.0) for t in range(150)])
        codes = {f.code: f.level for f in found}
        assert codes == {"reference-drifted": "doubtful", "check-residual": "unfit"}


class TestWhatCannotBeTaken:
    def test_a_probe_whose_reference_is_not_known(self, world: World) -> None:
        probe = orp_probe(world)
        with world.database.session() as session:
            session.get_one(Probe, probe.id).reference = ""
        with pytest.raises(InvalidInput, match="which reference electrode it has"):
            begun(world, world.at().states.probe(probe.id))

    def test_a_method_of_another_principle(self, world: World) -> None:
        with pytest.raises(InvalidInput, match="This procedure is not for a ORP platinum probe"):
            begun(world, orp_probe(world), "ph-one-point")

    @pytest.mark.parametrize(("mv", "words"), [(2001.0, "must be −2000 to 2000 mV"), (float("nan"), "nan was typed")])
    def test_a_signal_that_no_meter_shows(self, world: World, mv: float, words: str) -> None:
        with pytest.raises(InvalidInput, match=words):
            typed(world, mv)

    def test_a_lot_that_is_no_couple(self, world: World) -> None:
        begin = Begin(
            uuid.uuid4(), orp_probe(world).id, "orp-check", "distilled-once", {"redox": world.lots["7.00"].id}
        )
        with pytest.raises(InvalidInput, match="can't be the redox one"):
            world.at().calibrations.begin(begin, world.person)

    def test_a_kind_that_is_not_calibrated_here_says_so(self, world: World, tmp_path: Path) -> None:
        (tmp_path / "kinds.toml").write_text('[silver]\nsame_as = "ammonium"\nname = "silver tip"\nprinciple = ""\n')
        with tables.added(tmp_path):
            probe = world.at().states.probe(world.other_probe("silver"))
            assert "is not calibrated here yet" in world.at().calibrations.choices(probe.id).why_not
            with pytest.raises(InvalidInput, match="enter what it reports"):
                begun(world, probe)
