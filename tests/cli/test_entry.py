"""Among the programs of a desktop, in a shell, and as it is built."""

from __future__ import annotations

import configparser
import shutil
import subprocess
import sys
import tarfile
import xml.etree.ElementTree as ElementTree
import zipfile
from pathlib import Path

import pytest
from tests.cli.test_cli import call

from tonecomb import __version__
from tonecomb.cli.main import commands

ROOT = Path(__file__).parents[2]


def test_the_desktop_knows_it_and_forgets_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    done = call("desktop-entry")
    assert done.returncode == 0 and done.stdout.count("\n") == 5
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str  # type: ignore[assignment, method-assign]
    entry.read(tmp_path / "applications" / "tone-comb.desktop")
    told = entry["Desktop Entry"]
    assert told["Exec"].endswith("%F") and "@" not in told["Exec"]
    program = told["Exec"].split()[0].strip('"')
    assert Path(program).exists() and told["Icon"] == "tone-comb"
    for file in tmp_path.rglob("*.xml"):
        ElementTree.parse(file)
    mime = (tmp_path / "mime" / "packages" / "tone-comb.xml").read_text()
    assert "*.tcomb" in mime and told["MimeType"].split(";")[0] in mime
    assert call("desktop-entry", "--remove").returncode == 0
    assert not [one for one in tmp_path.rglob("tone-comb*")]


def test_the_manual_tells_every_command_and_option(tmp_path: Path) -> None:
    page = call("manual").stdout
    plain = page.replace("\\-", "-").replace("\\e", "\\")
    for name, command in commands.commands.items():
        if command.hidden:
            continue
        assert f".SS {name} " in plain
        for option in command.params:
            if option.opts[0].startswith("--"):
                assert option.opts[0] in plain, (name, option.opts)
    for line in page.splitlines():
        told = line.startswith((".TH ", ".SH ", ".SS ", ".B ", ".TP", ".PP", ".br"))
        assert told or line[:1] not in (".", "'"), line


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_a_shell_completes(shell: str) -> None:
    done = call("completion", shell)
    assert done.returncode == 0 and "_TONE_COMB_COMPLETE" in done.stdout


@pytest.fixture
def source(tmp_path: Path) -> Path:
    """Built elsewhere: setuptools leaves its own folders behind."""
    source = tmp_path / "source"
    shutil.copytree(ROOT / "src", source / "src", ignore=shutil.ignore_patterns("*.egg-info"))
    for name in ("pyproject.toml", "README.md", "LICENSE"):
        shutil.copy(ROOT / name, source)
    return source


def inside() -> set[str]:
    """All files of the program, from where its folder lies."""
    return {
        str(path.relative_to(ROOT / "src"))
        for path in (ROOT / "src" / "tonecomb").rglob("*")
        if path.is_file() and "__pycache__" not in path.parts
    }


def test_the_source_archive_holds_all_that_is_needed(source: Path) -> None:
    code = "from setuptools import setup; setup()"
    subprocess.run(
        [sys.executable, "-c", code, "--quiet", "sdist"],
        check=True,
        capture_output=True,
        cwd=source,
    )
    with tarfile.open(next((source / "dist").glob("*.tar.gz"))) as archive:
        names = {name.partition("/")[2] for name in archive.getnames()}
    assert {f"src/{name}" for name in inside()} | {"LICENSE", "pyproject.toml"} <= names


def test_the_wheel_holds_all_that_is_needed(source: Path, tmp_path: Path) -> None:
    subprocess.run(
        [
            sys.executable,
            "-m",
            "pip",
            "wheel",
            "--quiet",
            "--no-deps",
            "--no-build-isolation",
            "--disable-pip-version-check",
            "--wheel-dir",
            str(tmp_path),
            str(source),
        ],
        check=True,
        capture_output=True,
        cwd=tmp_path,
    )
    (wheel,) = tmp_path.glob("*.whl")
    assert wheel.name.startswith(f"tonecomb-{__version__}-py3")
    names = set(zipfile.ZipFile(wheel).namelist())
    assert inside() <= names
    assert any(name.endswith("entry_points.txt") for name in names)
