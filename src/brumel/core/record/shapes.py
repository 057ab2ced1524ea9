"""Shapes of plain data: each takes a value and says what is wrong with it, and where; nothing where it fits.

A shape is a function; small ones make larger ones. Every number is finite and every text bounded.
"""

from __future__ import annotations

import io
import uuid
from collections.abc import Callable, Collection, Iterator, Mapping
from datetime import UTC, date, datetime
from typing import Any

from brumel.core.errors import CoreError
from brumel.core.outside_data import keepable_text, shown
from brumel.core.typed import TEXT_MOST
from brumel.core.wording import from_to, grouped

Shape = Callable[[object], Iterator[str]]
"""Yields a sentence's end for each fault: what must be, and what was found."""

UNREADABLE = (ArithmeticError, AttributeError, LookupError, RecursionError, TypeError, ValueError)
"""What plain data that may hold anything can bring about in a function that reads them; ours are ValueErrors."""
EARLIEST = datetime(1900, 1, 1, tzinfo=UTC)
"""No record of ours is older."""
FAR = 1e12
MOST_ITEMS = 100_000
MOST_BYTES, MOST_PIXELS = 12_000_000, 50_000_000
"""Of a photo or a certificate."""


def number(low: float = -FAR, high: float = FAR) -> Shape:
    """Make the shape of a finite number between two ends, both included; true is no number."""

    def look(value: object) -> Iterator[str]:
        if not isinstance(value, (int, float)) or isinstance(value, bool):
            yield f"must be a number{_between(low, high)}; {shown(value)} is not"
        elif not low <= value <= high:
            far = abs(value) > FAR
            yield (
                f"is too large to be meant: {shown(value)}"
                if far
                else (f"must be a number{_between(low, high)}; {shown(value)} is not")
            )

    return look


def whole(low: int = 0, high: int = 10**9) -> Shape:
    """Make the shape of a whole number."""

    def look(value: object) -> Iterator[str]:
        if not isinstance(value, int) or isinstance(value, bool) or not low <= value <= high:
            yield f"must be a whole number from {grouped(low)} to {grouped(high)}; {shown(value)} is not"

    return look


def text(most: int = TEXT_MOST) -> Shape:
    """Make the shape of a text that can be kept, of so many characters at most."""

    def look(value: object) -> Iterator[str]:
        if not isinstance(value, str):
            yield f"must be text; {shown(value)} is not"
        elif len(value) > most:
            yield f"has {grouped(len(value))} characters; up to {grouped(most)} can be kept"
        elif not keepable_text(value):
            yield "holds a character that can't be kept"

    return look


def flag(value: object) -> Iterator[str]:
    """Look at what must be true or false."""
    if not isinstance(value, bool):
        yield f"must be true or false; {shown(value)} is not"


def one_of(known: Collection[str]) -> Shape:
    """Make the shape of a word that is known."""

    def look(value: object) -> Iterator[str]:
        if not isinstance(value, str) or value not in known:
            words = ", ".join(str(word) or "nothing" for word in known)
            yield f"must be one of {words}; {shown(value)} is not"

    return look


def moment(value: object) -> Iterator[str]:
    """Look at what must be a moment with its offset from UTC, since 1900."""
    if not isinstance(value, datetime) or value.tzinfo is None:
        yield f"must be a time with its offset from UTC; {shown(value)} is not"
    elif value < EARLIEST:
        yield f"must lie after 1900; {value} does not"


def day(value: object) -> Iterator[str]:
    """Look at what must be a date without a time."""
    if not isinstance(value, date) or isinstance(value, datetime):
        yield f"must be a date; {shown(value)} is not"


def key(value: object) -> Iterator[str]:
    """Look at what must be a key, as text or as itself."""
    try:
        uuid.UUID(value) if isinstance(value, str) else uuid.UUID(value.hex)  # type: ignore[attr-defined]
    except (ValueError, AttributeError, TypeError):
        yield f"must be a key; {shown(value)} is not"


def jpeg(value: object) -> Iterator[str]:
    """Look at what must be a picture: a JPEG that can be opened, of a size that can be shown."""
    from PIL import Image  # imported late: few records hold one

    if not isinstance(value, bytes) or len(value) > MOST_BYTES:
        yield f"must be a picture of at most {MOST_BYTES // 1_000_000} MB"
        return
    try:
        with Image.open(io.BytesIO(value), formats=("JPEG",)) as picture:
            pixels = picture.width * picture.height
            picture.verify()
    except Exception:  # whatever a decoder stumbles over
        yield "must be a picture; this is no JPEG"
        return
    if pixels > MOST_PIXELS:
        yield f"has {grouped(pixels)} pixels; up to {grouped(MOST_PIXELS)} can be shown"


