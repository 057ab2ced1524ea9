"""The catalogue: what each key says in a language. A key that it lacks stops whoever asks, with the key's name.

A text holds places ``{name:form}``. Forms of a place: ``n`` the number without symbol and unit, ``u`` the number with
its unit, ``name`` and ``symbol`` of the quantity; ``and``, ``or``, ``,`` and ``;`` join several; ``^`` begins a
sentence with it, ``_`` continues one; ``()`` brackets a number below zero. Two stand together: ``{labels:and^}``.
"""

from __future__ import annotations

import html
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from string import Formatter
from typing import Any

from brumel.core.errors import CoreError
from brumel.core.quantities.quantity import quantity
from brumel.core.said import Amount, Count, Day, Named, Of, Said, Value
from brumel.core.tables import read_once, table
from brumel.core.wording import day_words, grouped, lower_first, signed, upper_first

ENGLISH = "english"
_GROUPED = 10_000.0
_HYPHEN_BEFORE_NUMBER = re.compile(r"(?<![\w-])-(?=\d)")
_JOINED = {"and": " and ", "or": " or ", ",": ", ", ";": "; ", " ": " "}


@dataclass(frozen=True)
class Worded:
    """Words for people, made by the catalogue alone: shown and kept, never read by code."""

    text: str

    def __str__(self) -> str:
        return self.text

    def __bool__(self) -> bool:
        return bool(self.text)

    def __html__(self) -> str:
        return html.escape(self.text)


def word(said: Value, language: str = ENGLISH) -> Worded:
    """Word what is said in a language, or a value that stands by itself; nothing where nothing is said.

    Raises
    ------
    CoreError
        Where the language has no such key, or the text asks for a value that is not there.

    Examples
    --------
    >>> str(word(Said("deviation", {"at": "neutral 7.00", "each": ("rinse skipped", "cup shared"), "carried": None})))
    'Neutral 7.00: rinse skipped; cup shared.'
    """
    return Worded(_HYPHEN_BEFORE_NUMBER.sub("−", _Places(language).format_field(said, "")))


def share_words(key: str, of: str = "", language: str = ENGLISH) -> Worded:
    """Word what a contribution to an uncertainty is: what it is of where that names it, else by its key.

    Examples
    --------
    >>> str(share_words("left-over")), str(share_words("signal", "potential"))
    ('left of the approach', 'potential')
    """
    return Worded(of or _name("share", key, language))


def _name(of: str, key: str, language: str) -> str:
    try:
        return str(_names(language)[of][key])
    except KeyError:
        raise CoreError(f"The catalogue has no word for {key!r} of {of!r}.") from None


def keys(language: str = ENGLISH) -> frozenset[str]:
    """Return all keys that a language has."""
    return frozenset(_texts(language))


@read_once
def _texts(language: str) -> Mapping[str, str]:
    return {key: text for key, text in table("words", f"{language}.toml").items() if isinstance(text, str)}


@read_once
def _names(language: str) -> Mapping[str, Mapping[str, Any]]:
    found: Mapping[str, Mapping[str, Any]] = table("words", f"{language}.toml")["names"]
    return found


class _Places:
    """Puts values into a text, each as its form says."""

    def __init__(self, language: str) -> None:
        self._language = language

    def format_field(self, value: Any, format_spec: str) -> str:
        form, case = format_spec.rstrip("^_"), format_spec[-1:]
        words = self._words(value, form.removesuffix("()"))
        if form.endswith("()") and words.startswith(("-", "−")):
            return f"({words})"
        return upper_first(words) if case == "^" else lower_first(words) if case == "_" else words

    def _words(self, value: Value, form: str) -> str:
        if value is None:
            return ""
        if isinstance(value, str):
            return value
        if isinstance(value, Said):
            return self._text(value)
        if isinstance(value, Sequence):
            return _JOINED[form or "and"].join(self._words(v, "") for v in value)
        if isinstance(value, Named):
            return _name(value.table, value.key, self._language)
        if isinstance(value, Count):
            one, many = _names(self._language)["count"][value.of]
            return f"{value.value:g} {one if value.value == 1 else many}"
        if isinstance(value, Day):
            said_on = date.fromisoformat(value.said_on) if value.said_on else None
            return day_words(date.fromisoformat(value.on), said_on)
        return _amount(value, form) if isinstance(value, Amount) else _of(value, form)

    def _text(self, said: Said) -> str:
        texts = _texts(self._language)
        if said.key not in texts:
            raise CoreError(f"The catalogue has no words for {said.key!r}.")
        try:
            return "".join(
                literal if name is None else literal + self.format_field(said.values[name], form or "")
                for literal, name, form, _ in _parsed(texts[said.key])
            )
        except KeyError as missing:
            raise CoreError(f"What {said.key!r} says lacks {missing}.") from missing


@lru_cache(maxsize=2_000)
def _parsed(text: str) -> tuple[tuple[str, str | None, str | None, str | None], ...]:
    """Take a text apart once, for it is worded often."""
    return tuple(Formatter().parse(text))


def _amount(amount: Amount, form: str) -> str:
    if amount.digits is None:
        number = f"{amount.value:{'+' if amount.plus else ''}g}".replace("-", "−")
    elif not amount.digits and abs(amount.value) >= _GROUPED:
        number = ("+" if amount.plus and amount.value > 0 else "") + grouped(round(amount.value))
    else:
        number = signed(amount.value, amount.digits, plus=amount.plus)
    return f"{number} {amount.unit}" if amount.unit and form != "n" else number


def _of(value: Of, form: str) -> str:
    about = quantity(value.quantity)
    if form in ("name", "symbol"):
        return str(getattr(about, form))
    number = value.qualifier + (about.exact if value.exact else about.number)(value.value)
    if form == "n":
        return number
    return f"{number}{about.after}" if form == "u" else f"{about.symbol} {number}{about.after}"
