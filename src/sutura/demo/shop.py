"""Who and what is in the demo shop. All names, places, numbers and prices are invented."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from sutura.core.job import Stage

NAME, ADDRESS = "Lindqvay Screens", "4 Ropewalk, Port Averil"
TIMEZONE, CURRENCY = "Etc/GMT-1", "TAL"
PASSWORD = "demo-password"

PHONES, OLDER, LAPTOPS, TABLETS = (
    "book-opening phones",
    "back-opening phones",
    "snap-bezel laptops",
    "four-edge glued tablets",
)


@dataclass(frozen=True, slots=True, kw_only=True)
class DemoPerson:
    login: str
    name: str
    role: str
    factors: tuple[tuple[str, str], ...] = ()
    # a week of their own, as it is typed
    week: Mapping[str, str] = field(default_factory=dict)


def week_of(days: Sequence[int], begins: str, pause: str, again: str, ends: str) -> dict[str, str]:
    """The same hours on some days, with a break."""
    told = {"begins": begins, "break_from": pause, "break_until": again, "ends": ends}
    return {f"{name}.{day}": time for day in days for name, time in told.items()}


PEOPLE = (
    DemoPerson(login="ines", name="Ines Calder", role="manager", factors=((PHONES, "1.0"),)),
    DemoPerson(login="pell", name="Pell Dorrow", role="counter"),
    DemoPerson(
        login="bram",
        name="Bram Otway",
        role="technician",
        factors=(
            (PHONES, "0.8"),
            (OLDER, "0.9"),
            (LAPTOPS, "1.1"),
            ("split-glass phones", "0.9"),
            ("plate-and-flex phones", "1.0"),
            ("left-opening phones", "0.9"),
            ("mid-frame phones", "1.0"),
            ("lid-swap laptops", "1.0"),
            ("glued-bezel laptops", "1.2"),
        ),
    ),
    DemoPerson(
        login="marit",
        name="Marit Sando",
        role="technician",
        week=week_of(range(6), "8:30", "12:30", "13", "17"),
        factors=(
            (TABLETS, "0.9"),
            (LAPTOPS, "1.0"),
            ("plate-heated two-in-ones", "1.0"),
            ("board-out handhelds", "0.9"),
            ("glued watches", "1.0"),
            ("shard-front players", "1.0"),
            ("lid-swap laptops", "0.9"),
        ),
    ),
    DemoPerson(
        login="lio",
        name="Lio Tessen",
        role="technician",
        factors=(
            (PHONES, "1.8"),
            (OLDER, "1.5"),
            (TABLETS, "1.6"),
            ("plate-and-flex phones", "1.8"),
            ("removable-back phones", "1.4"),
            ("plate-backed phones", "1.6"),
        ),
    ),
)

CUSTOMERS = (
    ("Orla Venn", "555 0101", "orla@venn.example"),
    ("Tobin Marsk", "555 0102", ""),
    ("Ysolde Fairn", "", "ysolde@fairn.example"),
    ("Casper Lund-Aro", "555 0104", ""),
    ("Nadia Quell", "555 0105", ""),
    ("Emrik Dale", "555 0106", "emrik@dale.example"),
    ("Sunniva Oake", "555 0107", ""),
    ("Piet Harrow", "555 0108", ""),
    ("Adelin Moss", "555 0109", ""),
    ("Rosa Tindal", "555 0110", "rosa@tindal.example"),
    ("Joren Haas", "555 0111", ""),
    ("Keziah Bell", "555 0112", ""),
    ("Matteo Rill", "555 0113", ""),
    ("Una Skerry", "555 0114", ""),
    ("Felix Arbour", "555 0115", ""),
    ("Greta Winslow", "555 0116", ""),
    ("Hollis Crane", "555 0117", ""),
    ("Ida Purcell", "555 0118", ""),
)


# barcode, pieces, cost of one in minor units, days before now
@dataclass(frozen=True, slots=True, kw_only=True)
class DemoOrder:
    """An order that was sent some days ago; its parcel, where one came, and what was found of each part."""

    sent: int
    lines: Mapping[str, int]
    came: int | None = None
    found: Mapping[str, Mapping[str, str]] = field(default_factory=dict)


RECEIPTS = (
    ("P-1001", 26, 6000, 59),
    ("P-1002", 1, 7400, 12),
    ("P-1003", 1, 5200, 20),
    ("P-1004", 3, 3800, 9),
    ("P-2001", 7, 5800, 59),
    ("P-2002", 1, 4900, 33),
    ("P-2003", 1, 4400, 33),
    ("P-3001", 8, 13800, 59),
    ("P-3002", 1, 9200, 15),
    ("P-1101", 2, 3400, 30),
    ("P-1102", 2, 4100, 30),
    ("P-1103", 2, 980, 30),
    ("P-1104", 1, 1120, 30),
    ("P-1201", 1, 21600, 25),
    ("P-1202", 4, 1200, 25),
    ("P-1203", 2, 1450, 25),
    ("P-1204", 1, 4600, 25),
    ("P-1205", 2, 3800, 22),
    ("P-1301", 2, 6400, 22),
    ("P-1302", 1, 11800, 21),
    ("P-1303", 1, 6100, 21),
    ("P-1304", 1, 3600, 21),
    ("P-1305", 1, 4200, 20),
    ("P-3102", 1, 12800, 19),
    ("P-3103", 1, 3800, 19),
    ("P-3104", 2, 1600, 19),
    ("P-4001", 1, 9600, 18),
    ("P-4002", 1, 8800, 18),
    ("P-5001", 2, 1900, 17),
    ("P-5002", 1, 7200, 17),
    ("P-6003", 1, 27500, 16),
    ("P-6005", 1, 31800, 16),
    ("P-6006", 1, 10400, 16),
)

# orders: days since they were sent, parts with pieces, and days since the parcel with what was in it, if it
# came
# name, what repairs use it as, place, order again at, received
CONSUMABLES = (
    # name, used for, place, received, a pack holds, costs, days, from
    ("Tape, 2 mm", "tape", "drawer 3", "800", "2000", "6.40", "3", "pinder"),
    ("Contact glue", "glue", "drawer 3", "25", "15", "4.80", "3", "pinder"),
    ("Cleaning alcohol", "cleaner", "bench 1", "250", "1000", "9.50", "5", "pinder"),
    ("Wipes", "wipe", "bench 1", "200", "100", "3.20", "5", "pinder"),
)

ORDERS: tuple[DemoOrder, ...] = (
    DemoOrder(
        sent=12,
        lines={"P-1004": 3},
        came=10,
        found={"P-1004": {"good": "2", "dead": "1", "note": "no picture, tested under the film"}},
    ),
    DemoOrder(sent=9, lines={"P-3001": 2}),
    DemoOrder(sent=1, lines={"P-1302": 1, "P-1303": 1}),
)

HERON, PLAIN, SLATE = "fennick-heron", "ardale-plain-15", "tarnbeck-slate-11"
READ = {HERON: "FH-2107", PLAIN: "QD4417-B2", SLATE: "TS11-W"}


@dataclass(frozen=True, slots=True, kw_only=True)
class DemoJob:
    """One job: taken in `ago` minutes before now, promised `promise` minutes from now, brought as far as
    `stage`.
    """

    model: str
    customer: int
    ago: int
    promise: int
    stage: Stage
    technician: str = ""
    # `ago` counts minutes of opening: a wait that is never shortened has room whenever the demo starts
    opening: bool = False
    steps: int = 0
    # how often its test fails before it goes on
    fails: int = 0
    sound: bool = True
    channel: str = "drop_off"
    says: str = "Dropped, glass cracked."
    came: tuple[tuple[str, str], ...] = ()
    opened_before: bool = False
    read: str = ""
    # what else befell it: "other_part", "given_up", "reopened", "promised_anew", "rush", or what is in
    # `befalling.AFTER`
    befell: str = ""
    # the upgrade that is wanted, as a form names it: nothing is broken then
    wants: str = ""
    # what was measured of a device that is in no pack
    measured: tuple[tuple[str, str], ...] = ()


_DAY = 24 * 60
# Finished in the sixty days before: model, days ago, how it ended, what the customer said.
_PAST: tuple[tuple[str, int, str, str], ...] = (
    ("quillon-ember", 58, "", "Fell on the stairs."),
    ("fennick-robin", 57, "", "Sat on it."),
    ("ardale-foil-13-early", 55, "", "The lid was shut on a pencil."),
    ("fennick-wren", 54, "", "Glass broken, picture fine."),
    (HERON, 53, "", "Dropped, glass cracked."),
    ("osmere-dial-42", 51, "", "Knocked against a door."),
    ("tarnbeck-fold-12-g4", 50, "", "Spider in the corner."),
    (PLAIN, 49, "", "Lines over the left half."),
    ("quillon-flint", 47, "", "Touch dead along one side."),
    ("fennick-finch", 46, "", "An old one; the children need it."),
    (HERON, 44, "fail_once", "Dropped, glass cracked."),
    ("bramling-pocket", 43, "", "Stick and glass broken."),
    (SLATE, 42, "", "Glass broken at two corners."),
    ("osmere-reed", 40, "declined", "The screen jumped out."),
    ("fennick-kite", 39, "", "Only the glass, the picture is fine."),
    (HERON, 37, "", "Fell from the bench."),
    ("ardale-foil-13-late", 36, "", "Hinge and lid."),
    (PLAIN, 35, "mail", "Panel cracked in a bag."),
    ("quillon-sorrel", 33, "", "Glass broken, touch fine."),
    ("fennick-heron-l", 32, "", "Dropped, glass cracked."),
    (SLATE, 30, "declined", "Screen black, found too dear."),
    (HERON, 29, "other_part", "Dropped, glass cracked."),
    ("quillon-ember-s", 28, "", "Corner broken."),
    ("ardale-foil-13-mid", 26, "", "Lines over the whole picture."),
    (HERON, 25, "", "Dropped, glass cracked."),
    ("fennick-finch-2", 23, "", "No picture."),
    (PLAIN, 22, "given_up", "Cracked; a board was wet, too."),
    (HERON, 21, "", "Dropped, glass cracked."),
    ("ardale-foil-13-first", 20, "", "The lid will not open."),
    (SLATE, 18, "", "Glass broken."),
    ("ardale-foil-13-panel", 16, "declined", "Bars over the picture."),
    (PLAIN, 15, "mail", "Panel cracked."),
    (HERON, 12, "reopened", "Dropped, glass cracked."),
    (HERON, 9, "fail_once", "Dropped, glass cracked."),
    (PLAIN, 6, "", "Panel cracked."),
    (HERON, 4, "", "Dropped, glass cracked."),
    (SLATE, 3, "declined", "Screen black, found too dear."),
)
JOBS = (
    *(
        DemoJob(
            model=model,
            customer=place % len(CUSTOMERS),
            ago=days * _DAY,
            promise=-(days - 1) * _DAY,
            stage=Stage.RETURNED if ended in ("declined", "given_up") else Stage.HANDED_BACK,
            fails=int(ended == "fail_once"),
            channel="mail" if ended == "mail" else "drop_off",
            befell=ended if ended in ("other_part", "given_up", "reopened") else "",
            says=says,
            came=(("Case", "drawer 1"),) if place % 4 == 0 else (),
        )
        for place, (model, days, ended, says) in enumerate(_PAST)
    ),
    # open now, in every stage, over many models
    DemoJob(
        model=HERON,
        customer=8,
        ago=25,
        promise=40,
        stage=Stage.PART_IN_HAND,
        technician="bram",
        channel="waiting",
        says="Glass broken, image and touch fine. Someone opened it before.",
        opened_before=True,
        came=(("SIM card", "tray 1"), ("Case", "drawer 2")),
    ),
    DemoJob(
        model=HERON,
        customer=9,
        ago=12,
        promise=95,
        stage=Stage.IDENTIFIED,
        channel="waiting",
        came=(("SIM card", "tray 2"),),
    ),
    DemoJob(
        model=HERON,
        customer=10,
        ago=70,
        promise=55,
        stage=Stage.OPENED,
        technician="lio",
        steps=11,
        channel="waiting",
    ),
    DemoJob(
        model=HERON,
        customer=13,
        ago=400,
        promise=-15,
        stage=Stage.CLOSED,
        technician="lio",
        came=(("Charger", "shelf by the door"),),
    ),
    # reseated once without effect: the part is suspected
    DemoJob(
        model=HERON, customer=5, ago=300, promise=560, stage=Stage.OPENED, steps=2, technician="bram", fails=2
    ),
    DemoJob(
        model="fennick-heron-l",
        customer=12,
        ago=300,
        promise=20,
        stage=Stage.PROVED,
        technician="bram",
        steps=2,
    ),
    # something more was found inside, and the customer is asked
    DemoJob(
        model="fennick-kite",
        customer=11,
        ago=420,
        promise=650,
        stage=Stage.OPENED,
        technician="bram",
        steps=5,
        says="Only the glass, the picture is fine.",
        befell="asked",
    ),
    DemoJob(
        model="fennick-finch",
        customer=14,
        ago=1500,
        promise=300,
        stage=Stage.QUOTED,
        sound=False,
        says="No image, battery flat.",
    ),
    DemoJob(
        model="fennick-finch-2",
        customer=8,
        ago=420,
        promise=500,
        stage=Stage.OPENED,
        steps=6,
        says="No picture since the lake.",
        befell="given_up",
    ),
    DemoJob(
        model="quillon-sorrel",
        customer=15,
        ago=90,
        promise=500,
        stage=Stage.PART_IN_HAND,
        says="Glass broken; needed for a journey tomorrow.",
        befell="rush",
    ),
    DemoJob(
        model="quillon-flint",
        customer=12,
        ago=1700,
        promise=1900,
        stage=Stage.QUOTED,
        says="Touch dead along one side.",
        befell="promised_anew",
    ),
    DemoJob(
        model="fennick-robin",
        customer=7,
        ago=240,
        promise=700,
        stage=Stage.DECLINED,
        says="Bent frame; the customer thinks it over.",
    ),
    # what glues it cures until tomorrow
    DemoJob(
        model="osmere-dial-42",
        customer=3,
        ago=240,
        opening=True,
        promise=900,
        stage=Stage.CLOSED,
        technician="marit",
        says="Knocked against a door.",
    ),
    DemoJob(
        model=PLAIN,
        customer=13,
        ago=310,
        promise=260,
        stage=Stage.QUOTED,
        says="Lines over the left half.",
        befell="other_part",
    ),
    DemoJob(
        model=PLAIN,
        customer=16,
        ago=150,
        promise=1600,
        stage=Stage.IDENTIFIED,
        read="O044I7",
        says="Panel cracked. Label hard to read.",
        came=(("Charger", "shelf 4"),),
    ),
    # nothing is broken: a matte screen is wanted
    DemoJob(
        model="bramling-pocket",
        customer=4,
        ago=45,
        promise=1500,
        stage=Stage.IDENTIFIED,
        says="The screen mirrors the window; a matte one, please.",
        wants="finish:matte",
    ),
    DemoJob(
        model=PLAIN,
        customer=2,
        ago=2000,
        promise=400,
        stage=Stage.OPENED,
        technician="bram",
        steps=8,
        channel="mail",
        befell="night",
    ),
    # the ways were sent, and nobody answered yet
    DemoJob(
        model="ardale-foil-13-mid",
        customer=9,
        ago=1300,
        promise=700,
        stage=Stage.IDENTIFIED,
        says="Lines over the left half.",
        befell="offered",
    ),
    DemoJob(
        model="ardale-foil-13-late",
        customer=0,
        ago=1200,
        promise=180,
        stage=Stage.PART_IN_HAND,
        technician="marit",
        says="Hinge and lid.",
    ),
    DemoJob(
        model="ardale-foil-13-first",
        customer=5,
        ago=3000,
        promise=60,
        stage=Stage.CLOSED,
        technician="marit",
        channel="mail",
        says="The lid will not open.",
        came=(("Charger", "parcel shelf"),),
    ),
    DemoJob(
        model=SLATE,
        customer=4,
        ago=1600,
        promise=260,
        stage=Stage.PART_IN_HAND,
        technician="marit",
        came=(("Stylus", "tray 5"),),
    ),
    DemoJob(
        model=SLATE, customer=9, ago=2600, promise=600, stage=Stage.OPENED, technician="lio", fails=1, steps=2
    ),
    # it lies on the hot plate
    DemoJob(
        model="tarnbeck-fold-12-g4",
        customer=6,
        ago=30,
        promise=420,
        stage=Stage.OPENED,
        technician="marit",
        says="Spider in the corner.",
        befell="plate",
    ),
    # a device that is in no pack
    DemoJob(
        model="",
        customer=10,
        ago=180,
        promise=2000,
        stage=Stage.IDENTIFIED,
        says="Bought abroad; nobody knows it.",
        measured=(
            ("device_class", "phone"),
            ("maker", "Corvane"),
            ("name", "Lark 3"),
            ("width_mm", "71.4"),
            ("height_mm", "148"),
            ("diagonal_in", "6.1"),
        ),
        read="CL-3007",
    ),
)
