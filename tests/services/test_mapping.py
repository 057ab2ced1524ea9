"""Which value of a device's answer is whose: said once, held by every sample after."""

from __future__ import annotations

import uuid

import pytest

from brumel.services.errors import InvalidInput, NotFound
from brumel.services.live.channels import Carries, Positions, positions_of
from brumel.services.live.mapping import Mapped
from brumel.store.models.reference import Device, DeviceSample
from tests.services.world import World

T = Mapped(Carries.TEMPERATURE)
UNUSED = Mapped()


class Sonde:
    """A meter with a pH and an ORP probe, and a device that answers with four values."""

    def __init__(self, world: World) -> None:
        self.world = world
        self.meter_id = world.meter("ph-combination", takes_too=("orp", "silver"))
        self.ph = world.other_probe("ph-combination", meter_id=self.meter_id)
        self.orp = world.other_probe("orp", meter_id=self.meter_id)
        self.cell = world.other_probe("silver", meter_id=self.meter_id)
        self.device_id = uuid.uuid4()
        with world.database.session() as session:
            session.add(
                Device(id=self.device_id, label=f"sonde {self.device_id}", url="socket://127.0.0.1:1", address="3",
                       channels=[], period_s=1.0)
            )  # fmt: skip
            session.flush()
            session.add(DeviceSample(device_id=self.device_id, time_s=1.0, values=[3.5, -20.0, 230.0, 21.4]))

    def save(self, *positions: Mapped) -> None:
        self.world.at().channels.save(self.meter_id, self.device_id, positions, self.world.person)

    def refused(self, *positions: Mapped) -> dict[str, str]:
        with pytest.raises(InvalidInput) as refused:
            self.save(*positions)
        return refused.value.fields

    def positions(self, probe_id: uuid.UUID) -> Positions | None:
        return positions_of(self.world.at().states.probe_state(probe_id).probe)


@pytest.fixture
def sonde(world: World, uncalibrated: str) -> Sonde:
    return Sonde(world)


def signal(probe_id: uuid.UUID) -> Mapped:
    return Mapped(Carries.SIGNAL, probe_id)


def test_one_device_feeds_several_probes(sonde: Sonde) -> None:
    known = sonde.world.at().channels.view(sonde.meter_id, sonde.device_id)
    assert known.positions == 4
    assert {p.id for p in known.probes} == {sonde.ph, sonde.orp}  # a cell is not read here yet
    sonde.save(UNUSED, signal(sonde.ph), signal(sonde.orp), T)
    assert sonde.positions(sonde.ph) == Positions(1, 3)
    assert sonde.positions(sonde.orp) == Positions(2, 3)
    told = sonde.world.at().channels.view(sonde.meter_id, sonde.device_id)
    assert [told.words(c).rpartition(", ")[2] for c in told.channels] == ["not used", "mV", "mV", "temperature"]
    assert (told.channels[1].low, told.channels[1].high) == (-2000.0, 2000.0)
    sonde.save(signal(sonde.ph), T, UNUSED, UNUSED)
    assert sonde.positions(sonde.ph) == Positions(0, 1)
    assert sonde.positions(sonde.orp) is None  # it is typed by hand now
    assert len(sonde.world.at().channels.view(sonde.meter_id, sonde.device_id).channels) == 2


def test_a_probes_own_temperature_comes_before_the_devices(sonde: Sonde) -> None:
    sonde.save(T, signal(sonde.ph), Mapped(Carries.TEMPERATURE, sonde.ph), signal(sonde.orp))
    assert sonde.positions(sonde.ph) == Positions(1, 2)
    assert sonde.positions(sonde.orp) == Positions(3, 0)


def test_what_cannot_be_so_is_said_at_its_position(sonde: Sonde) -> None:
    other = sonde.world.probe().id
    assert sonde.refused(signal(sonde.ph), UNUSED) == {
        "position-1": "Its temperature is missing: say which value is the temperature of its water."
    }
    assert sonde.refused(T, signal(sonde.ph), signal(sonde.ph)) == {
        "position-3": "Another value is this one already: each is said once."
    }
    assert sonde.refused(T, signal(other)) == {"position-2": "Choose a probe that is plugged into this meter."}
    assert sonde.refused(T, signal(sonde.cell)) == {"position-2": "Choose a probe that is plugged into this meter."}
    assert sonde.refused(T, Mapped(Carries.SIGNAL)) == {"position-2": "Say whose signal it is."}
    assert sonde.refused(*[UNUSED] * 21) == {"position-1": "An answer holds at most 20 values."}


def test_not_while_a_probe_is_being_calibrated_on_it(sonde: Sonde) -> None:
    sonde.save(T, signal(sonde.ph))
    sonde.world.begin(sonde.world.at().states.probe_state(sonde.ph).probe)
    assert "is being calibrated on it: finish that run" in sonde.refused(T, signal(sonde.orp))["position-1"]
    assert sonde.positions(sonde.ph) == Positions(1, 0)


def test_another_meters_device_is_not_offered(world: World, sonde: Sonde) -> None:
    sonde.save(T, signal(sonde.ph))
    with pytest.raises(NotFound):
        world.at().channels.view(world.meter(), sonde.device_id)


def test_a_value_that_the_device_indicates_is_read_as_its_meter_shows_it(world: World, sonde: Sonde) -> None:
    indicated = Mapped(Carries.INDICATED, sonde.ph)
    assert sonde.refused(T, Mapped(Carries.INDICATED)) == {"position-2": "Say whose value it is."}
    assert sonde.refused(T, Mapped(Carries.INDICATED, sonde.ph, "mS/cm")) == {
        "position-2": "Choose a unit that this quantity is shown in."
    }
    assert sonde.refused(indicated) == {
        "position-1": "Its temperature is missing: say which value is the temperature of its water."
    }
    sonde.save(T, indicated)
    assert sonde.positions(sonde.ph) == Positions(1, 0, indicated=True)
    known = world.at().channels.view(sonde.meter_id, sonde.device_id)
    assert (known.channels[1].low, known.channels[1].high) == (-2.0, 16.0)
    assert known.words(known.channels[1]).endswith(", indicated")
    probe = world.at().states.probe_state(sonde.ph).probe
    before = world.at().live.newest_sample(sonde.device_id)
    world.samples(probe, [7.62] * 40)
    read = world.read(probe, source="device", after_seq=before, signal=None, temperature_c=None)
    assert (read.reading.value, read.reading.shown, read.reading.signal) == (
        pytest.approx(7.62),
        pytest.approx(7.62),
        None,
    )
    assert read.reading.u == pytest.approx(0.1, abs=1e-3)  # nothing is known of the meter
    assert [f.code for f in read.findings] == ["meter-unknown"]
    run_id = world.begin(probe)
    assert not world.at().calibrations.view(run_id).on_line  # its signal is typed


def test_its_own_signal_comes_before_what_a_device_indicates(sonde: Sonde) -> None:
    sonde.save(T, Mapped(Carries.INDICATED, sonde.ph), signal(sonde.ph))
    assert sonde.positions(sonde.ph) == Positions(2, 0)


def test_a_factor_brings_what_is_indicated_into_the_unit_that_is_kept() -> None:
    assert Positions(1, 0, indicated=True, factor=1000.0).of([21.5, 1.413]) == (1413.0, 21.5)
