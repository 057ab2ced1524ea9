"""Which tables are of which class; the grants and the guards follow it. Operational rows may also be deleted.

Every number of every table is finite and every text has its bound: a CHECK each, from here.
"""

from __future__ import annotations

from sqlalchemy import ARRAY, CheckConstraint, Column, Double, Table, Text

from brumel.core.typed import NAME_MOST, NAMES, TEXT_MOST
from brumel.store.models.base import Base
from brumel.store.models.calibration import (
    CalibrationAbandonment,
    CalibrationAmendment,
    CalibrationCoefficient,
    CalibrationEntry,
    CalibrationFinding,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
    CalibrationStep,
    CalibrationTrace,
)
from brumel.store.models.care import CareRecord, CareWithdrawal, Inspection, InspectionPhoto, MeterRecord
from brumel.store.models.reading import Reading, ReadingFinding, ReadingTrace
from brumel.store.models.reference import (
    ChangeCount,
    Device,
    DeviceSample,
    HouseChoice,
    Instrument,
    Invitation,
    LoginAttempt,
    Lot,
    Meter,
    Person,
    PlannedRound,
    Probe,
    SignIn,
    Site,
    SiteRange,
)
from brumel.store.models.shelf import LotCertificate, LotRecord
from brumel.store.models.visit import Acknowledgement, ReadingBasis, SiteLimit, Visit, VisitEntry, VisitPhoto

REFERENCE = (Person, Device, Meter, Probe, Instrument, Lot, Site, PlannedRound)
OPERATIONAL = (DeviceSample, SiteRange, SignIn, HouseChoice)
ADDED_TO = (LoginAttempt,)
_KEPT: dict[type[Base], str] = {
    Person: "login name role password_hash active",
    Device: "label",
    Probe: "serial kind in_service_on",
    Lot: (
        "lot_number family standard nominal received_on expires_on open_life_days certificate_u pack content "
        "value_table parent_id bottle_id"
    ),
    PlannedRound: "person_id planned_at",
}
"""Columns of reference rows that the application never changes once they are there."""
ADDED_BY_THE_OWNER = (Person,)
"""Reference tables to which the application can't add either: who could add a supervisor would be one."""
OF_THE_OWNER = (Invitation,)
"""Not even read."""
COUNTED = (ChangeCount,)
"""Only read: triggers write it."""
FACTS = (
    CalibrationRun,
    CalibrationStep,
    CalibrationPoint,
    CalibrationTrace,
    CalibrationCoefficient,
    CalibrationSignature,
    CalibrationFinding,
    CalibrationAbandonment,
    CalibrationAmendment,
    CalibrationEntry,
    Reading,
    ReadingTrace,
    ReadingFinding,
    CareRecord,
    CareWithdrawal,
    Inspection,
    InspectionPhoto,
    MeterRecord,
    LotRecord,
    LotCertificate,
    Visit,
    VisitEntry,
    VisitPhoto,
    ReadingBasis,
    Acknowledgement,
    SiteLimit,
)


def changeable(model: type[Base]) -> list[str]:
    """The columns of a reference table that the application may change."""
    kept = {"id", *_KEPT.get(model, "").split()}
    return [column.name for column in model.__table__.columns if column.name not in kept]


_KEYS = frozenset({"kind", "key", "step", "quantity"})


def _bound(column: Column[object]) -> str | None:
    """What a value of a column must keep, as SQL; None where its type says all."""
    if isinstance(column.type, Double):
        return f"{column.name} > '-Infinity' AND {column.name} < 'Infinity'"
    if isinstance(column.type, ARRAY) and isinstance(column.type.item_type, Double):
        beyond = " OR ".join(f"'{b}' = ANY ({column.name})" for b in ("NaN", "Infinity", "-Infinity"))
        return f"NOT ({beyond})"
    if isinstance(column.type, Text):
        return f"char_length({column.name}) <= {NAME_MOST if column.name in NAMES | _KEYS else TEXT_MOST}"
    return None


def _bind(table: Table) -> None:
    for column in table.columns:
        if (bound := _bound(column)) is not None:
            kind = "length" if isinstance(column.type, Text) else "finite"
            table.append_constraint(CheckConstraint(bound, name=f"{column.name}_{kind}"))


for _table in Base.metadata.tables.values():
    _bind(_table)
