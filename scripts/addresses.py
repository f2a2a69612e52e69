"""Write the table of addresses and roles into docs/security.md: run after adding or changing an address."""

from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "src"))

from sutura.core.people import MAY, Deed
from sutura.web.app import addresses

BEGINS, ENDS = "<!-- made by scripts/addresses.py -->", "<!-- until here -->"


def table() -> str:
    lines = ["| method | address | who |", "|---|---|---|"]
    for (method, path), may in sorted(addresses().items(), key=lambda entry: entry[0][::-1]):
        who = ", ".join(sorted(MAY[may])) if isinstance(may, Deed) else may.value
        lines.append(f"| {method} | `{path}` | {who} |")
    return "\n".join(lines)


def main() -> None:
    file = ROOT / "docs" / "security.md"
    before, _, rest = file.read_text("utf-8").partition(BEGINS)
    after = rest.partition(ENDS)[2]
    file.write_text(f"{before}{BEGINS}\n{table()}\n{ENDS}{after}", "utf-8")


if __name__ == "__main__":
    main()
