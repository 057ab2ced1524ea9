"""A soak: parts of the application are killed at random while clients save entries and photos; what was lost, doubled.

Beside each they ask for the head of a page with a whole form, which must record nothing.

``./brumel bench faults`` kills 25 times, with ``SOAK_ROUNDS=500`` so often, at least ten seconds apart; ``SOAK_SEED``
repeats one.
"""

from __future__ import annotations

import http.client
import io
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import urlencode

import psycopg
from PIL import Image
from werkzeug.test import EnvironBuilder

from brumel.launch.cluster import OWNER, Cluster, free_port
from brumel.launch.loopback import HOST

_APART_S = 10.0
_CLIENTS = 3
_PHOTO_EVERY = 20
_WHOLE_START_EVERY = 10
_PARTS = ("web server", "both web servers", "link", "simulated bench", "database")


@dataclass
class Client:
    """Saves care entries, one after the other; each is sent until it is acknowledged, always under the same key."""

    port: int
    acknowledged: list[uuid.UUID] = field(default_factory=list)
    photos: list[uuid.UUID] = field(default_factory=list)
    """Those that were acknowledged."""
    visit: uuid.UUID = field(default_factory=uuid.uuid4)
    picture: bytes = b""
    longest_s: float = 0.0
    cookies: dict[str, str] = field(default_factory=dict)
    token: str = ""
    path: str = ""

    def run(self, over: threading.Event) -> None:
        """Save until it is over, and then the last one to its end."""
        while not over.is_set():
            key, begun, failed = uuid.uuid4(), time.monotonic(), False
            while not self._saved(key):
                failed = True
                time.sleep(0.1)
                if time.monotonic() - begun > 120.0:
                    break
            else:
                self.acknowledged.append(key)
                if len(self.acknowledged) % _PHOTO_EVERY == 0 and self._photographed(key):
                    self.photos.append(key)
            if failed:
                self.longest_s = max(self.longest_s, time.monotonic() - begun)
            time.sleep(0.05)

    def _saved(self, key: uuid.UUID) -> bool:
        try:
            if not self.token:
                self._enter()
            fields = {"csrf_token": self.token, "id": str(key), "care": "cleaned", "note": f"soak {key}"}
            self._ask("HEAD", self.path.removesuffix("/care"), fields | {"id": str(uuid.uuid4()), "note": "soak head"})
            status, location, _ = self._ask("POST", self.path, fields)
        except (OSError, http.client.HTTPException, LookupError):
            return False
        if status == 302 and "sign-in" in location:
            self.token = ""
        return status == 302 and "sign-in" not in location

    def _photographed(self, key: uuid.UUID) -> bool:
        """A photo of a telephone's size, to a visit of this client's own."""
        try:
            opened = {"csrf_token": self.token, "id": str(self.visit), "sample": "soak"}
            self._ask("POST", "/visits/new", opened)
            form = {"csrf_token": self.token, "id-photo": str(key), "photo_words": "soak"}
            status, location, _ = self._ask("POST", f"/visits/{self.visit}/photos", form, self.picture)
        except (OSError, http.client.HTTPException, LookupError):
            return False
        return status == 302 and "sign-in" not in location

    def _enter(self) -> None:
        token = _found(r'name="csrf_token" value="([^"]+)"', self._ask("GET", "/sign-in")[2])
        self._ask("POST", "/sign-in/demo", {"csrf_token": token, "role": "technician"})
        probe = _found(r'href="(/kit/probes/[^"]+)"', self._ask("GET", "/kit/")[2])
        self.token = _found(r'name="csrf_token" value="([^"]+)"', self._ask("GET", probe)[2])
        self.path = f"{probe}/care"

    def _ask(
        self, method: str, path: str, fields: dict[str, str] | None = None, picture: bytes = b""
    ) -> tuple[int, str, str]:  # fmt: skip
        connection = http.client.HTTPConnection(HOST, self.port, timeout=20)
        try:
            cookies = "; ".join(f"{name}={value}" for name, value in self.cookies.items())
            body, kind = urlencode(fields or {}).encode(), "application/x-www-form-urlencoded"
            if picture:
                body, kind = _multipart(fields or {}, picture)
            connection.request(method, path, body, {"Cookie": cookies, "Content-Type": kind})
            answer = connection.getresponse()
            for given in answer.headers.get_all("Set-Cookie") or ():
                name, _, value = given.split(";")[0].partition("=")
                self.cookies[name] = value
            return answer.status, answer.getheader("Location") or "", answer.read().decode()
        finally:
            connection.close()


