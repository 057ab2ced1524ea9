"""Two who edit at once: the later one is told what stands, and may save again."""

from __future__ import annotations

import uuid
from dataclasses import replace
from datetime import date, timedelta

import pytest

from brumel.services.errors import InvalidInput
from brumel.services.kit.meters import NewMeter
from brumel.services.kit.probes import NewProbe
from brumel.services.planning.rounds import NewRound
from brumel.services.shelf.typed_lot import NewLot
from brumel.services.sites.sites import NewSite
from brumel.store.database import StoreError
from tests.conftest import NOW
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


def test_a_form_for_a_new_row_that_comes_again(world: World) -> None:
    """Sent twice it makes one; with other content it is told what stands, and nothing is overwritten."""
    new = NewSite(uuid.uuid4(), "AGAIN", "Again", "pond", 2, {"ph": (6.0, 8.0)})
    for _ in range(2):
        world.at().sites.save(new, world.person)
    with pytest.raises(InvalidInput, match="It was saved already; what stands: name “Again”"):
        world.at().sites.save(replace(new, name="Other"), world.person)
    with pytest.raises(InvalidInput, match=r"pH “6 to 8”\. Look at both, then save again"):
        world.at().sites.save(replace(new, expected={"ph": (6.0, 8.5)}), world.person)
    stored = world.at().states.site(new.site_id)
    assert (stored.name, stored.version) == ("Again", 1)


def test_a_probe_or_a_lot_under_the_key_of_another(world: World) -> None:
    probe = NewProbe(uuid.uuid4(), "twin", "S-twin", "orp", "Kit", date(2026, 1, 1), reference="ag-agcl-3m")
    lot = NewLot(uuid.uuid4(), "ph-buffer", "TWIN", "technical", 7.0, expires_on=date(2027, 1, 1))
    for _ in range(2):
        world.at().probes.add(probe, world.person)
        world.at().shelf.receive(lot, world.person)
    with pytest.raises(StoreError, match="with other content, and that stands: label twin"):
        world.at().probes.add(replace(probe, label="another"), world.person)
    with pytest.raises(StoreError, match="that stands: lot number TWIN"):
        world.at().shelf.receive(replace(lot, lot_number="TWIN-2"), world.person)


def test_a_planned_round(world: World) -> None:
    soon = NOW + timedelta(hours=20)
    new = NewRound(uuid.uuid4(), soon, "Kit", "distilled-once", [world.site.id])
    world.probe()
    planned = world.at().planned
    planned.save(new, world.person)
    planned.save(replace(new, without=["orp"], version=1), world.person)
    with pytest.raises(InvalidInput, match=r"what stands now: departure “Thu 7 May, 05:30”, kit “Kit”, sites “1”"):
        planned.save(replace(new, version=1), world.person)
    planned.drop(new.round_id, world.person)
    with pytest.raises(InvalidInput, match="This round was dropped: plan a new one"):
        planned.save(replace(new, version=2), world.person)
