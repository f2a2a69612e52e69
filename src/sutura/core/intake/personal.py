"""Where what tells of a customer can stand, column by column: one list, which exporting, erasing and a test
walk.

A text or JSON column that is in no row fails a test, so that nobody adds one without saying what it may hold.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from sutura.core.intake.customers import ERASED


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """A column that can tell of a customer, and what is left in it when they are erased.

    A text that is there becomes `left`, and one that must be no other's (`apart`) a random one, so long, that
    nobody knows: a link leads nowhere from then on. In a JSON object each of `keys` that is there becomes
    what stands beside it, and goes where that is None; of a list of objects (`in_list`) likewise in each.
    `gone`: the whole row goes. `always`: `left` also where nothing stands. `kinds`: in rows of these
    kinds alone.
    """

    table: str
    column: str
    left: str = ""
    keys: Mapping[str, object] = field(default_factory=dict)
    in_list: bool = False
    gone: bool = False
    apart: int = 0
    always: bool = False
    kinds: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        return f"{self.table}.{self.column}"


# the country stays two letters, as invoices have it: ISO 3166-1 leaves ZZ to its users
_NOBODY = {"name": ERASED, "street": "", "town": "", "postcode": "", "country": "ZZ", "tax_id": ""}

PLACES = (
    # before the customers themselves: one that was begun for them is told by their name or number
    Place(table="draft", column="fields", gone=True),
    Place(table="customer", column="name", left=ERASED),
    Place(table="customer", column="phone"),
    Place(table="customer", column="email"),
    Place(table="customer", column="note"),
    Place(table="customer", column="phone_plain"),
    Place(table="job", column="serial"),
    Place(table="job", column="read_number"),
    Place(table="job", column="complaint"),
    Place(table="job", column="promise_reason"),
    Place(table="job", column="returned_note"),
    Place(
        table="job",
        column="arrival",
        keys={"return_address": None, "parcel_number": None, "signature": None, "display_serial": None},
    ),
    Place(table="job", column="marks", keys={"note": ""}, in_list=True),
    Place(
        table="job_event",
        column="detail",
        keys={
            "reason": "",
            "explanation": "",
            "kept_because": "",
            "way_back": "",
            "imei": "",
            "number": "",
            "returned": [],
            "says": "",
            "serial": "",
            "ways": [],
            "why": "",
            "all_the_same": "",
            "found": "",
        },
    ),
    # the way that was answered has what was found in its name
    Place(table="job_event", column="detail", keys={"way": ERASED}, kinds=("answered",)),
    Place(table="job_event", column="says"),
    Place(table="function_result", column="reason", left=ERASED),
    Place(table="bench_step", column="reason", left=ERASED),
    Place(table="bench_note", column="says"),
    Place(table="display_serial", column="serial", left=ERASED),
    Place(table="bench_wait", column="early"),
    Place(table="limit_passed", column="reason", left=ERASED),
    Place(table="proof_override", column="reason", left=ERASED),
    Place(table="let_go", column="reason", left=ERASED),
    # what was found is told in the names of the two ways, and in what each gets
    Place(table="quote", column="routes", keys={"name": ERASED, "gets": []}, in_list=True),
    Place(table="quote", column="found", left=ERASED),
    Place(table="quote", column="link", apart=64),
    Place(table="status_link", column="link", gone=True),
    Place(table="audit_event", column="detail", keys={"reason": "", "says": ""}),
    Place(table="accessory", column="name", left="something"),
    Place(table="accessory", column="kept"),
    Place(table="stock_move", column="note"),
    Place(table="fit_evidence", column="says"),
    # what the law asks to be kept of a paper stays: who bought goes
    Place(table="invoice", column="body", keys={"buyer": {**_NOBODY}, "note": ""}),
    Place(table="payment", column="reason", left=ERASED),
    Place(table="card_refund", column="reason", left=ERASED),
    Place(table="comeback_cause", column="reason", left=ERASED),
    Place(table="message", column="receiver"),
    Place(table="message", column="subject"),
    Place(table="message", column="body"),
    Place(table="message", column="link"),
    Place(table="message", column="occasion", apart=20),
    Place(table="message", column="why"),
    Place(table="handed_out", column="name"),
    Place(table="handed_out", column="address"),
    Place(table="handed_out", column="tracking"),
    Place(table="handed_out", column="signature", left="[]", always=True),
    Place(table="customer", column="channel", left="none", always=True),
    Place(table="photo", column="says", gone=True),
)

# what stands in the other columns; a password or a person's name is of those who work here, not of customers
NOT_OF_CUSTOMERS: Mapping[str, str] = {
    "shop": (
        "name address timezone currency weights hours stamp price_policy stations planning second_look "
        "invoicing telling"
    ),
    "person": "name login role password_hash habits",
    "skill": "family",
    "own_time": "family",
    "login_session": "token_hash csrf",
    "sign_in_try": "login address",
    # forgotten after a minute
    "link_try": "address",
    "form_key": "key result content",
    "draft": "id",
    "model": "id maker name device_class procedure_family data part_family construction pack state",
    "model_number": "model_id kind text plain rest",
    "model_version": "model_id data",
    "pack": "id kind head",
    "pack_preview": "id name text",
    "supplier": "id name mapping kind_words takes",
    # what is written of a parcel and of a return is about pieces
    "purchase_order": "supplier_id state answer",
    "purchase_line": "number",
    "purchase_arrival": "outcome note",
    "supplier_return": "supplier_id cause state parcel note",
    "stock_take": "place state",
    # what is written of a piece is about the piece
    "piece": "supplier_id lot place state film found found_grade",
    # who buys old screens is no customer of the shop
    "old_screen": "place state buyer",
    "part_moved": "from_bin to_bin",
    "model_came": "model_id",
    "consumable": "id name unit used_for place supplier_id",
    "consumable_move": "consumable_id kind note",
    "piece_event": "kind note detail",
    "part": "barcode name bin printed_number grade kind attributes box pack gtin measured family",
    "offer": "supplier_id number price_breaks returns",
    "job": (
        "code model_id stage identified channel fit currency round look measured destroyed more_offers route "
        "schools taxes functions"
    ),
    "function_result": "function outcome",
    "consent": "consent said",
    "consent_text": "consent text applies",
    "reservation": "state",
    "stock_move": "kind",
    "bench_step": "step",
    "bench_note": "step",
    # whoever works here is no customer
    "absence": "why",
    "day_plan": "seen plan",
    "calendar_link": "link",
    "test_link": "link device",
    "device_test": "sent_key kind function outcome reasons found",
    "dust_look": "specks accepted",
    "sealed_look": "look results felt",
    "proof_override": "names",
    "let_go": "waits",
    "route_try": "route model_id",
    "quote": "conditions currency state answer answered_by",
    "bench_screw": "step",
    "job_sheet": "steps",
    "display_serial": "outcome",
    "bench_wait": "step",
    "heat_source": "what",
    "limit_passed": "step what said",
    "heat_reading": "step edge surface source",
    "payment": "currency method kind",
    # what is written of a till's difference is about the till
    "till_day": "currency note pieces",
    "card_charge": "reference currency kind state",
    "card_refund": "reference currency state",
    "invoice_series": "series",
    # the cause is of the device; what voids a warranty is of the shop
    "comeback_cause": "cause payer price evidence",
    "warranty_terms": "voids grades",
    "message": "kind way state",
    "handed_out": "how carrier",
    "customer": "language",
    "invoice": "series kind",
    "job_event": "kind stage_before stage_after",
    # customers are named in it by their number
    "audit_event": "what address",
    "fit_evidence": "model_id outcome",
    "price_list": "supplier_id name mapping state counts bad says words encoding",
    "photo": "draft_id mark",
}


def known_columns() -> set[str]:
    """Every column that has a row here."""
    others = {
        f"{table}.{column}" for table, columns in NOT_OF_CUSTOMERS.items() for column in columns.split()
    }
    return others | {place.name for place in PLACES}
