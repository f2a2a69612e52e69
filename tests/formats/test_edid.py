"""The EDID reader against Debian's `edid-decode` on EDIDs that the tests build, and against the DMT table it
prints.
"""

from __future__ import annotations

import math
import re
import subprocess

import pytest
from builders import said
from formats.edid_builder import (
    Made,
    cta,
    detailed,
    displayid,
    made,
    product_block,
    range_limits,
    size_block,
    summed,
    text,
)
from hypothesis import given, settings
from hypothesis import strategies as st

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.identify.panel import Panel, size_of
from sutura.formats.edid import read_edid, read_edid_text
from sutura.words.speech import PLAIN


def decoded(data: bytes) -> str:
    """What the reference program says; it reads bytes from standard input."""
    return subprocess.run(["edid-decode"], input=data, capture_output=True, check=False).stdout.decode(
        "utf-8", "replace"
    )


def match_of(pattern: str, words: str) -> str:
    found = re.search(pattern, words)
    assert found, words
    return found[1].strip()


def with_size(cm: tuple[int, int], mm: tuple[int, int]) -> Panel:
    return read_edid(Made(cm=cm, timing=detailed(148_500, 1920, 280, 1080, 45, mm)).bytes())


@settings(max_examples=80)
@given(made)
def test_every_field_agrees_with_the_reference_program(one: Made) -> None:
    panel, words = read_edid(one.bytes()), decoded(one.bytes())
    assert panel.warnings == ()
    assert panel.maker == match_of(r"Manufacturer: (\w+)", words)
    assert panel.product == int(match_of(r"Model: (\d+)", words))
    assert str(panel.serial) in match_of(r"Serial Number: (\d+.*)", words)
    assert panel.version == match_of(r"EDID Structure Version & Revision: ([\d.]+)", words)
    made_in = match_of(r"(?:Made in|Model year): (.*)", words)
    assert str(panel.year) in made_in
    assert panel.model_year == ("Model year" in words)
    if not panel.model_year and panel.week:
        assert f"week {panel.week} " in made_in
    if one.minor == 4:
        assert panel.depth_bits == int(match_of(r"Bits per primary color channel: (\d+)", words))
        assert f"{panel.interface} interface" in words
    assert f"{panel.width_cm} cm x {panel.height_cm} cm" in words
    timing = panel.preferred
    assert timing
    line = match_of(r"DTD 1: (.*)", words)
    assert [timing.width, timing.height] == [int(n) for n in re.findall(r"(\d+)x(\d+)", line)[0]]
    assert timing.refresh_hz == pytest.approx(float(match_of(r"([\d.]+) Hz", line)), abs=1e-6)
    assert timing.clock_khz / 1000 == pytest.approx(float(match_of(r"([\d.]+) MHz", line)))
    if timing.width_mm and timing.height_mm:
        assert f"({timing.width_mm} mm x {timing.height_mm} mm)" in line
    assert panel.name == match_of(r"Display Product Name: '(.*)'", words)
    assert panel.serial_text == match_of(r"Display Product Serial Number: '(.*)'", words)


def test_the_two_byte_orders_are_not_mixed_up() -> None:
    """Maker codes are big-endian, product and serial little-endian: the trap of a published reader that swaps
    them.
    """
    panel = read_edid(Made(maker="ABC", product=0x0102, serial=0x01020304).bytes())
    assert (panel.maker, panel.product, panel.serial) == ("ABC", 0x0102, 0x01020304)
    assert Made(maker="ABC").bytes()[8:10].hex() == "0443"


DMT = [
    # VESA DMT by `edid-decode --list-dmts`; gaps from the same standard (from memory, sure)
    ("1920x1080", 148_500, 1920, 280, 1080, 45),
    ("1366x768", 85_500, 1366, 426, 768, 30),
    ("1920x1200", 193_250, 1920, 672, 1200, 45),
]


@pytest.mark.parametrize(("name", "clock", "wide", "gap_wide", "high", "gap_high"), DMT)
def test_standard_timings_have_the_refresh_of_the_published_table(
    name: str, clock: int, wide: int, gap_wide: int, high: int, gap_high: int
) -> None:
    table = subprocess.run(["edid-decode", "--list-dmts"], capture_output=True, text=True, check=True).stdout
    lines = [line for line in table.splitlines() if f" {name} " in line and f"{clock / 1000:.6f} MHz" in line]
    assert len(lines) == 1
    timing = read_edid(
        Made(timing=detailed(clock, wide, gap_wide, high, gap_high, (344, 194))).bytes()
    ).preferred
    assert timing
    assert timing.refresh_hz == pytest.approx(float(match_of(r"([\d.]+) Hz", lines[0])), abs=1e-6)


