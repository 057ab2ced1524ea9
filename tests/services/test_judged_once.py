"""One fact, one judgement: the same of a lot, a run, a rinse, a meter wherever it is asked for; and edges."""

from __future__ import annotations

import uuid
from dataclasses import replace
from datetime import timedelta

import pytest
from sqlalchemy import text

from brumel.core.calibrating.procedure import rinse_from
from brumel.core.shipped_rules import shipped
from brumel.services.calibrating.meter_runs import NewKept
from brumel.services.house.rules import judged_by
from brumel.services.kit.meters import Meters
from brumel.services.probes.care_log import NewCare
from brumel.store.database import Database
from tests.conftest import NOW, Urls
from tests.said import remedy, sentence
from tests.services.world import SIDE, World

DAY, HOUR = timedelta(days=1), timedelta(hours=1)


class TestALot:
    @pytest.mark.parametrize(
        ("name", "role", "words"),
        [
            ("old 4.01", "acid", "expired 4 days ago."),
            ("stale 10.01", "alkaline", "5 days past open life."),
        ],
    )
    def test_past_its_time_is_unfit_on_the_shelf_in_the_list_and_in_the_verdict(
        self, world: World, name: str, role: str, words: str
    ) -> None:
        lot = world.lots[name]
        assert world.at().shelf.view(lot.id).entry.level == "unfit"
        choice = next(c for c in world.at().calibrations.choices(world.probe().id).lots[role] if c.lot.id == lot.id)
        assert choice.caution == f"unfit: {words}"
        run_id = world.begin(world.probe(), {role: name})
        for step in ("neutral", "acid", "alkaline"):
            world.take(run_id, step)
        signed = world.sign(run_id)
        assert signed.level == "unfit"
        assert any(words in sentence(f) for f in signed.findings)

    def test_in_date_has_no_caution_and_stands_first(self, world: World) -> None:
        choices = world.at().calibrations.choices(world.probe().id).lots["acid"]
        assert [bool(c.caution) for c in choices] == sorted(bool(c.caution) for c in choices)
        assert choices[0].caution == ""


class TestARun:
    def test_holds_at_a_reading_as_long_as_it_does_today(self, world: World, urls: Urls) -> None:
        """A house that lets calibrations hold for three days freezes that into the run: all places keep to it."""
        probe = world.probe()
        run_id = world.calibrated(probe, NOW - 2 * DAY).run.id
        assert world.at().states.probe_state(probe.id).level == "doubtful"
        assert {f.code for f in world.read(probe).findings} == {"calibration-old"}
        longer = _with_holding(urls, run_id, 3)
        with longer:
            assert world.at().states.probe_state(probe.id).level == "sound"
            assert world.read(probe).findings == ()

    def test_keeps_its_rinse_whole(self, world: World) -> None:
        """The regime is removed and its share edited: the run still says what was done, and what its points took."""
        run_id = world.begin(world.probe())
        before = world.at().shelf.view(world.lots["7.00"].id).entry
        kept = {k: v for k, v in shipped().rinses.items() if k != "distilled-once"}
        with judged_by(replace(shipped(), rinses=kept)):
            run = world.at().calibrations.view(run_id).run
            assert rinse_from(run.method["rinse"]).words.startswith("Rinse once in distilled or deionised water")
            assert rinse_from(run.method["rinse"]).ml_per_point == 30.0
            assert world.at().shelf.view(world.lots["7.00"].id).entry.facts == before.facts

    def test_days_of_holding_stand_with_the_kind_alone(self, world: World) -> None:
        run = world.calibrated(world.probe()).run
        assert run.method["tolerances"]["holds_days"] == [1, 7]
        assert "holds" not in (shipped().procedures[SIDE].used_for + str(shipped().procedures[SIDE].steps))


def _with_holding(urls: Urls, run_id: uuid.UUID, days: int) -> _Holding:
    return _Holding(urls, run_id, days)


class _Holding:
    """A run as it would have been kept by a house with another rule; only the owner, with the guard down, can do it."""

    def __init__(self, urls: Urls, run_id: uuid.UUID, days: int) -> None:
        self._urls, self._run_id, self._days = urls, run_id, days

    def __enter__(self) -> None:
        self._set(self._days)

    def __exit__(self, *error: object) -> None:
        self._set(1)

    def _set(self, days: int) -> None:
        owner = Database(self._urls.owner, pool_size=1)
        with owner.session() as session:
            session.execute(text("ALTER TABLE calibration_run DISABLE TRIGGER calibration_run_kept"))
            session.execute(
                text(
                    "UPDATE calibration_run SET method = jsonb_set(method, '{tolerances,holds_days,0}', :days) "
                    "WHERE id = :id"
                ),
                {"days": str(days), "id": self._run_id},
            )
            session.execute(text("ALTER TABLE calibration_run ENABLE TRIGGER calibration_run_kept"))
        owner.close()


