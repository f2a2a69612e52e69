"""Fit of offers: the trade facts of section 1 of the check values, W03–W18 (common practice, no source), and
what must hold of any judge.
"""

from __future__ import annotations

import math
import subprocess
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import pytest
from builders import HERON, NOW, PLAIN, SLATE, models, numbers, offer, offers, said, wanted
from formats.test_edid import with_size

from sutura.core import rules
from sutura.core.errors import ManyInvalid
from sutura.core.facts import fact
from sutura.core.matching.attributes import ATTRIBUTES, BY_NAME, Demand
from sutura.core.matching.comparing import BRACKETS, SERIAL, Agreement, Around, Pair, resolution, within
from sutura.core.matching.judging import (
    Evidence,
    Finding,
    Fit,
    Judged,
    Known,
    Learned,
    Source,
    Wanted,
    judge,
    may_choose,
)
from sutura.core.matching.kits import find_kits, members_of
from sutura.core.matching.layout import layout_of_need, layout_of_offer
from sutura.core.matching.offers import Measured, Need, Offer
from sutura.core.matching.panel import judge_panel
from sutura.core.matching.resolution import NAMES, density_ppi, listing_flags, read_resolution, size_mm
from sutura.core.matching.wanted import breakable, compare_original, corrections, read_measured, wanted_of
from sutura.core.maths.geometry import Box


def known(*flexes: Offer, **more: Any) -> Known:
    return Known(
        around=Around(
            flexes=flexes,
            numbers=numbers(),
            destroyed=frozenset(more.pop("destroyed", ())),
            spares=more.pop("spares", {}),
        ),
        **more,
    )


def judged(
    model_id: str, barcode: str, about: Known | None = None, kind: str = "", **changes: object
) -> Judged:
    return judge(wanted(model_id, kind), offer(barcode, **changes), about or known())


def finding(one: Judged, attribute: str) -> Finding:
    return next(found for found in one.findings if found.attribute == attribute)


def made(attributes: Mapping[str, Any], **changes: Any) -> Offer:
    return offer("P-2001", attributes=attributes, box=(), measured={}, **changes)


def of(
    need: Mapping[str, Any], attributes: Mapping[str, Any], about: Known | None = None, **changes: Any
) -> Judged:
    """One need of a few attributes against one offer of a few."""
    return judge(
        Wanted(need={"kind": "panel", **need}),
        made({"kind": "panel", **attributes}, **changes),
        about or known(),
    )


# -- W09 and the check values -------------------------------------------------------------------


def test_the_differently_numbered_right_panel_fits() -> None:
    found = judged(PLAIN, "P-2001")
    assert found.fit is Fit.FITS
    assert finding(found, "printed_number").agreement is Agreement.AGREES
    assert "NV156T-R40 → AP156-GT40-A" in said(finding(found, "printed_number").reason)
    assert said(finding(found, "resolution").reason) == "WXGA is 1366×768"


def test_the_panel_with_thirty_pins_is_refused_with_the_reason() -> None:
    found = judged(PLAIN, "P-2002")
    assert found.fit is Fit.NOT
    assert "needs 40, this one has 30" in said(found.says)


def test_the_panel_with_the_connector_on_the_other_side_is_refused_with_the_reason() -> None:
    found = judged(PLAIN, "P-2003")
    assert found.fit is Fit.NOT
    assert "needs bottom right, this one has bottom left" in said(found.says)


@pytest.mark.parametrize("attribute", ["finish", "brightness_nits"])
def test_what_may_differ_does_no_harm(attribute: str) -> None:
    attributes = {**offer("P-2001").attributes, attribute: "matte"}
    found = judged(PLAIN, "P-2001", attributes=attributes)
    assert found.fit is Fit.FITS
    assert finding(found, attribute).agreement is Agreement.ALLOWED


def test_what_is_not_known_is_never_yes() -> None:
    found = judged(HERON, "P-1004")
    assert found.fit is Fit.UNKNOWN
    assert not may_choose(found.fit)
    assert finding(found, "connector_pins").offered == "not known"


def test_one_difference_outweighs_everything_unknown() -> None:
    assert judged(PLAIN, "P-2001", attributes={"kind": "panel", "connector_pins": 30}).fit is Fit.NOT


@pytest.mark.parametrize(
    ("width", "fit"), [(359.5, Fit.FITS), (360.0, Fit.FITS), (359.0, Fit.FITS), (360.1, Fit.NOT)]
)
def test_an_outline_may_be_half_a_millimetre_off_and_no_more(width: float, fit: Fit) -> None:
    attributes = {**offer("P-2001").attributes, "width_mm": width}
    assert judged(PLAIN, "P-2001", attributes=attributes).fit is fit


@pytest.mark.parametrize("width", ["wide", "inf", "nan"])
def test_a_length_that_is_no_number_is_unknown_and_does_not_crash(width: str) -> None:
    attributes = {**offer("P-2001").attributes, "width_mm": width}
    assert judged(PLAIN, "P-2001", attributes=attributes).fit is Fit.UNKNOWN


