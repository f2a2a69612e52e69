"""A supplier's price list: which column is what, and what each row says, with units and decimal signs
recognised.

A row is read whole or refused with every reason; nothing is guessed that money depends on.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.matching.attributes import ATTRIBUTES, BY_NAME, DIAGONAL, Attribute
from sutura.core.matching.offers import GRADES, Value
from sutura.core.typed import Problems, read_amount, read_leading_whole, read_text
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="list.amount",
        capability="matching",
        says=(
            "The decimal sign of a price list is found from its own prices; where a value could be "
            "read two ways and nothing tells which, it is refused."
        ),
        source=COMMON,
    ),
    Rule(
        id="list.unit",
        capability="matching",
        says=(
            "A length without a unit is in mm, a diagonal in inches; cm, mm, in and the inch sign are "
            "understood."
        ),
        source="1 inch = 25.4 mm exactly (ISO, sure)",
    ),
    Rule(
        id="list.kind",
        capability="matching",
        says=(
            "A supplier's own word for a kind of part is read as ours once somebody has said which it is; "
            "until then it stays its own word, which fits no device, and is shown."
        ),
        source=COMMON,
    ),
    Rule(
        id="list.row",
        capability="matching",
        says=(
            "A row with anything that cannot be read is not read at all; the good rows are read "
            "without it. A number that stands twice counts once, the first time."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Column:
    """A thing a price list may say: its name, its words, whether it must be there, and headings by which it
    is recognised. `attribute` is what it says of the part, when it is one of its attributes.
    """

    name: str
    title: str
    needed: bool = False
    headings: tuple[str, ...] = ()
    attribute: Attribute | None = None


def _of_attribute(attribute: Attribute, *, needed: bool = False) -> Column:
    return Column(
        name=attribute.name,
        title=attribute.heading,
        needed=needed,
        headings=attribute.headings,
        # what lies outside the attributes of an offer has a place of its own in a row
        attribute=None if attribute.value_of else attribute,
    )


# the same in the lists of five languages: de, fr, es, it, nl; small letters without accents, from memory
_ABROAD: Mapping[str, tuple[str, ...]] = {
    "number": (
        *(
            "art nr",
            "artnr",
            "artikelnr",
            "artikelnummer",
            "artikel nr",
            "bestellnr",
            "bestellnummer",
            "bestell nr",
        ),
        *("ref", "reference", "code article", "n article", "no article", "numero d article"),
        *("referencia", "codigo", "articulo", "codice", "codice articolo", "articolo", "riferimento"),
        *("artikelcode", "bestelnummer", "artikelnummer leverancier"),
    ),
    "price": (
        *(
            "ek",
            "ek netto",
            "ek preis",
            "einkaufspreis",
            "netto",
            "nettopreis",
            "preis",
            "vk netto",
            "preis netto",
        ),
        *("prix", "prix ht", "prix net", "pu ht", "tarif", "precio", "precio neto", "coste"),
        *("prezzo", "prezzo netto", "costo", "prijs", "netto prijs", "inkoopprijs"),
    ),
    "name": (
        *("bezeichnung", "beschreibung", "artikelbezeichnung", "artikel", "produkt", "produktname"),
        *("designation", "libelle", "nom", "descripcion", "nombre", "producto", "denominacion"),
        *("descrizione", "nome", "prodotto", "omschrijving", "naam", "product"),
    ),
    "kind": (
        *("art", "typ", "kategorie", "warengruppe", "gruppe", "categorie", "famille", "categoria", "tipo"),
        *("gruppo", "soort", "groep"),
    ),
    "printed_number": ("aufdruck", "panelnummer", "oem nr", "oem nummer", "numero oem", "numero grave"),
    "grade": (
        "qualitat",
        "zustand",
        "qualite",
        "etat",
        "calidad",
        "estado",
        "qualita",
        "stato",
        "kwaliteit",
        "staat",
    ),
    "lead_days": (
        *("lieferzeit", "lieferzeit tage", "tage", "delai", "delai de livraison", "jours", "plazo"),
        *("plazo de entrega", "dias", "consegna", "tempi di consegna", "giorni", "levertijd", "dagen"),
    ),
    "stock_there": (
        *("bestand", "lager", "lagerbestand", "verfugbar", "menge", "disponible", "quantite", "existencias"),
        *("cantidad", "disponibile", "giacenza", "quantita", "voorraad", "aantal"),
    ),
    "minimum": ("mindestmenge", "mindestbestellmenge", "min menge", "minimo", "qte min", "minimale afname"),
    "pack": ("verpackungseinheit", "ve", "colisage", "unidad de embalaje", "confezione", "verpakking"),
    "price_breaks": ("staffelpreise", "staffel", "prix degressifs", "escalas", "scaglioni", "staffelprijzen"),
    "guarantee_days": ("garantie", "gewahrleistung", "garantie tage", "garantia", "garanzia"),
    "returns": ("rucknahme", "rucksendung", "retour", "devolucion", "reso", "retouren"),
    "box": ("lieferumfang", "inhalt", "contenu", "contenido", "contenuto", "inhoud"),
    "colour": ("farbe", "couleur", "kleur", "colore"),
    "width_mm": ("breite", "breite mm", "largeur", "ancho", "larghezza", "breedte"),
    "height_mm": ("hohe", "hohe mm", "hauteur", "alto", "altezza", "hoogte"),
    "resolution": ("auflosung", "resolucion", "risoluzione", "resolutie"),
    "diagonal_in": ("diagonale", "zoll", "pouces", "pulgadas", "pollici"),
}


def plain_heading(heading: str) -> str:
    """A heading as it is compared: small letters without accents, and nothing but letters and digits.

    >>> plain_heading("Art.-Nr."), plain_heading("Qualität"), plain_heading("Désignation")
    ('art nr', 'qualitat', 'designation')
    """
    bare = unicodedata.normalize("NFKD", heading.casefold()).encode("ascii", "ignore").decode()
    return re.sub(r"[^a-z0-9]+", " ", bare).strip()


_FIRST = ("kind", "printed_number")
COLUMNS: tuple[Column, ...] = (
    Column(
        name="number",
        title="Supplier's number",
        needed=True,
        headings=("number", "article", "sku", "item no", "order no", "part no"),
    ),
    Column(
        name="price",
        title="Price of one piece",
        needed=True,
        headings=("price", "net", "unit price", "cost", "amount"),
    ),
    Column(name="name", title="Name", headings=("name", "description", "title", "item")),
    *(_of_attribute(BY_NAME[name], needed=name == "kind") for name in _FIRST),
    Column(name="grade", title="Grade", headings=("grade", "quality", "condition")),
    Column(name="lead_days", title="Days to get it", headings=("lead days", "lead time", "delivery", "days")),
    Column(name="stock_there", title="Pieces they have", headings=("stock", "available", "qty", "quantity")),
    Column(name="minimum", title="Smallest number sold", headings=("minimum", "moq", "min qty", "min order")),
    Column(name="pack", title="Pieces in a pack", headings=("pack", "pack size", "pcs per pack", "vpe")),
    Column(
        name="price_breaks",
        title="Prices for more (10: 5.40 | 50: 5.00)",
        headings=("price breaks", "scale", "bulk", "volume prices"),
    ),
    Column(
        name="guarantee_days", title="Guarantee in days", headings=("guarantee", "warranty", "guarantee days")
    ),
    Column(name="returns", title="When they take it back", headings=("returns", "return", "rma")),
    Column(
        name="box",
        title="In the box (with | between)",
        headings=("box", "contents", "included", "in the box"),
    ),
    *(
        _of_attribute(attribute)
        for attribute in (*ATTRIBUTES, DIAGONAL)
        if attribute.headings and attribute.name not in _FIRST
    ),
)
COLUMNS = tuple(
    replace(column, headings=(*column.headings, *_ABROAD.get(column.name, ()))) for column in COLUMNS
)
_BY_NAME = {column.name: column for column in COLUMNS}
# In a mapping, a value that begins with this sign stands for every row instead of a column.
SAME_FOR_ALL = "="

# a cell holds no longer text; the shop's, no source
MOST_CELL = 200
_GRADE_WORDS: Mapping[str, str] = {
    **{grade: grade for grade in GRADES},
    "new": "genuine new",
    "original": "genuine new",
    "genuine": "genuine new",
    "pulled": "genuine pulled",
    "used": "genuine pulled",
    "refurb": "refurbished",
    "renewed": "refurbished",
    "copy": "aftermarket",
    "compatible": "aftermarket",
    # de, fr, es, it, nl; from memory
    **dict.fromkeys(
        ("neu", "originalteil", "neuf", "origine", "nuevo", "nuovo", "originale", "nieuw"), "genuine new"
    ),
    **dict.fromkeys(("gebraucht", "ausgebaut", "occasion", "usado", "usato", "gebruikt"), "genuine pulled"),
    **dict.fromkeys(
        (
            "aufbereitet",
            "generaluberholt",
            "reconditionne",
            "reacondicionado",
            "ricondizionato",
            "gereviseerd",
        ),
        "refurbished",
    ),
    **dict.fromkeys(("nachbau", "kompatibel", "compatibile", "compatibel"), "aftermarket"),
}
# a supplier's own word for a grade stands among its words with this before it
GRADE_WORD = "grade: "


@dataclass(frozen=True, slots=True, kw_only=True)
class Listing:
    """One row that could be read. Money in minor units; `attributes` are the supplier's claims."""

    number: str
    price_minor: int
    name: str
    kind: str
    printed_number: str
    grade: str
    lead_days: int | None
    stock_there: int | None
    minimum: int
    pack: int
    price_breaks: tuple[tuple[int, int], ...]
    guarantee_days: int | None
    returns: str
    box: tuple[str, ...]
    attributes: Mapping[str, Value]


