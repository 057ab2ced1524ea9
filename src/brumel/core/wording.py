"""Numbers as people read them."""

from __future__ import annotations


def signed(value: float, digits: int = 1, *, plus: bool = False) -> str:
    """A number with a true minus sign, for people to read; with ``plus``, a sign before it always.

    Examples
    --------
    >>> signed(-21.34), signed(-0.04), signed(17.2, 0, plus=True)
    ('−21.3', '0.0', '+17')
    """
    rounded = round(value, digits) + 0.0  # no minus before zero
    return f"{rounded:{'+' if plus else ''}.{digits}f}".replace("-", "−")


def grouped(value: float) -> str:
    """A number with its thousands apart from ten thousand on.

    Examples
    --------
    >>> grouped(12880), grouped(1413), grouped(0.5)
    ('12\u202f880', '1413', '0.5')
    """
    return f"{value:,.10g}".replace(",", "\u202f" if value >= 10_000 else "")
