"""The kit on the real database: logged once, judged on the spot, withdrawn but kept, blocked and cleared."""

from __future__ import annotations

import io
import uuid
from datetime import date, timedelta

import pytest
from PIL import Image

from brumel.core.kit.readiness import State
from brumel.core.shipped_rules import shipped
from brumel.core.wording import day_words
from brumel.core.words.catalogue import word
from brumel.services.errors import InvalidInput
from brumel.services.kit.probes import NewProbe
from brumel.services.probes.care_log import NewCare
from tests.conftest import NOW
from tests.said import remedy
from tests.services.world import World


def oxygen(world: World) -> uuid.UUID:
    return world.other_probe("oxygen-polarographic")


def test_a_changed_membrane_counts_down_and_is_withdrawn_when_it_was_a_mistake(world: World) -> None:
    probe_id, kit = oxygen(world), world.at().kit
    new = NewCare(uuid.uuid4(), "membrane-changed")
    for _ in range(2):
        kit.log(probe_id, new, world.person)
    life = kit.life(probe_id)
    assert len(life.happened.rows) == 1
    assert life.card.state.readiness.ready_at == NOW + timedelta(minutes=90)
    assert next(p for p in life.card.parts if p.name == "membrane").since == NOW.date()
    assert world.at(NOW + timedelta(minutes=91)).kit.life(probe_id).card.state.readiness.state is State.READY
    with pytest.raises(InvalidInput, match="stays on record"):
        kit.withdraw(new.care_id, " ", world.person)
    kit.withdraw(new.care_id, "other probe", world.person)
    life = kit.life(probe_id)
    assert life.card.state.readiness.state is State.READY
    assert life.happened.rows[0].withdrawn == "other probe"


def test_wrong_storage_is_said_at_once(world: World) -> None:
    probe = world.probe()
    found = world.at().kit.log(
        probe.id, NewCare(uuid.uuid4(), "stored", detail="deionised or distilled water"), world.person
    )
    assert "soak in storage solution" in remedy(found[0])
    assert world.at().states.probe_state(probe.id).readiness.state is State.BLOCKED
    services = world.at()
    steps = services.today.day().steps
    assert any(s.action == "prepare" and s.target == probe.id for s in steps)


def test_a_failed_inspection_blocks_and_a_passed_one_clears(world: World) -> None:
    probe, kit = world.probe(), world.at().kit
    kind = kit.life(probe.id).card.kind
    answers = {q.key: True for q in kind.inspection}
    with pytest.raises(InvalidInput) as wrong:
        kit.inspect(probe.id, uuid.uuid4(), {}, "", world.person)
    assert set(wrong.value.fields) == set(answers)
    assert kit.inspect(probe.id, uuid.uuid4(), answers | {"bulb": False}, "a crack", world.person) == ["bulb"]
    assert world.at().states.probe_state(probe.id).readiness.state is State.BLOCKED
    later = world.at(NOW + timedelta(minutes=1))
    later.kit.inspect(probe.id, uuid.uuid4(), answers, "new electrode", world.person)
    assert later.states.probe_state(probe.id).readiness.state is State.READY


def test_of_two_inspections_in_one_moment_the_later_counts(world: World) -> None:
    kit, questions = world.at().kit, {q.key: True for q in shipped().kind("ph-combination").inspection}
    for _ in range(6):
        probe = world.probe()
        for passed in (False, True):
            kit.inspect(probe.id, uuid.uuid4(), questions | {"bulb": passed}, "", world.person)
        assert world.at().states.probe_state(probe.id).readiness.state == "ready"


def test_the_life_of_a_probe_shows_its_line_and_trend(world: World) -> None:
    probe = world.probe()
    for n in range(30, 0, -1):
        world.calibrated(probe, NOW - timedelta(days=2 * n), slope=97.5 + 0.03 * n, offset=2.0)
    life = world.at().kit.life(probe.id)
    slope = life.courses[0]
    assert slope.trend is not None
    assert slope.trend.per_day == pytest.approx(-0.015, abs=0.001)
    assert slope.trend.leaves_at is not None
    assert (slope.trend.leaves_at - NOW).days == pytest.approx(167, abs=5)
    changed = world.at(NOW - timedelta(days=10)).kit
    changed.log(probe.id, NewCare(uuid.uuid4(), "electrode-changed"), world.person)
    assert world.at().kit.life(probe.id).courses[0].trend is None


@pytest.mark.parametrize(
    ("new", "field"),
    [
        (NewCare(uuid.uuid4(), "polished"), "care"),
        (NewCare(uuid.uuid4(), "membrane-changed"), "care"),
        (NewCare(uuid.uuid4(), "stored", detail="lemonade"), "detail"),
        (NewCare(uuid.uuid4(), "cleaned", at=NOW + timedelta(hours=1)), "at"),
        (NewCare(uuid.uuid4(), "cleaned", minutes=-1.0), "minutes"),
    ],
)
def test_what_cannot_be_logged_is_said_in_its_field(world: World, new: NewCare, field: str) -> None:
    with pytest.raises(InvalidInput) as wrong:
        world.at().kit.log(world.probe().id, new, world.person)
    assert field in wrong.value.fields


