"""SDI-12: the serial protocol by which probes are read (open standard, SDI-12 Support Group).

A command is an address, letters and ``!``; an answer is the address, text and CR LF. Values carry
their sign. Commands with a ``C`` before the ``!`` or the number are answered with a check of 16 bits.
"""

from __future__ import annotations

import re
import termios
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import serial

_NOTHING = re.compile(r"0000?|00000")
"""A measurement that takes no time and gives no value."""
_VALUE = re.compile(r"[+-]\d{1,7}(?:\.\d{0,7})?")
_HUSHED, _CHUNK = 16, 4096
"""What came unasked is dropped in so many pieces of so many bytes."""
_ADDRESS = re.compile(r"[0-9A-Za-z]")
_ATTEMPTS = 3
_LONGEST = 120
"""No answer of the standard is as long, in characters."""
_WAYS = ("RC0", "R0", "MC", "M", "CC", "C")
_ALONE_S = 30.0
"""So long the line is held for a probe that has it to itself."""
_LONGEST_MEASUREMENT_S = 120
"""A probe that measures beside others may take so long; the standard would let it say 999 s."""


class DeviceError(Exception):
    """A probe could not be read; its text says what to do. ``status`` is what an interface shows."""

    status = "trouble"


class DeviceUnplugged(DeviceError):
    """The line to the probe is closed."""

    status = "unplugged"


class DeviceSilent(DeviceError):
    """The probe does not answer."""

    status = "silent"


class DeviceGarbled(DeviceError):
    """The probe answers, but not in a way that can be relied on."""

    status = "garbled"


class DeviceTooSlow(DeviceError):
    """The probe says that it needs longer than anybody waits."""

    status = "too-slow"


class DeviceBusy(DeviceError):
    """The probe measures, beside others, and is asked again later."""

    status = "slow"


@dataclass(frozen=True)
class Identity:
    """What ``aI!`` answers: protocol version, and the maker's own words."""

    address: str
    protocol: str
    vendor: str
    model: str
    version: str
    serial_number: str


def crc(text: str) -> str:
    """Return the three characters that check an answer.

    Source: SDI-12 specification, section 4.4.12: polynomial A001h, each 6 bits or'ed with 40h.

    Examples
    --------
    >>> crc("0+3.14")
    'OqZ'
    """
    value = 0
    for byte in text.encode("ascii"):
        value ^= byte
        for _ in range(8):
            value = (value >> 1) ^ 0xA001 if value & 1 else value >> 1
    return "".join(chr(0x40 | bits) for bits in (value >> 12, (value >> 6) & 0x3F, value & 0x3F))


def checked(answer: str) -> str:
    """Return an answer without its check, or refuse it where the check does not fit."""
    body, found = answer[:-3], answer[-3:]
    if len(answer) < 4 or crc(body) != found:
        raise DeviceGarbled(
            f"The probe's answer {answer!r} fails its check: look for a loose plug, a long or wet cable."
        )
    return body


def values(body: str, address: str) -> list[float]:
    """Return the numbers of an answer, without its address.

    Raises
    ------
    DeviceGarbled
        Where the answer is of another address or holds anything but signed numbers.

    Examples
    --------
    >>> values("0+21.5-17.4", "0")
    [21.5, -17.4]
    """
    text = body[1:]
    found = _VALUE.findall(text)
    if not body.startswith(address) or "".join(found) != text:
        raise DeviceGarbled(f"The probe answered {body!r}, which is not a list of numbers from address {address}.")
    return [float(v) for v in found]


