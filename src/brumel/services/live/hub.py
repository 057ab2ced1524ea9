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
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime

import psycopg

from brumel.services.errors import ServiceError
from brumel.services.live.signal import STALE
from brumel.services.live.watch import Event, Viewer, Watch, Watched, WatchKey, encoded
from brumel.store.database import Database, Unreachable
from brumel.store.models.reference import Device
from brumel.store.queries import device as device_queries
from brumel.store.queries import reference as queries

_WANTED_S = 15.0
_MARK_EVERY_S = 5.0
_QUIET_S = 4.0
MOST_OF_ONE, MOST_IN_ALL = 12, 30
"""So many pages of one person, and of all, look at once in this process: each holds a thread, and pages need some."""
_ASK_EVERY_S, _LOOK_EVERY_S = 10.0, 2.0
_TOO_MANY = "Too many pages follow probes at once: this one, the oldest, follows no more. Reload it to go on here."
_SIGNED_OUT = "You are signed out: sign in again to go on. Nothing taken is lost."
_FINE = frozenset({"idle", "ok"})
"""States of a device that has nothing to tell."""

_NOT_FOLLOWED = "This trace can't be followed: reload the page. Nothing taken is lost."
_log = logging.getLogger(__name__)


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
        self._watches: dict[WatchKey, Watch] = {}
        self._viewers: list[Viewer] = []
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
        watches: list[Watch] = []
        try:
            for number, one in enumerate(watched):
                self._mark_wanted(one.device_id)
                watches.append(self._join(one, viewer, number))
            yield from self._events(viewer, watches, still, again)
        finally:
            self._leave(watches, viewer)

    def _events(self, viewer: Viewer, watches: list[Watch], still: Callable[[], bool], again: _Again) -> Iterator[str]:
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

    def _anew(self, viewer: Viewer, watches: list[Watch], again: _Again) -> Iterator[str]:
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

    def _enter(self, owner: object) -> Viewer:
        """Let a page look; where that is too many, of this person or in all, the oldest is closed."""
        viewer = Viewer(owner)
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

    def _join(self, watched: Watched, viewer: Viewer, number: int) -> Watch:
        key = watched.key
        with self._lock:
            if self._listener is None or not self._listener.is_alive():
                self._listener = threading.Thread(target=self._listen, daemon=True, name="brumel-live")
                self._listener.start()
            watch = self._watches.get(key)
            if watch is None:
                watch = self._watches[key] = Watch(key, watched.lens, key.after_seq)
                with self._database.session() as session:
                    for s in device_queries.samples_after(session, key.device_id, key.after_seq):
                        watch.add(s.seq, s.time_s, s.values)
            watch.viewers.append((viewer, number))
            viewer.put(watch.trace_event(), number)
            if watch.trace and (trouble := self._trouble(key.device_id)):
                viewer.put(trouble, number)
        return watch

    def _leave(self, watches: Sequence[Watch], viewer: Viewer) -> None:
        with self._lock:
            if viewer in self._viewers:
                self._viewers.remove(viewer)
        for number, watch in enumerate(watches):
            self._let_go(watch, viewer, number)

    def _let_go(self, watch: Watch, viewer: Viewer, number: int) -> None:
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
        """Return what to tell a viewer who comes to a trace that grows slowly, or not at the moment."""
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
        """Return what to tell a viewer that has heard nothing for a while."""
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
    def _its_own(self, watch: Watch) -> Iterator[None]:
        """What goes wrong with a watch is its own trouble: its viewers are told, all others go on."""
        try:
            yield
        except Exception:
            _log.exception("a trace could not be followed")
            watch.send(("trouble", {"status": "lost", "words": _NOT_FOLLOWED}))
