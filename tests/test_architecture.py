"""The house rules: each import rule fails on a planted violation; files and functions stay small; words stay
ours.
"""

from __future__ import annotations

import ast
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from sutura import __version__
from sutura.config import ROOT, described

CAPABILITIES = {
    "intake",
    "matching",
    "stock",
    "quoting",
    "planning",
    "bench",
    "proof",
    "handover",
    "identify",
    "people",
    "catalogue",
    "job",
    "customers",
    "pricelists",
    "shop",
    "orders",
    "stocktakes",
    "suppliers",
}
# the store has a file a noun, and what intake holds has one in the other layers too (docs/map.md)
NOUNS = {
    "services": {
        "answers",
        "comebacks",
        "messages",
        "invoices",
        "ledger",
        "tills",
        "calendars",
        "kin",
        "consents",
        "consumables",
        "cores",
        "drafts",
        "hands",
        "waits",
        "records",
        "heat",
        "loads",
        "looks",
        "pieces",
        "plans",
        "promises",
        "rails",
        "routes",
        "schools",
        "serials",
        "staffing",
        "covering",
        "trials",
        "reordering",
        "returns",
    },
    "store": {
        "audit",
        "comebacks",
        "messages",
        "invoices",
        "ledger",
        "tills",
        "consents",
        "consumables",
        "cores",
        "drafts",
        "expressions",
        "formkeys",
        "offers",
        "packs",
        "photos",
        "pieces",
        "plans",
        "suppliers",
        "heat",
        "serials",
        "waits",
        "records",
        "returns",
    },
    "web/pages": {
        "again",
        "comebacks",
        "messages",
        "invoices",
        "ledger",
        "tills",
        "consents",
        "consumables",
        "cores",
        "looks",
        "pieces",
        "returns",
    },
}
PYTHON = sorted((ROOT / "src" / "sutura").rglob("*.py"))
PLANTED = [
    ("core/job.py", "import sutura.store.job", "Dependencies point inward"),
    ("store/job.py", "import sutura.services.job", "Dependencies point inward"),
    ("services/job.py", "import sutura.web.app", "Dependencies point inward"),
    ("web/present.py", "import sutura.wiring", "Dependencies point inward"),
    ("core/stock/levels.py", "import peewee", "The core is pure"),
    ("core/planning/queue.py", "import random", "The core is pure"),
    ("core/quoting/pricing.py", "import time", "The core is pure"),
    ("web/pages/stock.py", "import peewee", "Pages never touch the database library"),
    ("services/stock.py", "import psycopg", "Pages never touch the database library"),
    ("core/maths/money.py", "import sutura.core.stock.levels", "Mathematics knows nothing of the business"),
]


def lint_imports(folder: Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [str(Path(sys.executable).parent / "lint-imports"), "--no-cache"],
        cwd=folder,
        capture_output=True,
        text=True,
        check=False,
        env={"PYTHONPATH": str(folder / "src"), "PATH": "/usr/bin:/bin"},
    )


