"""The English sentences of what core and services say, by the id of the fact; they are also the keys of the
translations.
"""

from __future__ import annotations

from collections.abc import Mapping

SENTENCES: Mapping[str, str] = {
    "aim.consent": "a loss to agree to",
    "aim.failing": "tries that fail",
    "aim.grade": "grade",
    "aim.late": "past the promise",
    "aim.price": "price",
    "aim.waiting": "waiting",
    # -- bench
    "bars.between": "write something between {least} and {most}",
    "bars.camera": (
        "The camera makes these bars, not the screen: no fault is booked. Take it again at {shutters} s"
    ),
    "bars.camera-none": (
        "The camera makes these bars, not the screen: no fault is booked. Look by eye: no usual "
        "exposure is without them"
    ),
    "bars.not-the-camera": (
        "The camera alone makes no bars at this exposure: what is seen is to be looked at by eye"
    ),
    "bars.number-above-zero": "write a number above zero",
    "bench.apart": "off: {names}",
    "bench.battery-is-off": "battery off",
    "bench.battery-is-on": "battery on",
    "bench.choose-what-became-of-it": "choose what it is now",
    "bench.count-screws-write-number-sheet-says": (
        "count the screws and write the number; the sheet says {expected}"
    ),
    "bench.in-the-tray": "screws in the tray: {count}",
    "bench.lies-there": "{said}",
    "bench.name-who-supervises": "choose who is trained for {family} and stands beside you",
    "bench.done-already": "done already by {who} at {at}",
    "bench.seconds": "{count} s",
    "bench.next-step": "the next step is: {next_one}",
    "bench.nothing-all-steps-done": "nothing: all steps are done",
    "bench.open-at": "open: {names}",
    "bench.test-every-function-step-done-when": (
        "test every function at this step; it is done when the proof passes"
    ),
    # -- catalogue
    "bench.unplugged": "unplugged: {names}",
    "bench.waits-for": "first: {first}",
    "bench.write-why": "write why, such as touch dead along the left edge",
    "calendar.calendar": "calendar",
    "calendar.choose-ics": "choose a calendar file (.ics) with entries in it",
    "calendar.entry-without-span": "“{words}” says no span of at most a year",
    "calendar.goes-on": "“{words}” goes on: it was read for two years, {most} times at most",
    "calendar.repeats-too-often": "“{words}” repeats within a day: it was read once",
    "calendar.rule-unread": "how “{words}” repeats cannot be read: it was read once",
    "calendar.unknown-zone": "“{words}” is in the time zone “{zone}”, which nobody here knows",
    "calendar.more-entries": "only the first {most} entries were read",
    "calendar.smaller": "choose a file of at most {most} kB",
    "catalogue.another-pack-has": "another pack has it: {pack}",
    "catalogue.before-sealed": "before it is sealed",
    "catalogue.byte": "byte {start} of {name}",
    "catalogue.can-come-off": "pieces that can come off: this one waits for itself",
    "catalogue.catalogue-has-changed-since-you-looked": (
        "the catalogue has changed since you looked: look again, then confirm"
    ),
    "catalogue.changed-here-files-version-takes-place": (
        "{edited_by} changed it here; the file's version takes its place"
    ),
    "catalogue.choose-pack-file-json": "choose a pack file (JSON)",
    "catalogue.choose-phone-tablet-laptop-watch-handheld": (
        "choose phone, tablet, laptop, watch, handheld, player or two-in-one"
    ),
    "catalogue.count-between-1-200-pins": "count between 1 and 200 pins",
    "catalogue.counted": "{count} {change}",
    "catalogue.cure-min": "the cure of {seal}: {cure_minutes} min",
    "catalogue.differs-connector": "connector {name}",
    "catalogue.differs-cure": "cure",
    "catalogue.differs-face": "face",
    "catalogue.differs-function": "function {name}",
    "catalogue.differs-heat": "heat, {name}",
    "catalogue.differs-looks": "looks, {name}",
    "catalogue.differs-minutes": "minutes by the sheet",
    "catalogue.differs-moved-over": "moved over",
    "catalogue.differs-need": "{name}",
    "catalogue.differs-numbers": "numbers",
    "catalogue.differs-part-family": "part family",
    "catalogue.differs-screws": "screws, {name}",
    "catalogue.differs-seal": "sealed with",
    "catalogue.differs-step": "step “{name}”",
    "catalogue.differs-steps-family": "steps family",
    "catalogue.differs-tested": "tested",
    "catalogue.like-connectors": "connectors, and where they lie: {count}",
    "catalogue.like-depths": "how deep a pick may go, by edge: {count}",
    "catalogue.like-features": "write an aspect, a colon, and how it looks, one a line",
    "catalogue.like-form": "The new model",
    "catalogue.like-functions": "functions to test: {count}",
    "catalogue.like-heat": "limits of heat: {count}",
    "catalogue.like-name-taken": "choose another name: there is such a model already",
    "catalogue.like-numbers": "write its model numbers, one a line, of 2 to 40 characters",
    "catalogue.like-pieces": "pieces, and the steps that follow from them: {count}",
    "catalogue.like-price": "write what it cost when it was new, such as 480, or nothing",
    "catalogue.like-screws": "screws, their heads, lengths and places, by group: {count}",
    "catalogue.like-tacs": "write eight digits each, with spaces between",
    "catalogue.give-each-function-id-own": "give each function an id of its own",
    "catalogue.give-each-model-id-own": "give each model an id of its own",
    "catalogue.give-each-one-id-own": "give each one an id of its own",
    "catalogue.give-each-piece-id-own": "give each piece an id of its own",
    "catalogue.give-each-step-id-own": "give each step an id of its own",
    "catalogue.give-places-none": "give {count} places, or none",
    "catalogue.give-step-second-look-before-closed": "give it a step with a second look before it is closed",
    "catalogue.group-of-one-piece": "let one piece be held by it, {count} are",
    "catalogue.have-exactly-one-step-phase-proof": "have exactly one step with the phase proof",
    "catalogue.height": "height",
    "catalogue.id-model-stays": "the id of a model stays as it is",
    "catalogue.keep-inside-glass": "keep it inside the glass",
    "catalogue.keep-inside-outline": "keep it inside the outline",
    "catalogue.keep-order": "keep the order {order}",
    "catalogue.made-here": "it was made here",
    "catalogue.measure-between-10-1000-mm": "measure between 10 and 1000 mm",
    "catalogue.method-allowed-ruled-out-not-both": "a method is allowed or ruled out, not both",
    "catalogue.mm": "{count} × {length_mm:g} mm, {head}",
    "catalogue.most-c": "at most {max_c} °C",
    "catalogue.most-c-2": "at most {max_c} °C: {why}",
    "catalogue.most-half-shorter-side": "at most half of the shorter side",
    "catalogue.name-one-allowed-methods": "name one of the allowed methods: {what}",
    "catalogue.name-one-connectors": "name one of the connectors: {what}",
    "catalogue.name-one-heat-limits": "name one of the heat limits: {what}",
    "catalogue.name-one-pieces": "name one of the pieces: {what}",
    "catalogue.name-one-screw-groups": "name one of the screw groups: {what}",
    "catalogue.name-step-sheet": "name a step of this sheet",
    "catalogue.name-step-stands-before-one-sheet": "name a step that stands before this one on the sheet",
    "catalogue.no": "no",
    "catalogue.not-file-but": "not in the file, but {used}",
    "catalogue.not-file-but-stays-readable-not": (
        "not in the file, but {used}: it stays readable and is not taken in any more"
    ),
    "catalogue.not-file-never-used": "not in the file, and never used",
    "catalogue.not-known": "not known",
    "catalogue.nothing": "nothing",
    "catalogue.nothing-in-it": "Nothing in it.",
    "catalogue.once-closed": "once it is closed",
    "catalogue.one-length-each": "one length for each of the {count} screws, or none",
    "catalogue.the-longest": "the longest of its lengths, {longest} mm",
    "catalogue.one-battery": "let exactly one connector be the battery’s",
    "catalogue.open-edge-where-pick-may-go": "open at an edge where a pick may go: its limit here is 0 mm",
    "catalogue.pack": "The pack {pack}",
    "catalogue.pack-look": "pack to look at",
    "catalogue.picture-inside-outline-under-inches-from": (
        "a picture inside this outline is under {longest:.1f} inches from corner to corner"
    ),
    "catalogue.proof-steps": "{count} proof steps",
    "catalogue.put-battery-after-every-other-connector": "put the battery on after every other connector",
    "catalogue.put-every-connector-came-off-once": "put on every connector that came off, once",
    "catalogue.read-packs-more-than-characters-from": (
        "read packs of more than {most_characters:,} characters from the shell"
    ),
    "catalogue.retired-already": "retired already",
    "catalogue.retired-bring-back-catalogue-take-device": (
        "it is retired: bring it back in the Catalogue, or take the device in by its measures"
    ),
    "catalogue.ruler": "{what}, with a ruler",
    "catalogue.save-file-utf-8-text": "save the file as UTF-8 text",
    "catalogue.set-fewer-than-group-rest-later": (
        "set fewer than the {count} of the group going in, and the rest at a later step"
    ),
    "catalogue.sheet-forbids-edge": "write 0: step {step} of the sheet says “{limit}”",
    "catalogue.take-battery-off-before-any-other": "take the battery off before any other connector",
    "catalogue.take-out-one-step-put-back": (
        "take it out in one step and put it back in one; it is out {out}×, in {back}×"
    ),
    "catalogue.try-fit-do-not-force": "{bits: or } – try the fit, do not force",
    "catalogue.use-one": "use one of: {cautions}",
    "catalogue.wait-for-each-other": (
        "an order in which no step waits for itself: {steps} steps wait for each other"
    ),
    "catalogue.was-retired": "it was retired",
    "catalogue.what-was-measured": "What was measured",
    "catalogue.width": "width",
    "catalogue.would-do": "{said}.",
    "catalogue.write-what-device-says-up-80": "write what the device says, up to 80 characters",
    "catalogue.yes": "yes",
    # -- customers
    "comeback.alone": "the part is ours alone: the supplier’s guarantee ended on {until}",
    "comeback.choose": "choose one of: {causes}",
    "comeback.comeback": "comeback",
    "comeback.decision": "The cause",
    "comeback.failed": "{names}: worked at the proof and is faulty now",
    "comeback.liquid": "liquid was found that was not there",
    "comeback.look-is-free": "looking costs nothing",
    "comeback.never": "{names}: was never shown to work",
    "comeback.new-mark": "{kind} that was not there ({side})",
    "comeback.not-handed-back": "only what was handed back can come back",
    "comeback.not-ours": "{cause}: the customer pays",
    "comeback.not-the-part": "it was found not to be the part",
    "comeback.nothing": "every function works, and no new mark of force is there",
    "comeback.only-work": "our warranty is over, the supplier’s is not: the customer pays the work",
    "comeback.opened": "others opened it",
    "comeback.our-work": "our work: it costs nothing",
    "comeback.over": "no warranty runs any more",
    "comeback.part-over": "the warranty on the part is over: the customer pays",
    "comeback.part-until": "on the part until {until}",
    "comeback.screen-failed": "{names}: worked at the proof, is faulty now, and is the screen’s own",
    "comeback.seal-unclear": "whether others opened it cannot be told",
    "comeback.shop-alone": "it costs nothing; the shop pays alone",
    "comeback.still": "the warranty runs for {days:one day|# days} more",
    "comeback.supplier-ended": "the supplier’s guarantee ended on {until}",
    "comeback.supplier-pays": "it costs nothing; the supplier pays and is asked",
    "comeback.supplier-unknown": "what the supplier promises is not known",
    "comeback.supplier-until": "the supplier answers for the part until {until}",
    "comeback.terms": "The warranty",
    "comeback.test-longer": (
        "nothing was found {times} times in a row: test it longer, warm, for a night, as the customer uses it"
    ),
    "comeback.why-another": "write why, in 5 to 300 characters",
    "comeback.work-over": "the warranty on the work is over: the customer pays",
    "comeback.work-until": "on the work until {until}",
    "consents.choose-a-second-look": "choose never, where a part is fitted, or at every repair",
    "customers.choose-another-record-than-one": "choose another record than this one",
    "customers.choose-language": "choose one of: {languages}",
    "customers.hand-these-devices-back-first": "hand these devices back first",
    "customers.sender-is-away": (
        "try again: the message sender does not answer, and keeps what it sent them until it does"
    ),
    "customers.type-name-stands": "type the name as it stands: {customer}",
    # -- handover
    "dust.accepted": "Accepted as it is: {reason}",
    "dust.came-back": (
        "{count} came back at the same place: under the film, in the diffuser or on the glass. Lift the"
        " layer that it lies under"
    ),
    "dust.clean": "Clean after {rounds} looks",
    "dust.clean-again": "{count} new: clean it, and look again",
    "dust.clean-or-accept": "clean it and look again, or accept what is left with a reason",
    "dust.look-and-keep": "look at it on the white field, mark every speck, and keep the look",
    "dust.look-first": "Look at it on the white field, and mark every speck",
    "dust.many-rounds": (
        "{count} new again: blow the frame out and change the cloth, or accept what is left with a reason"
    ),
    "dust.not-looked-yet": "nobody looked for dust under the panel",
    "dust.nothing-to-accept": "look at it first: there is nothing to accept",
    "dust.specks-are-marked": "{count:one speck is|# specks are} marked under the panel",
    "dust.write-why": "write why what is left is accepted",
    "edid.accepts": "drop an EDID file of {least} to {most} bytes, or paste its bytes as hexadecimal digits",
    "edid.begins-with": "an EDID begins with {header}; {accepts}",
    "edid.block-cut-off": "block {block}: a DisplayID data block is cut off",
    "edid.blocks-missing": (
        "it announces {announced} extension blocks and brings {brought}; the rest is missing"
    ),
    "edid.bytes": "{count} bytes",
    "edid.bytes-after": "{count} bytes after its last block are ignored",
    "edid.checksum": (
        "block {block}: the checksum is 0x{check:02x} and must be 0x{expected:02x}; a byte was misread"
    ),
    "edid.cut-off": "it is cut off: the first block alone has {block} bytes; {accepts}",
    "edid.digits": "{count} digits",
    "edid.even": "two digits make a byte, so their number is even; {accepts}",
    "edid.only-digits": "only 0–9 and a–f stand in bytes; {accepts}",
    "edid.section-longer": "block {block}: its DisplayID section is longer than the block",
    "edid.too-long": "it is too long; {accepts}",
    "edid.version": "version {major}.{minor}",
    "edid.versions": "versions 1.0 to 1.4 are read",
    "estimate.about": "about {price}",
    "estimate.above": "I agree to {price}, although {high} at most was said when it was taken in.",
    "estimate.as-shown": "tick the range that is shown, or none",
    "estimate.between": "between {low} and {high}",
    "file.cannot-be-read": "a file that its reader broke off at",
    "file.costs-too-much": "a file that takes more than {seconds} seconds or a gigabyte to be read",
    "file.smaller": "choose one that is smaller or simpler",
    "file.written-anew": "choose one that another program wrote anew",
    "handover.agreed-price-job": "agreed price of job",
    "handover.at-least": "write what was handed over, at least {due}",
    "handover.avoid-pressure": "The glue hardens for {cure} more: no pressure on the edges, no heat, no bag.",
    "handover.avoid-solvents": "Clean the screen with a soft cloth, without solvents.",
    "handover.avoid-water": "Keep it away from water.",
    "handover.be-handed-back": "be handed back",
    "handover.be-paid": "be paid",
    "handover.be-reversed": "be given back by card",
    "handover.card-by-terminal": "a card is charged by the terminal",
    "handover.charge": "charge by card",
    "handover.charge-is": "the charge by card is {state}",
    "handover.back-to-card-up-to": "by card at most {had} can go back: give the rest in cash or by transfer",
    "handover.given-back-to-card": "given back to the card",
    "handover.load-anew": "load the page anew and try again",
    "handover.other-amount": "this page asked the terminal for {amount}: load it anew for another amount",
    "handover.charge-open": "nobody knows yet whether {amount} by card was paid: ask the terminal",
    "handover.choose-one": "choose one of: {method}",
    "handover.cures-until": "its glue cures until {until}",
    "handover.deposit-up-to": "write an amount up to what is still open, {owed}",
    "handover.done": "{route:capital}: fitted {fitted}. Every function tested against its state on arrival.",
    "handover.fitted": "{part} ({grade})",
    "handover.go-on": "go on",
    "handover.grade-unknown": "grade not known",
    "handover.label-printed": "the label printer does not answer; try again",
    "handover.new-damage-liquid-bending-not-covered": "New damage, liquid and bending are not covered.",
    "handover.not-looked-at": "it was not looked at {look}",
    "handover.not-posted": "it was not posted",
    "handover.nothing-owed": "nothing is owed",
    "handover.open-amount-take-all-have-manager": (
        "the open amount is {owed}; take all of it, or parts of it under “Several payments, several ways”"
    ),
    "handover.parcel-needs": "write at least {least} characters for the {field} of the parcel",
    "handover.part-up-to": "write an amount up to what is still owed, {owed}",
    "handover.passed-all-the-same": "{names}: does not work as it should; {reason}",
    "handover.refund-up-to": "write an amount up to what was paid, {had}",
    "handover.scan-label": "scan a label of this job: {labels}",
    "handover.splash-protection-not-promised-after-opening": (
        "Splash protection is not promised after opening."
    ),
    "handover.still-asked": "the terminal is being asked just now; wait a moment",
    "handover.take-a-deposit": "take a deposit",
    "handover.terminal-away": "the card terminal does not answer; try again",
    "handover.ticket-of-this-job": "scan or type the code of this job’s ticket",
    "handover.went-early": "It went early – {reason} – so that was not done yet: {waits}",
    "handover.who-takes-it": "Who takes it",
    "handover.why-kept": "write why a part of the deposit is kept",
    "handover.write-parcel-number-back": "write the parcel number it goes back with, or that it is collected",
    "handover.write-who-collects": "write the name of whoever collects it",
    "handover.write-why-it-goes": "write why it goes before it is ready: the customer reads it",
    "handover.write-why-money": "write why, in 5 to 300 characters: it stands in the ledger",
    "handover.write-why-repair-declined": "write why the repair is declined",
    # -- identify
    "hands.close-for-the-night": "be closed for the night",
    "hands.go-on": "go on",
    "hands.no-more-notes": "at most {most} notes of one job",
    "hands.not-for-the-night": "it is not closed for the night",
    "hands.nothing-is-off": "nothing is off: it is closed",
    "hands.write-a-note": "a few words, at most 600 signs",
    "heat.a-heated-step": "a step of this sheet that is warmed",
    "heat.below-its-window": "{place} was last read at {c} °C, wanted is {least}–{most} °C",
    "heat.go-on-now": "warm enough: go on now",
    "heat.hold-or-say-why": "hold it, or, trained, write why it goes on without",
    "heat.is-on": "{names} is still on",
    "heat.let-it-cool": "let it cool and read it again; only a manager lets that pass",
    "heat.not-long-enough": "hot enough for {so_far} of {wanted}, by the readings ({place})",
    "heat.not-read-yet": "no reading taken ({place})",
    "heat.of-a-hand": "a hand",
    "heat.of-plastic": "plastic",
    "heat.over-its-ceiling": "{place} was last read at {c} °C, above {ceiling} °C, the most for {of}",
    "heat.plate-away": "a plate that answers; it does what it did before – look at it",
    "heat.plate-is-taken": "the plate is in use for {code}; switch it off there first",
    "heat.put-tape-on-it": "bare metal mirrors the room: put black tape on it and read the tape",
    "heat.read-it": "read it at the spot you warm: {least}–{most} °C is wanted, {ceiling} °C is the most",
    "heat.read-it-again": "that was more than {minutes} minutes ago: read it again",
    "heat.reading-is-old": "the last reading ({place}) is more than {minutes} minutes old",
    "heat.stop": "stop heating: it is above {ceiling} °C, the most for {of}",
    "heat.switch-off-first": "switch it off first: nothing is closed beside something hot",
    "heat.thermometer-away": "type what it shows: the thermometer does not answer",
    "heat.warm-it": "warm it to {least}–{most} °C, never above {ceiling} °C",
    "heat.write-degrees": "write degrees from {least} to {most} °C, or °F with an F, such as 61.5 or 142 F",
    "heat.write-the-room": "write degrees in °C from 5 to 40, such as 21.5",
    "identify.so-many-are-called": "{count:# thing is|# things are} called so.",
    "identify.article-number": "Article number {scan}: {part}",
    "identify.away-from-check-marked-ones-label": (
        "“{part}” is {edits:one character|# characters} away from “{number}” of the {full_name}: check the "
        "marked ones on the label."
    ),
    "identify.catalogue-does-not-know-first-eight": (
        "{says} The catalogue does not know its first eight digits."
    ),
    "identify.check-these-label": "Check these on the label: {doubts}.",
    "identify.customer": "Customer {name}.",
    "identify.customers": "{count} customers.",
    "identify.decides": "“{number}” decides: {full_name}.",
    "identify.device-serial-number-was-here-times": (
        "The device with the serial number {scan} was here {count} times."
    ),
    "identify.do-not-mix-up": "Do not mix it up with {shown}.",
    "identify.found-name-one-name-covers-many": (
        "found by name: one name covers many screens, so read the number from the label"
    ),
    "identify.ignored": "“{ignored}” is ignored ({means}).",
    "identify.imei-begins-read-number-from-label": (
        "its IMEI begins with {scan}: read the number from the label as well"
    ),
    "identify.imei-begins-so-belongs-look-again": (
        "An IMEI that begins so belongs to {names}: look again which device this is, or its board was "
        "swapped."
    ),
    "identify.imei-has-fifteen-digits-not-all": "an IMEI has fifteen digits, not all the same",
    "identify.job": "Job {scan}",
    "identify.look-alike-when-label-faint": "look alike when the label is faint",
    "identify.may": "“{character}” may be “{number}”",
    "identify.millimetre-from-preferred-timing": "to the millimetre, from its preferred timing",
    "identify.model-with-number": "{model} (“{number}”)",
    "identify.more": "{count} more",
    "identify.more-have-such-name-not-shown": "More have such a name and are not shown.",
    "identify.more-than-one-device-fits-compare": (
        "More than one device fits: {names}. Compare with the device."
    ),
    "identify.name-not-number": "A name is not a number: {why}.",
    "identify.no-meaning-for-the-screen": "no meaning for the screen",
    "identify.no-model-catalogue-has-number-like": "No model in the catalogue has a number like “{text}”.",
    "identify.no-revision-printed": ", no revision printed",
    "identify.not-article-number-last-digit-would": (
        "not an article number: its last digit would be {should}, so one digit is wrong or it is another "
        "number"
    ),
    "identify.one-begins-like-other": "one begins like the other",
    "identify.one-character-apart": "one character apart",
    "identify.one-digit-imei-wrong-check-digit": (
        "one digit of this IMEI is wrong: its check digit does not agree"
    ),
    "identify.only-centimetre": "only to the centimetre: {why}",
    "identify.panel-label-base-number": "A panel label of {maker}: base number {base}{revision} ({label}).",
    "identify.part": "Part {scan}",
    "identify.piece": "Piece {scan}",
    "identify.printed": "{name}, printed {printed}",
    "identify.printed-part": "“{scan}” is printed on a part.",
    "identify.retired-not-taken-any-more": "It is retired and is not taken in any more.",
    "identify.revision": ", revision {revision}",
    "identify.said": "{names}: {why}.",
    "identify.same-base-another-revision-shelf-compare": (
        "The same base in another revision is on the shelf: compare it, it is not promised to fit."
    ),
    "identify.same-number": "the same number",
    "identify.scan-again-no-whole-gs1-128": "scan it again: it is no whole GS1-128 code, or a digit is wrong",
    "identify.serial-number-device-was-here": "“{scan}” is the serial number of a device that was here.",
    "identify.serial-number-job": "Serial number of job {jobs}",
    "identify.tenth-millimetre-from-displayid-block": "to a tenth of a millimetre, from its DisplayID block",
    "identify.timing-states-mm-which-cannot": "its timing states {stated:g}×{stated2:g} mm, which cannot be",
    "identify.timing-states-no-size": "its timing states no size",
    "identify.type-what-label-says": "Type what the label says.",
    "identify.valid-article-number-no-part-shelf": (
        "A valid article number, {scan}; no part on the shelf carries it."
    ),
    "identify.valid-imei-device-has-not-been": (
        "A valid IMEI, {scan}, of a device that has not been here yet."
    ),
    "identify.was-measured-here-no-pack-compare": (
        "{why} It was measured here and is in no pack: compare the two."
    ),
    # -- intake
    "intake.against-look-again": "{layer:capital}: “{sound}” against “{faulty}” Look again.",
    "intake.also": "Also: {marks:; }.",
    "intake.answer-least-one-thing-was-tried": "answer at least one thing that was tried again",
    "intake.answer-works-faulty-leave-not-testable": "answer works or faulty, or leave it not testable",
    "intake.answer-works-faulty-not-testable": "answer “{function}”: works, faulty or not testable",
    "intake.backlight-its-fuse-supply": "backlight, its fuse or supply",
    "intake.behind": "{spot} behind it",
    "intake.box-splinters": "a box for the splinters",
    "intake.charge-first-then-look-again": "charge first, then look again",
    "intake.choose-customer-from-list-write-new": "choose a customer from the list or write a new one",
    "intake.choose-day-time-customer-was-promised": "choose the day and time the customer was promised",
    "intake.choose-time-within-days": "choose a time that lies ahead, at most {days} days",
    "intake.choose-waiting-drop-off-mail": "choose waiting, drop-off or mail",
    "intake.choose-what-agreed-about-data": "choose what is agreed about the data on it",
    "intake.cup-mm-centre-mm-from-edge": (
        "Cup of {diameter_mm} mm, its centre {deep:.0f} mm from the {edge} edge."
    ),
    "intake.cure": "Cure: {time}.",
    "intake.customer-is": "{name}, {reached}",
    "intake.customer-must-agree": "the customer must agree: “{consent}”",
    "intake.device-is": "{model} {numbers}",
    "intake.display-silent": "leave it open: the display does not answer",
    "intake.draw": "draw {kind} as {words}",
    "intake.draw-2": "draw {kind} on the {sides: or the }",
    "intake.draw-mark-again-name-could-not": "draw this mark again: its name could not be read",
    "intake.draw-most-marks": "draw at most {max_marks} marks",
    "intake.earliest-can-kept-promise-write-why": (
        "the earliest that can be kept is {at}; promise that, or write why earlier is possible"
    ),
    "intake.edge": "{edge:capital} edge: {limit}.",
    "intake.edge-where-usually-opened-broken-tape": (
        "The {edge} edge, where it is usually opened, is broken: tape it before the cup."
    ),
    "intake.eye-protection": "eye protection",
    "intake.faulty": "Faulty: {layers}.",
    "intake.find-device-model-number-first": "find the device by its model number first",
    "intake.for-this": "{first}: {time} for this.",
    "intake.for-this-after": "{first}: {time} for this, after {before} of other work.",
    "intake.from-mm": "{depth} from {start_mm:.0f} to {end_mm:.0f} mm ({why})",
    "intake.from-mm-2": "from {x:.0f}, {y:.0f} to {x2:.0f}, {y2:.0f} mm",
    "intake.give-phone-number-email-address": "give a phone number or an email address",
    "intake.glass-damage": (
        "{impacts} {impacts:impact|impacts}, {cracks} {cracks:crack|cracks}, {crack_mm:.0f} mm of crack."
    ),
    "intake.glass-damage-reaches": (
        "{impacts} {impacts:impact|impacts}, {cracks} {cracks:crack|cracks}, {crack_mm:.0f} mm of crack; "
        "damage reaches the {edges} {edges:edge|edges}."
    ),
    "intake.glass-lies-within-mm-damage": (
        "{share_near:.0%} of the glass lies within {near_edge_mm:g} mm of damage; it {loose}."
    ),
    "intake.glass-only": "glass only",
    "intake.glass-touch-whole-front": "glass and touch, or whole front",
    "intake.gloves": "gloves",
    "intake.how-faulty": "how it is faulty",
    "intake.in-the-plan": "{who}: has room in the plan {at}.",
    "intake.intake-left-half-way": "intake left half-way",
    "intake.leave-was-found-arrival": "leave “{function}” as it was found on arrival",
    "intake.length-mm": "{length} mm",
    "intake.limit-why": "{depth} ({why})",
    "intake.list-is": "{parts:; }",
    "intake.looked-list-look-again": "{asks}: looked at as “{says}”, in the list as “{ticked}”. Look again.",
    "intake.many-intake-holds-take-one-away": "that is as many as an intake holds: take one away first",
    "intake.mm": "{kind} at {x:.0f}, {y:.0f} mm",
    "intake.mm-2": "{x:.0f}, {y:.0f} mm",
    "intake.mm-long": "{kind} {span}, {length:.0f} mm long",
    "intake.mm-mm": "{kind} at {x:.0f}, {y:.0f} mm, {wide:.0f} × {high:.0f} mm",
    "intake.mm-mm-across": "{kind} at {x:.0f}, {y:.0f} mm, {reach_mm:.0f} mm across",
    "intake.most-mm-deep": "at most {depth_mm:g} mm deep",
    "intake.never-cut": "Never cut: {not_cut}.",
    "intake.no-cup-holds-start-chip-edge": (
        "No cup holds: start at the chip by the {entry_edge} edge, tape the rest first."
    ),
    "intake.no-cup-holds-start-gap-stands": (
        "No cup holds: start in the gap that stands open at the {entry_edge} edge."
    ),
    "intake.no-cup-holds-tape-glass-then": (
        "No cup holds: tape the glass, then a thin blade at the {entry_edge} edge, or a cup on the tape."
    ),
    "intake.start-with-tool": "Start at the {entry_edge} edge with the {tool}.",
    "intake.no-damage-drawn": "No damage drawn.",
    "intake.no-edge-allows-pick-not-opened": "No edge allows a pick: it is not opened from the front.",
    "intake.dry-first-then-look-again": "power off, dry and clean it, then look again",
    "intake.no-fault-found": "no fault found",
    "intake.no-part-fits-known-yet": "No part that fits is known yet.",
    "intake.no-pick": "no pick",
    "intake.nobody-here-trained-work": "Nobody here is trained for this work.",
    "intake.not-screen-board-battery-first": "not the screen: board or battery first",
    "intake.not-usual-edge-broken": (
        "Not at the {opening_edge} edge as usual: {broken:.0%} of it is broken, of the {entry_edge} edge "
        "{here:.0%}."
    ),
    "intake.not-usual-edge-no-cup": "Not at the {opening_edge} edge as usual: no cup holds there.",
    "intake.not-usual-edge-no-pick": "Not at the {opening_edge} edge as usual: no pick may go in there.",
    "intake.not-usual-edge-open-already": (
        "Not at the {opening_edge} edge as usual: the {entry_edge} edge is open already."
    ),
    "intake.nothing-observed-yet": "Nothing is observed yet.",
    "intake.not-tripped-and-drawn-tripped": "not tripped, and a tripped one is drawn",
    "intake.choose-tripped-or-remove-marks": "choose that it is tripped, or remove the mark",
    "intake.charged-and-at-nothing": "charged, and its level is 0 %",
    "intake.choose-flat-or-another-level": "choose that it is flat, or write its level",
    "intake.nothing-is-broken": "Nothing is broken.",
    "intake.nothing-proved-faulty": "Nothing is proved faulty.",
    "intake.offered-no-more": "choose again: the plan has changed, and this time is not offered any more",
    "intake.on-the-back": "{said} on the back",
    "intake.on-the-edge": "{said} on the {edge} edge",
    "intake.order": "Order: {edges}.",
    "intake.on-its-way": "On its way: {part}, expected in {days} {days:day|days}.",
    "intake.ordered-here": "To be ordered: {part}, here in {days} {days:day|days}.",
    "intake.panel-whole-front": "panel or whole front",
    "intake.points": "{count} points",
    "intake.points-area": "an area of {fewest} to {most} points",
    "intake.points-line": "a line of {fewest} to {most} points",
    "intake.points-place": "one point",
    "intake.points-spot": "one point with its reach",
    "intake.promised-already": "choose another time: this one is promised already",
    "intake.reseat-connectors": "reseat the connectors",
    "intake.reseat-replace-flex": "reseat or replace the flex",
    "intake.same-email": "the same email",
    "intake.same-name": "the same name",
    "intake.same-phone-number": "the same phone number",
    "intake.say-how-parcel-came": "say how the parcel came: {parcel_states}",
    "intake.shelf-free": "On the shelf: {part}, {free} free.",
    "intake.shop-closed-then": "the shop is closed then; it opens {opens}",
    "intake.sign-once-more-pad-printed-ticket": "sign once more on the pad, or on the printed ticket",
    "intake.choose-an-upgrade-shown": "choose one of those shown, or leave it open",
    "intake.waits-here": "the customer waits here",
    "intake.not-ready-today": (
        "it is ready {at}: choose that they leave it here, or write why they wait all the same"
    ),
    "intake.so-many-agreed": "{count} of {of} agreed",
    "intake.so-many-not-testable": "{count} not testable",
    "intake.so-many-work": "{count} {count:works|work}",
    "intake.spot-reaches": "a spot reaches 0 to {most} mm",
    "intake.stay-0-0-mm": "stay on the {where}: 0–{width:g} by 0–{height:g} mm",
    "intake.suspected": "Suspected: {layers}.",
    "intake.tape-over-cracks": "tape over the cracks",
    "intake.these-are-faulty": "faulty: {names}",
    "intake.ticked-opened-and-not": "opened before, and not opened yet",
    "intake.ticked-whole-and-drawn-broken": "the glass is whole, and broken glass is drawn",
    "intake.type-it-device-away": "type it: the device does not answer",
    "intake.untick-one-of-the-two": "untick one of the two",
    "intake.untick-or-remove-marks": "untick it, or remove the marks",
    "intake.use-digits-spaces-brackets-least-five": (
        "use digits, spaces, +, -, / and brackets, at least five digits, at most 40 signs"
    ),
    "intake.use-small-letters-digits-hyphens-letter": (
        "use small letters, digits and hyphens, a letter first, up to 31"
    ),
    "intake.what-was-tried-again": "What was tried again",
    "intake.where-cables-run-no-keep-outs": (
        "where its cables run: no keep-outs are known, so every limit is only the edge's"
    ),
    "intake.whole-front": "whole front",
    "intake.why-cannot-tested": "why it cannot be tested",
    "intake.windows-speaker-sensors-cup-may-leak": "its windows, speaker and sensors: a cup may leak there",
    "intake.with-note": "{said}: {note}",
    "intake.write": "write {what} ({function})",
    "intake.write-10-500-characters-plain-words": "write 10 to 500 characters in plain words",
    "intake.write-address-such-name-example-test": "write an address such as name@example.test",
    "intake.write-customers-name-most-120-characters": "write the customer's name (at most 120 characters)",
    "intake.write-degrees": "degrees in °C, such as 31.5",
    "intake.write-diameters-whole-mm-such-20": "write diameters in whole mm, such as 20, 30, 40",
    "intake.write-how-faulty": "write how it is faulty ({function})",
    "intake.write-most-120-characters": "write at most 120 characters",
    "intake.write-most-300-characters": "write at most 300 characters",
    "intake.write-most-40-characters": "write at most 40 characters",
    "intake.write-one-eight-cups-10-120": "write one to eight cups of 10 to 120 mm",
    "intake.write-where-sent-back": "write where it is sent back to",
    "intake.write-why-can-promised-all-same": "write why this can be promised all the same. {doubts: }",
    # -- job
    "intake.write-why-promise-changes": "write why the promise changes, such as part late",
    "invoice.be-corrected": "be corrected",
    "invoice.coin": "choose one of: {coins}",
    "invoice.correction": "The correction",
    "invoice.credited-in-part": "a credit note took a part of it back already",
    "invoice.deposit": "Deposit on the repair of {model}",
    "invoice.deposit-less": "Less the deposit of invoice {number}",
    "invoice.iban": "write the whole account number (IBAN), or nothing",
    "invoice.lacks-account": "the account to pay to is not said",
    "invoice.lacks-country": "the country of the {who} is not said",
    "invoice.lacks-tax-id": "the tax number of the shop is not said",
    "invoice.mode": "choose one of: {modes}",
    "invoice.no-ubl": "take an invoice in UBL 2.1 as this house writes it ({why})",
    "invoice.not-repaired": "not repaired: the deposit goes back",
    "invoice.part": "grade: {grade}",
    "invoice.price-fell": "the price became lower than the deposit",
    "invoice.taken-back": "a credit note took it back already",
    "invoice.tax-id": "write the tax number with its country, such as DE123456789, or nothing",
    "invoice.the-papers": "What stands on invoices",
    "invoice.too-long": "write at most 120 characters",
    "invoice.two-letters": "write the two letters of a country, such as DE",
    "invoice.work": "{route:capital}, {model}: work, test and warranty",
    "invoice.write-name": "write a name of 2 to 120 characters",
    "job.be-assigned": "be assigned",
    "job.be-looked-at-again": "be looked at again",
    "job.be-measured": "be measured for its part",
    "job.be-promised": "be promised",
    "job.be-worked-on": "be worked on",
    "job.have-its-part-reported": "have its part reported",
    "job.it-is": "it is {stage}",
    "job.it-is-and-must-be": "it is {stage}, and must be {wanted: or }",
    "job.job-code-has-five-letters-digits": "a job code has five or six letters or digits, such as K7-4QX",
    "job.no-part-chosen": "no part is chosen for it",
    "job.not-repaired": "it goes back unrepaired",
    "job.one-character-job-code-wrong-read": (
        "one character of this job code is wrong: read it again from the ticket"
    ),
    "job.take-another-price": "take another price",
    # -- marks
    "list.lines": "more than {most:,} lines",
    "list.shorter-line": "choose a list whose lines have at most {most:,} characters",
    "list.split-lines": "take the empty lines out, or split it: at most {most:,} rows are read at once",
    "list.bytes": "{count:,} bytes",
    "list.choose": "choose a price list (CSV or XLSX) with a heading row",
    "list.columns": "choose a CSV file whose first row names 2 to {most} columns, parted by ; , | or tabs",
    "list.first-row": "choose a CSV file: its first row could not be read",
    "list.heading-twice": "give each column a heading of its own",
    "list.line": "line {number}",
    "list.no-text": "choose a CSV or XLSX file: this one is neither",
    "list.put-line-right": "put this line right: {broken}",
    "list.split": "split it: at most {most:,} bytes are read at once",
    "list.workbook": "a workbook that cannot be opened",
    "list.zero-bytes": "zero bytes",
    "looks.be-looked-at": "be looked at like this",
    "looks.be-tested": "be tested on the device itself",
    "looks.key": "send each test with a key of its own",
    "looks.kinds": "send one of {kinds}",
    "looks.link": "link",
    "looks.link-over": "ask the shop for a new link: this one is over",
    "looks.most": "at most {most} tests are kept of one device",
    "looks.nothing-due": "seal it first; after that, and after the cure, it is looked at once each",
    "looks.other-device": "go on with the device that opened this link first, or ask the shop for a new one",
    "looks.said": "send what was found as a JSON object",
    "looks.specks": "send at most {most} specks as [x, y] in mm on the face",
    "looks.worse": "{name} does not work: {reason}",
    "marks.draw-marks-again-drawing-could-not": "draw the marks again: the drawing could not be read",
    "marks.sign-once-more-pad-printed-ticket": "sign once more on the pad, or on the printed ticket",
    # -- matching
    "matching.aftermarket-display-does-not-answer-programmer": (
        "an aftermarket display does not answer the programmer"
    ),
    "matching.already": "it is “{item}” already",
    "matching.and-more": "{named} and {more} more",
    "matching.another-panel-device": "Another panel is in this device: {named} – {differ}.",
    "matching.another-revision-same-number": "another revision of the same number",
    "matching.automatic-brightness-tone-may-lost": "{why}: automatic brightness and tone may be lost",
    "matching.brackets-moved-over": "brackets moved over",
    "matching.bridged": "Bridged: {reasons:; }.",
    "matching.broken-old-screen": "broken on the old screen: {part}",
    "matching.broken-old-screen-not-box-nobody": (
        "broken on the old screen, not in the box, and nobody sells it"
    ),
    "matching.buy": "Buy: {items}.",
    "matching.called-which-says": "it is called {name}, which is {meant}, and says {says}",
    "matching.can-ask-numbers": "{offered} can be {have}: ask for the numbers",
    "matching.cannot-read": "cannot be read: {refused}",
    "matching.choose-a-way-without-part": "one of the ways without a part that are shown",
    "matching.choose-among": "choose among: {sorted}",
    "matching.choose-column": "choose the column for “{column}”",
    "matching.choose-did-not-fit-was-defective": "choose: did not fit, or was defective",
    "matching.choose-kind": "choose one of {kinds}, or leave it open",
    "matching.choose-kit-complete-fits-now-one": (
        "choose a kit that is complete and fits now: one of its parts is gone or changed"
    ),
    "matching.choose-one-columns-list": "choose one of the columns of this list",
    "matching.choose-one-fits-one": "choose one that fits. This one: {judged}",
    "matching.confirmed": "confirmed",
    "matching.consent-ask": "a consent to ask for",
    "matching.contents-box": "Contents of the box",
    "matching.corrected-catalogue-says": "corrected: the catalogue says {ours}",
    "matching.costs-much-one-above": "costs as much as the one above; {why}",
    "matching.count-write-whole-number-such-40": "count: write a whole number, such as 40",
    "matching.customer-must-agree-first": "the customer must agree first: “{to_agree}”",
    "matching.days-of-waiting": "{count} {count:day|days} of waiting",
    "matching.days-past-promise": "{count} {count:day|days} past the promise",
    "matching.did-not-fit": "did not fit on {jobs}: {why}",
    "matching.different-and-harmless": "Different and harmless: {titles:lower}.",
    "matching.differs-does-no-harm": "differs, and that does no harm",
    "matching.differs-does-no-harm-on-this-model": "differs, and that does no harm on this model",
    "matching.does-not-fit": "Does not fit – {reasons:; }.",
    "matching.each-replaces-next-last-first": "each replaces the next and the last the first: {turned: → }",
    "matching.every-window-within-mm": "every window within {tolerance:g} mm",
    "matching.expected-loss-s-pieces-fail": "expected loss, {rate:.1%} of {supplier}'s pieces fail",
    "matching.fits": "Fits – everything that must agree does.",
    "matching.fits-if-customer-agrees": "Fits if the customer agrees – {reasons:; }.",
    "matching.fits-with-bridge": "Fits with a bridge – {reasons:; }.",
    "matching.fitted-proved": "fitted and proved on {jobs}",
    "matching.fitted-proved-although-rule-says-differs": (
        "fitted and proved on {jobs}, although a rule says it differs: measure it again"
    ),
    "matching.fitted-proved-did-not-fit-measure": (
        "fitted and proved on {jobs}, did not fit on {jobs2}: measure both"
    ),
    "matching.from": "{part} from {supplier}",
    "matching.here-later": "it is here later",
    "matching.i-agree-part-although-differs": "I agree to this part although it differs – {asked:; }.",
    "matching.instead-of": "{instead} instead of {item}",
    "matching.item-missing": "{item}: {says}",
    "matching.kit-parts-putting-them-together-takes": (
        "A kit of {count} parts; putting them together takes {minutes} min."
    ),
    "matching.may-stand": "{chain: → }: may stand in for it",
    "matching.may-stand-in-if": "{words}, if {conditions:; and if }",
    "matching.measure-least-one-thing": "measure at least one thing",
    "matching.measured-by": "measured by {who}",
    "matching.measured-by-claimed": "measured by {who}; claimed {claimed}",
    "matching.supplier-answers-less": (
        "The supplier answers for {days:# day|# days}, we promise {promised:# day|# days}: after that the "
        "shop stands alone."
    ),
    "matching.supplier-says-nothing": (
        "The supplier does not say for how long it answers; we promise {promised:# day|# days}."
    ),
    "matching.members-kit": "Members of the kit",
    "matching.min-more-bench": "{extra_minutes} min more at the bench",
    "matching.mm": "{width_mm:g}×{height_mm:g} mm, ±{doubt_mm:g}",
    "matching.mm-inches-across-not": (
        "{wide:g}×{high:g} mm is {inches:.1f} inches across, not {diagonal_in:g}"
    ),
    "matching.model-allows-no-transfer": "this model allows no transfer",
    "matching.model-demands-it": "{reason} – this model demands that it agrees",
    "matching.model-takes-consent": "{reason}; this model takes it with consent",
    "matching.more": "and {more} more",
    "matching.more-openings-than-one": "several more openings than the device has: {have}",
    "matching.more-than-needed-device-drives-slower": "more than is needed: the device drives it slower",
    "matching.move-over": "Move over from the old screen: {items}.",
    "matching.name-stands-for": "{name} is {pixels}",
    "matching.needs-one-has": "needs {needed}{unit}, this one has {offered}{unit}",
    "matching.needs-one-reaches-moves-less-smoothly": (
        "needs {needed} {unit}, this one reaches {offered}: moves less smoothly"
    ),
    "matching.new-catalogue-did-not-know": "new: the catalogue did not know it",
    "matching.no-reason-written": "no reason was written",
    "matching.no-resolution-stated": "no resolution is stated",
    "matching.no-window": "no window for the {what}",
    "matching.not-everything-must-say-said-measure": (
        "{named}: not everything it must say is said; measure it."
    ),
    "matching.not-known": "Not known – {reasons:; }.",
    "matching.not-known-but-fitted-proved": "not known, but fitted and proved on {jobs}",
    "matching.not-known-device-measure-original-table": (
        "not known of this device: measure the original on the table"
    ),
    "matching.not-known-either-side-read-both": (
        "not known on either side: read both numbers and compare them"
    ),
    "matching.not-known-may-differ": "not known, and it may differ",
    "matching.not-known-not-every-number-known": (
        "not known, and not every number known beside {needed} may stand in for it: read it"
    ),
    "matching.not-known-part-measure-ask-supplier": "not known of this part: measure it or ask the supplier",
    "matching.not-known-whether-they-fit-each": (
        "not known whether they fit each other: measure both pictures"
    ),
    "matching.not-right-every-number-known-beside": (
        "not right for every number it is known beside: read the number on the original"
    ),
    "matching.not-said": "not said",
    "matching.nothing-tells-them-apart-but-order": (
        "nothing tells them apart but the order they were entered in"
    ),
    "matching.old-display-does-not-answer-programmer": "the old display does not answer the programmer",
    "matching.older-than-which-replaces-not-reverse": (
        "older than {needed}, which replaces it and not the reverse: {chain: → }"
    ),
    "matching.one-more-opening-than-device-has": "one more opening than the device has: {have}",
    "matching.original-grade-old-displays-serial-written": (
        "original grade: the old display's serial is written into it"
    ),
    "matching.panel-device-kind-model-needs": (
        "{named}: the panel in this device is of the kind its model needs."
    ),
    "matching.panel-mm": "of the panel {sizes} mm",
    "matching.part-fits": "a part that fits",
    "matching.picture-glass-mm": "picture of the glass {sizes} mm",
    "matching.picture-mm-cannot-have-square-pixels": (
        "a picture of {wide:g}×{high:g} mm cannot have {resolution} square pixels"
    ),
    "matching.picture-mm-off": "its picture is {off:.0f} mm off",
    "matching.place-picture-need-only-size-known": (
        "the place of the picture is that of the need: only its size is known"
    ),
    "matching.revision-not-known": (
        "{offered} against {needed}: the revision is not known, and not every one is right"
    ),
    "matching.said-same-part-replace-each-other": (
        "{number} and {of} are said to be the same part and to replace each other one way"
    ),
    "matching.same": "the same",
    "matching.same-pixels": "the same pixels",
    "matching.sits-elsewhere-adapter-flex-box-bridges": (
        "sits elsewhere; the adapter flex in the box bridges it"
    ),
    "matching.adapter-may-plug": (
        "sits {offered}, needed {needed}; {part} leads there, and it is not said whether it plugs in: ask "
        "for kind and pins"
    ),
    "matching.sits-needed-bridges": "sits {offered}, needed {needed}; {part} bridges it",
    "matching.stands-itself": "{number} stands in for itself",
    "matching.states-no-size-measure-picture": "it states no size: measure the picture",
    "matching.they-fit-each-other": "they fit each other",
    "matching.titled": "{title:lower}: {reason}",
    "matching.use-instead": "Use {items:; }.",
    "matching.use-one-leave-empty": "use one of: {grades}, or leave it empty",
    "matching.window-sits-mm-off": "the window for the {what} sits {off:.1f} mm off",
    "matching.windows-too-few": "fewer openings than the device needs there",
    "matching.within": "within {tolerance:g} {unit}",
    "matching.within-mm-doubt": "within {panel_tolerance_mm:g} mm and its doubt; {size}",
    "matching.without-brackets-bought": "without brackets, and those of the old screen are broken: {part}",
    "matching.without-brackets-those-box": "without brackets: those from its box",
    "matching.without-brackets-those-old-screen-moved": (
        "without brackets: those of the old screen are moved over"
    ),
    "matching.write": "write the {item}",
    "matching.write-diagonal-picture-inches-above-zero": (
        "write the diagonal of the picture in inches, above zero"
    ),
    "matching.write-pieces-price-such-10-5": "write pieces and price, such as 10: 5.40 | 50: 5.00",
    "matching.write-what-looks-through-centre-such": (
        "write what looks through and its centre, such as camera 35.4,5.2 | sensor 22,4, or none"
    ),
    "matching.write-what-was-wrong-such-connector": (
        "write what was wrong, such as: connector on the other side"
    ),
    # -- once
    "once.reload-page-send-form-again": "reload the page and send the form again",
    "once.sent-before-with-other-content": (
        "this form was sent once already with other entries, and those count: reload the page, and "
        "send it again"
    ),
    # -- orders
    "orders.at-least": "order for at least {least}: the supplier sends nothing below",
    "orders.desk-is-away": "{supplier} does not answer; nothing was sent, try again later",
    "orders.enough": "enough: {chance} % chance of running out within {days} days",
    "orders.first-line-is": "the first line is: {header}",
    "orders.five-cells": "number, pieces, article, price and days, five cells",
    "orders.for-jobs": "for jobs that wait for it: {count}",
    "orders.it-is": "nothing more: it is {state}",
    "orders.jobs-and-shelf": (
        "{jobs}; the rest for the shelf: {without} % chance of running out within {days} days "
        "without, {having} % with"
    ),
    "orders.more-than-is-to-come": (
        "at most {to_come}, as many as are to come; write more than that under “more than ordered”"
    ),
    "orders.nobody-offers-it": "read in a price list that has it, nobody offers it now",
    "orders.nothing-in-it": "put at least one part into it",
    "orders.nothing-in-parcel": "write at least one piece that came",
    "orders.nothing-to-order": "nothing: enough of everything is there or on its way",
    "orders.order-now": (
        "order {order} now: {without} % chance of running out within {days} days without, {having} % with"
    ),
    "orders.return-stands-at": "nothing of that kind: it is {state} ({cause})",
    "orders.say-what-was-found": "write what was found, such as no picture, or the box was crushed",
    "orders.sold-in-packs": "such as {near}: it is sold from {least} pieces on, in steps of {pack}",
    "orders.the-numbers-of-the-shelf": "the numbers of the shelf",
    "orders.the-order": "the order",
    "orders.the-return": "the return",
    # -- people
    "pack.amount": "write an amount with two decimals, such as 60.00",
    "pack.any-of": "{kinds: or }",
    "pack.array": "write a list",
    "pack.barcode": "write P- and four to eight digits",
    "pack.boolean": "write true or false",
    "pack.cannot-be-so": "put it right: it cannot be so",
    "pack.check-digit": "copy it again: its check digit does not agree",
    "pack.eight-digits": "write eight digits",
    "pack.exclusiveMinimum": "more than {rule}",
    "pack.gtin": "write 8, 12, 13 or 14 digits",
    "pack.id": "use small letters, digits and hyphens, up to 61",
    "pack.integer": "write a whole number",
    "pack.maxLength": "at most {rule} characters",
    "pack.maximum": "at most {rule}",
    "pack.minItems": "give at least {rule}",
    "pack.minLength": "at least {rule} characters",
    "pack.minProperties": "give at least {rule}",
    "pack.minimum": "at least {rule}",
    "pack.must-be-there": "it must be there",
    "pack.name-one-of": "name one of: {names}",
    "pack.nested": "write valid JSON, not nested deeper than a pack is",
    "pack.no-such-name": "take it out: a pack has no such name here",
    "pack.null": "null (in a form: ?)",
    "pack.number": "write a number",
    "pack.number-missing": "give at least one model number, so that it can be found",
    "pack.object": "write a group of names and values",
    "pack.pattern": "it must look like {pattern}",
    "pack.pieces-or-steps": "pieces, acts and what they free (format 3), or steps and rework (format 2)",
    "pack.reads": "this Sutura reads {format}",
    "pack.schema": "it does not follow the published schema ({rule})",
    "pack.string": "write text",
    "pack.the-model": "The model",
    "pack.use-one-of": "use one of: {values}",
    "pack.valid-json": "write valid JSON",
    "pack.write-something": "write something",
    "papers.amount": "{amount}",
    "papers.given": "Given back",
    "papers.gross": "Sum with tax",
    "papers.law": "The law where you live comes first.",
    "papers.net": "Without tax",
    "papers.net-sum": "Sum without tax",
    "papers.of": "Of {day}, job {job}",
    "papers.payable": "To pay",
    "papers.paid-on": "Paid by {method}, {day}",
    "papers.back-on": "Given back by {method}, {day}",
    "papers.supplied": "Handed over {day}",
    "papers.percent": "{percent} %",
    "papers.prepaid": "Paid before",
    "papers.quantity": "Quantity",
    "papers.rate": "Tax",
    "papers.rounding": "Rounding",
    "papers.takes-back": "Takes back {number}",
    "papers.tax-on": "Tax {percent} % on {net}",
    "papers.title": "{kind:capital} {number}",
    "papers.what": "What",
    "partless.reseat": "reseat the connectors, no part",
    "partless.reseat-why": "a loose connector: lines, no picture, no touch after a fall or after a repair",
    "partless.serial": "give the display its serial, no part",
    "partless.serial-why": (
        "the screen was changed before and the device does not know it: brightness, tone or pressure "
        "misbehave"
    ),
    "people.choose-manager-counter-technician": "choose manager, counter or technician",
    "people.shop-needs-one-active-manager-make": "the shop needs one active manager; make another first",
    "people.someone-has-sign-name-already-choose": "someone has this sign-in name already; choose another",
    "people.use-2-32-small-letters-digits": "use 2–32 small letters, digits, dots or hyphens, a letter first",
    "people.use-least-characters": "use at least {min_password} characters",
    "people.write-how-many-times-sheets-minutes": (
        "write how many times the sheet's minutes this person takes: {least} to {most}, or nothing"
    ),
    "people.write-name-most-80-characters": "write a name of at most 80 characters",
    # -- planning
    "photo.accepts": "send a photo as JPEG, PNG or WebP, up to {most} MB",
    "photo.broken": "the file is broken: {accepts}",
    "photo.megabytes": "{size:.1f} MB",
    "photo.none": "this is no photo: {accepts}",
    "photo.picture": "a picture",
    "photo.pixels": "{width}×{height} pixels",
    "photo.too-large": "it is too large: {accepts}",
    "photo.unpacks": "it unpacks to too much: {accepts}",
    "picture.class-too-bad": "{count} faults of pixels: class {best}, {wanted} is wanted",
    "picture.fine": "{count} faults of pixels: class {best}",
    "picture.not-all-shown": "not every full field was looked at yet",
    "picture.pixels-unknown": "{count} faults of pixels, and how many pixels it has is not known",
    "picture.seen": "{count} × {kind}",
    "picture.uneven": "uneven in field {places}",
    "plan.after": "after {code}, which {person} does before",
    "plan.all-away": "whoever may do it is away",
    "plan.all-kept": "All {jobs} promises are kept.",
    "plan.all-kept-if": (
        "All {jobs} promises are kept if all goes as planned; {unsure} of them may well be missed."
    ),
    "plan.some-kept": "{kept} of {jobs} promises are kept.",
    "plan.break-inside": "a break inside of the day, its end after its beginning",
    "plan.break-whole": "write both ends of the break, or neither",
    "plan.by-rule": (
        "{kept} of {jobs} promises are kept, planned by a rule: the computation gave nothing better in "
        "its time."
    ),
    "plan.cannot-be-placed": (
        "{key} has no room: nobody who may do it has so long in one go within what is planned"
    ),
    "plan.choose-job": "choose a job that is in the plan",
    "plan.choose-person": "choose somebody who works at the bench",
    "plan.choose-station": "choose one of the stations",
    "plan.cures": "cures",
    "plan.end-after-begin": "end after the beginning",
    "plan.first": "the first of its person",
    "plan.hands": "at the bench",
    "plan.helps-person": "{who} would be done sooner: give it to them",
    "plan.helps-supplier": "{supplier} brings its part in {days} days",
    "plan.helps-tell": "tell the customer now: most likely ready {at}",
    "plan.is-best": (
        "{kept} of {jobs} promises are kept; no plan has less lateness than its {late} weighed minutes."
    ),
    "plan.is-within": (
        "{kept} of {jobs} promises are kept; at most {percent} % of its {late} weighed minutes of "
        "lateness could be saved."
    ),
    "plan.nobody-else-trained": "nobody else is trained for it",
    "plan.no-room": "nobody who may do it has so long in one go within the days that are planned",
    "plan.nobody-trained": "nobody here is trained for it",
    "plan.not-all-of-it": "{key} is not wholly in the plan",
    "plan.order-broken": "{key} is not done in its order, by its person, or when it can be",
    "plan.out-of-hours": "{person} would work at {key} out of their hours",
    "plan.part-later": "its part comes after the days that are planned",
    "plan.pin-no-room": "choose another time: it has no room there",
    "plan.pin-what-is-open": "hold fast a job whose bench work is still ahead",
    "plan.pin-when-here": "choose a time from {at} on, when its part is here",
    "plan.pin-who-may": "choose somebody who may do it",
    "plan.pins-clash": "What is held fast cannot be kept together: {keys}. Let one of them go.",
    "plan.start-ahead": "choose a time that is still ahead",
    "plan.station-full": "the {station} would hold more than {places}",
    "plan.the-week": "The week",
    "plan.two-at-once": "{person} would do {one} and {other} at once",
    "plan.until-after-from": "choose an end after its beginning, within a year",
    "plan.waits": "waits by the clock {station}",
    "plan.waits-for-part": "when its part is here, or its wait is over",
    "plan.no-schedule-in-that-time": "give it more seconds: no schedule was found in that time",
    "plan.write-seconds-above-zero": "write seconds above zero",
    "plan.write-jobs-as-pairs": "write each job as pairs of machine and minutes, of nothing less than zero",
    "planning.about-min-from-own-jobs": (
        "about {minutes} min: from {jobs} own jobs eight in ten take {least}–{most} min; {load_minutes}"
        " min of work before it"
    ),
    "planning.about-min-min-work-before": (
        "about {minutes} min for this, {load_minutes} min of work before it"
    ),
    "planning.about-work-left": "about {time} of work left",
    "planning.choose-one-technicians-shown": "choose one of the technicians shown",
    "planning.do-jobs": "do {family} jobs",
    "planning.first-time": "first time with {family}",
    "planning.held-up": "Held up: {blocked}.",
    "planning.not-trained": "not trained in {family}",
    "planning.promise-passed-ago": "The promise passed {time} ago; {to_go}.",
    "planning.reworked-apart": "{jobs} more were reworked, {minutes} min beyond what was expected each",
    "planning.spare": "{time} to spare: {to_go}.",
    "planning.technicians-trained": "technicians trained in it",
    "planning.will-late": "Will be {time} late: {to_go}.",
    # -- pricelists
    "planning.cures-until": "It cures until {until}; the last look comes then.",
    "planning.work-left": "About {time} of work left.",
    "pricelists.begun-in-vain": "begun {tries} times, and ended each time by its reader's death",
    "pricelists.no-row": "a list without a row",
    "pricelists.choose-list-least-one-row-below": "choose a list with at least one row below its heading",
    "pricelists.choose-one-kind": "choose what at least one of the words is here",
    "pricelists.choose-supplier-write-name-new-one": "choose a supplier, or write the name of a new one",
    "pricelists.keep-once-stands-line-already": "keep it once: it stands in line {seen} already",
    "pricelists.more-than-rows": "more than {most_rows:,} rows",
    "pricelists.put-columns-right-first-no-row": "put its columns right first: no row of it can be read",
    "pricelists.split-most-rows-read-once": "split it: at most {most_rows:,} rows are read at once",
    "pricelists.wait-already": "wait: it is {state} already",
    # -- proof
    "proof.change": "{change}",
    "proof.failed-switch-device-off-take-battery": (
        "Failed: {names}. Switch the device off, take the battery off, reseat the connectors, look at each "
        "under light, then test everything again. Only then suspect the part."
    ),
    "proof.fell": "{said}: {by} {unit} weaker than on arrival, where {most} may be",
    "proof.name-who-looked": "name who looked besides: somebody trained, other than who did it",
    "proof.new-screen-must-make-work": "{said}; the new screen must make it work",
    "proof.with-reason": "{said} ({reason})",
    # -- quoting
    "proof.write-why-all-the-same": "write why it may go on all the same: the customer reads it",
    "quotes.added": "new: {name}, {price}",
    "quotes.agree-first": "agree to it first: {what}",
    "quotes.be-asked-about": "be asked about",
    "quotes.be-quoted": "be quoted",
    "quotes.choose-one": "one of the ways of this quote",
    "quotes.choose-ways": "one to {most} of the ways that can be done",
    "quotes.condition-damage": (
        "More is broken than could be seen from outside: we stop and ask you before anything costs more."
    ),
    "quotes.condition-liquid": "Liquid or an earlier repair inside: no promise for what it did.",
    "quotes.condition-part": "The part cannot be had at this price any more: we ask you again.",
    "quotes.do-it": "do it, they pay for it",
    "quotes.found": "Found during the work: {found}. With it {price} instead of {before}",
    "quotes.found-done": "with it: {found}",
    "quotes.found-left": "as agreed; this stays as it is: {found}",
    "quotes.gone": "no longer offered: {name}",
    "quotes.leave-it": "leave it as it is, only what was agreed",
    "quotes.not-open": "This quote cannot be answered any more: it is {state}.",
    "quotes.now-costs": "{name} now costs {price} instead of {before}",
    "quotes.quote": "quote",
    "quotes.they-declined": "the customer answered quote {version}: do not repair it",
    "quoting.at": "{model} ({code}) at {per_bench_hour}",
    "quoting.bands-rise": "each limit above the one before, and none on the last band",
    "quoting.price-agreed": "{price}, tax included.",
    "quoting.price-open": (
        "No price is agreed yet. Nothing that costs is done before you have said yes to a price."
    ),
    "quoting.within-your-limit": "a price from {least}: further down is for a manager",
    "quoting.write-why-price-changes": "write why the price changes",
    # -- refused
    "refused.accessories-missing": (
        "Not ticked as handed back: {names}. Hand back everything that came in, or write where it is."
    ),
    "refused.already-held": (
        "Job {code} already holds {part}. Give it back to the shelf before taking another."
    ),
    "refused.cannot-be-taken": "“{refused}” cannot be taken: {accepts}",
    "refused.counts-differ": (
        "You counted {counted}, the sheet says {expected} for “{step}”. Count again and look for a hidden "
        "screw; if the count is right, write the reason and go on."
    ),
    "refused.last-is-promised": "the last one is promised to job {holders}",
    "refused.move": "Job {code} cannot {move} yet: {missing:; }.",
    "refused.name-and-password": "That name and password do not go together. Check both and try again.",
    "refused.none-on-the-shelf": "none is on the shelf",
    "refused.not-found": "There is no {kind} “{asked}” here.",
    "refused.not-held": "Not done yet: {missing} – {accepts}.",
    "refused.nothing-given": "Nothing was given: {accepts}",
    "refused.out-of-stock": "No free {part}: {reason}. Choose another offer, or receive more first.",
    "refused.role": "Your role may not {doing}; it is for: {roles}.",
    "refused.someone-else": "someone else",
    "refused.stale": "{what} was changed by {who} while you were editing. Nothing is lost: choose below.",
    "refused.things-to-put-right": "{what} has {count} {count:thing|things} to put right.",
    "refused.too-many-tries": (
        "Too many wrong tries. Wait {minutes} {minutes:minute|minutes} and try again, or ask a manager."
    ),
    # -- said
    "refused.too-often": "That was asked too often. Wait a minute, then try again.",
    "rework.changed": "Another fault than before: what was touched last is looked at first",
    "rework.connection": "It works since it was reseated: a connection, not the part",
    "rework.display-failed": "The display under the new glass has failed: it needs a whole front",
    "rework.do-board": (
        "Work on the board is for whoever is equipped and licensed for it; else close it up and return "
        "it unrepaired"
    ),
    "rework.do-front": "Choose the whole front: the sheet goes on from how it lies",
    "rework.do-other-part": "Take it back as what it is and choose another part",
    "rework.do-reseat": "Power off, battery off first; every connector off and on in order; test again",
    "rework.elsewhere": (
        "Two parts show the same: it is not the part. The board, its socket or the backlight behind it"
    ),
    "rework.not-yet": "Nothing is blamed yet",
    "rework.part": "It works with the other part: the first one was faulty",
    "rework.part-suspected": "Reseating changed nothing: the part is suspected",
    "routes.choose-one-shown": "one of the ways that are shown and can be done",
    "routes.floor": "the shop does nothing that is less than {floor} % sure",
    "routes.gets-finish": "a {finish} screen in the place of the {before} one",
    "routes.gets-loses": "not as before: {what}",
    "routes.gets-no-splash": "no promise against water",
    "routes.gets-original-panel": "the original picture stays",
    "routes.gets-warranty": "{days} days of warranty",
    "routes.glass-broken": "the glass is broken: no connector mends that",
    "routes.how-sure": "{sure} % sure ({succeeded} of {tries} here; likely {low}–{high} %)",
    "routes.how-sure-own": (
        "{sure} % sure ({succeeded} of {tries} here, {own_succeeded} of {own} by {by}; likely {low}–{high} %)"
    ),
    "routes.how-sure-untried": "{sure} % is usual (likely {low}–{high} %), not tried here yet",
    "routes.kit": "{name}, put together from {count} parts",
    "routes.needs-with": (
        "With {minutes} minutes more it must succeed {longer}, with a part a tenth dearer {dearer}."
    ),
    "routes.never": "always and still not pay",
    "routes.never-pays": "never pays beside what follows it: {sure} % sure (likely {low}–{high} %)",
    "routes.no-better-than": "no better in anything than {other}",
    "routes.no-part": "no part that may be chosen is known",
    "routes.not-the-connection": "nothing points to the connection: reseating would not help",
    "routes.serial-cures-no-break": "a serial mends nothing that is broken",
    "routes.nothing-to-reseat": "nothing is wrong that a connector could explain",
    "routes.of-grade": "{name}, {grade}",
    "routes.panel-broken": "the panel is broken, too: it would stay in",
    "routes.pays-while": (
        "pays while it succeeds more than {needs} % of the time; it is {sure} % sure here ({succeeded} "
        "of {tries}; likely {low}–{high} %)"
    ),
    "routes.pays-while-untried": (
        "pays while it succeeds more than {needs} % of the time; {sure} % is usual (likely {low}–{high}"
        " %), not tried here yet"
    ),
    "routes.percent": "more than {percent} % of the time",
    "routes.rush-then": "{name}, done before others",
    "routes.ready-then": "chosen: {name}, which is ready then",
    "routes.touch-broken": "the touch layer is broken, too: it is on the glass that stays",
    "routes.worth": "the device is worth about {worth} today",
    "said.moment": "{at}",
    "said.nothing": "",
    "said.sentences": "{parts: }",
    # -- shop
    "schools.ask-bit": "Bit, {where}",
    "schools.ask-heat": "Warmed with",
    "schools.ask-leads": "Antenna leads",
    "schools.ask-lid": "Lid held",
    "schools.ask-seal": "Sealed with",
    "schools.ask-side": "Its adhesive goes first on the",
    "schools.ask-tool": "Opened with",
    "schools.bare-sheets": "no hot air on bare sheets: they warp",
    "schools.by-the-sheet": "as the sheet says",
    "schools.choose-a-question": "choose one of the questions shown for this model",
    "schools.choose-one-of": "one of {allowed}",
    "schools.does-not-lie-flat": "a {device} does not lie flat on it",
    "schools.heat-dryer": "slower and kinder than a gun; keep moving",
    "schools.heat-gel": "kindest and slowest; one edge after the other",
    "schools.heat-gun": "quickest, and soonest too hot: keep moving, read it all the time",
    "schools.heat-pad": "even, and it holds its temperature",
    "schools.heat-plate": "even and by itself; it has to be watched by the clock",
    "schools.hotter-than-a-hand": "it has to be {target} °C, and no hand stays on more than {most} °C",
    "schools.leads-any": "nothing holds the order; the inner one is caught more easily",
    "schools.leads-inside-out": "the inner one first: it lies under the other on its way",
    "schools.lid-edge": "nothing presses on the lid; a hand stays under it",
    "schools.lid-flat": "the lid cannot swing; needs a table’s edge",
    "schools.lid-tent": "quick, both halves stand; not for a loose lid",
    "schools.on-the-frame": "it is laid where it ends up; the new screen stays clean until the last moment",
    "schools.on-the-screen": "it follows the screen’s own edge; the film must be kept off the glass",
    "schools.opens-contact": (
        "warm it to its limit and cut slowly; foam and mesh tear, and it may not come off whole"
    ),
    "schools.opens-frame": "warm it, slide a pick in; a new one is laid",
    "schools.opens-instant": "hardly: the front mostly breaks when it comes off",
    "schools.opens-tape": "warm it, slide a pick in; new tape is laid",
    "schools.ruled-out": "another way, such as {allowed}. This one is ruled out on this model: {why}",
    "schools.try-the-fit": "try the fit, do not force",
    "screws.a-step-with-screws": "the step shown, where it has screws",
    "screws.enough": "no more than the {expected} of this step; press one again to take it back",
    "screws.none-left-for-here": "nothing more goes in here",
    "screws.one-of-the-tray": "one of the fields of the tray",
    "screws.other-head": "a screw from {where}: {length} mm, {head}. The head of this one is {other}",
    "screws.own-field": (
        "a screw from {where}. The two are alike, but one would be left over in the other field"
    ),
    "screws.places": "one of the places of this step: {places}",
    "screws.too-long": (
        "a screw from {where}: {length} mm, {head}. This one is {other} mm – a long screw in a short "
        "hole breaks the board"
    ),
    "screws.too-short": (
        "a screw from {where}: {length} mm, {head}. This one is {other} mm and would not hold"
    ),
    "sealing.feel-or-look": "feel it or look at it: write mm, or say whether it is flush",
    "sealing.mm-between": "write mm between {least} and {most}",
    "sealing.not-flush": "{place} is not flush",
    "sealing.out-of-the-clamp": "take it out of the clamp and trim what came out, then tick it",
    "sealing.stands-off": "{place}: gapes {gap} mm, stands out {step} mm",
    "sealing.the-places": "The gaps",
    "serial.asked": (
        "{serial} was being written, and what came of it is not known: the display may hold half of it. "
        "Write it again."
    ),
    "serial.broke-off": ("the link was lost while writing: the display may hold half of it. Write it again."),
    "serial.do-it-or-ask": "do it, or have a manager let it pass with a reason",
    "serial.do-it-or-say-why": "do it, or write why it is let pass; the customer reads it",
    "serial.done": "it holds {serial} now, read back",
    "serial.link-lost": "clip the programmer on again: its link is lost, and nothing was read or written",
    "serial.no-step": "a job whose sheet has a step with the programmer",
    "serial.not-kept": (
        "it does not keep what is written: write it again; if it stays so, the display is faulty"
    ),
    "serial.not-read-yet": "the old display's serial is not read yet",
    "serial.not-written": "the old serial is not in this display",
    "serial.not-written-yet": "the old serial is not written into this display yet",
    "serial.other-model": "this display is made for another model: it is the wrong part",
    "serial.read-the-old-one": "read the old display first, before it comes off",
    "serial.silent": (
        "it stays silent: it is not the original it was bought as, and its piece and its supplier are "
        "flagged. Take another display, or have a manager let it pass with a reason"
    ),
    "serial.silent-as-bought": (
        "it stays silent, as aftermarket displays do, and it was bought as one. A manager lets it pass with "
        "a reason that the customer reads"
    ),
    "serial.write-it": "{serial} is read: write it into the new display",
    "shop.close-after-opening": "write a later time than the one it opens",
    "shop.most-closed-days": "write at most {most} closed days",
    "shop.open-at-least-once": "open on one day of the week at least",
    "shop.shops-rates": "The shop's rates",
    "shop.the-hours": "The week",
    "shop.the-policy": "how prices are made",
    "shop.write-day": "write it with its year first, such as 2026-12-25",
    "shop.write-time-of-day": "write a time of day such as 9:30",
    # -- stock
    "status.closing": "It works; it is closed up now.",
    "status.collect": "You can collect it in our opening hours. Bring the ticket.",
    "status.cures": "It is closed; its glue hardens and it is looked at once more.",
    "status.expected": "We expect to have it ready by {at}.",
    "status.may-take-longer": (
        "We said {at}. It may take longer; we tell you a new time as soon as we know it."
    ),
    "status.takes-longer": "It takes longer than we said. We tell you a new time as soon as we know it.",
    "status.handed-back": "It was handed back.",
    "status.looking": "We are looking at it.",
    "status.not-repaired": "It is not repaired.",
    "status.on-the-bench": "It is on the bench.",
    "status.part-here": "Its part is here; it is worked on soon.",
    "status.ready": "It is ready.",
    "status.waits-for-part": "We wait for its part.",
    "stock.another-name": "another name: this one is taken",
    "stock.cannot-go-back-any-more": (
        "its last day to go back is over, or its film is off: keep it as what it is, or write it off"
    ),
    "stock.check-box": "In the box: {needs}",
    "stock.check-colour": "Colour and frame are the device’s",
    "stock.check-connector": "The plug sits {needs}",
    "stock.check-dust": "No dust and no bubble under the film or the glass",
    "stock.check-number": "The printed number is {needs}",
    "stock.check-picture": "Plugged in with the film on: a whole, even picture",
    "stock.check-touch": "Plugged in with the film on: touch answers everywhere",
    "stock.check-whole": "Whole: no crack, no chip, no bent flex",
    "stock.check-windows": "Windows lie where the original’s do: {needs}",
    "stock.choose-a-job-that-holds-it": "choose a job that holds it and is not on the bench",
    "stock.choose-a-supplier": "choose one of the suppliers",
    "stock.choose-what-became-of-screen": "say whether it was handed back, recycled or sold",
    "stock.choose-what-follows": "choose what follows",
    "stock.chosen-part-job": "chosen part of job",
    "stock.consumable-lasts": "lasts: {without} % chance of running out within {days} days",
    "stock.consumable-order": (
        "order {order} now: {without} % chance of running out within {days} days without, {having} % with"
    ),
    "stock.count-every-odd-again": "count again what is far off: {parts}",
    "stock.count-what-is-on-the-bench": "count what lies on the bench too, {on_bench} at least",
    "stock.film-is-off": "its film is off already, or it never had one",
    "stock.hand-promised-most-can-taken-away": (
        "{on_hand} on hand and {count} promised: at most {free} can be taken away"
    ),
    "stock.happened-broken": "broken here on job",
    "stock.happened-count": "counted",
    "stock.happened-defective": "defective on job",
    "stock.happened-film-off": "film taken off",
    "stock.happened-fitted": "fitted to job",
    "stock.happened-labelled": "label printed",
    "stock.happened-looked-at": "looked at",
    "stock.happened-moved": "moved",
    "stock.happened-receipt": "received",
    "stock.happened-returned": "off the shelf, to be sent back",
    "stock.happened-taken-out": "taken out again on job",
    "stock.happened-written-off": "written off",
    "stock.label-back-by": "back by {by}",
    "stock.label-is-s-and-digits": "scan a label of the shelf: S- and five digits or more",
    "stock.label-lot": "lot {lot}",
    "stock.ledger-says-already-nothing-correct": "the ledger says {on_hand} already; nothing to correct",
    "stock.letters-in-name": "a name with a letter or a digit in it",
    "stock.more-than-nothing": "more than nothing",
    "stock.more-was-used": "by the estimate, and more was used: count it",
    "stock.no-more-photos": "a piece has six photos at most",
    "stock.nothing-to-print": "labels of one piece or more, 300 at most",
    "stock.nothing-was-counted": "count at least one part",
    "stock.nothing-wrong-was-seen": "say first what is wrong with it",
    "stock.old-screen-goes": "choose one of: {ways}, or nothing",
    "stock.old-screen-is-gone": "an old screen that is still here: this one is {state}",
    "stock.one-digit-of-label-wrong": "scan it again: one digit is wrong",
    "stock.packs-of": "{packs} × {holds} {unit}",
    "stock.piece-is-held": "take another piece for job {job} first: it holds this one",
    "stock.piece-is-not-here": "a piece that is in the shop: this one is {state}",
    "stock.piece-is-taken": "a piece that is free: this one is not",
    "stock.piece-of-another-part": "a piece of the part that this job holds: this is {part}",
    "stock.printer-empty": "The roll is at its end: put a new one in and print the rest.",
    "stock.printer-is-away": (
        "a printer that answers: see that it is switched on and its cable is in, then print again"
    ),
    "stock.printer-jammed": "A label is jammed: open the printer, take it out and print again.",
    "stock.quantity-to-100000": "a number from 0 to 100,000",
    "stock.receipt-adds-pieces-use-count-correction": (
        "a receipt adds pieces; use a count correction to take away"
    ),
    "stock.right-wrong-or-not-looked": "say right, wrong or not looked at",
    "stock.say-what-is-wrong": "write what is wrong with it",
    "stock.say-what-it-is": "write as what it is kept, such as “grade C” or “dark blue”",
    "stock.shelf-cannot-hold-fewer-than-none": "the shelf cannot hold fewer than none",
    "stock.so-much": "{quantity} {unit}",
    "stock.somebody-took-one-meanwhile": "count again: somebody moved a piece just now",
    "stock.the-old-screen": "the old screen",
    "stock.the-piece": "the piece",
    "stock.this-count-is-over": "nothing more: this stock-take is over",
    "stock.try-it-first": (
        "it was not tried yet and can go back until {by}: try it with the film on, or say that it shall come "
        "off"
    ),
    "stock.use-whole-number-from-1-10000": "use a whole number from 1 to 10000",
    "stock.write-who-bought-it": "write who bought it, in 80 characters at most",
    "stock.write-why-count-differs": "write why the count differs",
    # -- typed
    "tell.promise-anew": "promise a time that is still to come",
    "tell.likely-kept-from": "choose {at} or later: before that it is not likely ready",
    "tell.be-told": "be told so",
    "tell.choose": "choose one of: {ways}",
    "tell.choose-language": "choose one of: {languages}",
    "tell.choose-what": "choose one of: {told}",
    "tell.clock": "write a time such as 20:00",
    "tell.days": "write days with commas, such as 1, 7, 30",
    "tell.names": "use these names alone, in braces: {names}",
    "tell.needs-link": "write {name} where the address of the quote stands",
    "tell.nowhere": "write the customer’s number or address first: they want to hear {way}",
    "tell.status": "status page",
    "tell.the-telling": "How customers are told",
    "tell.the-words": "The words of a message",
    "tell.wants-none": "call them: this customer wants no messages",
    "tell.write-reason": "write why, in 5 to 300 characters: the customer reads it",
    "till.be-closed": "be closed",
    "till.counting": "The count",
    "till.day": "day of the till",
    "till.is-closed": "it is closed already, or another day is open",
    "till.is-open": "it is open already",
    "till.left-up-to": "write at most what was counted, or nothing when all of it stays",
    "till.no-more": "count again: no till holds so much",
    "till.opening": "What is in the till",
    "till.why-different": "write why it differs by {difference}, in 5 to 300 characters",
    "touch.all-felt": "{share} % of the picture felt every finger",
    "touch.bent": "a straight stroke is {off:.1f} mm off its line and shakes by {jitter:.1f} mm",
    "touch.dead": "a place of {mm2:.0f} mm² at {x:.0f}, {y:.0f} mm is not felt",
    "touch.edge": "the {edge} edge answers on {share} of 100",
    "touch.fingers": "{felt} fingers at once are felt, {expected} expected",
    "touch.ghost": "{count} touches while nobody touched, the first at {x:.0f}, {y:.0f} mm",
    "touch.not-drawn": "{places} places are not drawn over yet",
    "touch.not-left-alone": "it was not left alone for {seconds} s yet",
    "traces.functions": "send one of {functions}",
    "traces.kinds": "send one of {kinds}",
    "traces.list": "send a list of at most {most}",
    "traces.measured": "measured: {level} {unit}, {least} is needed",
    "traces.number": "send a number between {least} and {most}",
    "traces.page-smaller": "the page fills {share} of 100 of the picture: what lies outside was not touched",
    "traces.said": "said by whoever looked and listened",
    "traces.three": "send three values each",
    "typed.choose-day": "choose a day",
    "typed.choose-day-of-years": "choose a day from {first} to {last}",
    "typed.choose-day-time": "choose a day and a time",
    "typed.choose-one": "choose one of: {choices}",
    "typed.from": "from {amount_text} to {amount_text2}",
    "typed.most": "at most {most}",
    "typed.such-359-5-35-95-cm": 'such as 359.5, 35.95 cm or 15.6"',
    "typed.to": "{least} to {most}",
    "typed.write-amount-such": "write an amount in {currency} {bounds}, such as {example}",
    "typed.write-characters": "write {bounds} characters",
    "typed.this-reads-like-a-barcode": (
        "write an amount with its decimals, such as {example}: this reads like a barcode"
    ),
    "typed.write-digits-after-decimal-sign-can": (
        "write it with {digits} digits after the decimal sign: it can be read two ways"
    ),
    "typed.write-length": "write a length, {example}",
    "typed.write-length-above-zero": "write a length above zero, {example}",
    "typed.write-per-cent-from-0-such": "write per cent from 0 to {most}, such as 20.00",
    "typed.write-whole-number-from": "write a whole number from {least} to {most}",
    "waits.clock-was-ahead": (
        "the clock was ahead when its time of {minutes} was begun; it is timed anew from here on"
    ),
    "waits.lies-there": "the device lies there until {until} ({text})",
    "waits.left": "its wait still has {left} to run",
    "waits.never-shortened": "what an adhesive needs is never shortened",
    "waits.not-started": "its timer was not started ({time})",
    "waits.take-it-off": "take it off first",
    "waits.no-wait-here": "a step of this sheet that waits, when it is its turn",
    "waits.runs-already": "its timer runs already, started by {who} at {at}",
    "waits.wait-or-say-why": "wait, or write why it is taken off early",
    "waits.was-shortened": "waited {waited} of {wanted} min",
}
