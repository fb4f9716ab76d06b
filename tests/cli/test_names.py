"""Nothing overwrites another's results or is taken for it, whatever channels and files are
called, and wherever results go."""

from __future__ import annotations

import json
import os
import re
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st
from tests.cli.test_cli import call

from tonecomb.formats import files
from tonecomb.formats.output import FileNames
from tonecomb.formats.registry import WRITERS

FS = 1000
T = np.arange(3000) / FS
ALIKE = ("Motor", "Motor", "A/B", "A:B")
BAD = os.fsdecode(b"Motor \xe4\xff")  # as a name in an older encoding looks today


def write_alike(path: Path) -> None:
    """A channel of its own level for each of those names."""
    head = ",".join(("time [s]", *(f'"{name} [g]"' for name in ALIKE)))
    columns = [T, *((i + 1) * np.sin(2 * np.pi * 50 * T) for i in range(len(ALIKE)))]
    np.savetxt(path, np.stack(columns, axis=1), delimiter=",", header=head, comments="", fmt="%.6f")


def write_plan(folder: Path) -> Path:
    path = folder / "plan.json"
    path.write_text(json.dumps({"format": "tone-comb plan", "version": 1}))
    return path


def wave(path: Path, amplitude: float = 1.0) -> Path:
    with path.open("wb") as file:
        soundfile.write(file, amplitude * np.sin(2 * np.pi * 50 * T), FS, "FLOAT", format="WAV")
    return path


LETTERS = st.text(st.characters(codec=None) | st.sampled_from("Aa./-: \u0041\u030a\u00c5"))


@given(st.lists(LETTERS, max_size=12))
def test_every_text_has_a_name_of_its_own(texts: list[str]) -> None:
    names = FileNames("report.html")
    found = [names.of(text) for text in texts]
    assert len({one.casefold() for one in [*found, "report.html"]}) == len(texts) + 1
    for name in found:
        assert name not in ("", ".", "..") and not set("/\0") & set(name)
        assert len(name.encode()) < 200


def rms_of(report: Path) -> float:
    found = re.search(r'"in short 1">([\d.]+) \S+ rms over the stretch', report.read_text())
    assert found is not None
    return float(found[1])


def test_channels_of_like_names_have_a_report_each(tmp_path: Path) -> None:
    write_alike(tmp_path / "alike.csv")
    wanted = [(i + 1) / 2**0.5 for i in range(len(ALIKE))]
    out = tmp_path / "out"
    assert call("analyse", tmp_path / "alike.csv", "--out", out).returncode == 0
    found = sorted(rms_of(one) for one in out.glob("*/report.html"))
    assert found == pytest.approx(wanted, rel=1e-3)
    assert (out / "Motor" / "peaks.csv").exists() and (out / "Motor-2" / "peaks.csv").exists()
    done = call("batch", write_plan(tmp_path), tmp_path / "alike.csv", "--out", tmp_path / "b")
    assert done.returncode == 0
    places = list((tmp_path / "b" / "reports").glob("*/*.html"))
    assert sorted(map(rms_of, places)) == pytest.approx(wanted, rel=1e-3)
    done = call("compare", tmp_path / "alike.csv", tmp_path / "alike.csv", "--out", tmp_path / "c")
    assert len(list((tmp_path / "c").glob("*/changes.csv"))) == len(ALIKE)
    assert "grew" not in done.stdout and "fell" not in done.stdout, "the second Motor is compared"


def test_recordings_of_one_name_have_a_folder_each(tmp_path: Path) -> None:
    for i, folder in enumerate(("a", "b")):
        (tmp_path / folder).mkdir()
        wave(tmp_path / folder / "pump.wav", i + 1)
    paths = [tmp_path / one / "pump.wav" for one in ("a", "b")]
    assert call("analyse", *paths, "--out", tmp_path / "out").returncode == 0
    found = sorted(rms_of(one) for one in (tmp_path / "out").rglob("report.html"))
    assert found == pytest.approx([0.7071, 1.4142], rel=1e-3)