@pytest.fixture(scope="module")
def copy(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("house")
    shutil.copytree(
        ROOT / "src" / "sutura",
        folder / "src" / "sutura",
        ignore=shutil.ignore_patterns("__pycache__", "static"),
    )
    shutil.copy(ROOT / "pyproject.toml", folder)
    return folder


def test_the_import_rules_hold(copy: Path) -> None:
    done = lint_imports(copy)
    assert done.returncode == 0, done.stdout


@pytest.mark.parametrize(
    ("file", "line", "rule"), PLANTED, ids=[f"{file}: {line}" for file, line, _ in PLANTED]
)
def test_each_import_rule_fails_on_a_planted_violation(copy: Path, file: str, line: str, rule: str) -> None:
    path = copy / "src" / "sutura" / file
    before = path.read_text("utf-8")
    path.write_text(f"{before}\n{line}\n", "utf-8")
    try:
        done = lint_imports(copy)
    finally:
        path.write_text(before, "utf-8")
    assert done.returncode != 0
    assert re.search(rf"{rule}.*BROKEN", done.stdout), done.stdout[-2000:]


def test_the_capability_word_names_the_file_in_every_layer() -> None:
    for layer in ("core", "services", "store", "web/pages"):
        names = {file.stem for file in (ROOT / "src" / "sutura" / layer).glob("*.py")}
        plumbing = {
            "__init__",
            "values",
            "errors",
            "rules",
            "once",
            "marks",
            "known",
            "database",
            "plan_tables",
            "bench_tables",
            "proof_tables",
            "handover_tables",
            "stock_tables",
            "tables",
            "migrating",
            "health",
            "living",
            "typed",
            "facts",
        }
        assert names - plumbing - NOUNS.get(layer, set()) <= CAPABILITIES, layer
    templates = {
        folder.name for folder in (ROOT / "src" / "sutura" / "web" / "templates").iterdir() if folder.is_dir()
    }
    assert templates - {"parts", "errors", "living"} <= CAPABILITIES


@pytest.mark.parametrize("file", PYTHON, ids=lambda file: str(file.relative_to(ROOT)))
def test_files_and_functions_stay_small(file: Path) -> None:
    text = file.read_text("utf-8")
    # the list of sentences is data, one a line
    assert file.name == "english.py" or len(text.splitlines()) <= 600
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            assert (node.end_lineno or 0) - node.lineno < 80, node.name


def test_every_journey_says_that_it_drives_a_browser() -> None:
    """One that does not would run among the fast tests, where there is none."""
    files = sorted((ROOT / "tests" / "journeys").glob("test_*.py"))
    assert [file.name for file in files if "pytest.mark.browser" not in file.read_text("utf-8")] == []


def test_templates_hold_no_styles_scripts_or_queries() -> None:
    for file in (ROOT / "src" / "sutura" / "web" / "templates").rglob("*.html"):
        text = file.read_text("utf-8")
        assert 'style="' not in text, file
        assert not re.search(r"<script(?! defer src| type=\"module\" src)", text), file
        assert not re.search(r"\son[a-z]+=", text), file


def test_no_template_script_or_style_has_a_line_too_long_to_read() -> None:
    web = ROOT / "src" / "sutura" / "web"
    files = dict.fromkeys((web / "templates").rglob("*.html"), 160)
    files |= dict.fromkeys(
        (*(web / "static" / "js").glob("*.js"), *(web / "static" / "css").glob("*.css")), 130
    )
    long = [
        f"{file.name}:{number}"
        for file, most in files.items()
        for number, line in enumerate(file.read_text("utf-8").splitlines(), 1)
        if len(line) > most
    ]
    assert long == []


def test_every_colour_and_measure_that_a_style_names_is_one() -> None:
    """A name that nobody gave is no colour: what was to be dotted stays as it is."""
    styles = (ROOT / "src" / "sutura" / "web" / "static" / "css").glob("*.css")
    text = "".join(file.read_text("utf-8") for file in styles)
    given = set(re.findall(r"(--[a-z0-9-]+)\s*:", text))
    assert set(re.findall(r"var\((--[a-z0-9-]+)", text)) <= given


def test_alpine_attributes_use_only_what_its_strict_build_allows() -> None:
    for file in (ROOT / "src" / "sutura" / "web" / "templates").rglob("*.html"):
        for expression in re.findall(r'\s(?:x-[a-z]+|@[a-z.]+|:[a-z-]+)="([^"]*)"', file.read_text("utf-8")):
            assert not re.search(r"=>|`|\?\.|\?\?|\+=|\.\.\.|;", expression), f"{file.name}: {expression}"


def test_the_first_page_stays_under_its_weight() -> None:
    """Budget: first page load ≤ 250 kB compressed (design, section 9)."""
    import gzip

    static = ROOT / "src" / "sutura" / "web" / "static"
    files = [
        *static.glob("*.*"),
        *static.glob("js/*.js"),
        *static.glob("css/*.css"),
        *(file for file in (static / "vendor").iterdir() if file.suffix in (".css", ".js", ".woff2")),
    ]
    weight = sum(
        len(file.read_bytes() if file.suffix == ".woff2" else gzip.compress(file.read_bytes(), 5))
        for file in files
    )
    assert weight < 250_000


def test_every_shipped_file_of_others_is_listed_with_its_licence() -> None:
    vendor = ROOT / "src" / "sutura" / "web" / "static" / "vendor"
    listed = (vendor / "README.md").read_text("utf-8")
    for file in vendor.iterdir():
        if file.suffix in (".css", ".js", ".woff2"):
            family = re.sub(r"latin-\d+-normal", "latin-*", file.name)
            assert file.name in listed or family in listed or "hyperlegible-mono-latin-*" in listed, file.name


def committed() -> list[Path]:
    """Files of the project; without git, everything that is not made here."""
    if shutil.which("git") and (ROOT / ".git").exists():
        names = subprocess.run(
            ["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True
        ).stdout
        return [ROOT / name for name in names.split()]
    return [
        file
        for file in ROOT.rglob("*")
        if file.is_file() and not file.relative_to(ROOT).parts[0].startswith(".")
    ]


def test_nothing_committed_names_a_registry_or_a_place_on_one_machine() -> None:
    forbidden = re.compile(r"pypi[.]org|python[h]osted|registry[.]npmjs|deb[.]debian|/work/|/root/|/home/")
    texts = (".py", ".md", ".json", ".html", ".css", ".toml", ".txt", ".in")
    for file in committed():
        if (
            file.suffix in texts
            and file.exists()
            and file.name != Path(__file__).name
            and "vendor" not in file.parts
        ):
            assert not forbidden.search(file.read_text("utf-8")), file


def test_every_setting_stands_in_the_readme() -> None:
    readme = (ROOT / "README.md").read_text("utf-8")
    assert [name for name, _, _ in described() if f"`{name}`" not in readme] == []


def test_every_picture_is_linked_from_the_readme_and_there_are_under_twenty() -> None:
    pictures = sorted(file.name for file in (ROOT / "docs" / "screenshots").glob("*.png"))
    readme = (ROOT / "README.md").read_text("utf-8")
    assert 0 < len(pictures) < 20
    assert [name for name in pictures if f"docs/screenshots/{name}" not in readme] == []


def test_the_map_names_every_folder_of_the_house() -> None:
    text = (ROOT / "docs" / "map.md").read_text("utf-8")
    folders = {file.parent.relative_to(ROOT / "src" / "sutura").as_posix() for file in PYTHON} - {"."}
    assert [folder for folder in folders if f"{folder.rsplit(chr(47), 1)[-1]}/" not in text] == []
    files = [file.name for file in PYTHON if file.parent.name == "sutura" and file.name != "__init__.py"]
    assert [name for name in files if name not in text] == []


def test_the_version_stands_in_one_place_and_heads_the_changes() -> None:
    """The newest heading is the version that is shown, or what is not released yet."""
    headings = re.findall(r"^## (.+)$", (ROOT / "CHANGELOG.md").read_text("utf-8"), re.M)
    released = [heading for heading in headings if heading != "Unreleased"]
    assert released[0].startswith(f"{__version__} – 20")
    assert __version__ not in (ROOT / "pyproject.toml").read_text("utf-8")


def test_every_decision_is_in_the_index() -> None:
    folder = ROOT / "docs" / "decisions"
    index = (folder / "README.md").read_text("utf-8")
    assert [
        file.name for file in folder.glob("*.md") if file.name != "README.md" and file.name not in index
    ] == []


def test_the_two_lock_files_agree() -> None:
    def pinned(name: str) -> dict[str, str]:
        return dict(
            re.findall(r"^([A-Za-z0-9_.-]+)==([^ ;\\]+)", (ROOT / name).read_text("utf-8"), re.MULTILINE)
        )

    ours, more = pinned("requirements.txt"), pinned("requirements-dev.txt")
    assert ours
    assert {name: more[name] for name in ours if name in more} == {
        name: ours[name] for name in ours if name in more
    }


@pytest.mark.slow
def test_every_service_can_be_read_on_its_own() -> None:
    """None leans on another having been read before it: a script may begin with any."""
    script = """
import importlib, pathlib, sys
import sutura.services as services
for file in sorted(pathlib.Path(services.__path__[0]).glob("[a-z]*.py")):
    for name in [name for name in sys.modules if name.startswith("sutura.services")]:
        del sys.modules[name]
    importlib.import_module("sutura.services." + file.stem)
"""
    done = subprocess.run(
        [sys.executable, "-c", script],
        capture_output=True,
        text=True,
        check=False,
        env={"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"},
    )
    assert done.returncode == 0, done.stderr[-1500:]
