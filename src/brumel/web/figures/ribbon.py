"""The ribbon's geometry: the technician's day as one strip of time.

``day_lines`` is the slim line of every page: how many of the probes stand, over time, with what was done and what is
to come. ``lanes`` draws each probe by itself, where the line unfolds or one probe is in hand.
"""

from __future__ import annotations

import uuid
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from itertools import pairwise

from flask import render_template
from markupsafe import Markup

from brumel.core.findings import Level, worst_of
from brumel.core.kit.readiness import RunningWait as Running
from brumel.core.kit.readiness import State
from brumel.core.wording import counted
from brumel.core.words.catalogue import word
from brumel.services.application import Services
from brumel.services.clock import Clock
from brumel.services.probes.states import ProbeState
from brumel.services.today.strip import Lane, Ribbon, Span
from brumel.web.figures.scale import Scale

LABEL, ROW, TOP = 84.0, 16.0, 17.0
_LINE = 15.0
_APART = 13.0
"""Marks that stand closer than this, in units of the drawing, become one."""
_LETTER = 6.7


@dataclass(frozen=True)
class Format:
    """One size of the ribbon: its width in units of the drawing, and the hours that it shows around now."""

    name: str
    width: float
    before: timedelta
    after: timedelta


FORMATS = (
    Format("broad", 1240.0, timedelta(hours=10), timedelta(hours=14)),
    Format("narrow", 400.0, timedelta(hours=2), timedelta(hours=6)),
)


@dataclass(frozen=True)
class Frame:
    """What every strip of time has: its size, now, the hours, and the rounds that leave."""

    name: str
    width: float
    height: float
    now_x: float
    now_words: str
    hours: tuple[tuple[float, str, bool], ...]
    departures: tuple[tuple[float, uuid.UUID, str], ...]
    """Rounds planned: place, key, words."""
    top: float = TOP
    left: float = LABEL


@dataclass(frozen=True)
class Bar:
    """A calibration's worth as a bar."""

    x: float
    width: float
    level: str
    run_id: uuid.UUID | None
    words: str


@dataclass(frozen=True)
class WaitBar:
    """A wait as a bar that fills: its place, and how far it has come."""

    x: float
    width: float
    filled: float
    words: str


@dataclass(frozen=True)
class Dot:
    """A calibration or a reading as a mark; several close together are one, with their number."""

    x: float
    level: str
    kind: str
    record_id: uuid.UUID | None
    words: str
    count: int = 1


@dataclass(frozen=True)
class Coming:
    """Something that will be so by itself: a probe is ready, a calibration runs out."""

    x: float
    what: str
    probe_id: uuid.UUID
    label: str
    """Short words beside the mark; empty where there is no room."""
    words: str


@dataclass(frozen=True)
class DrawnLane:
    """One probe's lane."""

    y: float
    state: ProbeState
    bars: tuple[Bar, ...]
    dots: tuple[Dot, ...]
    waits: tuple[WaitBar, ...]
    blocked: tuple[float, float] | None
    """Where from now on no calibration stands: x and width."""


@dataclass(frozen=True)
class Lanes:
    """A strip with a lane for each probe."""

    frame: Frame
    rows: tuple[DrawnLane, ...]


@dataclass(frozen=True)
class DayLine:
    """The slim line: its height does not grow with the number of probes.

    ``layers`` are rectangles (level, x, y, width, height) that say how many calibrations are sound, and doubtful, over
    time; ``counts`` how many probes are what now.
    """

    frame: Frame
    counts: tuple[tuple[str, int], ...]
    counts_words: str
    layers: tuple[tuple[str, float, float, float, float], ...]
    line: tuple[float, float]
    """Top and height of the part that the layers fill."""
    dots: tuple[Dot, ...]
    coming: tuple[Coming, ...]


def drawn(services: Services, of: uuid.UUID | None, *, unfolds: bool) -> Markup:
    """The strip of a page, of all or of one probe; nothing where there is none. Drawn once, until something changes.

    Parameters
    ----------
    unfolds
        Whether the line of all shows each by itself too.
    """

    def draw() -> str:
        whole = services.today.ribbon()
        if not whole.lanes:
            return ""
        lines = [] if of else day_lines(whole, services.clock)
        alone = lanes(whole.of(of), services.clock) if of or unfolds else []
        return render_template("_partials/ribbon.html", lines=lines, lanes=alone)

    return Markup(services.today.drawn((of, unfolds), draw))


