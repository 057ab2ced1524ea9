"""A year of visits at Hallow Reach: what kits and meters gave beside the probes, and what follows from it."""

from __future__ import annotations

import random
import uuid
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from brumel.core.findings import Level
from brumel.core.kit.accuracy import read_accuracy
from brumel.core.kit.instruments import Measures
from brumel.core.reading.limits import Keeps, limits_of
from brumel.core.reading.together import rests_on, worked_out
from brumel.demo.places import Water
from brumel.services.house.rules import in_force
from brumel.services.readings.given_value import Amending, PlainReading, Spot, plain_row, worked_row
from brumel.services.readings.standing import seen_at
from brumel.services.readings.typed_value import TypedValue
from brumel.services.said import finding_rows
from brumel.store.models.base import Base
from brumel.store.models.reading import Reading, ReadingFinding
from brumel.store.models.reference import Instrument, Person, Probe, Site
from brumel.store.models.visit import Acknowledgement, ReadingBasis, Visit, VisitEntry

_SEED = 7193
_WEATHER = ("overcast", "clear", "light rain", "wind from the sea", "fog", "clear, no wind")
ACCESS = {
    "SPRING": "Key 4 for the hatch. Wet rock: not alone; tell the office when you are out.",
    "REED": "Boards over the bed are slippery; life jacket from the shed.",
    "SHRIMP": "Aerators run on mains: hands off plugs and cables. Read from the jetty.",
    "OYSTER": "Two hours either side of low water only; not alone.",
    "POOL": "Plant room: vented before you enter. Ring the duty manager.",
}
_DAILY = {"POOL": ("free-chlorine", "total-chlorine"), "LIDO": ("free-chlorine", "total-chlorine")}
_WEEKLY = {
    "POOL": ("stabiliser", "alkalinity", "hardness", "dissolved-solids"), "SHRIMP": ("alkalinity",),
}  # fmt: skip
_AMMONIUM = {"SHRIMP": 0.35}
_USUAL = {
    "free-chlorine": (2.4, 0.15), "total-chlorine": (0.22, 0.05), "stabiliser": (24.0, 1.5), "alkalinity": (108.0, 4.0),
    "hardness": (240.0, 8.0), "dissolved-solids": (1_150.0, 30.0),
}  # fmt: skip
"""Mean and spread; total chlorine as what is combined."""


def instruments(new_id: Callable[[], uuid.UUID]) -> list[Instrument]:
    """Return a photometer, a kit of drops, the laboratory in town, a thermometer to compare with."""
    chlorine = Measures(0.02, 6.0, read_accuracy("±0.05, ±4 % of reading, steps of 0.01"))
    ammonia = Measures(0.02, 50.0, read_accuracy("±0.04, ±5 % of reading, steps of 0.01"), "total-n")
    of_drops = {"alkalinity": "±5, ±5 % of reading, steps of 1", "hardness": "±10, ±5 % of reading, steps of 1"}
    return [
        Instrument(
            id=new_id(), label="P-1", serial="HR-P-0031", kind="photometer", kit="Kit A",
            measures={
                "free-chlorine": chlorine.plain, "total-chlorine": chlorine.plain,
                "stabiliser": Measures(5.0, 160.0, read_accuracy("±5, ±6 % of reading, steps of 1")).plain,
                "ammonium-n": ammonia.plain,
            },
        ),
        Instrument(
            id=new_id(), label="Drops", serial="", kind="titration", kit="Kit A",
            measures={key: Measures(5.0, 500.0, read_accuracy(words)).plain for key, words in of_drops.items()},
        ),
        Instrument(
            id=new_id(), label="Town laboratory", serial="", kind="laboratory", kit="Store",
            measures={
                "free-chlorine": Measures(0.01, None, read_accuracy("±3 % of reading")).plain,
                "dissolved-solids": Measures(10.0, None, read_accuracy("±3 % of reading")).plain,
                "nitrate-n": Measures(0.1, None, read_accuracy("±4 % of reading")).plain,
            },
        ),
        Instrument(
            id=new_id(), label="Traceable thermometer", serial="HR-T-0009", kind="thermometer", kit="Store",
            measures={"temperature": Measures(-5.0, 60.0, read_accuracy("±0.03, steps of 0.01")).plain},
        ),
    ]  # fmt: skip


