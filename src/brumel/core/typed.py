"""Numbers as people type them: one reading of them for forms, command line, files and JSON.

A point or a comma is the decimal mark; spaces of any width, and commas or points that stand before every three
digits, keep thousands apart. Where both readings are open (``12,880``) there is no guess.
"""

from __future__ import annotations

import re

from brumel.core.errors import CoreError

_SPACES = "[ \u00a0\u2007\u2009\u202f]"
_MARKED = rf"[0-9](?:{_SPACES}(?=[0-9]{{3}}(?![0-9]))|[0-9]|[.,](?=[0-9]))*[.,]?"
_START = re.compile(rf"\s*([+\-−]?(?:{_MARKED}|[.,][0-9]+)(?:[eE][+\-−]?[0-9]+)?)\s*(.*?)\s*\Z", re.DOTALL)
_AMBIGUOUS = re.compile(r"[1-9][0-9]{0,2},[0-9]{3}")
_PLAIN = re.compile(r"[0-9]+(?:[.,][0-9]*)?|[.,][0-9]+")
_COMMAS_APART = re.compile(r"[0-9]{1,3}(?:,[0-9]{3})+(?:\.[0-9]*)?")
_POINTS_APART = re.compile(r"[0-9]{1,3}(?:\.[0-9]{3})+(?:,[0-9]*|\.[0-9]{3})")
_SPACED = re.compile(rf"[0-9]{{1,3}}(?:{_SPACES}[0-9]{{3}})+(?:[.,][0-9]*)?")


NAME_MOST, TEXT_MOST = 120, 4000
"""Characters that a name and a note may have."""
NAMES = frozenset(
    {"label", "serial", "name", "code", "lot_number", "login", "kit", "water_kind", "batteries", "sample"}
)
"""Fields that hold a name; all others hold a text."""


class NotANumber(CoreError):
    """What was typed is no number, or can be read as two."""


def number_and_rest(text: str) -> tuple[str, str] | None:
    """Return the number that a text begins with, as typed, and what follows it (a unit); None where there is none.

    Examples
    --------
    >>> number_and_rest("20,5 °C"), number_and_rest("68F"), number_and_rest("warm")
    (('20,5', '°C'), ('68', 'F'), None)
    """
    match = _START.match(text)
    return None if match is None else (match[1], match[2])


def number_typed(text: str) -> float:
    """Return a number as people type it.

    Raises
    ------
    NotANumber
        Where it is none, is too large or too small to be meant, or where its comma may be a decimal mark as well as
        one that keeps thousands apart; the sentence says both readings.

    Examples
    --------
    >>> number_typed("−12,4"), number_typed("0,123"), number_typed("1 413"), number_typed("12,880.5")
    (-12.4, 0.123, 1413.0, 12880.5)
    """
    parts = number_and_rest(text)
    if parts is None or parts[1]:
        raise NotANumber(f"{text.strip()!r} is not a number: write it like 7.25 or −12.4.")
    typed = parts[0].replace("−", "-")
    sign = typed[0] if typed[0] in "+-" else ""
    digits, exponent, power = re.sub("[eE]", "e", typed.removeprefix(sign)).partition("e")
    if _AMBIGUOUS.fullmatch(digits):
        whole, after = digits.split(",")
        raise NotANumber(
            f"{text.strip()!r} can be read in two ways: write {sign}{whole}{after} for thousands, "
            f"or {sign}{whole}.{after} for a decimal comma."
        )
    value = float(sign + _pointed(digits, text) + exponent + power)
    if value == 0.0 and re.search("[1-9]", digits):  # no float is as small as what was typed
        raise NotANumber(_TOO_SMALL.format(text.strip()[:40]))
    return _meant(value, text)


_TOO_SMALL = "{!r} is too small to be meant: write 0, or check what was typed."
_LARGEST, _SMALLEST = 1e12, 1e-12
"""Beyond these nobody means a number of this trade: fingers slipped, or somebody tries what happens."""


def _meant(value: float, text: str) -> float:
    """Return a number that can be meant; none is below nought by its sign alone."""
    if not abs(value) <= _LARGEST:
        raise NotANumber(f"{text.strip()[:40]!r} is too large to be meant: check what was typed.")
    if 0.0 < abs(value) < _SMALLEST:
        raise NotANumber(_TOO_SMALL.format(text.strip()[:40]))
    return value + 0.0


def whole_written(text: str, most_digits: int = 18) -> int | None:
    """Return a count as a page of ours writes it into an address or a form; None for anything else.

    Examples
    --------
    >>> whole_written("12"), whole_written("²"), whole_written("-1")
    (12, None, None)
    >>> whole_written("9" * 18), whole_written("9" * 19)
    (999999999999999999, None)
    """
    return int(text) if text.isascii() and text.isdigit() and len(text) <= most_digits else None


def _pointed(digits: str, text: str) -> str:
    """Digits with no more than a decimal point among them."""
    if _PLAIN.fullmatch(digits):
        return digits.replace(",", ".")
    if _SPACED.fullmatch(digits):
        return re.sub(_SPACES, "", digits).replace(",", ".")
    if _COMMAS_APART.fullmatch(digits):
        return digits.replace(",", "")
    if _POINTS_APART.fullmatch(digits):
        return digits.replace(".", "").replace(",", ".")
    raise NotANumber(f"{text.strip()!r} is not a number: write it like 7.25, −12.4 or 12880.")
