"""Files that are handed out: our own, named by what is in them, and those that people gave us."""

from __future__ import annotations

import hashlib
from pathlib import Path

from flask import Response

from brumel.services.probes.photos import seen_type

_ENDINGS = {"application/pdf": "pdf", "image/jpeg": "jpg", "image/png": "png", "image/webp": "webp"}


def kept_file(content: bytes, name: str = "") -> Response:
    """Answer with a file, of the type that it shows; to be saved where a name is given, or it is no picture."""
    seen = seen_type(content)
    answer = Response(content, mimetype=seen)
    if name or not seen.startswith("image/"):
        ending = _ENDINGS.get(seen, "bin")
        answer.headers["Content-Disposition"] = f"attachment; filename={name or 'file'}.{ending}"
    return answer


def content_hash(folder: Path) -> str:
    """Tell what is in a folder from what was in it before: in the address of its files, no old one meets a new page.

    Scripts and styles name each other beside themselves, so that all that one page loads is of one version.
    """
    found = hashlib.sha256()
    for file in sorted(f for f in folder.rglob("*") if f.is_file()):
        found.update(f"{file.relative_to(folder).as_posix()}\0".encode())
        found.update(hashlib.sha256(file.read_bytes()).digest())
    return found.hexdigest()[:16]
