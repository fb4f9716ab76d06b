"""Build a Debian package: the program with an environment of its own under /opt.

``./run package`` calls this with the system's Python, whose version the package then depends on.
"""

from __future__ import annotations

import argparse
import gzip
import os
import re
import shutil
import subprocess
import sys
from datetime import UTC, datetime
from email.utils import format_datetime
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
NAME, HOME = "tone-comb", Path("opt/tone-comb")
LIBRARIES = (
    "libgl1, libegl1, libglib2.0-0 | libglib2.0-0t64, libdbus-1-3, libxkbcommon0, libfontconfig1, "
    "libfreetype6, libxcb-cursor0, libxcb-icccm4, libxcb-image0, libxcb-keysyms1, libxcb-randr0, "
    "libxcb-render-util0, libxcb-shape0, libxcb-xkb1, libxkbcommon-x11-0, libx11-xcb1, libpulse0, "
    "libxrandr2, libpango-1.0-0, libpangoft2-1.0-0, libharfbuzz-subset0"
)
# A package of others under /opt breaks these rules of the archive on purpose: all it needs, with
# the libraries as their makers built them, lies in one place that nothing else uses; and the
# authors have no address yet.
OVERRIDES = """\
bogus-mail-host
bogus-mail-host-in-debian-changelog
dir-or-file-in-opt
embedded-library
unstripped-binary-or-object
custom-library-search-path
shared-library-lacks-prerequisites
library-not-linked-against-libc
hardening-no-fortify-functions
hardening-no-relro
binary-has-unneeded-section
package-installs-python-bytecode
python-module-in-wrong-location
script-not-executable
executable-not-elf-or-script
extra-license-file
package-contains-documentation-outside-usr-share-doc
font-outside-font-dir
duplicate-font-file
truetype-font-prohibits-installable-embedding
national-encoding
unusual-interpreter
wrong-path-for-interpreter
initial-upload-closes-no-bugs
statically-linked-binary
"""


def version() -> str:
    """As the program has it, in one place."""
    text = (ROOT / "src" / "tonecomb" / "__init__.py").read_text("utf-8")
    found = re.search(r'^__version__ = "([^"]+)"', text, re.MULTILINE)
    assert found is not None
    return found[1]


def environment(stage: Path) -> str:
    """The program installed under ``stage``; the Python (like 3.11) that it is for."""
    home = stage / HOME
    subprocess.run([sys.executable, "-m", "venv", "--symlinks", str(home)], check=True)
    python = home / "bin" / "python"
    subprocess.run(
        [
            str(python),
            "-m",
            "pip",
            "install",
            "--quiet",
            "--disable-pip-version-check",
            "--no-compile",
            "-c",
            str(ROOT / "constraints.txt"),
            str(ROOT),
        ],
        check=True,
    )
    subprocess.run(
        [str(python), "-m", "pip", "uninstall", "--quiet", "--yes", "pip", "setuptools"], check=True
    )
    for one in (home / "bin").iterdir():
        if one.name not in (NAME, "python", "python3") and not one.name.startswith("python3."):
            one.unlink()
        elif one.name == NAME:
            lines = one.read_text("utf-8").splitlines(keepends=True)
            one.write_text(f"#!/{HOME}/bin/python\n" + "".join(lines[1:]), "utf-8")
    config = home / "pyvenv.cfg"
    kept = [line for line in config.read_text("utf-8").splitlines() if str(stage) not in line]
    config.write_text("\n".join(kept) + "\n", "utf-8")
    (home / "lib64").unlink(missing_ok=True)
    for cache in home.rglob("__pycache__"):
        shutil.rmtree(cache)
    return ".".join(map(str, sys.version_info[:2]))


def integrated(stage: Path) -> None:
    """Its place among the programs of a desktop and in a shell."""
    assets, share = ROOT / "src" / "tonecomb" / "assets" / "desktop", stage / "usr" / "share"
    places = {
        "tone-comb.desktop": "applications",
        "tone-comb.xml": "mime/packages",
        "tone-comb.svg": "icons/hicolor/scalable/apps",
        "tone-comb.metainfo.xml": "metainfo",
    }
    for name, folder in places.items():
        _write(share / folder / name, (assets / name).read_text("utf-8").replace("@PROGRAM@", NAME))
    program = stage / HOME / "bin" / "python"
    code = "from tonecomb.__main__ import main; main()"

    def said(*words: str) -> str:
        quiet = os.environ | {"PYTHONDONTWRITEBYTECODE": "1"}
        done = subprocess.run(
            [str(program), "-c", code, *words],
            check=True,
            capture_output=True,
            text=True,
            env=quiet,
        )
        return done.stdout

    _packed(share / "man" / "man1" / f"{NAME}.1.gz", said("manual"))
    _write(share / "bash-completion" / "completions" / NAME, said("completion", "bash"))
    _write(share / "zsh" / "vendor-completions" / f"_{NAME}", said("completion", "zsh"))
    (stage / "usr" / "bin").mkdir(parents=True)
    (stage / "usr" / "bin" / NAME).symlink_to(f"/{HOME}/bin/{NAME}")


