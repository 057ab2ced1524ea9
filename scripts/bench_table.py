"""A line of the tables that the benches print."""

from __future__ import annotations

import statistics


def line(name: str, times: list[float], empty: float | None = None) -> None:
    """One line of the table: median and 95th percentile, and the median as a ratio to the empty page's."""
    median, p95 = statistics.median(times), statistics.quantiles(times, n=20)[-1]
    ratio = f"{median / empty:8.1f} ×" if empty else ""
    print(f"{name:34}{1000 * median:9.1f} ms{1000 * p95:9.1f} ms{ratio}")
