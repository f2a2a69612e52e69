"""One living page with all components, made with the same pieces as every page."""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.catalogue.model import EDGES, EdgeLimit, Face, Function
from sutura.core.errors import Invalid, ManyInvalid, StaleSave
from sutura.core.intake.damage import read_damage
from sutura.core.intake.marks import Mark, MarkKind
from sutura.core.job import Stage, seam
from sutura.core.maths.geometry import Box, Point
from sutura.core.values import FunctionResult, Outcome
from sutura.services.identify import identify
from sutura.web.addresses import Addresses, Anyone
from sutura.web.drawings.face import draw_face
from sutura.web.present import render
from sutura.web.session import Ask, Shown

addresses = Addresses()

_FACE = Face(
    width_mm=70,
    height_mm=140,
    corner_mm=9,
    glass=Box(x=0.5, y=0.5, width=69, height=139),
    active=Box(x=3, y=4, width=64, height=132),
    opening_edge="bottom",
    edges=dict.fromkeys(EDGES, EdgeLimit(depth_mm=3, why="usual limit")),
)
_MARKS = (
    Mark(kind=MarkKind.IMPACT, points=(Point(x=18, y=30),), reach_mm=9),
    Mark(kind=MarkKind.CRACK, points=(Point(x=18, y=30), Point(x=40, y=70), Point(x=70, y=88))),
)


@addresses.get("/living", may=Anyone.SIGNED_IN)
def living(ask: Ask) -> Response:
    refusal = ManyInvalid([Invalid("sample", "1O", "use digits only, such as 10")], "This sample")
    stale = StaleSave("This sample", "Ines", None, {"phone": "555 0100"}, {"phone": "555 0199"})
    return render(
        ask,
        "living/living.html",
        shown=Shown(refusal=refusal),
        stale=stale,
        seams=[
            ("on its way", seam(Stage.PART_IN_HAND)),
            ("held up", seam(Stage.QUOTED, "no free Heron front")),
            ("done", seam(Stage.HANDED_BACK)),
            ("declined", seam(Stage.DECLINED)),
        ],
        face=draw_face(_FACE, _MARKS, "A sample face"),
        damage=read_damage(_MARKS, _FACE),
        functions=(
            Function(id="sample-touch", name="Touch", how="Drag an icon along all edges.", screen=True),
        ),
        baseline={
            "sample-touch": FunctionResult(
                function="sample-touch", outcome=Outcome.NOT_TESTABLE, reason="battery flat"
            )
        },
        found=identify("O044I7"),
    )