def test_interlaced_timings_count_both_fields() -> None:
    one = Made(timing=detailed(74_250, 1920, 280, 540, 22, (344, 194), flags=0x98)).bytes()
    timing = read_edid(one).preferred
    assert timing
    assert timing.interlaced
    assert f"{timing.width}x{timing.height}i" in decoded(one)


def test_range_limits_and_free_texts_are_read() -> None:
    panel = read_edid(
        Made(others=(range_limits((48, 75), (30, 83)), text(0xFE, "NV156T-R40"), text(0xFC, "Plain"))).bytes()
    )
    assert (panel.vertical_hz, panel.horizontal_khz) == ((48, 75), (30, 83))
    assert panel.texts == ("NV156T-R40",)


@pytest.mark.parametrize("version", [0x12, 0x20])
def test_a_part_number_that_stands_only_in_displayid_is_found(version: int) -> None:
    data = Made(
        extensions=(
            displayid(product_block("NV156T-R40", version), size_block(3442, 1936, version), version=version),
        )
    ).bytes()
    panel = read_edid(data)
    assert panel.warnings == ()
    assert panel.part_number == "NV156T-R40"
    assert (panel.fine_width_mm, panel.fine_height_mm) == (344.2, 193.6)
    words = decoded(data)
    assert "NV156T-R40" in words
    assert "344.2 mm x 193.6 mm" in words.replace("34.42 cm", "344.2 mm") or "193.6" in words


def test_timings_of_a_cta_block_come_after_the_preferred_one() -> None:
    data = Made(extensions=(cta(detailed(85_500, 1366, 426, 768, 30, (344, 193))),)).bytes()
    panel = read_edid(data)
    assert [timing.width for timing in panel.timings] == [1920, 1366]
    assert "1366x768" in decoded(data)


# -- what is wrong is said ------------------------------------------------------------------


def test_a_wrong_sum_is_read_with_a_warning_that_names_block_found_and_expected() -> None:
    data = bytearray(Made(extensions=(cta(),)).bytes())
    right = data[255]
    data[255] ^= 0x40
    panel = read_edid(bytes(data))
    assert panel.warnings == (fact("edid.checksum", block=1, check=data[255], expected=right),)
    assert PLAIN.say(panel.warnings[0]) == (
        f"block 1: the checksum is 0x{data[255]:02x} and must be 0x{right:02x}; a byte was misread"
    )
    assert panel.resolution == "1920×1080"


def test_missing_and_surplus_blocks_are_said() -> None:
    whole = Made(extensions=(cta(),)).bytes()
    missing, surplus = read_edid(whole[:128]), read_edid(whole + b"\0\0\0")
    assert missing.warnings == (fact("edid.blocks-missing", announced=1, brought=0),)
    assert surplus.warnings == (fact("edid.bytes-after", count=3),)


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "0 bytes"),
        (Made().bytes()[:127], "it is cut off"),
        (b"\xff" * 128, "an EDID begins with 00 ff"),
        (bytes(128), "an EDID begins with"),
        (Made().bytes() + bytes(32_768), "too long"),
        (summed(Made().bytes()[:18] + b"\x02\x00" + Made().bytes()[20:]), "versions 1.0 to 1.4"),
    ],
)
def test_what_is_no_edid_is_refused_with_what_would_be_taken(data: bytes, says: str) -> None:
    with pytest.raises(Invalid, match=re.escape(says)):
        read_edid(data)


@settings(max_examples=300)
@given(
    st.one_of(
        st.binary(max_size=400),
        st.builds(
            lambda one, at, byte: one.bytes()[:at] + bytes([byte]) + one.bytes()[at + 1 :],
            made,
            st.integers(8, 127),
            st.integers(0, 255),
        ),
    )
)
def test_arbitrary_bytes_never_raise_anything_but_a_refusal(data: bytes) -> None:
    try:
        panel = read_edid(data)
    except Invalid:
        return
    size = size_of(panel)
    assert size is None or size.diagonal_in > 0


