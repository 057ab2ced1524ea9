"""Files as they may be kept: photos checked, made smaller, re-encoded, without what the camera wrote; certificates."""

from __future__ import annotations

import io

from brumel.core.record.shapes import MOST_BYTES, MOST_PIXELS
from brumel.services.errors import InvalidInput

_LONGEST_SIDE = 1600
_FORMATS = ("JPEG", "PNG", "WEBP")


def cleaned(data: bytes, field: str = "photo") -> bytes:
    """Return a JPEG of what the bytes show, at most 1600 pixels long.

    Raises
    ------
    InvalidInput
        For a file that is too large or is no picture.
    """
    from PIL import Image, ImageOps, UnidentifiedImageError  # imported late: few requests need it

    if len(data) > MOST_BYTES:
        raise InvalidInput({field: f"A photo may have up to {MOST_BYTES // 1_000_000} MB: take a smaller one."})
    try:
        with Image.open(io.BytesIO(data), formats=_FORMATS) as picture:
            if picture.width * picture.height > MOST_PIXELS:  # told by its head, before it is unpacked
                raise InvalidInput(
                    {field: f"It has more than {MOST_PIXELS // 1_000_000} million pixels: take a smaller one."}
                )
            upright = ImageOps.exif_transpose(picture).convert("RGB")
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        raise InvalidInput({field: "This is no picture: choose a JPEG, PNG or WebP file."}) from None
    upright.thumbnail((_LONGEST_SIDE, _LONGEST_SIDE))
    fresh = Image.new("RGB", upright.size)  # carries no metadata over
    fresh.paste(upright)
    out = io.BytesIO()
    fresh.save(out, "JPEG", quality=82, optimize=True)
    return out.getvalue()


def certificate(data: bytes) -> tuple[str, bytes]:
    """Media type and content of a certificate: a PDF as it came, or a picture re-encoded.

    Raises
    ------
    InvalidInput
        For a file that is too large, or neither a PDF nor a picture.
    """
    if len(data) > MOST_BYTES:
        raise InvalidInput({"certificate": f"A certificate may have up to {MOST_BYTES // 1_000_000} MB."})
    if data.startswith(b"%PDF-") and b"%%EOF" in data[-2048:]:
        return _PDF, data
    if not seen_type(data).startswith("image/"):  # nor a PDF that is cut off
        raise InvalidInput({"certificate": "This is neither a PDF nor a picture: choose another file."})
    return _JPEG, cleaned(data, "certificate")


_JPEG, _PDF, _UNKNOWN = "image/jpeg", "application/pdf", "application/octet-stream"
_BEGINS = {b"\xff\xd8\xff": _JPEG, b"\x89PNG\r\n\x1a\n": "image/png", b"RIFF": "image/webp", b"%PDF-": _PDF}


def seen_type(data: bytes) -> str:
    """Return the media type that a file shows by how it begins, whatever was said of it."""
    return next((kind for begins, kind in _BEGINS.items() if data.startswith(begins)), _UNKNOWN)
