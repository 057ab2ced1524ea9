"""Documents: short enough to be read, links that lead somewhere, names that the code has."""

from __future__ import annotations

import re
import shlex
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
DOCUMENTS = sorted([ROOT / "README.md", *ROOT.glob("docs/**/*.md")])
MOST_WORDS = {"README.md": 800, "docs/architecture.md": 1500}
_COMMAND = re.compile(r"^    (\./brumel .*)$", re.MULTILINE)
_STARTED = ("./brumel demo", "./brumel serve", "./brumel test")
"""They run until they are stopped: tests/launch starts the first two; the third is what runs this."""
_LINK = re.compile(r"\]\(([^)\s]+)\)")
_MODULE = re.compile(r"`((?:src/brumel/)?[a-z_]+(?:/[a-z_0-9]+)+(?:\.(?:schema\.json|py|toml|js))?)(?:\.[a-zA-Z_.]+)?`")


def sections(document: Path) -> dict[str, str]:
    """Return what stands under each heading of a document, from there to its end, by the heading's anchor."""
    text = document.read_text(encoding="utf-8")
    return {
        re.sub(r"[^\w -]", "", found[1]).lower().replace(" ", "-"): text[found.end() :]
        for found in re.finditer(r"^#+ (.+)$", text, re.MULTILINE)
    }


def name(path: Path) -> str:
    return str(path.relative_to(ROOT))


@pytest.mark.parametrize(("document", "most"), MOST_WORDS.items())
def test_what_is_read_first_is_short(document: str, most: int) -> None:
    words = len((ROOT / document).read_text(encoding="utf-8").split())
    assert words <= most, f"{document} has {words} words"


@pytest.mark.parametrize("document", DOCUMENTS, ids=name)
def test_every_link_leads_somewhere(document: Path) -> None:
    links = [link for link in _LINK.findall(document.read_text(encoding="utf-8")) if "://" not in link]
    assert [link for link in links if not (document.parent / link.split("#")[0]).exists()] == []
    within = [link.split("#") for link in links if "#" in link]
    assert [link for link in within if link[1] not in sections(document.parent / link[0])] == []


ANSWERS = {
    "what is this": ("", "", "Brumel is for technicians"),
    "how is it started": ("try-it", "", "./brumel demo"),
    "where does a buffer's value come from": ("change-it", "docs/architecture.md#where-do-i-put-", "buffers.csv"),
    "where is a reading made": ("change-it", "docs/architecture.md#four-walks", "`readings/record`"),
    "where would a new kind of probe go": ("change-it", "docs/architecture.md#where-do-i-put-", "`kit/kinds.toml`"),
    "why is this guard here": ("change-it", "docs/decisions/guards.md", "without it"),
}
"""Of each question of somebody new: the README's heading to begin at, where its link leads, what answers it."""
TWO_MINUTES = 400
"""Words that are read in two minutes, slowly: 200 a minute (common practice)."""


@pytest.mark.parametrize("question", ANSWERS)
def test_somebody_new_finds_it_within_two_minutes(question: str) -> None:
    heading, link, answer = ANSWERS[question]
    readme = ROOT / "README.md"
    begins = sections(readme)[heading] if heading else readme.read_text(encoding="utf-8")
    passed = len(begins[: begins.index(f"({link})" if link else answer)].split())
    if link:
        path, _, anchor = link.partition("#")
        there = sections(ROOT / path)[anchor] if anchor else (ROOT / path).read_text(encoding="utf-8")
        passed += len(there[: there.index(answer)].split())
    print(f"{question}: {passed} words, {60 * passed / 200:.0f} s")  # noqa: T201 (seen with -s)
    assert passed <= TWO_MINUTES


def test_every_decision_is_listed() -> None:
    folder = ROOT / "docs/decisions"
    listed = set(_LINK.findall((folder / "README.md").read_text(encoding="utf-8")))
    assert listed == {path.name for path in folder.glob("*.md")} - {"README.md"}


@pytest.mark.parametrize("document", DOCUMENTS, ids=name)
def test_every_module_that_a_document_names_is_there(document: Path) -> None:
    """As the end of a path of the package, or a whole path beside it, with or without its ending."""
    package = ROOT / "src/brumel"
    known = [f"/{path.relative_to(package)}" for path in package.rglob("*") if "__pycache__" not in path.parts]
    bare = {*known, *(path.rsplit(".", 1)[0] for path in known if "." in path.rsplit("/", 1)[-1])}
    named = set(_MODULE.findall(document.read_text(encoding="utf-8")))
    assert len(named) > 25 or document.name != "architecture.md"
    inside = {module for module in named if any(path.endswith(f"/{module}") for path in bare)}
    assert {module for module in named - inside if not (ROOT / module).exists()} == set()


def test_no_line_of_a_template_or_a_style_is_longer_than_a_screen() -> None:
    web = ROOT / "src/brumel/web"
    long = [
        f"{name(path)}:{number}"
        for path in sorted([*web.rglob("*.html"), *web.glob("static/css/*.css")])
        for number, line in enumerate(path.read_text(encoding="utf-8").splitlines(), 1)
        if len(line) > 140
    ]
    assert long == []


def test_every_command_of_the_readme_does_what_it_is_there_for() -> None:
    """As it stands, from the folder in which the README stands."""
    commands = _COMMAND.findall((ROOT / "README.md").read_text(encoding="utf-8"))
    assert set(_STARTED) < set(commands)
    for command in commands:
        if command not in _STARTED:
            words = [sys.executable, "-m", "brumel", *shlex.split(command)[1:]]
            done = subprocess.run(words, cwd=ROOT, capture_output=True, text=True, check=False)
            assert done.returncode == 0, (command, done.stderr)
            assert done.stdout.strip()
