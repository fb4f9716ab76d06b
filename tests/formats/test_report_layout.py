"""A report for its reader: sections, order, cover, remarks, terms."""

from __future__ import annotations

import json
import re
import shutil
import struct
import zlib
from pathlib import Path

import numpy as np
import pytest
import soundfile
from tests.cli.test_cli import call
from tests.support import recording

import tonecomb
from tonecomb.core.base.errors import UserError
from tonecomb.formats.analysed import Analysed
from tonecomb.formats.report import html
from tonecomb.formats.report import layout as layout_module
from tonecomb.formats.report import words as words_module
from tonecomb.formats.report.check import check
from tonecomb.formats.report.layout import AUDIENCES, Cover, Layout, logo_of
from tonecomb.formats.report.terms import used
from tonecomb.formats.report.words import words
from tonecomb.formats.session import session

TERMS = words().groups["terms"]


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
    assert titles(full) == [
        "In short",
        "Levels",
        "Peaks",
        "Combs",
        "Recording",
        "Resolution",
        "Terms",
    ]
    short = page_of(result, Layout(AUDIENCES["one page"]), tmp_path)
    assert titles(short) == ["In short", "Levels", "Recording", "Resolution"]
    assert "<th>Frequency" not in short
    turned = page_of(result, Layout(("combs", "peaks")), tmp_path)
    assert titles(turned) == ["Combs", "Peaks"] and "<svg" not in turned
    for page in (full, short, turned):
        assert result.sentence in page, "the method stands in every report"


def test_the_cover_says_what_is_given_and_nothing_runs(result: Analysed, tmp_path: Path) -> None:
    wild = "<script>alert(1)</script> & Co"
    cover = Cover(
        title="Winch before overhaul",
        client=wild,
        author="K. Rodda",
        remarks="First.\nSecond.",
        notes=(("peaks", "The mesh is louder than in May."),),
    )
    page = page_of(result, Layout(cover=cover), tmp_path)
    assert "<h1>Winch before overhaul</h1>" in page and "K. Rodda" in page
    assert "<script>alert" not in page and "&lt;script&gt;alert(1)" in page
    assert "Place" not in page, "what is not said is not there"
    assert page.index(">Peaks</h2>") < page.index("louder than in May") < page.index("Combs</h2>")


def test_terms_are_those_that_are_used(result: Analysed, tmp_path: Path) -> None:
    page = page_of(result, Layout(), tmp_path)
    told = re.findall(r"<dt>(.*?)</dt>", page)
    assert {"Hann", "rms", "family", "THD"} <= set(told) <= set(TERMS)
    assert "coherence" not in told and told == sorted(told, key=str.lower)
    assert used("Two families, no psd", words()) == [("family", TERMS["family"])]


