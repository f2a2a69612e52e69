"""Invoices, invoices of deposits and credit notes after EN 16931: lines, rates, sums; never changed once
numbered.

Amounts in minor units of one currency. BT-… are the terms of the standard's semantic model.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from enum import StrEnum
from typing import Any

from sutura.core.facts import Fact, fact
from sutura.core.maths.money import Money, half_up, split
from sutura.core.quoting.taxes import Taxes, TaxShare, tax_lines
from sutura.core.values import Rule

_WHOLE = Decimal(10_000)


class InvoiceKind(StrEnum):
    """What a paper is."""

    INVOICE = "invoice"
    DEPOSIT = "deposit_invoice"
    CREDIT = "credit_note"


# BT-3: UNTDID 1001
TYPE_CODES: Mapping[InvoiceKind, str] = {
    InvoiceKind.INVOICE: "380",
    InvoiceKind.DEPOSIT: "386",
    InvoiceKind.CREDIT: "381",
}
# BT-81: UNTDID 4461
MEANS_CODES: Mapping[str, str] = {"cash": "10", "card": "48", "transfer": "58", "": "1"}


class TaxMode(StrEnum):
    """Whether a price holds its tax, or the tax comes on top of what its lines say."""

    INCLUSIVE = "inclusive"
    EXCLUSIVE = "exclusive"


@dataclass(frozen=True, slots=True, kw_only=True)
class Party:
    """Who sells or buys. `country` is ISO 3166-1 alpha-2; `tax_id` with its country's letters, empty =
    none.
    """

    name: str
    street: str = ""
    town: str = ""
    postcode: str = ""
    country: str = ""
    tax_id: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """One line: what, a note beside it, and its amount without tax with the rate it bears (basis points)."""

    text: str
    note: str
    net_minor: int
    bps: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Subtotal:
    """What of an invoice bears a rate, and the tax on it (BT-116 to BT-119)."""

    bps: int
    net_minor: int
    tax_minor: int


@dataclass(frozen=True, slots=True, kw_only=True)
class PaidBy:
    """One payment as it stands on a paper; what went back is below zero."""

    method: str
    minor: int
    on: date


@dataclass(frozen=True, slots=True, kw_only=True)
class Invoice:
    """One paper as it was numbered. `refers_to` is the number it corrects (BT-25); `prepaid_minor` what was
    paid when it was written (BT-113), with how in `paid`; `supplied` the day on which the device was handed
    over (BT-72), None where it was not yet; `settles` the invoices of deposits whose lines it takes off
    (BG-3); `rounding_minor` what makes its sum the agreed price, in coins (BT-114). Amounts of a credit
    note are what is given back.
    """

    number: str
    kind: InvoiceKind
    issued: date
    currency: str
    seller: Party
    buyer: Party
    lines: tuple[Line, ...]
    taxes: tuple[Subtotal, ...]
    reference: str = ""
    note: str = ""
    means: str = ""
    iban: str = ""
    refers_to: str = ""
    settles: tuple[str, ...] = ()
    prepaid_minor: int = 0
    rounding_minor: int = 0
    paid: tuple[PaidBy, ...] = ()
    supplied: date | None = None

    @property
    def net_minor(self) -> int:
        return sum(line.net_minor for line in self.lines)

    @property
    def tax_minor(self) -> int:
        return sum(one.tax_minor for one in self.taxes)

    @property
    def gross_minor(self) -> int:
        return self.net_minor + self.tax_minor

    @property
    def total_minor(self) -> int:
        """What it comes to, rounding with it."""
        return self.gross_minor + self.rounding_minor

    @property
    def payable_minor(self) -> int:
        """What was still to pay (BT-115)."""
        return self.total_minor - self.prepaid_minor


@dataclass(frozen=True, slots=True, kw_only=True)
class Item:
    """What an invoice is made of: its words, what of the price is for it – as a weight – and its rate."""

    text: str
    note: str
    weight: int
    bps: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Sums:
    """Lines and rates of a price, and what rounding takes to reach it."""

    lines: tuple[Line, ...]
    taxes: tuple[Subtotal, ...]
    rounding_minor: int


RULES = (
    Rule(
        id="invoice.numbers",
        capability="handover",
        says=(
            "Invoices, invoices of deposits among them, have one row of numbers a year, credit notes "
            "their own; neither has a gap, however many are written at once. A paper that has its number "
            "is never changed: a credit note takes it back, and a new one says what is right."
        ),
        source="EN 16931: BT-1 is unique; many tax laws ask that there is no gap; local law first",
    ),
    Rule(
        id="invoice.day",
        capability="handover",
        says=(
            "A paper bears the day of the shop on which it was written. One whose day is later than today, "
            "or than that of a paper written after it, was written while the clock was ahead: its list and "
            "its page say so, and it is corrected by a credit note and a new one."
        ),
        source="EN 16931: BT-2; common practice, no source",
    ),
    Rule(
        id="invoice.inclusive",
        capability="handover",
        says=(
            "Where prices hold their tax, the tax of a rate is taken out of what bears it, rounded half up; "
            "lines share what is left. Lines and tax are the price to the cent."
        ),
        source="EN 16931: BT-106 to BT-112; local law comes first",
    ),
    Rule(
        id="invoice.exclusive",
        capability="handover",
        says=(
            "Where tax comes on top, each line is rounded, the tax is worked out on the sum of a rate, "
            "and what is missing to the agreed price is stated as rounding."
        ),
        source="EN 16931: BR-CO-17, BT-114",
    ),
    Rule(
        id="invoice.credit",
        capability="handover",
        says=(
            "A credit note takes back all or a part of what stands of an invoice, shared among its rates as "
            "they stand and never more than stands of one. The one that closes it takes exactly what stands: "
            "net, tax and rounding are nothing then, however many it was taken back by."
        ),
        source="EN 16931: BT-3 = 381, BG-23; common practice",
    ),
    Rule(
        id="invoice.paid",
        capability="handover",
        says=(
            "A paper says how and when it was paid, what is left to pay, and the day on which the device was "
            "handed over. The part stands on it at the price that was shown with it; what a supplier "
            "promises the shop is no promise to the customer, and does not stand on it."
        ),
        source="EN 16931: BT-72, BT-113, BT-115; common practice",
    ),
    Rule(
        id="invoice.deposit",
        capability="handover",
        says=(
            "A deposit has an invoice of its own when it is taken. The last one has the whole work and "
            "takes the deposit's lines off again, rate by rate, with its number: no tax stands on two "
            "papers. What of a deposit was credited is not taken off; a deposit above the price is "
            "credited first."
        ),
        source="EN 16931: BT-3 = 386, BG-3, BR-27 (a quantity below zero, not a price); local law first",
    ),
)


def sums_of(price: Money, items: Sequence[Item], mode: TaxMode, *, by_line: bool = True) -> Sums:
    """Lines and rates of a price that holds its tax (rules invoice.inclusive, invoice.exclusive); `items`
    need at least one, with a weight above zero where there are several.

    >>> sums_of(Money(minor=119_00, currency="EUR"),
    ...         [Item(text="Work", note="", weight=1, bps=1900)], TaxMode.INCLUSIVE).taxes[0].tax_minor
    1900
    """
    rates = _by_rate(price, items, by_line)
    lines: list[Line] = []
    for bps, gross, tax in rates:
        of_rate = [item for item in items if item.bps == bps]
        if mode is TaxMode.INCLUSIVE:
            nets = _shared(gross - tax, of_rate)
        else:
            shares = _shared(gross, of_rate)
            nets = [
                Money(minor=int(half_up(one.minor * _WHOLE / (_WHOLE + bps), 0)), currency=price.currency)
                for one in shares
            ]
        lines += [
            Line(text=item.text, note=item.note, net_minor=net.minor, bps=bps)
            for item, net in zip(of_rate, nets, strict=True)
        ]
    taxes = tuple(
        Subtotal(bps=bps, net_minor=_net(lines, bps), tax_minor=_tax(mode, _net(lines, bps), bps, tax))
        for bps, _, tax in rates
    )
    total = sum(line.net_minor for line in lines) + sum(one.tax_minor for one in taxes)
    return Sums(lines=tuple(lines), taxes=taxes, rounding_minor=price.minor - total)


@dataclass(frozen=True, slots=True, kw_only=True)
class Deposit:
    """What still stands of the invoice of a deposit, rate by rate, with the words of its line and what it
    comes to.
    """

    number: str
    text: str
    taxes: tuple[Subtotal, ...]
    total_minor: int


def standing_of(paper: Invoice, credits: Sequence[Invoice]) -> tuple[tuple[Subtotal, ...], int]:
    """What of an invoice its credit notes left, rate by rate, and what that comes to."""

    def left(bps: int, of: Callable[[Subtotal], int]) -> int:
        taken = [of(one) for note in credits for one in note.taxes if one.bps == bps]
        return sum(of(one) for one in paper.taxes if one.bps == bps) - sum(taken)

    rates = tuple(
        Subtotal(
            bps=one.bps,
            net_minor=left(one.bps, lambda tax: tax.net_minor),
            tax_minor=left(one.bps, lambda tax: tax.tax_minor),
        )
        for one in paper.taxes
    )
    return rates, paper.total_minor - sum(note.total_minor for note in credits)


def less_deposits(price: Money, sums: Sums, deposits: Sequence[Deposit], mode: TaxMode) -> Sums:
    """Lines and rates of a price without what its deposits' invoices hold already (rule invoice.deposit)."""
    lines, inside = list(sums.lines), {one.bps: one.tax_minor for one in sums.taxes}
    for deposit in deposits:
        for one in deposit.taxes:
            inside[one.bps] = inside.get(one.bps, 0) - one.tax_minor
            if one.net_minor:
                lines.append(Line(text=deposit.text, note="", net_minor=-one.net_minor, bps=one.bps))
    taxes = tuple(
        Subtotal(
            bps=bps,
            net_minor=_net(lines, bps),
            tax_minor=_tax(mode, _net(lines, bps), bps, Money(minor=tax, currency=price.currency)),
        )
        for bps, tax in inside.items()
    )
    left = price.minor - sum(deposit.total_minor for deposit in deposits)
    total = sum(line.net_minor for line in lines) + sum(one.tax_minor for one in taxes)
    return Sums(lines=tuple(lines), taxes=taxes, rounding_minor=left - total)


