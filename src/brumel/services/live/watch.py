"""A trace that pages look at: its samples, judged once however many look, and the queue of each who looks."""

from __future__ import annotations

import json
import queue
import uuid
from collections.abc import Hashable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from brumel.core.numbers.series import Series
from brumel.core.settling.judgement import Judgement, judge_settling
from brumel.core.settling.rules import SettlingRule
from brumel.core.words.catalogue import word
from brumel.services.live.signal import Lens

Event = tuple[str, dict[str, Any]]
"""Name and data of a server-sent event."""
_TRACE_KEPT_S = 600.0
_QUEUE_LENGTH = 256
_JUDGED_A_WINDOW = 30
"""So often within a window is a trace judged at most; what is taken is judged anew."""
_FAST_PART_S = 12.0
"""Over so long the fast part of an approach goes: only then is a cup asked for (common practice: 90 % in 5 to 15 s)."""


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
class Viewer:
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
class Watch:
    key: WatchKey
    lens: Lens
    seq: int
    trace: Series = field(default_factory=lambda: Series.of([], [], temperature_c=[]))
    viewers: list[tuple[Viewer, int]] = field(default_factory=list)
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
        self.trace = self.trace.followed_by(time_s, signal, temperature_c=temperature_c).span(time_s - _TRACE_KEPT_S)
        return True

    @property
    def now_s(self) -> float:
        """The time of its newest sample, s; 0 where none has come."""
        return float(self.trace.times_s[-1]) if len(self.trace) else 0.0

    def judged_values(self) -> Any:
        return self.lens.transform(self.trace.values, self.trace.temperature_c)

    def judgement(self) -> Judgement:
        """Return the trace judged, at most so often as its own time asks for."""
        now = self.now_s
        if self.judged is None or now - self.judged_at >= self.key.rule.window_s / _JUDGED_A_WINDOW:
            seen, resolution = self.trace.seen_as(self.judged_values()), None
            if len(seen):
                resolution = self.lens.resolution(self.trace.values, self.trace.temperature_c)
            self.judged = judge_settling(seen, self.key.rule, resolution)
            self.judged_at, self.judged_seq = now, self.seq
        return self.judged

    def trace_event(self) -> Event:
        """Return all samples so far: what a viewer that comes later starts with."""
        values = _rounded(self.judged_values()) if len(self.trace) else []
        return "trace", {
            "t": self.trace.times_s.round(3).tolist(),
            "y": values,
            "c": self.trace.temperature_c.round(2).tolist(),
            "window": self.key.rule.window_s,
            "unit": self.key.rule.unit,
            "judgement": describe(self.judgement()),
            "seen": self.judged_seq,
            "look": self.look(),
        }

    def look(self) -> dict[str, Any] | None:
        """Return what the newest sample says of the cup that the probe is in."""
        if self.lens.look is None or not len(self.trace) or self.now_s - self.trace.times_s[0] < _FAST_PART_S:
            return None
        found = self.lens.look(float(self.trace.values[-1]), float(self.trace.temperature_c[-1]))
        return {"unlike": found.unlike, "words": str(word(found.says))}

    def sample_event(self, at: float) -> Event:
        newest = self.trace[-1:]
        return "sample", {
            "t": round(self.now_s, 3),
            "y": _rounded(self.lens.transform(newest.values, newest.temperature_c))[0],
            "raw": round(float(newest.values[0]), 2),
            "c": round(float(newest.temperature_c[0]), 2),
            "at": at,
            "judgement": describe(self.judgement()),
            "seen": self.judged_seq,
            "look": self.look(),
        }

    def send(self, event: Event) -> None:
        for viewer, number in self.viewers:
            if not viewer.put(event, number):  # one that does not read; it starts again with the trace
                viewer.put(self.trace_event(), number)


def describe(judgement: Judgement) -> dict[str, Any]:
    """Return a judgement as a viewer gets it: numbers rounded to what is drawn."""

    def rounded(value: float | None, digits: int) -> float | None:
        return None if value is None else round(value, digits)

    return {
        "state": str(judgement.state),
        "words": str(word(judgement.says)),
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
    """Return a server-sent event as text."""
    name, data = event
    return f"event: {name}\ndata: {json.dumps(data, separators=(',', ':'))}\n\n"


def _rounded(values: Any) -> list[float | None]:
    return [None if not np.isfinite(v) else round(float(v), 4) for v in values]
