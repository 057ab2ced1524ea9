"""Two who act at one moment on one thing: every pair of acts that the services name; what is acknowledged is one truth.

An act that is not tried here fails the test of its thing: a new one is in the pairs by itself.
"""

from __future__ import annotations

import threading
import uuid
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import timedelta
from functools import partial
from itertools import combinations_with_replacement, count

import pytest
from sqlalchemy import select, text

from brumel.core.place.surroundings import Surroundings
from brumel.core.plan.tasks import STORAGE
from brumel.core.shipped_rules import shipped
from brumel.services.acts import ACTS
from brumel.services.calibrating.beginning import PutRight
from brumel.services.calibrating.meter_runs import NewKept
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput, ServiceError
from brumel.services.kit.instruments import NewInstrument, TypedMeasures
from brumel.services.kit.meters import NewMeter
from brumel.services.kit.probes import NewProbe
from brumel.services.people import Person
from brumel.services.planning.rounds import NewRound
from brumel.services.probes.care_log import NewCare
from brumel.services.readings.draft import NewReading
from brumel.services.readings.meter_settings import WrongSetting
from brumel.services.shelf.typed_lot import Correction, NewLot
from brumel.services.sites.site_settings import NewSetting
from brumel.services.sites.sites import NewLimit, NewSite
from brumel.services.visits.at_once import Together
from brumel.services.visits.filling import TypedIn
from brumel.services.visits.visits import NewVisit, Sheet
from brumel.store.database import StoreError
from brumel.store.models.calibration import CalibrationPoint
from brumel.store.models.reading import Reading
from tests.conftest import NOW
from tests.services.world import THREE, World

ROUNDS, OF_EACH_PAIR = 25, 3
_number = count(1)
Act = Callable[[], object]


@pytest.fixture(scope="module")
def others(world: World) -> list[Person]:
    add = world.at().people.add
    return [add(f"other-{n}", f"Other {n}", "technician", "a long password") for n in (1, 2)]


@pytest.fixture(scope="module")
def supervisor(world: World) -> Person:
    return world.at().people.add("boss", "Boss", "supervisor", "a long password")


@pytest.fixture(scope="module")
def pool() -> Iterator[ThreadPoolExecutor]:
    with ThreadPoolExecutor(4) as made:
        yield made


def at_once(pool: ThreadPoolExecutor, *acts: Act) -> list[bool]:
    """Which of these, begun at the same moment, were acknowledged."""
    start = threading.Barrier(len(acts))

    def tried(act: Act) -> bool:
        start.wait(10)
        try:
            act()
        except (ServiceError, StoreError):
            return False
        return True

    return list(pool.map(tried, acts))


def pairs(*things: str) -> pytest.MarkDecorator:
    """Every pair of the acts that are done to one of these things."""
    names = [name for name, act in ACTS.items() if set(things) & {*act.holds}]
    return pytest.mark.parametrize(("one", "other"), list(combinations_with_replacement(names, 2)))


def all_taken(wrong: dict[str, str]) -> None:
    if wrong:
        raise InvalidInput(wrong)


def _of_run(world: World, others: list[Person], run_id: uuid.UUID, key: uuid.UUID, name: str) -> Act:
    runs, me = world.at().calibrations, world.person
    point = TakePoint(key, "neutral", 3.0, 22.0, device=False)
    begun = Begin(run_id, None, THREE, "distilled-once", {})
    right = PutRight(uuid.uuid4(), Surroundings(), "another round", (world.site.id,))
    acts: dict[str, Act] = {
        "Calibrations.begin": lambda: runs.begin(begun, me),
        "Calibrations.begin_step": lambda: runs.begin_step(run_id, uuid.uuid4(), "neutral", me),
        "Calibrations.take": lambda: runs.take(run_id, point, me),
        "Calibrations.take_typed": lambda: all_taken(runs.take_typed(run_id, [point], me)),
        "Calibrations.drop": lambda: runs.drop(run_id, key, "neutral", me, "bubble"),
        "Calibrations.put_right": lambda: runs.put_right(run_id, right, me),
        "Calibrations.sign": lambda: runs.sign(run_id, me),
        "Calibrations.abandon": lambda: runs.abandon(run_id, me, "rain"),
        "Calibrations.take_over": lambda: runs.take_over(run_id, key, others[key.int % 2], "called away"),
        "Calibrations.amend": lambda: runs.amend(run_id, uuid.uuid4(), me, "note", withdraw=False),
    }
    return acts[name]


