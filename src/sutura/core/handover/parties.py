"""Who sells and who buys: what a shop says of itself for its papers, and a party as it is typed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from stdnum import iban as iban_numbers

from sutura.core.facts import fact
from sutura.core.handover.invoicing import Party, TaxMode, party_kept
from sutura.core.typed import Problems, read_choice


@dataclass(frozen=True, slots=True, kw_only=True)
class Invoicing:
    """What a shop writes on its papers: who it is, where to pay to, whether prices hold their tax, and its
    smallest coin in minor units.
    """

    seller: Party
    iban: str
    mode: TaxMode
    coin_minor: int


COINS = (1, 5, 10, 20, 50, 100)
_PARTY_FIELDS = ("name", "street", "town", "postcode", "country", "tax_id")


def invoicing_from(kept: Mapping[str, Any], name: str, address: str) -> Invoicing:
    """What a shop keeps of its papers; its name and address where it said nothing yet."""
    seller = {field: str(kept.get(field, "")) for field in _PARTY_FIELDS}
    return Invoicing(
        seller=Party(**{**seller, "name": seller["name"] or name, "street": seller["street"] or address}),
        iban=str(kept.get("iban", "")),
        mode=TaxMode(kept.get("mode", TaxMode.INCLUSIVE)),
        coin_minor=int(kept.get("coin_minor", 1)),
    )


def invoicing_kept(invoicing: Invoicing) -> dict[str, Any]:
    """What a shop says of its papers, as it is kept."""
    return {
        **party_kept(invoicing.seller),
        "iban": invoicing.iban,
        "mode": invoicing.mode.value,
        "coin_minor": invoicing.coin_minor,
    }


def read_buyer(typed: Mapping[str, str], why: str) -> Party:
    """Who really bought, as typed in `buyer_name` and so on, and why a paper is corrected; every problem at
    once.
    """
    problems = Problems(fact("invoice.correction"))
    buyer = _party(typed, problems, "buyer_")
    if not 5 <= len(why.strip()) <= 300:
        problems.add("why", why, fact("handover.write-why-money"))
    problems.refuse()
    return buyer


def _party(typed: Mapping[str, str], problems: Problems, prefix: str = "") -> Party:
    """A party as typed; its name and country are needed, what is wrong goes to the problems."""
    said = {name: typed.get(f"{prefix}{name}", "").strip() for name in _PARTY_FIELDS}
    if not 2 <= len(said["name"]) <= 120:
        problems.add(f"{prefix}name", said["name"], fact("invoice.write-name"))
    country = said["country"].upper()
    if not (len(country) == 2 and country.isascii() and country.isalpha()):
        problems.add(f"{prefix}country", said["country"], fact("invoice.two-letters"))
    tax_id = said["tax_id"].upper().replace(" ", "")
    if tax_id and not (4 <= len(tax_id) <= 20 and tax_id[:2].isalpha() and tax_id.isalnum()):
        problems.add(f"{prefix}tax_id", said["tax_id"], fact("invoice.tax-id"))
    for name in ("street", "town", "postcode"):
        if len(said[name]) > 120:
            problems.add(f"{prefix}{name}", said[name][:40], fact("invoice.too-long"))
    return Party(**{**said, "country": country, "tax_id": tax_id})


def read_invoicing(typed: Mapping[str, str]) -> Invoicing:
    """What a shop says of its papers, as typed; every problem at once."""
    problems = Problems(fact("invoice.the-papers"))
    seller = _party(typed, problems)
    iban = typed.get("iban", "").strip().replace(" ", "").upper()
    if iban and not iban_numbers.is_valid(iban, check_country=False):
        problems.add("iban", typed.get("iban", ""), fact("invoice.iban"))
    mode = problems.read(
        "mode",
        typed.get("mode", ""),
        lambda text: read_choice(text, tuple(TaxMode), fact("invoice.mode", modes=tuple(TaxMode))),
    )
    coin = problems.read(
        "coin",
        typed.get("coin", ""),
        lambda text: read_choice(text, tuple(map(str, COINS)), fact("invoice.coin", coins=COINS)),
    )
    problems.refuse()
    return Invoicing(
        seller=seller, iban=iban, mode=TaxMode(mode or TaxMode.INCLUSIVE), coin_minor=int(coin or 1)
    )
