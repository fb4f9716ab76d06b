"""A report for its reader: sections, order, cover, remarks, terms."""

from __future__ import annotations

import re
import struct
import zlib
from pathlib import Path

import numpy as np
import pytest
from tests.cli.test_cli import call
from tests.support import recording

import tonecomb
from tonecomb.core.errors import UserError
from tonecomb.formats.analysed import Analysed
from tonecomb.formats.report.layout import AUDIENCES, Cover, Layout, logo_of
from tonecomb.formats.report.terms import TERMS, used


@pytest.fixture(scope="module")
def result() -> Analysed:
    t, chance = np.arange(20_000) / 1000, np.random.default_rng(1)
    x = sum(0.3 / n * np.cos(2 * np.pi * 24.3 * n * t) for n in (1, 2, 3))
    return tonecomb.analyse(recording(x + 0.01 * chance.normal(size=len(t)), fs=1000.0, unit="g"))


def page_of(result: Analysed, layout: Layout, folder: Path) -> str:
    return result.report(folder / "r.html", layout=layout).read_text()


def titles(page: str) -> list[str]:
    return re.findall(r"<h2[^>]*>(.*?)</h2>", page)


def test_sections_are_those_chosen_in_their_order(result: Analysed, tmp_path: Path) -> None:
    full = page_of(result, Layout(), tmp_path)
    assert titles(full) == ["In short", "Peaks", "Combs", "Recording", "Resolution", "Terms"]
    short = page_of(result, Layout(AUDIENCES["one page"]), tmp_path)
    assert titles(short) == ["In short", "Recording", "Resolution"] and "<th>Frequency" not in short
    turned = page_of(result, Layout(("combs", "peaks")), tmp_path)
    assert titles(turned) == ["Combs", "Peaks"] and "<svg" not in turned
    for page in (full, short, turned):
        assert result.sentence in page, "the method stands in every report"


def test_the_cover_says_what_is_given_and_nothing_runs(result: Analysed, tmp_path: Path) -> None:
    wild = "<script>alert(1)</script> & Co"
    cover = Cover(
        title="Winch before overhaul", client=wild, author="K. Rodda", remarks="First.\nSecond.",
        notes=(("peaks", "The mesh is louder than in May."),),
    )  # fmt: skip
    page = page_of(result, Layout(cover=cover), tmp_path)
    assert "<h1>Winch before overhaul</h1>" in page and "K. Rodda" in page
    assert "<script>alert" not in page and "&lt;script&gt;alert(1)" in page
    assert "Place" not in page, "what is not said is not there"
    assert (
        page.index("<h2>Peaks</h2>") < page.index("louder than in May") < page.index("Combs</h2>")
    )


def test_terms_are_those_that_are_used(result: Analysed, tmp_path: Path) -> None:
    page = page_of(result, Layout(), tmp_path)
    told = re.findall(r"<dt>(.*?)</dt>", page)
    assert {"Hann", "rms", "family", "THD"} <= set(told) <= set(TERMS)
    assert "coherence" not in told and told == sorted(told, key=str.lower)
    assert used("Two families, no psd") == [("family", TERMS["family"])]


def png(path: Path) -> Path:
    def chunk(kind: bytes, data: bytes) -> bytes:
        return (
            struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
        )

    head = struct.pack(">IIBBBBB", 2, 1, 8, 2, 0, 0, 0)
    body = zlib.compress(b"\0" + b"\x40\x80\xc0" * 2)
    parts = chunk(b"IHDR", head) + chunk(b"IDAT", body) + chunk(b"IEND", b"")
    path.write_bytes(b"\x89PNG\r\n\x1a\n" + parts)
    return path


def test_from_the_command_line_and_checked(tmp_path: Path) -> None:
    source, out = tmp_path / "two.wav", tmp_path / "out"
    call("make", "two-tones", source)
    done = call("analyse", source, "--out", out, "--audience", "one page", "--cover",
                "client=Quillbeck", "--remark", "peaks: as in May", "--remark", "All well.",
                "--logo", png(tmp_path / "logo.png"), "--sections", "peaks,in short",
                "--pdf", "a4")  # fmt: skip
    assert done.returncode == 0, done.stderr
    page = (out / "report.html").read_text()
    assert titles(page) == ["Peaks", "In short"]
    assert "Quillbeck" in page and "as in May" in page and "All well." in page
    assert 'src="data:image/png;base64,' in page
    for name in ("report.html", "report.pdf"):
        assert call("check", out / name).returncode == 0


@pytest.mark.parametrize(
    ("options", "word"),
    [
        (("--sections", "peaks,poetry"), "no section ‘poetry’"),
        (("--sections", "peaks,peaks"), "twice"),
        (("--cover", "colour=red"), "no line of a cover"),
        (("--cover", f"client={'x' * 5000}"), "4000 letters"),
        (("--logo", "LOGO"), "no logo"),
    ],
)
def test_what_cannot_be_is_told(options: tuple[str, ...], word: str, tmp_path: Path) -> None:
    (tmp_path / "LOGO").write_text("<svg/>")
    options = tuple(str(tmp_path / one) if one == "LOGO" else one for one in options)
    done = call("analyse", "x.wav", "--out", tmp_path, *options)
    assert done.returncode == 2 and word in done.stderr and done.stderr.count("\n") == 1


def test_a_logo_is_a_picture(tmp_path: Path) -> None:
    assert logo_of(png(tmp_path / "a.png")).startswith("data:image/png;base64,")
    with pytest.raises(UserError, match="logo"):
        Layout(cover=Cover(logo="javascript:alert(1)")).check()
