"""Numbers as people read them."""

from __future__ import annotations


def signed(value: float, digits: int = 1) -> str:
    """A number with a true minus sign, for people to read.

    Examples
    --------
    >>> signed(-21.34)
    '−21.3'
    """
    return f"{value:.{digits}f}".replace("-", "−")


def grouped(value: float) -> str:
    """A number with its thousands apart from ten thousand on.

    Examples
    --------
    >>> grouped(12880), grouped(1413), grouped(0.5)
    ('12\u202f880', '1413', '0.5')
    """
    return f"{value:,.10g}".replace(",", "\u202f" if value >= 10_000 else "")