class Sdi12Line:
    """One line, owned by one process, with any number of probes on it.

    Parameters
    ----------
    url
        What pyserial opens: ``/dev/ttyUSB0`` or ``socket://127.0.0.1:4012``.
    timeout_s
        How long to wait for an answer.
    pause
        Waits so many seconds for a concurrent measurement.
    clock
        Tells the time, s.
    """

    def __init__(
        self, url: str, timeout_s: float = 1.2, pause: Callable[[float], None] = time.sleep,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:  # fmt: skip
        self.url = url
        self.timeout_s = timeout_s
        self._pause, self._clock = pause, clock
        self._patience_s, self._until = _ALONE_S, clock() + _ALONE_S
        self._due: dict[str, tuple[float, str, int]] = {}
        """When a measurement beside others is done, by address, with its order and how many values it gives."""
        self._port: Any = None
        self._ways: dict[str, str] = {}

    def close(self) -> None:
        """Let go of the line."""
        if self._port is not None:
            self._port.close()
            self._port = None

    def identify(self, address: str) -> Identity:
        """Ask who is at the address (``aI!``)."""
        answer = self._ask(f"{address}I!", address)
        if len(answer) < 20:
            raise DeviceGarbled(f"The probe's identification {answer!r} is shorter than the standard's 20 characters.")
        return Identity(
            address=answer[0],
            protocol=f"{answer[1]}.{answer[2]}",
            vendor=answer[3:11].strip(),
            model=answer[11:17].strip(),
            version=answer[17:20].strip(),
            serial_number=answer[20:].strip(),
        )

    def measure(self, address: str, order: str = "MC") -> list[float]:
        """Start a measurement, wait for it, and fetch its values (``aD0!`` to ``aD9!``).

        Parameters
        ----------
        order
            ``M``: up to 9 values, the probe says when they are there. ``C``: concurrent, up to 99, we wait. ``MC`` and
            ``CC``: with a check.
        """
        return self._fetched(address, order, self._ask(f"{address}{order}!", address))

    def read(self, address: str, least: int = 0, patience_s: float = _ALONE_S) -> list[float]:
        """Read the values that are there at once (``aR0!``), or measure where the probe can't do that.

        Parameters
        ----------
        least
            How many values are wanted; a way that gives fewer is not taken again.
        patience_s
            How long the line may be held for it. Who needs longer is measured beside others, where it knows how.

        Raises
        ------
        DeviceBusy
            While it measures so.
        DeviceTooSlow
            Where it needs longer and does not know how, or longer than anybody waits.
        DeviceError
            Where it can't be read.

        Notes
        -----
        Ways are tried in the order of how much they can be relied on, those with a check first; the first that a
        probe answers to is kept until it no longer does.
        """
        self._patience_s, self._until = patience_s, self._clock() + patience_s
        if address in self._due:
            return self._measured(address)
        known = self._ways.get(address)
        found: list[float] = []
        too_slow: DeviceTooSlow | None = None
        for order in _WAYS if known is None else (known,):
            answer = self._answer_to(order, address)
            if answer in {address, address + crc(address)}:
                continue
            if not order.startswith("R") and _NOTHING.fullmatch(answer[1:]):
                continue  # a measurement of nothing
            try:
                given = self._given(order, address, answer)
            except DeviceTooSlow as slow:
                too_slow = slow
                continue
            if len(given) >= least:
                self._ways[address] = order
                return given
            found = max(found, given, key=len)
        self._ways.pop(address, None)
        if found:
            return found
        raise too_slow or DeviceGarbled(
            f"The probe at address {address} knows no way to be read: is it an SDI-12 probe?"
        )

    def _given(self, order: str, address: str, answer: str) -> list[float]:
        """Return the values that follow from the answer to an order."""
        if order.startswith("R"):
            return values(checked(answer) if order == "RC0" else answer, address)
        return self._fetched(address, order, answer)

    def _measured(self, address: str) -> list[float]:
        """Return the values of a measurement beside others, once it is done."""
        due, order, count = self._due[address]
        if (left_s := due - self._clock()) > 0:
            raise DeviceBusy(f"The probe measures; its values come in {left_s:.0f} s.")
        del self._due[address]
        found = self._collected(address, order, count)
        self._ways[address] = order
        return found

    def _answer_to(self, order: str, address: str) -> str:
        """What a probe answers; its address alone where it does not know the order, said or by keeping silent."""
        try:
            return self._ask(f"{address}{order}!", address)
        except DeviceSilent:
            if address in self._ways or self._clock() + self.timeout_s > self._until:
                raise
            self._ask(f"{address}!", address)  # raises where nobody is there
            return address

    def _fetched(self, address: str, order: str, answer: str) -> list[float]:
        """Return the values of a measurement that has been started."""
        digits = 4 if order.startswith("M") else 5
        if len(answer) != digits + 1 or not answer[1:].isdigit():
            raise DeviceGarbled(f"The probe answered {answer!r} to a start of measurement.")
        wait_s, count = int(answer[1:4]), int(answer[4:])
        if wait_s > self._patience_s:
            if order.startswith("C") and wait_s <= _LONGEST_MEASUREMENT_S:
                self._due[address] = self._clock() + wait_s, order, count
                return self._measured(address)
            raise DeviceTooSlow(f"The probe says it needs {wait_s} s: not waited for. Type its reading by hand.")
        if wait_s and order.startswith("M"):
            self._read_line(wait_s + self.timeout_s)  # it says when it is done
        elif wait_s:
            self._pause(wait_s)
        return self._collected(address, order, count)

    def _collected(self, address: str, order: str, count: int) -> list[float]:
        """Return the values of a measurement that is done."""
        found: list[float] = []
        for part in range(10):
            text = self._ask(f"{address}D{part}!", address)
            found += values(checked(text) if order in {"MC", "CC"} else text, address)
            if len(found) >= count:
                return found
        raise DeviceGarbled(f"The probe announced {count} values and gave {len(found)}.")

    def _ask(self, command: str, address: str) -> str:
        """Send a command up to three times while there is time; an answer from another address does not count."""
        if not _ADDRESS.fullmatch(address):
            raise DeviceError(f"{address!r} is not an SDI-12 address: one letter or digit.")
        error: DeviceError = DeviceSilent("")
        for attempt in range(_ATTEMPTS):
            if attempt and self._clock() + self.timeout_s > self._until:
                break
            try:
                port = self._open()
                self._hush(port)
                port.send_break(0.012)
                port.write(command.encode("ascii"))
                answer = self._read_line(self.timeout_s)
            except (serial.SerialException, OSError, ValueError, termios.error) as broken:
                self.close()
                raise DeviceUnplugged(
                    "The line to the probe is closed: push the plug home, or choose another probe. "
                    "The run goes on from where it was."
                ) from broken
            except DeviceError as failed:
                error = failed
                continue
            if answer.startswith(address):
                return answer
            error = DeviceGarbled(f"The probe answered {answer!r} to {command}.")
        raise error

    def _hush(self, port: Any) -> None:
        """Drop what came unasked; a line that never falls silent is no answer to anything."""
        port.timeout = 0
        for _ in range(_HUSHED):
            if not port.read(_CHUNK):
                return
        raise DeviceGarbled("The line never falls silent: what is plugged into it is no SDI-12 probe.")

    def _open(self) -> Any:
        if self._port is None:
            self._port = serial.serial_for_url(
                self.url, baudrate=1200, bytesize=7, parity="E", stopbits=1, timeout=self.timeout_s
            )
        return self._port

    def _read_line(self, timeout_s: float) -> str:
        port = self._open()
        deadline = time.monotonic() + timeout_s
        line = b""
        while not line.endswith(b"\n"):
            if len(line) == _LONGEST or (line and time.monotonic() > deadline + timeout_s):
                raise DeviceGarbled(
                    f"The probe's answer does not end after {_LONGEST} characters: is it an SDI-12 probe?"
                )
            port.timeout = max(deadline - time.monotonic(), 0.001)
            byte = port.read(1)
            if not byte:
                if line:
                    raise DeviceGarbled("The probe's answer broke off: look for a loose plug, a long or wet cable.")
                raise DeviceSilent(
                    f"The probe has not answered for {timeout_s:g} s: check its plug and power, or type the "
                    "reading by hand. The run goes on from where it was."
                )
            line += byte
        try:
            return line.decode("ascii").strip("\r\n\x00")
        except UnicodeDecodeError:
            raise DeviceGarbled(
                "The probe's answer is not readable: look for a loose plug, a long or wet cable."
            ) from None
