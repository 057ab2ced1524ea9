"""The two ways to start: the demonstration, and real work."""

from __future__ import annotations

import fcntl
import os
import socket
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta
from ipaddress import ip_address
from pathlib import Path
from typing import IO

from brumel import demo
from brumel.demo.truths import DAYS
from brumel.launch.account import account, bare
from brumel.launch.cluster import APPLICATION, OWNER, Cluster
from brumel.launch.loopback import HOST, LaunchError
from brumel.launch.processes import Processes, claim, handed_over, python, wait_until_served
from brumel.services.acts import acts_as
from brumel.services.clock import Clock
from brumel.services.people import People
from brumel.services.start.first_person import FirstPerson, invite
from brumel.settings import Settings, notes_of
from brumel.store import schema
from brumel.store.database import Database, StoreError
from brumel.store.models.reference import Device

SERVERS = 2
_A_COMMAND = timedelta(hours=1)
"""A command that records is done by then."""
_PATIENCE_S = 12.0
"""So long what a start that was cut off left behind may take to end."""


@dataclass(frozen=True)
class DemoOptions:
    """How to start the demonstration."""

    port: int = 8000
    fresh: bool = False
    speed: float = 1.0
    servers: int = SERVERS
    """How many processes answer."""
    days: int = DAYS
    """How far back its work goes, where it is made anew."""


ONE_USER = (
    "who serves is who owns: whoever breaks into the web server can read the owner's secrets. Start it as root, "
    "or point BRUMEL_DATABASE_URL to a database of somebody else's."
)


def say(words: str) -> None:
    """A line for whoever started us."""
    print(f"brumel: {words}", flush=True)  # noqa: T201


@contextmanager
def demonstration(settings: Settings, options: DemoOptions) -> Iterator[Processes]:
    """Everything that the demonstration consists of, running; stopped at the end, come what may."""
    cluster = Cluster(settings.data / "demo")
    with (
        _only_one(cluster.folder) as patience_s,
        claim(HOST, options.port, patience_s) as claimed,
        claim(HOST, 0) as line,
        claim(HOST, 0) as control,
    ):
        if options.fresh:
            say("starting over: the demonstration's data are removed")
            cluster.remove()
        port = claimed.getsockname()[1]
        processes = Processes({}, f"http://{HOST}:{port}", say, notes=notes_of(settings, demo=True))
        try:
            cluster.serve_with(processes)
            schema.upgrade(cluster.url(OWNER), APPLICATION)
            database = Database(cluster.url(OWNER), pool_size=2)  # who else could add people
            clock = Clock(settings.timezone, settings.now)
            if not demo.loaded(database):
                demo.load(database, clock.now(), clock, say, options.days)
            ports = demo.BenchPorts(line.getsockname()[1], control.getsockname()[1], options.speed)
            demo.plug_in(database, ports)
            database.close()
            serves = account(settings.user)
            processes.environment = _environment(settings, cluster.url(), cluster.secret("session"), serves)
            bench = python(
                "-m", "brumel", "bench-server", "--line", handed_over(line), "--control", handed_over(control),
                "--speed", str(options.speed),
            )  # fmt: skip
            processes.start(
                "simulated bench", *bench, inherits=(line.fileno(), control.fileno()), account=serves,
                environment=_without(processes.environment, "BRUMEL_DATABASE_URL", "BRUMEL_SECRET_KEY"),
            )  # fmt: skip
            _read(processes, "link", f"socket://{HOST}:{ports.line}", serves)
            _serve(processes, claimed, HOST, account=serves, demo=True, servers=options.servers)
            yield processes
        finally:
            processes.stop()


