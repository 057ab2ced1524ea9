"""A line whose probes answer anything, made from a seed: half-right, too long, of another, of bytes, nothing."""

from __future__ import annotations

import random

from brumel.devices.sdi12 import Sdi12Line, crc

PIECES = (
    b"0", b"1", b"+21.5", b"-17.4", b"+9999999", b"+1e5", b"nan", b"\x00", b"\xff\xfe", b"0009", b"9999", b"99999",
    b"xyz", b"+", b"-", b"+1.", b" ", b"\r", b"\xc2\xb2", b"0" * 200, b"OqZ", b"{}", b"!",
    b"+0.0000001", b"00002", b"000000",
)  # fmt: skip


class GarbagePort:
    """What stands in a serial port's place."""

    timeout = 0.0

    def __init__(self, chance: random.Random) -> None:
        self.chance, self.waiting, self.answers = chance, b"", 0

    def send_break(self, duration: float) -> None:
        del duration

    def write(self, command: bytes) -> None:
        self.answers += 1
        address = command[:1]
        odd = b"".join(self.chance.choices(PIECES, k=self.chance.randrange(5)))
        right = address + b"+21.5-17.4"
        self.waiting = self.chance.choice(
            (
                b"", odd, odd + b"\r\n", address + odd + b"\r\n", address + b"\r\n", right + b"\r\n", right,
                right + crc(right.decode()).encode() + b"\r\n", address + b"0012\r\n", address + b"9992\r\n",
                address + b"00002\r\n", address + odd + odd + b"\r\n", address + b"99999\r\n", b"\r\n", odd * 40,
            )
        )  # fmt: skip

    def read(self, count: int) -> bytes:
        found, self.waiting = self.waiting[:count], self.waiting[count:]
        if count > 1:  # what came unasked
            return b""
        if found == b"" and self.chance.random() < 0.02:
            raise OSError("unplugged")
        return found

    def close(self) -> None:
        self.waiting = b""


class GarbageLine(Sdi12Line):
    """A line to such a port."""

    def __init__(self, url: str, seed: int) -> None:
        super().__init__(url, timeout_s=0.0, pause=lambda _: None)
        self.port = GarbagePort(random.Random(seed))

    def _open(self) -> GarbagePort:
        return self.port