# -- siblings (W01, W02, W05, W10, W14, W18, W21) -------------------------------------------------


@pytest.mark.parametrize(
    ("model", "fits", "refused"),
    [
        ("fennick-heron", "P-1001", "P-1003"),
        ("fennick-heron-l", "P-1003", "P-1001"),
        ("fennick-finch", "P-1101", "P-1102"),
        ("fennick-finch-2", "P-1102", "P-1101"),
    ],
)
def test_a_siblings_part_is_refused_although_every_step_is_shared(
    model: str, fits: str, refused: str
) -> None:
    assert judged(model, fits).fit is Fit.FITS
    found = judged(model, refused)
    assert found.fit is Fit.NOT
    assert finding(found, "part_family").agreement is Agreement.DIFFERS


LIDS = {
    "ardale-foil-13-first": "P-6001",
    "ardale-foil-13-early": "P-6002",
    "ardale-foil-13-mid": "P-6003",
    "ardale-foil-13-late": "P-6005",
}


@pytest.mark.parametrize("model", LIDS)
def test_of_the_lids_of_one_series_only_its_own_fits(model: str) -> None:
    """W05, W10, W14, W21."""
    fitting = {
        code
        for code in ("P-6001", "P-6002", "P-6003", "P-6004", "P-6005")
        if may_choose(judged(model, code).fit)
    }
    assert fitting == {LIDS[model]}


def test_the_lid_of_another_colour_is_refused() -> None:
    """W05."""
    found = judged("ardale-foil-13-mid", "P-6004")
    assert found.fit is Fit.NOT
    assert "needs graphite, this one has silver" in said(found.says)


def test_missing_brackets_are_found_by_comparing_the_box_with_the_need() -> None:
    """W14: the new lid comes without the camera-cable bracket and the backlight bracket."""
    found = judged("ardale-foil-13-early", "P-6002")
    assert (found.fit, found.move_over) == (Fit.FITS, ("camera-cable bracket", "backlight bracket"))
    assert found.extra_minutes == 8
    broken = judged("ardale-foil-13-early", "P-6002", known(destroyed=["backlight bracket"]))
    assert broken.fit is Fit.NOT
    assert "nobody sells it" in said(broken.says)


# -- W03, W04, W08, W12, W16 ---------------------------------------------------------------------


def test_w03_an_earlier_panel_the_newer_glass_and_a_flex_make_a_kit() -> None:
    kits = find_kits(wanted("tarnbeck-fold-12-g4"), list(offers().values()), known(offer("P-3104")))
    (kit,) = kits
    assert kit.fit is Fit.BRIDGED
    assert {one.printed_number for one in (*kit.members, *kit.extras)} == {
        "TBF12-2-P",
        "TBF12-4-G",
        "FX-F12-24",
    }
    assert "Adapter flex, Fold 12 gen 2 to gen 4 bridges it" in said(kit.says)
    assert kit.offer.price_minor + sum(extra.price_minor for extra in kit.extras) == 12_800 + 3_800 + 1_600
    genuine = judged("tarnbeck-fold-12-g4", "P-3101")
    assert genuine.fit is Fit.FITS
    assert genuine.offer.price_minor == 42_000


def test_w03_the_older_glass_makes_no_kit_because_its_windows_do_not_line_up() -> None:
    only_old = [one for code, one in offers().items() if code != "P-3103"]
    assert find_kits(wanted("tarnbeck-fold-12-g4"), only_old, known(offer("P-3104"))) == []


def test_w03_without_the_flex_there_is_no_kit() -> None:
    assert find_kits(wanted("tarnbeck-fold-12-g4"), list(offers().values()), known()) == []


def test_members_of_a_kit_fit_each_other() -> None:
    smaller = replace(offer("P-3103"), attributes={**offer("P-3103").attributes, "active_width_mm": 255.0})
    parts = [offer("P-3102"), smaller]
    assert find_kits(wanted("tarnbeck-fold-12-g4"), parts, known(offer("P-3104"))) == []


def test_a_kit_of_which_something_is_unknown_is_no_kit_yet() -> None:
    untold = {name: value for name, value in offer("P-3102").attributes.items() if name != "technology"}
    parts = [offer("P-3102", attributes=untold), offer("P-3103")]
    assert find_kits(wanted("tarnbeck-fold-12-g4"), parts, known(offer("P-3104"))) == []


def test_a_kit_waits_for_what_is_not_on_the_shelf() -> None:
    """The panel lies here, the glass comes in three days; how long the panel would take counts no more."""
    parts = [replace(offer("P-3102"), free=1, lead_days=9), replace(offer("P-3103"), free=0, lead_days=3)]
    [kit] = find_kits(wanted("tarnbeck-fold-12-g4"), parts, known(offer("P-3104")))
    assert (kit.offer.free, kit.offer.lead_days) == (0, 3)
    here = [replace(part, free=1) for part in parts]
    [kit] = find_kits(wanted("tarnbeck-fold-12-g4"), here, known(offer("P-3104")))
    assert (kit.offer.free, kit.offer.lead_days) == (1, 9)


