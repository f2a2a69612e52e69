"""Which device is on the counter, by whatever can be read from it: label, IMEI, bars, panel number, EDID."""

from sutura.core.identify.numbers import (
    MOST_SHOWN,
    Candidate,
    Character,
    Collision,
    Identification,
    Known,
    Numbered,
    NumberIndex,
    collisions,
    identify,
    index_numbers,
    known,
    look_up,
    numbers_of,
    tell,
)
from sutura.core.identify.panel import MM_PER_INCH, Panel, PanelSize, Timing, size_of
from sutura.core.identify.reading import RULES, Verdict, edits_allowed, fold, plain
from sutura.core.identify.scan import (
    LabelPattern,
    PanelLabel,
    Scan,
    Scanned,
    check_imei,
    read_label,
    read_scan,
)

__all__ = [
    "MM_PER_INCH", "MOST_SHOWN", "RULES", "Candidate", "Character", "Collision", "Identification", "Known", "LabelPattern",
    "NumberIndex", "Numbered", "Panel", "PanelLabel", "PanelSize", "Scan", "Scanned", "Timing", "Verdict", "check_imei",
    "collisions", "edits_allowed", "fold", "identify", "index_numbers", "known", "look_up", "numbers_of", "plain",
    "read_label", "read_scan", "size_of", "tell",
]  # fmt: skip
