"""How values look on a screen: true minus signs, units beside numbers, local times."""

from __future__ import annotations

from datetime import datetime

from flask import Flask

from brumel.core.quantities.quantity import quantity
from brumel.core.wording import grouped, lower_first, signed, upper_first
from brumel.services.clock import Clock


def register_filters(app: Flask, clock: Clock) -> None:
    """Register the filters that templates use."""

    def number(value: float | None, digits: int = 2) -> str:
        return "–" if value is None else signed(value, digits)

    def with_sign(value: float | None, digits: int = 1) -> str:
        return "–" if value is None else signed(value, digits, plus=True)

    def time(moment: datetime) -> str:
        return clock.local(moment).strftime("%H:%M")

    def day(moment: datetime) -> str:
        return clock.local(moment).strftime("%d %b %Y").lstrip("0")

    def when(moment: datetime) -> str:
        local, today = clock.local(moment), clock.local(clock.now())
        days = (today.date() - local.date()).days
        words = {0: "today", 1: "yesterday", -1: "tomorrow"}.get(days)
        if words is None:
            words = local.strftime("%a %d %b") if abs(days) < 300 else day(moment)
        return f"{words}, {local:%H:%M}"

    def briefly(moment: datetime) -> str:
        local, today = clock.local(moment), clock.local(clock.now())
        return f"{local:%H:%M}" if local.date() == today.date() else f"{local.day} {local:%b}"

    def local_input(moment: datetime) -> str:
        return clock.local(moment).strftime("%Y-%m-%dT%H:%M")

    def value_of(value: float, key: str) -> str:
        return quantity(key).words(value)

    def number_of(value: float, key: str) -> str:
        return quantity(key).number(value)

    def unit_of(key: str) -> str:
        return quantity(key).unit

    def name_of(key: str) -> str:
        return quantity(key).name

    def capitalize_first(text: str) -> str:
        return text if text.startswith("pH") else upper_first(text)

    for filter_ in (
        briefly,
        grouped,
        value_of,
        number_of,
        unit_of,
        name_of,
        capitalize_first,
        lower_first,
        number,
        with_sign,
        time,
        day,
        when,
        local_input,
    ):
        app.add_template_filter(filter_)