def test_cheapest_complete_kits_come_first() -> None:
    dearer = replace(offer("P-3103"), id=9_001, part_id=9_001, price_minor=9_900)
    kits = find_kits(wanted("tarnbeck-fold-12-g4"), [dearer, *offers().values()], known(offer("P-3104")))
    assert [kit.offer.price_minor for kit in kits] == [16_600, 22_700]


def test_a_kind_without_a_recipe_has_no_kits() -> None:
    assert find_kits(wanted("ardale-foil-13-mid"), list(offers().values()), known()) == []


def test_w04_a_matte_front_in_a_device_sold_glossy_is_a_legal_match() -> None:
    found = judged("bramling-pocket", "P-4002")
    assert found.fit is Fit.FITS
    assert finding(found, "finish").agreement is Agreement.ALLOWED
    assert "Different and harmless: finish, printed number." in said(found.says)


def test_w08_original_grade_takes_the_serial_and_aftermarket_needs_consent() -> None:
    original, other = judged("quillon-ember-s", "P-1302"), judged("quillon-ember-s", "P-1303")
    assert (original.fit, original.bridges) == (Fit.BRIDGED, ("serial transfer",))
    assert other.fit is Fit.CONSENT
    assert "does not answer the programmer" in said(other.says)
    unsaid = judged("quillon-ember-s", "P-1303", grade="")
    assert unsaid.fit is Fit.UNKNOWN


def test_w08_an_old_display_that_does_not_answer_has_no_serial_to_move_over() -> None:
    silent = known(destroyed=[SERIAL])
    for number in ("P-1302", "P-1303"):
        found = judged("quillon-ember-s", number, silent)
        assert found.fit is Fit.CONSENT
        assert found.bridges == ()
        assert "the old display does not answer the programmer" in said(finding(found, "pairing").reason)
    # where the device does not know its display nothing is asked of the old one
    assert judged(HERON, "P-1001", silent).fit is Fit.FITS
    assert SERIAL in breakable(wanted("quillon-ember-s"))
    assert SERIAL not in breakable(wanted(HERON))


def test_w12_the_front_with_its_plate_leaves_less_to_move_over() -> None:
    assert judged("fennick-robin", "P-1205").move_over == ("home button", "front camera")
    assert judged("fennick-robin", "P-1206").move_over == ("home button", "front camera", "metal plate")


def test_w15_glass_only_is_a_need_of_its_own_at_an_eighteenth_of_the_price() -> None:
    glass = judged("fennick-kite", "P-1202", kind="glass")
    front = judged("fennick-kite", "P-1201")
    assert (glass.fit, front.fit) == (Fit.FITS, Fit.FITS)
    assert front.offer.price_minor // glass.offer.price_minor == 18
    assert judged("fennick-kite", "P-1202").fit is Fit.NOT


def test_w16_adhesive_in_the_box_saves_the_tape() -> None:
    with_it, without = judged(SLATE, "P-3001"), judged(SLATE, "P-3002")
    assert (with_it.extra_minutes, without.extra_minutes) == (0, 8)
    assert "Use tape of 5 mm cut to size instead of adhesive." in said(without.says)


def test_w18_whole_front_in_ten_minutes_or_glass_and_touch_in_sixty() -> None:
    model = models()["fennick-wren"]
    assert (wanted_of(model).minutes, wanted_of(model, "front with frame").minutes) == (60, 10)
    assert judged("fennick-wren", "P-1204", kind="front with frame").fit is Fit.FITS
    assert judged("fennick-wren", "P-1203").fit is Fit.FITS


def test_an_unlisted_device_shows_what_is_unknown() -> None:
    need = {"kind": "panel", "width_mm": None, "resolution": None, "touch": "integrated"}
    found = judge(Wanted(need=need), offer("P-2001"), known())
    assert found.fit is Fit.UNKNOWN
    assert "measure the original on the table" in said(finding(found, "width_mm").reason)


# -- strictness, bridges, boxes -------------------------------------------------------------------


def test_another_technology_needs_consent_only_where_the_model_allows_it() -> None:
    lcd = judged("fennick-heron-l", "P-1005")
    assert lcd.fit is Fit.CONSENT
    assert {one.attribute for one in lcd.of(Agreement.CONSENT)} == {"technology", "refresh_hz"}
    strict = replace(wanted("fennick-heron-l"), demands={})
    assert judge(strict, offer("P-1005"), known()).fit is Fit.NOT


def test_a_model_may_let_an_attribute_differ_without_harm() -> None:
    easy = Wanted(need={"kind": "panel", "colour": "silver"}, demands={"colour": Demand.MAY})
    assert judge(easy, made({"kind": "panel", "colour": "graphite"})).fit is Fit.FITS
    assert judge(easy, made({"kind": "panel"})).fit is Fit.FITS