def test_a_probe_is_added_once_and_with_all_it_needs(world: World) -> None:
    known = world.probe()
    new = NewProbe(uuid.uuid4(), "twice", "twice", "orp", "Kit", date(2026, 1, 1), reference="ag-agcl-3m")
    assert world.at().probes.add(new, world.person) == world.at().probes.add(new, world.person)
    with pytest.raises(InvalidInput) as wrong:
        world.at().probes.add(NewProbe(uuid.uuid4(), "", " ", "magic", "", None), world.person)
    assert set(wrong.value.fields) == {"label", "serial", "kind", "kit", "in_service_on"}
    twin = NewProbe(uuid.uuid4(), known.label.lower(), known.serial, "nitrate", "Kit", NOW.date() + timedelta(days=2))
    with pytest.raises(InvalidInput) as wrong:
        world.at().probes.add(twin, world.person)
    assert set(wrong.value.fields) == {"label", "serial", "in_service_on"}


def picture(side: int = 2000) -> bytes:
    made = Image.effect_noise((side, side // 2), 40).convert("RGB")
    exif = Image.Exif()
    exif[0x010F] = "camera of somebody"
    exif[0x0112] = 6
    out = io.BytesIO()
    made.save(out, "JPEG", exif=exif)
    return out.getvalue()


def test_a_photo_is_made_smaller_upright_and_forgets_its_camera(world: World) -> None:
    probe, kit = world.probe(), world.at().kit
    answers = {q.key: True for q in kit.life(probe.id).card.kind.inspection}
    inspection = uuid.uuid4()
    kit.inspect(probe.id, inspection, answers, "", world.person, picture())
    kept = kit.photo(inspection)
    assert b"camera of somebody" not in kept
    with Image.open(io.BytesIO(kept)) as shown:
        assert shown.format == "JPEG"
        assert shown.size == (800, 1600)
        assert not shown.getexif()
    assert kit.life(probe.id).happened.rows[0].photo


@pytest.mark.parametrize(
    "data", [b"not a picture", b"<svg xmlns='http://www.w3.org/2000/svg'/>", b"GIF89a" + bytes(50), picture()[:200]]
)
def test_what_is_no_picture_is_refused(world: World, data: bytes) -> None:
    probe, kit = world.probe(), world.at().kit
    answers = {q.key: True for q in kit.life(probe.id).card.kind.inspection}
    with pytest.raises(InvalidInput) as wrong:
        kit.inspect(probe.id, uuid.uuid4(), answers, "", world.person, data)
    assert "no picture" in wrong.value.fields["photo"]
    assert not kit.life(probe.id).happened.rows


def test_a_part_past_its_date_blocks_until_a_new_one_is_in(world: World) -> None:
    probe_id, last = world.other_probe("oxygen-optical"), NOW.date() - timedelta(days=1)
    worn = NewCare(uuid.uuid4(), "cap-changed", NOW - timedelta(days=300), good_until=last)
    world.at().kit.log(probe_id, worn, world.person)
    blocked = world.at().states.probe_state(probe_id).readiness
    assert (blocked.state, f"good until {day_words(last, NOW.date())}" in str(word(blocked.why))) == (
        State.BLOCKED,
        True,
    )
    with pytest.raises(InvalidInput, match="past its date"):
        world.at().kit.log(probe_id, NewCare(uuid.uuid4(), "cap-changed", good_until=last), world.person)
    fresh = NewCare(uuid.uuid4(), "cap-changed", good_until=NOW.date() + timedelta(days=300))
    world.at().kit.log(probe_id, fresh, world.person)
    assert world.at().states.probe_state(probe_id).readiness.state is State.READY


def test_a_probes_own_wait_prevails(world: World) -> None:
    probe_id = world.other_probe("oxygen-polarographic", own_waits={"membrane-changed": 360.0})
    world.at().kit.log(probe_id, NewCare(uuid.uuid4(), "membrane-changed"), world.person)
    assert world.at().states.probe_state(probe_id).readiness.ready_at == NOW + timedelta(hours=6)
    with pytest.raises(InvalidInput, match="0 to 2 880"):
        world.other_probe("oxygen-polarographic", own_waits={"membrane-changed": -1.0})


def test_readings_taken_with_it_are_shown(world: World) -> None:
    probe = world.probe()
    world.calibrated(probe)
    reading = world.read(probe).reading
    assert [r.id for r in world.at().kit.life(probe.id).readings] == [reading.id]