def _multipart(fields: dict[str, str], picture: bytes) -> tuple[bytes, str]:
    """A form with a picture as a browser sends it: body and its type."""
    made = EnvironBuilder(method="POST", data={**fields, "photo": (io.BytesIO(picture), "a.jpg")})
    try:
        environ = made.get_environ()
        return environ["wsgi.input"].read(), environ["CONTENT_TYPE"]
    finally:
        made.close()


def _picture() -> bytes:
    """A photo of some megabytes."""
    out = io.BytesIO()
    Image.effect_noise((2400, 1800), 90).convert("RGB").save(out, "JPEG", quality=90)
    return out.getvalue()


def _found(pattern: str, page: str) -> str:
    found = re.search(pattern, page)
    if found is None:
        raise LookupError(pattern)
    return found[1]


def _start(folder: Path, port: int) -> subprocess.Popen[str]:
    process = subprocess.Popen(
        [sys.executable, "-m", "brumel", "demo", "--port", str(port), "--days", "30"],
        env={**os.environ, "BRUMEL_DATA": str(folder)}, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
    )  # fmt: skip
    assert process.stdout
    for line in process.stdout:
        if "Hallow Reach is at" in line:
            break
    threading.Thread(target=process.stdout.read, daemon=True).start()
    return process


def _children(pid: int) -> list[int]:
    try:
        return [int(c) for c in Path(f"/proc/{pid}/task/{pid}/children").read_text().split()]
    except OSError:
        return []


def _pids_of(part: str, start: int) -> list[int]:
    """The processes of a part of a start; of one web server any."""
    words = {"web server": "web-server", "both web servers": "web-server", "link": "brumel link",
             "simulated bench": "bench-server", "database": "postgres"}[part]  # fmt: skip
    found = []
    for pid in _children(start):
        try:
            command = Path(f"/proc/{pid}/cmdline").read_bytes().replace(b"\0", b" ").decode()
        except OSError:
            continue
        if words in command:
            found.append(pid)
    return [random.choice(found)] if part == "web server" and found else found


def soak() -> None:
    """Kill, save, count."""
    rounds, seed = int(os.environ.get("SOAK_ROUNDS", "25")), int(os.environ.get("SOAK_SEED", time.time_ns() % 10_000))
    random.seed(seed)
    base = Path("/var/lib/brumel") if os.geteuid() == 0 else Path(tempfile.gettempdir())
    folder, port = base / f"soak-{uuid.uuid4().hex[:8]}", free_port()
    print(f"Soak: {rounds} rounds, seed {seed}, {_CLIENTS} clients that save", flush=True)
    start, over = _start(folder, port), threading.Event()
    picture = _picture()
    clients = [Client(port, picture=picture) for _ in range(_CLIENTS)]
    threads = [threading.Thread(target=c.run, args=(over,)) for c in clients]
    killed: Counter[str] = Counter()
    try:
        for thread in threads:
            thread.start()
        for number in range(1, rounds + 1):
            time.sleep(_APART_S + random.uniform(0.0, 2.0))
            if number % _WHOLE_START_EVERY == 0:
                killed["the whole start"] += 1
                start.send_signal(signal.SIGKILL)
                start.wait()
                start = _start(folder, port)
                continue
            part = random.choice(_PARTS)
            for pid in _pids_of(part, start.pid):
                os.kill(pid, signal.SIGKILL)
            killed[part] += 1
        time.sleep(_APART_S)
        over.set()
        for thread in threads:
            thread.join(150)
        with psycopg.connect(Cluster(folder / "demo").url(OWNER)) as connection:
            query = "SELECT note, count(*) FROM care_record WHERE note LIKE 'soak %' GROUP BY note"
            kept = dict(connection.execute(query).fetchall())
            photos = {
                row[0] for row in connection.execute("SELECT id FROM visit_photo WHERE words = 'soak'").fetchall()
            }
    finally:
        over.set()
        start.send_signal(signal.SIGTERM)
        start.wait(60)
        shutil.rmtree(folder, ignore_errors=True)
    acknowledged = [key for c in clients for key in c.acknowledged]
    lost = sum(f"soak {key}" not in kept for key in acknowledged)
    doubled = sum(count > 1 for count in kept.values())
    shot = [key for c in clients for key in c.photos]
    gone = sum(key not in photos for key in shot)
    print(f"photos of {len(picture) / 1e6:.1f} MB acknowledged {len(shot)}, lost {gone}; "
          f"recorded by HEAD {kept.get('soak head', 0)} (wanted: 0, 0)")  # fmt: skip
    print("killed: " + ", ".join(f"{part} {count}" for part, count in sorted(killed.items())))
    print(
        f"acknowledged {len(acknowledged)}, lost {lost}, doubled {doubled}, "
        f"longest outage {max(c.longest_s for c in clients):.1f} s (wanted: 0, 0, within 15 s)", flush=True,
    )  # fmt: skip
