"""Who writes a refusal writes the test that brings it about: each stands in some test, in its words."""

from __future__ import annotations

import ast
import gc
import re
from collections.abc import Iterator
from pathlib import Path

SOURCE, TESTS = Path(__file__).parents[2] / "src/brumel", Path(__file__).parents[1]
_LEAST = 14
"""A piece of a sentence with fewer characters names it too loosely."""
MISTAKES = {"a method of the demonstration adjusts to no point", "the plan does not hold: "}
"""What only a mistake of ours could bring about."""


def parsed(path: Path) -> ast.AST:
    """A file's syntax tree. Python 3.11 can't build one while a finalizer prints a trace, which builds another."""
    gc.disable()
    try:
        return ast.parse(path.read_text(encoding="utf-8"))
    finally:
        gc.enable()


def pieces(node: ast.AST) -> list[str]:
    """The parts of a refusal that stand as they are, without spaces at their ends."""
    texts = [n.value.strip() for n in ast.walk(node) if isinstance(n, ast.Constant) and isinstance(n.value, str)]
    return [t for t in texts if len(t) >= _LEAST and " " in t]


def refusals() -> Iterator[tuple[str, list[str]]]:
    """Each raise, and each entry of what is wrong with a form, with its place and its words."""
    for path in sorted(SOURCE.rglob("*.py")):
        for node in ast.walk(parsed(path)):
            if isinstance(node, ast.Raise) and node.exc is not None:
                said: ast.AST = node.exc
            elif isinstance(node, ast.Assign) and re.match(r"wrong\[|errors\[", ast.unparse(node.targets[0])):
                said = node.value
            else:
                continue
            if found := pieces(said):
                yield f"{path.relative_to(SOURCE)}:{node.lineno}", found


def test_every_refusal_is_named_in_a_test() -> None:
    """Any run of so many characters of it stands in some test; who writes a refusal writes what brings it about."""
    known = "".join(
        (n.value if isinstance(n.value, str) else n.value.decode("utf-8", "replace")) + "\0"
        for path in TESTS.rglob("*.py")
        for n in ast.walk(parsed(path))
        if isinstance(n, ast.Constant) and isinstance(n.value, str | bytes)
    ) + "".join(path.read_text(encoding="utf-8") for path in TESTS.rglob("*.txt"))  # fmt: skip

    def named(piece: str) -> bool:
        return any(piece[at : at + _LEAST] in known for at in range(len(piece) - _LEAST + 1))

    unnamed = [
        (where, said) for where, said in refusals()
        if not any(named(piece) for piece in said) and not MISTAKES.intersection(said)
    ]  # fmt: skip
    assert unnamed == [], unnamed
