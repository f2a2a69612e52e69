"""Measures of the house: lines, functions, complexity, long lines, exceptions to the formatter, raw SQL.
Anyone can run it.

python scripts/measures.py [FOLDER]
"""

from __future__ import annotations

import ast
import re
import statistics
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(sys.argv[1] if len(sys.argv) > 1 else Path(__file__).parents[1]).resolve()
MOST_COLUMNS, MOST_TEMPLATE_COLUMNS = 110, 160
# A statement that is SQL: a string that begins as one, given to a database call.
SQL = re.compile(
    r"^\s*(select|insert into|update|delete from|lock table|with|notify|listen)\b", re.IGNORECASE
)
BRANCHES = (
    ast.If,
    ast.For,
    ast.While,
    ast.IfExp,
    ast.ExceptHandler,
    ast.comprehension,
    ast.Assert,
    ast.match_case,
)


def files(*patterns: str) -> list[Path]:
    found = (path for pattern in patterns for path in ROOT.glob(pattern))
    return sorted(path for path in found if "vendor" not in path.parts and "__pycache__" not in path.parts)


def lines_of(paths: list[Path]) -> list[str]:
    return [line for path in paths for line in path.read_text("utf-8").splitlines()]


def functions_in(tree: ast.AST) -> Iterator[ast.FunctionDef | ast.AsyncFunctionDef]:
    return (node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef))


def complexity(function: ast.AST) -> int:
    """McCabe's number: one, and one more for each branch and each `and` or `or`."""
    extra = sum(len(node.values) - 1 for node in ast.walk(function) if isinstance(node, ast.BoolOp))
    return 1 + extra + sum(isinstance(node, BRANCHES) for node in ast.walk(function))


def raw_statements(tree: ast.AST) -> int:
    """String constants that begin as SQL, those joined by `+` or an f-string once."""
    inner = {id(part) for node in ast.walk(tree) if isinstance(node, ast.JoinedStr) for part in node.values}
    texts = [
        node
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant)
        and isinstance(node.value, str)
        and id(node) not in inner
        and SQL.match(node.value)
    ]
    joined = [
        node
        for node in ast.walk(tree)
        if isinstance(node, ast.JoinedStr)
        and node.values
        and isinstance(node.values[0], ast.Constant)
        and SQL.match(str(node.values[0].value))
    ]
    return len(texts) + len(joined)


def share(values: list[int], part: float) -> int:
    return sorted(values)[min(int(len(values) * part), len(values) - 1)]


def main() -> None:
    source, tests, scripts = (files(f"{folder}/**/*.py") for folder in ("src", "tests", "scripts"))
    templates = files("src/**/*.html")
    front = files("src/**/static/**/*.js", "src/**/static/**/*.css")
    trees = {path: ast.parse(path.read_text("utf-8")) for path in source}
    functions = [function for tree in trees.values() for function in functions_in(tree)]
    lengths = [(function.end_lineno or 0) - function.lineno + 1 for function in functions]
    complexities = [complexity(function) for function in functions]
    python = lines_of(source) + lines_of(tests) + lines_of(scripts)
    store = [path for path in source if "store" in path.parts]
    counts = {
        "lines of Python in src": len(lines_of(source)),
        "lines of tests": len(lines_of(tests)),
        "lines of scripts": len(lines_of(scripts)),
        "lines of templates": len(lines_of(templates)),
        "lines of JavaScript and CSS": len(lines_of(front)),
        "functions in src": len(functions),
        "function length, median": round(statistics.median(lengths)),
        "function length, p90": share(lengths, 0.9),
        "function length, longest": max(lengths),
        "longest module in src": max(len(lines_of([path])) for path in source),
        "complexity, p90": share(complexities, 0.9),
        "complexity, highest": max(complexities),
        f"Python lines over {MOST_COLUMNS}": sum(len(line) > MOST_COLUMNS for line in python),
        f"template lines over {MOST_TEMPLATE_COLUMNS}": sum(
            len(line) > MOST_TEMPLATE_COLUMNS for line in lines_of(templates)
        ),
        "longest template line": max(len(line) for line in lines_of(templates)),
        "fmt: skip": sum(line.rstrip().endswith("# fmt: skip") for line in python),
        "raw SQL statements in the store": sum(raw_statements(trees[path]) for path in store),
        "raw SQL statements elsewhere in src": sum(
            raw_statements(trees[path]) for path in source if path not in store
        ),
        "the name `one`": sum(len(re.findall(r"\bone\b(?=[\s.,)\]:}=])", line)) for line in lines_of(source)),
        "the name `found`": sum(
            len(re.findall(r"\bfound\b(?=[\s.,)\]:}=\[(])", line)) for line in lines_of(source)
        ),
    }
    width = max(map(len, counts))
    for name, count in counts.items():
        print(f"{name:<{width}}  {count}")


if __name__ == "__main__":
    main()
