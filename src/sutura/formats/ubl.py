"""Invoices and credit notes as UBL 2.1 (OASIS) after EN 16931: written, and read back.

Source: EN 16931-1 (semantic model) and CEN/TS 16931-3-2 (syntax binding to UBL 2.1). What a paper is made of
is in core/handover/invoicing.py.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from decimal import Decimal
from xml.etree.ElementTree import Element, SubElement, indent, register_namespace, tostring

from defusedxml.ElementTree import fromstring

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.handover.invoicing import (
    MEANS_CODES,
    TYPE_CODES,
    Invoice,
    InvoiceKind,
    Line,
    Party,
    Subtotal,
)
from sutura.core.maths.money import digits_of

CUSTOMIZATION = "urn:cen.eu:en16931:2017"
_UBL = "urn:oasis:names:specification:ubl:schema:xsd:"
_CBC, _CAC = f"{{{_UBL}CommonBasicComponents-2}}", f"{{{_UBL}CommonAggregateComponents-2}}"
# one piece, UN/ECE Recommendation 20
_PIECE = "C62"
_DUE = "Due on the day of issue."
MOST_BYTES = 500_000

register_namespace("cbc", _CBC[1:-1])
register_namespace("cac", _CAC[1:-1])


def write_invoice(invoice: Invoice) -> bytes:
    """An invoice as UBL 2.1: `Invoice`, or `CreditNote` for a credit note."""
    name = "CreditNote" if invoice.kind is InvoiceKind.CREDIT else "Invoice"
    root = Element(f"{{{_UBL}{name}-2}}{name}")
    _text(root, "CustomizationID", CUSTOMIZATION)
    _text(root, "ID", invoice.number)
    _text(root, "IssueDate", invoice.issued.isoformat())
    _text(root, f"{name}TypeCode", TYPE_CODES[invoice.kind])
    if invoice.note:
        _text(root, "Note", invoice.note)
    _text(root, "DocumentCurrencyCode", invoice.currency)
    if invoice.reference:
        _text(root, "BuyerReference", invoice.reference)
    for named in (invoice.refers_to, *invoice.settles):
        if named:
            before = _part(_part(root, "BillingReference"), "InvoiceDocumentReference")
            _text(before, "ID", named)
    _party(_part(root, "AccountingSupplierParty"), invoice.seller)
    _party(_part(root, "AccountingCustomerParty"), invoice.buyer)
    if invoice.supplied:
        _text(_part(root, "Delivery"), "ActualDeliveryDate", invoice.supplied.isoformat())
    _means(root, invoice)
    _text(_part(root, "PaymentTerms"), "Note", _DUE)
    _taxes(root, invoice)
    _totals(root, invoice)
    for number, line in enumerate(invoice.lines, 1):
        _line(root, invoice, number, line)
    indent(root)
    return bytes(tostring(root, encoding="UTF-8", xml_declaration=True))


def _part(within: Element, name: str) -> Element:
    return SubElement(within, f"{_CAC}{name}")


def _text(within: Element, tag: str, text: str, **attributes: str) -> None:
    SubElement(within, f"{_CBC}{tag}", attributes).text = text


def _amount(within: Element, name: str, minor: int, currency: str) -> None:
    text = f"{Decimal(minor).scaleb(-digits_of(currency)):f}"
    _text(within, name, text, currencyID=currency)


def _percent(bps: int) -> str:
    return f"{Decimal(bps) / 100:f}"


def _category(within: Element, name: str, bps: int) -> None:
    # S: standard rate, Z: a rate of zero (UNTDID 5305)
    category = _part(within, name)
    _text(category, "ID", "S" if bps else "Z")
    _text(category, "Percent", _percent(bps))
    _text(_part(category, "TaxScheme"), "ID", "VAT")


def _party(within: Element, party: Party) -> None:
    whole = _part(within, "Party")
    _text(_part(whole, "PartyName"), "Name", party.name)
    address = _part(whole, "PostalAddress")
    for name, text in (
        ("StreetName", party.street),
        ("CityName", party.town),
        ("PostalZone", party.postcode),
    ):
        if text:
            _text(address, name, text)
    _text(_part(address, "Country"), "IdentificationCode", party.country)
    if party.tax_id:
        scheme = _part(whole, "PartyTaxScheme")
        _text(scheme, "CompanyID", party.tax_id)
        _text(_part(scheme, "TaxScheme"), "ID", "VAT")
    _text(_part(whole, "PartyLegalEntity"), "RegistrationName", party.name)


def _means(root: Element, invoice: Invoice) -> None:
    means = _part(root, "PaymentMeans")
    by = invoice.means if invoice.means != "transfer" or invoice.iban else ""
    _text(means, "PaymentMeansCode", MEANS_CODES[by], name=invoice.means or "not said")
    if invoice.iban:
        _text(_part(means, "PayeeFinancialAccount"), "ID", invoice.iban)


def _taxes(root: Element, invoice: Invoice) -> None:
    total = _part(root, "TaxTotal")
    _amount(total, "TaxAmount", invoice.tax_minor, invoice.currency)
    for one in invoice.taxes:
        subtotal = _part(total, "TaxSubtotal")
        _amount(subtotal, "TaxableAmount", one.net_minor, invoice.currency)
        _amount(subtotal, "TaxAmount", one.tax_minor, invoice.currency)
        _category(subtotal, "TaxCategory", one.bps)


def _totals(root: Element, invoice: Invoice) -> None:
    totals = _part(root, "LegalMonetaryTotal")
    for name, minor in (
        ("LineExtensionAmount", invoice.net_minor),
        ("TaxExclusiveAmount", invoice.net_minor),
        ("TaxInclusiveAmount", invoice.gross_minor),
        ("PrepaidAmount", invoice.prepaid_minor),
        ("PayableRoundingAmount", invoice.rounding_minor),
        ("PayableAmount", invoice.payable_minor),
    ):
        if minor or name not in ("PrepaidAmount", "PayableRoundingAmount"):
            _amount(totals, name, minor, invoice.currency)


def _line(root: Element, invoice: Invoice, number: int, line: Line) -> None:
    credit = invoice.kind is InvoiceKind.CREDIT
    whole = _part(root, "CreditNoteLine" if credit else "InvoiceLine")
    _text(whole, "ID", str(number))
    if line.note:
        _text(whole, "Note", line.note)
    # BR-27: a price is never below zero, a quantity may be
    quantity = "-1" if line.net_minor < 0 else "1"
    _text(whole, "CreditedQuantity" if credit else "InvoicedQuantity", quantity, unitCode=_PIECE)
    _amount(whole, "LineExtensionAmount", line.net_minor, invoice.currency)
    item = _part(whole, "Item")
    _text(item, "Name", line.text)
    _category(item, "ClassifiedTaxCategory", line.bps)
    _amount(_part(whole, "Price"), "PriceAmount", abs(line.net_minor), invoice.currency)


# -- read back ------------------------------------------------------------------------------


def read_invoice(file: bytes) -> Invoice:
    """An invoice as this house writes it, read back; refuses what is none, or says less than it needs."""
    try:
        if len(file) > MOST_BYTES:
            raise ValueError("too large")
        root = fromstring(file, forbid_dtd=True)
        return _invoice(root)
    except (ValueError, SyntaxError, ArithmeticError, KeyError) as wrong:
        begins = file[:40].decode("utf-8", "replace")
        raise Invalid("file", begins, fact("invoice.no-ubl", why=str(wrong)[:80])) from None


def _invoice(root: Element) -> Invoice:
    name = root.tag.rpartition("}")[2]
    kinds = {code: kind for kind, code in TYPE_CODES.items()}
    kind = kinds[_said(root, f"{_CBC}{name}TypeCode")]
    currency = _said(root, f"{_CBC}DocumentCurrencyCode")
    # cbc:PaymentMeansCode holds the name of the way in an attribute
    means = root.find(f"{_CAC}PaymentMeans/{_CBC}PaymentMeansCode")
    by = means.get("name", "") if means is not None else ""
    totals = root.find(f"{_CAC}LegalMonetaryTotal")
    if totals is None:
        raise ValueError("no sums")
    before = [
        one.text or ""
        for one in root.findall(f"{_CAC}BillingReference/{_CAC}InvoiceDocumentReference/{_CBC}ID")
    ]
    takes_back = kind is InvoiceKind.CREDIT
    read = Invoice(
        number=_said(root, f"{_CBC}ID"),
        kind=kind,
        issued=date.fromisoformat(_said(root, f"{_CBC}IssueDate")),
        currency=currency,
        seller=_read_party(root, "AccountingSupplierParty"),
        buyer=_read_party(root, "AccountingCustomerParty"),
        lines=tuple(_read_lines(root, name, currency)),
        taxes=tuple(_read_taxes(root, currency)),
        reference=root.findtext(f"{_CBC}BuyerReference") or "",
        note=root.findtext(f"{_CBC}Note") or "",
        means=by if by in MEANS_CODES else "",
        iban=root.findtext(f"{_CAC}PaymentMeans/{_CAC}PayeeFinancialAccount/{_CBC}ID") or "",
        refers_to=before[0] if takes_back and before else "",
        settles=() if takes_back else tuple(before),
        supplied=_read_supplied(root),
        prepaid_minor=_minor(totals.findtext(f"{_CBC}PrepaidAmount") or "0", currency),
        rounding_minor=_minor(totals.findtext(f"{_CBC}PayableRoundingAmount") or "0", currency),
    )
    if read.payable_minor != _minor(_said(totals, f"{_CBC}PayableAmount"), currency):
        raise ValueError("its sums do not add up")
    return read


def _read_supplied(root: Element) -> date | None:
    on = root.findtext(f"{_CAC}Delivery/{_CBC}ActualDeliveryDate")
    return date.fromisoformat(on) if on else None


def _said(within: Element, path: str) -> str:
    text = within.findtext(path)
    if not text:
        raise ValueError(f"{path.rpartition('}')[2]} is not said")
    return text


def _minor(text: str, currency: str) -> int:
    scaled = Decimal(text).scaleb(digits_of(currency))
    if scaled != scaled.to_integral_value():
        raise ValueError("an amount has more decimals than its currency")
    return int(scaled)


def _read_party(root: Element, role: str) -> Party:
    whole = root.find(f"{_CAC}{role}/{_CAC}Party")
    if whole is None:
        raise ValueError(f"{role} is not said")
    address = f"{_CAC}PostalAddress/"
    return Party(
        name=_said(whole, f"{_CAC}PartyLegalEntity/{_CBC}RegistrationName"),
        street=whole.findtext(f"{address}{_CBC}StreetName") or "",
        town=whole.findtext(f"{address}{_CBC}CityName") or "",
        postcode=whole.findtext(f"{address}{_CBC}PostalZone") or "",
        country=whole.findtext(f"{address}{_CAC}Country/{_CBC}IdentificationCode") or "",
        tax_id=whole.findtext(f"{_CAC}PartyTaxScheme/{_CBC}CompanyID") or "",
    )


def _read_lines(root: Element, name: str, currency: str) -> Iterator[Line]:
    for line in root.findall(f"{_CAC}{name}Line"):
        yield Line(
            text=_said(line, f"{_CAC}Item/{_CBC}Name"),
            note=line.findtext(f"{_CBC}Note") or "",
            net_minor=_minor(_said(line, f"{_CBC}LineExtensionAmount"), currency),
            bps=_bps(_said(line, f"{_CAC}Item/{_CAC}ClassifiedTaxCategory/{_CBC}Percent")),
        )


def _read_taxes(root: Element, currency: str) -> Iterator[Subtotal]:
    for one in root.findall(f"{_CAC}TaxTotal/{_CAC}TaxSubtotal"):
        yield Subtotal(
            bps=_bps(_said(one, f"{_CAC}TaxCategory/{_CBC}Percent")),
            net_minor=_minor(_said(one, f"{_CBC}TaxableAmount"), currency),
            tax_minor=_minor(_said(one, f"{_CBC}TaxAmount"), currency),
        )


def _bps(text: str) -> int:
    scaled = Decimal(text) * 100
    if scaled != scaled.to_integral_value():
        raise ValueError("a rate has more than two decimals")
    return int(scaled)
