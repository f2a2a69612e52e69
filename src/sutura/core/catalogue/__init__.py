"""What the catalogue knows of a device: its numbers, face, need, functions, screws and sheet.

A pack file is checked in two passes: the published JSON Schema (shape) in `formats.pack`, then `problems_of` here
(sense: screws that come out go back, the battery is first and last, no step is hotter than its place allows).
"""

from sutura.core.catalogue.cautions import CAUTIONS, CAUTIONS_SOURCE
from sutura.core.catalogue.kin import (
    Difference,
    Kinship,
    Sibling,
    Telling,
    differences,
    kinship,
    siblings_of,
    tell_apart,
)
from sutura.core.catalogue.model import (
    EDGES,
    Connector,
    EdgeLimit,
    Face,
    Function,
    Heat,
    HeatLimit,
    KeepOut,
    Model,
    NumberKind,
    NumberPattern,
    OpeningTool,
    Phase,
    Plug,
    ScrewGroup,
    Seal,
    Spot,
    State,
    Step,
)
from sutura.core.catalogue.packs import (
    Arriving,
    Change,
    ImportPlan,
    Line,
    Planned,
    Stored,
    differing_places,
    plan_import,
)
from sutura.core.catalogue.problems import problems_of
from sutura.core.catalogue.rules import RULES
from sutura.core.catalogue.unlisted import Measured, check_measured, unlisted_model

__all__ = [
    "CAUTIONS", "CAUTIONS_SOURCE", "EDGES", "RULES", "Arriving", "Change", "Connector", "Difference", "EdgeLimit", "Face", "Function",
    "Heat", "HeatLimit", "ImportPlan", "KeepOut", "Kinship", "Line", "Measured", "Model", "NumberKind", "NumberPattern",
    "OpeningTool", "Phase", "Planned", "Plug", "ScrewGroup", "Seal", "Sibling", "Spot", "State", "Step", "Stored", "Telling",
    "check_measured", "differences", "differing_places", "kinship", "plan_import", "problems_of", "siblings_of",
    "tell_apart", "unlisted_model",
]  # fmt: skip
