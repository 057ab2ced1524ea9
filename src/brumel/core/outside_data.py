"""Plain data from outside (JSON, TOML): one reading of it, in which nothing is doubled, too deep or too large.

What comes out holds texts that can be kept and shown, whole numbers that fit into 64 bits, numbers that are finite,
and no object that says one key twice.
"""

from __future__ import annotations

import json
import re
import tomllib
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any, NoReturn

from brumel.core.errors import CoreError

DEEPEST = 40
"""More levels of lists and objects than any file of ours has."""
_DIGITS = 18
"""As many as surely fit into 64 bits."""
_FAR = 10**_DIGITS
_SHOWN, _LISTED = 60, 10
_NOT_KEEPABLE = re.compile("[\0\ud800-\udfff]")


class UnreadableText(CoreError):
    """A text that is no JSON or TOML, or holds what can't be kept; one sentence that names the place."""


class DoubledKey(UnreadableText):
    """A key stands twice in a JSON object: which of the two was meant?"""


def read_json(text: str | bytes, what: str = "The file") -> Any:
    """Read JSON from outside; ``what`` it is, as a sentence begins.

    Raises
    ------
    UnreadableText
        Where it is no JSON, or holds what can't be kept.

    Examples
    --------
    >>> read_json('{"value": 7.02}')
    {'value': 7.02}
    >>> read_json('{"value": 1, "value": 2}')
    Traceback (most recent call last):
    brumel.core.outside_data.DoubledKey: value is given twice: give it once.
    """

    def parse() -> Any:
        return json.loads(text, object_pairs_hook=_once, parse_int=_whole, parse_constant=_no_number)

    return _keepable(_parsed(parse, f"{what} is not JSON", what), what)


def read_toml(text: str, what: str = "The file") -> dict[str, Any]:
    """Read TOML from outside; ``what`` it is, as a sentence begins.

    Raises
    ------
    UnreadableText
        Where it is no TOML, or holds what can't be kept.
    """
    return dict(_keepable(_parsed(lambda: tomllib.loads(text), f"{what} is not TOML", what), what))


def text_of(data: bytes, what: str = "The file") -> str:
    """Read the text of a file, in UTF-8 with or without its mark.

    Raises
    ------
    UnreadableText
        Where it is none.
    """
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise UnreadableText(f"{what} is no text in UTF-8.") from None


def shown(value: object) -> str:
    """Return a value as a sentence shows it: no longer than a line has room for."""
    text = "true" if value is True else "false" if value is False else "nothing" if value is None else repr(value)
    return _cut(text)


def listed(names: Iterable[str]) -> str:
    """Return names from outside as a sentence lists them: the first ten, none longer than a line has room for.

    Examples
    --------
    >>> listed(["pond", "x" * 99])[:30], listed(map(str, range(12)))
    ('pond, xxxxxxxxxxxxxxxxxxxxxxxx', '0, 1, 2, 3, 4, 5, 6, 7, 8, 9 and 2 more')
    """
    found = [_cut(name) for name in names]
    more = f" and {len(found) - _LISTED} more" if len(found) > _LISTED else ""
    return ", ".join(found[:_LISTED]) + more


def _cut(text: str) -> str:
    return text if len(text) <= _SHOWN else f"{text[: _SHOWN - 1]}…"


def keepable_text(text: str) -> bool:
    """Return whether a text can be kept and shown: the database holds no NUL, UTF-8 no half of a character."""
    return _NOT_KEEPABLE.search(text) is None


def _parsed(parse: Callable[[], Any], refusal: str, what: str) -> Any:
    """Return what a parser makes of a text; whatever it stumbles over is one sentence."""
    try:
        return parse()
    except RecursionError:
        raise UnreadableText(f"{what} is nested deeper than {DEEPEST} levels.") from None
    except UnreadableText:
        raise
    except ValueError as error:
        raise UnreadableText(f"{refusal}: {error}.") from error


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        keys = [key for key, _ in pairs]
        raise DoubledKey(f"{shown(next(k for k in keys if keys.count(k) > 1))[1:-1]} is given twice: give it once.")
    return found


def _whole(digits: str) -> int:
    if len(digits.lstrip("-")) > _DIGITS:
        raise UnreadableText(f"{digits[:12]}… has {len(digits.lstrip('-'))} digits: too large to be meant.")
    return int(digits)


def _no_number(name: str) -> NoReturn:
    raise UnreadableText(f"{name} is no number.")


def _keepable(data: Any, what: str) -> Any:
    """Return plain data as they are; refuse what can't be kept, with its place."""
    waiting: list[tuple[tuple[str | int, ...], Any]] = [((), data)]
    while waiting:
        place, value = waiting.pop()
        if len(place) > DEEPEST:
            raise UnreadableText(f"{_place(place[:4])}… is nested deeper than {DEEPEST} levels.")
        if isinstance(value, int | float) and not abs(value) < _FAR:
            raise UnreadableText(f"{_place(place) or what} is too large to be meant.")
        if isinstance(value, str) and not keepable_text(value):
            raise UnreadableText(f"{_place(place) or what} holds a character that can't be kept.")
        for key, one in _inside(value):
            if isinstance(key, str) and not keepable_text(key):
                raise UnreadableText(f"{_place(place) or what} has a name with a character that can't be kept.")
            waiting.append(((*place, key), one))
    return data


def _inside(value: Any) -> Iterator[tuple[str | int, Any]]:
    if isinstance(value, Mapping):
        yield from value.items()
    elif isinstance(value, list):
        yield from enumerate(value, 1)


def _place(place: tuple[str | int, ...]) -> str:
    """Return a place as a sentence names it: ``records.reading[3].value``."""
    parts = (f"[{part}]" if isinstance(part, int) else f".{part[:_SHOWN]}" for part in place)
    return "".join(parts).removeprefix(".")
