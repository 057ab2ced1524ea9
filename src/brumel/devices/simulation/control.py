"""The application's side of the simulated bench's control: move a probe, set a fault."""

from __future__ import annotations

import json
import socket
from dataclasses import asdict
from typing import Any

from brumel.devices.sdi12 import DeviceError
from brumel.devices.simulation.model import Liquid

_TIMEOUT_S = 2.0


class BenchControl:
    """Orders to a simulated bench at ``host:port``."""

    def __init__(self, address: str) -> None:
        host, _, port = address.rpartition(":")
        self._host, self._port = host, int(port)

    def place(self, probe: str, liquid: Liquid) -> dict[str, Any]:
        """Put the probe at this SDI-12 address into a liquid."""
        return self._order({"do": "place", "address": probe, **asdict(liquid)})

    def fault(self, probe: str, fault: str) -> dict[str, Any]:
        """Give the probe a fault, or ``none``."""
        return self._order({"do": "fault", "address": probe, "fault": fault})

    def state(self) -> dict[str, Any]:
        """Return what every probe stands in, and its fault."""
        return self._order({"do": "state"})

    def _order(self, order: dict[str, Any]) -> dict[str, Any]:
        try:
            with socket.create_connection((self._host, self._port), timeout=_TIMEOUT_S) as line:
                line.sendall(json.dumps(order).encode() + b"\n")
                with line.makefile("rb") as answers:
                    answer: dict[str, Any] = json.loads(answers.readline() or b"{}")
        except (OSError, ValueError) as broken:
            raise DeviceError("The simulated bench does not answer: stop and start the application again.") from broken
        if "error" in answer or not answer:
            raise DeviceError(f"The simulated bench refused: {answer.get('error', 'no answer')}.")
        return answer