CLOSES = ("Calibrations.sign", "Calibrations.abandon")
_STATE = """
SELECT (SELECT array_agg(id ORDER BY ordinal) FROM calibration_point WHERE run_id = :run),
       (SELECT array_agg(id) FROM calibration_entry WHERE run_id = :run),
       (SELECT array_agg(point_id) FROM calibration_entry WHERE run_id = :run AND point_id IS NOT NULL),
       (SELECT point_ids FROM calibration_signature WHERE run_id = :run),
       (SELECT count(*) FROM calibration_abandonment WHERE run_id = :run)
"""


@pairs("run")
def test_one_run(world: World, others: list[Person], pool: ThreadPoolExecutor, one: str, other: str) -> None:
    # Of a kit of its own: what else was begun in a kit at one sitting is read at each beginning.
    probe, run_id = world.probe(kit=f"Kit {next(_number)}"), None
    for _ in range(OF_EACH_PAIR):
        if run_id is None:
            run_id = world.begin(probe)
            first = TakePoint(uuid.uuid4(), "neutral", 2.0, 22.0, device=False)
            world.at().calibrations.take(run_id, first, world.person)
        keys = uuid.uuid4(), uuid.uuid4()
        acts = [_of_run(world, others, run_id, key, name) for key, name in zip(keys, (one, other), strict=True)]
        acknowledged = at_once(pool, *acts)
        with world.database.session() as session:
            points, entries, dropped, signed_for, given_up = session.execute(text(_STATE), {"run": run_id}).one()
        closings = sum(
            d
            for d, name in zip(acknowledged, (one, other), strict=True)
            if name in ("Calibrations.sign", "Calibrations.abandon")
        )
        assert bool(signed_for) + given_up <= 1
        assert bool(closings) == bool(signed_for or given_up)
        for key, name, done in zip(keys, (one, other), acknowledged, strict=True):
            if name in ("Calibrations.take", "Calibrations.take_typed", "Calibrations.drop"):
                assert (key in {*points, *(entries or ())}) == done, name
        if signed_for:
            assert signed_for == [points[-1]]
        assert len(set(dropped or ())) == len(dropped or ())
        if dropped and not (signed_for or given_up):
            world.at().calibrations.abandon(run_id, world.person, "dropped")
        if signed_for or given_up or dropped:
            run_id = None
        elif entries:
            world.at().calibrations.take_over(run_id, uuid.uuid4(), world.person, "back")


def _bottle(world: World, content: float = 100.0) -> uuid.UUID:
    new = NewLot(
        uuid.uuid4(), "ph-buffer", f"R{next(_number)}", "technical", 7.0, expires_on=NOW.date() + timedelta(days=90),
        content=content,
    )  # fmt: skip
    return world.at().shelf.receive(new, world.person)


def _of_lot(world: World, lot_id: uuid.UUID, name: str) -> Act:
    shelf, me, key = world.at().shelf, world.person, uuid.uuid4()
    fixed = Correction(
        key, f"R{next(_number)}", NOW.date(), NOW.date() + timedelta(days=90), None, 30, 100.0, "typo", None
    )
    again = NewLot(lot_id, "ph-buffer", "another", "technical", 7.0, expires_on=NOW.date())
    acts: dict[str, Act] = {
        "Shelf.receive": lambda: shelf.receive(again, me),
        "Shelf.correct": lambda: shelf.correct(lot_id, fixed, me),
        "Shelf.attach": lambda: shelf.attach(lot_id, b"%PDF-1.4 " + key.bytes + b"%%EOF", me),
        "Shelf.open": lambda: shelf.open(lot_id, key, me),
        "Shelf.use": lambda: shelf.use(lot_id, key, 60.0, "", me),
        "Shelf.discard": lambda: shelf.discard(lot_id, key, "old", me),
        "Shelf.pour_off": lambda: shelf.pour_off(lot_id, key, 60.0, f"R{next(_number)}", me),
    }
    return acts[name]


