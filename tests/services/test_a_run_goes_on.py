"""A run goes on: another person takes over with a note, a point is dropped with a reason, a step is gone back to."""

from __future__ import annotations

import uuid
from datetime import timedelta

import pytest
from sqlalchemy import text

from brumel.services.acts import acts_as
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput
from brumel.services.people import Person
from brumel.store.database import StoreError
from tests.acting import minted
from tests.conftest import NOW, Urls
from tests.services.world import World


@pytest.fixture(scope="module")
def second(world: World) -> Person:
    return world.at().people.add("sol", "Sol Ander", "technician", "another long password")


def drop(world: World, run_id: uuid.UUID, step: str, reason: str = "a bubble under the bulb") -> uuid.UUID:
    entry = uuid.uuid4()
    world.at().calibrations.drop(run_id, entry, step, world.person, reason)
    return entry


def test_a_second_person_sees_who_is_there_and_takes_over_with_a_note(world: World, second: Person) -> None:
    probe = world.probe()
    run_id = world.begin(probe)
    world.take(run_id, "neutral")
    later = world.at(NOW + timedelta(minutes=40)).calibrations
    point = TakePoint(uuid.uuid4(), "acid", 175.0, 22.0, device=False)
    for act in (
        lambda: later.take(run_id, point, second),
        lambda: later.begin_step(run_id, uuid.uuid4(), "acid", second),
        lambda: later.sign(run_id, second),
        lambda: later.drop(run_id, uuid.uuid4(), "neutral", second, "why not"),
    ):
        with pytest.raises(InvalidInput) as refused:
            act()
        since = "Wed 6 May, 09:30"
        words = f"{world.person.name} is at {probe.label} since {since}: take over first."
        assert refused.value.fields == {"take_over": words}
    with pytest.raises(InvalidInput, match="Say in a few words why you take over"):
        later.take_over(run_id, uuid.uuid4(), second, "  ")
    later.take_over(run_id, uuid.uuid4(), second, "Tess is called to the lido")
    later.take_over(run_id, uuid.uuid4(), second, "twice pressed")
    holder = later.view(run_id).holder
    assert (holder.person.name, holder.since, holder.note) == (
        "Sol Ander", NOW + timedelta(minutes=40), "Tess is called to the lido",
    )  # fmt: skip
    later.take(run_id, point, second)
    assert later.view(run_id).step("neutral").point is not None
    with pytest.raises(InvalidInput, match="Sol Ander is at"):
        world.take(run_id, "alkaline")


def test_a_dropped_point_stays_on_record_and_stands_no_more(world: World) -> None:
    run_id = world.begin(world.probe())
    for step in ("neutral", "acid", "alkaline"):
        world.take(run_id, step, off_ph=0.3 if step == "alkaline" else 0.0)
    assert any(f.code == "residual" for f in world.at().calibrations.view(run_id).findings)
    entry = drop(world, run_id, "alkaline")
    world.at().calibrations.drop(run_id, entry, "alkaline", world.person, "a bubble under the bulb")  # sent twice
    view = world.at().calibrations.view(run_id)
    assert view.current is not None
    assert view.current.key == "alkaline"
    assert len(view.run.points) == 3
    assert "residual" not in {f.code for f in view.findings}
    with pytest.raises(InvalidInput, match="No point of this step stands: it was dropped already, or never taken"):
        drop(world, run_id, "alkaline")
    signed = world.sign(run_id)
    assert signed.run.signature is not None
    assert len(signed.run.signature.point_ids) == 2


def test_a_dropped_step_is_taken_again(world: World) -> None:
    run_id = world.begin(world.probe())
    for step in ("neutral", "acid"):
        world.take(run_id, step)
    drop(world, run_id, "neutral")
    world.take(run_id, "neutral", offset=3.0)
    view = world.sign(run_id)
    assert view.run.signature is not None
    assert len(view.run.signature.point_ids) == 2


def test_what_cannot_be_dropped(world: World) -> None:
    run_id = world.begin(world.probe())
    with pytest.raises(InvalidInput, match="No point of this step stands"):
        drop(world, run_id, "neutral")
    world.take(run_id, "neutral")
    with pytest.raises(InvalidInput, match="Say in a few words why the point is dropped"):
        drop(world, run_id, "neutral", " ")
    world.sign(run_id)
    with pytest.raises(StoreError, match="has been signed"):
        drop(world, run_id, "neutral")


def test_the_database_itself_passes_over_no_point_that_stands_and_names_none_that_was_dropped(
    world: World, urls: Urls
) -> None:
    run_id = world.begin(world.probe())
    for step in ("neutral", "acid"):
        world.take(run_id, step)
    points = [p.id for p in world.at().calibrations.view(run_id).run.points]
    drop(world, run_id, "acid")
    sign = text(
        "INSERT INTO calibration_signature (run_id, person_id, signed_at, level, point_ids, covariance, note)"
        " VALUES (:run, :person, now(), 'sound', :points, '[]', '')"
    )
    key = minted(urls.owner, world.person.id)
    for named in (points, []):
        with (
            acts_as(key),
            pytest.raises(StoreError, match="Another point was taken meanwhile"),
            world.database.session(run_id) as session,
        ):
            session.execute(sign, {"run": run_id, "person": world.person.id, "points": named})
