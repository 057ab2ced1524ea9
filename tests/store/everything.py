"""A database in which every table of facts holds a row: the demonstration, and what it never needs."""

from __future__ import annotations

import io
import uuid
from datetime import timedelta

from PIL import Image
from sqlalchemy import select

from brumel.core.numbers.series import Series
from brumel.core.shipped_rules import shipped
from brumel.services.application import Services
from brumel.services.calibrating.rows import Begin
from brumel.services.clock import Clock
from brumel.services.people import Person
from brumel.services.probes.care_log import NewCare
from brumel.services.sites.site_settings import NewSetting
from brumel.services.sites.sites import NewLimit
from brumel.services.visits.filling import TypedIn
from brumel.services.visits.visits import NewVisit, Remark, Sheet
from brumel.store.add_fact import add_new
from brumel.store.database import Database
from brumel.store.models.calibration import CalibrationSignature
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Lot, Probe
from brumel.store.models.reference import Person as StoredPerson
from brumel.store.models.series import SeriesBlock
from brumel.store.queries import shelf as shelf_queries
from brumel.store.series_blocks import block_rows


def fill(database: Database, owner: Database, clock: Clock) -> None:
    """Add to the demonstration's data: a run given up, an amended one, a photo, a certificate, a withdrawn entry."""
    services = Services.over(database, clock)
    supervisor, technician = (_person(services, role) for role in ("supervisor", "technician"))
    with database.session() as session:
        probe = session.scalars(select(Probe).where(Probe.label == "A-pH")).one()
        lots = {lot.nominal: lot.id for lot in shelf_queries.lots(session, "ph-buffer") if lot.family == "technical"}
        signed = session.scalars(select(CalibrationSignature.run_id)).first()
        reading = session.scalars(select(Reading.id)).first()
        lot = session.scalars(select(Lot.id).where(Lot.discarded_on.is_(None))).first()
    assert signed
    assert reading
    assert lot
    run_id = services.calibrations.begin(
        Begin(
            uuid.uuid4(), probe.id, "ph-neutral-acid-alkaline", "distilled-once",
            {"neutral": lots[7.00], "acid": lots[4.01], "alkaline": lots[10.01]},
        ),
        technician,
    )  # fmt: skip
    services.calibrations.begin_step(run_id, uuid.uuid4(), "neutral", technician)
    services.calibrations.take_over(run_id, uuid.uuid4(), supervisor, "called away")
    services.calibrations.abandon(run_id, technician, "rain")
    services.calibrations.amend(signed, uuid.uuid4(), supervisor, "cups looked at again", withdraw=False)
    care_id = uuid.uuid4()
    services.kit.log(probe.id, NewCare(care_id, "cleaned", clock.now() - timedelta(hours=1)), technician)
    services.kit.withdraw(care_id, "the other probe", technician)
    questions = {q.key: True for q in shipped().kind(probe.kind).inspection}
    services.kit.inspect(probe.id, uuid.uuid4(), questions, "", technician, _picture())
    meter_id = services.meters.all()[0].meter.id
    services.meters.log(meter_id, uuid.uuid4(), "switched-on", None, "", technician)
    services.shelf.use(lot, uuid.uuid4(), 30.0, "", technician)
    services.shelf.attach(lot, _picture(), technician)
    site_id, visit = services.states.sites()[0].id, uuid.uuid4()
    services.visits.open(NewVisit(visit, site_id), technician)
    said = [Remark(uuid.uuid4(), "weather", "overcast")]
    typed = [TypedIn(uuid.uuid4(), key, text) for key, text in (("free-chlorine", "1.5"), ("total-chlorine", "2.5"))]
    services.visits.save(visit, Sheet(typed, said=said), technician)
    services.visits.photograph(visit, uuid.uuid4(), _picture(), "foam at the inlet", technician)
    services.visits.acknowledge(typed[0].reading_id, "told", technician)
    services.site_settings.apply(NewSetting(uuid.uuid4(), site_id, clock.now(), 4.0, reason="surveyed"), technician)
    services.sites.limit(NewLimit(uuid.uuid4(), site_id, "ph", 6.0, 8.0, "the permit"), supervisor)
    # Of a reading that stands already only the owner adds a trace.
    with owner.session() as session:
        trace = Series.of([0.0], [1.0], temperature_c=[20.0])
        add_new(session, SeriesBlock, block_rows(trace, clock.now(), "mV", reading_id=reading))


def _person(services: Services, role: str) -> Person:
    with services.people.database.session() as session:
        return session.scalars(select(StoredPerson).where(StoredPerson.role == role)).first()  # type: ignore[return-value]


def _picture() -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (8, 8), "white").save(out, "JPEG")
    return out.getvalue()
