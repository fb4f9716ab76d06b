"""A report can be made again, and says where it does not hold."""

from __future__ import annotations

import json
import re
import shutil
from pathlib import Path

import numpy as np
import pytest
import soundfile
from tests.cli.test_cli import call

import tonecomb
from tonecomb.core.base.errors import UserError
from tonecomb.formats.report import pdf, sealed
from tonecomb.formats.report.check import check
from tonecomb.formats.report.layout import SECTIONS, Layout
from tonecomb.formats.session import session

FS = 2000


def write(path: Path, x: np.ndarray) -> Path:
    soundfile.write(path, x, FS, subtype="FLOAT")
    return path


def samples() -> np.ndarray:
    t, chance = np.arange(60_000) / FS, np.random.default_rng(3)
    return 0.1 * np.cos(2 * np.pi * 137.21 * t) + 0.01 * chance.normal(size=len(t))


@pytest.fixture(scope="module")
def first(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A recording and its report, of few pictures."""
    made = tmp_path_factory.mktemp("sealed")
    write(made / "pump.wav", samples())
    (made / "out").mkdir()
    method = tonecomb.Method.of(frame=2048, bands=(tonecomb.Band(100.0, 200.0),))
    layout = Layout(tuple(name for name in SECTIONS if name not in ("waveform", "spectrum")))
    recording = tonecomb.open(made / "pump.wav")
    tonecomb.analyse(recording, method).report(made / "out" / "report.html", layout=layout)
    return made


@pytest.fixture
def folder(first: Path, tmp_path: Path) -> Path:
    """The same in a place of its own: a report knows its recording from where it lies."""
    return shutil.copytree(first, tmp_path / "copy")


def edited(folder: Path, old: str, new: str) -> Path:
    page = folder / "out" / "report.html"
    text = page.read_text()
    assert old in text
    (folder / "out" / "edited.html").write_text(text.replace(old, new, 1))
    return folder / "out" / "edited.html"


def test_an_untouched_report_holds(folder: Path) -> None:
    """With slices, which are asked for besides the method."""
    call(
        "analyse",
        folder / "pump.wav",
        "--slices",
        "3",
        "--band",
        "100:200",
        "--out",
        folder / "out",
    )
    found = check(folder / "out" / "report.html")
    assert found.holds and found.held > 25 and not found.unchecked
    assert any(
        name.startswith("slices") for name in sealed.opened(folder / "out" / "report.html").figures
    )
    done = call("check", folder / "out" / "report.html")
    assert done.returncode == 0 and done.stdout == f"{found.held} figures hold.\n"


def test_one_other_sample_is_told(folder: Path) -> None:
    x = samples()
    x[30_000] += 0.5
    write(folder / "pump.wav", x)
    done = call("check", folder / "out" / "report.html", "--json")
    assert done.returncode == 1
    told = json.loads(done.stdout)
    assert not told["same"] and not told["holds"]
    assert "recording, SHA-256" in [one["name"] for one in told["findings"]]
    text = call("check", folder / "out" / "report.html").stdout
    assert "pump.wav is not the file that report.html is of" in text
    assert re.search(r"recording, Range: .* in the report, .* now", text)


def test_a_figure_that_was_changed_by_hand_is_named(folder: Path) -> None:
    text = (folder / "out" / "report.html").read_text()
    (read,) = re.findall(r'"peak 1, frequency">([\d.]+)', text)
    page = edited(folder, f'"peak 1, frequency">{read}', f'"peak 1, frequency">{read[:-1]}9')
    found = check(page)
    (one,) = found.findings
    assert found.same and one.name == "peak 1, frequency"
    assert one.stands.startswith(read[:-1] + "9") and one.now.startswith(read)
    assert one.words.endswith("(from digit 5)") or "from digit" in one.words
    gone = edited(folder, 'data-figure="peak 1, amplitude"', "")
    assert [one.name for one in check(gone).findings] == ["peak 1, amplitude"]


def test_the_recording_is_found_by_its_fingerprint(folder: Path) -> None:
    deep = folder / "archive" / "2026"
    deep.mkdir(parents=True)
    (folder / "pump.wav").rename(deep / "0017.wav")
    lost = call("check", folder / "out" / "report.html")
    assert lost.returncode == 2 and "--source" in lost.stderr
    done = call("check", folder / "out" / "report.html", "--source", folder / "archive")
    assert done.returncode == 0, done.stdout


def test_a_report_is_a_session(folder: Path) -> None:
    ref = session.load(folder / "out" / "report.html").current_ref
    assert ref is not None and Path(ref.path) == folder / "pump.wav"
    assert ref.method.frames.frame == 2048
    again = call("analyse", "--session", folder / "out" / "report.html", "--json")
    assert json.loads(again.stdout)["analyses"][0]["peaks"][0]["frequency_hz"] == pytest.approx(
        137.21, abs=1e-3
    )


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("tone-comb-session", "other"),
        ('"frame": 2048', '"frame": 2e99'),
        ("tone-comb-view", "x"),
        ('"asked": {', '"asked": {"shock": "x"'),
        ('"once": []', '"once": 3'),
        (
            '"asked": {',
            '"asked": {"slices": {"count": 9999, "every": null, "at": [], "width": null}',
        ),
    ],
)
def test_what_is_damaged_is_told_in_a_sentence(folder: Path, old: str, new: str) -> None:
    done = call("check", edited(folder, old, new))
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1 and "Traceback" not in done.stderr


def test_names_cannot_leave_their_script(tmp_path: Path) -> None:
    source = tmp_path / "a<script>alert(1)<b>.csv"
    rows = "".join(f"{i / FS},{x:.6f}\n" for i, x in enumerate(samples()[:8000]))
    source.write_text(f"time [s],</script><script>alert(1)\n{rows}")
    assert call("analyse", source, "--out", tmp_path / "out").returncode == 0
    page = (tmp_path / "out" / "report.html").read_text()
    assert "<script>alert" not in page and page.count("<script") == 2
    assert call("check", tmp_path / "out" / "report.html").returncode == 0


def test_the_pdf_holds_every_figure_and_the_page(folder: Path) -> None:
    import pypdf

    source = folder / "pump.wav"
    done = call("analyse", source, "--frame", "2048", "--out", folder / "out", "--pdf", "letter")
    assert done.returncode == 0, done.stderr
    file = folder / "out" / "report.pdf"
    reader = pypdf.PdfReader(file)
    text = " ".join(" ".join(page.extract_text() for page in reader.pages).split())
    stands = sealed.figures_in((folder / "out" / "report.html").read_text())
    squeezed = text.replace(" ", "")
    for name, words in stands.items():
        assert words.replace(" ", "").replace("\u2007", "") in squeezed, name
    box = reader.pages[0].mediabox
    assert (round(box.width), round(box.height)) == (612, 792)
    assert reader.trailer["/Root"]["/MarkInfo"]["/Marked"], "tagged"
    assert [one["/Title"] for one in reader.outline if isinstance(one, dict)], "bookmarks"
    fonts = [font for page in reader.pages for font in page["/Resources"]["/Font"].values()]
    assert fonts
    assert call("check", file).returncode == 0
    assert session.load(file).current_ref.method.frames.frame == 2048  # type: ignore[union-attr]


def test_a_figure_that_is_printed_otherwise_is_named(folder: Path) -> None:
    """The page inside is untouched, what is printed is not."""
    import pypdf

    page = (folder / "out" / "report.html").read_text()
    (read,) = re.findall(r'"peak 1, frequency">([\d.]+)', page)
    wrong = page.replace(f'"peak 1, frequency">{read}', f'"peak 1, frequency">{read[:-2]}77')
    (folder / "out" / "r.pdf").write_bytes(pdf.pdf(wrong))
    writer = pypdf.PdfWriter(clone_from=folder / "out" / "r.pdf")
    writer.root_object["/Names"].pop("/EmbeddedFiles")
    writer.add_attachment("report.html", page.encode())
    writer.write(folder / "out" / "r.pdf")
    found = check(folder / "out" / "r.pdf")
    assert [one.name for one in found.findings] == ["peak 1, frequency"], found.findings
    assert "not printed as" in found.findings[0].words and found.same
    (folder / "out" / "whole.pdf").write_bytes(pdf.pdf(page))
    assert check(folder / "out" / "whole.pdf").holds


def test_a_pdf_whose_pages_are_others_or_go_in_a_circle(folder: Path) -> None:
    """Pages that print none of its figures hold none; pages that cannot be read are said."""
    import pypdf
    from pypdf.generic import ArrayObject, NameObject

    page = (folder / "out" / "report.html").read_text()
    held = check(folder / "out" / "report.html").held
    file = folder / "out" / "r.pdf"
    file.write_bytes(pdf.pdf("<h1>nothing</h1>"))
    writer = pypdf.PdfWriter(clone_from=file)
    writer.root_object["/Names"].pop("/EmbeddedFiles")
    writer.add_attachment(pdf.INSIDE, page.encode())
    writer.write(file)
    found = check(file)
    assert found.held == 0 and len(found.findings) == held
    root = writer.root_object["/Pages"].get_object()
    root[NameObject("/Kids")] = ArrayObject([writer.root_object.raw_get("/Pages")])
    writer.write(file)
    with pytest.raises(UserError, match=r"pages of r\.pdf cannot be read"):
        check(file)


def test_nothing_is_fetched_for_a_pdf(tmp_path: Path) -> None:
    (tmp_path / "secret.css").write_text("body { color: red }")
    page = f'<link rel="stylesheet" href="file://{tmp_path}/secret.css"><h1>x</h1>'
    page += f'<img src="file://{tmp_path}/secret.css"><img src="http://127.0.0.1:1/x.png">'
    assert pdf.pdf(page).startswith(b"%PDF-")


def test_a_pdf_of_others_is_told(tmp_path: Path) -> None:
    (tmp_path / "other.pdf").write_bytes(
        pdf.pdf("<h1>x</h1>").replace(b"report.html", b"report.htmx")
    )
    (tmp_path / "cut.pdf").write_bytes(b"%PDF-1.7\nand no more")
    for name in ("other.pdf", "cut.pdf"):
        done = call("check", tmp_path / name)
        assert done.returncode == 2 and done.stderr.count("\n") == 1, done.stderr