@contextmanager
def service(settings: Settings, host: str, port: int) -> Iterator[Processes]:
    """The application for real work, without demonstration data."""
    if not ip_address(host).is_loopback and not (settings.database_url and settings.proxy_hops):
        raise LaunchError(
            "Another address than loopback needs a TLS proxy in front (BRUMEL_PROXY_HOPS) and a PostgreSQL of your "
            "own (BRUMEL_DATABASE_URL)."
        )
    processes = Processes({}, say=say, notes=notes_of(settings, demo=False))
    with _served(settings, processes) as (url, owner, secret, patience_s), claim(host, port, patience_s) as claimed:
        database = Database(url, pool_size=1)
        with database.session() as session:
            lines = sorted({d.url for d in session.query(Device)})
        awaited = FirstPerson(database).awaited()
        database.close()
        serves = account(settings.user)
        processes.environment = _environment(settings, url, secret, serves)
        processes.address = f"http://{host}:{claimed.getsockname()[1]}"
        for line in lines:
            _read(processes, f"link to {line}", line, serves)
        _serve(processes, claimed, host, account=serves)
        if owner and not serves:
            say(ONE_USER)
        if awaited and not owner:
            say("nobody can sign in yet: ./brumel user add needs BRUMEL_DATABASE_OWNER_URL")
        elif awaited and (key := _invitation(owner)):
            say(f"nobody can sign in yet: within the hour, open {processes.address}/first/{key}")
        yield processes


def _invitation(owner_url: str) -> str | None:
    """Return the key by which the first person comes in, as only the owner gives it; None where there is somebody."""
    database = Database(owner_url, pool_size=1)
    try:
        return invite(database)
    finally:
        database.close()


def _read(processes: Processes, name: str, line: str, account: str) -> None:
    """What reads a line: it needs the database, and signs nobody in."""
    environment = _without(processes.environment, "BRUMEL_SECRET_KEY")
    processes.start(name, *python("-m", "brumel", "link", line), account=account, environment=environment)


def _without(environment: Mapping[str, str], *names: str) -> dict[str, str]:
    return {k: v for k, v in environment.items() if k not in names}


def _serve(
    processes: Processes, claimed: socket.socket, host: str, *, account: str, demo: bool = False, servers: int = SERVERS
) -> None:
    """Web servers that share a port, which stays claimed here: whoever comes while all are started again waits."""
    command = python("-m", "brumel", "web-server", "--listen", handed_over(claimed), *(["--demo"] if demo else []))
    for number in range(1, servers + 1):
        processes.start(f"web server {number}", *command, inherits=(claimed.fileno(),), account=account)
    wait_until_served(host, claimed.getsockname()[1], processes)


@contextmanager
def _served(settings: Settings, processes: Processes) -> Iterator[tuple[str, str, str, float]]:
    """The database for real work, looked after where it is our own.

    Its address, the owner's (empty where it isn't told), the key for sessions, a patience.
    """
    if settings.database_url:
        try:
            url, secret = _of_ones_own(settings)
            yield url, settings.database_owner_url or "", secret, 0.0
        finally:
            processes.stop()
        return
    cluster = Cluster(settings.data / "serve")
    with _only_one(cluster.folder) as patience_s:
        try:
            cluster.serve_with(processes)
            url, secret = _of_our_own(settings, cluster)
            yield url, cluster.url(OWNER), secret, patience_s
        finally:
            processes.stop()


@contextmanager
def database_of(settings: Settings, *, owner: bool = False) -> Iterator[str]:
    """Address of the database for one command, migrated and checked; as the role that owns it where it must be.

    Raises
    ------
    LaunchError
        Where the owner is wanted of a database that somebody else looks after, and is not told.
    """
    if settings.database_url:
        url, _ = _of_ones_own(settings)
        yield _owner_url(settings, "changes people") if owner else url
        return
    cluster = Cluster(settings.data / "serve")
    if _in_use(cluster.folder) and cluster.port() is not None:
        _check(cluster.url())
        yield cluster.url(OWNER) if owner else cluster.url()
        return
    with _only_one(cluster.folder):
        try:
            cluster.start()
            url, _ = _of_our_own(settings, cluster)
            yield cluster.url(OWNER) if owner else url
        finally:
            cluster.stop()