def test_a_faster_panel_is_allowed_and_a_slower_one_asked_about() -> None:
    assert of({"refresh_hz": 60}, {"refresh_hz": 120}).fit is Fit.FITS
    assert of({"refresh_hz": 120}, {"refresh_hz": 60}).fit is Fit.CONSENT
    assert of({"refresh_hz": 120}, {"refresh_hz": "fast"}).fit is Fit.UNKNOWN


FLEX = {
    "kind": "adapter flex",
    "connector_place": "left",
    "bridges_to": "right",
    "connector_pins": 40,
    "connector_kind": "press",
}


@pytest.mark.parametrize(
    ("flex", "part", "fit"),
    [
        ({}, {"connector_pins": 40, "connector_kind": "press"}, Fit.BRIDGED),
        # what one of both does not say is unknown, and so is what neither says
        ({}, {"connector_pins": 40}, Fit.UNKNOWN),
        ({"connector_kind": "", "connector_pins": ""}, {}, Fit.UNKNOWN),
        ({"connector_kind": ""}, {"connector_pins": 30}, Fit.NOT),
        ({}, {"connector_pins": 30, "connector_kind": "press"}, Fit.NOT),
        ({"connector_kind": ""}, {"connector_pins": 40, "connector_kind": "press"}, Fit.UNKNOWN),
        ({"bridges_to": "top"}, {"connector_pins": 40, "connector_kind": "press"}, Fit.NOT),
        (
            {"connector_place": "right", "bridges_to": "left"},
            {"connector_pins": 40, "connector_kind": "press"},
            Fit.NOT,
        ),
    ],
)
def test_a_flex_bridges_only_what_it_is_known_to_plug_into(
    flex: dict[str, Any], part: dict[str, Any], fit: Fit
) -> None:
    about = known(made({**FLEX, **flex}, id=77, part_id=77))
    found = of({"connector_place": "right"}, {"connector_place": "left", **part}, about)
    assert found.fit is fit
    assert bool(found.extras) is (fit is Fit.BRIDGED)


def test_an_adapter_in_the_box_bridges_too() -> None:
    found = judge(
        Wanted(need={"kind": "panel", "connector_place": "right"}),
        replace(made({"kind": "panel", "connector_place": "left"}), box=("adapter flex",)),
    )
    assert (found.fit, found.extras) == (Fit.BRIDGED, ())


def test_brackets_of_the_old_screen_are_moved_over_unless_they_are_broken() -> None:
    bare = {"mounting": "none"}
    assert of({"mounting": "side brackets"}, bare).bridges == (fact("matching.brackets-moved-over"),)
    assert of({"mounting": "side brackets"}, bare, known(destroyed=[BRACKETS])).fit is Fit.NOT
    assert of({"mounting": "tabs top and bottom"}, bare).fit is Fit.NOT


def test_a_broken_item_is_bought_when_somebody_sells_it() -> None:
    spare = offer("P-7001")
    found = judged(HERON, "P-1001", known(destroyed=["earpiece module"], spares={"earpiece module": spare}))
    assert (found.fit, found.extras) == (Fit.FITS, (spare,))
    (item,) = (item for item in found.items if item.source is Source.BOUGHT)
    assert item.bought is spare
    assert judged(HERON, "P-1001", known(destroyed=["earpiece module"])).fit is Fit.NOT
    assert judged(HERON, "P-1002", known(destroyed=["earpiece module"])).fit is Fit.FITS


def test_antenna_leads_are_compared_in_any_order() -> None:
    assert of({"leads": "2 antenna, camera"}, {"leads": "camera, 2 antenna"}).fit is Fit.FITS
    assert of({"leads": "2 antenna, camera"}, {"leads": "1 antenna, camera"}).fit is Fit.NOT


@pytest.mark.parametrize(
    ("offered", "fit", "says"),
    [
        ("camera 10,5 | sensor 20,5", Fit.FITS, "the same"),
        ("sensor 20.3,5 | camera 10,5.3", Fit.FITS, "within 0.5 mm"),
        ("camera 10.6,5 | sensor 20,5", Fit.NOT, "camera sits 0.6 mm off"),
        ("camera 10,5", Fit.NOT, "no window for the sensor"),
        ("camera 10,5 | sensor 20,5 | sensor 30,5", Fit.CONSENT, "one more opening"),
        ("two holes", Fit.UNKNOWN, "cannot be read"),
        ("none", Fit.NOT, "no window for the camera"),
    ],
)
def test_windows_line_up_or_not(offered: str, fit: Fit, says: str) -> None:
    found = of({"windows": "camera 10,5 | sensor 20,5"}, {"windows": offered})
    assert found.fit is fit
    assert says in said(finding(found, "windows").reason)


# -- measured and learned ---------------------------------------------------------------------------