@pairs("lot")
def test_one_lot(world: World, pool: ThreadPoolExecutor, one: str, other: str) -> None:
    for _ in range(OF_EACH_PAIR):
        lot_id = _bottle(world)
        done = at_once(pool, *(_of_lot(world, lot_id, name) for name in (one, other)))
        records = world.at().shelf.view(lot_id).records
        events = [r.event for r in records]
        assert events.count("opened") <= 1
        assert events.count("discarded") <= 1
        taken = sum(r.amount or 0.0 for r in records)
        assert taken <= 100.0
        takes = [d for d, name in zip(done, (one, other), strict=True) if name in ("Shelf.use", "Shelf.pour_off")]
        assert taken == pytest.approx(60.0 * sum(takes))


def test_four_who_open_one_bottle(world: World, pool: ThreadPoolExecutor) -> None:
    for _ in range(ROUNDS):
        lot_id = _bottle(world)
        at_once(pool, *(_of_lot(world, lot_id, "Shelf.open") for _ in range(4)))
        assert [r.event for r in world.at().shelf.view(lot_id).records].count("opened") == 1


@pytest.mark.parametrize("name", ["Shelf.open", "Shelf.use", "Shelf.pour_off"])
def test_what_was_discarded_gives_nothing_more(world: World, name: str) -> None:
    lot_id = _bottle(world)
    _of_lot(world, lot_id, "Shelf.discard")()
    with pytest.raises(ServiceError, match=r"discarded|stands on the shelf"):
        _of_lot(world, lot_id, name)()


def _site(world: World) -> NewSite:
    new = NewSite(uuid.uuid4(), f"RACE{next(_number)}", "Race", "pond", 2, {"ph": (6.0, 8.0)})
    world.at().sites.save(new, world.person)
    return new


def _of_visit(world: World, visit_id: uuid.UUID, first: uuid.UUID, name: str) -> Act:
    visits, me, key = world.at().visits, world.person, uuid.uuid4()
    world_ = world.at()
    typed = NewReading(key, None, None, "typed-signal", visit_id=visit_id)
    acts: dict[str, Act] = {
        "Visits.open": lambda: visits.open(NewVisit(visit_id, None, "another"), me),
        "Visits.save": lambda: visits.save(visit_id, Sheet([TypedIn(key, "ph", "8.1")]), me),
        "Visits.amend": lambda: visits.amend(first, TypedIn(key, "total-ammonia-n", "1.5"), "typo", me),
        "Visits.remove": lambda: visits.remove(first, key, "typo", me),
        "Visits.acknowledge": lambda: visits.acknowledge(first, "told", me),
        "Visits.photograph": lambda: visits.photograph(visit_id, key, b"no picture", "", me),
        "Visits.finish": lambda: visits.finish(visit_id, key, "rain", me),
        "AtOnce.record": lambda: world_.at_once.record(visit_id, [], Together(), me),
        "Readings.record": lambda: world_.readings.record(typed, me),
    }
    return acts[name]


@pairs("visit", "reading")
def test_one_visit(world: World, pool: ThreadPoolExecutor, one: str, other: str) -> None:
    site_id = _site(world).site_id
    for _ in range(OF_EACH_PAIR):
        visit_id, first = uuid.uuid4(), uuid.uuid4()
        visits = world.at().visits
        visits.open(NewVisit(visit_id, site_id), world.person)
        start = [TypedIn(uuid.uuid4(), "temperature", "22"), TypedIn(first, "total-ammonia-n", "1.0")]
        visits.save(visit_id, Sheet(start), world.person)
        done = at_once(pool, *(_of_visit(world, visit_id, first, name) for name in (one, other)))
        if {one, other} <= {"Visits.amend", "Visits.remove"}:
            assert sum(done) == 1
        with world.database.session() as session:
            rows = list(session.scalars(select(Reading).where(Reading.visit_id == visit_id)))
            finished = session.execute(
                text("SELECT count(*) FROM visit_entry WHERE visit_id = :v AND kind = 'finished'"), {"v": visit_id}
            ).scalar_one()
        assert finished == ("Visits.finish" in (one, other))
        amended = [r.amends_id for r in rows if r.amends_id]
        assert len(amended) == len(set(amended))
        standing = [r for r in rows if r.id not in amended and not r.removed]
        worked_out = [r.quantity for r in standing if r.source == "derived"]
        assert len(worked_out) == len(set(worked_out))
        if "Visits.remove" in (one, other) and done[(one, other).index("Visits.remove")]:
            assert worked_out == []  # nothing is worked out from what was removed


