"""Core geometry drawn as SVG: to scale, with words for those who do not see it, and nothing a person typed as
markup.
"""

from __future__ import annotations

import xml.etree.ElementTree as ElementTree
from datetime import datetime, timedelta

import pytest
from builders import HERON, crack, impact, models

from sutura.core.job import Stage, seam
from sutura.web.drawings.code import draw_qr
from sutura.web.drawings.face import MARGIN_MM, draw_face
from sutura.web.drawings.rail import RailStop, draw_rail
from sutura.web.drawings.seam import draw_seam, seam_words

FACE = models()[HERON].face
SVG = "{http://www.w3.org/2000/svg}"


def parsed(drawing: str) -> ElementTree.Element:
    text = str(drawing).encode().decode()  # plain text: the marked kind escapes what it is given
    if "xmlns" not in text:
        text = text.replace("<svg ", '<svg xmlns="http://www.w3.org/2000/svg" ', 1)
    return ElementTree.fromstring(text)


def test_one_unit_of_the_face_is_one_millimetre() -> None:
    svg = parsed(draw_face(FACE))
    box = [float(piece) for piece in svg.attrib["viewBox"].split()]
    assert box[2:] == [
        pytest.approx(FACE.width_mm + 2 * MARGIN_MM),
        pytest.approx(FACE.height_mm + 2 * MARGIN_MM),
    ]
    glass = svg.find(f"{SVG}rect[@class='face-glass']")
    assert glass is not None
    assert (float(glass.attrib["width"]), float(glass.attrib["height"])) == (FACE.width_mm, FACE.height_mm)


def test_every_keep_out_and_mark_says_what_it_is() -> None:
    svg = parsed(draw_face(FACE, [impact(20, 30, 8), crack((20, 30), (60, 80))], "Marks of a job"))
    titles = [one.text for one in svg.iter(f"{SVG}title")]
    assert titles[0] == "Marks of a job"
    assert any(text and text.startswith("front connectors: no pick") for text in titles)
    assert any(text and text.startswith("impact at 20, 30 mm") for text in titles)
    assert svg.find(f"{SVG}polyline[@class='mark-crack']") is not None


def test_a_title_is_never_markup() -> None:
    assert "<script>" not in draw_face(FACE, (), "<script>alert(1)</script>")
    assert "<script>" not in draw_seam(seam(Stage.QUOTED, "<script>alert(1)</script>"), full=True)


@pytest.mark.parametrize("stage", list(Stage))
@pytest.mark.parametrize("full", [True, False])
def test_a_seam_has_a_stitch_for_each_stage_and_its_words(stage: Stage, full: bool) -> None:
    svg = parsed(draw_seam(seam(stage), full=full))
    stitches = [one for one in svg.iter() if one.attrib.get("class") in ("done", "loose", "crossed", "ahead")]
    assert len(stitches) == 8
    assert len(list(svg.iter(f"{SVG}text"))) == (8 if full else 0)


def test_the_words_of_a_seam_say_what_is_next_and_why_it_is_blocked() -> None:
    assert seam_words(seam(Stage.PART_IN_HAND)) == "Seam: 4 of 8 stitches done, next opened"
    assert (
        seam_words(seam(Stage.QUOTED, "no free front"))
        == "Seam: 3 of 8 stitches done, blocked at part in hand: no free front"
    )
    assert seam_words(seam(Stage.HANDED_BACK)) == "Seam: all 8 stitches done"


def test_promises_stand_on_the_rail_in_the_order_of_their_times() -> None:
    now = datetime(2031, 5, 6, 10, 0)
    stops = [RailStop(code=f"00-KV{n}", at=now + timedelta(hours=n), late=n == 1) for n in (1, 3, 5)]
    svg = parsed(draw_rail(now, stops))
    places = [
        float(line.attrib["x1"]) for line in svg.iter(f"{SVG}line") if "promise" in line.attrib["class"]
    ]
    assert places == sorted(places)
    assert sum(line.attrib["class"] == "promise late" for line in svg.iter(f"{SVG}line")) == 1
    assert "3 promises" in svg.attrib["aria-label"]


def test_crowded_promises_share_a_stitch_and_lose_none() -> None:
    now = datetime(2031, 5, 6, 10, 0)
    stops = [RailStop(code="00-KV6", at=now + timedelta(minutes=n // 40), late=False) for n in range(200)]
    svg = parsed(draw_rail(now, stops))
    titles = [one.text or "" for one in svg.iter(f"{SVG}title")]
    assert sum(int(text.split()[0]) for text in titles) == 200


@pytest.mark.parametrize("hour", [0, 3, 12, 22, 23])
def test_the_rail_holds_any_hour_of_the_day(hour: int) -> None:
    svg = parsed(draw_rail(datetime(2031, 5, 6, hour, 59), []))
    here = next(line for line in svg.iter(f"{SVG}line") if line.attrib["class"] == "here")
    assert 0 <= float(here.attrib["x1"]) <= 1200


def test_a_qr_code_is_a_picture_with_its_code_as_title() -> None:
    svg = parsed(draw_qr("00-KV6"))
    title = svg.find(f"{SVG}title")
    assert title is not None
    assert title.text == "QR code 00-KV6"
