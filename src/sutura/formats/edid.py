"""E-EDID 1.3 and 1.4: what a panel says of itself, as far as identity and size need it.

Source: VESA E-EDID Standard Release A2 (EDID 1.4), CTA-861 and DisplayID 1.3/2.0, from memory (sure); the
tests hold
every field against Debian's `edid-decode`. Maker codes stay codes: a list of real makers is not ours to ship.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact
from sutura.core.identify.panel import Panel, Timing

BLOCK = 128
MOST_BLOCKS = 256
_HEADER = bytes.fromhex("00ffffffffffff00")
_DEPTHS = {1: 6, 2: 8, 3: 10, 4: 12, 5: 14, 6: 16}
_INTERFACES = {1: "DVI", 2: "HDMI-a", 3: "HDMI-b", 4: "MDDI", 5: "DisplayPort"}
_CTA, _DISPLAYID = 0x02, 0x70
ACCEPTS = fact("edid.accepts", least=BLOCK, most=BLOCK * MOST_BLOCKS)


def read_edid_text(text: str) -> Panel:
    """A panel from pasted bytes: two hexadecimal digits each, with any spaces, commas, line ends or 0x
    between them.
    """
    return read_edid(bytes.fromhex(hex_of(text)))


def hex_of(text: str) -> str:
    """The plain digits of pasted bytes; refuses the first sign that is none."""
    tidy = re.sub(r"0[xX](?=[0-9a-fA-F]{2})", "", text)
    tidy = re.sub(r"[\s,;:]+", "", tidy)
    wrong = re.search(r"[^0-9a-fA-F]", tidy)
    if wrong:
        raise Invalid("edid", wrong[0], fact("edid.only-digits", accepts=ACCEPTS))
    if len(tidy) % 2:
        raise Invalid("edid", fact("edid.digits", count=len(tidy)), fact("edid.even", accepts=ACCEPTS))
    return tidy


def read_edid(data: bytes) -> Panel:
    """A panel from the bytes of its EDID.

    Refuses what is no EDID at all; reads on with a stated warning where a block's sum is wrong or blocks are
    missing.
    """
    _check_shape(data)
    notes = _Notes()
    blocks = [data[at : at + BLOCK] for at in range(0, len(data) - BLOCK + 1, BLOCK)]
    base = blocks[0]
    for number, block in enumerate(blocks[: base[126] + 1]):
        _check_sum(number, block, notes)
    _check_length(len(data), base[126], len(blocks), notes)
    timings, texts = _descriptors(base)
    extra = _Extra(timings=timings)
    for number, block in enumerate(blocks[1 : base[126] + 1], start=1):
        _read_extension(number, block, extra, notes)
    wide, high, aspect = _size(base)
    digital = bool(base[20] & 0x80)
    newer = digital and base[19] >= 4
    return Panel(
        maker=_maker(base),
        product=int.from_bytes(base[10:12], "little"),
        serial=int.from_bytes(base[12:16], "little"),
        week=base[16] if 1 <= base[16] <= 54 else None,
        year=base[17] + 1990,
        model_year=base[16] == 0xFF,
        version=f"{base[18]}.{base[19]}",
        digital=digital,
        interface=_INTERFACES.get(base[20] & 0x0F, "") if newer else "",
        depth_bits=_DEPTHS.get(base[20] >> 4 & 7) if newer else None,
        width_cm=wide,
        height_cm=high,
        aspect=aspect,
        timings=tuple(extra.timings),
        name=texts.name,
        serial_text=texts.serial,
        texts=tuple(texts.other),
        vertical_hz=texts.vertical_hz,
        horizontal_khz=texts.horizontal_khz,
        part_number=extra.part_number,
        fine_width_mm=extra.width_mm,
        fine_height_mm=extra.height_mm,
        warnings=tuple(notes.said),
    )


@dataclass
class _Notes:
    said: list[Say] = field(default_factory=list)

    def say(self, what: Say) -> None:
        self.said.append(what)


@dataclass
class _Texts:
    name: str = ""
    serial: str = ""
    other: list[str] = field(default_factory=list)
    vertical_hz: tuple[int, int] | None = None
    horizontal_khz: tuple[int, int] | None = None


@dataclass
class _Extra:
    """What extension blocks add."""

    timings: list[Timing]
    part_number: str = ""
    width_mm: float | None = None
    height_mm: float | None = None


def _check_shape(data: bytes) -> None:
    if len(data) < BLOCK:
        raise Invalid(
            "edid", fact("edid.bytes", count=len(data)), fact("edid.cut-off", block=BLOCK, accepts=ACCEPTS)
        )
    if len(data) > BLOCK * MOST_BLOCKS:
        raise Invalid("edid", fact("edid.bytes", count=len(data)), fact("edid.too-long", accepts=ACCEPTS))
    if data[:8] != _HEADER:
        raise Invalid(
            "edid", data[:8].hex(" "), fact("edid.begins-with", header=_HEADER.hex(" "), accepts=ACCEPTS)
        )
    if data[18] != 1:
        raise Invalid("edid", fact("edid.version", major=data[18], minor=data[19]), fact("edid.versions"))


def _check_sum(number: int, block: bytes, notes: _Notes) -> None:
    check, expected = block[127], -sum(block[:127]) % 256
    if check != expected:
        notes.say(fact("edid.checksum", block=number, check=check, expected=expected))


def _check_length(length: int, extensions: int, blocks: int, notes: _Notes) -> None:
    if blocks < extensions + 1:
        notes.say(fact("edid.blocks-missing", announced=extensions, brought=blocks - 1))
    elif length > (extensions + 1) * BLOCK:
        notes.say(fact("edid.bytes-after", count=length - (extensions + 1) * BLOCK))


def _maker(base: bytes) -> str:
    """Three letters of five bits each, the high byte first: the one big-endian number of the block."""
    packed = int.from_bytes(base[8:10], "big")
    letters = [packed >> shift & 31 for shift in (10, 5, 0)]
    return "".join(chr(64 + letter) if 1 <= letter <= 26 else "?" for letter in letters)


def _size(base: bytes) -> tuple[int | None, int | None, float | None]:
    """Width and height in cm; or, in 1.4, an aspect ratio when one of the two is zero."""
    wide, high = base[21], base[22]
    if wide and high:
        return wide, high, None
    if base[19] >= 4 and wide:
        return None, None, (wide + 99) / 100
    if base[19] >= 4 and high:
        return None, None, 100 / (high + 99)
    return None, None, None


def _descriptors(base: bytes) -> tuple[list[Timing], _Texts]:
    timings: list[Timing] = []
    texts = _Texts()
    for at in (54, 72, 90, 108):
        piece = base[at : at + 18]
        if piece[:2] != b"\0\0":
            timings += _timing(piece)
        elif piece[3] == 0xFC:
            texts.name = _text(piece)
        elif piece[3] == 0xFF:
            texts.serial = _text(piece)
        elif piece[3] == 0xFE:
            texts.other.append(_text(piece))
        elif piece[3] == 0xFD:
            _read_range(piece, texts)
    return timings, texts


def _text(piece: bytes) -> str:
    return piece[5:18].split(b"\n")[0].decode("cp437", "replace").replace("\0", "").strip()


def _read_range(piece: bytes, texts: _Texts) -> None:
    """Range limits; offsets of 255 for the rates of fast panels (1.4)."""
    flags = piece[4]
    up_vertical, up_horizontal = flags & 3, flags >> 2 & 3
    low, high = (
        (255 if up == 3 else 0 for up in (up_vertical, up_horizontal)),
        (255 if up & 2 else 0 for up in (up_vertical, up_horizontal)),
    )
    (low_v, low_h), (high_v, high_h) = low, high
    texts.vertical_hz = piece[5] + low_v, piece[6] + high_v
    texts.horizontal_khz = piece[7] + low_h, piece[8] + high_h


def _timing(piece: bytes) -> Iterator[Timing]:
    """One detailed timing of 18 bytes; nothing when it describes no picture."""
    clock_khz = int.from_bytes(piece[:2], "little") * 10
    wide, gap_wide = piece[2] | (piece[4] & 0xF0) << 4, piece[3] | (piece[4] & 0x0F) << 8
    high, gap_high = piece[5] | (piece[7] & 0xF0) << 4, piece[6] | (piece[7] & 0x0F) << 8
    all_pixels = (wide + gap_wide) * (high + gap_high)
    if not wide or not high or not all_pixels:
        return
    interlaced = bool(piece[17] & 0x80)
    yield Timing(
        width=wide,
        height=high * 2 if interlaced else high,
        refresh_hz=clock_khz * 1000 / all_pixels,
        clock_khz=clock_khz,
        width_mm=piece[12] | (piece[14] & 0xF0) << 4,
        height_mm=piece[13] | (piece[14] & 0x0F) << 8,
        interlaced=interlaced,
    )


def _read_extension(number: int, block: bytes, extra: _Extra, notes: _Notes) -> None:
    if block[0] == _CTA:
        first = block[2]
        if first >= 4:
            for at in range(first, 127 - 17, 18):
                if block[at : at + 2] == b"\0\0":
                    break
                extra.timings += _timing(block[at : at + 18])
    elif block[0] == _DISPLAYID:
        _read_displayid(number, block[1:127], extra, notes)


def _read_displayid(number: int, section: bytes, extra: _Extra, notes: _Notes) -> None:
    """Product identification and size of a DisplayID section; versions 1.x and 2.x number their blocks
    differently.
    """
    version, length = section[0] >> 4, section[1]
    body = section[4 : 4 + length]
    if len(body) < length:
        notes.say(fact("edid.section-longer", block=number))
    at = 0
    while at + 3 <= len(body):
        tag, revision, size = body[at], body[at + 1], body[at + 2]
        payload = body[at + 3 : at + 3 + size]
        if (tag, revision, size) == (0, 0, 0):
            break
        if len(payload) < size:
            notes.say(fact("edid.block-cut-off", block=number))
            break
        if tag == (0x20 if version >= 2 else 0x00) and size >= 12:
            name = payload[12 : 12 + payload[11]].decode("ascii", "replace")
            extra.part_number = "".join(c for c in name if c.isprintable()).strip()
        elif tag == (0x21 if version >= 2 else 0x01) and size >= 4:
            # tenths of a millimetre; version 2 may count whole ones, by its top bit
            unit = 1.0 if version >= 2 and revision & 0x80 else 0.1
            wide, high = (int.from_bytes(payload[i : i + 2], "little") * unit for i in (0, 2))
            if wide and high:
                extra.width_mm, extra.height_mm = round(wide, 1), round(high, 1)
        at += 3 + size