def test_one_probe_is_changed_by_one_of_two(world: World, pool: ThreadPoolExecutor) -> None:
    probe = world.probe()
    for _ in range(ROUNDS):
        stands = world.at().states.probe(probe.id)
        seen = NewProbe(probe.id, "", "", "", "Kit", None, version=stands.version)
        one, other = (replace(seen, label=f"L{next(_number)}") for _ in range(2))
        change = world.at().probes.change
        done = at_once(pool, lambda: change(one, world.person), lambda: change(other, world.person))  # noqa: B023
        assert sum(done) == 1
        assert world.at().states.probe(probe.id).label == (one, other)[done.index(True)].label


def test_one_site_is_changed_by_one_of_two(world: World, pool: ThreadPoolExecutor) -> None:
    new = _site(world)
    for version in range(1, ROUNDS + 1):
        one, other = (replace(new, name=f"N{next(_number)}", version=version) for _ in range(2))
        save = world.at().sites.save
        done = at_once(pool, lambda: save(one, world.person), lambda: save(other, world.person))  # noqa: B023
        assert sum(done) == 1
        assert world.at().states.site(new.site_id).name == (one, other)[done.index(True)].name


def _planned(world: World, round_id: uuid.UUID, kit: str) -> NewRound:
    return NewRound(round_id, NOW + timedelta(hours=20), kit, "distilled-once", [world.site.id])


def _of_round(world: World, planned_as: NewRound, step: str, name: str) -> Act:
    planned, me, round_id = world.at().planned, world.person, planned_as.round_id
    new = replace(planned_as, without=["orp"], version=1)
    acts: dict[str, Act] = {
        "PlannedRounds.tick": lambda: planned.tick(round_id, step, me),
        "PlannedRounds.untick": lambda: planned.untick(round_id, me),
        "PlannedRounds.save": lambda: planned.save(new, me),
        "PlannedRounds.drop": lambda: planned.drop(round_id, me),
        "PlannedRounds.take_way": lambda: planned.take_way(round_id, "without", "conductivity", me),
    }
    return acts[name]


@pairs("round")
def test_one_planned_round(world: World, pool: ThreadPoolExecutor, one: str, other: str) -> None:
    for _ in range(OF_EACH_PAIR):
        round_id = uuid.uuid4()
        # A kit with one probe, so that the plan is soon worked out, and a step of it that logs care.
        kit = f"Kit {next(_number)}"
        step = f"{world.at().states.probe(world.other_probe('ph-combination', kit)).label}/{STORAGE}"
        new = _planned(world, round_id, kit)
        world.at().planned.save(new, world.person)
        logged = _care(world)
        done = at_once(pool, *(_of_round(world, new, step, name) for name in (one, other)))
        ahead = {r.id: r for r in world.at().planned.ahead()}
        if "PlannedRounds.drop" in (one, other):
            assert round_id not in ahead
            continue
        stands = ahead[round_id]
        if (one, other) == ("PlannedRounds.save", "PlannedRounds.save"):
            assert sum(done) == 1
        if (one, other) == ("PlannedRounds.save", "PlannedRounds.take_way"):
            taken = {n for n, d in zip(("orp", "conductivity"), done, strict=True) if d}
            assert set(stands.without) == taken or all(done)
        ticked = "PlannedRounds.tick" in (one, other)
        if "PlannedRounds.untick" not in (one, other):
            assert (step in stands.done) == ticked
        assert _care(world) - logged == ticked
        world.at().planned.drop(round_id, world.person)


def _care(world: World) -> int:
    with world.database.session() as session:
        return int(session.execute(text("SELECT count(*) FROM care_record WHERE care = 'cleaned'")).scalar_one())


def test_care_and_a_withdrawal_of_it(world: World, pool: ThreadPoolExecutor) -> None:
    probe = world.probe()
    for _ in range(ROUNDS):
        key = uuid.uuid4()
        log = NewCare(key, "cleaned", NOW - timedelta(hours=1))
        kit = world.at().kit
        at_once(
            pool, lambda: kit.log(probe.id, log, world.person), lambda: kit.log(probe.id, log, world.person),  # noqa: B023
        )  # fmt: skip
        withdraw = [partial(kit.withdraw, key, reason, world.person) for reason in ("typo", "other")]
        done = at_once(pool, *withdraw)
        assert any(done)
        with world.database.session() as session:
            left = session.execute(text("SELECT count(*) FROM care_withdrawal WHERE care_id = :c"), {"c": key})
            assert left.scalar_one() == 1