def test_what_was_measured_counts_before_what_is_claimed_and_both_are_shown() -> None:
    measured = {"connector_pins": Measured(value=30, who="Bram", at=NOW)}
    found = judged(PLAIN, "P-2001", measured=measured)
    assert found.fit is Fit.NOT
    assert said(finding(found, "connector_pins").word_of) == "measured by Bram; claimed 40"
    pins = {"connector_pins": Measured(value=40, who="Bram", at=NOW)}
    assert judged(HERON, "P-1004", measured=pins).fit is Fit.FITS


def lesson(outcome: Learned, part_id: int, says: str = "") -> Known:
    return known(learned={part_id: (Evidence(part_id=part_id, outcome=outcome, job="K7-4QX", says=says),)})


def test_a_proved_part_makes_the_unknown_known_and_names_the_job() -> None:
    part = offer("P-1004").part_id
    found = judged(HERON, "P-1004", lesson(Learned.PROVED, part))
    assert found.fit is Fit.FITS
    assert "fitted and proved on K7-4QX" in said(finding(found, "connector_pins").reason)


@pytest.mark.parametrize(
    ("jobs", "says"), [("ABC", "proved on A, B, C"), ("ABCDD", "proved on A, B, C and 1 more")]
)
def test_three_jobs_are_named_and_the_rest_is_counted(jobs: str, says: str) -> None:
    part = offer("P-1004").part_id
    lessons = tuple(Evidence(part_id=part, outcome=Learned.PROVED, job=job) for job in jobs)
    found = judged(HERON, "P-1004", known(learned={part: lessons}))
    assert said(finding(found, "connector_pins").reason).endswith(says)


def test_what_was_learned_never_overrides_a_rule() -> None:
    part = offer("P-2002").part_id
    found = judged(PLAIN, "P-2002", lesson(Learned.PROVED, part))
    assert found.fit is Fit.NOT
    assert "although a rule says it differs" in said(finding(found, "learned").reason)


def test_a_part_that_did_not_fit_is_refused_with_what_was_wrong() -> None:
    part = offer("P-2001").part_id
    found = judged(PLAIN, "P-2001", lesson(Learned.DID_NOT_FIT, part, "connector on the other side"))
    assert found.fit is Fit.NOT
    assert "did not fit on K7-4QX: connector on the other side" in said(found.says)


def test_what_was_learned_both_ways_is_unknown() -> None:
    part = offer("P-2001").part_id
    both = tuple(
        Evidence(part_id=part, outcome=outcome, job=job)
        for outcome, job in ((Learned.PROVED, "A"), (Learned.DID_NOT_FIT, "B"))
    )
    found = judged(PLAIN, "P-2001", known(learned={part: both}))
    assert found.fit is Fit.UNKNOWN
    assert "fitted and proved on A, did not fit on B" in said(found.says)


def test_a_defect_says_nothing_of_the_fit() -> None:
    assert judged(PLAIN, "P-2001", lesson(Learned.DEFECTIVE, offer("P-2001").part_id)).fit is Fit.FITS


# -- the original on the table ----------------------------------------------------------------------


def test_the_original_confirms_or_corrects_the_catalogue() -> None:
    measured = read_measured(
        {
            "width_mm": "359,8",
            "connector_pins": "30",
            "thickness_mm": "",
            "windows": "none",
            "touch": "Integrated",
        }
    )
    found = {one.attribute: said(one.says) for one in compare_original(wanted(PLAIN).need, measured)}
    assert found == {
        "width_mm": "confirmed",
        "connector_pins": "corrected: the catalogue says 40",
        "windows": "new: the catalogue did not know it",
        "touch": "confirmed",
    }
    catalogue = {one.attribute: one.catalogue for one in compare_original(wanted(PLAIN).need, measured)}
    assert (catalogue["connector_pins"], catalogue["windows"]) == ("40", "not known")
    told = corrections(
        wanted(PLAIN).need,
        [
            ("A", measured),
            ("B", {"connector_pins": 30}),
            ("C", {"touch": "none"}),
            ("D", {"touch": "integrated"}),
        ],
    )
    assert [(one.title, one.measured, one.jobs) for one in told] == [
        ("Connector pins", "30", ("A", "B")),
        ("Touch", "none", ("C",)),
    ]
    corrected = wanted_of(models()[PLAIN], "", measured)
    assert judge(corrected, offer("P-2002"), known()).of(Agreement.DIFFERS) == ()


def test_a_measurement_that_cannot_be_read_is_refused_with_its_place() -> None:
    with pytest.raises(ManyInvalid) as refused:
        read_measured(
            {"width_mm": "wide", "windows": "two holes", "connector_pins": "-4", "touch": "x" * 300}
        )
    assert set(refused.value.by_field) == {
        "measured.width_mm",
        "measured.windows",
        "measured.connector_pins",
        "measured.touch",
    }


# -- resolutions and sizes (check values section 4; VESA) ---------------------------------------------


