"""Names of kinds: what a member of an enum is called. Its value is an id and never shown."""

from __future__ import annotations

from collections.abc import Mapping
from enum import Enum

from sutura.core.bench.heat import HeatState, Surface
from sutura.core.bench.schools import Whose
from sutura.core.catalogue.kin import Kinship
from sutura.core.catalogue.packs import Change
from sutura.core.handover.comebacks import Cause as BackCause
from sutura.core.handover.comebacks import NewPrice, Payer, Seal
from sutura.core.handover.invoicing import InvoiceKind
from sutura.core.handover.ledger import ChargeState, PaidFor
from sutura.core.handover.telling import Sending, Told, Way
from sutura.core.identify.reading import Verdict
from sutura.core.intake.arrival import Applies, Channel
from sutura.core.intake.marks import MarkKind
from sutura.core.intake.observations import Layer
from sutura.core.intake.opening import Loose
from sutura.core.job import EventKind, Move, Round, Stage
from sutura.core.matching.comparing import Agreement
from sutura.core.matching.judging import Fit, Learned, Source
from sutura.core.people import Deed
from sutura.core.planning.queue import Action
from sutura.core.proof.answering import ProofChange
from sutura.core.proof.picture import PixelFault, SeenFault
from sutura.core.proof.sealing import Corner, Look
from sutura.core.proof.touch import ZoneChange
from sutura.core.quoting.answers import QuoteState
from sutura.core.quoting.policy import StepKind
from sutura.core.quoting.routes import Standing
from sutura.core.stock.consumables import Unit, UsedFor
from sutura.core.stock.cores import CoreState
from sutura.core.stock.levels import MoveKind, PartFate
from sutura.core.stock.orders import Arrived, Cause, OrderState, ReturnState
from sutura.core.stock.pieces import Film, Found, Judged, PieceState, Seen
from sutura.core.values import Outcome

