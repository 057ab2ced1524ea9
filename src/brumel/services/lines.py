"""From stored calibrations to the core's lines and judged points."""

from __future__ import annotations

import math
import uuid
from collections.abc import Iterable, Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.calibration import U_MV, CarriedSlope, ElectrodeFit, FitPoint
from brumel.core.findings import Acceptance, Finding, Level
from brumel.core.kit.shelf import LotFacts, Pack
from brumel.core.methods.model import Use, limits_of
from brumel.core.ph_reading_verdict import Basis
from brumel.core.ph_run import JudgedPoint, PreviousRun
from brumel.core.standards.buffers import Buffer, buffer_of_label
from brumel.services import upkeep
from brumel.store import queries
from brumel.store.models.calibration import CalibrationFinding, CalibrationPoint, CalibrationRun, CalibrationSignature
from brumel.store.models.reading import ReadingFinding
from brumel.store.models.reference import Lot

_SECONDS_A_DAY = 86400.0


def buffer_of(lot: Lot) -> Buffer:
    """The buffer in a lot's bottle, with the lot's own table and certificate where it has them."""
    return buffer_of_label(lot.family, lot.buffer_ph, table=lot.value_table, u_ph=lot.certificate_u)


def lot_label(lot: Lot) -> str:
    """What a technician calls a lot: its value and number."""
    return f"buffer {lot.buffer_ph:.2f} (lot {lot.lot_number})"


def lot_facts(lot: Lot, left: float | None = None) -> LotFacts:
    """What the core needs of a lot to judge it; ``left`` is counted in the unit of its pack."""
    return LotFacts(lot.expires_on, lot.opened_on, lot.open_life_days, left, lot.discarded_on, Pack(lot.pack).unit)


def judged_point(point: CalibrationPoint) -> JudgedPoint:
    """A stored point as the verdict sees it."""
    return JudgedPoint(
        label=lot_label(point.lot),
        fit_point=FitPoint(
            point.buffer_ph,
            point.mv,
            point.temperature_c,
            point.buffer_u_ph,
            math.hypot(U_MV, point.left_over_mv or 0.0),
            bottle=str(point.lot_id),
        ),
        nominal_ph=point.nominal_ph,
        family=point.family,
        use=Use(point.use),
        value_known=point.value_known,
        acceptance=Acceptance(point.acceptance),
        settling_words=point.settling_words,
        expired_days=point.expired_days,
        over_open_days=point.over_open_days,
        deviations=tuple(point.deviations),
    )


def standing_points(run: CalibrationRun) -> list[CalibrationPoint]:
    """The newest point of every step, in the order taken; earlier ones are superseded."""
    newest = {point.step: point for point in run.points}
    return sorted(newest.values(), key=lambda p: p.ordinal)


def line_of(signature: CalibrationSignature) -> ElectrodeFit:
    """The line that was signed."""
    carried = None
    if signature.slope_origin != "fitted":
        carried = CarriedSlope(
            signature.slope_percent, signature.u_slope_percent, assumed=signature.slope_origin == "assumed"
        )
    return ElectrodeFit(
        slope_percent=signature.slope_percent,
        offset_mv=signature.offset_mv,
        u_slope_percent=signature.u_slope_percent,
        u_offset_mv=signature.u_offset_mv,
        covariance=signature.covariance,
        residuals_ph=(),
        consistency=None,
        slope_carried=carried,
        temperature_c=signature.temperature_c,
    )


def age_days(signature: CalibrationSignature, at: datetime) -> float:
    """Days between a signature and a moment."""
    return (at - signature.signed_at).total_seconds() / _SECONDS_A_DAY


def previous_full_run(session: Session, probe_id: uuid.UUID, at: datetime) -> PreviousRun | None:
    """The probe's last usable full run before ``at``."""
    run = queries.last_full_run(session, probe_id, at)
    if run is None or run.signature is None:
        return None
    return PreviousRun(line_of(run.signature), age_days(run.signature, at))


def basis_of(session: Session, probe_id: uuid.UUID, at: datetime) -> tuple[CalibrationRun | None, Basis | None]:
    """The calibration that a reading at ``at`` rests on, as stored and as the verdict sees it."""
    run = queries.basis_run(session, probe_id, at)
    if run is None or run.signature is None:
        return None, None
    newest = queries.newest_run(session, probe_id, at)
    holds_days = limits_of(run.method["limits"]).holds_days
    found = basis_from(run.signature, holds_days, _worst_sentence(run), at)
    if newest is not None and newest.id != run.id:
        found = replace(found, level=Level.UNFIT, worst="the newest run; the line before it was used.")
    found = replace(found, voided_by=upkeep.voided_by(session, run.probe, run.signature.signed_at, at))
    return run, found


def basis_from(signature: CalibrationSignature, holds_days: tuple[float, float], worst: str, at: datetime) -> Basis:
    """A signed calibration as a reading at ``at`` sees it."""
    return Basis(
        fit=line_of(signature),
        level=Level(signature.level),
        age_days=age_days(signature, at),
        buffers_ph=(signature.buffers_ph_low, signature.buffers_ph_high),
        holds_days=holds_days,
        worst=worst,
    )


def finding_rows(findings: Iterable[Finding]) -> list[dict[str, object]]:
    """Findings as rows of either finding table, numbered in reading order."""
    return [
        {
            "ordinal": number,
            "code": f.code,
            "level": str(f.level),
            "sentence": f.sentence,
            "remedy": f.remedy,
            "minutes": f.minutes,
            "source": f.source,
        }
        for number, f in enumerate(findings)
    ]


def findings_of(rows: Iterable[Mapping[str, Any]]) -> list[Finding]:
    """Findings as they were stored within a record."""
    return [Finding(r["code"], Level(r["level"]), r["sentence"], r["remedy"], r["minutes"], r["source"]) for r in rows]


def stored_findings(rows: Iterable[CalibrationFinding] | Iterable[ReadingFinding]) -> list[Finding]:
    """Findings as they were stored."""
    return [Finding(r.code, Level(r.level), r.sentence, r.remedy, r.minutes, r.source) for r in rows]


def _worst_sentence(run: CalibrationRun) -> str:
    return next((f.sentence for f in run.findings if f.level != Level.SOUND), "")
