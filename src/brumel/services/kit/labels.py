"""What probes and meters have in common when they are entered: a label, a serial number, a kit, a first day."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from datetime import date
from typing import Protocol


class Labelled(Protocol):
    """Something of the kit, as typed."""

    @property
    def label(self) -> str:
        """What stands on it."""

    @property
    def serial(self) -> str:
        """Its serial number."""

    @property
    def kit(self) -> str:
        """The kit that it travels in."""

    @property
    def in_service_on(self) -> date | None:
        """The day since when it is in service."""


class OfTheKit(Protocol):
    """Something of the kit, as stored."""

    id: uuid.UUID
    label: str
    serial: str


def wrong_label(thing: str, new: Labelled, own_id: uuid.UUID, known: Iterable[OfTheKit], today: date) -> dict[str, str]:
    """Return what can't be taken of it, by field; ``thing`` is the word for it: probe, meter."""
    wrong = {
        name: words
        for name, value, words in (
            ("label", new.label, "Give it the label that stands on it."),
            ("serial", new.serial, "Give its serial number."),
            ("kit", new.kit, "Say which kit it travels in."),
        )
        if not value.strip()
    }
    if new.in_service_on is None:
        wrong["in_service_on"] = "Give the day since when it is in service."
    elif new.in_service_on > today:
        wrong["in_service_on"] = f"A {thing} can't be in service from a day to come."
    for other in known:
        if other.id == own_id:
            continue
        if other.label.lower() == new.label.strip().lower():
            wrong["label"] = f"{other.label} is another {thing}'s label: choose one that differs."
        if other.serial == new.serial.strip():
            wrong["serial"] = f"{other.label} has this serial number."
    return wrong
