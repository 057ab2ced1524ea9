"""What is known of a calculation: inputs from a site and a probe, limits of a water, where an answer goes on."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from brumel.core.quantities.quantity import quantity
from brumel.core.reading.limits import AgainstLimit, Limit, keeps, limits_of
from brumel.core.reckoning.answers import Answer
from brumel.core.reckoning.definition import Calculation, Number, calculations
from brumel.core.tables import read_once, table
from brumel.services.clock import Clock
from brumel.services.house.rules import in_force
from brumel.services.probes.states import probe_state
from brumel.services.readings.history import limits_at
from brumel.store.database import Database
from brumel.store.models.reference import Site
from brumel.store.queries import reading as reading_queries

_MOST_ONWARD = 6


@dataclass(frozen=True)
class Given:
    """A value that is known of an input, and where it is from."""

    text: str
    whence: str


@dataclass(frozen=True)
class Judged:
    """An output beside the limit of a water."""

    output: str
    limit: Limit
    kept: AgainstLimit


@dataclass(frozen=True)
class Onward:
    """Another calculation that takes an output."""

    calculation: Calculation
    given: Mapping[str, str]


@dataclass(frozen=True)
class ReadingForm:
    """A site reading whose own inputs a calculation has: its source, the fields by input, what else its form says."""

    source: str = ""
    fields: Mapping[str, str] = field(default_factory=dict)
    says: Mapping[str, str] = field(default_factory=dict)


@read_once
def _table() -> Mapping[str, Mapping[str, Any]]:
    return table("reckoning", "known.toml")


def reading_form(chosen: Calculation) -> ReadingForm:
    """Return the form that a calculation's inputs fill; an empty one where they are no reading."""
    return ReadingForm(**_table()["readings"].get(chosen.name, {}))


@dataclass(frozen=True)
class KnownFacts:
    """Use cases around what is known of a calculation."""

    database: Database
    clock: Clock

    def inputs(self, chosen: Calculation, site_id: uuid.UUID | None, probe_id: uuid.UUID | None) -> dict[str, Given]:
        """Return what the newest readings of a site and a probe's calibration say of a calculation's inputs."""
        numbers = {i.name: i for i in chosen.all_inputs if isinstance(i, Number) and not i.allowed}
        found: dict[str, Given] = {}
        with self.database.session() as session:
            site = session.get(Site, site_id) if site_id else None
            if site is not None:
                newest = {
                    r.quantity: r for r in reversed(reading_queries.last_readings_of_sites(session).get(site.id, []))
                }
                for name, key in _table()["inputs"].items():
                    if name in numbers and (r := newest.get(key)) and quantity(key).unit == numbers[name].unit:
                        text = quantity(key).number(r.value).replace("−", "-").replace("\u202f", "")
                        found[name] = Given(text, f"{site.name}, {self.clock.said(r.taken_at)}")
                for name, field in _table()["sites"].items():
                    if name in numbers and (value := getattr(site, field)) is not None:
                        found[name] = Given(f"{value:g}", site.name)
            if probe_id is not None and (run := probe_state(session, self.clock.now(), probe_id).run):
                known = {c.key: c for c in run.coefficients}
                for name, key in _table()["coefficients"].items():
                    if name in numbers and (c := known.get(key)) and numbers[name].unit.startswith(c.unit):
                        label = f"{run.probe.label}, {self.clock.said(run.started_at)}"
                        found[name] = Given(f"{c.value:.2f}", label)
        return found

    def limits(self, answer: Answer | None, water: str, site_id: uuid.UUID | None) -> list[Judged]:
        """Return the outputs of an answer beside the limits of a water, or of a site where one is chosen."""
        if answer is None or not (water or site_id):
            return []
        with self.database.session() as session:
            site = session.get(Site, site_id) if site_id else None
            limits = limits_of(in_force(), water) if water else limits_at(session, site)
        found = []
        for name, key in _table()["outputs"].items():
            value, limit = answer.outputs.get(name), limits.get(key)
            if isinstance(value, float) and limit is not None:
                u = answer.outputs.get(f"{name}_u")
                found.append(Judged(name, limit, keeps(limit, value, 2 * u if isinstance(u, float) else 0.0)))
        return found


def takes_from(chosen: Calculation) -> tuple[bool, bool]:
    """Say whether a site, and whether a probe, can know one of its inputs."""
    names = {i.name for i in chosen.all_inputs}
    of_site = names & (_table()["inputs"].keys() | _table()["sites"].keys())
    return bool(of_site), bool(names & _table()["coefficients"].keys())


def waters() -> list[str]:
    """Return the kinds of water that have limits."""
    return [name for name, kind in in_force().waters.items() if kind.limits]


def onward(answer: Answer | None, chosen: Calculation, typed: Mapping[str, str]) -> list[Onward]:
    """Return the calculations that take an output of this one, with that and what was typed of their other inputs."""
    if answer is None:
        return []
    outputs = {(o.name, o.unit): answer.outputs.get(o.name) for o in chosen.outputs}
    found = []
    for other in calculations().values():
        numbers = [i for i in other.inputs if isinstance(i, Number) and not i.allowed]
        taken = {i.name: v for i in numbers if isinstance(v := outputs.get((i.name, i.unit)), float)}
        if other is not chosen and taken:
            along = _along(numbers, typed)
            found.append(Onward(other, along | {name: f"{value:.6g}" for name, value in taken.items()}))
    return found[:_MOST_ONWARD]


def _along(numbers: Sequence[Number], typed: Mapping[str, str]) -> dict[str, str]:
    names = [name for i in numbers for name in (i.name, f"{i.name}.unit")]
    return {name: typed[name] for name in names if typed.get(name)}
