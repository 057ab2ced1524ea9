"""Which tables are of which class; the grants and the guards follow it. Operational rows may also be deleted.

Every number of every table is finite, every text has its bound and every moment its century: a CHECK each, from here.
"""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy import ARRAY, CheckConstraint, Column, DateTime, Double, Table, Text

from brumel.core.findings import Level
from brumel.core.reading.limits import Keeps
from brumel.core.typed import NAME_MOST, NAMES, TEXT_MOST
from brumel.store.models.base import Base, one_of
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
)
from brumel.store.models.care import CareRecord, CareWithdrawal, Inspection, InspectionPhoto, MeterRecord
from brumel.store.models.owned import HouseSecret, Invitation, LoginAttempt, PersonSecret, SignIn
from brumel.store.models.reading import Reading, ReadingFinding
from brumel.store.models.reference import (
    ChangeCount,
    Device,
    DeviceSample,
    HouseChoice,
    Instrument,
    Lot,
    Meter,
    Person,
    PlannedRound,
    Probe,
    QuantityBound,
    Site,
    SiteRange,
    SiteSetting,
)
from brumel.store.models.series import SeriesBlock
from brumel.store.models.shelf import LotCertificate, LotRecord
from brumel.store.models.visit import Acknowledgement, ReadingBasis, SiteLimit, Visit, VisitEntry, VisitPhoto

REFERENCE = (Person, Device, Meter, Probe, Instrument, Lot, Site, PlannedRound)
OPERATIONAL = (DeviceSample, SiteRange, HouseChoice)
_KEPT: dict[type[Base], str] = {
    Person: "login name role active",
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
OF_THE_OWNER = (Invitation, PersonSecret, HouseSecret, SignIn, LoginAttempt)
"""Not even read."""
ONLY_READ = (ChangeCount, QuantityBound)
"""Only read: triggers write one, each upgrade the other."""
FACTS = (
    CalibrationRun,
    CalibrationStep,
    CalibrationPoint,
    CalibrationCoefficient,
    CalibrationSignature,
    CalibrationFinding,
    CalibrationAbandonment,
    CalibrationAmendment,
    CalibrationEntry,
    Reading,
    SeriesBlock,
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
    SiteSetting,
)


STANDING = tuple(model for model in FACTS if "recorded_by" in model.__table__.columns)
"""Facts that stand by themselves: who recorded them, and when, is put by a trigger."""
HANGING: dict[type[Base], dict[str, type[Base]]] = {
    CalibrationCoefficient: {"run_id": CalibrationSignature},
    CalibrationFinding: {"run_id": CalibrationSignature},
    SeriesBlock: {"point_id": CalibrationPoint, "reading_id": Reading},
    ReadingFinding: {"reading_id": Reading},
    ReadingBasis: {"reading_id": Reading},
    InspectionPhoto: {"inspection_id": Inspection},
}
"""Facts that hang on another, by column, on one of them where there are several: they come in its transaction or
not at all.
"""
BY_OWNER = frozenset({"recorded_by", "recorded_at"})


def addable(model: type[Base]) -> list[str]:
    """Return the columns of a fact that the application may state: neither its order nor who records it, and when."""
    return [c.name for c in model.__table__.columns if c.name not in BY_OWNER and not getattr(c, "identity", None)]


def changeable(model: type[Base]) -> list[str]:
    """Return the columns of a reference table that the application may change."""
    kept = {"id", *_KEPT.get(model, "").split()}
    return [column.name for column in model.__table__.columns if column.name not in kept]


_KEYS = frozenset({"kind", "key", "step", "quantity"})
_MOMENTS = "{name} >= '1900-01-01 00:00+00' AND {name} < '2200-01-01 00:00+00'"
"""No record is older; what is planned lies nearer than that. Whoever adds rows knows the day and asks for more."""
_BY_NAME = {
    "level": ("known", one_of("level", Level)),
    "keeps": ("known", one_of("keeps", ["", *Keeps])),
    **{name: ("least", f"{name} >= 0") for name in ("u", "target_u", "left_over", "settling_s")},
}
"""What a value of a column of facts must keep, by its name, with the ending of the CHECK's name."""


def _bounds(column: Column[object], *, fact: bool) -> Iterator[tuple[str, str]]:
    """Yield what a value of a column must keep, as SQL, with the ending of its CHECK's name."""
    name, kind = column.name, column.type
    if isinstance(kind, Double) and fact:
        yield "finite", f"{name} BETWEEN -1e12 AND 1e12"  # as far as the model of its record reaches
    elif isinstance(kind, Double):
        yield "finite", f"{name} > '-Infinity' AND {name} < 'Infinity'"
    if isinstance(kind, ARRAY) and isinstance(kind.item_type, Double):
        beyond = " OR ".join(f"'{b}' = ANY ({name})" for b in ("NaN", "Infinity", "-Infinity"))
        yield "finite", f"NOT ({beyond})"
    if isinstance(kind, Text):
        yield "length", f"char_length({name}) <= {NAME_MOST if name in NAMES | _KEYS else TEXT_MOST}"
    if isinstance(kind, DateTime):
        yield "moment", _MOMENTS.format(name=name)


def _bind(table: Table, *, fact: bool) -> None:
    for column in table.columns:
        named = [_BY_NAME[column.name]] if fact and column.name in _BY_NAME else []
        for ending, bound in (*_bounds(column, fact=fact), *named):
            table.append_constraint(CheckConstraint(bound, name=f"{column.name}_{ending}"))


_FACT_TABLES = {model.__tablename__ for model in FACTS}
for _table in Base.metadata.tables.values():
    _bind(_table, fact=_table.name in _FACT_TABLES)
