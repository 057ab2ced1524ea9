"""The simulated bench: probes on an SDI-12 line over TCP, and a control side that moves them.

A process of its own. The control side takes one JSON object a line: ``{"do": "place", "address":
"0", "name": …, "temperature_c": …, "values": {"ph": …}, "u": …, "standard": true}``, ``{"do": "fault",
"address": "0", "fault": "silent"}``, ``{"do": "state"}``; it answers one object a line.
"""

from __future__ import annotations

import asyncio
import json
import math
import socket
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from brumel.devices.sdi12 import crc
from brumel.devices.simulation.chlorine import ChlorineModel
from brumel.devices.simulation.conductivity import ConductivityModel
from brumel.devices.simulation.glass import GlassModel
from brumel.devices.simulation.ion import IonModel
from brumel.devices.simulation.metal import MetalModel
from brumel.devices.simulation.model import Ailment, Liquid, Model
from brumel.devices.simulation.oxygen import LuminescenceModel, MembraneModel
from brumel.devices.simulation.thermometer import ThermometerModel

_SLOW_S = 0.9


class Fault(StrEnum):
    """What can be wrong between a probe and the line."""

    NONE = "none"
    SILENT = "silent"
    GARBLED = "garbled"
    SLOW = "slow"
    UNPLUGGED = "unplugged"


@dataclass
class SimulatedProbe:
    """One probe on the bench."""

    address: str
    serial_number: str
    model: Model
    fault: Fault = Fault.NONE
    measured: list[tuple[str, bool]] = field(default_factory=list)


class Bench:
    """Probes on one line, and a clock that may run faster than the wall's.

    Parameters
    ----------
    probes
        The probes on the line.
    speed
        Simulated seconds a second.
    """

    def __init__(self, probes: list[SimulatedProbe], speed: float = 1.0, clock: Callable[[], float] = time.monotonic):
        self.probes = {p.address: p for p in probes}
        self.speed = speed
        self._clock = clock
        self._start = clock()

    @property
    def now_s(self) -> float:
        """Simulated time since the start, s."""
        return (self._clock() - self._start) * self.speed

    def answer(self, command: str) -> str | None:
        """Return what the line answers to one SDI-12 command (without ``!`` and CR LF); None for silence."""
        if command == "?":
            return next(iter(self.probes)) if len(self.probes) == 1 else None
        probe = self.probes.get(command[:1])
        if probe is None or probe.fault is Fault.SILENT:
            return None
        body = self._answer(probe, command[1:])
        if body is not None and probe.fault is Fault.GARBLED:
            return probe.address + "".join(chr(33 + (ord(c) * 7 + i) % 90) for i, c in enumerate(body[1:]))
        return body

    def _answer(self, probe: SimulatedProbe, order: str) -> str | None:
        a = probe.address
        if order == "":
            return a
        if order == "I":
            return f"{a}14BRUMEL  SIMPH 100{probe.serial_number}"
        if order.startswith("A") and len(order) == 2 and order[1].isalnum() and order[1] not in self.probes:
            self.probes[order[1]] = self.probes.pop(a)
            probe.address = order[1]
            return probe.address
        if order in {"M", "MC", "C", "CC"}:
            probe.measured = [(self._values(probe), order.endswith("C") and order != "C")]
            return f"{a}0002" if order.startswith("M") else f"{a}00002"
        if order == "D0":
            text, with_crc = probe.measured[0] if probe.measured else ("", False)
            return a + text + (crc(a + text) if with_crc else "")
        if order in {"R0", "RC0"}:
            text = a + self._values(probe)
            return text + crc(text) if order == "RC0" else text
        return a

    def _values(self, probe: SimulatedProbe) -> str:
        temperature_c, mv = probe.model.values(self.now_s)
        return f"{temperature_c:+.2f}{mv:+.2f}"

    def control(self, order: dict[str, Any]) -> dict[str, Any]:
        """Carry out one order of the control side; an order that can't be taken is answered with ``error``."""
        try:
            if order.get("do") == "state":
                return {"probes": {a: self._state(p) for a, p in self.probes.items()}, "speed": self.speed}
            probe = self.probes[str(order["address"])]
            if order["do"] == "place":
                liquid = _liquid(order)
                if not (all(map(math.isfinite, liquid.values.values())) and -5.0 <= liquid.temperature_c <= 105.0):
                    return {"error": "a liquid needs finite values and a temperature from −5 to 105 °C"}
                probe.model.place(liquid, self.now_s)
            elif order["do"] == "fault":
                _ail(probe, str(order["fault"]), self.now_s)
            else:
                return {"error": f"unknown order {order['do']!r}"}
        except (KeyError, ValueError, TypeError) as wrong:
            return {"error": f"can't be taken: {wrong}"}
        return self._state(probe)

    def _state(self, probe: SimulatedProbe) -> dict[str, Any]:
        ailing = probe.fault is Fault.NONE and probe.model.ailment is not Ailment.HEALTHY
        return {
            "liquid": probe.model.liquid.name,
            "liquid_c": probe.model.liquid.temperature_c,
            "fault": str(probe.model.ailment if ailing else probe.fault),
            "faults": [*map(str, Fault), *(str(a) for a in probe.model.ailments if a is not Ailment.HEALTHY)],
            "serial": probe.serial_number,
        }


