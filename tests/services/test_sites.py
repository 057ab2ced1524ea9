"""Sites on the real database: entered, changed, and what can't be taken."""

from __future__ import annotations

import uuid
from dataclasses import replace

import pytest

from brumel.services.errors import InvalidInput
from brumel.services.sites.sites import NewSite
from tests.services.world import World


def test_what_is_expected_is_entered_changed_and_taken_away(world: World) -> None:
    sites, catalog = world.at().sites, world.at().states
    expected = {"ph": (6.5, 9.0), "oxygen": (5.0, 12.0), "orp": (None, None)}
    new = NewSite(uuid.uuid4(), "mere", "The mere", "lake", 7, expected)
    sites.save(new, world.person)
    site = catalog.site(new.site_id)
    assert (site.code, site.expected("ph"), site.expected("oxygen"), site.expected("orp")) == (
        "MERE", (6.5, 9.0), (5.0, 12.0), None,
    )  # fmt: skip
    sites.save(replace(new, expected={"ph": (6.0, 8.0), "oxygen": (None, None)}, version=1), world.person)
    site = catalog.site(new.site_id)
    assert [(r.quantity, r.low, r.high) for r in site.ranges] == [("ph", 6.0, 8.0)]


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"code": " "}, "code"),
        ({"code": "pond"}, "code"),
        ({"name": ""}, "name"),
        ({"water_kind": ""}, "water_kind"),
        ({"visit_every_days": None}, "visit_every_days"),
        ({"visit_every_days": 0.0}, "visit_every_days"),
        ({"expected": {"ph": (7.0, None)}}, "ph"),
        ({"expected": {"ph": (8.0, 7.0)}}, "ph"),
        ({"expected": {"mood": (1.0, 2.0)}}, "mood"),
    ],
)
def test_what_cannot_be_taken_is_said_in_its_field(world: World, wrong: dict[str, object], field: str) -> None:
    new = NewSite(uuid.uuid4(), "X", "X", "pond", 1, {"ph": (6.0, 8.0)})
    with pytest.raises(InvalidInput) as refused:
        world.at().sites.save(replace(new, **wrong), world.person)  # type: ignore[arg-type]
    assert set(refused.value.fields) == {field}
