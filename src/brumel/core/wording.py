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
