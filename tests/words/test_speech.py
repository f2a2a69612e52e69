"""What core returns is said whole, for a zone and a language; and no sentence is left over or missing."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from datetime import UTC, datetime
from enum import Enum
from io import BytesIO
from pathlib import Path
from string import Formatter
from zoneinfo import ZoneInfo

import pytest
from babel import Locale
from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po
from builders import models

from sutura.core.facts import Minutes, fact
from sutura.core.handover.invoicing import InvoiceKind
from sutura.core.handover.ledger import Method, PaidFor
from sutura.core.handover.telling import USUAL
from sutura.core.intake.arrival import ACCESSORIES, DATA_STATES, PARCEL_STATES
from sutura.core.intake.marks import MarkKind, Side
from sutura.core.intake.proofs import PROOFS
from sutura.core.job import SEAM
from sutura.core.matching.offers import GRADES
from sutura.core.maths.money import Money
from sutura.core.proof.answering import ProofChange
from sutura.core.quoting.answers import QuoteState
from sutura.core.values import Outcome
from sutura.words import speech
from sutura.words.english import SENTENCES
from sutura.words.names import NAMES, name_of
from sutura.words.speech import PLAIN, Speech, languages

SRC = Path(__file__).resolve().parents[2] / "src" / "sutura"
TREES = {file: ast.parse(file.read_text("utf-8")) for file in SRC.rglob("*.py")}


def facts_made() -> Iterator[tuple[Path, str, set[str] | None]]:
    """Each `fact("id", name=…)` in the source; None for the names where they come from elsewhere (`**`)."""
    for file, tree in TREES.items():
        for node in ast.walk(tree):
            if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Name)):
                continue
            if node.func.id not in ("fact", "Fact") or not node.args:
                continue
            if isinstance(node.args[0], ast.Constant) and isinstance(node.args[0].value, str):
                names = {word.arg for word in node.keywords if word.arg}
                yield file, node.args[0].value, None if len(names) < len(node.keywords) else names


def placeholders(template: str) -> set[str]:
    return {name.partition(".")[0].partition("[")[0] for _, name, _, _ in Formatter().parse(template) if name}


HALVES = (
    "catalogue.differs-",
    "catalogue.",
    "stock.check-",
    "stock.happened-",
    "stock.printer-",
    "rework.",
    "rework.do-",
    "schools.ask-",
)


def texts_in_source() -> set[str]:
    """Every text that stands in the source; those of a file that makes ids of two halves also put
    together.
    """
    whole = {
        node.value
        for file, tree in TREES.items()
        if file.name != "english.py"
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant) and isinstance(node.value, str)
    }
    halves = {f"{half}{text.replace('_', '-')}" for half in HALVES for text in whole if len(text) < 20}
    return whole | halves


def test_every_fact_that_is_made_has_a_sentence_that_asks_for_nothing_it_lacks() -> None:
    missing = {(file.name, id) for file, id, _ in facts_made() if id not in SENTENCES}
    assert missing == set()
    lacking = {
        (file.name, id, name)
        for file, id, names in facts_made()
        if names is not None and isinstance(SENTENCES[id], str)
        for name in placeholders(SENTENCES[id]) - names
    }
    assert lacking == set()


def test_no_sentence_is_left_over() -> None:
    assert set(SENTENCES) - texts_in_source() == set()


@pytest.mark.parametrize(
    ("minutes", "says"),
    [(0, "0 min"), (59, "59 min"), (60, "1 h"), (61, "1 h 1 min"), (1440, "1 day"), (4320, "3 days")],
)
def test_minutes_are_said_as_a_shop_says_them(minutes: int, says: str) -> None:
    assert PLAIN.say(Minutes(minutes)) == says


def test_a_moment_is_said_in_the_shops_zone() -> None:
    noon = datetime(2026, 7, 1, 10, tzinfo=UTC)
    shop = Speech(ZoneInfo("Etc/GMT-2"), now=noon)
    assert shop.say(noon) == "today 12:00"


def test_on_paper_no_moment_is_today() -> None:
    """A ticket is read on other days."""
    noon = datetime(2026, 7, 1, 10, tzinfo=UTC)
    assert Speech(ZoneInfo("Etc/GMT-2"), now=noon, paper=True).say(noon) == "Wed 01.07.2026 12:00"


@pytest.mark.parametrize(
    ("money", "says"),
    [
        (Money(minor=114_990, currency="TAL"), "1,149.90 TAL"),
        (Money(minor=-250, currency="EUR"), "−2.50 EUR"),
        (Money(minor=1_200, currency="JPY"), "1,200 JPY"),
        (Money(minor=1_500, currency="BHD"), "1.500 BHD"),
    ],
)
def test_an_amount_has_the_digits_of_its_currency(money: Money, says: str) -> None:
    """ISO 4217: the yen has no minor unit, the Bahraini dinar three digits."""
    assert PLAIN.say(money) == says


def test_a_second_language_is_a_catalogue_and_nothing_else(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    range_of = SENTENCES["typed.to"]
    there = tmp_path / "de" / "LC_MESSAGES"
    there.mkdir(parents=True)
    words = Catalog(locale="de")
    words.add(range_of, "{least} bis {most}")
    words.add("{days} {days:day|days}", "{days} {days:Tag|Tage}")
    out = BytesIO()
    write_mo(out, words)
    (there / "sutura.mo").write_bytes(out.getvalue())
    monkeypatch.setattr(speech, "CATALOGUES", tmp_path)
    monkeypatch.setattr(speech, "_CATALOGUES", {})
    german = Speech(UTC, Locale("de"))
    assert german.say(fact("typed.to", least=0, most=9)) == "0 bis 9"
    assert german.say(Minutes(2 * 1440)) == "2 Tage"
    assert german.money(Money(minor=114_990, currency="TAL")) == "1.149,90 TAL"
    # what is not translated yet is said in English
    assert german.say(fact("bench.nothing-all-steps-done")) == "nothing: all steps are done"


# what a customer reads: papers, the status page, and what core says on them
CUSTOMERS = (
    "job/ticket.html",
    "quoting/customer.html",
    "handover/receipt.html",
    "handover/returned.html",
    "handover/paper.html",
    "handover/status.html",
)
SAID = (
    "papers.",
    "status.",
    "invoice.deposit",
    "invoice.work",
    "invoice.part",
    "handover.avoid-",
    "handover.not-promised",
    "handover.passed-",
    "handover.went-",
    "routes.gets-",
    "routes.kit",
    "routes.of-grade",
    "quotes.condition-",
    "quotes.found",
    "quotes.added",
    "quotes.gone",
    "quotes.now-costs",
    "quotes.not-open",
    "quotes.agree-first",
    "quoting.price-agreed",
    "quoting.price-open",
    "matching.i-agree-",
    "matching.titled",
    "proof.change",
    "proof.fell",
    "proof.with-reason",
    "proof.new-screen-",
    "partless.reseat",
    "partless.serial",
    "waits.was-shortened",
    "heat.not-read-yet",
    "heat.below-its-window",
    "heat.not-long-enough",
    "heat.over-its-ceiling",
    "serial.not-read-yet",
    "serial.not-written",
)
# why part of a repair has to be agreed to, and what a ticket calls a mark and a way: facts of these modules
# that are no sentences of customers
NOT_SAID = ("partless.reseat-why", "partless.serial-why")
# what a customer is told by core in words that are no sentences: names of kinds, and of what came with a
# device
KINDS: tuple[type[Enum], ...] = (
    InvoiceKind, MarkKind, Side, Outcome, ProofChange, PaidFor, Method, QuoteState,
)  # fmt: skip


def _summary() -> set[str]:
    """The texts of the state on arrival, as they stand in its source."""
    tree = TREES[SRC / "words" / "summary.py"]
    docs = {
        ast.get_docstring(node, clean=False) for node in ast.walk(tree) if isinstance(node, ast.FunctionDef)
    }
    return {
        node.value
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant)
        and isinstance(node.value, str)
        and len(node.value) > 5
        and node.value not in docs
        and node.value[0] not in " ×"
        and not node.value.startswith("The intake in plain")
    }


def _of_customers() -> set[str]:
    folder = SRC / "web" / "templates"
    texts = {
        " ".join(found.split())
        for name in CUSTOMERS
        for found in re.findall(r'_\(\s*"([^"]+)"', (folder / name).read_text("utf-8"))
    }
    texts |= {text for name, text in SENTENCES.items() if name.startswith(SAID) and name not in NOT_SAID}
    texts |= _summary()
    texts |= {*DATA_STATES.values(), *ACCESSORIES, *PARCEL_STATES, *GRADES}
    texts |= {text for proof in PROOFS for text in (proof.first, proof.warns) if text}
    for model in models().values():
        texts |= {function.name for function in model.functions} | {way.name for way in model.ways}
    texts |= {part for one in USUAL.values() for part in (one.subject, one.text)}
    texts |= {name_of(kind) for kinds in KINDS for kind in kinds}
    return texts | set(SEAM)


@pytest.mark.parametrize("language", [code for code in languages() if code != "en"])
def test_no_text_that_a_customer_reads_is_missing_in_a_language(language: str) -> None:
    with (speech.CATALOGUES / language / "LC_MESSAGES" / "sutura.po").open("rb") as file:
        known = {str(message.id): str(message.string) for message in read_po(file) if message.id}
    assert sorted(text for text in _of_customers() if not known.get(text)) == []
    for text, translated in known.items():
        fields = [{name for _, name, _, _ in Formatter().parse(one) if name} for one in (text, translated)]
        assert fields[0] == fields[1], text


def test_dates_and_amounts_are_as_a_language_writes_them() -> None:
    german = Speech(UTC, Locale("de"), paper=True)
    at = datetime(2031, 3, 3, 14, 5, tzinfo=UTC)
    assert german.moment(at) == "Mo. 03.03.2031 14:05"
    assert german.money(Money(minor=114_990, currency="TAL")) == "1.149,90 TAL"
    assert german.text("It is ready.") == "Es ist fertig."
    assert german.say(InvoiceKind.CREDIT) == "Gutschrift"
    assert german.say("nobody translated this") == "nobody translated this"


@pytest.mark.parametrize("kind", NAMES, ids=lambda kind: kind.__name__)
def test_what_has_words_at_all_has_them_for_every_member_that_is_no_word(kind: type[Enum]) -> None:
    """An id such as `put_on` is shown to nobody."""
    assert [member.name for member in kind if "_" in name_of(member)] == []
