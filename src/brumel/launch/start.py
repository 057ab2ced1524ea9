"""The two ways to start: the demonstration, and real work."""

from __future__ import annotations

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from ipaddress import ip_address
from pathlib import Path

from brumel import demo
from brumel.demo.truths import DAYS
from brumel.launch.cluster import APPLICATION, HOST, OWNER, Cluster, LaunchError
from brumel.launch.processes import Processes, claim, gunicorn, handed_over, python, wait_until_served
from brumel.services.clock import Clock
from brumel.settings import Settings
from brumel.store import schema
from brumel.store.database import Database, StoreError
from brumel.store.models.reference import Device


@dataclass(frozen=True)
class DemoOptions:
    """How to start the demonstration."""

    port: int = 8000
    fresh: bool = False
    speed: float = 1.0
    workers: int = 2
    days: int = DAYS
    """How far back its work goes, where it is made anew."""


def say(words: str) -> None:
    """A line for whoever started us."""
    print(f"brumel: {words}", flush=True)  # noqa: T201


@contextmanager
def demonstration(settings: Settings, options: DemoOptions) -> Iterator[Processes]:
    """Everything that the demonstration consists of, running; stopped at the end, come what may."""
    cluster = Cluster(settings.data / "demo")
    with (
        claim(HOST, options.port) as claimed,
        claim(HOST, 0) as line,
        claim(HOST, 0) as control,
        _only_one(cluster.folder),
    ):
        if options.fresh:
            say("starting over: the demonstration's data are removed")
            cluster.remove()
        try:
            cluster.start()
            schema.upgrade(cluster.url(OWNER), APPLICATION)
            database = Database(cluster.url(), pool_size=2)
            clock = Clock(settings.timezone, settings.now)
            if not demo.loaded(database):
                demo.load(database, clock.now(), clock, say, options.days)
            ports = demo.BenchPorts(line.getsockname()[1], control.getsockname()[1], options.speed)
            demo.plug_in(database, ports)
            database.close()
            port = claimed.getsockname()[1]
            environment = _environment(settings, cluster.url(), cluster.secret("session"))
            processes = Processes(environment, f"http://{HOST}:{port}")
            try:
                bench = python(
                    "-m", "brumel", "bench-server", "--line", handed_over(line), "--control", handed_over(control),
                    "--speed", str(options.speed),
                )  # fmt: skip
                processes.start("simulated bench", *bench, inherits=(line.fileno(), control.fileno()))
                processes.start("link", *python("-m", "brumel", "link", f"socket://{HOST}:{ports.line}"))
                server = gunicorn("demo", claimed, workers=options.workers)
                processes.start("web server", *server, restart=False, inherits=(claimed.fileno(),))
                claimed.close()
                wait_until_served(HOST, port, processes)
                yield processes
            finally:
                processes.stop()
        finally:
            cluster.stop()


@contextmanager
def service(settings: Settings, host: str, port: int) -> Iterator[Processes]:
    """The application for real work, without demonstration data."""
    if not ip_address(host).is_loopback and not (settings.database_url and settings.proxy_hops):
        raise LaunchError(
            "Another address than loopback needs a TLS proxy in front (BRUMEL_PROXY_HOPS) and a PostgreSQL of your "
            "own (BRUMEL_DATABASE_URL)."
        )
    with claim(host, port) as claimed, database_of(settings) as (url, secret):
        database = Database(url, pool_size=1)
        with database.session() as session:
            lines = sorted({d.url for d in session.query(Device)})
        database.close()
        port = claimed.getsockname()[1]
        processes = Processes(_environment(settings, url, secret), f"http://{host}:{port}")
        try:
            for line in lines:
                processes.start(f"link to {line}", *python("-m", "brumel", "link", line))
            server = gunicorn("serve", claimed)
            processes.start("web server", *server, restart=False, inherits=(claimed.fileno(),))
            claimed.close()
            wait_until_served(host, port, processes)
            yield processes
        finally:
            processes.stop()


@contextmanager
def database_of(settings: Settings) -> Iterator[tuple[str, str]]:
    """Address of the application's database, migrated and checked, and the key for sessions."""
    if settings.database_url:
        if not settings.secret_key:
            raise LaunchError("With BRUMEL_DATABASE_URL, BRUMEL_SECRET_KEY is needed too: any long random text.")
        if settings.database_owner_url:
            role = Database(settings.database_url).engine.url.username or ""
            schema.upgrade(settings.database_owner_url, role)
        _check(settings.database_url)
        yield settings.database_url, settings.secret_key
        return
    cluster = Cluster(settings.data / "serve")
    with _only_one(cluster.folder):
        try:
            cluster.start()
            schema.upgrade(cluster.url(OWNER), APPLICATION)
            _check(cluster.url())
            yield cluster.url(), settings.secret_key or cluster.secret("session")
        finally:
            cluster.stop()


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


def _environment(settings: Settings, url: str, secret: str) -> dict[str, str]:
    environment = {k: v for k, v in os.environ.items() if not k.startswith("BRUMEL_DATABASE")}
    environment |= {"BRUMEL_DATABASE_URL": url, "BRUMEL_SECRET_KEY": secret}
    if settings.now is not None:
        environment["BRUMEL_NOW"] = settings.now.isoformat()
    return environment


@contextmanager
def _only_one(folder: Path) -> Iterator[None]:
    """One start a data folder at a time."""
    lock_path = folder.with_name(folder.name + ".lock")
    try:
        lock_path.parent.mkdir(parents=True, exist_ok=True)
        lock = open(lock_path, "w")  # noqa: SIM115
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
        yield
