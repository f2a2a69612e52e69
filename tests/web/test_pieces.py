"""Pages of single pieces: what each role sees, forms refused in place, labels as files."""

from __future__ import annotations

import re

import pytest
from builders import PLAIN, Shop
from web.desk import Sit

from sutura.core.stock.pieces import label_of
from sutura.devices import plug, plugged
from sutura.devices.simulated.label_printer import SimulatedPrinter
from sutura.services import orders
from sutura.store import orders as orders_store
from sutura.store import pieces as store
from sutura.store import stock as stock_store


def parcel(floor: Shop, count: int = 2) -> tuple[int, list[str]]:
    """An order that came, and the labels of what was in it."""
    order = floor.ordered("P-2001", count)
    [line] = orders_store.load_lines(order)
    orders.receive_parcel(order, {line.id: {"good": str(count)}}, floor.manager, floor.tick())
    return order, [piece.label for piece in store.without_label(order)]


def test_the_page_of_a_piece_says_what_it_is_and_a_technician_sees_no_cost(desks: Sit, floor: Shop) -> None:
    _, [label, _] = parcel(floor)
    cost = f"{store.load_piece(int(label[2:-1])).cost_minor / 100:.2f}"  # type: ignore[union-attr]
    ines, bram = desks("ines"), desks("bram")
    assert cost in ines.get(f"/pieces/{label}").text
    assert "Keep what was seen" in ines.page
    assert cost not in bram.get(f"/pieces/{label}").text
    assert "Keep what was seen" not in bram.page
    assert "The film is off now" in bram.page
    assert label in bram.get("/shelf/P-2001").text
    assert cost not in bram.page


@pytest.mark.parametrize("label", ["S-1", "S-00413", "x", label_of(9_999_999), "S-" + "9" * 30])
def test_a_label_that_is_none_is_a_page_that_says_so(desks: Sit, label: str) -> None:
    assert desks("ines").get(f"/pieces/{label}").status_code in (404, 422)


def test_what_was_entered_stays_when_it_is_refused(desks: Sit, floor: Shop) -> None:
    _, [label, _] = parcel(floor)
    ines = desks("ines")
    ines.get(f"/pieces/{label}")
    ines.post(
        f"/pieces/{label}/look",
        **{"_version": ines.hidden("version"), "seen.dust": "wrong", "then": "dead", "grade": "grade C"},
    )
    assert ines.answer.status_code == 422
    assert re.search(r'name="seen.dust" value="wrong" checked', ines.page)
    assert 'value="grade C"' in ines.page
    assert re.search(r'value="dead" selected', ines.page)
    ines.get(f"/pieces/{label}")
    ines.post(f"/pieces/{label}/move", place="", _version=ines.hidden("version"))
    assert ines.answer.status_code == 422


def test_labels_come_as_files_and_from_the_printer(desks: Sit, floor: Shop) -> None:
    order, labels = parcel(floor, 3)
    ines, bram = desks("ines"), desks("bram")
    svg = bram.get(f"/pieces/{labels[0]}/label.svg")
    assert svg.headers["content-type"].startswith("image/svg+xml")
    pdf = bram.get(f"/pieces/{labels[0]}/label.pdf").response
    assert pdf.content.startswith(b"%PDF")
    assert pdf.headers["content-type"] == "application/pdf"
    assert ines.get(f"/orders/{order}/labels.pdf").response.content.count(b"/Type /Page\n") == 3
    before = plugged().label_printer
    try:
        plug(label_printer=SimulatedPrinter(["empty"]))
        ines.get(f"/orders/{order}")
        ines.post(f"/orders/{order}/labels")
        assert "2 labels came out." in ines.page
        assert "The roll is at its end" in ines.page
        assert "1 piece has no label yet" in ines.page
        plug(label_printer=SimulatedPrinter(["away"]))
        ines.post(f"/orders/{order}/labels")
        assert ines.answer.status_code == 422
        assert "switched on" in ines.page
        plug(label_printer=SimulatedPrinter(["jammed"]))
        ines.get(f"/pieces/{labels[2]}")
        ines.post(f"/pieces/{labels[2]}/print")
        assert "A label is jammed" in ines.page
        plug(label_printer=SimulatedPrinter())
        ines.post(f"/pieces/{labels[2]}/print")
        assert "The label is printed." in ines.page
    finally:
        plug(label_printer=before)
    assert store.without_label(order) == []
    # what stands in an address is no text of ours
    assert "<b>" not in ines.get(f"/orders/{order}?printed=1&stopped=<b>").text


