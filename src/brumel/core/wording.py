"""Numbers and dates as people read them."""

from __future__ import annotations

import re
from datetime import date


def signed(value: float, digits: int = 1, *, plus: bool = False) -> str:
    """A number with a true minus sign, for people to read; with ``plus``, a sign before it always. Zero has none.

    Examples
    --------
    >>> signed(-21.34), signed(-0.04, plus=True), signed(17.2, 0, plus=True)
    ('−21.3', '0.0', '+17')
    """
    rounded = round(value, digits) + 0.0  # no minus before zero
    return f"{rounded:{'+' if plus and rounded else ''}.{digits}f}".replace("-", "−")


def taken_off(value: float, digits: int = 1) -> str:
    """Return a number behind a minus sign: one below zero stands in brackets.

    Examples
    --------
    >>> taken_off(3.21), taken_off(-1.24), taken_off(-0.04)
    ('3.2', '(−1.2)', '0.0')
    """
    words = signed(value, digits)
    return f"({words})" if words.startswith("−") else words


def lower_first(sentence: str) -> str:
    """Return a sentence as the end of another one, a label within one; names keep their letters.

    Examples
    --------
    >>> lower_first("Percent saturation"), lower_first("ORP as shown"), lower_first("E_n"), lower_first("A probe")
    ('percent saturation', 'ORP as shown', 'E_n', 'a probe')
    """
    named = sentence[:2].isupper() and sentence[1:2].strip()
    return sentence if named else sentence[:1].lower() + sentence[1:]


def upper_first(words: str) -> str:
    """Return words as the beginning of a sentence; names and symbols keep their letters.

    Examples
    --------
    >>> [upper_first(words) for words in ("buffer 7.00", "a cap", "pH 7.4", "t 4 °C", "κ25 1413 µS/cm")]
    ['Buffer 7.00', 'A cap', 'pH 7.4', 't 4 °C', 'κ25 1413 µS/cm']
    """
    first = re.split(r"[^\w₀-₉]", words, maxsplit=1)[0]
    plain = first.isascii() and first.isalpha() and first.islower() and (len(first) > 1 or first == "a")
    return words[:1].upper() + words[1:] if plain else words


def celsius_meant(typed: float) -> float:
    """Convert a number to °C that was typed in °F.

    Examples
    --------
    >>> celsius_meant(77.0)
    25.0
    """
    return (typed - 32.0) / 1.8


def counted(count: float, one: str, many: str = "") -> str:
    """Return a number with what is counted, as people say it.

    Examples
    --------
    >>> counted(1, "day"), counted(2, "day"), counted(0, "reading rests", "readings rest")
    ('1 day', '2 days', '0 readings rest')
    """
    return f"{count:g} {one if count == 1 else many or one + 's'}"


def lasting(minutes: float) -> str:
    """Return a duration as people say it: minutes for an hour, then hours with minutes for two days, then days.

    Examples
    --------
    >>> lasting(45), lasting(892), lasting(1440), lasting(4400)
    ('45 min', '14 h 52 min', '24 h', '3 days')
    """
    whole = round(minutes)
    if whole < 60:
        return f"{whole} min"
    if whole >= 48 * 60:
        return counted(round(whole / 1440), "day")
    return f"{whole // 60} h" + (f" {whole % 60} min" if whole % 60 else "")


def grouped(value: float, least: float = 10_000.0) -> str:
    """Return a number with its thousands apart where it is at least so large, and a true minus sign.

    Examples
    --------
    >>> grouped(12880), grouped(1413), grouped(0.5), grouped(1e-6)
    ('12\u202f880', '1413', '0.5', '0.000001')
    """
    text = f"{value:.12f}".rstrip("0") if 0.0 < abs(value) < 1e-4 else f"{value:,.10g}"
    return text.replace(",", "\u202f" if abs(value) >= least else "").replace("-", "−")


def from_to(low: float, high: float) -> str:
    """Two ends as a sentence has them.

    Examples
    --------
    >>> from_to(-2.0, 16.0), from_to(1e-6, 1e6)
    ('−2 to 16', '0.000001 to 1\u202f000\u202f000')
    """
    return f"{grouped(low)} to {grouped(high)}"


def plain_number(value: float) -> str:
    """Return a bound or a default as a sentence has it: never 1e+06.

    Examples
    --------
    >>> plain_number(1e6), plain_number(1e15)
    ('1000000', '1e+15')
    """
    return f"{value:.10g}" if abs(value) < 1e15 else f"{value:g}"


def day_words(day: date, today: date | None = None) -> str:
    """Return a date in the one form that all have; its year where that is not this one, or nobody knows this one.

    Examples
    --------
    >>> day_words(date(2026, 11, 3), date(2026, 11, 23)), day_words(date(2027, 1, 4), date(2026, 11, 23))
    ('Tue 3 Nov', 'Mon 4 Jan 2027')
    """
    return f"{day:%a} {day.day} {day:%b}" + (f" {day.year}" if today is None or day.year != today.year else "")
