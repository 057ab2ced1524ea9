"""How values look on a screen: true minus signs, units beside numbers, local times."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import date, datetime
from functools import partial
from typing import Any

from flask import Flask
from flask_login import current_user
from markupsafe import Markup

from brumel.core.findings import Level, worst_of
from brumel.core.place.local_time import NotOneMoment, reading_words
from brumel.core.quantities.quantity import quantity
from brumel.core.quantities.shown import Unit, choices, unit_for
from brumel.core.said import Value
from brumel.core.wording import counted, day_words, grouped, lasting, lower_first, signed, upper_first
from brumel.core.words.catalogue import Worded, share_words, word
from brumel.services.clock import Clock
from brumel.services.said import lines_of


def register_filters(app: Flask, clock: Clock) -> None:
    """Register the filters that templates use."""

    def number(value: float | None, digits: int = 2) -> str:
        return "–" if value is None else signed(value, digits)

    def with_sign(value: float | None, digits: int = 1) -> str:
        return "–" if value is None else signed(value, digits, plus=True)

    def time(moment: datetime) -> str:
        return clock.local(moment).strftime("%H:%M")

    def time_of(machine: str, on: date, rest: str = "") -> Markup:
        # On paper every date has its year; those of other years have it already. All of it is ours: nothing to escape.
        today = clock.today()
        year = f' data-year="{on.year}"' if on.year == today.year else ""
        return Markup(f'<time datetime="{machine}"><span{year}>{day_words(on, today)}</span>{rest}</time>')

    def day(when: date | datetime) -> Markup:
        local = clock.local(when).date() if isinstance(when, datetime) else when
        return time_of(local.isoformat(), local)

    def when(moment: datetime) -> Markup:
        local = clock.local(moment)
        return time_of(local.isoformat(timespec="minutes"), local.date(), f", {local:%H:%M}")

    def local_input(moment: datetime) -> str:
        return clock.local(moment).strftime("%Y-%m-%dT%H:%M")

    def readings_of(text: str) -> list[tuple[str, str]]:
        """Return what a typed local time can be meant for, where that is not one moment: to send back, and in words."""
        try:
            clock.moment_of(datetime.fromisoformat(text or ""))
        except NotOneMoment as asked:
            return [(moment.isoformat(), reading_words(moment)) for moment in asked.readings]
        except (ValueError, OverflowError):
            pass
        return []

    def value_of(value: float, key: str) -> str:
        return quantity(key).words(value)

    def number_of(value: float, key: str) -> str:
        return quantity(key).number(value)

    def unit_of(key: str) -> str:
        return quantity(key).unit

    def name_of(key: str) -> str:
        return quantity(key).name

    def worst_level(levels: Iterable[str]) -> Level:
        return worst_of(Level(level) for level in levels)

    def own(key: str) -> Unit:
        return unit_for(quantity(key), current_user.person.units or {})

    def said(reading: Any) -> str:
        about, unit = quantity(reading.quantity), own(reading.quantity)
        after = f" {unit.name}" if unit.name else ""
        return f"{about.symbol} {own_reading(reading)}{after}"

    def own_reading(reading: Any) -> str:
        about, unit = quantity(reading.quantity), own(reading.quantity)
        digits = unit.exact if reading.as_typed else unit.number
        return f"{reading.qualifier}{digits(reading.value, about)}"

    def kept_reading(reading: Any) -> str:
        about = quantity(reading.quantity)
        digits = about.exact if reading.as_typed else about.number
        return f"{reading.qualifier}{digits(reading.value)}"

    def kept_spread(value: float, key: str) -> str:
        return choices(quantity(key).unit)[quantity(key).unit].spread(value, quantity(key))

    def own_number(value: float, key: str) -> str:
        return own(key).number(value, quantity(key))

    def own_spread(value: float, key: str) -> str:
        return own(key).spread(value, quantity(key))

    def worded(said: Value) -> Worded:
        return word(said)

    def share_name(contribution: Mapping[str, Any]) -> str:
        """Name a stored contribution: by its key, else as it was read."""
        key = contribution.get("key")
        return str(share_words(key, contribution.get("of", ""))) if key else str(contribution["name"])

    def working_of(record: Any) -> Sequence[str]:
        of: Callable[[str], Any] = record.get if isinstance(record, Mapping) else partial(getattr, record)
        return lines_of(of("working_said"), of("working"))

    def own_unit(key: str) -> str:
        return own(key).name

    def own_of(kept: str) -> str:
        return str((current_user.person.units or {}).get(kept, kept))

    for filter_ in (
        worded,
        share_name,
        working_of,
        own_number,
        own_spread,
        own_of,
        kept_spread,
        own_unit,
        worst_level,
        said,
        own_reading,
        kept_reading,
        grouped,
        counted,
        lasting,
        value_of,
        number_of,
        unit_of,
        name_of,
        lower_first,
        number,
        with_sign,
        time,
        day,
        when,
        local_input,
        readings_of,
    ):
        app.add_template_filter(filter_)
    app.add_template_filter(upper_first, "capitalize_first")
