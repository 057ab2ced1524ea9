"""A run is proposed with what its own verdict would not find wanting for the waters planned."""

from __future__ import annotations

import pytest

from brumel.services.calibrating.proposing import Proposed
from brumel.store.database import Database
from brumel.store.models.reference import Probe
from tests.services.world import THREE, World

ONE, ACID_FIRST = "ph-one-point", "ph-acid-first"


@pytest.fixture(scope="module")
def world(database: Database) -> World:
    made = World(database)
    for name in ("84", "1413", "12880"):
        made.shelved(name, standard="conductivity", family="kcl")
    return made


def after_one_point(world: World) -> Probe:
    probe = world.probe()
    run_id = world.begin(probe, method=ONE)
    world.take(run_id, "neutral")
    world.sign(run_id)
    return probe


def proposed(world: World, probe: Probe, **waters: tuple[float, float]) -> Proposed:
    sites = (world.water("planned", **waters),) if waters else ()
    return world.at().calibrations.before(probe.id, sites)[0].proposed


def test_what_was_taken_last_is_proposed_where_nothing_is_known_of_the_waters(world: World) -> None:
    found = proposed(world, after_one_point(world))
    assert (found.fields["method"], found.instead) == (ONE, "")


def test_waters_beside_the_one_buffer_are_bracketed_by_what_is_proposed(world: World) -> None:
    """Its verdict would say "the waters planned reach from pH 6.50 to 8.80; these buffers cover 7.00 to 7.00"."""
    found = proposed(world, after_one_point(world), ph=(6.5, 8.8))
    assert found.fields["method"] == THREE
    assert "reach from 6.50 to 8.80" in found.instead
    assert "So Neutral, acid, alkaline with 7.00, 4.01, 10.01 is proposed." in found.instead


def test_where_nothing_on_the_shelf_does_better_that_is_said(world: World) -> None:
    found = proposed(world, after_one_point(world), ph=(6.5, 12.0))
    assert found.fields["method"] == ONE
    assert found.instead.endswith("No procedure with what stands on the shelf does better.")


@pytest.mark.parametrize(("waters", "lot"), [((20.0, 60.0), "84"), ((900.0, 1300.0), "1413"), ((5e3, 3e4), "12880")])
def test_a_conductivity_standard_is_of_the_range_of_the_waters(
    world: World, waters: tuple[float, float], lot: str
) -> None:
    cell = world.at().states.probe(world.other_probe("conductivity-1"))
    found = proposed(world, cell, specific_conductance=waters)
    assert (found.fields["lot_conductivity"], found.instead) == (str(world.lots[lot].id), "")


def test_a_lot_that_something_speaks_against_is_not_proposed_again(world: World) -> None:
    probe = world.probe()
    run_id = world.begin(probe, {"acid": "old 4.01"})
    for step in ("neutral", "acid", "alkaline"):
        world.take(run_id, step)
    world.sign(run_id)
    assert proposed(world, probe).fields["lot_acid"] == str(world.lots["4.01"].id)
