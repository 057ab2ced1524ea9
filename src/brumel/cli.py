"""The command line behind ``./brumel``."""

from __future__ import annotations

import asyncio
import logging
import sys
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import click

from brumel import __version__
from brumel.cli_calc import calc, settle
from brumel.cli_correct import correct
from brumel.cli_judge import judge
from brumel.settings import TABLE, Settings, SettingsError, read_settings

if TYPE_CHECKING:
    from brumel.services.people import People


class Refused(click.ClickException):
    """One line that says what to do."""

    def format_message(self) -> str:
        """Return the line itself."""
        return f"brumel: {self.message}"

    def show(self, file: object = None) -> None:
        """Print the line."""
        del file
        click.echo(self.format_message(), err=True)


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, message="brumel %(version)s")
@click.pass_context
def main(context: click.Context) -> None:
    """Calibrate water-quality probes, correct readings, say how far to trust them."""
    logging.basicConfig(format="%(name)s: %(message)s", level=logging.WARNING)
    try:
        context.obj = read_settings()
    except SettingsError as error:
        raise Refused(str(error)) from error


main.add_command(calc)
main.add_command(settle)
main.add_command(judge)
main.add_command(correct)


@main.command()
@click.option("--port", default=8000, show_default=True, help="port on 127.0.0.1")
@click.option("--fresh", is_flag=True, help="remove the demonstration's data and start over")
@click.option("--speed", default=1.0, show_default=True, help="simulated seconds a second on the bench")
@click.option("--days", default=365, show_default=True, type=click.IntRange(30, 365), help="how much work is invented")
@click.pass_obj
def demo(settings: Settings, port: int, fresh: bool, speed: float, days: int) -> None:
    """Start with a year of invented work and a simulated bench."""
    from brumel.launch.start import DemoOptions, demonstration, say

    with _refusals(), demonstration(settings, DemoOptions(port, fresh, speed, days=days)) as processes:
        processes.heed_signals()
        say(f"Hallow Reach is at {processes.address}/  (Ctrl-C stops everything)")
        processes.wait()
        say("stopping")


@main.command()
@click.option("--host", default="127.0.0.1", show_default=True, help="address to listen on")
@click.option("--port", default=8000, show_default=True)
@click.pass_obj
def serve(settings: Settings, host: str, port: int) -> None:
    """Start for real work, without demonstration data."""
    from brumel.launch.start import say, service

    with _refusals(), service(settings, host, port) as processes:
        processes.heed_signals()
        say(f"Brumel is at {processes.address}/  (Ctrl-C stops everything)")
        processes.wait()
        say("stopping")


@main.command()
@click.argument("url")
@click.pass_obj
def link(settings: Settings, url: str) -> None:
    """Read the probes on one line (serial port or socket://host:port) until stopped."""
    from brumel.services.live.link import LineTaken, Link
    from brumel.store.database import Database

    with _refusals():
        try:
            Link(Database(settings.database_url, pool_size=2), url).run()
        except LineTaken as error:
            raise Refused(str(error)) from error


@main.command("bench-server")
@click.option("--line", default="0", help="port of the SDI-12 line, or fd://N, a listening socket handed over")
@click.option("--control", default="0", help="the same for the control side")
@click.option("--speed", default=1.0, show_default=True)
def bench_server(line: str, control: str, speed: float) -> None:
    """Run the simulated bench alone."""
    from brumel.devices.simulation.bench import Bench, demo_probes, serve
    from brumel.launch.processes import taken_over

    with _refusals(), taken_over(line) as line_side, taken_over(control) as control_side:
        if line.isdigit():
            click.echo(f"brumel: the bench's line is socket://127.0.0.1:{line_side.getsockname()[1]}")
        try:
            asyncio.run(serve(Bench(demo_probes(), speed), line_side, control_side))
        except KeyboardInterrupt:
            sys.exit(0)


@main.command("web-server")
@click.option("--listen", required=True, help="port of loopback, or fd://N, a listening socket handed over")
@click.option("--demo", is_flag=True, help="with the one-click sign-in of the demonstration")
def web_server(listen: str, demo: bool) -> None:
    """Run one web server alone, over the database that the settings name."""
    from brumel.launch.processes import taken_over
    from brumel.launch.wsgi import serve_web

    with _refusals(), taken_over(listen) as listening:
        serve_web(listening, demo=demo)


@main.group()
def user() -> None:
    """People who can sign in."""