def day_lines(ribbon: Ribbon, clock: Clock) -> list[DayLine]:
    """Return the slim line in each format; the screen's width chooses which is seen."""
    return [_Strip(ribbon, clock, form).line() for form in FORMATS]


def lanes(ribbon: Ribbon, clock: Clock) -> list[Lanes]:
    """Return each probe's lane in each format."""
    return [_Strip(ribbon, clock, form).lanes() for form in FORMATS]


class _Strip:
    def __init__(self, ribbon: Ribbon, clock: Clock, form: Format) -> None:
        self.ribbon, self.clock, self.form = ribbon, clock, form
        self.begin, self.end = ribbon.now - form.before, ribbon.now + form.after
        self.scale = Scale(self.begin.timestamp(), self.end.timestamp(), LABEL, form.width)
        self.now_x = self.scale(ribbon.now.timestamp())

    def frame(self, height: float) -> Frame:
        departures = tuple(
            (self.at(moment), key, f"A round leaves at {self.clock.local(moment):%H:%M}")
            for moment, key in self.ribbon.departures
            if self.within(moment)
        )
        now = f"{self.clock.local(self.ribbon.now):%H:%M}"
        return Frame(self.form.name, self.form.width, height, self.now_x, now, tuple(self.hours()), departures)

    def lanes(self) -> Lanes:
        rows = tuple(self.row(number, lane) for number, lane in enumerate(self.ribbon.lanes))
        return Lanes(self.frame(TOP + ROW * len(rows) + 4), rows)

    def line(self) -> DayLine:
        top = TOP + ROW + 1
        height = top + _LINE + 3
        standing = [lane for lane in self.ribbon.lanes if lane.state.keeps_calibration]
        counts = _counts([lane.state for lane in self.ribbon.lanes])
        marks = sorted((dot for lane in self.ribbon.lanes for dot in self.dots(lane)), key=lambda dot: dot.x)
        return DayLine(
            frame=self.frame(height),
            counts=counts,
            counts_words=", ".join(f"{counted(n, 'probe')} {words}" for words, n in counts) or "no probe in use",
            layers=tuple(self.layers(standing, top)),
            line=(top, _LINE),
            dots=tuple(_merged(marks)),
            coming=tuple(_labelled(sorted(self.coming(), key=lambda c: c.x), self.form.width)),
        )

    def layers(self, standing: list[Lane], top: float) -> Iterator[tuple[str, float, float, float, float]]:
        """Yield one rectangle a level and stretch of time, sound from the bottom up, doubtful above it."""
        spans = [span for lane in standing for span in lane.spans if self.shown(span)]
        edges = sorted({self.begin, self.end, *(s.begin for s in spans), *(s.end for s in spans)})
        edges = [e for e in edges if self.begin <= e <= self.end]
        for left, right in pairwise(edges):
            bottom = top + _LINE
            for level in (Level.SOUND, Level.DOUBTFUL):
                number = sum(s.level is level and s.begin <= left and s.end >= right for s in spans)
                if number:
                    tall = round(_LINE * number / len(standing), 2)
                    bottom = round(bottom - tall, 2)
                    yield str(level), self.at(left), bottom, round(self.at(right) - self.at(left), 1), tall

    def coming(self) -> Iterator[Coming]:
        for lane in self.ribbon.lanes:
            probe = lane.state.probe
            for running in lane.state.readiness.clocks:
                if self.within(running.end) and running.end > self.ribbon.now:
                    short = f"{probe.label} ready {self.clock.local(running.end):%H:%M}"
                    words = f"{short}: {word(running.why)}, until {self.clock.said(running.end)}"
                    yield Coming(self.at(running.end), "waiting", probe.id, short, words)
            ends = [s.until for s in lane.spans if s.level is Level.SOUND and s.begin <= self.ribbon.now < s.until]
            for until in ends:
                if self.within(until):
                    short = f"{probe.label} until {self.clock.local(until):%H:%M}"
                    words = f"{short}: sound until {self.clock.said(until)}"
                    yield Coming(self.at(until), "doubtful", probe.id, short, words)

    def row(self, number: int, lane: Lane) -> DrawnLane:
        label = lane.state.probe.label
        bars = tuple(self.bar(s, label) for s in lane.spans if self.shown(s))
        waits = tuple(self.wait(c, label) for c in lane.state.readiness.clocks if c.begin < self.end)
        reached = max((b.x + b.width for b in bars), default=LABEL)
        free = max(reached, self.now_x, *(w.x + w.width for w in waits))
        gone = lane.state.keeps_calibration and free < self.form.width - 1
        blocked = (free, round(self.form.width - free, 1)) if gone else None
        return DrawnLane(TOP + number * ROW, lane.state, bars, tuple(self.dots(lane)), waits, blocked)

    def dots(self, lane: Lane) -> Iterator[Dot]:
        for mark in lane.marks:
            if self.within(mark.at):
                yield Dot(self.at(mark.at), str(mark.level), mark.kind, mark.record_id, mark.words)

    def bar(self, span: Span, label: str) -> Bar:
        left, right = self.at(max(span.begin, self.begin)), self.at(min(span.end, self.end))
        words = f"{label}: {span.level} until {self.clock.said(span.until)}"
        return Bar(left, round(right - left, 1), str(span.level), span.run_id, words)

    def wait(self, running: Running, label: str) -> WaitBar:
        left, right = self.at(max(running.begin, self.begin)), self.at(min(running.end, self.end))
        filled = min(max(self.now_x - left, 0.0), right - left)
        words = f"{label}: {word(running.why)}, until {self.clock.said(running.end)}"
        return WaitBar(left, round(right - left, 1), round(filled, 1), words)

    def at(self, moment: datetime) -> float:
        return self.scale(moment.timestamp())

    def within(self, moment: datetime) -> bool:
        return self.begin <= moment <= self.end

    def shown(self, span: Span) -> bool:
        return span.end > self.begin and span.begin < self.end

    def hours(self) -> Iterator[tuple[float, str, bool]]:
        """Yield every second full hour: place, words, and whether a day begins there."""
        hour = self.clock.local(self.begin).replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
        while hour < self.end:
            if hour.hour % 2 == 0 and abs(self.at(hour) - self.now_x) > 34:
                midnight = hour.hour == 0
                yield self.at(hour), f"{hour:%a}" if midnight else f"{hour:%H}", midnight
            hour += timedelta(hours=1)


