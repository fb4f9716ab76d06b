"""The public face: its page runs as it stands, its names are typed and one list."""

from __future__ import annotations

import re
from dataclasses import replace
from operator import methodcaller
from pathlib import Path

import numpy as np
import pytest
from tests.support import recording, tone

import tonecomb
from tonecomb import api

PAGE = Path(__file__).parents[1] / "docs" / "api.md"


def test_the_page_runs(
    demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    for file in demo.iterdir():
        (tmp_path / file.name).symlink_to(file)
    monkeypatch.chdir(tmp_path)
    names: dict[str, object] = {}
    for block in re.findall(r"```python\n(.*?)```", PAGE.read_text(), re.DOTALL):
        exec(compile(block, str(PAGE), "exec"), names)
    told = capsys.readouterr().out
    assert "24.3000 ± " in told and "A 24.3" in told
    assert "drift below 5 Hz removed, 0.88 s left out at each end, decimated by 4" in told
    assert {"spectrum.csv", "report.html"} <= {file.name for file in (tmp_path / "out").iterdir()}


def test_the_command_line_says_the_same(demo: Path) -> None:
    from click.testing import CliRunner

    from tonecomb.cli.main import commands

    file = demo / "undersampled.wav"
    told = CliRunner().invoke(commands, ["analyse", str(file), "--frame", "2048"]).output
    method = tonecomb.Method.of(frame=2048)
    assert told == tonecomb.analyse(tonecomb.open(file), method).text() + "\n"


def test_names_are_one_list_and_found_late() -> None:
    assert sorted(tonecomb.__all__) == sorted(api.__all__)
    assert all(getattr(tonecomb, name) is getattr(api, name) for name in api.__all__)
    assert Path(tonecomb.__file__).with_name("py.typed").exists()
    with pytest.raises(AttributeError, match="no attribute 'nothing'"):
        tonecomb.nothing  # noqa: B018


def test_a_mistake_is_one_sentence(tmp_path: Path) -> None:
    with pytest.raises(tonecomb.UserError, match="does not exist"):
        tonecomb.open(tmp_path / "none.wav")
    made = recording(tone(4000, 10, 100))
    with pytest.raises(tonecomb.UserError, match="longer than the stretch"):
        tonecomb.analyse(made, tonecomb.Method.of(frame=8192))
    with pytest.raises(KeyError):
        tonecomb.Method.of(frames_per_second=3)
    found = tonecomb.analyse(made)
    assert np.argmax(found.spectrum.mean_square) == round(100 / found.spectrum.bin_hz)
    assert found.result("trend") is None


def test_results_go_to_notebooks_and_tables() -> None:
    made = tonecomb.make("two-tones")
    found = tonecomb.analyse(made, tonecomb.default_method(made))
    peaks = found.table("peaks")
    arrow = peaks.arrow()
    assert arrow.column_names == [column.key for column in peaks.columns]
    assert arrow.column("frequency_hz").to_pylist() == [p.tone.frequency for p in found.peaks]
    assert arrow.schema.field("frequency_hz").metadata[b"unit"] == b"Hz"
    assert arrow.schema.metadata[b"method"].decode() == found.sentence
    with pytest.raises(KeyError):
        found.table("waves")
    page = methodcaller("_repr_html_")(found)  # which notebooks call
    assert found.sentence in page and "<svg" in page and page.count("<tr>") == 1 + len(found.peaks)
    named = replace(made, name="<b>two</b>")
    assert "<b>two" not in tonecomb.analyse(named).table("peaks").html()
    assert found.figure("png").startswith(b"\x89PNG")