def _by_rate(price: Money, items: Sequence[Item], by_line: bool) -> list[tuple[int, Money, Money]]:
    """What of a price bears each rate, and the tax in it, by rule quote.tax."""
    shares = tuple(TaxShare(bps=item.bps, weight=max(item.weight, 0)) for item in items)
    return [
        (line.bps, line.gross, line.tax) for line in tax_lines(price, Taxes(shares=shares, by_line=by_line))
    ]


def _shared(total: Money, items: Sequence[Item]) -> list[Money]:
    weights = [max(item.weight, 0) for item in items]
    return split(total, weights if any(weights) else [1] * len(items))


def _net(lines: Sequence[Line], bps: int) -> int:
    return sum(line.net_minor for line in lines if line.bps == bps)


def _tax(mode: TaxMode, net: int, bps: int, inside: Money) -> int:
    return inside.minor if mode is TaxMode.INCLUSIVE else int(half_up(net * Decimal(bps) / _WHOLE, 0))


def number_of(kind: InvoiceKind, year: int, number: int) -> str:
    """A paper's number: credit notes have a row of their own.

    >>> number_of(InvoiceKind.INVOICE, 2031, 7), number_of(InvoiceKind.CREDIT, 2031, 12)
    ('2031-00007', 'C2031-00012')
    """
    return f"{series_of(kind)}{year}-{number:05d}"