def test_points_of_a_run_by_two_hands(world: World, pool: ThreadPoolExecutor) -> None:
    """The same form sent twice at once is one point."""
    run_id = world.begin(world.probe())
    for _ in range(ROUNDS):
        take = TakePoint(uuid.uuid4(), "neutral", 2.0, 22.0, device=False)
        runs = world.at().calibrations
        assert all(at_once(pool, *[lambda: runs.take(run_id, take, world.person)] * 3))  # noqa: B023
        with world.database.session() as session:
            assert session.get(CalibrationPoint, take.point_id) is not None


def _of_probe(world: World, probe_id: uuid.UUID, meter_id: uuid.UUID, name: str) -> Act:
    at, me, key, number = world.at(), world.person, uuid.uuid4(), next(_number)
    lots = {
        role: world.lots[value].id for role, value in (("neutral", "7.00"), ("acid", "4.01"), ("alkaline", "10.01"))
    }
    new = NewProbe(probe_id, f"Q{number}", f"S{number}", "ph-combination", "Kit", NOW.date(), meter_id=meter_id)
    reading = NewReading(key, world.site.id, probe_id, "typed-signal", signal=-20.0, temperature_c=22.0, despite="test")
    kept = NewKept(key, probe_id, reported={"slope": 97.0, "offset": 2.0})
    acts: dict[str, Act] = {
        "Calibrations.begin": lambda: at.calibrations.begin(Begin(key, probe_id, THREE, "distilled-once", lots), me),
        "KeptRuns.record": lambda: at.kept.record(kept, me),
        "Readings.record": lambda: at.readings.record(reading, me),
        "Kit.log": lambda: at.kit.log(probe_id, NewCare(key, "cleaned"), me),
        "Kit.inspect": lambda: at.kit.inspect(probe_id, key, dict.fromkeys(QUESTIONS, True), "", me),
        "Probes.add": lambda: at.probes.add(new, me),
        "Probes.change": lambda: at.probes.change(new, me),
        "Retiring.retire": lambda: at.retiring.retire("probe", probe_id, me),
        "Retiring.bring_back": lambda: at.retiring.bring_back("probe", probe_id, me),
    }
    return acts[name]


QUESTIONS = [q.key for q in shipped().kinds["ph-combination"].inspection]
_OF_PROBES = {
    "a retired probe with an open run": "SELECT p.id FROM probe p JOIN calibration_run r ON r.probe_id = p.id "
    "WHERE p.retired_on IS NOT NULL AND NOT EXISTS (SELECT 1 FROM calibration_signature s WHERE s.run_id = r.id) "
    "AND NOT EXISTS (SELECT 1 FROM calibration_abandonment a WHERE a.run_id = r.id)",
    "a probe with two open runs": "SELECT r.probe_id FROM calibration_run r WHERE "
    "NOT EXISTS (SELECT 1 FROM calibration_signature s WHERE s.run_id = r.id) AND NOT EXISTS (SELECT 1 FROM "
    "calibration_abandonment a WHERE a.run_id = r.id) GROUP BY r.probe_id HAVING count(*) > 1",
    "a retired meter with a probe": "SELECT p.id FROM probe p JOIN meter m ON m.id = p.meter_id "
    "WHERE m.retired_on IS NOT NULL AND p.retired_on IS NULL",
}
"""What no two acts at one moment may leave behind."""


def _contradictions(world: World) -> list[str]:
    with world.database.session() as session:
        return [words for words, query in _OF_PROBES.items() if session.execute(text(query)).first()]


@pairs("probe", "thing")
def test_one_probe(world: World, pool: ThreadPoolExecutor, one: str, other: str) -> None:
    meter_id = world.meter()
    for _ in range(OF_EACH_PAIR):
        probe = world.probe(kit=f"Kit {next(_number)}")
        at_once(pool, *(_of_probe(world, probe.id, meter_id, name) for name in (one, other)))
        assert _contradictions(world) == []