def guess_mapping(header: Sequence[str], remembered: Mapping[str, str]) -> dict[str, str]:
    """Which column is what: as this supplier's last list was read, as far as its headings are still there,
    else by heading.

    >>> guess_mapping(["SKU", "Net price", "Pins"], {})
    {'number': 'SKU', 'price': 'Net price', 'connector_pins': 'Pins'}
    """
    mapping = {
        name: heading
        for name, heading in remembered.items()
        if name in _BY_NAME and (heading in header or heading.startswith(SAME_FOR_ALL))
    }
    taken = set(mapping.values())
    for exact in (True, False):
        for column in COLUMNS:
            if column.name in mapping:
                continue
            for heading in header:
                plain = plain_heading(heading)
                hit = (
                    heading == column.title
                    or plain in column.headings
                    or plain == column.name.replace("_", " ")
                )
                if not exact:
                    hit = any(len(heading) > 3 and heading in plain for heading in column.headings)
                if hit and heading not in taken:
                    mapping[column.name] = heading
                    taken.add(heading)
                    break
    return {column.name: mapping[column.name] for column in COLUMNS if column.name in mapping}


def check_mapping(mapping: Mapping[str, str], header: Sequence[str]) -> list[Invalid]:
    """What is wrong with a mapping: something needed is missing, a column is not there or is used twice."""
    problems = [
        Invalid(f"map.{column.name}", "", fact("matching.choose-column", column=column.title))
        for column in COLUMNS
        if column.needed and not mapping.get(column.name, "").lstrip(SAME_FOR_ALL).strip()
    ]
    used: dict[str, str] = {}
    for name, heading in mapping.items():
        if name not in _BY_NAME or not heading:
            continue
        if not heading.startswith(SAME_FOR_ALL) and heading not in header:
            problems.append(Invalid(f"map.{name}", heading, fact("matching.choose-one-columns-list")))
        elif heading in used and not heading.startswith(SAME_FOR_ALL):
            problems.append(
                Invalid(f"map.{name}", heading, fact("matching.already", item=_BY_NAME[used[heading]].title))
            )
        used[heading] = name
    return problems


