"""A small team on the real database: one step of work a call, at any moment of the calendar."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from itertools import count
from zoneinfo import ZoneInfo

from brumel.core.place.conditions import Conditions
from brumel.core.quantities.ph import millivolts_from_ph
from brumel.core.sensing.principles import principle
from brumel.core.shipped_rules import shipped
from brumel.core.standards.targets import target
from brumel.services.application import Services
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.shown import RunView
from brumel.services.calibrating.taking import TakePoint
from brumel.services.clock import Clock
from brumel.services.kit.meters import NewMeter
from brumel.services.kit.probes import NewProbe
from brumel.services.live.channels import TEMPERATURE, signal_channel
from brumel.services.people import Person
from brumel.services.readings.draft import NewReading
from brumel.services.readings.record import ReadingView
from brumel.services.shelf import lot_words
from brumel.store.database import Database
from brumel.store.models.reference import Device, DeviceSample, Lot, Probe, Site, SiteRange
from tests.conftest import NOW

THREE, SIDE = "ph-neutral-acid-alkaline", "ph-neutral-side-check"
_number = count(1)
DESPITE = "only a test"

MILLIVOLTS = signal_channel(principle("glass"))


class World:
    """Everything that a case needs, made once for a module's database."""

    def __init__(self, database: Database) -> None:
        self.database = database
        self.person: Person = self.at().people.add("tess", "Tess Ferrow", "technician", "a long password")
        self.lots = {name: self._lot(name, **given) for name, given in LOTS.items()}
        self.site = Site(
            id=uuid.uuid4(), code="POND", name="Pond", water_kind="pond", visit_every_days=1,
            ranges=[SiteRange(quantity="ph", low=6.5, high=8.5)],
        )  # fmt: skip
        with database.session() as session:
            session.add_all([*self.lots.values(), self.site])

    def at(self, moment: datetime = NOW) -> Services:
        """The services at a moment."""
        return Services.over(self.database, Clock(ZoneInfo("UTC"), moment))

    def probe(self, *, device: bool = False, kind: str = "ph-combination", kit: str = "Kit") -> Probe:
        """A new probe, without a past; with a device of its own where asked for."""
        number = next(_number)
        probe = Probe(
            id=uuid.uuid4(), label=f"P{number}", serial=f"S{number}", kind=kind, kit=kit,
            in_service_on=date(2026, 1, 1),
        )  # fmt: skip
        with self.database.session() as session:
            if device:
                own = principle(shipped().kinds[kind].principle)
                line = Device(id=uuid.uuid4(), label=f"L{number}", url="socket://127.0.0.1:1", address="0",
                              channels=[TEMPERATURE.plain, signal_channel(own).plain], period_s=1.0)  # fmt: skip
                session.add(line)
                session.flush()
                probe.device_id = line.id
            session.add(probe)
        return self.at().states.probe_state(probe.id).probe

    def other_probe(self, kind: str, kit: str = "Kit", **given: object) -> uuid.UUID:
        """A new probe of any kind, entered as a technician would."""
        number = next(_number)
        if kind == "orp":
            given = {"reference": "ag-agcl-3m"} | given
        new = NewProbe(uuid.uuid4(), f"{kind} {number}", f"S{number}", kind, kit, date(2026, 1, 1), **given)  # type: ignore[arg-type]
        return self.at().probes.add(new, self.person)

    def meter(self, takes: str = "ph-combination", takes_too: Sequence[str] = (), **given: object) -> uuid.UUID:
        """A new meter that takes this kind of probe, and others too."""
        number = next(_number)
        new = NewMeter(uuid.uuid4(), f"M{number}", f"MS{number}", "Kit", date(2026, 1, 1), [takes, *takes_too], **given)  # type: ignore[arg-type]
        return self.at().meters.save(new, self.person)

    def water(self, name: str, visit_every_days: int = 1, **expected: tuple[float, float]) -> uuid.UUID:
        """A new site that is expected to show this."""
        site = Site(
            id=uuid.uuid4(), code=f"W{next(_number)}", name=name, water_kind="pond", visit_every_days=visit_every_days,
            ranges=[SiteRange(quantity=p.replace("_", "-"), low=low, high=high) for p, (low, high) in expected.items()],
        )  # fmt: skip
        with self.database.session() as session:
            session.add(site)
        return site.id

    def begin(
        self, probe: Probe, lots: Mapping[str, str] | None = None, *, method: str = THREE, moment: datetime = NOW,
        sites: Sequence[uuid.UUID] = (),
    ) -> uuid.UUID:  # fmt: skip
        """Begin a run with lots by their names in :data:`LOTS`."""
        chosen = {"neutral": "7.00", "acid": "4.01", "alkaline": "10.01"} | dict(lots or {})
        by_role = {role: self.lots[name].id for role, name in chosen.items()}
        begin = Begin(uuid.uuid4(), probe.id, method, "distilled-once", by_role, sites)
        return self.at(moment).calibrations.begin(begin, self.person)

    def take(
        self, run_id: uuid.UUID, step: str, *, slope: float = 98.5, offset: float = 2.0, cup: str = "",
        temperature_c: float = 22.0, off_ph: float = 0.0, moment: datetime = NOW, deviations: Sequence[str] = (),
    ) -> None:  # fmt: skip
        """Type the point that this electrode gives; ``cup`` names the lot that is really in the cup."""
        services = self.at(moment)
        lot = self.lots[cup] if cup else services.calibrations.view(run_id).step(step).lot
        assert lot is not None
        value = target(lot_words.bottle(lot), Conditions(temperature_c)).value + off_ph
        mv = float(millivolts_from_ph(value, temperature_c, slope, offset))
        why = "only a test" if deviations else ""
        take = TakePoint(
            uuid.uuid4(), step, mv, temperature_c, device=False, deviations=deviations, deviation_reason=why
        )
        services.calibrations.take(run_id, take, self.person)

    def sign(self, run_id: uuid.UUID, moment: datetime = NOW) -> RunView:
        """Sign, and read back what is stored."""
        services = self.at(moment)
        services.calibrations.sign(run_id, self.person)
        return services.calibrations.view(run_id)

    def calibrated(self, probe: Probe, moment: datetime = NOW, **electrode: float) -> RunView:
        """A three-buffer run from beginning to signature."""
        run_id = self.begin(probe, moment=moment)
        for step in ("neutral", "acid", "alkaline"):
            self.take(run_id, step, moment=moment, **electrode)  # type: ignore[arg-type]
        return self.sign(run_id, moment)

    def samples(self, probe: Probe, mv: Sequence[float], temperature_c: float = 22.0) -> None:
        """Samples as the link would have stored them, one a second."""
        with self.database.session() as session:
            session.add_all(
                DeviceSample(device_id=probe.device_id, time_s=float(t), values=[temperature_c, value])
                for t, value in enumerate(mv)
            )

    def read(self, probe: Probe, moment: datetime = NOW, **given: object) -> ReadingView:
        """A reading at the pond; a typed signal unless told otherwise."""
        services = self.at(moment)
        wanted = {"source": "typed-signal", "signal": -20.0, "temperature_c": 22.0, "despite": DESPITE} | given
        new = NewReading(uuid.uuid4(), self.site.id, probe.id, **wanted)  # type: ignore[arg-type]
        services.readings.record(new, self.person)
        return services.readings.view(new.reading_id)

    def shelved(self, name: str, **given: object) -> Lot:
        """A further lot, by what it is called here."""
        self.lots[name] = lot = self._lot(name, **given)  # type: ignore[arg-type]
        with self.database.session() as session:
            session.add(lot)
        return lot

    def _lot(self, name: str, family: str = "technical", nominal: float | None = 0.0, **given: object) -> Lot:
        dates = {"received_on": NOW.date() - timedelta(days=100), "expires_on": NOW.date() + timedelta(days=300)}
        row = dates | {"open_life_days": 90, "standard": "ph-buffer"} | given
        value = float(name) if nominal == 0.0 else nominal
        return Lot(id=uuid.uuid4(), lot_number=name, family=family, nominal=value, **row)


LOTS: dict[str, dict[str, object]] = {
    "4.01": {}, "7.00": {}, "10.01": {},
    "old 4.01": {"nominal": 4.01, "expires_on": NOW.date() - timedelta(days=4)},
    "stale 10.01": {"nominal": 10.01, "opened_on": NOW.date() - timedelta(days=95)},
    "primary 6.865": {"family": "primary", "nominal": 6.865},
    "ZoBell": {"standard": "orp", "family": "zobell", "nominal": 220.0},
    "no table 7.01": {"family": "technical-7.01", "nominal": 7.01},
}  # fmt: skip
