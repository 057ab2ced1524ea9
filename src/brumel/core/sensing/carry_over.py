"""What a little of one solution left on a probe does to the next: buffers by their charge balance, others by mixing."""

from __future__ import annotations

from dataclasses import dataclass

SHARE = 0.01
"""So much of the cup is said to come along where nobody rinsed: about a film of 0.3 mL in 30 (rule of this product)."""
_WATER = 1e-14


@dataclass(frozen=True)
class _Salt:
    """A buffer's weak acid: mol/L in all, and its pK in such a solution (from memory: the thermodynamic ones less
    what 0.05 to 0.1 mol/L of salt take off)."""

    molar: float
    pks: tuple[float, ...]

    def charge(self, ph: float) -> float:
        """Negative charge that it carries, mol/L."""
        h, terms = 10.0**-ph, [1.0]
        for pk in self.pks:
            terms.append(terms[-1] * 10.0**-pk / h)
        return self.molar * sum(n * t for n, t in enumerate(terms)) / sum(terms)


_SALTS = {
    4.0: _Salt(0.05, (2.95, 5.05)),  # hydrogen phthalate
    7.0: _Salt(0.05, (2.1, 6.88, 11.8)),  # phosphate, equal parts
    9.2: _Salt(0.04, (9.2,)),  # borax
    10.0: _Salt(0.05, (6.2, 10.0)),  # carbonate, equal parts
}
"""The salts that buffers of about such a pH are made of."""


def buffer_capacity(ph: float) -> float:
    """mol/L of strong base that move a buffer of about this pH by one pH."""
    return (_strong(ph + 0.005, [(1.0, _of(ph))]) - _strong(ph - 0.005, [(1.0, _of(ph))])) / 0.01


def ph_with(value: float, before: float, share: float = SHARE) -> float:
    """Return the pH of a buffer of ``value`` in which a share of one of ``before`` was left.

    Notes
    -----
    The charge balance of both salts, at 25 °C; activities are within the pK. Against published capacities of the
    pure buffers (0.016 phthalate, 0.029 phosphate and carbonate mol/L a pH, from memory) within 20 %.
    """
    parts = [(1.0 - share, _of(value)), (share, _of(before))]
    ions = (1.0 - share) * _strong(value, [(1.0, _of(value))]) + share * _strong(before, [(1.0, _of(before))])
    low, high = 0.0, 14.0
    for _ in range(60):
        middle = (low + high) / 2.0
        low, high = (middle, high) if _strong(middle, parts) < ions else (low, middle)
    return (low + high) / 2.0


def mixed(value: float, before: float, share: float = SHARE) -> float:
    """Return what mixes in proportion: a conductivity, a concentration."""
    return value + share * (before - value)


def _of(ph: float) -> _Salt:
    return _SALTS[min(_SALTS, key=lambda nominal: abs(nominal - ph))]


def _strong(ph: float, parts: list[tuple[float, _Salt]]) -> float:
    """Return the strong cations, less strong anions, that balance the charges at a pH, mol/L."""
    h = 10.0**-ph
    return float(sum(share * salt.charge(ph) for share, salt in parts) + _WATER / h - h)