# -- amounts ------------------------------------------------------------------------------


def decimal_sign(samples: Sequence[str]) -> str:
    """The decimal sign of a column of prices: `.`, `,`, or empty when nothing tells (rule list.amount).

    >>> decimal_sign(["1.234,50", "12"]), decimal_sign(["1,234"]), decimal_sign(["58.00", "7.5"])
    (',', '', '.')
    """
    votes = {".": 0, ",": 0}
    for sample in samples:
        signs = [sign for sign in sample if sign in ".,"]
        tail = re.search(r"[.,]([0-9]+)\D*$", sample)
        if len(set(signs)) == 2:
            votes[signs[-1]] += 1
        elif len(signs) == 1 and tail and len(tail[1]) != 3:
            votes[signs[0]] += 1
    if votes["."] == votes[","]:
        return ""
    return "." if votes["."] > votes[","] else ","


# -- a row ------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class RowReader:
    """Reads rows by a mapping. `decimal` is the list's own sign, `places` the index of each column in a
    row.
    """

    places: Mapping[str, int]
    constants: Mapping[str, str]
    decimal: str
    currency: str
    # this supplier's words for kinds, as plain words, and what they are here
    words: Mapping[str, str] = field(default_factory=dict)

    @classmethod
    def of(
        cls,
        mapping: Mapping[str, str],
        header: Sequence[str],
        samples: Sequence[Sequence[str]],
        currency: str,
        words: Mapping[str, str] | None = None,
    ) -> RowReader:
        places = {name: list(header).index(heading) for name, heading in mapping.items() if heading in header}
        constants = {
            name: heading[1:].strip() for name, heading in mapping.items() if heading.startswith(SAME_FOR_ALL)
        }
        at = places.get("price", -1)
        return cls(
            places=places,
            constants=constants,
            currency=currency,
            words=words or {},
            decimal=decimal_sign([row[at] for row in samples if 0 <= at < len(row)]),
        )

    def read(self, row: Sequence[str]) -> tuple[Listing | None, list[Invalid]]:
        """What a row says, or every reason why it cannot be read."""
        problems = Problems()
        said = {
            name: unguarded(row[place]).strip() if place < len(row) else ""
            for name, place in self.places.items()
        }
        said.update(self.constants)

        def take(name: str) -> str:
            return problems.read(name, said.get(name, ""), _read_cell) or ""

        def count(name: str, most: int) -> int | None:
            text = said.get(name, "")
            return problems.read(name, text, lambda text: read_leading_whole(text, most)) if text else None

        number, kind = take("number"), plain_word(take("kind"))
        for name, text in (("number", number), ("kind", kind)):
            if not text:
                problems.add(name, "", fact("matching.write", item=_BY_NAME[name].title.lower()))
        kind = self.words.get(kind, kind)
        listing = Listing(
            number=number,
            price_minor=problems.read("price", said.get("price", ""), self._amount) or 0,
            name=take("name") or number,
            kind=kind,
            printed_number=take("printed_number"),
            grade=problems.read("grade", said.get("grade", ""), self._grade) or "",
            lead_days=count("lead_days", 365),
            stock_there=count("stock_there", 999_999),
            minimum=max(count("minimum", 10_000) or 1, 1),
            pack=max(count("pack", 10_000) or 1, 1),
            guarantee_days=count("guarantee_days", 4_000),
            price_breaks=self._breaks(said.get("price_breaks", ""), problems),
            returns=take("returns"),
            box=tuple(item.strip().casefold() for item in take("box").split("|") if item.strip()),
            attributes={**_attributes(said, problems), "kind": kind},
        )
        return (None, list(problems)) if problems else (listing, [])

    def _grade(self, text: str) -> str:
        if not text:
            return ""
        ours = _GRADE_WORDS.get(plain_heading(text)) or self.words.get(GRADE_WORD + plain_word(text))
        if ours is None:
            raise Invalid("", text, fact("matching.use-one-leave-empty", grades=tuple(GRADES)))
        return ours

    def unknown_grade(self, row: Sequence[str]) -> str:
        """A word for a grade that nobody has said the meaning of yet, as it is kept; empty where there is
        none.
        """
        place = self.places.get("grade")
        text = unguarded(row[place]).strip() if place is not None and place < len(row) else ""
        try:
            self._grade(text)
        except Invalid:
            return GRADE_WORD + plain_word(text)[:60]
        return ""

    def _amount(self, text: str) -> int:
        return read_amount(text, self.currency, least=1, sign=self.decimal, rounds=True)

    def _breaks(self, text: str, problems: Problems) -> tuple[tuple[int, int], ...]:
        breaks = []
        for part in filter(None, (piece.strip() for piece in text.split("|"))):
            pieces, _, amount = part.partition(":")
            if not pieces.strip().isdecimal() or len(pieces) > 9 or not amount.strip():
                problems.add("price_breaks", part, fact("matching.write-pieces-price-such-10-5"))
                continue
            breaks.append((int(pieces), problems.read("price_breaks", amount.strip(), self._amount) or 0))
        return tuple(sorted(breaks))


