"""Series and their rows: a series as blocks, blocks as a series, and the traces of files of earlier versions."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping
from datetime import datetime, timedelta
from typing import Any

from brumel.core.numbers.series import Series
from brumel.store.models.series import SeriesBlock

FORMER = {"calibration_trace": ("point_id", "calibration_point"), "reading_trace": ("reading_id", "reading")}
"""The tables of versions before the blocks, with the column that says whose trace it is, and the table of that."""


def block_rows(series: Series, last_at: datetime, unit: str, **owner: uuid.UUID) -> list[dict[str, Any]]:
    """Give the rows of a series whose last sample was at a moment; ``point_id`` or ``reading_id`` says whose it is.

    The key of a block follows from its owner's: the same series is never kept twice.
    """
    ((of_whom, key),) = owner.items()
    end = float(series.times_s[-1]) if len(series) else 0.0
    nobody = dict.fromkeys(of for of, _ in FORMER.values())
    return [
        {
            **nobody,
            "id": uuid.uuid5(key, f"block {number}"),
            of_whom: key,
            "number": number,
            "first_at": last_at - timedelta(seconds=end - float(block.times_s[0])),
            "last_at": last_at - timedelta(seconds=end - float(block.times_s[-1])),
            "unit": unit,
            "times_s": block.times_s.tolist(),
            "samples": block.values.tolist(),
            "temperature_c": block.temperature_c.tolist() if "temperature_c" in block.conditions else None,
        }
        for number, block in enumerate(series.blocks())
    ]


def series_of(blocks: Iterable[SeriesBlock]) -> Series:
    """Put the blocks of one series together, in their order; without a block it is empty."""
    return Series.joined(
        Series.of(b.times_s, b.samples, **({} if b.temperature_c is None else {"temperature_c": b.temperature_c}))
        for b in blocks
    )


def former_rows(table: str, trace: Mapping[str, Any], of: Mapping[str, Any]) -> list[dict[str, Any]]:
    """Give the rows of a trace as versions before the blocks kept it, with the point or reading that it is of.

    Raises
    ------
    KeyError, TypeError, ValueError
        Where it is no such trace.
    """
    owner, _ = FORMER[table]
    series = Series.of(trace["times_s"], trace["signal"], temperature_c=trace["temperature_c"])
    if series.times_s.ndim != 1:
        raise ValueError("a trace is a list of numbers")
    taken_at = of["taken_at"]
    moment = taken_at if isinstance(taken_at, datetime) else datetime.fromisoformat(taken_at)
    return block_rows(series, moment, of["signal_unit"], **{owner: uuid.UUID(str(trace[owner]))})
