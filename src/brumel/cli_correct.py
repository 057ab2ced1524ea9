"""``brumel correct``: a series corrected for what its checks found, without a database."""

from __future__ import annotations

import json
from pathlib import Path

import click

from brumel.cli_calc import opened, refuse, spare


@click.command()
@click.argument("file", metavar="SERIES.csv|-")
@click.option("--checks", required=True, metavar="CHECKS.json", help="what was found before, after and in standards")
@click.option("--json", "as_json", is_flag=True, help="print what was found as one JSON object, not the series")
@click.option("--out", type=click.Path(dir_okay=False, path_type=Path), help="where to write the series")
def correct(file: str, checks: str, as_json: bool, out: Path | None) -> None:
    """Correct a series, CSV with time and value, in proportion to time for the dirt and drift of its checks."""
    from brumel.services.errors import InvalidInput
    from brumel.services.reckon.correct import correct, read_checks, series_text

    if out is not None:
        spare(file, out)
    try:
        with opened(checks) as source:
            between = read_checks(source.read())
        with opened(file) as source:
            found = correct(source, between)
    except InvalidInput as wrong:
        refuse(f"brumel: {wrong}")
    if out is not None:
        out.write_text(series_text(found), encoding="utf-8")
    if as_json:
        click.echo(json.dumps(found.plain, ensure_ascii=False))
    elif out is None:
        click.echo(series_text(found), nl=False)
    click.echo(f"brumel: {found.sentence}", err=True)
