"""The values of a device model: numbers, face in mm, need, functions, screws, connectors, limits and
sheet.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from sutura.core.facts import Say, fact
from sutura.core.maths.geometry import Box, Edge, Point

EDGES = ("top", "right", "bottom", "left")


class State(StrEnum):
    """Where a model stands. Only `listed` and `unlisted` ones are taken in."""

    LISTED = "listed"
    RETIRED = "retired"
    # measured at the counter, in no pack
    UNLISTED = "unlisted"
    # what an unlisted device of a class starts from
    TEMPLATE = "template"

    @property
    def taken_in(self) -> bool:
        return self in (State.LISTED, State.UNLISTED)


class Phase(StrEnum):
    """The part of a sheet a step belongs to. The proof stands between fit and close."""

    PREPARE = "prepare"
    OPEN = "open"
    SWAP = "swap"
    PROOF = "proof"
    CLOSE = "close"


class Goes(StrEnum):
    """What a step does to a piece; `first` sets the first of its screws, an act does neither."""

    NEITHER = ""
    OFF = "off"
    FIRST = "first"
    ON = "on"


# tools that cut between glass and frame, or lift it
CUTS = frozenset({"suction cup", "pick", "thin blade"})


class NumberKind(StrEnum):
    EXACT = "exact"
    PREFIX = "prefix"


@dataclass(frozen=True, slots=True, kw_only=True)
class NumberPattern:
    """Which part of a printed model number decides, and what the rest means."""

    kind: NumberKind
    text: str
    rest: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Spot:
    """A window, sensor, button or opening on the face. `what` is its kind, such as camera or button."""

    name: str
    what: str
    box: Box
    round: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class KeepOut:
    """A place where a pick from `edge` may not go deep: a cable, a sensor. Depth limit in mm, 0 = not at
    all.
    """

    name: str
    edge: str
    box: Box
    depth_mm: float
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class EdgeLimit:
    """How deep a pick may go along a whole edge where no keep-out says less, and why."""

    depth_mm: float
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Face:
    """A device's front in mm; the origin is the top left corner of the outline."""

    width_mm: float
    height_mm: float
    corner_mm: float
    glass: Box
    active: Box
    opening_edge: str
    edges: Mapping[str, EdgeLimit]
    spots: tuple[Spot, ...] = ()
    keep_outs: tuple[KeepOut, ...] = ()

    @property
    def outline(self) -> Box:
        return Box(x=0, y=0, width=self.width_mm, height=self.height_mm)

    def glass_span(self, edge: str) -> tuple[float, float]:
        """From where to where glass lies beside an edge, along it."""
        return Edge(edge).span(self.glass, self.outline)


@dataclass(frozen=True, slots=True, kw_only=True)
class Function:
    """Something the device can do that is tested. `screen` = the new part supplies it, so it must work.
    `fingers` is how many a touch layer feels at once, 0 = nobody says. `unit` is in what it is read, where it
    is a reading (empty = it is not), and `worse_by` how far that may fall between arrival and now.
    """

    id: str
    name: str
    how: str
    screen: bool = False
    fingers: int = 0
    unit: str = ""
    worse_by: float = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class ScrewGroup:
    """Screws of one kind. `at` are their places in mm on the side named, one each, or none when not measured.

    People name neighbouring bit sizes for the same screw: `bits` keeps every one, the likeliest first. Where
    they are not of one length, `lengths_mm` has that of each place; `length_mm` is the longest then.
    """

    id: str
    count: int
    where: str
    side: str
    head: str
    bits: tuple[str, ...]
    length_mm: float
    at: tuple[Point, ...] = ()
    lengths_mm: tuple[float, ...] = ()

    @property
    def bit(self) -> Say:
        if len(self.bits) == 1:
            return self.bits[0]
        return fact("catalogue.try-fit-do-not-force", bits=self.bits)

    def length_at(self, place: int) -> float:
        """The length of the screw at a place, from 1."""
        return self.lengths_mm[place - 1] if self.lengths_mm else self.length_mm

    @property
    def kinds(self) -> tuple[tuple[float, tuple[int, ...]], ...]:
        """Its lengths, the shortest first, each with its places from 1; one where all are alike."""
        places = range(1, self.count + 1)
        lengths = sorted({self.length_at(place) for place in places})
        return tuple(
            (length, tuple(place for place in places if self.length_at(place) == length))
            for length in lengths
        )

    @property
    def lengths(self) -> str:
        """How long they are: `3.5 mm`, or `2 × 1.4 mm, 1 × 1.9 mm` where they are not alike."""
        if len(self.kinds) == 1:
            return f"{self.kinds[0][0]:g} mm"
        return ", ".join(f"{len(places)} × {length:g} mm" for length, places in self.kinds)


