"""The ways in which probes are read: with and without a check, at once, after a wait, up to 99 values."""

from __future__ import annotations

import socket
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import IO

import pytest

from brumel.devices.sdi12 import (
    DeviceBusy,
    DeviceError,
    DeviceGarbled,
    DeviceSilent,
    DeviceTooSlow,
    Sdi12Line,
    crc,
)

NINE = "+1+2+3+4+5+6+7+8+9"


def checked(text: str) -> str:
    return text + crc(text)


def _order(line: IO[bytes]) -> str:
    """The next order without its mark; empty where the line has ended."""
    found = b""
    while (byte := line.read(1)) not in (b"!", b""):
        found += byte
    return found.decode().lstrip("\x00") if byte else ""


@contextmanager
def peer(
    answers: dict[str, str], otherwise: Callable[[str], str | bytes] = lambda order: order[:1]
) -> Iterator[list[str]]:
    """A probe that answers as said, and its address alone to what it does not know; the orders that it got."""
    server, asked = socket.create_server(("127.0.0.1", 0)), []

    def serve() -> None:
        try:
            connection, _ = server.accept()
            with connection, connection.makefile("rwb") as line:
                while order := _order(line):
                    asked.append(order)
                    if answer := answers.get(order, otherwise(order)):
                        line.write(answer if isinstance(answer, bytes) else answer.encode() + b"\r\n")
                        line.flush()
        except (OSError, ValueError):
            pass

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    asked.append(f"socket://127.0.0.1:{server.getsockname()[1]}")
    try:
        yield asked
    finally:
        server.close()
        thread.join(10.0)
        assert not thread.is_alive()


LOOK = "look for a loose plug, a long or wet cable."


@pytest.mark.parametrize(
    ("answers", "order", "words"),
    [
        ({"0I": "013short"}, "I", "is shorter than the standard's 20 characters."),
        ({"0M": "0xyz1"}, "M", "The probe answered '0xyz1' to a start of measurement."),
        ({"0M": "00003", "0D0": "0+1"}, "M", "The probe announced 3 values and gave 1."),
        ({"0M": "00001", "0D0": "0+1?"}, "M", "which is not a list of numbers from address 0."),
        ({"0M": "1"}, "M", "The probe answered '1' to 0M!."),
        ({}, "R", "knows no way to be read: is it an SDI-12 probe?"),
    ],
)
def test_an_answer_that_can_not_be_is_said(answers: dict[str, str], order: str, words: str) -> None:
    with peer(answers) as asked:
        line = Sdi12Line(asked.pop(), timeout_s=0.05)
        ways = {"I": line.identify, "M": lambda a: line.measure(a, "M"), "R": line.read}
        with pytest.raises(DeviceGarbled) as refused:
            ways[order]("0")
        line.close()
    assert words in str(refused.value)


@pytest.mark.parametrize(
    ("raw", "kind", "words"),
    [
        (b"", DeviceSilent, "The probe has not answered for 0.05 s: check its plug and power, or type the reading by"),
        (b"0+21.", DeviceGarbled, f"The probe's answer broke off: {LOOK}"),
        (b"0+2\xe91\r\n", DeviceGarbled, f"The probe's answer is not readable: {LOOK}"),
        (b"0+1" * 3000, DeviceGarbled, "The probe's answer does not end after 120 characters"),
    ],
)
def test_what_is_no_answer_is_said(raw: bytes, kind: type[DeviceError], words: str) -> None:
    with peer({}, otherwise=lambda _: raw) as asked:
        line = Sdi12Line(asked.pop(), timeout_s=0.05)
        with pytest.raises(kind) as refused:
            line.measure("0")
        line.close()
    assert words in str(refused.value)


def test_what_is_no_address_reaches_no_line() -> None:
    with pytest.raises(DeviceError, match="'10' is not an SDI-12 address: one letter"):
        Sdi12Line("socket://127.0.0.1:1").measure("10")


@pytest.mark.parametrize(
    ("answers", "way"),
    [
        ({"0RC0": checked("0+21.5-17.4")}, ["0RC0"]),
        ({"0R0": "0+21.5-17.4"}, ["0RC0", "0R0"]),
        ({"0MC": "00002", "0D0": checked("0+21.5-17.4")}, ["0RC0", "0R0", "0MC", "0D0"]),
        ({"0M": "00002", "0D0": "0+21.5-17.4"}, ["0RC0", "0R0", "0MC", "0M", "0D0"]),
        ({"0CC": "000002", "0D0": checked("0+21.5-17.4")}, ["0RC0", "0R0", "0MC", "0M", "0CC", "0D0"]),
        ({"0M": "00000", "0C": "000302", "0D0": "0+21.5", "0D1": "0-17.4"},
         ["0RC0", "0R0", "0MC", "0M", "0CC", "0C", "0D0", "0D1"]),
    ],
)  # fmt: skip
def test_a_probe_is_read_in_the_way_that_it_knows(answers: dict[str, str], way: list[str]) -> None:
    waited: list[float] = []
    with peer(answers) as asked:
        line = Sdi12Line(asked.pop(), pause=waited.append)
        assert line.read("0", 2) == [21.5, -17.4]
        assert asked == way
        del asked[:]
        line.read("0", 2)  # and the way is kept
        assert asked == [order for order in way if order in answers and answers[order] != "00000"]
        line.close()
    assert waited == ([3.0, 3.0] if "0C" in answers else [])


