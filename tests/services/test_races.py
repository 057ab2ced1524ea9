"""Two who act at the same moment on one record: every pair of actions, 25 times; what is acknowledged is one truth."""

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

from brumel.core.plan.tasks import STORAGE
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import ServiceError
from brumel.services.kit.care_log import NewCare
from brumel.services.kit.probes import NewProbe
from brumel.services.people import Person
from brumel.services.planning.rounds import NewRound
from brumel.services.shelf.typed import NewLot
from brumel.services.visiting.filling import Entry
from brumel.services.visiting.sites import NewSite
from brumel.services.visiting.visits import NewVisit, Sheet
from brumel.store.database import StoreError
from brumel.store.models.calibration import CalibrationPoint
from brumel.store.models.reading import Reading
from tests.conftest import NOW
from tests.services.world import World

ROUNDS = 25
_number = count(1)
Act = Callable[[], object]


@pytest.fixture(scope="module")
def others(world: World) -> list[Person]:
    add = world.at().people.add
    return [add(f"other-{n}", f"Other {n}", "technician", "a long password") for n in (1, 2)]


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


def pairs(*names: str) -> pytest.MarkDecorator:
    return pytest.mark.parametrize(("one", "other"), list(combinations_with_replacement(names, 2)))


def _of_run(world: World, others: list[Person], run_id: uuid.UUID, key: uuid.UUID, name: str) -> Act:
    runs, me = world.at().calibrations, world.person
    point = TakePoint(key, "neutral", 3.0, 22.0, device=False)
    acts: dict[str, Act] = {
        "point": lambda: runs.take(run_id, point, me),
        "drop": lambda: runs.drop(run_id, key, "neutral", me, "bubble"),
        "sign": lambda: runs.sign(run_id, me),
        "abandon": lambda: runs.abandon(run_id, me, "rain"),
        "over": lambda: runs.take_over(run_id, key, others[0], "called away"),
        "over too": lambda: runs.take_over(run_id, key, others[1], "called away"),
    }
    return acts[name]


_STATE = """
SELECT (SELECT array_agg(id ORDER BY ordinal) FROM calibration_point WHERE run_id = :run),
       (SELECT array_agg(id) FROM calibration_entry WHERE run_id = :run),
       (SELECT array_agg(point_id) FROM calibration_entry WHERE run_id = :run AND point_id IS NOT NULL),
       (SELECT point_ids FROM calibration_signature WHERE run_id = :run),
       (SELECT count(*) FROM calibration_abandonment WHERE run_id = :run)
"""


@pairs("point", "drop", "sign", "abandon", "over", "over too")
def test_one_run(world: World, others: list[Person], pool: ThreadPoolExecutor, one: str, other: str) -> None:
    # Of a kit of its own: what else was begun in a kit at one sitting is read at each beginning.
    probe, run_id = world.probe(kit=f"Kit {next(_number)}"), None
    for _ in range(ROUNDS):
        if run_id is None:
            run_id = world.begin(probe)
            first = TakePoint(uuid.uuid4(), "neutral", 2.0, 22.0, device=False)
            world.at().calibrations.take(run_id, first, world.person)
        keys = uuid.uuid4(), uuid.uuid4()
        acts = [_of_run(world, others, run_id, key, name) for key, name in zip(keys, (one, other), strict=True)]
        acknowledged = at_once(pool, *acts)
        with world.database.session() as session:
            points, entries, dropped, signed_for, given_up = session.execute(text(_STATE), {"run": run_id}).one()
        closings = sum(d for d, name in zip(acknowledged, (one, other), strict=True) if name in ("sign", "abandon"))
        assert bool(signed_for) + given_up <= 1
        assert bool(closings) == bool(signed_for or given_up)
        for key, name, done in zip(keys, (one, other), acknowledged, strict=True):
            if name in ("point", "drop"):
                assert (key in {*points, *(entries or ())}) == done, name
        if signed_for:
            assert signed_for == [points[-1]]
        assert len(set(dropped or ())) == len(dropped or ())
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
    acts: dict[str, Act] = {
        "open": lambda: shelf.open(lot_id, key, me),
        "use": lambda: shelf.use(lot_id, key, 60.0, "", me),
        "discard": lambda: shelf.discard(lot_id, key, "old", me),
        "pour": lambda: shelf.pour_off(lot_id, key, 60.0, f"R{next(_number)}", me),
    }
    return acts[name]


@pairs("open", "use", "discard", "pour")
def test_one_lot(world: World, pool: ThreadPoolExecutor, one: str, other: str) -> None:
    for _ in range(ROUNDS):
        lot_id = _bottle(world)
        done = at_once(pool, *(_of_lot(world, lot_id, name) for name in (one, other)))
        records = world.at().shelf.view(lot_id).records
        events = [r.event for r in records]
        assert events.count("opened") <= 1
        assert events.count("discarded") <= 1
        taken = sum(r.amount or 0.0 for r in records)
        assert taken <= 100.0
        takes = [d for d, name in zip(done, (one, other), strict=True) if name in ("use", "pour")]
        assert taken == pytest.approx(60.0 * sum(takes))


