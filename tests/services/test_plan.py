"""Plans from what is stored: waters, kit, care, clocks, calibrations, lots; re-planned when any of them changes."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta

import pytest
from icalendar import Calendar

from brumel.core.findings import Level
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.planning.calendar import calendar_of, of_plan
from brumel.services.planning.plan import DayPlan
from brumel.services.planning.rounds import NewRound
from brumel.services.probes.care_log import NewCare
from tests.conftest import NOW
from tests.services.rounds import Round
from tests.services.world import World

PH, OXYGEN = (6.5, 8.5), (4.0, 9.0)


def names(found: DayPlan) -> list[str]:
    return [s.name for s in found.steps]


def log(world: World, probe_id: uuid.UUID, care: str, minutes_ago: float = 0, **given: object) -> None:
    moment = world.at(NOW - timedelta(minutes=minutes_ago))
    moment.kit.log(probe_id, NewCare(uuid.uuid4(), care, **given), world.person)  # type: ignore[arg-type]


def inspect(world: World, probe_id: uuid.UUID, *, passes: bool, minutes_ago: float = 0) -> None:
    kit = world.at(NOW - timedelta(minutes=minutes_ago)).kit
    answers = {q.key: passes for q in kit.life(probe_id).card.kind.inspection}
    kit.inspect(probe_id, uuid.uuid4(), answers, "", world.person)


def test_a_probe_that_was_not_cleaned_is_cleaned_soaked_and_calibrated(world: World) -> None:
    found = Round(world, "ph-combination", minutes=300, ph=PH).plan()
    assert names(found) == ["inspect", "clean", "rinse, into storage solution", "calibrate", "pack"]
    soak, calibrate = found.steps[2], found.steps[3]
    assert calibrate.begin >= soak.until
    assert found.steps[-1].until <= NOW + timedelta(minutes=300)
    assert found.missing == ()
    assert "never with chlorine" in found.steps[1].caution


def test_a_sound_clean_inspected_probe_is_only_packed(world: World) -> None:
    day = Round(world, "ph-combination", minutes=60, ph=PH)
    probe = world.at().states.probe_state(day.probes[0]).probe
    log(world, probe.id, "cleaned", 2 * 24 * 60)
    world.calibrated(probe, NOW - timedelta(hours=1))
    assert names(day.plan()) == ["inspect", "pack"]
    inspect(world, probe.id, passes=True, minutes_ago=30)
    assert names(day.plan()) == ["pack"]
    assert "calibrate" in names(day.leave(24 * 60))


def test_the_sites_say_what_is_measured_and_the_kit_what_goes(world: World) -> None:
    day = Round(
        world,
        "ph-combination",
        "orp",
        "conductivity-1",
        minutes=600,
        ph=PH,
        oxygen=OXYGEN,
        specific_conductance=(500, 900),
    )
    found = day.plan()
    assert found.quantities == ("ph", "oxygen", "specific-conductance")
    assert {s.kind.quantity for s in found.going} == {"ph", "specific-conductance"}
    assert [m.what for m in found.missing] == ["dissolved oxygen"]
    assert found.missing[0].said.endswith(f" probe in {day.kit}.")
    without = day.take("without", "Leave dissolved oxygen out")
    assert without.missing == ()
    assert without.quantities == found.quantities


def test_a_changed_membrane_moves_the_plan_and_a_short_day_leaves_it_out(world: World) -> None:
    day = Round(world, "oxygen-polarographic", "ph-combination", minutes=30, oxygen=OXYGEN, ph=PH)
    oxygen = day.probes[0]
    log(world, oxygen, "membrane-changed")
    short = day.plan()
    late = next(m for m in short.missing if m.what == day.labels[0])
    # 90 min of polarisation, in which it is looked at and warms up; then calibrate 6, pack 2 (common practice).
    assert f"{90 + 6 + 2 - 30} minutes after departure" in late.why
    assert short.leaves_earliest is not None
    moved = day.take("departure", "Leave when all are ready")
    assert moved.missing == ()
    assert moved.round.departure == short.leaves_earliest
    calibrate = next(s for s in moved.steps if s.name == "calibrate" and s.probe.probe.id == oxygen)
    assert calibrate.begin >= NOW + timedelta(minutes=90)


def test_a_failed_inspection_takes_the_probe_out_and_offers_another(world: World) -> None:
    day = Round(world, "orp", minutes=300, orp=(600, 780))
    world.other_probe("orp", kit="Elsewhere")
    inspect(world, day.probes[0], passes=False)
    found = day.plan()
    assert found.steps == ()
    assert "Failed its inspection" in found.missing[0].why
    taken = day.take("probe", "Take orp")
    assert [s.kind.quantity for s in taken.going] == ["orp"]
    assert taken.going[0].probe.kit != day.kit
    assert taken.steps[-1].until <= taken.round.departure
    inspect(world, day.probes[0], passes=True)
    assert world.at().states.probe_state(day.probes[0]).readiness.state == "ready"


def test_cells_are_matched_to_the_waters_and_one_can_be_taken_too(world: World) -> None:
    day = Round(world, "conductivity-1", minutes=300, specific_conductance=(30, 70))
    sea = world.water("Sea", specific_conductance=(44e3, 54e3))
    world.other_probe("conductivity-1", kit="Elsewhere")
    cell = world.other_probe("conductivity-10", kit="Elsewhere")
    day.sites.append(sea)
    found = day.leave(300)
    assert [m.what for m in found.missing] == ["specific conductance at Sea"]
    assert "K 1 is made for specific conductance of 10 to 20" in found.missing[0].why
    assert [s.need.what for s in found.standards] == ["conductivity standard 84 µS/cm"]
    both = day.take("probe", "Take conductivity-10")
    assert [s.probe.id for s in both.going] == [cell, day.probes[0]]
    assert both.missing == ()
    assert len(both.standards) == 2
    alone = replace(day.new, probe_ids=[day.probes[0]], version=day.version)
    world.at().planned.save(alone, world.person)
    by_choice = day.plan().missing[0]
    assert ("by your choice" in by_choice.title, by_choice.level, by_choice.ways) == (True, Level.DOUBTFUL, ())


def test_of_two_the_readier_goes(world: World) -> None:
    day = Round(world, "orp", "orp", minutes=300, orp=(600, 780))
    log(world, day.probes[0], "dropped")
    assert [s.probe.id for s in day.plan().going] == [day.probes[1]]


@pytest.mark.parametrize(
    ("care", "given", "first"),
    [
        ("unplugged", {}, "give it power, let it polarise"),
        ("dropped", {}, "inspect"),
    ],
)
def test_what_blocks_becomes_a_task(world: World, care: str, given: dict[str, str], first: str) -> None:
    day = Round(world, "oxygen-polarographic", minutes=300, oxygen=OXYGEN)
    log(world, day.probes[0], care, 120, **given)
    found = day.plan()
    assert found.missing == ()
    assert found.steps[0].name == first
    assert "calibrate" in names(found)


def test_ticking_off_plans_at_once_keeps_the_wait_and_goes_into_the_log(world: World) -> None:
    day = Round(world, "ph-combination", minutes=600, ph=PH)
    first = day.plan()
    keys = [s.key for s in first.steps]
    day.tick(keys[0])
    assert [s.key for s in day.plan().steps] == keys[1:]
    day.tick(keys[1], 10)
    storage = day.plan(11).steps[0]
    assert storage.begin >= NOW + timedelta(minutes=10 + 15)  # it is in the cleaning solution until then
    day.tick(keys[2], 26)
    care = [h.words for h in world.at(NOW + timedelta(minutes=30)).kit.life(day.probes[0]).happened.rows]
    assert any(w.startswith("Cleaned, cleaning solution") for w in care)
    assert any(w.startswith("Stored, storage solution") for w in care)
    after = day.plan(30)
    assert names(after) == ["calibrate", "pack"]
    assert after.steps[0].begin >= NOW + timedelta(minutes=26 + 120)
    world.at().planned.untick(day.id, world.person)
    assert "inspect" in names(day.plan(30))


def test_a_step_ticked_twice_or_gone_does_nothing(world: World) -> None:
    day = Round(world, "orp", minutes=600, orp=(600, 780))
    before = names(day.plan())
    day.tick("nothing/inspect")
    day.tick(day.plan().steps[0].key)
    day.tick(f"{day.labels[0]}/inspect")
    assert names(day.plan()) == before[1:]


def test_ions_are_calibrated_last(world: World) -> None:
    day = Round(
        world, "ammonium", "ph-combination", "conductivity-1", minutes=700,
        ammonium_n=(5, 25), ph=PH, specific_conductance=(500, 900),
    )  # fmt: skip
    last = [s.probe.kind.quantity for s in day.plan().steps if s.name == "calibrate"]
    assert last[-1] == "ammonium-n"


def test_standards_bracket_the_waters_and_come_from_lots_that_serve(world: World) -> None:
    found = Round(world, "ph-combination", "ammonium", minutes=600, ph=PH, ammonium_n=(5, 25)).plan()
    by_name = {s.need.what: s for s in found.standards}
    assert list(by_name) == [
        "pH buffer, neutral", "pH buffer, acid", "pH buffer, alkaline", "ammonium standard, low",
        "ammonium standard, high",
    ]  # fmt: skip
    assert all(e.lot.lot_number != "old 4.01" for e in by_name["pH buffer, acid"].lots)
    assert by_name["ammonium standard, low"].lots == ()
    assert "shopping list" in by_name["ammonium standard, low"].need.caution


@pytest.mark.parametrize(
    ("minutes", "kit", "rinse", "sites", "fields"),
    [
        (-1, "Kit", "distilled-once", "site", {"departure"}),
        (30_000, "Kit", "distilled-once", "site", {"departure"}),
        (60, "Kit", "distilled-once", "", {"sites"}),
        (60, "Kit", "distilled-once", "unknown", {"sites"}),
        (60, "No such kit", "spit", "site", {"kit", "rinse"}),
    ],
)
def test_what_cannot_be_planned_is_said(
    world: World, minutes: int, kit: str, rinse: str, sites: str, fields: set[str]
) -> None:
    world.probe()
    chosen: Sequence[uuid.UUID] = {"site": [world.site.id], "": [], "unknown": [uuid.uuid4()]}[sites]
    new = NewRound(uuid.uuid4(), NOW + timedelta(minutes=minutes), kit, rinse, chosen)
    with pytest.raises(InvalidInput) as wrong:
        world.at().planned.save(new, world.person)
    assert set(wrong.value.fields) == fields


def test_a_way_out_that_is_no_more_is_refused_and_a_dropped_round_is_gone(world: World) -> None:
    day = Round(world, "orp", minutes=300, orp=(600, 780))
    for field, value in (("departure", "soon"), ("probe", str(uuid.uuid4())), ("probe", "x")):
        with pytest.raises(InvalidInput, match="no longer there"):
            world.at().planned.take_way(day.id, field, value, world.person)
    assert day.id in {r.id for r in world.at().planned.ahead()}
    world.at().planned.drop(day.id, world.person)
    assert day.id not in {r.id for r in world.at().planned.ahead()}
    with pytest.raises(NotFound):
        day.plan()


def test_a_round_that_has_left_is_planned_no_more(world: World) -> None:
    day = Round(world, "orp", minutes=30, orp=(600, 780))
    gone = day.plan(minutes_later=40)
    assert (gone.steps, gone.missing) == ((), ())
    assert [s.kind.quantity for s in gone.going] == ["orp"]
    assert day.id not in {r.id for r in world.at(NOW + timedelta(minutes=40)).planned.ahead()}


def test_a_round_planned_is_on_today_and_in_the_ribbon(world: World) -> None:
    day = Round(world, "orp", minutes=300, orp=(600, 780))
    services = world.at()
    assert any(s.action == "leave" and s.target == day.id for s in services.today.day().steps)
    assert (NOW + timedelta(minutes=300), day.id) in services.today.ribbon().departures


def test_the_calendar_has_an_alarm_for_every_step(world: World) -> None:
    day = Round(world, "ph-combination", minutes=300, ph=PH)
    steps = day.plan().steps
    read = Calendar.from_ical(calendar_of(of_plan(day.id, steps), NOW))
    events = read.walk("VEVENT")
    assert [str(e["summary"]).split(": ")[1] for e in events] == [s.name for s in steps]
    assert events[0].decoded("dtstart") == steps[0].begin
    assert all(len(e.walk("VALARM")) == 1 for e in events)
    again = Calendar.from_ical(calendar_of(of_plan(day.id, steps), NOW)).walk("VEVENT")
    assert [e["uid"] for e in again] == [e["uid"] for e in events]


def test_a_long_wait_begins_the_evening_before_and_not_in_the_night(world: World) -> None:
    day = Round(world, "orp", minutes=21 * 60, orp=(600, 780))  # 06:30; it is cleaned, then soaks for two hours
    steps = day.plan().steps
    assert steps[0].begin.date() == NOW.date()
    for step in steps:
        assert 5 <= step.begin.hour < 22, step
    soaked = next(s for s in steps if s.what == "storage")
    assert soaked.hands_until.date() == NOW.date()
    assert steps[-1].begin.date() > NOW.date()


def test_where_the_day_is_too_short_the_night_is_used(world: World) -> None:
    day = Round(world, "orp", minutes=21 * 60, orp=(600, 780))
    late = day.plan(minutes_later=12.4 * 60)  # five minutes before the night
    assert late.missing == ()
    assert any(s.begin.hour < 5 for s in late.steps)


def test_lots_are_judged_by_the_day_of_departure(world: World) -> None:
    soon, later = (NOW + timedelta(days=n) for n in (1, 4))
    world.shelved("runs out 220", standard="orp", family="", nominal=222.0, expires_on=(NOW + timedelta(days=2)).date())
    day = Round(world, "orp", minutes=24 * 60, orp=(600, 780))

    def lots(at: datetime) -> set[str]:
        changed = NewRound(day.id, at, day.kit, "distilled-once", day.sites, version=day.version)
        world.at().planned.save(changed, world.person)
        return {e.lot.lot_number for s in day.plan().standards for e in s.lots}

    mine = {e.lot.lot_number for e in world.at().shelf.entries() if e.lot.nominal == 222.0}
    assert lots(soon) & mine == mine
    assert not lots(later) & mine


def test_two_rounds_at_once_with_one_probe_or_bottle_say_so_on_both(world: World) -> None:
    one = Round(world, "orp", minutes=300, orp=(600, 780))
    new = NewRound(uuid.uuid4(), NOW + timedelta(minutes=320), one.kit, "distilled-once", one.sites)
    assert new.round_id not in {c.round.id for c in one.plan().conflicts}
    world.at().planned.save(new, world.person)
    other = world.at().planned.plan(new.round_id)
    for plan, against in ((one.plan(), new.round_id), (other, one.id)):
        (conflict,) = [c for c in plan.conflicts if c.round.id == against]
        assert one.labels[0] in conflict.both
    one.leave(300 + 2 * 60)  # the other is back by then: 15 min there, 15 at the site, 15 back
    assert one.id not in {c.round.id for c in world.at().planned.plan(new.round_id).conflicts}


def test_a_round_is_at_its_sites_in_their_order_at_their_time(world: World) -> None:
    day = Round(world, "orp", minutes=300, orp=(600, 780))
    sites = [world.water(name, orp=(600, 780)) for name in ("Zander pool", "Alder pool")]
    new = NewRound(
        day.id, NOW + timedelta(minutes=300), day.kit, "distilled-once", sites, travel=[20, 5, 40], stay_min=10,
        version=day.version,
    )  # fmt: skip
    world.at().planned.save(new, world.person)
    plan = day.plan()
    assert [(s.site.name, s.at - NOW) for s in plan.stops] == [
        ("Zander pool", timedelta(minutes=320)), ("Alder pool", timedelta(minutes=335)),
    ]  # fmt: skip
    assert plan.back - NOW == timedelta(minutes=385)
    way, stays = "A way takes 0 to 600 minutes: check them.", "A stay takes 1 to 600 minutes: check it."
    for travel, stay, said in (
        ([-1, 5, 5], None, {"travel": way}),
        ([5, 5, 601], None, {"travel": way}),
        ([], 0, {"stay": stays}),
        ([5, 5], None, {"travel": "Give the way to each site, and the way back."}),
    ):
        with pytest.raises(InvalidInput) as refused:
            world.at().planned.save(replace(new, travel=travel, stay_min=stay, version=day.version), world.person)
        assert refused.value.fields == said


def test_the_pack_list_has_what_kinds_and_waters_need(world: World) -> None:
    day = Round(world, "orp", "oxygen-optical", minutes=300, orp=(600, 780), oxygen=(5, 9))
    things = dict(day.plan().things)
    assert {"Gloves and eye protection", "Soft paper", "Sheets on paper and a pencil"} <= things.keys()
    assert "Barometer, or the station pressure of the day" in things
    assert things["Storage solution"] == "40 mL"
    dry = dict(Round(world, "temperature", minutes=300, temperature=(5, 30)).plan().things)
    assert "Storage solution" not in dry
    assert "Barometer, or the station pressure of the day" not in dry