@settings(max_examples=200)
@given(st.binary(max_size=127), st.sampled_from([0x02, 0x70, 0x10, 0xF0]))
def test_arbitrary_extension_blocks_never_raise(body: bytes, tag: int) -> None:
    assert (
        read_edid(
            Made(extensions=(summed((bytes([tag]) + body).ljust(127, b"\0")[:127] + b"\0"),)).bytes()
        ).maker
        == "QZX"
    )


@pytest.mark.parametrize("spelling", ["{}", "{:.2}", "0x{}"])
def test_pasted_bytes_are_read_in_any_usual_spelling(spelling: str) -> None:
    digits = Made().bytes().hex()
    pairs = [digits[i : i + 2] for i in range(0, 256, 2)]
    pasted = {
        "{}": digits,
        "{:.2}": "\n".join(" ".join(pairs[i : i + 16]) for i in range(0, 128, 16)),
        "0x{}": ", ".join(f"0x{p}" for p in pairs),
    }[spelling]
    assert read_edid_text(pasted).maker == "QZX"


@pytest.mark.parametrize(
    ("pasted", "says"),
    [("00 ff zz", "“z” cannot be taken"), ("00f", "two digits make a byte"), ("", "cut off")],
)
def test_pasted_nonsense_is_refused_with_the_sign_that_is_wrong(pasted: str, says: str) -> None:
    with pytest.raises(Invalid, match=re.escape(says)):
        read_edid_text(pasted)


# -- size and density: check-values sections 3 and 4 (closed form, calculated) ---------------


def test_a_believable_timing_gives_the_size_to_the_millimetre() -> None:
    size = size_of(with_size((34, 19), (344, 194)))
    assert size
    assert (size.width_mm, size.height_mm, size.doubt_mm) == (344, 194, 0.5)
    assert size.diagonal_in == pytest.approx(15.55, abs=0.02)
    # both sides half a millimetre longer
    longer = (math.hypot(344.5, 194.5) - math.hypot(344, 194)) / 25.4
    assert size.diagonal_doubt_in == pytest.approx(longer, rel=0.01)


@pytest.mark.parametrize(
    "mm",
    [(16, 9), (0, 0), (1920, 1080), (160, 90)],
    ids=["aspect ratio", "zero", "pixels", "ten times the ratio"],
)
def test_a_timing_that_states_something_else_is_not_believed(mm: tuple[int, int]) -> None:
    size = size_of(with_size((34, 19), mm))
    assert size
    assert (size.width_mm, size.height_mm, size.doubt_mm) == (340, 190, 5)
    assert "only to the centimetre" in said(size.says)


def test_no_size_at_all_is_unknown_and_never_guessed() -> None:
    assert size_of(with_size((0, 0), (344, 194))) is None


def test_one_zero_centimetre_is_an_aspect_ratio_in_the_newest_version() -> None:
    panel = with_size((79, 0), (0, 0))
    assert panel.width_cm is None
    assert panel.aspect == pytest.approx(1.78)
    assert size_of(panel) is None
    assert read_edid(Made(cm=(0, 79)).bytes()).aspect == pytest.approx(100 / 178)


@pytest.mark.parametrize(
    ("inches", "pixels", "ppi"),
    [
        (15.6, (1920, 1080), 141.21199808219862),
        (14.0, (1920, 1080), 157.3505121487356),
        (15.6, (1366, 768), 100.45466986113651),
    ],
)
def test_density_agrees_with_the_closed_form_within_its_stated_doubt(
    inches: float, pixels: tuple[int, int], ppi: float
) -> None:
    diagonal = math.hypot(*pixels)
    mm = tuple(round(inches * 25.4 * side / diagonal) for side in pixels)
    panel = read_edid(
        Made(
            cm=(round(mm[0] / 10), round(mm[1] / 10)),
            timing=detailed(100_000, pixels[0], 200, pixels[1], 40, (mm[0], mm[1])),
        ).bytes()
    )
    size = size_of(panel)
    assert size
    assert size.density_ppi
    assert size.density_doubt_ppi
    assert abs(size.density_ppi - ppi) <= size.density_doubt_ppi
    assert size.density_doubt_ppi < 1
