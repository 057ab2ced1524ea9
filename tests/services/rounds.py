"""A kit of its own and a round that it goes on."""

from __future__ import annotations

import uuid
from datetime import timedelta
from itertools import count

from brumel.services.planning.plan import DayPlan
from brumel.services.planning.rounds import NewRound
from tests.conftest import NOW
from tests.services.world import World

_kits = count(1)


class Round:
    """A kit of its own with these kinds of probes, and a round to a water that asks for these quantities."""

    def __init__(self, world: World, *kinds: str, minutes: int, **expected: tuple[float, float]) -> None:
        self.world, self.kit = world, f"Kit {next(_kits)}"
        self.probes = [world.other_probe(kind, kit=self.kit) for kind in kinds]
        self.labels = [world.at().states.probe_state(p).probe.label for p in self.probes]
        self.sites = [world.water("Water", **expected)]
        self.new = NewRound(uuid.uuid4(), NOW + timedelta(minutes=minutes), self.kit, "distilled-once", self.sites)
        self.id = world.at().planned.save(self.new, world.person)

    @property
    def version(self) -> int:
        return next(r.version for r in self.world.at().planned.ahead() if r.id == self.id)

    def plan(self, minutes_later: float = 0) -> DayPlan:
        return self.world.at(NOW + timedelta(minutes=minutes_later)).planned.plan(self.id)

    def leave(self, minutes: int) -> DayPlan:
        departure = NOW + timedelta(minutes=minutes)
        changed = NewRound(self.id, departure, self.kit, "distilled-once", self.sites, version=self.version)
        self.world.at().planned.save(changed, self.world.person)
        return self.plan()

    def tick(self, key: str, minutes_later: float = 0) -> None:
        self.world.at(NOW + timedelta(minutes=minutes_later)).planned.tick(self.id, key, self.world.person)

    def take(self, field: str, words: str) -> DayPlan:
        """Take the way out that begins with these words."""
        ways = [w for m in self.plan().missing for w in m.ways if w.words.startswith(words)]
        assert ways, self.plan().missing
        self.world.at().planned.take_way(self.id, ways[0].field, ways[0].value, self.world.person)
        assert ways[0].field == field
        return self.plan()
