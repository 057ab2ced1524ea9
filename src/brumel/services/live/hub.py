"""Live samples for any number of viewers in one web worker.

One thread listens to the store's notifications and hands each sample to the watches that want it. A
watch judges the trace once a sample, however many viewers it has. Viewers keep the device wanted; a
device that nobody looks at is not read.
"""

from __future__ import annotations

import json
import logging
import queue
import threading
import time
import uuid
from collections.abc import Callable, Hashable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

import numpy as np
import psycopg

from brumel.core.settling.judgement import Judgement, judge_settling
from brumel.core.settling.rules import SettlingRule
from brumel.services.errors import ServiceError
from brumel.services.live.signal import STALE, Lens
from brumel.store import device_queries, queries
from brumel.store.database import Database, Unreachable
from brumel.store.models.reference import Device

_WANTED_S = 15.0
_MARK_EVERY_S = 5.0
_QUIET_S = 4.0
_TRACE_KEPT_S = 600.0
_QUEUE_LENGTH = 256
_JUDGED_A_WINDOW = 30
"""So often within a window is a trace judged at most; what is taken is judged anew."""
_FAST_PART_S = 12.0
"""Over so long the fast part of an approach goes: only then is a cup asked for (common practice: 90 % in 5 to 15 s)."""
MOST_OF_ONE, MOST_IN_ALL = 12, 30
"""So many pages of one person, and of all, look at once in this process: each holds a thread, and pages need some."""
_ASK_EVERY_S, _LOOK_EVERY_S = 10.0, 2.0
_TOO_MANY = "Too many pages follow probes at once: this one, the oldest, follows no more. Reload it to go on here."
_SIGNED_OUT = "You are signed out: sign in again to go on. Nothing taken is lost."
_FINE = frozenset({"idle", "ok"})
"""States of a device that has nothing to tell."""

_NOT_FOLLOWED = "This trace can't be followed: reload the page. Nothing taken is lost."
_log = logging.getLogger(__name__)

Event = tuple[str, dict[str, Any]]


@dataclass(frozen=True)
class WatchKey:
    """What makes two viewers see the same: device, first sample, rule, and all that the lens hangs on."""

    device_id: uuid.UUID
    after_seq: int
    rule: SettlingRule
    lens: Hashable = ()


@dataclass(frozen=True)
class Watched:
    """One trace that a page shows, and how it sees it."""

    device_id: uuid.UUID
    after_seq: int
    rule: SettlingRule
    lens: Lens

    @property
    def key(self) -> WatchKey:
        """Who has the same sees the same."""
        return WatchKey(self.device_id, self.after_seq, self.rule, (self.lens.positions, self.lens.of))


@dataclass
class _Viewer:
    """A page that looks: whose, and what it has not read yet."""

    owner: object
    events: queue.Queue[tuple[int, str]] = field(default_factory=lambda: queue.Queue(_QUEUE_LENGTH))
    closed: bool = False

    def put(self, event: Event, number: int) -> bool:
        """Hand an event on; false where too much waits, which is then dropped."""
        name, data = event
        try:
            self.events.put_nowait((number, encoded((name, {**data, "of": number}))))
        except queue.Full:
            with self.events.mutex:
                self.events.queue.clear()
            return False
        return True

    def close(self, words: str) -> None:
        """End its stream with a word why."""
        self.closed = True
        with self.events.mutex:
            self.events.queue.clear()
        self.put(("closed", {"words": words}), 0)