@pytest.mark.parametrize(
    ("pixels", "diagonal", "ppi"),
    [
        ((1920, 1080), 15.6, 141.21199808219862),
        ((1920, 1080), 14.0, 157.3505121487356),
        ((1366, 768), 15.6, 100.45466986113651),
        ((2560, 1600), 13.3, 226.98300468106115),
        ((2532, 1170), 6.06, 460.27252681566847),
    ],
)
def test_density_against_the_check_values(pixels: tuple[int, int], diagonal: float, ppi: float) -> None:
    """Check values section 4 (calc)."""
    assert density_ppi(*pixels, diagonal) == pytest.approx(ppi, rel=1e-12)


def test_the_picture_of_a_15_6_inch_full_hd_panel() -> None:
    assert size_mm(1920, 1080, 15.6) == pytest.approx((345.353, 194.261), abs=5e-4)


def test_the_format_names_stand_in_the_list_of_display_timings() -> None:
    """Against `edid-decode --list-dmts` (VESA DMT). Formats that list has no timing for are named here."""
    listed = subprocess.run(["edid-decode", "--list-dmts"], capture_output=True, text=True, check=True).stdout
    missing = {f"{w}x{h}" for pairs in NAMES.values() for w, h in pairs if f"{w}x{h}" not in listed}
    assert missing <= {"800x480", "2048x1536", "2560x1440", "3840x2160"}


@pytest.mark.parametrize(
    ("text", "may_be"),
    [
        ("1366x768", {(1366, 768)}),
        ("768 X 1366", {(1366, 768)}),
        ("WXGA", {(1280, 768), (1280, 800), (1366, 768)}),
        ("fhd ips", {(1920, 1080)}),
        ("WXGA 1366*768", {(1366, 768)}),
        ("WUXGA", {(1920, 1200)}),
        ("nice", set()),
        ("", set()),
    ],
)
def test_a_resolution_is_read_by_number_or_name(text: str, may_be: set[tuple[int, int]]) -> None:
    assert read_resolution(text).may_be == may_be


def test_a_name_that_stands_for_several_is_unknown_unless_none_is_right() -> None:
    assert of({"resolution": "1366×768"}, {"resolution": "WXGA"}).fit is Fit.UNKNOWN
    assert of({"resolution": "1366×768"}, {"resolution": "FHD"}).fit is Fit.NOT
    assert of({"resolution": "1366×768"}, {"resolution": "768×1366"}).fit is Fit.FITS
    assert of({"resolution": "round"}, {"resolution": "Round"}).fit is Fit.FITS


def test_a_listing_that_contradicts_itself_is_flagged() -> None:
    assert [said(flag) for flag in listing_flags(made({"resolution": "FHD 1366×768"}))] == [
        "it is called FHD, which is 1920×1080, and says 1366×768"
    ]
    square = listing_flags(made({"resolution": "1366×768", "active_width_mm": 300, "active_height_mm": 290}))
    assert "cannot have 1366×768 square pixels" in said(square[0])
    wide = listing_flags(
        made(
            {"resolution": "1366×768", "active_width_mm": 344.2, "active_height_mm": 193.5, "diagonal_in": 14}
        )
    )
    assert "is 15.5 inches across, not 14" in said(wide[0])
    assert listing_flags(offer("P-2001")) == []
    assert listing_flags(made({"kind": "glass"})) == []


def test_no_density_without_a_size() -> None:
    with pytest.raises(Exception, match="above zero"):
        density_ppi(1, 1, 0)
    assert math.isfinite(density_ppi(1, 1, 0.1))


@pytest.mark.parametrize("typed", ["about so", "40.5", "0", "-40", "nan"])
def test_pins_are_counted_and_sizes_are_measured(typed: str) -> None:
    """Common practice, no source: there is no half a pin."""
    with pytest.raises(ManyInvalid) as refused:
        read_measured({"connector_pins": typed, "width_mm": "70,25"}, "part")
    assert [(problem.field, problem.refused) for problem in refused.value.problems] == [
        ("part.connector_pins", typed)
    ]
    assert "a whole number, such as 40" in said(refused.value.problems[0].accepts)
    assert read_measured({"connector_pins": "40", "width_mm": "70,25"}) == {
        "connector_pins": 40,
        "width_mm": 70.25,
    }


def test_every_finding_names_a_listed_rule() -> None:
    listed = {rule.id for rule in rules.ALL}
    every = [
        judge(wanted(model), one, known(offer("P-3104"))) for model in models() for one in offers().values()
    ]
    assert {found.rule for match in every for found in match.findings} <= listed
    assert {rule.rule for rule in ATTRIBUTES} <= listed


@pytest.mark.parametrize("barcode", [code for code in offers() if "resolution" in offers()[code].attributes])
def test_no_shipped_part_contradicts_itself(barcode: str) -> None:
    assert listing_flags(offer(barcode)) == []