def series_of(kind: InvoiceKind) -> str:
    """Which row of numbers a paper is in."""
    return "C" if kind is InvoiceKind.CREDIT else ""


def are_ahead(days: Sequence[date], then: date) -> list[bool]:
    """Whether each paper bears a day that was not come when it was written (rule invoice.day).

    days: of papers, the last written first; then: the earliest day of whatever was written after them, or
    today.

    >>> march, april = date(2031, 3, 3), date(2031, 4, 12)
    >>> are_ahead([march, april, march], date(2031, 3, 5))
    [False, True, False]
    """
    earliest, found = then, []
    for day in days:
        found.append(day > earliest)
        earliest = min(earliest, day)
    return found


def anew(paper: Invoice, issued: date, buyer: Party) -> Invoice:
    """A paper without its number, of another day and for another buyer. What was before its day was not after
    it: a clock that was ahead said so (rule invoice.day).
    """
    supplied = min(paper.supplied, issued) if paper.supplied else paper.supplied
    paid = tuple(replace(one, on=min(one.on, issued)) for one in paper.paid)
    return replace(paper, number="", issued=issued, buyer=buyer, supplied=supplied, paid=paid)


def credit_of(
    invoice: Invoice,
    number: str,
    issued: date,
    why: str,
    credit: Money | None = None,
    mode: TaxMode = TaxMode.INCLUSIVE,
    credits: Sequence[Invoice] = (),
) -> Invoice:
    """The credit note that takes back what its earlier ones left of an invoice, or so much of that (rule
    invoice.credit).
    """
    note = replace(
        invoice,
        number=number,
        kind=InvoiceKind.CREDIT,
        issued=issued,
        refers_to=invoice.number,
        note=why,
        settles=(),
        prepaid_minor=0,
        paid=(),
        means="",
    )
    stands, left = standing_of(invoice, credits)
    closes = credit is None or credit.minor == left
    if closes and not credits:
        return note
    taken = list(stands) if credit is None or closes else _part_of(stands, credit, mode)
    taken = [tax for tax in taken if tax.net_minor or tax.tax_minor] or taken[:1]
    comes_to = left if credit is None else credit.minor
    return replace(
        note,
        lines=tuple(line for tax in taken for line in _lines_of(invoice, tax)),
        taxes=tuple(taken),
        rounding_minor=comes_to - sum(tax.net_minor + tax.tax_minor for tax in taken),
    )


