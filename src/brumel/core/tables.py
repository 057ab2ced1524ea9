"""The tables of the trade as data: those that ship, and folders of a house's own that add to them."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import Any, ParamSpec, TypeVar, cast

_Read = TypeVar("_Read")
_Given = ParamSpec("_Given")
_added: list[Path] = []
_kept: list[Callable[[], None]] = []


def read_once(reader: Callable[_Given, _Read]) -> Callable[_Given, _Read]:
    """Read a table once, and again after a folder has been added."""
    cached = cache(reader)
    _kept.append(cached.cache_clear)
    return cast(Callable[_Given, _Read], cached)


def table(package: str, name: str) -> dict[str, Any]:
    """Return a table of TOML: the shipped one of a package of the core, and what added folders hold under its name.

    An entry of an added folder takes the place of a shipped one of its key.
    """
    found = tomllib.loads(files(f"brumel.core.{package}").joinpath(name).read_text(encoding="utf-8"))
    for folder in _added:
        if (path := folder / name).is_file():
            found |= tomllib.loads(path.read_text(encoding="utf-8"))
    return found


def tables_in(package: str, folder: str) -> Iterator[dict[str, Any]]:
    """Yield every table of a folder, by name of its file: the shipped ones, then those of added folders."""
    shipped = files(f"brumel.core.{package}").joinpath(folder)
    for file in sorted((f for f in shipped.iterdir() if f.name.endswith(".toml")), key=lambda f: f.name):
        yield tomllib.loads(file.read_text(encoding="utf-8"))
    for added in _added:
        for path in sorted((added / folder).glob("*.toml")):
            yield tomllib.loads(path.read_text(encoding="utf-8"))


@contextmanager
def added(folder: Path) -> Iterator[None]:
    """Within the context a folder's tables add to the shipped ones."""
    _added.append(folder)
    _reread()
    try:
        yield
    finally:
        _added.remove(folder)
        _reread()


def _reread() -> None:
    for clear in _kept:
        clear()
