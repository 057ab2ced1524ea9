"""How exact an instrument is, as numbers: what its data sheet states, and what that makes of a reading."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields, replace

from brumel.core.errors import CoreError
from brumel.core.typed import NotANumber, number_and_rest, number_typed
from brumel.core.uncertainty import Contribution, resolution_u

EXAMPLE = "±0.02, ±1 % of reading, ±0.5 % of full scale 20, 2 digits, steps of 0.01"


@dataclass(frozen=True)
class Accuracy:
    """Stated accuracy in the unit of what is shown; parts that a data sheet does not state are None.

    Attributes
    ----------
    absolute
        ± so much.
    percent_of_reading, percent_of_full_scale, full_scale
        ± percent of what is shown, and of the full scale; that one with its full scale.
    digits
        ± so many of the last digit; it needs ``step``.
    step
        The last digit's step.
    """

    absolute: float | None = None
    percent_of_reading: float | None = None
    percent_of_full_scale: float | None = None
    full_scale: float | None = None
    digits: float | None = None
    step: float | None = None

    @property
    def states_accuracy(self) -> bool:
        """Whether more than the display's step is known."""
        return any(
            v is not None for v in (self.absolute, self.percent_of_reading, self.percent_of_full_scale, self.digits)
        )

    def half_width(self, value: float) -> float:
        """Return the stated limits ± at a value: the parts add up, as data sheets mean them.

        Examples
        --------
        >>> read_accuracy("±0.02, 2 digits, steps of 0.01").half_width(7.0)
        0.04
        >>> read_accuracy("±1 % of full scale 20").half_width(0.5)
        0.2
        """
        return (
            (self.absolute or 0.0)
            + (self.percent_of_reading or 0.0) / 100.0 * abs(value)
            + (self.percent_of_full_scale or 0.0) / 100.0 * (self.full_scale or 0.0)
            + (self.digits or 0.0) * (self.step or 0.0)
        )

    def contributions(self, value: float, unit: str) -> list[Contribution]:
        """Return standard uncertainties (k = 1) of a shown value: the limits as rectangular, and the display's step."""
        found = [Contribution("stated-accuracy", self.half_width(value) / math.sqrt(3.0), unit, 1.0)]
        if self.step is not None:
            found.append(Contribution("resolution", resolution_u(self.step), unit, 1.0))
        return found

    def times(self, factor: float) -> Accuracy:
        """Return the same for values that those shown are ``factor`` times of."""
        scaled = {name: getattr(self, name) for name in ("absolute", "full_scale", "step")}
        return replace(self, **{name: value * factor for name, value in scaled.items() if value is not None})

    @property
    def words(self) -> str:
        """As a data sheet says it; :func:`read_accuracy` reads it back.

        Examples
        --------
        >>> read_accuracy(EXAMPLE).words == EXAMPLE, Accuracy(digits=1.0, step=0.1).words
        (True, '1 digits, steps of 0.1')
        """
        parts = (
            (self.absolute, "±{:g}"),
            (self.percent_of_reading, "±{:g} % of reading"),
            (self.percent_of_full_scale, "±{:g} % of full scale {full:g}"),
            (self.digits, "{:g} digits"),
            (self.step, "steps of {:g}"),
        )
        return ", ".join(words.format(value, full=self.full_scale) for value, words in parts if value is not None)

    @property
    def plain(self) -> dict[str, float]:
        """What is known, fit for JSON."""
        return {k: v for k, v in asdict(self).items() if v is not None}

    @classmethod
    def of(cls, plain: Mapping[str, float] | None) -> Accuracy:
        """From what :attr:`plain` gave; nothing known where None."""
        known = {f.name for f in fields(cls)}
        return cls(**{k: float(v) for k, v in (plain or {}).items() if k in known})


def read_accuracy(text: str) -> Accuracy:
    """Accuracy as a data sheet states it, parts separated by commas or semicolons.

    Raises
    ------
    CoreError
        Where a part can't be read, with an example.

    Examples
    --------
    >>> read_accuracy("±0,02; steps of 0,01").plain
    {'absolute': 0.02, 'step': 0.01}
    """
    found = Accuracy()
    for part in re.split(r";|,(?=\s)", text):
        if part.strip():
            found = _with_part(found, part.strip())
    if found.digits is not None and found.step is None:
        raise CoreError(f"Digits need the display's step: write it like {EXAMPLE}.")
    return found


def _with_part(known: Accuracy, part: str) -> Accuracy:
    words = part.removeprefix("±").removeprefix("+/-").strip()
    if (step := re.fullmatch(r"steps? of (.+)", words)) is not None:
        return replace(known, step=_above_zero(step[1], part))
    number = number_and_rest(words)
    if number is None:
        raise _unread(part)
    value, rest = _above_zero(number[0], part), number[1]
    if re.fullmatch(r"digits?", rest):
        return replace(known, digits=value)
    if re.fullmatch(r"% of reading", rest):
        return replace(known, percent_of_reading=value)
    if (full := re.fullmatch(r"% of full scale (.+)", rest)) is not None:
        return replace(known, percent_of_full_scale=value, full_scale=_above_zero(full[1], part))
    if "%" in rest:
        raise CoreError(f"{part!r}: say of what, “% of reading” or “% of full scale 20” with the full scale.")
    return replace(known, absolute=value)


def _above_zero(text: str, part: str) -> float:
    parts = number_and_rest(text)
    try:
        value = number_typed(parts[0]) if parts else math.nan
    except NotANumber as error:
        raise CoreError(str(error)) from None
    if not (math.isfinite(value) and value > 0):
        raise _unread(part)
    return value


def _unread(part: str) -> CoreError:
    return CoreError(f"{part!r} can't be read: write it like {EXAMPLE}.")
