"""Photos: whatever a camera gives, as a small JPEG that says nothing but what it shows."""

from __future__ import annotations

import hashlib
import io
import threading
import warnings
from dataclasses import dataclass

from PIL import Image, ImageFile, ImageOps

from mavrik.domain.limits import MOST_PHOTO_BYTES

FORMATS = ("JPEG", "PNG", "WEBP")
LARGEST_PHOTO_BYTES = 16_000_000
"""What any telephone makes of one."""
MOST_PIXELS = 60_000_000
TOO_MANY = f"A photo has at most {MOST_PIXELS // 1_000_000} million pixels."
MOST_SIDE = 1280
SAYS_MORE = frozenset({"exif", "xmp", "comment", "photoshop", "mp"})
"""What the library finds in a JPEG beside its picture."""
END_OF_PICTURE = b"\xff\xd9"
QUALITIES = (82, 72, 62, 52)
SHRINKS, SMALLEST_SIDE = 0.8, 200


class PhotoError(ValueError):
    """What is no photo that can be kept, in plain words."""


@dataclass(frozen=True)
class Developed:
    """A photo as it is kept."""

    key: str
    """SHA-256 of it."""
    jpeg: bytes
    width: int
    height: int


def develop(data: bytes) -> Developed:
    """A photo of any common format as it is kept: upright, at most 1280 pixels a side, at most 110 kB, without place or camera.

    data: the file
    Raises PhotoError for what is no photo, or one so large that it would fill the memory.
    """
    plain = opened_picture(data, MOST_SIDE)
    side = MOST_SIDE
    while True:
        plain.thumbnail((side, side))
        for quality in QUALITIES:
            out = io.BytesIO()
            plain.save(out, "JPEG", quality=quality, optimize=True)
            if out.tell() <= MOST_PHOTO_BYTES or (quality == QUALITIES[-1] and side <= SMALLEST_SIDE):
                jpeg = out.getvalue()
                return Developed(hashlib.sha256(jpeg).hexdigest(), jpeg, plain.width, plain.height)
        side = round(max(plain.size) * SHRINKS)


def opened_picture(data: bytes, side: int) -> Image.Image:
    """What a photo of any common format shows, upright, without transparency, not much larger than needed.

    data: the file; side: the longest that is needed, in pixels
    Raises PhotoError for what is no photo, or one so large that it would fill the memory.
    """
    picture = _opened(data)
    picture.draft("RGB", (side, side))
    try:
        _load(picture)
        upright = ImageOps.exif_transpose(picture)
        if upright.mode in ("RGBA", "LA", "P", "PA"):
            layered = upright.convert("RGBA")
            upright = Image.new("RGB", layered.size, "white")
            upright.paste(layered, mask=layered.getchannel("A"))
        plain = upright.convert("RGB")
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise PhotoError("The photo is damaged: it cannot be read to its end.") from error
    plain.thumbnail((side, side))
    return plain


def checked(jpeg: bytes, key: str) -> Developed:
    """A photo that was kept elsewhere.

    jpeg: the file; key: its SHA-256
    Raises PhotoError for one that is not what its key says, is larger than those that are kept, or says more than what it shows.
    """
    if hashlib.sha256(jpeg).hexdigest() != key:
        raise PhotoError("A photo is not the one that its key names.")
    picture = _opened(jpeg, ("JPEG",))
    if max(picture.size) > MOST_SIDE or len(jpeg) > MOST_PHOTO_BYTES:
        raise PhotoError("A photo is larger than those that are kept.")
    try:
        _load(picture)
    except (OSError, ValueError, SyntaxError) as error:
        raise PhotoError("A photo is damaged: it cannot be read to its end.") from error
    if SAYS_MORE & picture.info.keys() or not jpeg.rstrip(b"\0").endswith(END_OF_PICTURE):
        raise PhotoError("A photo says more than what it shows, as where or with what it was taken: it goes out without that.")
    return Developed(key, jpeg, picture.width, picture.height)


_WHOLE = threading.Lock()


def _load(picture: Image.Image) -> None:
    """Decode it. Raises OSError for one that breaks off, though what prints sheets makes the library take those, too, once it is loaded."""
    with _WHOLE:
        lenient, ImageFile.LOAD_TRUNCATED_IMAGES = ImageFile.LOAD_TRUNCATED_IMAGES, False
        try:
            picture.load()
        finally:
            ImageFile.LOAD_TRUNCATED_IMAGES = lenient


def _opened(data: bytes, formats: tuple[str, ...] = FORMATS) -> Image.Image:
    """Opened, not yet decoded: how large it would be is known before it fills anything."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            picture = Image.open(io.BytesIO(data), formats=formats)
    except Image.DecompressionBombError:
        raise PhotoError(TOO_MANY) from None
    except (OSError, ValueError, SyntaxError) as error:
        raise PhotoError("This is no photo: a JPEG, PNG or WebP is.") from error
    if picture.width * picture.height > MOST_PIXELS:
        raise PhotoError(TOO_MANY)
    return picture