@dataclass
class _Watch:
    key: WatchKey
    lens: Lens
    seq: int
    times_s: list[float] = field(default_factory=list)
    signal: list[float] = field(default_factory=list)
    temperature_c: list[float] = field(default_factory=list)
    viewers: list[tuple[_Viewer, int]] = field(default_factory=list)
    """Who looks, each with the number that this trace has on their page."""
    judged: Judgement | None = None
    judged_at: float = 0.0
    judged_seq: int = 0

    def add(self, seq: int, time_s: float, values: Sequence[float]) -> bool:
        """Take a sample unless it is known already."""
        if seq <= self.seq:
            return False
        self.seq = seq
        signal, temperature_c = self.lens.positions.of(values)
        self.times_s.append(time_s)
        self.signal.append(signal)
        self.temperature_c.append(temperature_c)
        while self.times_s[-1] - self.times_s[0] > _TRACE_KEPT_S:
            del self.times_s[0], self.signal[0], self.temperature_c[0]
        return True

    def judged_values(self) -> Any:
        return self.lens.transform(np.array(self.signal), np.array(self.temperature_c))

    def judgement(self) -> Judgement:
        """The trace judged, at most so often as its own time asks for."""
        now = self.times_s[-1] if self.times_s else 0.0
        if self.judged is None or now - self.judged_at >= self.key.rule.window_s / _JUDGED_A_WINDOW:
            values, resolution = self.judged_values(), None
            if self.signal:
                resolution = self.lens.resolution(np.array(self.signal), np.array(self.temperature_c))
            self.judged = judge_settling(self.times_s, values, self.temperature_c, self.key.rule, resolution)
            self.judged_at, self.judged_seq = now, self.seq
        return self.judged

    def trace_event(self) -> Event:
        """All samples so far: what a viewer that comes later starts with."""
        values = [] if not self.signal else _rounded(self.judged_values())
        return "trace", {
            "t": [round(t, 3) for t in self.times_s],
            "y": values,
            "c": [round(c, 2) for c in self.temperature_c],
            "window": self.key.rule.window_s,
            "unit": self.key.rule.unit,
            "judgement": describe(self.judgement()),
            "seen": self.judged_seq,
            "look": self.look(),
        }

    def look(self) -> dict[str, Any] | None:
        """What the newest sample says of the cup that the probe is in."""
        if self.lens.look is None or not self.signal or self.times_s[-1] - self.times_s[0] < _FAST_PART_S:
            return None
        found = self.lens.look(self.signal[-1], self.temperature_c[-1])
        return {"unlike": found.unlike, "words": found.sentence}

    def sample_event(self, at: float) -> Event:
        y = _rounded(self.lens.transform(np.array(self.signal[-1:]), np.array(self.temperature_c[-1:])))[0]
        return "sample", {
            "t": round(self.times_s[-1], 3),
            "y": y,
            "raw": round(self.signal[-1], 2),
            "c": round(self.temperature_c[-1], 2),
            "at": at,
            "judgement": describe(self.judgement()),
            "seen": self.judged_seq,
            "look": self.look(),
        }

    def send(self, event: Event) -> None:
        for viewer, number in self.viewers:
            if not viewer.put(event, number):  # one that does not read; it starts again with the trace
                viewer.put(self.trace_event(), number)


@dataclass
class _Again:
    """How to ask what a page shows, and what had been recorded when it was asked last."""

    watched: Callable[[], Sequence[Watched]]
    counts: Mapping[str, int]