@pytest.fixture(scope="module")
def three(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A report of two channels of one file, and one of another."""
    folder = tmp_path_factory.mktemp("three")
    t, chance = np.arange(16_000) / 800, np.random.default_rng(2)
    for name, tones in (("pump", (31.7, 90.2)), ("fan", (12.4,))):
        x = [np.cos(2 * np.pi * f * t) + 0.1 * chance.normal(size=len(t)) for f in tones]
        soundfile.write(folder / f"{name}.wav", 0.2 * np.column_stack(x), 800, subtype="FLOAT")
    call(
        "analyse",
        folder / "pump.wav",
        folder / "fan.wav",
        "--out",
        folder / "out",
        "--together",
        "--remark",
        "2 peaks: hotter than the first",
        "--sections",
        "contents,peaks,spectrum,source,terms",
    )
    return folder


def test_several_channels_and_recordings_in_one_report(three: Path) -> None:
    page = (three / "out" / "report.html").read_text()
    names = re.findall(r'<h2 class="name">(.*?)</h2>', page)
    assert names == ["pump · channel 1", "pump · channel 2", "fan · channel 1"]
    assert re.findall(r'<li><a href="#p\d-top">(.*?) <span', page) == names, "the contents"
    ids = re.findall(r'\bid="([^"]+)"', page)
    assert len(set(ids)) == len(ids)
    for place in re.findall(r'href="#(p\d-[^"]+|terms)"', page):
        assert place in ids, place
    numbers = re.findall(r"Figure (\d+)\.", page)
    assert numbers == [str(i + 1) for i in range(len(numbers))] and len(numbers) == 3
    second = page[page.index('p2-top">') :]
    assert "hotter" in second and "hotter" not in page[: page.index('id="p2-top')]
    assert not (three / "out" / "pump").is_dir() or not list(three.rglob("*/*/report.html"))
    found = check(three / "out" / "report.html")
    assert found.holds and len(found.sources) == 2 and found.held > 50
    document = session.load(three / "out" / "report.html")
    assert [one.method.source.channel for one in document.recordings] == [0, 1, 0]


def test_of_several_recordings_the_one_that_changed_is_named(three: Path, tmp_path: Path) -> None:
    copy = shutil.copytree(three, tmp_path / "copy")
    x, _ = soundfile.read(copy / "fan.wav")
    x[40] += 0.2
    soundfile.write(copy / "fan.wav", x, 800, subtype="FLOAT")
    found = check(copy / "out" / "report.html")
    assert [Path(one).name for one in found.others] == ["fan.wav"]
    assert found.findings and all(one.name.startswith("3 · ") for one in found.findings)


def test_a_report_as_earlier_ones_were_sealed_is_still_checked(three: Path, tmp_path: Path) -> None:
    """One channel, whose view was not in a list."""
    source = shutil.copy(three / "fan.wav", tmp_path / "fan.wav")
    tonecomb.analyse(tonecomb.open(source)).report(tmp_path / "r.html")
    page = (tmp_path / "r.html").read_text()
    start = page.index('id="tone-comb-view">') + len('id="tone-comb-view">')
    stop = page.index("</script>", start)
    view = json.loads(page[start:stop])
    (alone,) = view.pop("parts")
    text = json.dumps(alone | view)
    (tmp_path / "r.html").write_text(page[:start] + text + page[stop:])
    assert check(tmp_path / "r.html").holds


def test_every_word_of_the_page_is_in_the_catalogue(
    result: Analysed, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """In a language of signs no letters are left but those of readings and names."""

    def signs(text: str) -> str:
        kept = re.split(r"(\{\w+\})", text)
        return "".join(part if part.startswith("{") else "¤" * len(part) for part in kept)

    english = words_module.words()
    groups = {
        name: {key: signs(text) for key, text in group.items()}
        for name, group in english.groups.items()
    }
    foreign = words_module.Words("x", groups)
    monkeypatch.setattr(html, "words", lambda *_: foreign)
    monkeypatch.setattr(layout_module, "words", lambda *_: foreign)
    page = page_of(result, Layout(), tmp_path)
    told = r"<svg.*?</svg>|<dt>.*?</dt>|<(style|script|title)[^>]*>.*?</\1>"
    body = re.sub(told + r'|data-figure="[^"]*">[^<]*', "", page, flags=re.DOTALL)
    left = re.sub(r"<[^>]*>|¤+", " ", body)
    for name in (result.part.name, tonecomb.__version__, result.sentence):
        left = left.replace(name, "")
    assert set(re.findall(r"[A-Za-z]{3,}", left)) <= {"UTC", "rms"}, left


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
    done = call(
        "analyse",
        source,
        "--out",
        out,
        "--audience",
        "one page",
        "--cover",
        "client=Quillbeck",
        "--remark",
        "peaks: as in May",
        "--remark",
        "All well.",
        "--logo",
        png(tmp_path / "logo.png"),
        "--sections",
        "peaks,in short",
        "--pdf",
        "a4",
    )
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
        (("--language", "xx"), "language ‘xx’"),
        (("--remark", "3 poetry: x", "--sections", "3 peaks"), "no section ‘3 peaks’"),
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
