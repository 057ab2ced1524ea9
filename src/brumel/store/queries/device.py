"""Questions about lines and what they report: devices, samples, who is watched."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Sequence
from datetime import datetime, timedelta

from sqlalchemy import func, select, text, true, update
from sqlalchemy.orm import Session

from brumel.store.models.reference import Device, DeviceSample

SAMPLE_CHANNEL = "brumel_sample"
DEVICE_CHANNEL = "brumel_device"
WANTED_CHANNEL = "brumel_wanted"
_SAMPLES_KEPT = timedelta(hours=2)


def samples_after(session: Session, device_id: uuid.UUID, after_seq: int) -> Sequence[DeviceSample]:
    """Live samples after the given one, in order."""
    return session.scalars(
        select(DeviceSample)
        .where(DeviceSample.device_id == device_id, DeviceSample.seq > after_seq)
        .order_by(DeviceSample.seq)
    ).all()


def last_sample_seq(session: Session, device_id: uuid.UUID) -> int:
    """Number of the newest live sample; 0 where there is none."""
    return session.scalar(select(func.max(DeviceSample.seq)).where(DeviceSample.device_id == device_id)) or 0


def devices(session: Session) -> Sequence[Device]:
    """Return all devices, by label."""
    return session.scalars(select(Device).order_by(Device.label)).all()


def newest_values(session: Session, device_ids: Collection[uuid.UUID]) -> dict[uuid.UUID, list[float]]:
    """Return the values of each device's newest sample; a device that sent nothing lately is missing."""
    newest = (
        select(DeviceSample.values)
        .where(DeviceSample.device_id == Device.id)
        .order_by(DeviceSample.seq.desc())
        .limit(1)
        .lateral()
    )
    query = select(Device.id, newest.c["values"]).join(newest, true()).where(Device.id.in_(device_ids))
    return {row[0]: row[1] for row in session.execute(query)}


def newest_sample_at(session: Session, device_id: uuid.UUID) -> datetime | None:
    """Say when the newest live sample was stored."""
    return session.scalar(
        select(DeviceSample.stored_at)
        .where(DeviceSample.device_id == device_id)
        .order_by(DeviceSample.seq.desc())
        .limit(1)
    )


def mark_wanted(session: Session, device_id: uuid.UUID, seconds: float) -> None:
    """Say that someone looks at the device, and wake its link."""
    session.execute(
        update(Device).where(Device.id == device_id).values(wanted_until=func.now() + timedelta(seconds=seconds))
    )
    session.execute(select(func.pg_notify(WANTED_CHANNEL, str(device_id))))


def wanted_devices(session: Session, url: str) -> Sequence[Device]:
    """Devices on this line that someone looks at now."""
    return session.scalars(
        select(Device).where(Device.url == url, Device.wanted_until > func.now()).order_by(Device.address)
    ).all()


def prune_samples(session: Session) -> None:
    """Forget live samples that no trace can need any more."""
    session.execute(text("DELETE FROM device_sample WHERE stored_at < now() - :kept"), {"kept": _SAMPLES_KEPT})