@user.command("add")
@click.argument("login")
@click.option("--name", prompt=True, help="the name that stands beside records")
@click.option("--role", type=click.Choice(["technician", "supervisor", "reader"]), prompt=True)
@click.option("--password", prompt=True, hide_input=True, confirmation_prompt=True)
@click.pass_obj
def user_add(settings: Settings, login: str, name: str, role: str, password: str) -> None:
    """Add a person to the database of ``serve``."""
    with _people(settings) as people:
        people.add(login, name, role, password)
        click.echo(f"brumel: {name} can sign in as {login}")


@user.command("password")
@click.argument("login")
@click.option("--password", prompt=True, hide_input=True, confirmation_prompt=True)
@click.pass_obj
def user_password(settings: Settings, login: str, password: str) -> None:
    """Give a person another password; whoever is signed in as them is signed out."""
    with _people(settings) as people:
        people.set_password(login, password)
        click.echo(f"brumel: {login} has a new password and is signed out everywhere")


@user.command("deactivate")
@click.argument("login")
@click.pass_obj
def user_deactivate(settings: Settings, login: str) -> None:
    """Let a person sign in no more; their records stay."""
    with _people(settings) as people:
        people.deactivate(login)
        click.echo(f"brumel: {login} can sign in no more and is signed out everywhere")


@contextmanager
def _people(settings: Settings) -> Iterator[People]:
    """The people of ``serve``, as the owner of the database: the application itself can't change them."""
    from brumel.launch.start import database_of
    from brumel.services.people import People
    from brumel.store.database import Database

    with _refusals(), database_of(settings, owner=True) as url:
        yield People(Database(url))


@main.command()
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--as", "login", metavar="LOGIN", help="who takes readings in; a TOML file needs nobody")
@click.pass_obj
def load(settings: Settings, file: Path, login: str | None) -> None:
    """Enter devices, probes, lots and sites from a TOML file, or readings from an exported JSON file, for ``serve``."""
    from brumel.core.outside_data import text_of
    from brumel.launch.start import acting_for, database_of
    from brumel.services.clock import Clock
    from brumel.services.ledger.exchange import Exchange
    from brumel.services.start.loading import Loading
    from brumel.store.database import Database

    readings = file.suffix == ".json"
    if readings and not login:
        raise Refused("Readings are taken in by somebody: say by whom, with --as LOGIN.")
    with _refusals(), database_of(settings) as url:
        database, clock = Database(url), Clock(settings.timezone, settings.now)
        words = text_of(file.read_bytes())
        if readings:
            with acting_for(settings, str(login), f"load {file.name}"):
                entered = Exchange(database, clock).take_in(words)
        else:
            entered = Loading(database, clock).load(words)
        click.echo("brumel: entered " + ", ".join(f"{n} {kind}" for kind, n in entered.items()))


@main.command()
def guide() -> None:
    """Print the guide as Markdown, as it stands in docs/guide.md."""
    from brumel.core.guide.guide import as_markdown, tasks

    click.echo(as_markdown(tasks(), "screenshots"), nl=False)


@main.group()
def db() -> None:
    """The database of ``serve``."""


@db.command("upgrade")
@click.pass_obj
def db_upgrade(settings: Settings) -> None:
    """Bring the schema to this version."""
    from brumel.launch.start import database_of

    with _refusals(), database_of(settings):
        click.echo("brumel: the schema is up to date")


@main.command("settings")
def show_settings() -> None:
    """List all settings: environment variable, default, meaning."""
    for name, (default, meaning) in TABLE.items():
        click.echo(f"{name:28} {default or '-':22} {meaning}")


def _refusals() -> ExitStack:
    """Turns what can be foreseen into one line; anything else keeps its trace."""
    stack = ExitStack()
    stack.push(_refuse)
    return stack


def _refuse(kind: type[BaseException] | None, error: BaseException | None, trace: object) -> bool:
    del kind, trace
    from sqlalchemy.exc import OperationalError

    from brumel.launch.loopback import LaunchError
    from brumel.services.errors import ServiceError
    from brumel.store.database import StoreError

    if isinstance(error, OperationalError):
        raise Refused("The database does not answer: is it running, and is BRUMEL_DATABASE_URL right?") from error
    if isinstance(error, LaunchError | StoreError | ServiceError):
        raise Refused(str(error)) from error
    if isinstance(error, OSError) and error.errno == 28:
        raise Refused("The disk is full: free some space and start again.") from error
    return False
