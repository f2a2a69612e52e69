"""Photographs: bytes from a camera or a file → an upright JPEG without a word of where and when it was made.

Whatever is taken is drawn anew, so nothing that was hidden in the file stays in it.
"""

from __future__ import annotations

import io
import warnings
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.intake.arrival import Photo

if TYPE_CHECKING:
    from PIL import Image

# Enough to read a label across a bench; the shop's, no source.
LONGEST_PX, THUMB_PX = 2000, 320
MOST_BYTES = 7_000_000
# A picture that unpacks to more than this is no photograph of a device but a trap. A camera's JPEG is
# unpacked no larger than it is needed; every other picture as a whole, which takes four bytes for each of its
# points, twice.
MOST_PIXELS, MOST_WHOLE = 60_000_000, 25_000_000
# One picture at a time, whatever comes at once, and always in the same thread: a thread keeps the room that
# it unpacked a picture in, and eight of them keep four times what one does (measured).
_IN_TURN = ThreadPoolExecutor(1, "photo")
ACCEPTS = fact("photo.accepts", most=MOST_BYTES // 1_000_000)


def read_photo(data: bytes) -> Photo:
    """Read, turn upright, shrink and write anew; refuses what is no photo, is broken, or is too much."""
    if not data:
        raise Invalid("photo", "", ACCEPTS)
    if len(data) > MOST_BYTES:
        raise Invalid(
            "photo", fact("photo.megabytes", size=len(data) / 1e6), fact("photo.too-large", accepts=ACCEPTS)
        )
    return _IN_TURN.submit(_read, data).result()


def _read(data: bytes) -> Photo:
    from PIL import Image, ImageOps, UnidentifiedImageError

    too_much = fact("photo.unpacks", accepts=ACCEPTS)
    try:
        with warnings.catch_warnings():
            # our own limit is stricter than the library's warning
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(data), formats=("JPEG", "PNG", "WEBP")) as found:
                by_parts = found.format == "JPEG" and not found.info.get("progressive")
                if found.width * found.height > (MOST_PIXELS if by_parts else MOST_WHOLE):
                    raise Invalid(
                        "photo", fact("photo.pixels", width=found.width, height=found.height), too_much
                    )
                # made small before anything else is done to it
                found.draft("RGB", (LONGEST_PX, LONGEST_PX))
                plain = found.convert("RGB")
                found.close()
                plain.thumbnail((LONGEST_PX, LONGEST_PX))
                upright = ImageOps.exif_transpose(plain)
    except Image.DecompressionBombError as wrong:
        raise Invalid("photo", fact("photo.picture"), too_much) from wrong
    except UnidentifiedImageError as wrong:
        raise Invalid("photo", data[:8].hex(" "), fact("photo.none", accepts=ACCEPTS)) from wrong
    except (OSError, ValueError, SyntaxError) as wrong:
        raise Invalid("photo", str(wrong)[:60], fact("photo.broken", accepts=ACCEPTS)) from wrong
    small = upright.copy()
    small.thumbnail((THUMB_PX, THUMB_PX))
    return Photo(image=_jpeg(upright), thumb=_jpeg(small), width=upright.width, height=upright.height)


def _jpeg(image: Image.Image) -> bytes:
    from PIL import Image

    out = io.BytesIO()
    # nothing of the original's description is passed on: no place, no time, no camera
    Image.frombytes("RGB", image.size, image.tobytes()).save(out, "JPEG", quality=85, optimize=True)
    return out.getvalue()
