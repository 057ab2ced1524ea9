"""In which order a house calibrates (common practice: conductivity before buffers, ions last)."""

from __future__ import annotations

import pytest

from brumel.core.plan.order import Done
from brumel.core.shipped_rules import shipped

EC, PH, ION = (
    Done("A-EC", "specific-conductance", "09:10"),
    Done("A-pH", "ph", "09:20"),
    Done("A-N", "nitrate-n", "9:30"),
)


@pytest.mark.parametrize(
    ("order", "quantity", "done", "words"),
    [
        ("conductivity-first", "specific-conductance", PH, "A-pH was calibrated before it, at 09:20: salt of a buffer"),
        ("conductivity-first", "ph", EC, ""),
        ("conductivity-first", "orp", PH, ""),
        ("ph-first", "ph", EC, "A-EC was calibrated before it, at 09:10: the house takes it the other way round"),
        ("ph-first", "specific-conductance", PH, ""),
        ("ions-last", "specific-conductance", PH, ""),
        (
            "ions-last",
            "ph",
            ION,
            "A-N was calibrated before it, at 9:30: ions lean on it: calibrate them",
        ),
        ("conductivity-first", "oxygen", ION, ""),
        ("conductivity-first", "nitrate-n", Done("A-DO", "oxygen", "9:00"), ""),
    ],
)
def test_what_came_too_early_is_named_with_its_reason(order: str, quantity: str, done: Done, words: str) -> None:
    found = shipped().orders[order].broken(quantity, [done])
    assert len(found) == bool(words)
    assert not words or found[0].startswith(words)


def test_each_order_says_of_every_stage_what_it_is_and_conductivity_first_is_the_default() -> None:
    assert next(iter(shipped().orders.values())).key == "conductivity-first"
    for order in shipped().orders.values():
        assert order.stages["ammonium-n"] == order.stages["nitrate-n"] == max(order.stages.values())
        assert {"specific-conductance", "ph", "orp"} < set(order.stages)
