"""Write docs/rules.md from the rules in core: run after adding or changing a rule."""

from __future__ import annotations

import sys
from itertools import groupby
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "src"))

from sutura.core.rules import ALL


def main() -> None:
    lines = [
        "# Rules",
        "",
        "Made by `scripts/rules.py` from the rules in `src/sutura/core`; a test holds both together.",
    ]
    for capability, rules in groupby(ALL, key=lambda rule: rule.capability):
        lines += ["", f"## {capability}", "", "| rule | what it says | source |", "|---|---|---|"]
        lines += [f"| `{rule.id}` | {rule.says} | {rule.source} |" for rule in rules]
    (ROOT / "docs" / "rules.md").write_text("\n".join(lines) + "\n", "utf-8")


if __name__ == "__main__":
    main()
