"""The catalogue: every form of a place, what is refused, and that what the code says and what it words are one."""

from __future__ import annotations

import ast
import json
from collections.abc import Iterator
from pathlib import Path
from string import Formatter

import pytest

from brumel.core.errors import CoreError
from brumel.core.said import Amount, Count, Day, Named, Of, Said, Value, says, verbatim
from brumel.core.words import catalogue
from brumel.core.words.catalogue import keys, share_words, word

SOURCE = Path(__file__).parents[2] / "src/brumel"


@pytest.mark.parametrize(
    ("value", "words"),
    [
        (Amount(-3.14159, "mV", 1), "−3.1 mV"), (Amount(3.0, "mV", 0, plus=True), "+3 mV"), (Amount(0.25), "0.25"),
        (Amount(12_880.4, "µS/cm", 0, plus=True), "+12\u202f880 µS/cm"), (Amount(-0.5, "%", plus=True), "−0.5 %"),
        (Of("ph", 7.4), "pH 7.40"), (Of("free-chlorine", 0.02, "<"), "free Cl₂ <0.02 mg/L"),
        (Of("turbidity", 0.02, exact=True), "turbidity 0.02 NTU"), (Count(1, "day"), "1 day"),
        (Count(2, "day"), "2 days"),
        (Day("2026-11-03", "2026-11-23"), "Tue 3 Nov"), (Day("2027-01-04", "2026-11-23"), "Mon 4 Jan 2027"),
        (Named("level", "unfit"), "unfit"), (None, ""), ("as typed", "as typed"), (("a", "b"), "a and b"),
        (verbatim("5 to -3 mV"), "5 to −3 mV"), (verbatim(""), ""),
    ],
)  # fmt: skip
def test_a_value_is_worded(value: Value, words: str) -> None:
    assert str(word(value)) == words


@pytest.mark.parametrize(
    ("said", "words"),
    [
        (says("from-to", low=Amount(1.0, "mV", 1), high=Amount(2.0, "mV", 1)), "1.0 to 2.0 mV"),
        (says("pair-temperatures", high="high", high_at=Amount(8, "°C"), low="low", low_at=Amount(9, "°C"),
              within=Amount(0.5, "°C")), "High had 8 °C, low 9 °C: a pair is sound within 0.5 °C."),
        (says("stopgap-storage.then", good=("storage solution", "KCl")),
         "Keep it in storage solution or KCl as soon as there is some."),
        (says("changed.coefficient", name="zero", by=Amount(0.0, "µS", 0, plus=True)), "the zero changed by 0 µS"),
        (says("site-range", value=Of("ph", 9.0), low=Of("ph", 6.5), high=Of("orp", 700)),
         "pH 9.00 lies outside what this site is expected to show, 6.50 to 700 mV."),
    ],
)  # fmt: skip
def test_a_sentence_is_worded_with_its_forms(said: Said, words: str) -> None:
    assert str(word(said)) == words
    assert str(word(Said.of(json.loads(json.dumps(said.plain))))) == words, "as a record keeps it"


def test_what_the_catalogue_lacks_is_named() -> None:
    with pytest.raises(CoreError, match="The catalogue has no words for 'nothing-so'"):
        word(says("nothing-so"))
    with pytest.raises(CoreError, match="What 'residual' says lacks 'off'"):
        word(says("residual", at="neutral"))
    with pytest.raises(CoreError, match="The catalogue has no word for 'good' of 'level'"):
        word(Named("level", "good"))
    with pytest.raises(CoreError, match="has no word for 'luck' of 'share'"):
        share_words("luck")


def test_worded_text_is_no_str_and_is_escaped_where_it_is_shown() -> None:
    shown = word("<0.02 & more")
    assert not isinstance(shown, str)
    assert shown.__html__() == "&lt;0.02 &amp; more"


def said_in_the_code() -> Iterator[tuple[str, str, set[str] | None]]:
    """Yield where, which key, and the values given; None where some come from elsewhere."""
    for path in sorted(SOURCE.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if not (isinstance(node, ast.Call) and ast.unparse(node.func) == "says" and node.args):
                continue
            first, names = node.args[0], {k.arg for k in node.keywords}
            given = None if None in names else {str(n) for n in names}
            options = [first.body, first.orelse] if isinstance(first, ast.IfExp) else [first]
            for option in options:
                if isinstance(option, ast.Constant):
                    yield f"{path.relative_to(SOURCE)}:{node.lineno}", str(option.value), given


def places(text: str) -> set[str]:
    return {name for _, name, _, _ in Formatter().parse(text) if name}


def test_what_the_code_says_the_catalogue_words_and_nothing_else() -> None:
    """A key that is missing, a place that nobody fills, a value that no place shows."""
    texts = catalogue._texts("english")
    used = set()
    for where, key, given in said_in_the_code():
        assert key in texts or key.endswith("…"), f"{where} says {key!r}, which the catalogue lacks"
        if key in texts:
            used.add(key)
            assert given is None or places(texts[key]) == given, f"{where}: {key!r}"
    tables = (path for path in SOURCE.rglob("*.toml") if path.parent.name != "words")
    text = "".join(path.read_text(encoding="utf-8") for path in (*SOURCE.rglob("*.py"), *tables))
    unsaid = {key for key in keys() - used if f'"{key}"' not in text and not _built(key)}
    assert not unsaid


def _built(key: str) -> bool:
    """Tell a key that is put together where it is said: of a code and a side, or a code and what is to be done."""
    return key.endswith((".then", ".when")) or key.split(".")[0] in {"membrane", "luminescence", "settling", "way"}