def _counts(states: Iterable[ProbeState]) -> tuple[tuple[str, int], ...]:
    """Say how many probes are what, the best first: what keeps one from being used counts before its calibration."""
    found = Counter(
        str(s.level) if s.readiness.state is State.READY else str(s.readiness.state)
        for s in states
        if s.keeps_calibration or s.readiness.state is not State.READY
    )
    return tuple((key, found[key]) for key in (*map(str, Level), "waiting", "blocked") if found[key])


def _merged(dots: Iterable[Dot]) -> Iterator[Dot]:
    """Marks that would lie upon each other as one, with the worst of their levels."""
    group: list[Dot] = []
    for dot in dots:
        if group and dot.x - group[-1].x >= _APART:
            yield _one(group)
            group = []
        group.append(dot)
    if group:
        yield _one(group)


def _one(group: list[Dot]) -> Dot:
    if len(group) == 1:
        return group[0]
    middle = round(sum(d.x for d in group) / len(group), 1)
    kinds = Counter(d.kind for d in group)
    level = str(worst_of(Level(d.level) for d in group))
    said = " and ".join(counted(n, kind) for kind, n in kinds.items())
    words = f"{len(group)} marks: {said}; the worst is {level}"
    return Dot(middle, level, kinds.most_common(1)[0][0], None, words, len(group))


def _labelled(coming: list[Coming], width: float) -> Iterator[Coming]:
    """Yield words beside those marks that leave room for them."""
    ends = [*(following.x - 10 for following in coming[1:]), width]
    for this, end in zip(coming, ends, strict=False):
        room = end - this.x - 10
        yield this if len(this.label) * _LETTER < room else replace(this, label="")