class LiveHub:
    """Fans live samples out to the viewers of one process."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._lock = threading.Lock()
        self._watches: dict[WatchKey, _Watch] = {}
        self._viewers: list[_Viewer] = []
        """The oldest first."""
        self._marked: dict[uuid.UUID, float] = {}
        self._listener: threading.Thread | None = None

    def stream(
        self, watched: Callable[[], Sequence[Watched]], owner: object = None, still: Callable[[], bool] = lambda: True
    ) -> Iterator[str]:
        """Server-sent events for one page: of each trace what there is, then each sample, and its device's troubles.

        Parameters
        ----------
        watched
            Says what the page shows; each event says of which it is, by its place. Asked again after something was
            recorded: what is shown is corrected as it would be recorded now.
        owner
            Who looks: of one person so many pages are served at once, the oldest is closed.
        still
            Whether they may look on; asked again every few seconds.
        """
        again = _Again(watched, self._counts())
        return self._followed(again.watched(), owner, still, again)  # what is not there is said before it begins

    def _followed(
        self, watched: Sequence[Watched], owner: object, still: Callable[[], bool], again: _Again
    ) -> Iterator[str]:
        viewer = self._enter(owner)
        watches: list[_Watch] = []
        try:
            for number, one in enumerate(watched):
                self._mark_wanted(one.device_id)
                watches.append(self._join(one, viewer, number))
            yield from self._events(viewer, watches, still, again)
        finally:
            self._leave(watches, viewer)

    def _events(
        self, viewer: _Viewer, watches: list[_Watch], still: Callable[[], bool], again: _Again
    ) -> Iterator[str]:
        begun = asked = looked = time.monotonic()
        heard, told = [begun] * len(watches), [begun] * len(watches)
        while True:
            now = time.monotonic()
            if now - looked >= _LOOK_EVERY_S:
                looked = now
                yield from self._anew(viewer, watches, again)
            if now - asked >= _ASK_EVERY_S:
                asked = now
                if not still():
                    viewer.close(_SIGNED_OUT)
            try:
                wait = min(_QUIET_S - (now - min(told)), _LOOK_EVERY_S - (now - looked))
                number, text = viewer.events.get(timeout=max(wait, 0.01))
                heard[number] = told[number] = time.monotonic()
                yield text
            except queue.Empty:
                pass
            if viewer.closed and viewer.events.empty():
                return
            for number, watch in enumerate(watches):
                self._mark_wanted(watch.key.device_id)
                if (now := time.monotonic()) - told[number] >= _QUIET_S:
                    told[number] = now
                    yield self._quiet(watch.key.device_id, now - heard[number], number)

    def _counts(self) -> Mapping[str, int]:
        with self._database.session() as session:
            return queries.change_counts(session)

    def _anew(self, viewer: _Viewer, watches: list[_Watch], again: _Again) -> Iterator[str]:
        """Follow otherwise what would be corrected otherwise now: what it hangs on was recorded meanwhile."""
        if again.counts == (counts := self._counts()):
            return
        again.counts = counts
        try:
            watched = again.watched()
        except ServiceError as error:
            for number in range(len(watches)):
                yield encoded(("trouble", {"status": "lost", "words": str(error), "of": number}))
            return
        for number, (watch, one) in enumerate(zip(watches, watched, strict=True)):
            if watch.key != one.key:
                self._let_go(watch, viewer, number)
                watches[number] = self._join(one, viewer, number)

    def _enter(self, owner: object) -> _Viewer:
        """Let a page look; where that is too many, of this person or in all, the oldest is closed."""
        viewer = _Viewer(owner)
        with self._lock:
            own = [v for v in self._viewers if v.owner == owner]
            for crowd, most in ((own, MOST_OF_ONE), (self._viewers, MOST_IN_ALL)):
                if len(crowd) >= most:
                    oldest = crowd[0]
                    self._viewers.remove(oldest)
                    oldest.close(_TOO_MANY)
                    break
            self._viewers.append(viewer)
        return viewer

    def newest_sample(self, device_id: uuid.UUID) -> int:
        """Number of the device's newest sample: a trace that begins now begins after it."""
        with self._database.session() as session:
            return device_queries.last_sample_seq(session, device_id)

    def _join(self, watched: Watched, viewer: _Viewer, number: int) -> _Watch:
        key = watched.key
        with self._lock:
            if self._listener is None or not self._listener.is_alive():
                self._listener = threading.Thread(target=self._listen, daemon=True, name="brumel-live")
                self._listener.start()
            watch = self._watches.get(key)
            if watch is None:
                watch = self._watches[key] = _Watch(key, watched.lens, key.after_seq)
                with self._database.session() as session:
                    for s in device_queries.samples_after(session, key.device_id, key.after_seq):
                        watch.add(s.seq, s.time_s, s.values)
            watch.viewers.append((viewer, number))
            viewer.put(watch.trace_event(), number)
            if watch.signal and (trouble := self._trouble(key.device_id)):
                viewer.put(trouble, number)
        return watch

    def _leave(self, watches: Sequence[_Watch], viewer: _Viewer) -> None:
        with self._lock:
            if viewer in self._viewers:
                self._viewers.remove(viewer)
        for number, watch in enumerate(watches):
            self._let_go(watch, viewer, number)

    def _let_go(self, watch: _Watch, viewer: _Viewer, number: int) -> None:
        """Hand a trace on to this page no more; what nobody looks at is not followed."""
        with self._lock:
            watch.viewers = [(v, n) for v, n in watch.viewers if (v, n) != (viewer, number)]
            if not watch.viewers:
                self._watches.pop(watch.key, None)

    def _mark_wanted(self, device_id: uuid.UUID) -> None:
        now = time.monotonic()
        if now - self._marked.get(device_id, -_MARK_EVERY_S) < _MARK_EVERY_S:
            return
        self._marked[device_id] = now
        with self._database.session() as session:
            device_queries.mark_wanted(session, device_id, _WANTED_S)

    def _trouble(self, device_id: uuid.UUID) -> Event | None:
        """What to tell a viewer who comes to a trace that grows slowly, or not at the moment."""
        with self._database.session() as session:
            device = session.get(Device, device_id)
            newest = device_queries.newest_sample_at(session, device_id)
        if device is not None and device.status not in _FINE:
            return "trouble", {"status": device.status, "words": device.status_words}
        if newest is not None and datetime.now(UTC) - newest <= STALE:
            return None
        return "trouble", {
            "status": "quiet",
            "words": "Asking the probe again: the trace goes on with its next sample.",
        }

    def _quiet(self, device_id: uuid.UUID, seconds: float, number: int) -> str:
        """What to tell a viewer that has heard nothing for a while."""
        with self._database.session() as session:
            device = session.get(Device, device_id)
        status, words = (device.status, device.status_words) if device else ("quiet", "")
        if device is None or status in _FINE | {"slow"}:
            status = "quiet"
            words = f"No sample has come for {seconds:.0f} s: is the probe's link running? You may type by hand."
        return encoded(("trouble", {"status": status, "words": words, "of": number}))

    def _listen(self) -> None:
        while True:
            try:
                with self._database.notifications() as connection:
                    connection.execute(f"LISTEN {device_queries.SAMPLE_CHANNEL}")
                    connection.execute(f"LISTEN {device_queries.DEVICE_CHANNEL}")
                    self._catch_up()
                    for note in connection.notifies():
                        self._dispatch(note.channel, note.payload)
            except (OSError, Unreachable, psycopg.Error):
                time.sleep(1.0)

    def _catch_up(self) -> None:
        """After a lost connection: the samples that nobody told us of."""
        with self._lock:
            for watch in list(self._watches.values()):
                with self._database.session() as session:
                    missed = device_queries.samples_after(session, watch.key.device_id, watch.seq)
                with self._its_own(watch):
                    fresh = [s for s in missed if watch.add(s.seq, s.time_s, s.values)]
                    if fresh:
                        watch.send(watch.trace_event())

    def _dispatch(self, channel: str, payload: str) -> None:
        try:
            told = json.loads(payload)
            device_id = uuid.UUID(told["device"])
        except (AttributeError, KeyError, TypeError, ValueError, RecursionError):
            _log.warning("a notification of %s can't be read: %.200r", channel, payload)
            return
        with self._lock:
            for watch in list(self._watches.values()):
                if watch.key.device_id != device_id:
                    continue
                with self._its_own(watch):
                    if channel == device_queries.DEVICE_CHANNEL:
                        watch.send(("trouble", {"status": told["status"], "words": told["words"]}))
                    elif watch.add(told["seq"], told["t"], told["v"]):
                        watch.send(watch.sample_event(told["at"]))

    @contextmanager
    def _its_own(self, watch: _Watch) -> Iterator[None]:
        """What goes wrong with a watch is its own trouble: its viewers are told, all others go on."""
        try:
            yield
        except Exception:
            _log.exception("a trace could not be followed")
            watch.send(("trouble", {"status": "lost", "words": _NOT_FOLLOWED}))


def describe(judgement: Judgement) -> dict[str, Any]:
    """A judgement as a viewer gets it: numbers rounded to what is drawn."""

    def rounded(value: float | None, digits: int) -> float | None:
        return None if value is None else round(value, digits)

    return {
        "state": str(judgement.state),
        "words": judgement.words,
        "elapsed": round(judgement.elapsed_s, 1),
        "value": rounded(judgement.value, 3),
        "temperature": rounded(judgement.temperature_c, 2),
        "remaining": rounded(judgement.remaining_s, 0),
        "remaining_low": rounded(judgement.remaining_low_s, 0),
        "remaining_high": rounded(judgement.remaining_high_s, 0),
        "band": None if judgement.band is None else [round(b, 4) for b in judgement.band],
        "approach": None if judgement.approach is None else [round(a, 5) for a in judgement.approach],
    }


def encoded(event: Event) -> str:
    """A server-sent event as text."""
    name, data = event
    return f"event: {name}\ndata: {json.dumps(data, separators=(',', ':'))}\n\n"


def _rounded(values: Any) -> list[float | None]:
    return [None if not np.isfinite(v) else round(float(v), 4) for v in values]