@pytest.mark.parametrize(
    ("said_so", "means"),
    [
        ("Full HD", "1920×1080"),
        ("15.6 full-hd ips", "1920×1080"),
        ("FULLHD", "1920×1080"),
        ("Ultra HD", "3840×2160"),
        ("ultra-hd 4k", "3840×2160"),
        ("Quad HD", "2560×1440"),
        ("WQHD", "2560×1440"),
        ("qHD", "960×540"),
        ("4K", "3840×2160 or 4096×2160"),
        ("HD", "1280×720 or 1366×768"),
        ("FHD+", "not known"),
        ("2.8K", "not known"),
        ("hundred", "not known"),
        ("1080p", "not known"),
    ],
)
def test_names_of_resolutions_spelled_out_are_not_taken_for_others(said_so: str, means: str) -> None:
    """Names of VESA formats as shops write them (from memory: sure); qHD is a quarter of full HD."""
    assert str(read_resolution(said_so)) == means


@pytest.mark.parametrize(
    ("needed", "offered", "agreement"),
    [
        ("qHD", "QHD", Agreement.DIFFERS),
        ("QHD", "qHD", Agreement.DIFFERS),
        ("5.0 qHD", "5.0 QHD", Agreement.DIFFERS),
        ("qHD", "qHD", Agreement.AGREES),
        ("QHD", "WQHD", Agreement.AGREES),
        ("fhd", "FHD", Agreement.AGREES),
        ("qHD", "960x540", Agreement.AGREES),
        ("QHD", "960x540", Agreement.DIFFERS),
        ("no such name", "No Such Name", Agreement.AGREES),
    ],
)
def test_a_small_letter_is_all_that_tells_a_quarter_from_four_times(
    needed: str, offered: str, agreement: Agreement
) -> None:
    """Before, the first two fitted."""
    assert resolution(Pair(needed=needed, offered=offered)).agreement is agreement


def test_windows_are_shared_out_as_well_as_they_can_be() -> None:
    """The nearest for the first would leave none for the second; the other way both have one."""
    rule = BY_NAME["windows"]
    pair = rule.pair("camera 5,5 | camera 5.6,5", "camera 5.4,5 | camera 4.6,5")
    assert rule.compare(pair).agreement is Agreement.AGREES
    few = rule.compare(rule.pair("camera 5,5 | camera 5.4,5", "camera 5.2,5 | sensor 9,9"))
    assert (few.agreement, said(few.reason)) == (
        Agreement.DIFFERS,
        "fewer openings than the device needs there",
    )


def test_brackets_from_the_box_cost_nothing_and_bought_ones_their_price() -> None:
    need = Wanted(need={"kind": "bare panel", "mounting": "side brackets"})
    spare = offer("P-3104", id=77, part_id=77, part="Bracket set")
    bare = offer("P-2001", attributes={"kind": "bare panel", "mounting": "none"}, box=())
    destroyed = ["mounting brackets"]
    assert judge(need, bare, known(destroyed=destroyed)).fit is Fit.NOT
    bought = judge(need, bare, known(destroyed=destroyed, spares={"mounting brackets": spare}))
    assert (bought.fit, bought.extras, bought.extra_minutes) == (Fit.BRIDGED, (spare,), 4)
    boxed = judge(need, replace(bare, box=("mounting brackets",)), known(destroyed=destroyed))
    assert (boxed.fit, boxed.extras, boxed.extra_minutes) == (Fit.BRIDGED, (), 0)


def test_a_kit_takes_the_minutes_of_joining_besides_its_own() -> None:
    need = Wanted(need={"kind": "front assembly", "width_mm": 100.0, "active_width_mm": 90.0})
    glass = offer(
        "P-3103",
        id=1,
        part_id=1,
        measured={},
        box=(),
        attributes={"kind": "glass", "width_mm": 100.0, "active_width_mm": 90.0, "active_height_mm": 40.0},
    )
    panel = offer(
        "P-3102",
        id=2,
        part_id=2,
        measured={},
        box=(),
        attributes={"kind": "bare panel", "active_width_mm": 90.0, "active_height_mm": 40.0},
    )
    short, unsaid = replace(glass, guarantee_days=30), replace(glass, guarantee_days=None)
    (kit,) = find_kits(need, [short, panel], known())
    assert (kit.extra_minutes, kit.offer.guarantee_days) == (40, 30)
    assert find_kits(need, [unsaid, panel], known())[0].offer.guarantee_days is None
    moved = replace(need, move_over=("earpiece module",))
    assert find_kits(moved, [glass, panel], known())[0].extra_minutes == 40 + 4


@pytest.mark.parametrize(
    ("kind", "members"),
    [("front assembly", ("glass", "bare panel")), ("fused stack", ("glass", "bare panel")), ("glass", None)],
)
def test_what_a_kit_is_made_of(kind: str, members: tuple[str, str] | None) -> None:
    assert members_of({"kind": kind}) == members


