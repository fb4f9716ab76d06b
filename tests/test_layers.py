"""The direction of imports, and how large things may be: what a newcomer is promised."""

from __future__ import annotations

import ast
import re
import statistics
import sys
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[1] / "src" / "tonecomb"
# What each room may import of ours.
ALLOWED = {
    "core": {"core"},
    "formats": {"core", "formats", "version"},
    "api": {"batches", "core", "formats", "version"},
    "batches": {"core", "formats", "batches", "version"},
    "live": {"core", "formats", "live"},
    "demo": {"core", "formats", "live", "demo"},
    "cli": {"api", "batches", "core", "formats", "live", "demo", "desktop", "cli", "version"},
    "__main__": {"cli"},
    "desktop": {"batches", "core", "formats", "live", "demo", "desktop", "version"},
    "__init__": {"api", "version"},
    "version": set(),
}
# Inside the core a room knows only those before it, but for synthesis and steps, modal and find,
# which do not know each other.
CORE = (
    "base",
    "record",
    "synthesis",
    "steps",
    "estimate",
    "method",
    "find",
    "modal",
    "results",
    "say",
)
STRANGERS = (
    {"synthesis", "steps"},
    {"synthesis", "estimate"},
    {"synthesis", "find"},
    {"synthesis", "modal"},
    {"find", "modal"},
)
# The wings of the stage: as in the core, those beside each other do not know each other either.
STAGE = (
    {"plots"},
    {"spectrum", "waveform", "maker", "bars"},
    {"panes"},
    {"spectrogram", "waterfall", "transfer"},
    {"stage", "pane_table", "made_panes", "empty_page", "limits"},
)
# Imports for the type checker alone that close a circle: who is held, and who holds.
TYPING = {
    ("core.record.recording", "core.record.pyramid"),
    ("core.record.recording", "core.record.parallel"),
    ("desktop.stage.spectrum.edge_flags", "desktop.stage.spectrum.spectrum"),
    ("desktop.actions", "desktop.bench"),
    ("desktop.acts.menus", "desktop.bench"),
    ("desktop.acts.guide", "desktop.bench"),
}
# Inside the bench an arrow points to a higher number; rooms of one number do not know each other.
FLOORS = {
    "app": 0,
    "first_look": 1,
    "bench": 1,
    "acts": 2,
    "actions": 3,
    "shelf": 4,
    "method_line": 4,
    "stage": 4,
    "readings": 4,
    "ruler": 4,
    "dialogs": 5,
    "edits": 6,
    "state": 7,
    "kit": 8,
}
# Where filters are designed and second-order sections are run.
FILTER_DESIGN = {"sections.py", "recursive.py", "shock.py", "true_peak.py"}
CORE_PACKAGES = {"numpy", "scipy", "pint", "ducc0"}
QT = {"PyQt6", "pyqtgraph", "superqt", "qtawesome"}

FILES = sorted(SOURCE.rglob("*.py"))
each_file = pytest.mark.parametrize("path", FILES, ids=lambda p: str(p.relative_to(SOURCE)))


