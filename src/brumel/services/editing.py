"""Rows that may change: who edits an older state than the one that stands is told what stands."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from brumel.services.errors import InvalidInput


class Versioned(Protocol):
    """A row that counts its changes."""

    version: int


def change(row: Versioned, seen: int | None, shown: Mapping[str, object]) -> None:
    """Count a change of a row that was seen at a version; None where its form did not say.

    Parameters
    ----------
    shown
        What stands, by the words for it.

    Raises
    ------
    InvalidInput
        Where somebody changed it meanwhile: the form comes back with what was typed, and may be saved again.
    """
    if seen is not None and seen != row.version:
        stands = ", ".join(f"{name} “{value}”" for name, value in shown.items())
        raise InvalidInput(
            {"version": f"Somebody changed it meanwhile; what stands now: {stands}. Look at both, then save again."}
        )
    row.version += 1
