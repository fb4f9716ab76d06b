"""The direction of imports: an arrow only ever points down."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[1] / "src" / "tonecomb"
# What each layer may import of ours, and the outside packages that only it may touch.
ALLOWED = {
    "core": {"core"},
    "formats": {"core", "formats", "__version__"},
    "demo": {"core", "formats", "demo"},
    "live": {"core", "formats", "live"},
    "cli": {"core", "formats", "demo", "live", "desktop", "cli_method", "__version__"},
    "cli_method": {"core", "formats"},
    "__main__": {"cli"},
    "desktop": {"core", "formats", "demo", "live", "desktop", "__version__"},
    "__init__": set(),
}
CORE_PACKAGES = {"numpy", "scipy", "pint"}
QT = {"PyQt6", "pyqtgraph", "superqt", "qtawesome"}


def imports(path: Path) -> set[str]:
    """Every module that a file imports, function bodies included."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, f"{path} imports relatively"
            found |= {f"{node.module}.{alias.name}" for alias in node.names}
    return found


@pytest.mark.parametrize("path", sorted(SOURCE.rglob("*.py")), ids=lambda p: str(p.name))
def test_imports_point_down(path: Path) -> None:
    import sys

    layer = path.relative_to(SOURCE).parts[0].removesuffix(".py")
    for name in imports(path):
        top, *rest = name.split(".")
        if top == "tonecomb":
            assert rest[0] in ALLOWED[layer], f"{path} imports {name}"
            continue
        if layer != "desktop":
            assert top not in QT, f"{path} knows Qt"
        if layer == "core":
            assert top in CORE_PACKAGES | set(sys.stdlib_module_names), f"{path} imports {name}"
        assert not name.startswith("scipy.signal"), f"{path} lets scipy.signal do our work"