@dataclass
class Stays:
    """The visits of the year, as rows; what its probes read is handed in."""

    now: datetime
    people: Mapping[str, Person]
    sites: Mapping[str, Site]
    probes: Mapping[str, Probe]
    rows: dict[type[Base], list[dict[str, Any]]]
    random: random.Random = field(default_factory=lambda: random.Random(_SEED))
    instruments: dict[str, Instrument] = field(default_factory=dict)

    def new_id(self) -> uuid.UUID:
        """Return a key from the seed."""
        return uuid.UUID(int=self.random.getrandbits(128), version=4)

    def begin(self, water: Water, at: datetime) -> Visit:
        """Return a visit to a water."""
        site, mira = self.sites[water.code], self.people["mira"]
        row = {
            "id": self.new_id(), "site_id": site.id, "sample": "", "person_id": mira.id, "round_id": None,
            "begun_at": at - timedelta(minutes=2),
        }  # fmt: skip
        self.rows[Visit].append(row)
        visit = Visit(**row)
        visit.site = site
        self._say(visit, at, "weather", self.random.choice(_WEATHER))
        return visit

    def end(self, visit: Visit, water: Water, at: datetime, read: list[dict[str, Any]], *, finish: bool = True) -> None:
        """What was typed beside the probes' readings, what follows, and that all is read."""
        stabilised = water.code == "POOL"
        limits = limits_of(in_force(), water.kind, stabilised=stabilised)
        warm = next((r["temperature_c"] for r in read), water.mean_c)
        own = [*read, self._typed(visit, "temperature", warm, None, self.probes[water.probe], at, limits)]
        keys = [*_DAILY.get(water.code, ()), *(_WEEKLY.get(water.code, ()) if at.weekday() == 2 else ())]
        free, read_by_probe = 0.0, {r["quantity"]: r["value"] for r in read}
        for key in keys:
            mean, spread = _USUAL[key]
            value = max(self.random.gauss(mean, spread), 0.05)
            if key in read_by_probe:
                continue
            if key == "free-chlorine" and "total-chlorine" in read_by_probe:
                value = read_by_probe["total-chlorine"] - 0.22 + 0.2 * (value - mean)
            if key == "free-chlorine":
                free = value
            value = free + value if key == "total-chlorine" else value
            label = "Drops" if key in ("alkalinity", "hardness") else "P-1"
            label = "Town laboratory" if key == "dissolved-solids" else label
            own.append(self._typed(visit, key, value, self.instruments[label], None, at, limits))
        if water.code in _AMMONIUM:
            mg_l = _AMMONIUM[water.code] * self.random.uniform(0.7, 1.3)
            own.append(self._typed(visit, "total-ammonia-n", mg_l, self.instruments["P-1"], None, at, limits))
        seen = seen_at([Reading(**row) for row in own], Spot())
        for found in worked_out(seen):
            behind = [row for row in own if str(row["id"]) in found.basis]
            said = rests_on([(Reading(**r).words, Level(r["level"])) for r in behind])
            row = worked_row(self.new_id(), found, visit, self.people["mira"], at, limits, Spot(), Amending(), said)
            self.rows[ReadingFinding] += [{"reading_id": row["id"], **f} for f in finding_rows(said)]
            self.rows[Reading].append(row)
            self.rows[ReadingBasis] += [{"reading_id": row["id"], "basis_id": uuid.UUID(b)} for b in set(found.basis)]
            own.append(row)
        self._see_to(own, at)
        if finish:
            self._say(visit, at + timedelta(minutes=12), "finished", "all read")

    def dawn(self, water: Water, at: datetime) -> None:
        """A dawn that nearly went wrong: oxygen at the bottom fell below 3 mg/L, and somebody was there."""
        visit, limits = self.begin(water, at), limits_of(in_force(), water.kind)
        meter, kept = self.probes[water.oxygen_probe], []
        for minutes, layer, mg_l in ((0, "top", 3.6), (3, "bottom", 2.7), (95, "bottom", 4.6)):
            moment, spot = at + timedelta(minutes=minutes), Spot(layer=layer)
            kept.append(self._typed(visit, "oxygen", mg_l, None, meter, moment, limits, spot))
        self._say(visit, at + timedelta(minutes=5), "note", "Bottom below 3: both aerators on at once, Oskar called.")
        self.rows[Acknowledgement].append(
            {
                "reading_id": kept[1]["id"], "person_id": self.people["oskar"].id, "at": at + timedelta(minutes=20),
                "words": "aerators on, no feed this morning; read again at half past seven",
            }
        )  # fmt: skip
        self._say(visit, at + timedelta(minutes=96), "finished", "only oxygen, before sunrise")

    def compare(self, visit: Visit, water: Water, at: datetime) -> None:
        """The laboratory in town on the photometer's own sample: they disagree."""
        found = self.instruments["Town laboratory"]
        self._typed(visit, "free-chlorine", 2.31, found, None, at, limits_of(in_force(), water.kind, stabilised=True))
        self._say(visit, at, "note", "Sample sent along: the photometer's cell was scratched, a new one is ordered.")

    def _see_to(self, read: list[dict[str, Any]], at: datetime) -> None:
        """What was beyond its limit was seen to, but for the last day's."""
        if self.now - at < timedelta(days=1):
            return
        self.rows[Acknowledgement] += [
            {
                "reading_id": row["id"], "person_id": self.people["oskar"].id, "at": at + timedelta(hours=1),
                "words": "told the person in charge; read again the next day",
            }
            for row in read
            if row.get("keeps") == Keeps.BEYOND
        ]  # fmt: skip

    def _typed(
        self, visit: Visit, key: str, value: float, instrument: Instrument | None, probe: Probe | None, at: datetime,
        limits: Mapping[str, Any], spot: Spot | None = None,
    ) -> dict[str, Any]:  # fmt: skip
        digits = {"temperature": 1, "free-chlorine": 2, "total-chlorine": 2, "total-ammonia-n": 2, "oxygen": 2}.get(
            key, 0
        )
        new = PlainReading(self.new_id(), key, TypedValue(round(value, digits)), instrument, probe, spot or Spot())
        row, findings = plain_row(new, visit, self.people["mira"], at, limits)
        self.rows[Reading].append(row)
        self.rows[ReadingFinding] += [{"reading_id": row["id"], **f} for f in finding_rows(findings)]
        return row

    def _say(self, visit: Visit, at: datetime, kind: str, words: str) -> None:
        self.rows[VisitEntry].append(
            {
                "id": self.new_id(), "visit_id": visit.id, "person_id": self.people["mira"].id, "at": at, "kind": kind,
                "quantity": "", "words": words,
            }
        )  # fmt: skip