def documented(stage: Path, release: str) -> None:
    """What a package says of itself."""
    folder = stage / "usr" / "share" / "doc" / NAME
    _write(
        folder / "copyright",
        (
            "Format: https://www.debian.org/doc/packaging-manuals/copyright-format/1.0/\n"
            "Upstream-Name: Tone Comb\n\nFiles: *\nCopyright: 2026 The Tone Comb authors\n"
            "License: GPL-3+\n On Debian systems the licence is in\n"
            " /usr/share/common-licenses/GPL-3.\n\n"
            "Files: opt/tone-comb/lib/*\nCopyright: their authors\nLicense: several\n"
            " Each library's licence lies beside it, in its .dist-info folder.\n"
        ),
    )
    day = format_datetime(datetime.now(UTC))
    _packed(
        folder / "changelog.gz",
        (
            f"{NAME} ({release}) unstable; urgency=medium\n\n  * See CHANGELOG.md of the "
            f"source.\n\n"
            f" -- The Tone Comb authors <tone-comb@localhost>  {day}\n"
        ),
    )
    lines = (f"{NAME}: {tag}" for tag in OVERRIDES.splitlines())
    _write(stage / "usr" / "share" / "lintian" / "overrides" / NAME, "\n".join(lines) + "\n")


def described(stage: Path, release: str, python: str) -> None:
    """The control file."""
    size = sum(one.lstat().st_size for one in stage.rglob("*") if not one.is_dir()) // 1024
    arch = subprocess.run(
        ["dpkg", "--print-architecture"], check=True, capture_output=True, text=True
    ).stdout.strip()
    major, minor = python.split(".")
    _write(
        stage / "DEBIAN" / "control",
        (
            f"Package: {NAME}\nVersion: {release}\nArchitecture: {arch}\n"
            "Maintainer: The Tone Comb authors <tone-comb@localhost>\n"
            f"Installed-Size: {size}\n"
            f"Depends: libc6, python3 (>= {python}), python3 (<< {major}.{int(minor) + 1}), "
            f"{LIBRARIES}\n"
            "Recommends: ffmpeg\nSection: science\nPriority: optional\n"
            "Description: frequency analysis of vibration recordings\n"
            " Opens a recording, computes spectra in engineering units, reads its tones,\n"
            " families and resonances with their intervals, and writes a report that\n"
            " someone else can trust and repeat.\n"
        ),
    )


def scripted(stage: Path) -> None:
    """Byte code is made where it is installed, for that Python, and taken away with it."""
    for name, lines in {
        "postinst": f"/{HOME}/bin/python -m compileall -q /{HOME}/lib || true\n",
        "prerm": f"find /{HOME} -name __pycache__ -prune -exec rm -rf {{}} +\n",
    }.items():
        _write(stage / "DEBIAN" / name, f"#!/bin/sh\nset -e\n{lines}")


def built(stage: Path, out: Path, release: str) -> Path:
    """The package of what is staged."""
    for one in stage.rglob("*"):
        if not one.is_symlink():
            scripts = (stage / HOME / "bin", stage / "DEBIAN")
            runs = one.is_dir() or (one.parent in scripts and one.name != "control")
            one.chmod(0o755 if runs else 0o644)
    stage.chmod(0o755)
    arch = (stage / "DEBIAN" / "control").read_text().split("Architecture: ")[1].split()[0]
    out.mkdir(parents=True, exist_ok=True)
    package = out / f"{NAME}_{release}_{arch}.deb"
    subprocess.run(
        ["dpkg-deb", "--root-owner-group", "-Zxz", "--build", str(stage), str(package)],
        check=True,
        capture_output=True,
    )
    return package


def _write(path: Path, text: str) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text, "utf-8")


def _packed(path: Path, text: str) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(gzip.compress(text.encode(), 9, mtime=0))


def main() -> None:
    """Build it, and have lintian look at it where that is installed."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--out", type=Path, default=ROOT / "dist")
    parser.add_argument("--stage", type=Path, default=ROOT / "build" / "debian")
    said = parser.parse_args()
    shutil.rmtree(said.stage, ignore_errors=True)
    said.stage.mkdir(parents=True)
    release = version()
    python = environment(said.stage)
    integrated(said.stage)
    documented(said.stage, release)
    described(said.stage, release, python)
    scripted(said.stage)
    package = built(said.stage, said.out, release)
    print(f"{package}: {package.stat().st_size / 1e6:.0f} MB")
    if lintian := shutil.which("lintian"):
        done = subprocess.run(
            [lintian, "--fail-on", "error", "--allow-root", str(package)], check=False
        )
        sys.exit(done.returncode)
    print("lintian is not installed: the package was not checked.")


if __name__ == "__main__":
    main()