class TestAMeterThatLosesItsCalibration:
    def _switched_off(self, world: World, kind: str, **given: object) -> uuid.UUID:
        meters: Meters = world.at().meters
        meter_id = world.meter(kind, **given)
        meters.log(meter_id, uuid.uuid4(), "switched-off", NOW - HOUR, "", world.person)
        return world.other_probe(kind, meter_id=meter_id)

    @pytest.mark.parametrize(("holds", "level"), [(True, "sound"), (False, "unfit")])
    def test_ends_what_it_keeps_itself(self, world: World, holds: bool, level: str) -> None:
        probe_id = self._switched_off(world, "oxygen-optical", holds_calibration=holds)
        kept = NewKept(uuid.uuid4(), probe_id, NOW - 2 * HOUR, reported={"gain": 100.0})
        world.at().kept.record(kept, world.person)
        state = world.at().states.probe_state(probe_id)
        assert state.level == level
        if not holds:
            assert state.why == "Its meter was switched off since, and loses its calibration then."

    def test_leaves_what_brumel_keeps(self, world: World) -> None:
        probe = world.at().states.probe(self._switched_off(world, "ph-combination", holds_calibration=False))
        world.calibrated(probe, NOW - 2 * HOUR)
        assert world.at().states.probe_state(probe.id).level == "sound"
        assert world.read(probe).findings == ()
        shown = world.read(probe, source="typed-value", signal=None, shown=7.4).findings
        assert "meter-lost-calibration" in {f.code for f in shown}
        assert any("was so on Wed 6 May, 08:30" in sentence(f) for f in shown)

    def test_a_meter_that_holds_is_not_blamed(self, world: World) -> None:
        probe = world.at().states.probe(self._switched_off(world, "ph-combination", holds_calibration=True))
        shown = world.read(probe, source="typed-value", signal=None, shown=7.4).findings
        assert [f.code for f in shown] == ["meter-unknown"]


class TestTheWatersSide:
    @pytest.mark.parametrize(
        ("low", "high", "role"),
        [(6.0, 7.98, "acid"), (6.0, 8.0, "alkaline"), (7.2, 8.2, "alkaline"), (5.5, 6.5, "acid")],
    )
    def test_is_that_of_the_middle_of_its_reach(self, world: World, low: float, high: float, role: str) -> None:
        site_id = world.water(f"{low} to {high}", ph=(low, high))
        run = world.at().calibrations.view(world.begin(world.probe(), method=SIDE, sites=(site_id,))).run
        assert [s["role"] for s in run.method["steps"]][1] == role

    def test_of_several_sites_the_widest_reach_counts(self, world: World) -> None:
        sites = [
            world.water("acid", ph=(4.5, 6.0)),
            world.water("middle", ph=(6.5, 7.5)),
            world.water("sea", ph=(7.9, 8.6)),
        ]
        run = world.at().calibrations.view(world.begin(world.probe(), sites=sites)).run
        assert (run.waters_low, run.waters_high) == (4.5, 8.6)

    def test_of_sites_without_ph_there_is_none(self, world: World) -> None:
        run = world.at().calibrations.view(world.begin(world.probe(), sites=[world.water("dry", oxygen=(5, 9))])).run
        assert run.waters_low is run.waters_high is None


def test_the_daily_use_of_a_lot_is_what_was_taken_over_sixty_days(world: World) -> None:
    services, lot_id = world.at(), world.lots["no table 7.01"].id
    services.shelf.use(lot_id, uuid.uuid4(), 120.0, "", world.person)
    assert services.shelf.daily_use()[lot_id] == pytest.approx(2.0)
    assert world.at(NOW + 61 * DAY).shelf.daily_use()[lot_id] == 0.0


def test_a_trend_begins_anew_with_a_part(world: World) -> None:
    """Ten runs that fall, a new electrode, two runs: two points are no trend, whatever lies before."""
    probe = world.probe()
    for n in range(10):
        world.calibrated(probe, NOW - (40 - 3 * n) * DAY, slope=99.0 - 0.2 * n)
    slope = next(c for c in world.at().kit.life(probe.id).courses if c.name == "Slope")
    assert slope.trend is not None
    assert slope.trend.per_day == pytest.approx(-0.2 / 3, rel=0.05)
    changed = NewCare(uuid.uuid4(), "electrode-changed", NOW - 5 * DAY)
    world.at().kit.log(probe.id, changed, world.person)
    world.calibrated(probe, NOW - 4 * DAY)
    slope = next(c for c in world.at().kit.life(probe.id).courses if c.name == "Slope")
    assert len(slope.points) == 11
    assert slope.trend is None


@pytest.mark.parametrize(("ph", "implausible"), [(13.95, False), (14.05, True)])
def test_what_no_water_has_is_implausible(world: World, ph: float, implausible: bool) -> None:
    shown = world.read(world.probe(), source="typed-value", signal=None, shown=ph).findings
    assert ("implausible" in {f.code for f in shown}) == implausible


def test_a_stopgap_is_said_and_does_not_block(world: World) -> None:
    probe = world.probe()
    found = world.at().kit.log(probe.id, NewCare(uuid.uuid4(), "stored", detail="clean tap water"), world.person)
    assert [(f.code, f.level) for f in found] == [("stopgap-storage", "doubtful")]
    assert sentence(found[0]) == "Clean tap water is a stopgap for this probe."
    assert remedy(found[0]) == "Keep it in storage solution or 3 mol/L KCl as soon as there is some."
    assert world.at().states.probe_state(probe.id).readiness.state == "ready"


def test_readings_are_recorded_by_whoever_is_signed_in(world: World) -> None:
    other = world.at().people.add("olle", "Olle Ferd", "technician", "a long password")
    probe = world.probe()
    assert world.read(probe).reading.person_id == world.person.id != other.id
