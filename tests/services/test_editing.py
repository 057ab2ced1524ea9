"""Two who edit at once: the later one is told what stands, and may save again."""

from __future__ import annotations

import uuid
from dataclasses import replace
from datetime import date

import pytest

from brumel.services.errors import InvalidInput
from brumel.services.kit.meters import NewMeter
from brumel.services.kit.probes import NewProbe
from brumel.services.visiting.sites import NewSite
from tests.services.world import World


def test_a_probe(world: World) -> None:
    probe = world.probe()
    seen = NewProbe(probe.id, "mine", "", "", "Kit", None, version=probe.version)
    world.at().probes.change(seen, world.person)
    with pytest.raises(InvalidInput, match="what stands now: label “mine”, kit “Kit”"):
        world.at().probes.change(replace(seen, label="theirs"), world.person)
    stored = world.at().states.probe(probe.id)
    assert (stored.label, stored.version) == ("mine", probe.version + 1)
    world.at().probes.change(replace(seen, label="theirs", version=stored.version), world.person)
    assert world.at().states.probe(probe.id).label == "theirs"


def test_a_meter(world: World) -> None:
    new = NewMeter(uuid.uuid4(), "M-once", "S-once", "Kit", date(2026, 1, 1), ["orp"])
    world.at().meters.save(new, world.person)
    first = replace(new, batteries="2 × AA", version=1)
    world.at().meters.save(first, world.person)
    with pytest.raises(InvalidInput, match="batteries “2 × AA”"):
        world.at().meters.save(replace(first, batteries="4 × AA"), world.person)


def test_a_site(world: World) -> None:
    new = NewSite(uuid.uuid4(), "TWICE", "Twice", "pond", 2, {"ph": (6.0, 8.0)})
    world.at().sites.save(new, world.person)
    world.at().sites.save(replace(new, expected={"ph": (6.5, 8.5)}, version=1), world.person)
    with pytest.raises(InvalidInput, match=r"pH “6\.5 to 8\.5”"):
        world.at().sites.save(replace(new, name="Thrice", version=1), world.person)
    assert world.at().states.site(new.site_id).name == "Twice"