# by type: members of different enums may have the same value
NAMES: Mapping[type[Enum], Mapping[Enum, str]] = {
    Stage: {
        Stage.IDENTIFIED: "identified",
        Stage.QUOTED: "quoted",
        Stage.PART_IN_HAND: "waiting with its part in hand",
        Stage.OPENED: "open on the bench",
        Stage.PROVED: "proved",
        Stage.CLOSED: "closed",
        Stage.HANDED_BACK: "handed back",
        Stage.DECLINED: "declined",
        Stage.RETURNED: "returned unrepaired",
    },
    # in the words of a refusal: “Job K7-4QX cannot … yet”
    Move: {
        Move.QUOTE: "be quoted",
        Move.TAKE_PART: "hold its part",
        Move.GIVE_BACK_PART: "give its part back",
        Move.REQUOTE: "be quoted again",
        Move.OPEN: "be opened",
        Move.PASS_PROOF: "count as proved",
        Move.FAIL_PROOF: "go back to the bench",
        Move.CHANGE_PART: "get another part",
        Move.REOPEN: "go back to the bench",
        Move.GIVE_UP: "be given up",
        Move.CLOSE_UNREPAIRED: "be closed up unrepaired",
        Move.CLOSE: "be closed",
        Move.HAND_BACK: "be handed back",
        Move.DECLINE: "be declined",
        Move.RETURN: "be returned unrepaired",
    },
    # in the words of a refusal: “Your role may not …”
    Deed: {
        Deed.TAKE_IN: "take in or hand back a device",
        Deed.QUOTE: "agree a price with a customer",
        Deed.SET_PRICE: "change prices",
        Deed.SEE_COST: "see cost and margin",
        Deed.CHANGE_PEOPLE: "change people",
        Deed.ASSIGN: "assign work",
        Deed.RESERVE: "move stock",
        Deed.WORK_BENCH: "record bench work",
        Deed.RECEIVE: "receive stock",
        Deed.CHANGE_CATALOGUE: "change the catalogue",
        Deed.ERASE_CUSTOMER: "export or erase a customer",
        Deed.SET_UP_COUNTER: "set up the Counter",
        Deed.LET_PASS: "let pass what does not work",
        Deed.SETTLE: "give money back or write it off",
        Deed.READ_PACK: "read a catalogue pack",
        Deed.READ_AUDIT: "read the audit log",
    },
    EventKind: {
        EventKind.LOOKED_AGAIN: "looked at again",
        EventKind.CUSTOMER_MERGED: "customer merged",
        EventKind.PANEL_READ: "panel read",
        EventKind.ORIGINAL_MEASURED: "original measured",
        EventKind.PART_REPORTED: "part reported",
        EventKind.PART_HELD: "part held",
        EventKind.PART_GIVEN_BACK: "part given back",
        EventKind.NEW_SHEET: "new sheet",
        EventKind.PUT_ON: "timer started",
        EventKind.NO_PART_NEEDED: "no part needed",
        EventKind.FOR_THE_NIGHT: "laid down for the night",
        EventKind.NIGHT_OVER: "taken up again",
        EventKind.TESTED_UNREPAIRED: "tested unrepaired",
        EventKind.PROOF_FAILED: "proof failed",
        EventKind.PART_CHANGED: "part taken back",
        EventKind.REOPENED: "opened again",
        EventKind.GIVEN_UP: "given up",
        EventKind.CLOSED_UNREPAIRED: "closed up unrepaired",
        EventKind.PROMISED: "promise changed",
        EventKind.DUST: "looked for dust",
        EventKind.SEALED_LOOK: "looked at when sealed",
        EventKind.HANDED_BACK: "handed back",
    },
    Action: {
        Action.CHOOSE: "Choose the part",
        Action.TAKE_PART: "Take the part off the shelf",
        Action.RECEIVE: "Receive or choose another part",
        Action.ASSIGN: "Assign a technician",
        Action.OPEN: "Open it",
        Action.GO_ON: "Go on at the bench",
        Action.CLOSE: "Close it up",
        Action.LOOK: "Look at it, sealed",
        Action.CURE: "Curing",
        Action.HAND_BACK: "Hand it back",
        Action.RETURN: "Return it unrepaired",
        Action.NOTHING: "Nothing: it is done",
    },
    # what a round of bench work is for
    Round: {
        Round.WHOLE: "the whole sheet",
        Round.REWORK: "after a failed test",
        Round.REOPENED: "opened again",
        Round.NEW_PART: "another part",
        Round.CLOSING_UP: "closing up unrepaired",
        Round.FOR_THE_NIGHT: "laid down for the night",
        Round.SUSPECTED: "the part is suspected",
    },
    Whose: {Whose.MODEL: "the model\u2019s own", Whose.HABIT: "a habit", Whose.JOB: "for this job"},
    ChargeState: {
        ChargeState.ASKED: "being asked for",
        ChargeState.UNKNOWN: "not answered: nobody knows whether it was paid",
        ChargeState.APPROVED: "paid",
        ChargeState.DECLINED: "declined",
        ChargeState.REVERSED: "given back",
    },
    PaidFor: {
        PaidFor.DEPOSIT: "deposit",
        PaidFor.REST: "paid",
        PaidFor.REFUND: "given back",
        PaidFor.WRITTEN_OFF: "written off",
        PaidFor.CREDIT: "credited",
        PaidFor.ROUNDING: "rounded",
        PaidFor.KEPT: "kept",
    },
    NewPrice: {
        NewPrice.NOTHING: "nothing",
        NewPrice.WORK: "the work, not the part",
        NewPrice.ALL: "all of it",
    },
    BackCause: {
        BackCause.PART: "the part failed",
        BackCause.WORKMANSHIP: "workmanship",
        BackCause.NEW_DAMAGE: "new damage",
        BackCause.NOT_PROMISED: "never promised",
        BackCause.NOT_FOUND: "nothing found",
    },
    Payer: {Payer.CUSTOMER: "customer", Payer.SHOP: "shop", Payer.SUPPLIER: "supplier"},
    Seal: {Seal.UNCLEAR: "cannot be told", Seal.WHOLE: "whole", Seal.OPENED: "opened by others"},
    Told: {
        Told.READY: "it is ready",
        Told.REMINDER: "it waits to be collected",
        Told.DELAYED: "it takes longer",
        Told.QUESTION: "a question",
        Told.QUOTE: "the quote",
        Told.RECEIPT: "the receipt",
        Told.RETURNED: "it was given back unrepaired",
    },
    Sending: {
        Sending.WAITING: "waits until",
        Sending.SENT: "sent",
        Sending.GIVEN_UP: "given up",
        Sending.DROPPED: "not sent",
    },
    Way: {Way.TEXT: "by text", Way.MAIL: "by mail", Way.NONE: "not at all"},
    InvoiceKind: {
        InvoiceKind.INVOICE: "invoice",
        InvoiceKind.DEPOSIT: "invoice of a deposit",
        InvoiceKind.CREDIT: "credit note",
    },
    QuoteState: {
        QuoteState.OPEN: "open",
        QuoteState.ACCEPTED: "accepted",
        QuoteState.DECLINED: "declined",
        QuoteState.SUPERSEDED: "replaced by a newer one",
        QuoteState.EXPIRED: "over",
    },
    Standing: {
        Standing.RECOMMENDED: "recommended",
        Standing.POSSIBLE: "possible",
        Standing.DOMINATED: "no better in anything",
        Standing.TOO_RISKY: "not sure enough",
        Standing.NOT_WORTH_IT: "not worth it",
        Standing.CANNOT: "cannot be done",
    },
    StepKind: {
        StepKind.PART: "part",
        StepKind.MARKUP: "markup",
        StepKind.WORK: "work",
        StepKind.RISK: "share of failures",
        StepKind.MINIMUM: "up to the minimum",
        StepKind.RUSH: "rush",
        StepKind.CAME_BACK: "the shop pays",
        StepKind.TAX: "tax",
        StepKind.ENDING: "price ending",
    },
    Applies: {
        Applies.ALWAYS: "for every device",
        Applies.SPLASH: "where splash protection may be",
        Applies.GLASS_ONLY: "where glass alone is a way",
    },
    Channel: {Channel.WAITING: "waiting in the shop", Channel.DROP_OFF: "drop-off", Channel.MAIL: "by mail"},
    Outcome: {Outcome.NOT_TESTABLE: "not testable"},
    Layer: {Layer.BACKLIGHT: "backlight or its supply", Layer.CONNECTOR: "connector or flex"},
    MarkKind: {
        MarkKind.MISSING: "missing glass",
        MarkKind.DEAD: "dead touch",
        MarkKind.PIXEL: "pixel fault",
        MarkKind.GAP: "edge gap",
        MarkKind.SCREW: "missing screw",
        MarkKind.LIQUID: "tripped liquid indicator",
    },
    # what is said of the glass: “it …”
    Loose: {
        Loose.NO: "is whole",
        Loose.LOW: "holds",
        Loose.SOME: "may come loose",
        Loose.HIGH: "is loose: tape it twice before anything else",
    },
    Agreement: {Agreement.ALLOWED: "may differ", Agreement.CONSENT: "needs consent"},
    Fit: {Fit.BRIDGED: "fits with a bridge", Fit.CONSENT: "fits with consent", Fit.NOT: "does not fit"},
    Learned: {
        Learned.PROVED: "fitted and proved",
        Learned.DID_NOT_FIT: "did not fit",
        Learned.DEFECTIVE: "was defective",
    },
    Source: {
        Source.BOX: "in the box",
        Source.MOVED: "moved over",
        Source.BOUGHT: "to be bought",
        Source.INSTEAD: "used instead",
        Source.NOWHERE: "not to be had",
    },
    ProofChange: {
        ProofChange.KEPT: "works as before",
        ProofChange.REPAIRED: "repaired",
        ProofChange.WAS_FAULTY: "was faulty on arrival",
        ProofChange.OURS: "worked on arrival, faulty now",
        ProofChange.UNPROVED: "worked on arrival, not tested now",
        ProofChange.NOW_WORKS: "not testable on arrival, works now",
        ProofChange.UNCLEAR: "not testable on arrival, faulty now",
        ProofChange.NEVER_TESTED: "not testable",
    },
    PixelFault: {
        PixelFault.BRIGHT: "always lit",
        PixelFault.DARK: "always dark",
        PixelFault.SUB: "one colour stuck",
    },
    SeenFault: {SeenFault.LINE: "line", SeenFault.BLOTCH: "blotch", SeenFault.SPECK: "speck of dust"},
    ZoneChange: {
        ZoneChange.SAME: "dead as on arrival",
        ZoneChange.IMPROVED: "better than on arrival",
        ZoneChange.NEW: "dead now, not on arrival",
    },
    Look: {
        Look.BEFORE_SEALING: "before sealing",
        Look.AFTER_SEALING: "after sealing",
        Look.AFTER_CURE: "after the cure",
    },
    Corner: {
        Corner.TOP_LEFT: "top left corner",
        Corner.TOP_RIGHT: "top right corner",
        Corner.BOTTOM_RIGHT: "bottom right corner",
        Corner.BOTTOM_LEFT: "bottom left corner",
    },
    Kinship: {
        Kinship.BOTH: "shares the steps and the parts",
        Kinship.STEPS: "shares the steps, not the parts",
        Kinship.PARTS: "shares the parts, not the steps",
    },
    Change: {Change.BACK: "brought back", Change.SAME: "the same"},
    Verdict: {},
    MoveKind: {
        MoveKind.TAKEN_OUT: "taken out again",
        MoveKind.DEFECTIVE: "off the shelf: defective",
        MoveKind.BROKEN: "off the shelf: broken",
        MoveKind.RETURNED: "off the shelf: sent back",
        MoveKind.WRITTEN_OFF: "off the shelf: written off",
    },
    PieceState: {
        PieceState.HERE: "in the shop",
        PieceState.FITTED: "in a device",
        PieceState.GONE: "not here any more",
    },
    CoreState: {CoreState.HANDED_BACK: "handed back"},
    Unit: {Unit.PIECE: "pieces"},
    Surface: {Surface.TAPE: "black tape", Surface.ANODISED: "anodised metal", Surface.METAL: "bare metal"},
    HeatState: {HeatState.COLD: "too cold", HeatState.TOO_HOT: "too hot", HeatState.UNKNOWN: "not read yet"},
    UsedFor: {UsedFor.WIPE: "wipes", UsedFor.OTHER: "nothing of its own"},
    Film: {Film.ON: "film on", Film.OFF: "film off", Film.NONE: "without film"},
    Found: {
        Found.UNKNOWN: "not looked at yet",
        Found.AS_BOUGHT: "as it was bought",
        Found.LESS: "less than was bought",
    },
    Seen: {Seen.UNKNOWN: "not looked at"},
    Judged: {Judged.AS_BOUGHT: "as it was bought", Judged.NOT_AS_BOUGHT: "not as it was bought"},
    Arrived: {
        Arrived.DEAD: "dead on arrival",
        Arrived.WRONG: "the wrong part",
        Arrived.DAMAGED: "damaged on the way",
        Arrived.EXTRA: "more than ordered",
    },
    Cause: {
        Cause.DEAD: "dead on arrival",
        Cause.WRONG: "the wrong part",
        Cause.DAMAGED: "damaged on the way",
        Cause.EXTRA: "more than ordered",
        Cause.BROKEN: "broken by us",
        Cause.WARRANTY: "failed under warranty",
    },
    OrderState: {OrderState.DRAFT: "not sent yet", OrderState.ASKED: "being handed in"},
    ReturnState: {
        ReturnState.TO_SEND: "to be sent back",
        ReturnState.SENT: "on its way back",
        ReturnState.REFUSED: "refused by the supplier",
        ReturnState.BORNE: "borne by the shop",
    },
    PartFate: {
        PartFate.GOOD: "whole, back to the shelf",
        PartFate.DID_NOT_FIT: "does not fit, back to the shelf",
        PartFate.DEFECTIVE: "defective, off the shelf",
        PartFate.BROKEN: "broken here, off the shelf",
    },
}


def name_of(member: Enum) -> str:
    """What a kind is called, in English; its own value where that is its name."""
    named = NAMES.get(type(member), {}).get(member)
    return named if named is not None else str(member.value)