@pytest.mark.parametrize("whole", [True, False])
def test_a_file_that_changed_in_its_middle_is_analysed_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, whole: bool
) -> None:
    """Also one so long that only pieces of it are read, where its time says so."""
    if not whole:
        monkeypatch.setattr(files, "_WHOLE", 100)
        monkeypatch.setattr(files, "_PIECE", 8)
    path, plan, out = wave(tmp_path / "a.wav"), write_plan(tmp_path), tmp_path / "out"
    times = path.stat().st_mtime_ns
    call("batch", plan, path, "--out", out, "--no-reports")
    content = bytearray(path.read_bytes())
    content[6000:6400] = bytes(400)
    path.write_bytes(content)
    if whole:
        os.utime(path, ns=(times, times))
    told = json.loads(call("batch", plan, path, "--out", out, "--no-reports", "--json").stdout)
    assert told["kept"] == 0
    again = json.loads(call("batch", plan, path, "--out", out, "--no-reports", "--json").stdout)
    assert again["kept"] == 1


def test_a_batch_leaves_out_what_it_wrote_and_counts_a_file_once(tmp_path: Path) -> None:
    """Into the folder of its recordings, where an analysis of one lies as well."""
    folder, plan = tmp_path / "plant", write_plan(tmp_path)
    folder.mkdir()
    one = wave(folder / "spectrum.wav")
    (folder / "link.wav").symlink_to(one)
    call("analyse", one, "--out", folder, "--also", "h5", "--also", "uff")
    for kept in (0, 1):
        named = (folder, one, folder / "." / "spectrum.wav")
        told = json.loads(call("batch", plan, *named, "--out", folder, "--json").stdout)
        assert (told["recordings"], told["kept"], told["failed"]) == (1, kept, [])


@pytest.mark.parametrize("writer", WRITERS, ids=lambda one: one.suffix)
def test_a_name_that_is_no_utf8(tmp_path: Path, writer: object) -> None:
    """In every format, as source and target, and for the folder that results go to."""
    suffix = getattr(writer, "suffix")  # noqa: B009
    target, out = tmp_path / f"{BAD}{suffix}", tmp_path / BAD
    done = call("convert", wave(tmp_path / "plain.wav", 0.5), target)
    assert done.returncode == 0 and "Motor ��" in done.stdout
    for words in (("describe",), ("analyse",), ("analyse", "--json"), ("compare", target)):
        done = call(*words, target)
        assert done.returncode == 0, done.stderr
    done = call("analyse", target, "--out", out, "--also", "xlsx", "--also", "h5", "--also", "uff")
    assert done.returncode == 0, done.stderr
    assert "Motor ��" in (out / "report.html").read_text()
    assert call("check", out / "report.html").returncode == 0, "the report finds its recording"


def test_a_batch_of_names_that_are_no_utf8_goes_on_where_it_was(tmp_path: Path) -> None:
    (tmp_path / BAD).mkdir()
    wave(tmp_path / BAD / f"{BAD}.wav")
    for kept in (0, 1):
        done = call("batch", write_plan(tmp_path), tmp_path, "--out", tmp_path / "out", "--json")
        assert done.returncode == 0, done.stderr
        assert json.loads(done.stdout)["kept"] == kept
    assert "Motor ��.wav" in (tmp_path / "out" / "recordings.csv").read_text()


def test_letters_that_no_font_has_make_no_noise(tmp_path: Path) -> None:
    path = tmp_path / "振動 🔧.csv"
    rows = "".join(f"{i / 100},{i % 7}\n" for i in range(900))
    path.write_text("time [s],ポンプ नमस्ते [g]\n" + rows)
    done = call("analyse", path, "--out", tmp_path / "out")
    assert done.returncode == 0 and not done.stderr, done.stderr
    assert (tmp_path / "out" / "report.html").is_file()