def nothing_or(shape: Shape) -> Shape:
    """Make the shape of what may be missing."""

    def look(value: object) -> Iterator[str]:
        if value is not None:
            yield from shape(value)

    return look


def both(first: Shape, second: Callable[[Any], Iterator[str]]) -> Shape:
    """Make the shape of what has two: the second is asked where the first finds nothing."""

    def look(value: object) -> Iterator[str]:
        wrong = [*first(value)]
        yield from wrong or second(value)

    return look


def pair(value: object) -> Iterator[str]:
    """Look at what must be two numbers, the lower first."""
    numbers = [*each(number(), least=2, most=2)(value)] == []
    if not numbers or not value[0] <= value[1]:  # type: ignore[index]
        yield f"must be two numbers, the lower first; {shown(value)} is not"


def each(shape: Shape, most: int = MOST_ITEMS, least: int = 0) -> Shape:
    """Make the shape of a list of so many items, each of which has a shape."""

    def look(value: object) -> Iterator[str]:
        if not isinstance(value, (list, tuple)):
            yield f"must be a list; {shown(value)} is not"
        elif len(value) > most:
            yield f"has {grouped(len(value))} items; up to {grouped(most)} can be kept"
        elif len(value) < least:
            yield f"must be a list of at least {least}; {shown(value)} is not"
        else:
            for number_, item in enumerate(value, 1):
                for words in shape(item):
                    yield f"{number_} {words}"

    return look


def fields(needed: Mapping[str, Shape], more: Mapping[str, Shape] | None = None, others: Shape | None = None) -> Shape:
    """Make the shape of an object: what it must have, what it may have besides, and what any other field is.

    Without ``others`` no other may be there.
    """
    known = {**needed, **(more or {})}

    def look(value: object) -> Iterator[str]:
        if not isinstance(value, Mapping):
            yield f"must be an object; {shown(value)} is not"
            return
        for name in needed:
            if name not in value:
                yield f"{name} is missing"
        for name, one in value.items():
            if (shape := known.get(name, others)) is None:
                yield f"{shown(name)} is not known"
            else:
                for words in shape(one):
                    yield f"{name} {words}"

    return look


def named(shape: Shape) -> Shape:
    """Make the shape of an object whose names are free, and each of whose values has a shape."""
    name_shape = text(120)

    def look(value: object) -> Iterator[str]:
        if not isinstance(value, Mapping):
            yield f"must be an object; {shown(value)} is not"
            return
        for name, one in value.items():
            for words in (*name_shape(name), *shape(one)):
                yield f"{shown(name)} {words}"

    return look


def anything(value: object) -> Iterator[str]:
    """Look at what may be any plain data, but bounded."""
    if isinstance(value, Mapping):
        yield from _ANY_NAMED(value)
    elif isinstance(value, (list, tuple)):
        yield from _ANY_EACH(value)
    elif isinstance(value, str):
        yield from _ANY_TEXT(value)
    elif not isinstance(value, bool) and value is not None:
        yield from _ANY_NUMBER(value)


_ANY_NAMED, _ANY_EACH, _ANY_TEXT, _ANY_NUMBER = named(anything), each(anything), text(), number()
"""Made once: whatever is kept as JSON is looked at by them, part by part."""


def read_by(reader: Callable[[Mapping[str, object]], object], shape: Shape = anything) -> Shape:
    """Make the shape of an object that a function of ours reads without stumbling."""

    def look(value: object) -> Iterator[str]:
        wrong = [*shape(value)]
        yield from wrong
        if wrong:
            return
        if not isinstance(value, Mapping):
            yield f"must be an object; {shown(value)} is not"
            return
        try:
            reader(value)
        except CoreError as error:
            yield f"can't be read: {str(error).rstrip('.')}"
        except UNREADABLE as error:
            yield f"can't be read: {shown(str(error))}"

    return look


def _between(low: float, high: float) -> str:
    if (low, high) == (-FAR, FAR):
        return ""
    return f" of {low:g} or more" if high == FAR else f" from {from_to(low, high)}"
