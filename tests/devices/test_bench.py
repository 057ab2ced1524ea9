"""The simulated bench and the SDI-12 line, over real sockets."""

from __future__ import annotations

import pytest

from brumel.core.quantities.ph import millivolts_from_ph
from brumel.devices.sdi12 import (
    DeviceError,
    DeviceGarbled,
    DeviceSilent,
    DeviceUnplugged,
    Sdi12Line,
    checked,
    crc,
    values,
)
from brumel.devices.simulation.control import BenchControl
from brumel.devices.simulation.model import Liquid


def test_identifies_measures_and_reads(bench: tuple[Sdi12Line, BenchControl]) -> None:
    line, control = bench
    assert line.identify("0").serial_number == "HR-A-1041"
    assert line.identify("0").protocol == "1.4"
    assert len(line.measure("1")) == 2
    control.place("0", Liquid("buffer", 25.0, {"ph": 4.0}))
    expected = millivolts_from_ph(4.0, 25.0, 98.6, 3.2)
    for _ in range(400):
        temperature_c, mv = line.read("0")
        # Its isopotential point is not at 7, its thermometer is off by up to 0.2 °C.
        if abs(mv - expected) < 8.0 and abs(temperature_c - 25.0) < 0.3:
            break
    else:
        pytest.fail(f"the probe never reached {expected:.1f} mV: {mv}")


@pytest.mark.parametrize(
    ("fault", "error"),
    [("silent", DeviceSilent), ("garbled", DeviceGarbled), ("unplugged", DeviceUnplugged)],
)
def test_a_fault_is_named_and_passes(
    bench: tuple[Sdi12Line, BenchControl], fault: str, error: type[DeviceError]
) -> None:
    line, control = bench
    line.read("0")
    control.fault("0", fault)
    with pytest.raises(error, match=r"plug|answer"):
        line.read("0")
    assert len(line.read("1")) == 2
    control.fault("0", "none")
    assert len(line.read("0")) == 2


def test_orders_that_cannot_be_taken(bench: tuple[Sdi12Line, BenchControl]) -> None:
    _, control = bench
    with pytest.raises(DeviceError, match="refused"):
        control.place("Z", Liquid("x", 20.0, {"ph": 7.0}))
    with pytest.raises(DeviceError, match="refused"):
        control.place("0", Liquid("x", 20.0, {"ph": float("nan")}))
    with pytest.raises(DeviceError, match="refused"):
        control.fault("0", "melted")


def test_answers_that_cannot_be_relied_on() -> None:
    good = "0+21.50-17.40"
    assert values(checked(good + crc(good)), "0") == [21.5, -17.4]
    for spoilt in ("", "0", good + "xyz", "0+21.50-17.41" + crc(good)):
        with pytest.raises(DeviceGarbled):
            checked(spoilt)
    for body in ("1+2.0", "0+2.0junk", "0 2.0"):
        with pytest.raises(DeviceGarbled):
            values(body, "0")