def test_more_than_nine_values_come_concurrently() -> None:
    with peer({"3M": "30009", "3C": "300012", "3D0": "3" + NINE, "3D1": "3+10+11+12"}) as asked:
        line = Sdi12Line(asked.pop())
        assert line.read("3", 12) == [float(n) for n in range(1, 13)]
        assert line.read("3", 12)[-1] == 12.0
        line.close()


def test_fewer_values_than_wanted_are_given_as_they_are() -> None:
    with peer({"0R0": "0+21.5", "0M": "00001", "0D0": "0+21.5"}) as asked:
        line = Sdi12Line(asked.pop())
        assert line.read("0", 2) == [21.5]
        line.close()


def test_a_probe_that_keeps_silent_to_what_it_does_not_know() -> None:
    with peer({"0": "0", "0M": "00001", "0D0": "0+21.5"}, otherwise=lambda _: "") as asked:
        line = Sdi12Line(asked.pop(), timeout_s=0.03)
        assert line.read("0") == [21.5]
        line.close()


def test_nobody_there_and_nobody_who_can_be_read() -> None:
    with peer({}, otherwise=lambda _: "") as asked:
        line = Sdi12Line(asked.pop(), timeout_s=0.02)
        with pytest.raises(DeviceSilent, match="has not answered"):
            line.read("0")
        line.close()
    with peer({}) as asked:
        line = Sdi12Line(asked.pop())
        with pytest.raises(DeviceGarbled, match="knows no way to be read"):
            line.read("0")
        line.close()


def test_fewer_values_than_announced() -> None:
    with peer({"0M": "00003", **{f"0D{n}": "0" for n in range(10)}, "0D0": "0+1+2"}) as asked:
        line = Sdi12Line(asked.pop())
        with pytest.raises(DeviceGarbled, match="announced 3 values and gave 2"):
            line.measure("0", "M")
        line.close()
    with peer({"0M": "0x"}) as asked:
        line = Sdi12Line(asked.pop())
        with pytest.raises(DeviceGarbled, match="start of measurement"):
            line.measure("0", "M")
        line.close()


@contextmanager
def babbler(piece: bytes, answers_first: bytes = b"") -> Iterator[str]:
    """Something on the line that never stops talking."""
    server, over = socket.create_server(("127.0.0.1", 0)), threading.Event()

    def serve() -> None:
        try:
            connection, _ = server.accept()
            with connection:
                if answers_first:
                    connection.recv(64)
                    connection.sendall(answers_first)
                while not over.is_set():
                    connection.sendall(piece)
        except OSError:
            pass

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    try:
        yield f"socket://127.0.0.1:{server.getsockname()[1]}"
    finally:
        over.set()
        server.close()


def test_a_line_that_never_falls_silent_is_left_after_a_bounded_time() -> None:
    with babbler(b"\x55" * 65_536) as url:
        line = Sdi12Line(url, timeout_s=0.3)
        with pytest.raises(DeviceGarbled, match=r"never falls silent|does not end"):
            line.read("0")
        line.close()


def test_an_answer_of_nine_thousand_characters_is_refused_short(monkeypatch: pytest.MonkeyPatch) -> None:
    with babbler(b"", answers_first=b"0" + b"+1" * 4_500) as url:
        line = Sdi12Line(url, timeout_s=0.3)
        with pytest.raises(DeviceError) as refused:
            line.read("0")
        assert len(str(refused.value)) < 400
        line.close()


def test_who_says_999_seconds_is_not_waited_for() -> None:
    """The standard lets a probe say so (SDI-12, ``atttn``: three digits of seconds)."""
    with peer({"0MC": "09992", "0M": "09992", "1R0": "1+5"}) as asked:
        line = Sdi12Line(asked.pop(), pause=lambda s: pytest.fail(f"{s} s were waited for"))
        with pytest.raises(DeviceTooSlow, match="The probe says it needs 999 s: not waited for"):
            line.read("0", 2)
        assert line.read("1") == [5.0]
        line.close()


def test_what_holds_the_line_too_long_measures_beside_others() -> None:
    now = [0.0]
    answers = {"0M": "00082", "0C": "000802", "0D0": "0+21.5-17.4", "1R0": "1+5"}
    with peer(answers) as asked:
        line = Sdi12Line(asked.pop(), pause=lambda s: pytest.fail(f"{s} s were waited for"), clock=lambda: now[0])
        for _ in range(2):
            with pytest.raises(DeviceBusy, match="its values come in 8 s"):
                line.read("0", 2, patience_s=1.5)
            assert line.read("1", patience_s=1.5) == [5.0]
        now[0] = 8.0
        assert line.read("0", 2, patience_s=1.5) == [21.5, -17.4]
        line.close()


@pytest.mark.parametrize("odd", ["000", "000x", "0000\x00", "0+", "0-", "00002\x07", "0000000000", "0²"])
def test_an_odd_start_of_a_measurement_is_said(odd: str) -> None:
    with peer({"0R0": "0", "0M": odd}) as asked:
        line = Sdi12Line(asked.pop(), timeout_s=0.05)
        with pytest.raises(DeviceError):
            line.read("0", 2)
        line.close()
