"""Writes docs/numbers.md: every number that core relies on by name, with what stands beside it of its source.

`python scripts/constants.py --check` only says whether the page is current.
"""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
CORE = ROOT / "src" / "sutura" / "core"
PAGE = ROOT / "docs" / "numbers.md"
HEAD = """# Numbers

Every number that the rules rely on by name, as it stands in the code, with what is said of its source.
Made by `python scripts/constants.py`; a test holds it against the code, so that none changes unnoticed.
The rules are in [rules.md](rules.md).
"""


def has_number(node: ast.AST) -> bool:
    """Whether a value is made of numbers."""
    return any(
        isinstance(one, ast.Constant)
        and isinstance(one.value, int | float)
        and not isinstance(one.value, bool)
        for one in ast.walk(node)
    )


def named(tree: ast.Module) -> Iterator[tuple[str, ast.stmt, ast.expr]]:
    """Names that are given a value with a number in it, in modules and classes, in their order."""
    places = [
        ("", tree.body),
        *((f"{one.name}.", one.body) for one in tree.body if isinstance(one, ast.ClassDef)),
    ]
    for prefix, body in places:
        for one in body:
            targets = (
                one.targets
                if isinstance(one, ast.Assign)
                else [one.target]
                if isinstance(one, ast.AnnAssign)
                else []
            )
            value = getattr(one, "value", None)
            if targets and value is not None and has_number(value):
                yield prefix + ", ".join(ast.unparse(target) for target in targets).strip("()"), one, value


def comment_of(lines: list[str], statement: ast.stmt) -> str:
    """The comment above a statement, and the one behind it."""
    above: list[str] = []
    at = statement.lineno - 2
    while at >= 0 and lines[at].strip().startswith("#") and not lines[at].strip().startswith("# --"):
        above.insert(0, lines[at].strip().lstrip("# "))
        at -= 1
    last = lines[(statement.end_lineno or statement.lineno) - 1]
    behind = last.split("  # ")[1:] if "  # " in last else []
    return " ".join([*above, *(text for text in behind if not text.startswith("type: ignore"))])


def page() -> str:
    """The page as the code says it."""
    written = [HEAD]
    for file in sorted(CORE.rglob("*.py")):
        text = file.read_text("utf-8")
        rows = [
            (name, ast.unparse(value), comment_of(text.splitlines(), statement))
            for name, statement, value in named(ast.parse(text))
        ]
        if rows:
            written.append(f"\n## {file.relative_to(CORE.parent).as_posix()}\n")
            written += [
                f"- `{name}` = `{value}`" + (f" – {comment}" if comment else "")
                for name, value, comment in rows
            ]
    return "\n".join(written) + "\n"


def main() -> None:
    made = page()
    if "--check" in sys.argv:
        if PAGE.read_text("utf-8") != made:
            raise SystemExit("run scripts/constants.py")
        return
    PAGE.write_text(made, "utf-8")


if __name__ == "__main__":
    main()