@dataclass(frozen=True, slots=True, kw_only=True)
class Heat:
    """Warming at a step; `where` names one of the model's heat limits."""

    target_c: int
    minutes: float
    with_what: str
    where: str


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatLimit:
    """The hottest a place may get, in °C at the spot, and why."""

    where: str
    max_c: int
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Connector:
    """A connector inside the device: how it holds, where it sits, what to mind. `at` is its place in mm as
    seen from the front, where it was measured.
    """

    name: str
    kind: str
    where: str
    note: str = ""
    at: Point | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Seal:
    """A sealing method this model allows. `cure_minutes` is the wait before it may be handed over."""

    method: str
    cure_minutes: int
    note: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OpeningTool:
    """Whether a tool may open this model: allowed, with care, or never, with the reason."""

    tool: str
    use: str
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Plug:
    """A connector worked on at a step: its name and whether it comes off or goes on."""

    name: str
    on: bool
    battery: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One step of a sheet.

    `screws` names the group counted here and `screws_in` tells the direction; `after` names steps that must
    come
    before it; `screws_part` = only so many of the group go in here, the rest at a later step; `second_look`
    marks the look that replaces a test which cannot be made yet.
    """

    id: str
    phase: Phase
    text: str
    tools: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    limits: tuple[str, ...] = ()
    screws: str = ""
    screws_in: bool = False
    screws_part: int = 0
    plug: Plug | None = None
    heat: Heat | None = None
    wait_minutes: int = 0
    after: tuple[str, ...] = ()
    second_look: bool = False
    # the piece it takes off or puts on, and what tells that it is home
    piece: str = ""
    goes: Goes = Goes.NEITHER
    looks: str = ""
    # 0 = what is usual for its kind
    minutes: float = 0.0
    # the item of the old part that it moves over
    moves: str = ""


class PieceKind(StrEnum):
    """What a piece is: it decides what the bench asks when it comes off or goes on."""

    SCREWS = "screws"
    CONNECTOR = "connector"
    # a cover, shield or frame that is clipped or lifted
    COVER = "cover"
    # what is glued: edges of a front, a back
    ADHESIVE = "adhesive"


@dataclass(frozen=True, slots=True, kw_only=True)
class Work:
    """What hands do at a piece, one way: its step's id, words, tools, cautions, limits, heat, wait; and what
    tells that it is home (`looks`). `other_seal` are the words where the model is sealed in another way than
    its own; what has them is pressed into the seal.
    """

    id: str
    text: str
    tools: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    limits: tuple[str, ...] = ()
    heat: Heat | None = None
    wait_minutes: int = 0
    looks: str = ""
    other_seal: str = ""
    # 0 = what is usual for its kind
    minutes: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class First:
    """Some screws of a group that are set before the rest: one a side first, then the others."""

    work: Work
    screws: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    """A piece of a device.

    `under` is what must be off before it comes off: each entry one piece, or several of which any one is
    enough. `on_after` names pieces or acts that must be home or done before it goes on, beyond the plain
    reverse. `screws` is its group, `plug` its connector. `side` is where the device lies for it. `first` are
    the screws set before the rest. `loose` = it is connected before it is fixed, so it goes on last and not
    before what lies over it. `moves` is the item that it is of the old part: it comes off only when
    the new part comes without it. `name` is what people call it, where its id does not say it.
    """

    id: str
    kind: PieceKind
    off: Work
    on: Work
    under: tuple[tuple[str, ...], ...] = ()
    on_after: tuple[str, ...] = ()
    screws: str = ""
    plug: str = ""
    battery: bool = False
    side: str = ""
    first: First | None = None
    loose: bool = False
    moves: str = ""
    name: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Act:
    """Something done once at its place that neither takes off nor puts on a piece.

    It is part of a sheet when one of the steps in `having` is (or, without any, by its phase); it stands
    after the steps and acts in `after` and before those in `before`. `moves` is the item that it moves over:
    left out when the new part comes with it. `routes` are the kinds of part it is done for, empty = all.
    `own_seal` = it belongs to the model's own seal and falls away where another is chosen. `when_boxed` and
    `unless_boxed` name an item: it is done only when the new part comes with it, or only without.
    """

    work: Work
    phase: Phase
    after: tuple[str, ...] = ()
    before: tuple[str, ...] = ()
    having: tuple[str, ...] = ()
    moves: str = ""
    routes: tuple[str, ...] = ()
    second_look: bool = False
    own_seal: bool = False
    when_boxed: str = ""
    unless_boxed: str = ""

    @property
    def id(self) -> str:
        return self.work.id


@dataclass(frozen=True, slots=True, kw_only=True)
class Supplied:
    """Something that is welcome in a part's box, and what is used where it is missing, with the minutes that
    takes.
    """

    item: str
    instead: str
    minutes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class OtherRoute:
    """Another way to repair the same damage: what part it needs, how long it takes, what is moved over."""

    name: str
    minutes: int
    need: Mapping[str, str | int | float | None]
    move_over: tuple[str, ...] = ()
    # the pieces that have to be off to change the part
    frees: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Route:
    """A way to repair a model: the part it needs, its minutes when everything is in the box, what is moved
    over and what is welcome in the box. `kind` of part is its id; `has_sheet` = the model's sheet is written
    for it.
    """

    kind: str
    name: str
    need: Mapping[str, str | int | float | None]
    minutes: int
    move_over: tuple[str, ...]
    supplies: tuple[Supplied, ...]
    has_sheet: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Model:
    """One device model as the catalogue knows it.

    In `need` an attribute left out does not matter for this model; None means that nobody knows it yet.
    `features` are what can be seen without tools, aspect by aspect, to tell models apart. `tacs` are the
    first eight
    digits of its IMEIs. `closed_test` says that it can only be tested once it is closed. `demands` names
    attributes that may differ on
    this model, `consent` or `may`; `supplies` what is welcome in the box; `routes` other ways to repair it
    than `need`. `adhesive_on` is where its adhesive goes first, `lid_held` how its lid is held while its
    hinges are screwed; empty = nobody says.
    """

    id: str
    maker: str
    name: str
    device_class: str
    construction: str
    procedure_family: str
    part_family: str
    numbers: tuple[NumberPattern, ...]
    face: Face
    need: Mapping[str, str | int | float | None]
    functions: tuple[Function, ...]
    screws: tuple[ScrewGroup, ...]
    steps: tuple[Step, ...]
    rework: tuple[str, ...]
    move_over: tuple[str, ...]
    minutes: int
    cure_minutes: int
    seal: str
    seals_ruled_out: Mapping[str, str]
    warranty_days: int
    # the year it came out; 0 = nobody knows; what it cost when it was new, empty = nobody knows
    released: int = 0
    new_price: str = ""
    tacs: tuple[str, ...] = ()
    features: Mapping[str, str] = field(default_factory=dict)
    seals: tuple[Seal, ...] = ()
    heat_limits: tuple[HeatLimit, ...] = ()
    opening_tools: tuple[OpeningTool, ...] = ()
    connectors: tuple[Connector, ...] = ()
    closed_test: bool = False
    adhesive_on: str = "frame"
    lid_held: str = ""
    demands: Mapping[str, str] = field(default_factory=dict)
    supplies: tuple[Supplied, ...] = ()
    routes: tuple[OtherRoute, ...] = ()
    # what is in it; empty where a sheet was written by hand (format 2)
    pieces: tuple[Piece, ...] = ()
    acts: tuple[Act, ...] = ()
    own_frees: tuple[str, ...] = ()

    def frees(self, kind: str) -> tuple[str, ...]:
        """The pieces that have to be off to change a part of this kind; its own where no route has it."""
        return next((route.frees for route in self.routes if route.need["kind"] == kind), self.own_frees)

    @property
    def ways(self) -> tuple[Route, ...]:
        """Every way to repair it, its own first."""
        own = Route(
            kind=str(self.need["kind"]),
            name=str(self.need["kind"]),
            need=self.need,
            minutes=self.minutes,
            move_over=self.move_over,
            supplies=self.supplies,
            has_sheet=True,
        )
        others = (
            Route(
                kind=str(other.need["kind"]),
                name=other.name,
                need=other.need,
                minutes=other.minutes,
                move_over=other.move_over,
                supplies=(),
                has_sheet=bool(other.frees),
            )
            for other in self.routes
        )
        return own, *others

    def way(self, kind: str) -> Route:
        """The way that needs this kind of part; its own where no other does."""
        return next((route for route in self.ways if route.kind == kind), self.ways[0])

    @property
    def front_is_cut(self) -> bool:
        """Whether a cup lifts the front or a pick cuts round it, by its own sheet (rule intake.cut): not for
        lids, clipped bezels and fronts that come out from behind.
        """
        return bool(self.cutting_tools)

    @property
    def cutting_tools(self) -> tuple[str, ...]:
        """What the front is lifted and cut with by its own sheet, the first used in front; none where it is
        not cut.
        """
        cuts = [
            tool
            for step in self.steps
            if step.phase in (Phase.OPEN, Phase.SWAP) and "back cover" not in step.text.casefold()
            for tool in step.tools
            if tool in CUTS
        ]
        return tuple(dict.fromkeys(cuts))

    @property
    def full_name(self) -> str:
        return f"{self.maker} {self.name}"

    def screw_group(self, group: str) -> ScrewGroup:
        """The screws of a group. Raises KeyError for one that the model does not have."""
        return {screws.id: screws for screws in self.screws}[group]
