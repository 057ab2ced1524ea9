"""Breaks one line of the core at a time and shows which breaks no test notices.

``.venv/bin/python scripts/mutants.py [--count 60] [--seed 1] [--in core/settling]``. A comparison, a sign, a bound, a
constant or a raise is changed in a copy of the tree; what the tests of its surroundings let pass goes to those of the
services. The seed is printed; the same seed breaks the same lines.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).parents[1]
WORKERS = 2
ENDLESS_S = 2_400
"""Longer than any stage takes beside another: only a break that never ends is caught by it."""
WANTED = 0.85
_SWAPS = {ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">", ast.Eq: "!=", ast.NotEq: "=="}
_SIGNS = {ast.Add: "-", ast.Sub: "+", ast.Mult: "/", ast.Div: "*"}
_SETTLING = (
    "tests/core/test_pinned_numbers.py", "tests/core/test_settling.py", "tests/core/test_calibration.py",
    "tests/services/test_settle.py",
)  # fmt: skip


@dataclass(frozen=True)
class Mutant:
    """One change: where, what kind, and the text that takes the place of another."""

    path: Path
    line: int
    begin: int
    end: int
    kind: str
    new: str
    was: str
    """The line as it stands."""

    def applied(self, text: str) -> str:
        """The module's text with the change."""
        lines = text.splitlines(keepends=True)
        raw = lines[self.line - 1].encode()
        lines[self.line - 1] = (raw[: self.begin] + self.new.encode() + raw[self.end :]).decode()
        return "".join(lines)


def mutants_of(path: Path) -> list[Mutant]:
    """All changes of a module that its tests ought to notice."""
    text = path.read_text(encoding="utf-8")
    lines = text.splitlines()
    found: list[Mutant] = []

    def between(left: ast.expr, right: ast.expr, kind: str, new: str) -> None:
        if left.end_lineno != right.lineno or left.end_lineno is None or left.end_col_offset is None:
            return
        line = left.end_lineno
        found.append(
            Mutant(path, line, left.end_col_offset, right.col_offset, kind, f" {new} ", lines[line - 1].strip())
        )

    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in _SWAPS:
            between(node.left, node.comparators[0], "comparison", _SWAPS[type(node.ops[0])])
        elif isinstance(node, ast.BinOp) and type(node.op) in _SIGNS and not _is_text(node):
            between(node.left, node.right, "sign", _SIGNS[type(node.op)])
        elif isinstance(node, ast.Constant) and type(node.value) in (int, float) and node.end_lineno == node.lineno:
            new = repr(node.value + 1 if isinstance(node.value, int) else node.value * 1.1 + 0.01)
            found.append(_whole(path, node, "constant", new, lines))
        elif isinstance(node, ast.Raise) and node.end_lineno == node.lineno:
            found.append(_whole(path, node, "removed raise", "pass", lines))
    # What an operator's text holds beyond the operator (a bracket) would not be Python any more.
    return [m for m in found if m.kind in {"constant", "removed raise"} or _only_operator(lines, m)]


def _whole(path: Path, node: ast.Constant | ast.Raise, kind: str, new: str, lines: list[str]) -> Mutant:
    was = lines[node.lineno - 1].strip()
    return Mutant(path, node.lineno, node.col_offset, node.end_col_offset or 0, kind, new, was)


def _only_operator(lines: list[str], m: Mutant) -> bool:
    return not set(lines[m.line - 1].encode()[m.begin : m.end].decode()) & set("()[]{}#")


def _is_text(node: ast.BinOp) -> bool:
    return any(isinstance(n, ast.JoinedStr) or (isinstance(n, ast.Constant) and isinstance(n.value, str))
               for n in ast.walk(node))  # fmt: skip


def survives(mutant: Mutant, tree: Path) -> bool:
    """Whether every test passes with the change, in a copy of the tree."""
    relative = mutant.path.relative_to(ROOT)
    place = tree / relative
    original = place.read_text(encoding="utf-8")
    place.write_text(mutant.applied(original), encoding="utf-8")
    try:
        return all(_passes(tree, stage) for stage in _stages(relative))
    finally:
        place.write_text(original, encoding="utf-8")


def _stages(relative: Path) -> list[list[str]]:
    if "settling" in relative.parts:
        return [["--doctest-modules", str(relative)], list(_SETTLING)]
    core = ["tests/core", "tests/reference", "tests/services/test_reckon.py", "tests/services/test_reckon_warnings.py"]
    near = [*core, "--deselect", "tests/core/test_settling.py"]
    first = ["--doctest-modules", str(relative), "tests/core/test_pinned_numbers.py", "tests/core/test_pinned_ph.py"]
    return [first, near, ["tests/services", "tests/devices"]]


def _passes(tree: Path, arguments: list[str]) -> bool:
    command = [sys.executable, "-m", "pytest", "-x", "-q", "--no-header", "-p", "no:cacheprovider", *arguments]
    environment = os.environ | {"PYTHONPATH": f"{tree}/src:{tree}", "PYTHONDONTWRITEBYTECODE": "1"}
    try:
        done = subprocess.run(command, cwd=tree, env=environment, capture_output=True, timeout=ENDLESS_S, check=False)
    except subprocess.TimeoutExpired:
        print(f"never ended: {' '.join(arguments)}", flush=True)
        return False
    return done.returncode in (0, 5)


def main() -> None:
    """Draw the mutants, try them, print those that survive; exit 1 where too many do."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=60)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--in", dest="folder", default="core")
    given = parser.parse_args()
    paths = sorted((ROOT / "src/brumel" / given.folder).rglob("*.py"))
    every = [m for path in paths for m in mutants_of(path)]
    chosen = random.Random(given.seed).sample(every, min(given.count, len(every)))
    print(f"seed {given.seed}: {len(chosen)} of {len(every)} mutants in {given.folder}")
    trees: Queue[Path] = Queue()
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(WORKERS) as pool:
        for number in range(WORKERS):
            tree = Path(folder) / str(number)
            shutil.copytree(ROOT, tree, ignore=shutil.ignore_patterns(".git", ".venv", "__pycache__", ".*_cache"))
            trees.put(tree)

        def tried(mutant: Mutant) -> bool:
            tree = trees.get()
            try:
                return survives(mutant, tree)
            finally:
                trees.put(tree)

        alive = 0
        for mutant, survived in zip(chosen, pool.map(tried, chosen), strict=True):
            alive += survived
            if survived:
                where = f"{mutant.path.relative_to(ROOT)}:{mutant.line}"
                print(f"survives: {where} {mutant.kind} → {mutant.new.strip()}: {mutant.was}", flush=True)
    share = 1 - alive / len(chosen)
    print(f"{len(chosen) - alive} of {len(chosen)} caught, {share:.0%}; wanted {WANTED:.0%}")
    sys.exit(share < WANTED)


if __name__ == "__main__":
    main()