def _of_meter(world: World, meter_id: uuid.UUID, probe_id: uuid.UUID, name: str) -> Act:
    at, me, key, number = world.at(), world.person, uuid.uuid4(), next(_number)
    new = NewMeter(meter_id, f"N{number}", f"NS{number}", "Kit", NOW.date(), ["ph-combination"], version=1)
    wrong = WrongSetting(meter_id, "ph", NOW - timedelta(days=1), NOW, {})
    acts: dict[str, Act] = _of_probe_with(world, probe_id, meter_id) | {
        "Meters.save": lambda: at.meters.save(new, me),
        "Meters.log": lambda: at.meters.log(meter_id, key, "switched-on", None, "", me),
        "Resetting.apply": lambda: at.resetting.apply(wrong, "found", me),
        "ChannelMaps.save": lambda: at.channels.save(meter_id, key, [], me),
        "Retiring.retire": lambda: at.retiring.retire("meter", meter_id, me),
        "Retiring.bring_back": lambda: at.retiring.bring_back("meter", meter_id, me),
    }
    return acts[name]


def _of_probe_with(world: World, probe_id: uuid.UUID, meter_id: uuid.UUID) -> dict[str, Act]:
    return {name: _of_probe(world, probe_id, meter_id, name) for name in ("Probes.add", "Probes.change")}


@pairs("meter", "thing")
def test_one_meter(world: World, pool: ThreadPoolExecutor, one: str, other: str) -> None:
    for _ in range(OF_EACH_PAIR):
        meter_id, probe = world.meter(), world.probe(kit=f"Kit {next(_number)}")
        at_once(pool, *(_of_meter(world, meter_id, probe.id, name) for name in (one, other)))
        assert _contradictions(world) == []


def _of_place(world: World, boss: Person, site: NewSite, kit: NewInstrument, name: str) -> Act:
    at, me = world.at(), world.person
    limit = NewLimit(uuid.uuid4(), site.site_id, "ph", 6.0, 8.0, "permit")
    other_site = replace(site, name=f"N{next(_number)}", version=1)
    setting = NewSetting(uuid.uuid4(), site.site_id, NOW, float(next(_number)), reason="surveyed")
    other_kit = replace(kit, label=f"J{next(_number)}", version=1)
    acts: dict[str, Act] = {
        "Sites.save": lambda: at.sites.save(other_site, me),
        "Sites.limit": lambda: at.sites.limit(limit, boss),
        "SiteSettings.apply": lambda: at.site_settings.apply(setting, me),
        "Visits.open": lambda: at.visits.open(NewVisit(uuid.uuid4(), site.site_id), me),
        "Instruments.save": lambda: at.instruments.save(other_kit, me),
        "Retiring.retire": lambda: at.retiring.retire("site", site.site_id, me),
        "Retiring.bring_back": lambda: at.retiring.bring_back("site", site.site_id, me),
    }
    return acts[name]


@pairs("site", "instrument", "thing")
def test_one_place_or_instrument(
    world: World, supervisor: Person, pool: ThreadPoolExecutor, one: str, other: str
) -> None:
    """Of two who change it one is told that it was changed meanwhile; all else goes one after the other."""
    for _ in range(OF_EACH_PAIR):
        site, measures = _site(world), {"ph": TypedMeasures(4.0, 9.0)}
        kit = NewInstrument(uuid.uuid4(), f"I{next(_number)}", "photometer", "Kit", measures=measures)
        world.at().instruments.save(kit, world.person)
        done = at_once(pool, *(_of_place(world, supervisor, site, kit, name) for name in (one, other)))
        if one == other and one in ("Sites.save", "Instruments.save"):
            assert sum(done) == 1
        else:
            assert any(done)


def test_every_act_is_tried_beside_others() -> None:
    """By its thing, above; what holds nothing that two could want is named here with its reason."""
    alone = {
        "Kit.withdraw": "test_care_and_a_withdrawal_of_it", "Shelf.withdraw": "its bottle is held within",
        "House.choose": "the last word stands", "Starting.keep": "made of other acts",
    }  # fmt: skip
    tried = {"run", "lot", "visit", "reading", "round", "probe", "thing", "meter", "site", "instrument"}
    assert {name for name, act in ACTS.items() if not tried & {*act.holds}} == set(alone)


def test_a_signature_of_somebody_else_is_not_answered_as_ones_own(world: World, others: list[Person]) -> None:
    run_id = world.begin(world.probe())
    world.take(run_id, "neutral")
    runs = world.at().calibrations
    runs.sign(run_id, world.person)
    runs.sign(run_id, world.person)
    with pytest.raises(InvalidInput, match="Tess Ferrow has signed it already"):
        runs.sign(run_id, others[0])
