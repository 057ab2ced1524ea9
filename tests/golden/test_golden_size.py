"""Golden texts stay few enough to be read when they change."""

from __future__ import annotations

from pathlib import Path

AT_MOST = 150_000
"""Bytes, of all of them."""


def test_golden_texts_are_small_enough_to_be_read() -> None:
    assert sum(file.stat().st_size for file in Path(__file__).parent.glob("*.txt")) <= AT_MOST