@cache
def tree(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


def walk(node: ast.AST, *, run: bool) -> Iterator[ast.AST]:
    """Every node; with ``run`` only what happens when the module is imported."""
    for child in ast.iter_child_nodes(node):
        typing_only = isinstance(child, ast.If) and ast.unparse(child.test) == "TYPE_CHECKING"
        if typing_only or (run and isinstance(child, (ast.FunctionDef, ast.Lambda))):
            continue
        yield child
        yield from walk(child, run=run)


def imports(path: Path, *, run: bool = False) -> set[str]:
    """Every module that a file imports, function bodies included unless only the ``run`` counts."""
    found = set()
    for node in walk(tree(path), run=run):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, f"{path} imports relatively"
            found |= {f"{node.module}.{alias.name}" for alias in node.names}
    return found


@each_file
def test_imports_point_down(path: Path) -> None:
    room = path.relative_to(SOURCE).parts[0].removesuffix(".py")
    for name in imports(path):
        top, *rest = name.split(".")
        if top == "tonecomb":
            assert not rest or rest[0] in ALLOWED[room], f"{path} imports {name}"
            continue
        if room != "desktop" and path.name != "sound_in.py":  # which hears by it, without a window
            assert top not in QT, f"{path} knows Qt"
        if room == "core":
            assert top in CORE_PACKAGES | set(sys.stdlib_module_names), f"{path} imports {name}"
        if path.name not in FILTER_DESIGN:
            assert not name.startswith("scipy.signal"), f"{path} lets scipy.signal do our work"


@pytest.mark.parametrize(
    "path",
    [p for p in FILES if "desktop" in p.parts and p.name != "__init__.py"],
    ids=lambda p: str(p.relative_to(SOURCE / "desktop")),
)
def test_the_floors_of_the_bench(path: Path) -> None:
    room = path.relative_to(SOURCE / "desktop").parts[0].removesuffix(".py")
    for name in imports(path):
        if name.startswith("tonecomb.desktop."):
            other = name.split(".")[2]
            assert other == room or FLOORS[other] > FLOORS[room], f"{path} imports {name}"


MODULES = {
    ".".join(("tonecomb", *path.relative_to(SOURCE).with_suffix("").parts)).removesuffix(
        ".__init__"
    ): path
    for path in FILES
}


def needed(path: Path) -> set[str]:
    """The modules of ours that a file imports anywhere: in functions, and for types."""
    found = set()
    for node in ast.walk(tree(path)):
        if isinstance(node, ast.ImportFrom) and node.module is not None:
            every = {f"{node.module}.{alias.name}" for alias in node.names}
            found |= {one if one in MODULES else node.module for one in every}
    return {one for one in found if one in MODULES}


@pytest.mark.parametrize(
    "path",
    [p for p in FILES if "core" in p.parts and p.name != "__init__.py"],
    ids=lambda p: str(p.relative_to(SOURCE / "core")),
)
def test_the_rooms_of_the_core_have_an_order(path: Path) -> None:
    room = path.relative_to(SOURCE / "core").parts[0]
    for name in needed(path):
        if name.startswith("tonecomb.core."):
            other = name.split(".")[2]
            assert CORE.index(other) <= CORE.index(room), f"{path} imports {name}"
            assert {room, other} not in STRANGERS, f"{path} imports {name}"


@pytest.mark.parametrize(
    "path",
    sorted((SOURCE / "desktop" / "stage").rglob("*.py")),
    ids=lambda p: str(p.relative_to(SOURCE / "desktop" / "stage")),
)
def test_the_wings_of_the_stage_have_an_order(path: Path) -> None:
    if path == SOURCE / "desktop" / "stage" / "__init__.py":
        return
    floor = {name: number for number, names in enumerate(STAGE) for name in names}
    wing = path.relative_to(SOURCE / "desktop" / "stage").parts[0].removesuffix(".py")
    for name in needed(path):
        if name.startswith("tonecomb.desktop.stage."):
            other = name.split(".")[3]
            beside = wing == other or floor[wing] == floor[other] == len(STAGE) - 1
            assert beside or floor[other] < floor[wing], f"{path} imports {name}"


def test_nothing_is_imported_in_a_circle() -> None:
    """Not in functions either; for types alone only where it is listed."""
    needs = {
        module: {
            other
            for other in needed(path)
            if (module.removeprefix("tonecomb."), other.removeprefix("tonecomb.")) not in TYPING
        }
        for module, path in MODULES.items()
        if module != "tonecomb"
    }
    done: set[str] = set()

    def visit(module: str, way: tuple[str, ...]) -> None:
        assert module not in way, " → ".join((*way, module))
        if module not in done:
            for other in needs.get(module, ()):
                visit(other, (*way, module))
            done.add(module)

    for module in needs:
        visit(module, ())


def test_what_is_listed_for_types_is_for_types() -> None:
    for one, other in TYPING:
        path = MODULES[f"tonecomb.{one}"]
        assert f"tonecomb.{other}" in needed(path), "it is no longer needed"
        at_run = {name.rpartition(".")[0] for name in imports(path)}
        assert f"tonecomb.{other}" not in at_run, f"{one} imports {other} when it runs"


def test_nothing_is_too_large() -> None:
    lengths = []
    for path in FILES:
        assert len(path.read_text().splitlines()) <= 480, f"{path} is too long"
        for node in ast.walk(tree(path)):
            if isinstance(node, ast.FunctionDef):
                lengths.append((node.end_lineno or 0) - node.lineno + 1)
            if isinstance(node, ast.ClassDef):
                for one in [one for one in node.body if isinstance(one, ast.FunctionDef)]:
                    said = len(one.args.args) + len(one.args.kwonlyargs) - 1
                    assert one.name != "__init__" or said <= 6, f"{node.name} in {path}: {said}"
    assert statistics.median(lengths) <= 8


def test_what_is_private_stays_so() -> None:
    """Nobody touches a private attribute of another object's class, tests neither."""
    for path in (*FILES, *Path(__file__).parent.rglob("*.py")):
        text = path.read_text()
        if not re.search(r"(?<!\bself)(?<!\bcls)\._[a-z]", text):
            continue
        content = ast.parse(text)
        own = {one.name for one in ast.walk(content) if isinstance(one, ast.ClassDef)}
        for node in ast.walk(content):
            if not isinstance(node, ast.Attribute) or not re.match(r"_[a-z]", node.attr):
                continue
            if ast.unparse(node) == "os._exit":  # which is Python's public name for it
                continue
            inside = isinstance(node.value, ast.Name) and node.value.id in ("self", "cls", *own)
            assert inside, f"{path}:{node.lineno} {ast.unparse(node)}"


def test_constants_of_the_core_say_what_they_are() -> None:
    """Beside, above or below each number stands its unit, or where it comes from."""
    for path in (path for path in FILES if "core" in path.parts):
        lines = ["", *path.read_text().splitlines(), ""]
        for above, line, below in zip(lines, lines[1:], lines[2:], strict=False):
            if re.match(r"_?[A-Z][A-Z_0-9]*(, _?[A-Z][A-Z_0-9]*)*(: [^=]+)? = [-(]?\d", line):
                said = "#" in line or above.startswith("#") or below.startswith('"""')
                assert said or line.endswith("("), f"{path}: {line}"