def _part_of(stands: Sequence[Subtotal], credit: Money, mode: TaxMode) -> list[Subtotal]:
    """A part of what stands, rate by rate and never more than stands of one."""
    gross = [max(one.net_minor + one.tax_minor, 0) for one in stands]
    within = Money(minor=min(credit.minor, sum(gross)), currency=credit.currency)
    shares = split(within, gross) if any(gross) else [Money(minor=0, currency=credit.currency)] * len(gross)
    taken = []
    for one, whole, share in zip(stands, gross, shares, strict=True):
        if mode is TaxMode.INCLUSIVE:
            tax = int(half_up(Decimal(share.minor * one.tax_minor) / whole, 0)) if whole else 0
            net = share.minor - tax
        else:
            net = min(int(half_up(share.minor * _WHOLE / (_WHOLE + one.bps), 0)), max(one.net_minor, 0))
            tax = min(int(half_up(net * Decimal(one.bps) / _WHOLE, 0)), max(one.tax_minor, 0))
        taken.append(Subtotal(bps=one.bps, net_minor=net, tax_minor=tax))
    return taken


def _lines_of(invoice: Invoice, taken: Subtotal) -> list[Line]:
    """The lines of a rate of a credit note: those of its invoice by their shares; one where deposits were
    taken off, whose lines have no shares.
    """
    lines = [line for line in invoice.lines if line.bps == taken.bps]
    if len(lines) < 2 or min(line.net_minor for line in lines) < 0 or not any(one.net_minor for one in lines):
        return [Line(text=lines[0].text, note="", net_minor=taken.net_minor, bps=taken.bps)] if lines else []
    total = Money(minor=taken.net_minor, currency=invoice.currency)
    nets = split(total, [line.net_minor for line in lines])
    return [replace(line, net_minor=net.minor) for line, net in zip(lines, nets, strict=True)]