def test_four_who_open_one_bottle(world: World, pool: ThreadPoolExecutor) -> None:
    for _ in range(ROUNDS):
        lot_id = _bottle(world)
        at_once(pool, *(_of_lot(world, lot_id, "open") for _ in range(4)))
        assert [r.event for r in world.at().shelf.view(lot_id).records].count("opened") == 1


@pytest.mark.parametrize("name", ["open", "use", "pour"])
def test_what_was_discarded_gives_nothing_more(world: World, name: str) -> None:
    lot_id = _bottle(world)
    _of_lot(world, lot_id, "discard")()
    with pytest.raises(ServiceError, match=r"discarded|stands on the shelf"):
        _of_lot(world, lot_id, name)()


def _site(world: World) -> NewSite:
    new = NewSite(uuid.uuid4(), f"RACE{next(_number)}", "Race", "pond", 2, {"ph": (6.0, 8.0)})
    world.at().sites.save(new, world.person)
    return new


def _of_visit(world: World, visit_id: uuid.UUID, first: uuid.UUID, name: str) -> Act:
    visits, me, key = world.at().visits, world.person, uuid.uuid4()
    acts: dict[str, Act] = {
        "save": lambda: visits.save(visit_id, Sheet([Entry(key, "ph", "8.1")]), me),
        "amend": lambda: visits.amend(first, Entry(key, "total-ammonia-n", "1.5"), "typo", me),
        "remove": lambda: visits.remove(first, key, "typo", me),
        "finish": lambda: visits.finish(visit_id, key, "rain", me),
    }
    return acts[name]


@pairs("save", "amend", "remove", "finish")
def test_one_visit(world: World, pool: ThreadPoolExecutor, one: str, other: str) -> None:
    site_id = _site(world).site_id
    for _ in range(ROUNDS):
        visit_id, first = uuid.uuid4(), uuid.uuid4()
        visits = world.at().visits
        visits.open(NewVisit(visit_id, site_id), world.person)
        start = [Entry(uuid.uuid4(), "temperature", "22"), Entry(first, "total-ammonia-n", "1.0")]
        visits.save(visit_id, Sheet(start), world.person)
        done = at_once(pool, *(_of_visit(world, visit_id, first, name) for name in (one, other)))
        if {one, other} <= {"amend", "remove"}:
            assert sum(done) == 1
        with world.database.session() as session:
            rows = list(session.scalars(select(Reading).where(Reading.visit_id == visit_id)))
            finished = session.execute(
                text("SELECT count(*) FROM visit_entry WHERE visit_id = :v AND kind = 'finished'"), {"v": visit_id}
            ).scalar_one()
        assert finished == ("finish" in (one, other))
        amended = [r.amends_id for r in rows if r.amends_id]
        assert len(amended) == len(set(amended))
        standing = [r for r in rows if r.id not in amended and not r.removed]
        worked_out = [r.quantity for r in standing if r.source == "derived"]
        assert len(worked_out) == len(set(worked_out))
        if "remove" in (one, other) and done[(one, other).index("remove")]:
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
        "tick": lambda: planned.tick(round_id, step, me),
        "save": lambda: planned.save(new, me),
        "drop": lambda: planned.drop(round_id, me),
        "way": lambda: planned.take_way(round_id, "without", "conductivity", me),
    }
    return acts[name]


@pairs("tick", "save", "drop", "way")
def test_one_planned_round(world: World, pool: ThreadPoolExecutor, one: str, other: str) -> None:
    for _ in range(ROUNDS):
        round_id = uuid.uuid4()
        # A kit with one probe, so that the plan is soon worked out, and a step of it that logs care.
        kit = f"Kit {next(_number)}"
        step = f"{world.at().states.probe(world.other_probe('ph-combination', kit)).label}/{STORAGE}"
        new = _planned(world, round_id, kit)
        world.at().planned.save(new, world.person)
        logged = _care(world)
        done = at_once(pool, *(_of_round(world, new, step, name) for name in (one, other)))
        ahead = {r.id: r for r in world.at().planned.ahead()}
        if "drop" in (one, other):
            assert round_id not in ahead
            continue
        stands = ahead[round_id]
        if (one, other) == ("save", "save"):
            assert sum(done) == 1
        if (one, other) == ("save", "way"):
            taken = {n for n, d in zip(("orp", "conductivity"), done, strict=True) if d}
            assert set(stands.without) == taken or all(done)
        assert (step in stands.done) == ("tick" in (one, other))
        assert _care(world) - logged == ("tick" in (one, other))
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
