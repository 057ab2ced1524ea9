"""Which tables are of which class; the grants and the guards follow it. Operational rows may also be deleted."""

from __future__ import annotations

from brumel.store.models.calibration import (
    CalibrationAbandonment,
    CalibrationAmendment,
    CalibrationFinding,
    CalibrationImmersion,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
    CalibrationTrace,
)
from brumel.store.models.care import CareRecord, CareWithdrawal, Inspection, InspectionPhoto, MeterRecord
from brumel.store.models.reading import Reading, ReadingFinding, ReadingTrace
from brumel.store.models.reference import (
    Device,
    DeviceSample,
    LoginAttempt,
    Lot,
    Meter,
    Person,
    PlannedRound,
    Probe,
    Site,
    SiteRange,
)
from brumel.store.models.shelf import LotCertificate, LotRecord

REFERENCE = (Person, Device, Meter, Probe, Lot, Site, PlannedRound)
OPERATIONAL = (DeviceSample, SiteRange)
ADDED_TO = (LoginAttempt,)
FACTS = (
    CalibrationRun,
    CalibrationImmersion,
    CalibrationPoint,
    CalibrationTrace,
    CalibrationSignature,
    CalibrationFinding,
    CalibrationAbandonment,
    CalibrationAmendment,
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
)
