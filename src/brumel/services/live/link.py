"""The link: the one process that owns a line, reads its probes, stores samples and tells of them."""

from __future__ import annotations

import json
import logging
import time
import uuid
from collections.abc import Callable

import psycopg
from sqlalchemy import func, insert, select, text, update

from brumel.devices.sdi12 import DeviceBusy, DeviceError, DeviceGarbled, Sdi12Line
from brumel.services.live.channels import channels_of, what_is_wrong
from brumel.store.database import Database, Unreachable
from brumel.store.models.reference import Device, DeviceSample
from brumel.store.queries import device as device_queries

_IDLE_WAIT_S = 0.5
_LOCK_WAIT_MS = 2000
_PRUNE_EVERY_S = 60.0
_SLOW_S = 0.6
_SHARED_S = 1.5
"""So long at most is a line held for one of several devices."""
_FIRST_PAUSE_S, _LONGEST_PAUSE_S = 0.5, 8.0
"""How long it waits for a database that is away: longer each time."""
_MOST_WORDS = 500
"""What a probe says is told to so many characters: a notification holds 8 000 bytes."""
_log = logging.getLogger(__name__)


class LineTaken(Exception):
    """Another process owns the line."""


class Link:
    """Reads the wanted probes of one line, in turn.

    Sample times are the device's own clock: seconds since the epoch, faster where the device's
    ``clock_rate`` says so (the simulated bench).
    """

    def __init__(
        self, database: Database, url: str, line: Sdi12Line | None = None,
        pause: Callable[[float], None] = time.sleep,
    ) -> None:  # fmt: skip
        self._database = database
        self._pause = pause
        self._url = url
        self._line = line or Sdi12Line(url)
        self._status: dict[uuid.UUID, str] = {}
        self._paused_s: dict[uuid.UUID, float] = {}
        self._again_at: dict[uuid.UUID, float] = {}
        self._pruned = time.monotonic()
        self._started = time.monotonic(), time.time()

    def run(self, running: Callable[[], bool] = lambda: True) -> None:
        """Read until ``running`` says no; without a database it waits for one, and goes on.

        Raises
        ------
        LineTaken
            Where another process reads this line already.
        """
        pause_s, away = _FIRST_PAUSE_S, True
        while away:
            begun = time.monotonic()
            try:
                self._own_the_line(running)
                away = False
            except (Unreachable, psycopg.OperationalError) as error:
                self._line.close()
                self._status.clear()
                pause_s = _FIRST_PAUSE_S if time.monotonic() - begun > _LONGEST_PAUSE_S else pause_s
                _log.warning("the database does not answer (%s); tried again in %g s", _first_line(error), pause_s)
                self._pause(pause_s)
                pause_s = min(2.0 * pause_s, _LONGEST_PAUSE_S)
                away = running()

    def _own_the_line(self, running: Callable[[], bool]) -> None:
        with self._database.notifications() as connection:
            # A link that has just ended may hold its lock a moment longer.
            connection.execute(f"SET lock_timeout = {_LOCK_WAIT_MS}")
            try:
                connection.execute("SELECT pg_advisory_lock(hashtextextended(%s, 1))", [self._url])
            except psycopg.errors.LockNotAvailable as error:
                raise LineTaken(f"Another process reads {self._url} already: stop it first.") from error
            connection.execute(f"LISTEN {device_queries.WANTED_CHANNEL}")
            while running():
                begun = time.monotonic()
                devices = self._wanted()
                for device in devices:
                    self._read(device, alone=len(devices) == 1)
                if devices:
                    pause = min(d.period_s for d in devices) - (time.monotonic() - begun)
                    time.sleep(max(pause, 0.0))
                else:
                    self._line.close()
                    self._status.clear()
                    for _ in connection.notifies(timeout=_IDLE_WAIT_S, stop_after=1):
                        pass
                self._prune()

    def _wanted(self) -> list[Device]:
        with self._database.session() as session:
            return list(device_queries.wanted_devices(session, self._url))

    def _read(self, device: Device, *, alone: bool) -> None:
        """Read a device and store what it gave; whatever is wrong with its answer is its own state.

        Where it shares the line it is held for it for a moment only, and a device in trouble is left alone for longer
        each time: its neighbours go on.
        """
        asked = time.monotonic()
        if not alone and asked < self._again_at.get(device.id, asked):
            return
        try:
            channels = channels_of(device)
            values = self._line.read(device.address, len(channels), **({} if alone else {"patience_s": _SHARED_S}))
            if wrong := what_is_wrong(channels, values):
                raise DeviceGarbled(wrong)
        except DeviceBusy as busy:
            self._tell(device, busy.status, str(busy))
            return
        except DeviceError as error:
            self._in_trouble(device, error)
            return
        except (ArithmeticError, LookupError, TypeError, ValueError) as odd:
            _log.exception("the answer of %s was not understood", device.label)
            self._in_trouble(device, DeviceGarbled(f"The probe's answer can't be understood ({type(odd).__name__})."))
            return
        self._again_at.pop(device.id, None)
        self._paused_s.pop(device.id, None)
        took = time.monotonic() - asked
        if took > _SLOW_S:
            self._tell(device, "slow", f"The probe answers slowly, after {took:.1f} s: the trace has fewer points.")
        else:
            self._tell(device, "ok", "")
        self._store(device, values, read_at=time.time())

    def _in_trouble(self, device: Device, error: DeviceError) -> None:
        self._tell(device, error.status, str(error))
        pause_s = min(2.0 * self._paused_s.get(device.id, _FIRST_PAUSE_S), _LONGEST_PAUSE_S)
        self._paused_s[device.id], self._again_at[device.id] = pause_s, time.monotonic() + pause_s

    def _store(self, device: Device, values: list[float], *, read_at: float) -> None:
        monotonic, epoch = self._started
        time_s = epoch + (time.monotonic() - monotonic) * device.clock_rate
        with self._database.session() as session:
            session.execute(text("SET LOCAL synchronous_commit = off"))
            seq = session.execute(
                insert(DeviceSample)
                .values(device_id=device.id, time_s=time_s, values=values)
                .returning(DeviceSample.seq)
            ).scalar_one()
            payload = {"device": str(device.id), "seq": seq, "t": time_s, "v": values, "at": read_at}
            session.execute(select(func.pg_notify(device_queries.SAMPLE_CHANNEL, json.dumps(payload))))

    def _tell(self, device: Device, status: str, words: str) -> None:
        """Tell viewers of a status, once."""
        if self._status.get(device.id) == status:
            return
        self._status[device.id] = status
        words = words[:_MOST_WORDS].replace("\0", "")
        with self._database.session() as session:
            session.execute(update(Device).where(Device.id == device.id).values(status=status, status_words=words))
            payload = {"device": str(device.id), "status": status, "words": words}
            session.execute(select(func.pg_notify(device_queries.DEVICE_CHANNEL, json.dumps(payload))))

    def _prune(self) -> None:
        if time.monotonic() - self._pruned > _PRUNE_EVERY_S:
            self._pruned = time.monotonic()
            with self._database.session() as session:
                device_queries.prune_samples(session)


def _first_line(error: Exception) -> str:
    return (str(error).strip().splitlines() or [type(error).__name__])[0]