def plain_word(text: str) -> str:
    """A word for a kind as it is compared: small letters, single spaces.

    >>> plain_word("  LCD   Assembly ")
    'lcd assembly'
    """
    return " ".join(text.casefold().split())


def check_words(words: Mapping[str, str], known: Sequence[str]) -> dict[str, str]:
    """What each of a supplier's words is here; a word left open is left out. Every problem at its word."""
    problems = Problems("The words")
    chosen = {plain_word(word): kind for word, kind in words.items() if kind}
    for word, kind in chosen.items():
        known_here = GRADES if word.startswith(GRADE_WORD) else known
        if kind not in known_here:
            problems.add(f"word.{word}", kind, fact("matching.choose-kind", kinds=tuple(sorted(known_here))))
    problems.refuse()
    return chosen


def _read_cell(text: str) -> str:
    return read_text(text, MOST_CELL)


def _attributes(said: Mapping[str, str], problems: Problems) -> dict[str, Value]:
    values = {
        name: problems.read(name, text, attribute.read)
        for name, text in said.items()
        if text and name != "kind" and (attribute := _BY_NAME[name].attribute)
    }
    return {name: value for name, value in values.items() if value is not None}


# -- cells that a spreadsheet would run ---------------------------------------------------------------

_RISKY = ("=", "+", "-", "@", "\t", "\r")


def guarded(text: str) -> str:
    """A cell that a spreadsheet does not take for a formula; `unguarded` reads it back.

    >>> guarded("=1+1"), unguarded(guarded("=1+1"))
    ("'=1+1", '=1+1')
    """
    return f"'{text}" if text.startswith(_RISKY) else text


def unguarded(text: str) -> str:
    return text[1:] if text.startswith("'") and text[1:].startswith(_RISKY) else text
