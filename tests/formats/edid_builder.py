"""Builds EDID blocks from plain numbers, by the published layout, apart from the reader under test."""

from __future__ import annotations

from dataclasses import dataclass, field

from hypothesis import strategies as st

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


def summed(block: bytes) -> bytes:
    return block[:127] + bytes([-sum(block[:127]) % 256])


def detailed(
    clock_khz: int, wide: int, gap_wide: int, high: int, gap_high: int, mm: tuple[int, int], flags: int = 0x18
) -> bytes:
    return (clock_khz // 10).to_bytes(2, "little") + bytes(
        [
            wide & 255,
            gap_wide & 255,
            wide >> 8 << 4 | gap_wide >> 8,
            high & 255,
            gap_high & 255,
            high >> 8 << 4 | gap_high >> 8,
            8,
            16,
            0x32,
            0,
            mm[0] & 255,
            mm[1] & 255,
            mm[0] >> 8 << 4 | mm[1] >> 8,
            0,
            0,
            flags,
        ]
    )


def text(tag: int, words: str) -> bytes:
    body = words.encode("ascii")[:13]
    if len(body) < 13:
        body += b"\n"
    return bytes([0, 0, 0, tag, 0]) + body.ljust(13)


def range_limits(vertical: tuple[int, int], horizontal: tuple[int, int]) -> bytes:
    return bytes([0, 0, 0, 0xFD, 0, *vertical, *horizontal, 16, 1]) + b"\n" + b" " * 6


@dataclass
class Made:
    """One panel's EDID in the making."""

    maker: str = "QZX"
    product: int = 0x1234
    serial: int = 77
    week: int = 12
    year: int = 2020
    depth: int = 2
    interface: int = 5
    cm: tuple[int, int] = (34, 19)
    minor: int = 4
    timing: bytes = field(default_factory=lambda: detailed(148_500, 1920, 280, 1080, 45, (344, 194)))
    others: tuple[bytes, ...] = ()
    extensions: tuple[bytes, ...] = ()

    def bytes(self) -> bytes:
        packed = 0
        for letter in self.maker:
            packed = packed << 5 | (ord(letter) - 64)
        block = (
            bytes.fromhex("00ffffffffffff00") + packed.to_bytes(2, "big") + self.product.to_bytes(2, "little")
        )
        block += self.serial.to_bytes(4, "little") + bytes([self.week, self.year - 1990, 1, self.minor])
        block += bytes(
            [0x80 | (self.depth << 4 | self.interface if self.minor >= 4 else 0), *self.cm, 120, 0x02]
        )
        block += bytes.fromhex("ee91a3544c99260f5054000000") + b"\x01\x01" * 8
        block += b"".join(
            (self.timing, *self.others, *[bytes([0, 0, 0, 0x10]) + bytes(14)] * (3 - len(self.others)))
        )
        return summed(block + bytes([len(self.extensions), 0])) + b"".join(self.extensions)


def cta(*timings: bytes) -> bytes:
    body = bytes([0x02, 3, 4, 0]) + b"".join(timings)
    return summed(body.ljust(127, b"\0") + b"\0")


def displayid(*blocks: bytes, version: int = 0x12) -> bytes:
    body = b"".join(blocks)
    section = bytes([version, len(body), 3 if version < 0x20 else 2, 0]) + body
    section += bytes([-sum(section) % 256])
    return summed((bytes([0x70]) + section).ljust(127, b"\0") + b"\0")


def product_block(name: str, version: int = 0x12) -> bytes:
    vendor = b"QZX" if version < 0x20 else b"\x00\x1b\x2c"
    payload = (
        vendor
        + (0x4417).to_bytes(2, "little")
        + (5).to_bytes(4, "little")
        + bytes([3, 21, len(name)])
        + name.encode()
    )
    return bytes([0x20 if version >= 0x20 else 0x00, 0, len(payload)]) + payload


def size_block(wide_tenths: int, high_tenths: int, version: int = 0x12) -> bytes:
    if version >= 0x20:
        payload = (
            wide_tenths.to_bytes(2, "little")
            + high_tenths.to_bytes(2, "little")
            + (1920).to_bytes(2, "little")
            + (1080).to_bytes(2, "little")
            + bytes(21)
        )
        return bytes([0x21, 0, 29]) + payload
    payload = (
        wide_tenths.to_bytes(2, "little")
        + high_tenths.to_bytes(2, "little")
        + (1920).to_bytes(2, "little")
        + (1080).to_bytes(2, "little")
        + bytes(4)
    )
    return bytes([0x01, 0, 12]) + payload


printable = st.text(alphabet=LETTERS + "0123456789-.", min_size=1, max_size=13)
timings = st.builds(
    detailed,
    st.integers(2_500, 65_535).map(lambda n: n * 10),
    st.integers(64, 4095),
    st.integers(1, 1000),
    st.integers(64, 4095),
    st.integers(1, 1000),
    st.tuples(st.integers(0, 999), st.integers(0, 999)),
)
made = st.builds(
    Made,
    maker=st.text(alphabet=LETTERS, min_size=3, max_size=3),
    product=st.integers(0, 65_535),
    serial=st.integers(1, 2**32 - 1),
    week=st.one_of(st.integers(1, 53), st.just(0xFF)),
    year=st.integers(2006, 2024),
    depth=st.integers(1, 6),
    interface=st.integers(1, 5),
    cm=st.tuples(st.integers(1, 255), st.integers(1, 255)),
    minor=st.sampled_from([3, 4]),
    timing=timings,
    others=st.tuples(
        printable.map(lambda words: text(0xFC, words)), printable.map(lambda words: text(0xFF, words))
    ),
)
