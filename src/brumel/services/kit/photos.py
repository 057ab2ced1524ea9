"""Files as they may be kept: photos checked, made smaller, re-encoded, without what the camera wrote; certificates."""

from __future__ import annotations

import io

from brumel.services.errors import InvalidInput

MOST_BYTES = 12_000_000
_MOST_PIXELS = 60_000_000
_LONGEST_SIDE = 1600
_FORMATS = ("JPEG", "PNG", "WEBP")


def cleaned(data: bytes, field: str = "photo") -> bytes:
    """A JPEG of what the bytes show, at most 1600 pixels long.

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
            if picture.width * picture.height > _MOST_PIXELS:
                raise InvalidInput({field: "The photo has too many pixels: take a smaller one."})
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
        return "application/pdf", data
    try:
        return "image/jpeg", cleaned(data, "certificate")
    except InvalidInput:
        raise InvalidInput({"certificate": "This is neither a PDF nor a picture: choose another file."}) from None
