"""Breaks one line of the core at a time and shows which breaks no test notices.

``PYTHONPATH=src:. .venv/bin/python scripts/mutants.py [--count 60] [--seed 1] [--in core/settling] [--kind sign]
[--maps FOLDER]``.
A comparison is turned round, a bound let in or out, a sign or a constant changed, a raise removed, in a copy of the
tree; the tests of core and services that touch the line are run, quickest files first. Which those are is seen once,
in about ten minutes, and kept in the folder. The seed is printed; the same seed breaks the same lines.
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
from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from queue import Queue

from scripts.touched import Touched

ROOT = Path(__file__).parents[1]
WORKERS = 2
WANTED = 0.85
_NEAR = (
    ("tests/core", "tests/golden", "tests/reference", "src/brumel/core"),
    ("tests/services", "tests/devices", "tests/store"),
)  # fmt: skip
"""What may notice a break, seen by one worker each."""
_ALWAYS = ("tests/golden/test_golden_declared.py",)
"""What reads declarations, which no test runs: they ran at import."""
_TURNED = {ast.Lt: ">=", ast.LtE: ">", ast.Gt: "<=", ast.GtE: "<", ast.Eq: "!=", ast.NotEq: "=="}
_BOUNDS = {ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">"}
_SIGNS = {ast.Add: "-", ast.Sub: "+", ast.Mult: "/", ast.Div: "*"}


@dataclass(frozen=True)
class Mutant:
    """One change: where, what kind, and the text that takes the place of another."""

    path: Path
    statement: int
    """The line that its statement begins on."""
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

    def between(statement: int, left: ast.expr, right: ast.expr, kind: str, new: str) -> None:
        if left.end_lineno != right.lineno or left.end_lineno is None or left.end_col_offset is None:
            return
        line = left.end_lineno
        found.append(
            Mutant(
                path, statement, line, left.end_col_offset, right.col_offset, kind, f" {new} ", lines[line - 1].strip()
            )
        )

    for statement, node in _nodes(ast.parse(text), 1):
        if isinstance(node, ast.Compare):
            for (left, right), op in zip(pairwise([node.left, *node.comparators]), node.ops, strict=True):
                for kind, other in (("comparison", _TURNED), ("bound", _BOUNDS)):
                    if type(op) in other:
                        between(statement, left, right, kind, other[type(op)])
        elif isinstance(node, ast.BinOp) and type(node.op) in _SIGNS and not _is_text(node):
            between(statement, node.left, node.right, "sign", _SIGNS[type(node.op)])
        elif isinstance(node, ast.Constant) and type(node.value) in (int, float) and node.end_lineno == node.lineno:
            new = repr(node.value + 1 if isinstance(node.value, int) else node.value * 1.1 + 0.01)
            found.append(_whole(path, statement, node, "constant", new, lines))
        elif isinstance(node, ast.Raise) and node.end_lineno == node.lineno:
            found.append(_whole(path, statement, node, "removed raise", "pass", lines))
    # What an operator's text holds beyond the operator (a bracket) would not be Python any more.
    return [m for m in found if m.kind in {"constant", "removed raise"} or _only_operator(lines, m)]


def _nodes(node: ast.AST, statement: int) -> Iterator[tuple[int, ast.AST]]:
    for child in ast.iter_child_nodes(node):
        begins = child.lineno if isinstance(child, ast.stmt) else statement
        yield begins, child
        yield from _nodes(child, begins)


def _whole(path: Path, statement: int, node: ast.Constant | ast.Raise, kind: str, new: str, lines: list[str]) -> Mutant:
    was = lines[node.lineno - 1].strip()
    return Mutant(path, statement, node.lineno, node.col_offset, node.end_col_offset or 0, kind, new, was)


def _only_operator(lines: list[str], m: Mutant) -> bool:
    return not set(lines[m.line - 1].encode()[m.begin : m.end].decode()) & set("()[]{}#")


def _is_text(node: ast.BinOp) -> bool:
    return any(isinstance(n, ast.JoinedStr) or (isinstance(n, ast.Constant) and isinstance(n.value, str))
               for n in ast.walk(node))  # fmt: skip


def survives(mutant: Mutant, tree: Path, touched: Touched) -> bool:
    """Whether every test that touches the line passes with the change, in a copy of the tree."""
    relative = str(mutant.path.relative_to(ROOT))
    tests = touched.tests(relative, range(mutant.statement, mutant.line + 1))
    files: dict[str, float] = defaultdict(float, dict.fromkeys((*_ALWAYS, *_unknown(tree, touched)), 0.0))
    for test in tests:
        files[test.split("::")[0]] += touched.seconds[test]
    left_out = tree / "left-out"
    not_these = {t for t in touched.seconds.keys() - tests if t.split("::")[0] not in _ALWAYS}
    left_out.write_text("\n".join(not_these), encoding="utf-8")
    place = tree / relative
    original = place.read_text(encoding="utf-8")
    place.write_text(mutant.applied(original), encoding="utf-8")
    try:
        patience_s = 120.0 + 10.0 * sum(files.values())
        return _passes(tree, sorted(files, key=files.__getitem__), patience_s, TOUCHED_NOT=str(left_out))
    finally:
        place.write_text(original, encoding="utf-8")


def _unknown(tree: Path, touched: Touched) -> list[str]:
    """Files of tests that were written since the maps were made."""
    known = {test.split("::")[0] for test in touched.seconds}
    every = (
        str(file.relative_to(tree)) for near in _NEAR for folder in near for file in (tree / folder).glob("test_*.py")
    )
    return [file for file in every if file not in known]


def _passes(tree: Path, arguments: Sequence[str], patience_s: float | None = None, **environment: str) -> bool:
    command = [sys.executable, "-m", "pytest", "-x", "-q", "--no-header", "-p", "no:cacheprovider"]
    paths = {"PYTHONPATH": f"{tree}/src:{tree}", "PYTHONDONTWRITEBYTECODE": "1"}
    try:
        done = subprocess.run(
            [*command, "-p", "scripts.touched", *arguments], cwd=tree, env=os.environ | paths | environment,
            capture_output=True, timeout=patience_s, check=False,
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        print(f"never ended: {' '.join(arguments)}", flush=True)
        return False
    return done.returncode in (0, 5)


def maps(folder: Path, trees: Sequence[Path]) -> Touched:
    """Which tests touch which line; seen now where the folder does not hold it."""
    files = [folder / f"touched-{n}.json" for n in range(len(_NEAR))]
    if not all(file.exists() for file in files):
        folder.mkdir(parents=True, exist_ok=True)
        with ThreadPoolExecutor(WORKERS) as pool:
            seen = pool.map(lambda t, near, file: _passes(t, near, TOUCHED_INTO=str(file)), trees, _NEAR, files)
            if not all(seen):
                sys.exit("a test fails before anything is broken: run ./brumel test")
    return Touched.read(*files)


def main() -> None:
    """Draw the mutants, try them, print those that survive; exit 1 where too many do."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=60)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--in", dest="folder", default="core")
    parser.add_argument("--kind", help="only these: comparison, bound, sign, constant, removed raise")
    parser.add_argument("--maps", type=Path)
    given = parser.parse_args()
    paths = sorted((ROOT / "src/brumel" / given.folder).rglob("*.py"))
    every = [m for path in paths for m in mutants_of(path) if given.kind in (None, m.kind)]
    chosen = random.Random(given.seed).sample(every, min(given.count, len(every)))
    print(f"seed {given.seed}: {len(chosen)} of {len(every)} mutants in {given.folder}")
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(WORKERS) as pool:
        copies = [Path(folder) / str(number) for number in range(WORKERS)]
        free: Queue[Path] = Queue()
        for tree in copies:
            shutil.copytree(ROOT, tree, ignore=shutil.ignore_patterns(".git", ".venv", "__pycache__", ".*_cache"))
            free.put(tree)
        touched = maps((given.maps or Path(folder) / "maps").absolute(), copies)

        def tried(mutant: Mutant) -> bool:
            tree = free.get()
            try:
                return survives(mutant, tree, touched)
            finally:
                free.put(tree)

        tried_of, alive_of = Counter(m.kind for m in chosen), Counter[str]()
        for number, (mutant, survived) in enumerate(zip(chosen, pool.map(tried, chosen), strict=True), 1):
            alive_of[mutant.kind] += survived
            if survived:
                where = f"{mutant.path.relative_to(ROOT)}:{mutant.line}"
                print(f"{number} survives: {where} {mutant.kind} → {mutant.new.strip()}: {mutant.was}", flush=True)
    for kind, count in sorted(tried_of.items()):
        print(f"  {kind}: {count - alive_of[kind]} of {count}")
    caught = len(chosen) - alive_of.total()
    share = caught / len(chosen)
    print(f"{caught} of {len(chosen)} caught, {share:.0%}; wanted {WANTED:.0%}")
    sys.exit(share < WANTED)


if __name__ == "__main__":
    main()