@pytest.mark.parametrize(
    ("needed", "width", "fit"),
    [
        ("1920×1080", 344, Fit.FITS),
        ("Full HD", 344, Fit.FITS),
        ("1920×1080", 347, Fit.NOT),
        ("1366×768", 344, Fit.NOT),
        ("", 344, Fit.UNKNOWN),
        ("2.8K", 344, Fit.UNKNOWN),
        ("1080p", 344, Fit.UNKNOWN),
    ],
)
def test_a_panels_own_word_is_unknown_where_the_need_is(needed: str, width: int, fit: Fit) -> None:
    """Within 2 mm and half a millimetre of doubt; the need's words are read as those of an offer."""
    panel = with_size((34, 19), (width, 194))
    assert panel.resolution == "1920×1080"
    need: Need = {"kind": "bare panel", **({"resolution": needed} if needed else {})}
    assert judge_panel(need, Box(x=0, y=0, width=344.2, height=193.5), panel).fit is fit


@pytest.mark.parametrize("name", ["width_mm", "refresh_hz", "resolution", "windows"])
@pytest.mark.parametrize(
    "sides", [("about so", "70.2"), ("70.2", "about so"), ("nan", "70.2"), ("inf", "70.2")]
)
def test_a_value_that_cannot_be_read_is_unknown_and_never_a_refusal(
    name: str, sides: tuple[str, str]
) -> None:
    rule = BY_NAME[name]
    assert rule.compare(rule.pair(*sides)).agreement is Agreement.UNKNOWN


# -- layouts ----------------------------------------------------------------------------------------


def test_the_picture_of_a_front_lies_where_the_face_has_it() -> None:
    """A front 70.2 × 145.6 mm in the middle of a face 70.8 × 146.2 mm: its own corner lies 0.3 mm in and
    down.
    """
    model = models()[HERON]
    seen = layout_of_need(model.need, model.face)
    assert (seen.outline, seen.connector_place) == (Box(x=0, y=0, width=70.2, height=145.6), "right")
    assert seen.active
    assert (seen.active.x, seen.active.y) == pytest.approx((3.2 - 0.3, 4 - 0.3))
    assert (seen.active.width, seen.active.height) == (64.4, 138.6)
    # without the sizes of its picture those of the face count
    bare = {name: value for name, value in model.need.items() if not name.startswith("active")}
    again = layout_of_need(bare, model.face).active
    assert again == seen.active
    # a panel of another shape has its picture in its own middle
    panel = layout_of_need({**model.need, "width_mm": 200, "height_mm": 160.0}, model.face).active
    assert panel
    assert (panel.x, panel.y) == pytest.approx((100 - 32.2, 80 - 69.3))


def test_the_picture_of_an_offer_has_its_middle_where_the_need_has_it() -> None:
    """The middle of 64.4 × 138.6 at 2.9, 3.7 is 35.1, 73: a smaller picture lies around it, which is said."""
    model = models()[HERON]
    seen = layout_of_need(model.need, model.face)
    known = {**offer("P-1001").attributes, "active_width_mm": 60.0, "active_height_mm": 130.0}
    smaller = offer("P-1001", attributes=known)
    active = layout_of_offer(smaller, seen).active
    assert active
    assert (active.x, active.y) == pytest.approx((35.1 - 30, 73 - 65))
    assert layout_of_offer(smaller, seen).assumed


def test_a_kit_is_offered_though_one_member_was_proved_and_not_when_it_did_not_fit() -> None:
    """What was learned of a member speaks against a kit only where it did not fit; that it was proved alone
    says nothing of the others.
    """
    glass = next(one for one in offers().values() if one.printed_number == "TBF12-4-G")

    def kits(outcome: Learned) -> int:
        lesson = Evidence(part_id=glass.part_id, outcome=outcome, job="K7-4QX")
        learned = replace(known(offer("P-3104")), learned={glass.part_id: (lesson,)})
        return len(find_kits(wanted("tarnbeck-fold-12-g4"), list(offers().values()), learned))

    assert (kits(Learned.PROVED), kits(Learned.DID_NOT_FIT)) == (1, 0)


@pytest.mark.parametrize(("width", "fit"), [(346.69, Fit.FITS), (346.72, Fit.NOT)])
def test_a_panel_at_its_tolerance_and_its_doubt_still_fits(width: float, fit: Fit) -> None:
    """Two millimetres, and half a millimetre of doubt of a size told in whole ones."""
    panel = with_size((34, 19), (344, 194))
    need: Need = {"kind": "bare panel", "resolution": "1920×1080"}
    assert judge_panel(need, Box(x=0, y=0, width=width - 0.2, height=194), panel).fit is fit


def test_which_value_cannot_be_read_is_quoted() -> None:
    for needed, offered, refused in (("1920×1080", "sharp", "sharp"), ("crisp", "1920×1080", "crisp")):
        found = resolution(Pair(needed=needed, offered=offered))
        assert found.agreement is Agreement.UNKNOWN
        assert refused in said(found.reason)


def test_a_length_at_its_tolerance_agrees_and_a_hair_beyond_differs() -> None:
    for offered, agreement in ((70.5, Agreement.AGREES), (70.51, Agreement.DIFFERS)):
        assert within(Pair(needed=70, offered=offered, tolerance=0.5)).agreement is agreement