def _liquid(order: dict[str, Any]) -> Liquid:
    values = {str(key): float(value) for key, value in order["values"].items()}
    u, standard, gas = float(order.get("u", 0.0)), bool(order.get("standard", False)), bool(order.get("gas", False))
    return Liquid(str(order["name"]), float(order["temperature_c"]), values, u, standard, gas)


def _ail(probe: SimulatedProbe, fault: str, now_s: float) -> None:
    """Give the line or the probe itself a fault; ``none`` mends both."""
    own = {str(a): a for a in probe.model.ailments}
    probe.fault = Fault.NONE if fault in own else Fault(fault)
    probe.model.ailment, probe.model.ailing_since_s = own.get(fault, Ailment.HEALTHY), now_s


async def _serve_line(bench: Bench, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    try:
        while True:
            command = (await reader.readuntil(b"!")).decode("ascii", "replace").lstrip("\x00\r\n")[:-1]
            probe = bench.probes.get(command[:1])
            if probe is not None and probe.fault is Fault.UNPLUGGED:
                break
            answer = bench.answer(command)
            if probe is not None and probe.fault is Fault.SLOW:
                await asyncio.sleep(_SLOW_S)
            if answer is not None:
                writer.write(answer.encode("ascii") + b"\r\n")
                await writer.drain()
    except (asyncio.IncompleteReadError, ConnectionError, asyncio.LimitOverrunError):
        pass
    finally:
        writer.close()


async def _serve_control(bench: Bench, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    try:
        while line := await reader.readline():
            try:
                answer = bench.control(json.loads(line))
            except (ValueError, AttributeError):
                answer = {"error": "one JSON object a line"}
            writer.write(json.dumps(answer).encode() + b"\n")
            await writer.drain()
    except ConnectionError:
        pass
    finally:
        writer.close()


async def serve(bench: Bench, line_socket: socket.socket, control_socket: socket.socket) -> None:
    """Serve the line and the control side on two bound sockets until cancelled."""
    line = await asyncio.start_server(lambda r, w: _serve_line(bench, r, w), sock=line_socket)
    control = await asyncio.start_server(lambda r, w: _serve_control(bench, r, w), sock=control_socket)
    async with line, control:
        await asyncio.gather(line.serve_forever(), control.serve_forever())


def demo_probes() -> list[SimulatedProbe]:
    """Return the probes that ship on the bench: two electrodes, a metal, two cells, two membranes, a
    luminescent cap, a thermometer, an ammonium tip, a chlorine tip, an electrode that steers a dosing."""
    return [
        SimulatedProbe("0", "HR-A-1041", GlassModel(slope_percent=98.6, offset_mv=3.2, seed=11)),
        SimulatedProbe(
            "1",
            "HR-B-0877",
            GlassModel(slope_percent=92.4, offset_mv=-16.5, isopotential_ph=6.8, settling_s=7.0, noise=0.05, seed=12),
        ),
        SimulatedProbe("2", "HR-B-4410", MetalModel(offset_mv=5.0, seed=13)),
        SimulatedProbe("3", "HR-A-3115", ConductivityModel(constant_per_cm=1.016, seed=14)),
        SimulatedProbe("4", "HR-A-2207", MembraneModel(gain_na=104.0, seed=15)),
        SimulatedProbe("5", "HR-B-2318", LuminescenceModel(gain_per_ms=35.2, seed=16)),
        SimulatedProbe("6", "HR-A-6002", ThermometerModel(seed=17)),
        SimulatedProbe("7", "HR-C-3018", ConductivityModel(constant_per_cm=0.1012, seed=18)),
        SimulatedProbe("8", "HR-C-2115", MembraneModel(gain_na=99.0, settling_s=16.0, seed=19)),
        SimulatedProbe("9", "HR-B-5093", IonModel(slope_percent=94.0, offset_mv=171.0, seed=20)),
        SimulatedProbe("a", "HR-B-6077", ChlorineModel(seed=21)),
        SimulatedProbe("b", "HR-G-1102", GlassModel(slope_percent=96.8, offset_mv=-6.1, seed=22)),
    ]