@contextmanager
def acting_for(settings: Settings, login: str, what_for: str) -> Iterator[None]:
    """Let a command record as somebody, by a stay that the owner's secret gives and that ends with it.

    Raises
    ------
    LaunchError
        Where the owner of the database is not told.
    """
    owner = Database(_owner_url(settings, "lets a command act"), pool_size=1)
    people = People(owner)
    try:
        stay = people.act_as(login, what_for, _A_COMMAND)
        with acts_as(stay.key, elsewhere=True):
            yield
        people.end(stay.key)
    finally:
        owner.close()


def _owner_url(settings: Settings, does: str) -> str:
    """Return the owner's address of the database for real work, for what only the owner does."""
    if settings.database_url and not settings.database_owner_url:
        raise LaunchError(f"Only the owner of the database {does}: give BRUMEL_DATABASE_OWNER_URL.")
    return settings.database_owner_url or Cluster(settings.data / "serve").url(OWNER)


def _of_our_own(settings: Settings, cluster: Cluster) -> tuple[str, str]:
    """Return a cluster that serves, migrated and checked: its address and the key for sessions."""
    schema.upgrade(cluster.url(OWNER), APPLICATION)
    _check(cluster.url())
    return cluster.url(), settings.secret_key or cluster.secret("session")


def _of_ones_own(settings: Settings) -> tuple[str, str]:
    """Return a PostgreSQL that somebody else looks after: its address and the key for sessions."""
    if not settings.secret_key:
        raise LaunchError("With BRUMEL_DATABASE_URL, BRUMEL_SECRET_KEY is needed too: any long random text.")
    if settings.database_owner_url:
        role = Database(settings.database_url).engine.url.username or ""
        schema.upgrade(settings.database_owner_url, role)
    _check(settings.database_url)
    return settings.database_url, settings.secret_key


def _check(url: str) -> None:
    database = Database(url, pool_size=1)
    try:
        database.reachable()
        with database.engine.connect() as connection:
            wrong = schema.problem(connection)
    finally:
        database.close()
    if wrong:
        raise StoreError(wrong)


def _environment(settings: Settings, url: str, secret: str, account: str) -> dict[str, str]:
    """Return what the parts are given: ours, without the owner's address; another user has nothing of root's own."""
    given = bare(os.environ) if account else os.environ
    environment = {k: v for k, v in given.items() if not k.startswith("BRUMEL_DATABASE")}
    environment |= {
        "BRUMEL_DATABASE_URL": url,
        "BRUMEL_SECRET_KEY": secret,
        "BRUMEL_DATA": str(settings.data.resolve()),
    }
    if settings.now is not None:
        environment["BRUMEL_NOW"] = settings.now.isoformat()
    return environment


@contextmanager
def _only_one(folder: Path) -> Iterator[float]:
    """One start a data folder at a time; gives how long to wait for what an earlier one, cut off, may still hold, s."""
    lock_path = _lock_of(folder)
    try:
        lock_path.parent.mkdir(parents=True, exist_ok=True)
        lock = open(lock_path, "a+")  # noqa: SIM115
    except OSError as error:
        raise LaunchError(
            f"The data folder {lock_path.parent} can't be written ({error.strerror}): give BRUMEL_DATA another."
        ) from error
    with lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise LaunchError(
                f"It runs already with the data in {folder}: use that one, or stop it, or give BRUMEL_DATA another."
            ) from None
        lock.seek(0)
        cut_off = bool(lock.read().strip())
        if cut_off:
            say("the last start was cut off: what it left is ended")
        _note(lock, str(os.getpid()))
        try:
            yield _PATIENCE_S if cut_off else 0.0
        finally:
            _note(lock, "")


def _in_use(folder: Path) -> bool:
    """Say whether a start with a data folder runs."""
    try:
        with open(_lock_of(folder)) as lock:
            fcntl.flock(lock, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        pass
    return False


def _lock_of(folder: Path) -> Path:
    return folder.with_name(folder.name + ".lock")


def _note(lock: IO[str], words: str) -> None:
    lock.seek(0)
    lock.truncate()
    lock.write(words)
    lock.flush()