def missing_of(invoice: Invoice) -> tuple[Fact, ...]:
    """What the standard asks for and a paper does not say; nothing where it is complete. It was numbered all
    the same: the customer is not kept waiting for it.

    Source: EN 16931, BR-08, BR-09, BR-11, BR-S-02, BR-61 and BR-CL-03.
    """
    missing = [
        fact("invoice.lacks-country", who=who)
        for who, party in (("seller", invoice.seller), ("buyer", invoice.buyer))
        if len(party.country) != 2
    ]
    if not invoice.seller.tax_id and any(line.bps for line in invoice.lines):
        missing.append(fact("invoice.lacks-tax-id"))
    if invoice.means == "transfer" and not invoice.iban:
        missing.append(fact("invoice.lacks-account"))
    return tuple(missing)


def to_json(invoice: Invoice) -> dict[str, Any]:
    """An invoice as it is kept."""
    return {
        "number": invoice.number,
        "kind": invoice.kind.value,
        "issued": invoice.issued.isoformat(),
        "currency": invoice.currency,
        "seller": party_kept(invoice.seller),
        "buyer": party_kept(invoice.buyer),
        "lines": [[line.text, line.note, line.net_minor, line.bps] for line in invoice.lines],
        "taxes": [[one.bps, one.net_minor, one.tax_minor] for one in invoice.taxes],
        "reference": invoice.reference,
        "note": invoice.note,
        "means": invoice.means,
        "iban": invoice.iban,
        "refers_to": invoice.refers_to,
        "settles": list(invoice.settles),
        "prepaid_minor": invoice.prepaid_minor,
        "rounding_minor": invoice.rounding_minor,
        "paid": [[one.method, one.minor, one.on.isoformat()] for one in invoice.paid],
        "supplied": invoice.supplied.isoformat() if invoice.supplied else "",
    }


def from_json(kept: Mapping[str, Any]) -> Invoice:
    """An invoice from what is kept of it."""
    return Invoice(
        **{
            **kept,
            "kind": InvoiceKind(kept["kind"]),
            "issued": date.fromisoformat(kept["issued"]),
            "seller": Party(**kept["seller"]),
            "buyer": Party(**kept["buyer"]),
            "lines": tuple(Line(text=t, note=n, net_minor=net, bps=b) for t, n, net, b in kept["lines"]),
            "settles": tuple(kept.get("settles", ())),
            "paid": tuple(
                PaidBy(method=method, minor=minor, on=date.fromisoformat(on))
                for method, minor, on in kept.get("paid", ())
            ),
            "supplied": date.fromisoformat(kept["supplied"]) if kept.get("supplied") else None,
            "taxes": tuple(Subtotal(bps=b, net_minor=net, tax_minor=t) for b, net, t in kept["taxes"]),
        }
    )


def party_kept(party: Party) -> dict[str, str]:
    """A party as it is kept."""
    return {
        "name": party.name,
        "street": party.street,
        "town": party.town,
        "postcode": party.postcode,
        "country": party.country,
        "tax_id": party.tax_id,
    }


@dataclass(frozen=True, slots=True, kw_only=True)
class Fitted:
    """A part on an invoice: its name, what stands beside it, and its price with markup in minor units."""

    name: str
    note: str
    worth_minor: int


# a part is never more of a price than so much of a hundred, so that the work is a line of its own; the shop's
MOST_PARTS = 90


def items_of(
    price: Money, shares: Sequence[tuple[int, int]], parts: Sequence[Fitted], work: str
) -> list[Item]:
    """Parts and work as lines. `shares` are the rates of a price in basis points with what of it bears them:
    one for all, or that of parts and that of work.
    """
    if not parts:
        return [Item(text=work, note="", weight=1, bps=shares[-1][0])]
    worth = sum(part.worth_minor for part in parts)
    if len(shares) > 1:
        (part_bps, of_parts), (work_bps, of_work) = shares[0], shares[-1]
    else:
        part_bps = work_bps = shares[0][0]
        of_parts = min(worth, price.minor * MOST_PARTS // 100)
        of_work = price.minor - of_parts
    split_up = split(
        Money(minor=of_parts, currency=price.currency),
        [part.worth_minor for part in parts] if worth else [1] * len(parts),
    )
    lines = [
        Item(text=part.name, note=part.note, weight=weight.minor, bps=part_bps)
        for part, weight in zip(parts, split_up, strict=True)
    ]
    return [*lines, Item(text=work, note="", weight=of_work, bps=work_bps)]
