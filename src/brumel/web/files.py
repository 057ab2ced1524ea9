"""Files that people gave us, handed out again."""

from __future__ import annotations

from flask import Response

from brumel.services.kit.photos import seen_type

_ENDINGS = {"application/pdf": "pdf", "image/jpeg": "jpg", "image/png": "png", "image/webp": "webp"}


def kept_file(content: bytes, name: str = "") -> Response:
    """Answer with a file, of the type that it shows; to be saved where a name is given, or it is no picture."""
    seen = seen_type(content)
    answer = Response(content, mimetype=seen)
    if name or not seen.startswith("image/"):
        ending = _ENDINGS.get(seen, "bin")
        answer.headers["Content-Disposition"] = f"attachment; filename={name or 'file'}.{ending}"
    return answer
