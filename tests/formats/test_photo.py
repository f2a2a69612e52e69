"""Photos: drawn anew, upright, without what was hidden in them; what is no photo is refused. Pictures by
Pillow (library).
"""

from __future__ import annotations

import contextlib
import io
import struct
import subprocess
import sys
import zlib
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from sutura.core.errors import Invalid
from sutura.formats import apart
from sutura.formats.photo import LONGEST_PX, MOST_BYTES, THUMB_PX, read_photo


def picture(kind: str = "JPEG", size: tuple[int, int] = (40, 20), mode: str = "RGB", **more: Any) -> bytes:
    out = io.BytesIO()
    image = Image.new("RGB", size, "red")
    image.paste("blue", (0, 0, size[0] // 2, size[1]))
    image.convert(mode).save(out, kind, **more)
    return out.getvalue()


def opened(data: bytes) -> Image.Image:
    return Image.open(io.BytesIO(data))


@pytest.mark.parametrize(
    ("kind", "mode"), [("JPEG", "RGB"), ("PNG", "RGBA"), ("PNG", "L"), ("PNG", "P"), ("WEBP", "RGB")]
)
def test_every_kind_of_photo_becomes_a_plain_jpeg(kind: str, mode: str) -> None:
    photo = read_photo(picture(kind, mode=mode))
    assert (photo.width, photo.height) == (40, 20)
    assert opened(photo.image).format == opened(photo.thumb).format == "JPEG"


def test_where_and_when_it_was_made_is_not_kept() -> None:
    exif = Image.Exif()
    exif[0x010F], exif[0x0132] = "SECRET CAMERA", "2031:05:06 09:20:00"
    exif.get_ifd(0x8825)[1] = "N"
    data = picture(exif=exif, comment=b"SECRET PLACE")
    assert b"SECRET" in data
    photo = read_photo(data)
    assert b"SECRET" not in photo.image + photo.thumb
    assert not opened(photo.image).getexif()


def test_a_photo_held_sideways_is_turned_upright() -> None:
    exif = Image.Exif()
    exif[0x0112] = 6
    photo = read_photo(picture(exif=exif))
    assert (photo.width, photo.height) == (20, 40)
    red, _, blue = opened(photo.image).getpixel((10, 5))  # type: ignore[misc]
    assert blue > red


def test_a_large_photo_is_made_smaller_and_has_a_small_one_beside_it() -> None:
    photo = read_photo(picture(size=(4000, 1000)))
    assert (photo.width, photo.height) == (LONGEST_PX, 500)
    assert max(opened(photo.thumb).size) == THUMB_PX


def bomb(width: int, height: int) -> bytes:
    """A tiny PNG that says it unpacks to an enormous picture."""
    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(b"\0" * 100))
        + chunk(b"IEND", b"")
    )


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "send a photo"),
        (b"GIF89a" + bytes(20), "no photo"),
        (b"%PDF-1.7", "no photo"),
        (b"<svg/>", "no photo"),
        (picture()[:200], "broken"),
        (bytes(MOST_BYTES + 1), "too large"),
        (bomb(50_000, 50_000), "unpacks to too much"),
        (bomb(9_000, 9_000), "unpacks to too much"),
        (picture("PNG")[:-30], "broken"),
    ],
    ids=["nothing", "gif", "pdf", "svg", "cut off", "too large", "bomb", "small bomb", "cut png"],
)
def test_what_is_no_photo_is_refused_with_what_would_do(data: bytes, says: str) -> None:
    with pytest.raises(Invalid, match=says) as refused:
        read_photo(data)
    assert "JPEG, PNG or WebP" in str(refused.value)


@given(st.binary(max_size=300) | st.binary(max_size=60).map(lambda tail: picture()[:100] + tail))
def test_arbitrary_bytes_are_read_or_refused(data: bytes) -> None:
    with contextlib.suppress(Invalid):
        assert read_photo(data).width > 0


@pytest.mark.parametrize(
    ("size", "made"),
    [
        ((9_000, 6_600), {"kind": "JPEG"}),
        ((5_900, 4_200), {"kind": "JPEG", "progressive": True}),
        ((5_900, 4_200), {"kind": "PNG", "mode": "RGBA", "compress_level": 1}),
        ((5_900, 4_200), {"kind": "PNG", "mode": "P", "compress_level": 1}),
    ],
    ids=["59 MP", "25 MP progressive", "25 MP with see-through", "25 MP of a palette"],
)
def test_the_largest_photos_are_read_within_400_mb(
    size: tuple[int, int], made: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Before, 60 MP cost 1.8 GB. Held by the system: a process that has no more memory reads it."""
    monkeypatch.setattr(apart, "MEGABYTES", 400)
    photo = apart.apart(60, read_photo, picture(size=size, **made))
    assert max(photo.width, photo.height) == LONGEST_PX


# eight threads that read one photo each; the most memory of them all, in MB
EIGHT = """
import re, sys
from pathlib import Path
from concurrent.futures import ThreadPoolExecutor
from sutura.formats.photo import read_photo
data = sys.stdin.buffer.read()
with ThreadPoolExecutor(8) as pool:
    widths = [photo.width for photo in pool.map(read_photo, [data] * 8)]
# not by getrusage, which counts what the process was begun by
kilobytes = re.search("VmHWM:[^0-9]*([0-9]+)", Path("/proc/self/status").read_text())
print(len(widths), int(kilobytes[1]) // 1000)
"""


@pytest.mark.slow
def test_eight_large_photos_at_once_take_the_memory_of_one() -> None:
    """147 MB, and 138 for one; before, 536."""
    data = picture(size=(9_000, 6_600))
    ended = subprocess.run([sys.executable, "-c", EIGHT], input=data, capture_output=True, check=True)
    read, megabytes = (int(word) for word in ended.stdout.split())
    assert read == 8
    assert megabytes < 250


@pytest.mark.parametrize("made", [{"kind": "PNG", "compress_level": 1}, {"progressive": True}])
def test_a_picture_that_is_unpacked_as_a_whole_may_have_fewer_points(made: dict[str, Any]) -> None:
    with pytest.raises(Invalid, match="5100×5000 pixels"):
        read_photo(picture(size=(5_100, 5_000), **made))
