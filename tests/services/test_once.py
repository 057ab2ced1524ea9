"""A double submit or a reload makes no second record, whatever was submitted."""

from __future__ import annotations

import io
import uuid
from collections.abc import Callable

import pytest
from PIL import Image

from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput
from brumel.services.people import Person
from brumel.services.probes.care_log import NewCare
from brumel.services.shelf.typed_lot import NewLot
from brumel.services.visits.filling import TypedIn
from brumel.services.visits.visits import NewVisit, Sheet
from brumel.store.database import StoreError
from tests.conftest import NOW
from tests.services.world import THREE, World


def _picture() -> bytes:
    made = io.BytesIO()
    Image.new("RGB", (40, 30)).save(made, "JPEG")
    return made.getvalue()


JPEG = _picture()


def test_run_point_immersion_and_signature_once(world: World) -> None:
    services, probe = world.at(), world.probe()
    lots = {role: world.lots[name].id for role, name in (("neutral", "7.00"), ("acid", "4.01"), ("alkaline", "10.01"))}
    begin = Begin(uuid.uuid4(), probe.id, THREE, "distilled-once", lots)
    assert services.calibrations.begin(begin, world.person) == services.calibrations.begin(begin, world.person)
    assert len([r for r in services.calibrations.open_runs() if r.probe_id == probe.id]) == 1
    take = TakePoint(uuid.uuid4(), "neutral", 2.0, 22.0, device=False)
    immersion = uuid.uuid4()
    for _ in range(2):
        services.calibrations.begin_step(begin.run_id, immersion, "neutral", world.person)
        services.calibrations.take(begin.run_id, take, world.person)
    view = services.calibrations.view(begin.run_id)
    assert len(view.run.points) == len(view.run.begun) == 1
    assert world.sign(begin.run_id).findings == world.sign(begin.run_id).findings
    late = TakePoint(uuid.uuid4(), "acid", 170.0, 22.0, device=False)
    with pytest.raises(StoreError, match="has been signed: begin a new one"):
        services.calibrations.take(begin.run_id, late, world.person)


def test_a_repeat_supersedes_and_keeps_both(world: World) -> None:
    run_id = world.begin(world.probe())
    world.take(run_id, "neutral", offset=20.0)
    world.take(run_id, "neutral", offset=3.0)
    view = world.at().calibrations.view(run_id)
    assert len(view.run.points) == 2
    assert view.step("neutral").repeats == 1
    assert view.response is not None
    assert view.response["offset"] == pytest.approx(3.0, abs=0.1)


def test_a_run_with_nothing_to_adjust_to_is_not_signed(world: World) -> None:
    with pytest.raises(InvalidInput, match="at least one point"):
        world.sign(world.begin(world.probe()))


def test_a_reader_begins_nothing(world: World) -> None:
    reader: Person = world.at(NOW).people.add("reed", "Reed Moss", "reader", "a long password")
    begin = Begin(uuid.uuid4(), world.probe().id, THREE, "distilled-once", {})
    with pytest.raises(Exception, match="reader"):
        world.at().calibrations.begin(begin, reader)


def test_all_that_is_missing_is_said_at_once(world: World) -> None:
    with pytest.raises(InvalidInput) as wrong:
        world.at().calibrations.begin(Begin(uuid.uuid4(), None, THREE, "", {}), world.person)
    assert set(wrong.value.fields) == {"probe", "rinse", "lot_neutral", "lot_acid", "lot_alkaline"}


def _again(world: World, run_id: uuid.UUID) -> dict[str, Callable[[str, uuid.UUID], object]]:
    """By name what says something in words under a key: the words, the key."""
    at, me = world.at(), world.person
    visit_id = at.visits.open(NewVisit(uuid.uuid4(), world.site.id), me)
    reading, other = uuid.uuid4(), uuid.uuid4()
    at.visits.save(visit_id, Sheet([TypedIn(reading, "ph", "8.1"), TypedIn(other, "orp", "200")]), me)
    care = uuid.uuid4()
    at.kit.log(world.probe().id, NewCare(care, "cleaned"), me)
    lot = at.shelf.receive(
        NewLot(uuid.uuid4(), "ph-buffer", f"T-{care}", "technical", 7.0, expires_on=NOW.date(), content=500.0), me
    )
    signed = world.calibrated(world.probe()).run.id
    return {
        "give up": lambda words, _: at.calibrations.abandon(run_id, me, words),
        "note on a signed run": lambda words, key: at.calibrations.amend(signed, key, me, words, withdraw=False),
        "removal": lambda words, key: at.visits.remove(reading, key, words, me),
        "what was done": lambda words, _: at.visits.acknowledge(other, words, me),
        "withdrawn care": lambda words, _: at.kit.withdraw(care, words, me),
        "used": lambda words, key: at.shelf.use(lot, key, 10.0, words, me),
        "photo": lambda words, key: at.visits.photograph(visit_id, key, JPEG, words, me),
        "finished": lambda words, key: at.visits.finish(visit_id, key, words, me),
    }


@pytest.mark.parametrize(
    "name",
    ["give up", "note on a signed run", "removal", "what was done", "withdrawn care", "used", "photo", "finished"],
)
def test_the_same_form_with_other_words_is_told_what_stands(world: World, name: str) -> None:
    say, key = _again(world, world.begin(world.probe()))[name], uuid.uuid4()
    for _ in range(2):
        say("first words", key)
    with pytest.raises(StoreError, match=r"that stands: .*first words"):
        say("other words", key)


def test_a_signature_with_another_note_is_told_what_stands(world: World) -> None:
    run_id = world.begin(world.probe())
    world.take(run_id, "neutral")
    for _ in range(2):
        world.at().calibrations.sign(run_id, world.person, "windy")
    with pytest.raises(StoreError, match="that stands: note windy"):
        world.at().calibrations.sign(run_id, world.person, "calm")
