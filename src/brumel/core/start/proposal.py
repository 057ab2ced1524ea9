"""A first kit, shelf and list of sites, as rows that a person looks over and changes before anything is kept."""

from __future__ import annotations

import csv
import io
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from brumel.core.errors import CoreError
from brumel.core.kit.shelf import standards
from brumel.core.outside_data import listed, read_toml, shown
from brumel.core.quantities.redox import REFERENCES
from brumel.core.tables import table
from brumel.core.wording import plain_number

if TYPE_CHECKING:
    from brumel.core.rules import Rules

Row = Mapping[str, str]
"""What stands in a row, by field, as it is typed."""
FIELDS: Mapping[str, tuple[str, ...]] = {
    "sites": ("name", "code", "water_kind", "visit_every_days"),
    "meters": ("label", "serial", "kit", "in_service_on", "accuracy"),
    "probes": ("label", "kind", "serial", "kit", "meter", "reference", "in_service_on"),
    "instruments": ("label", "kind", "kit", "sees"),
    "lots": ("standard", "family", "nominal", "lot_number", "expires_on"),
}
"""The sections of a proposal, in the order in which they are entered, and the fields of their rows."""
MOST_ROWS = 60
_KIT = "Kit 1"


@dataclass(frozen=True)
class WorkChoice:
    """Something that a house may work with."""

    key: str
    name: str
    words: str


@dataclass(frozen=True)
class Proposal:
    """Rows by section, the rinse, and by principle the procedure that a run begins with."""

    rows: Mapping[str, Sequence[Row]]
    rinse: str
    methods: Mapping[str, str] = field(default_factory=dict)


def read_proposals() -> Mapping[str, Any]:
    """Read what houses begin with, as plain data."""
    return table("start", "proposals.toml")


def works(rules: Rules) -> list[WorkChoice]:
    """Return the waters that can be worked with."""
    return [WorkChoice(key, each["name"], each["words"]) for key, each in rules.proposals["work"].items()]


def gears(rules: Rules) -> list[WorkChoice]:
    """Return what can be read with."""
    return [WorkChoice(key, each["name"], each["words"]) for key, each in rules.proposals["gear"].items()]


def propose(work: Collection[str], gear: Collection[str], rules: Rules) -> Proposal:
    """Return what a house begins with that works with some waters and some gear.

    Examples
    --------
    >>> from brumel.core.shipped_rules import shipped
    >>> found = propose(["pools"], ["handheld"], shipped())
    >>> [row["kind"] for row in found.rows["probes"]], len(found.rows["lots"])
    (['ph-combination', 'orp'], 4)
    """
    data = rules.proposals
    sites = [site for key, each in data["work"].items() if key in work for site in each["sites"]]
    reads = {q for site in sites for q in rules.waters[site["water"]].reads}
    rows: dict[str, list[Row]] = {section: [] for section in FIELDS}
    rows["sites"] = [
        {
            "name": s["name"],
            "code": _code(s["name"]),
            "water_kind": s["water"],
            "visit_every_days": str(s["every_days"]),
        }
        for s in sites
    ]
    for key, each in data["gear"].items():
        if key in gear:
            _add(rows, each, reads, rules)
    principles = list(dict.fromkeys(rules.kinds[row["kind"]].principle for row in rows["probes"]))
    rows["lots"] = [_lot(s) for p in principles for s in data["standards"].get(p, ())]
    return Proposal(rows, data["rinse"], {p: data["methods"][p] for p in principles if p in data["methods"]})


def _add(rows: dict[str, list[Row]], gear: Mapping[str, Any], reads: Collection[str], rules: Rules) -> None:
    wanted = [probe for probe in gear.get("probes", ()) if probe["reads"] in reads]
    if wanted:
        rows["meters"].append({"label": gear["meter"], "kit": _KIT})
    for probe in wanted:
        own = {"reference": next(iter(REFERENCES))} if rules.kinds[probe["kind"]].own_reference else {}
        row = {"label": probe["label"], "kind": probe["kind"], "kit": _KIT, "meter": gear["meter"], **own}
        rows["probes"].append(row)
    sees = {q: ends for q, ends in gear.get("sees", {}).items() if q in reads}
    if sees:
        said = "; ".join(
            " ".join([q, plain_number(low), plain_number(high), *gives]) for q, (low, high, *gives) in sees.items()
        )
        rows["instruments"].append({"label": gear["label"], "kind": gear["instrument"], "kit": _KIT, "sees": said})


def _lot(entry: Mapping[str, Any]) -> Row:
    digits = standards()[entry["standard"]].decimals
    return {"standard": entry["standard"], "family": entry["family"], "nominal": f"{entry['nominal']:.{digits}f}"}


def _code(name: str) -> str:
    first, *rest = name.split()
    return (first[:4] + "".join(rest)).upper()


def read_file(text: str, rules: Rules) -> Proposal:
    """Return the rows of a TOML or CSV file; of CSV a column ``what`` names the section of each row.

    Raises
    ------
    CoreError
        Where it can't be read; one line.
    """
    found: dict[str, list[Row]] = {section: [] for section in FIELDS}
    for section, given in _rows_of(text):
        if section not in FIELDS:
            raise CoreError(f"{section!r} is none of {', '.join(FIELDS)}.")
        unknown = sorted(set(given) - set(FIELDS[section]))
        if unknown:
            raise CoreError(f"{section}: {listed(unknown)} is not known; known are {', '.join(FIELDS[section])}.")
        found[section].append({name: _plain(value) for name, value in given.items()})
    if not any(found.values()):
        raise CoreError("The file has no rows.")
    if any(len(rows) > MOST_ROWS for rows in found.values()):
        raise CoreError(f"At most {MOST_ROWS} rows of each are taken at once: enter more with ./brumel load.")
    kinds = rules.kinds
    principles = {kinds[row["kind"]].principle for row in found["probes"] if row.get("kind") in kinds}
    return Proposal(
        found, rules.proposals["rinse"], {p: m for p, m in rules.proposals["methods"].items() if p in principles}
    )


def _rows_of(text: str) -> Iterator[tuple[str, Mapping[str, Any]]]:
    if not text.lstrip().startswith(("[", "#")):
        yield from _of_csv(text)
        return
    for section, rows in read_toml(text).items():
        if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
            raise CoreError(f"{section} is not a list of tables: begin each with [[{section}]].")
        for row in rows:
            yield section, row


def _of_csv(text: str) -> Iterator[tuple[str, Mapping[str, Any]]]:
    first = text.split("\n", 1)[0]
    reader = csv.DictReader(io.StringIO(text), delimiter=max(",;\t", key=first.count))
    if "what" not in (reader.fieldnames or ()):
        raise CoreError("The first line of a CSV file names its columns; one is what: sites, meters, probes or lots.")
    try:
        for row in reader:
            if None in row:
                raise CoreError(f"Line {reader.line_num} has more cells than the first line has names.")
            what = (row["what"] or "").strip()
            yield what, {k: v.strip() for k, v in row.items() if k != "what" and v and v.strip()}
    except csv.Error as error:
        raise CoreError(f"Line {reader.line_num + 1} can't be read: {error}.") from error


def _plain(value: Any) -> str:
    if isinstance(value, bool | list | dict):
        raise CoreError(f"{shown(value)} is no text and no number.")
    return plain_number(value) if isinstance(value, float) else str(value)
