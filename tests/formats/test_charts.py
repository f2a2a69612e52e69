"""The screw chart, measured on the paper: pages are drawn by another library and the ink is looked for."""

from __future__ import annotations

import re
from typing import Any
from xml.etree import ElementTree

import numpy as np
import pypdfium2
import pytest
from builders import models

from sutura.core.bench.chart import FIELD_MM, MARGIN, OVERLAP, RULE_MM, Paper, chart, letters, place_of
from sutura.core.catalogue.model import Model
from sutura.formats.charts import chart_pdf, chart_svg

DOTS = 600 / 25.4  # dots to a mm
WITH_PLACES = [model for model in models().values() if any(group.at for group in model.screws)]


def ink(pdf: bytes, number: int) -> tuple[Any, tuple[float, float]]:
    """A page as dark and light dots at 600 to an inch, and its size in mm."""
    page = pypdfium2.PdfDocument(pdf)[number]
    width, height = (length / 72 * 25.4 for length in page.get_size())
    return np.asarray(np.array(page.render(scale=600 / 72).to_pil().convert("L")) < 140), (width, height)


@pytest.mark.parametrize("paper", list(Paper))
def test_the_rule_and_the_device_are_as_long_on_paper_as_they_are(paper: Paper) -> None:
    robin = models()["fennick-robin"]
    pages = chart(robin, paper)
    pdf = chart_pdf(robin.full_name, pages, letters(robin.screws))
    assert len(pypdfium2.PdfDocument(pdf)) == len(pages) == 3
    dark, size = ink(pdf, 1)
    assert size == pytest.approx(paper.size, abs=0.1)
    page = pages[1]
    # the rule: the longest dark row at its place
    row = dark[round((page.height - MARGIN) * DOTS) - 4 : round((page.height - MARGIN) * DOTS) + 5].any(
        axis=0
    )
    there = np.flatnonzero(row[round((page.width - MARGIN - RULE_MM - 2) * DOTS) :])
    assert (there[-1] - there[0]) / DOTS == pytest.approx(RULE_MM, abs=0.2)
    # the outline: from its left line to its right one, in a row without screws
    middle = round((page.outline.y + page.outline.height / 2) * DOTS)
    dots = np.flatnonzero(dark[middle, round(MARGIN * DOTS) : round((page.width - MARGIN) * DOTS)])
    assert (dots[-1] - dots[0]) / DOTS == pytest.approx(robin.face.width_mm, abs=0.3)
    # a dot of ink in the middle of every field, where the screw sits in the device
    for screw in page.screws:
        x, y = round(screw.at.x * DOTS), round(screw.at.y * DOTS)
        assert dark[y - 3 : y + 4, x - 3 : x + 4].all(), screw.name


@pytest.mark.parametrize("paper", list(Paper))
@pytest.mark.parametrize("model", WITH_PLACES, ids=[model.id for model in WITH_PLACES])
def test_every_screw_lies_once_on_paper_at_its_place_and_large_devices_go_over_sheets(
    model: Model, paper: Paper
) -> None:
    pages = chart(model, paper)
    named = letters(model.screws)
    assert len(set(named.values())) == len(model.screws)
    found: dict[str, set[tuple[float, float]]] = {}
    for page in pages:
        assert sorted((page.width, page.height)) == sorted(paper.size)
        for screw in page.screws:
            assert FIELD_MM / 2 < screw.at.x < page.width - FIELD_MM / 2
            at = (round(screw.at.x - page.outline.x, 6), round(screw.at.y - page.outline.y, 6))
            found.setdefault(screw.name, set()).add(at)
    for group in model.screws:
        for number, place in enumerate(group.at, start=1):
            seen = place_of(group, place, model.face.width_mm)
            # the same place on every sheet that shows it
            assert found[f"{named[group.id]}{number}"] == {(round(seen.x, 6), round(seen.y, 6))}


def test_sheets_of_a_large_device_share_a_strip() -> None:
    lid = models()["ardale-foil-13-first"]
    back = [page for page in chart(lid, Paper.A4) if page.side == "back"]
    assert len(back) == back[0].parts > 1
    first, second = back[0], back[1]
    moved = (first.outline.x - second.outline.x) or (first.outline.y - second.outline.y)
    assert moved in (first.window.width - OVERLAP, first.window.height - OVERLAP)


def test_the_svg_says_its_size_in_millimetres() -> None:
    robin = models()["fennick-robin"]
    page = chart(robin, Paper.A4)[1]
    text = chart_svg(robin.full_name, page, letters(robin.screws))
    assert ElementTree.fromstring(text).tag.endswith("svg")
    size = re.search(r'<svg width="([0-9.]+)mm" height="([0-9.]+)mm"', text)
    view = re.search(r'viewBox="0 0 ([0-9.]+) ([0-9.]+)"', text)
    assert size
    assert view
    assert (float(size[1]), float(size[2])) == Paper.A4.size
    # a point is 25.4 / 72 mm, so that a millimetre of the drawing is one on paper
    assert float(view[1]) * 25.4 / 72 == pytest.approx(210, abs=0.01)
    assert chart(models()["osmere-dial-42"], Paper.A4) == ()


def test_screws_of_several_lengths_are_listed_by_length_with_their_places() -> None:
    robin = models()["fennick-robin"]
    named = letters(robin.screws)
    written = "".join(chart_svg("Robin", page, named) for page in chart(robin, Paper.A4))
    [group] = [one for one in robin.screws if len(one.kinds) > 1]
    letter = named[group.id]
    assert group.lengths == "2 × 1.4 mm, 1 × 1.9 mm"
    assert f"1.4 mm ({letter}1, {letter}3)" in written
    assert f"1.9 mm ({letter}2)" in written
    alike = next(one for one in robin.screws if len(one.kinds) == 1)
    assert alike.lengths == f"{alike.length_mm:g} mm"