def test_a_job_takes_another_piece_by_its_label_and_the_bench_names_it(desks: Sit, floor: Shop) -> None:
    _, labels = parcel(floor)
    code = floor.held(PLAIN)
    [held] = stock_store.held_of(floor.job(code).id)
    other = next(label for label in labels if label != held.label)
    pell = desks("pell")
    assert held.label in pell.get(f"/jobs/{code}/match").text
    pell.post(f"/jobs/{code}/match/piece", label="S-00411")
    assert pell.answer.status_code == 422
    pell.post(f"/jobs/{code}/match/piece", label=other)
    assert other in pell.page
    assert f"{other}</a>" in desks("bram").get(f"/jobs/{code}/bench").text


def test_a_delivery_may_name_who_sold_it_and_its_lot(desks: Sit, floor: Shop) -> None:
    ines = desks("ines")
    ines.get("/shelf/P-2001")
    supplier = re.search(r'<option value="([^"]+)">Millrace', ines.page)
    assert supplier
    ines.post("/shelf/P-2001/receive", quantity="1", unit_cost="58.00", supplier="nobody", lot="L 77")
    assert ines.answer.status_code == 422
    assert 'value="L 77"' in ines.page
    ines.post("/shelf/P-2001/receive", quantity="1", unit_cost="58.00", supplier=supplier[1], lot="L 77")
    [newest] = [piece for piece in store.pieces_of(stock_store.load_part("P-2001").id) if piece.lot]
    assert (newest.lot, newest.supplier_id) == ("L 77", supplier[1])
    assert newest.return_by


def test_old_screens_are_listed_placed_and_sold_in_place(desks: Sit, floor: Shop) -> None:
    floor.receive("P-2001", 2)
    code = floor.closed(PLAIN)
    ines, bram = desks("ines"), desks("bram")
    assert bram.get("/cores").status_code == 403
    assert code in ines.get("/cores").text
    assert "goes with the customer" in ines.get(f"/jobs/{code}/handover").text
    core = re.search(rf"/cores/(\d+)/place.*?{code}</span></button></form>", ines.get("/cores").text)
    assert core
    way, version = f"/cores/{core[1]}", "1"
    ines.post(f"{way}/end", _version=version, _core=core[1], _to="sold", buyer="Core & Co", amount="many")
    assert ines.answer.status_code == 422
    assert 'value="many"' in ines.page
    ines.post(f"{way}/place", _version=version, place="Crate 2")
    assert "Crate 2" in ines.page
    ines.post(f"{way}/end", _version="2", _core=core[1], _to="sold", buyer="Core & Co", amount="12.50")
    assert "sold to Core &amp; Co for 12.50" in ines.page
    assert "12.50" not in desks("pell").get("/cores").text


def test_consumables_are_set_up_received_and_counted_in_place(desks: Sit) -> None:
    ines, pell, bram = desks("ines"), desks("pell"), desks("bram")
    assert bram.get("/consumables").status_code == 403
    ines.get("/consumables")
    ines.post("/consumables", name="Tape, 2 mm", used_for="tape", unit="cm", again_at="x")
    assert ines.answer.status_code == 422
    assert 'value="Tape, 2 mm"' in ines.page
    ines.post("/consumables", name="Tape, 2 mm", used_for="tape", unit="cm", again_at="50")
    assert "<strong>0 cm</strong>" in ines.page
    assert "Tape, 2 mm" in pell.get("/shelf").text
    pell.get("/consumables")
    assert "Keep another one" not in pell.page
    pell.post("/consumables/tape-2-mm/receive", _of="tape-2-mm", quantity="much")
    assert pell.answer.status_code == 422
    assert 'value="much"' in pell.page
    pell.post("/consumables/tape-2-mm/receive", _of="tape-2-mm", quantity="1,000.5")
    assert "<strong>1000.5 cm</strong>" in pell.page
    pell.post("/consumables/tape-2-mm/count", _of="tape-2-mm", _version=pell.hidden("version"), counted="990")
    assert "<strong>990 cm</strong>" in pell.page
    assert "counted" in pell.get("/consumables?show=tape-2-mm").text
