"""Sources are never written to, files of others only when that is wanted, and what is no file is
never waited for."""

from __future__ import annotations

import json
import math
import os
import resource
import shutil
import subprocess
import sys
import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from tests.cli.test_cli import call
from tests.support import recording

import tonecomb
from tonecomb.core.base.errors import UserError
from tonecomb.core.results.knowledge import Knowledge
from tonecomb.formats import files
from tonecomb.formats.registry import WRITERS, write_recording
from tonecomb.formats.session import limits, presets, session

T = np.arange(2000) / 1000.0


@pytest.fixture
def source(tmp_path: Path) -> Path:
    path = tmp_path / "in.wav"
    soundfile.write(path, np.sin(300 * T), 1000, subtype="FLOAT")
    return path


@pytest.mark.parametrize(
    "other",
    [
        lambda p: p,
        lambda p: p.parent / "sub" / ".." / p.name,
        lambda p: _linked(p, os.symlink),
        lambda p: _linked(p, os.link),
    ],
)
def test_a_source_is_never_written_by_any_writer(
    source: Path, other: Callable[[Path], Path]
) -> None:
    (source.parent / "sub").mkdir()
    before = source.read_bytes()
    opened = tonecomb.open(source)
    target = other(source)
    with pytest.raises(UserError, match="never written to"):
        write_recording(target, opened)
    assert source.read_bytes() == before
    assert sorted(one.name for one in source.parent.iterdir() if one.name.startswith(".")) == []


def _linked(path: Path, link: Callable[[Path, Path], None]) -> Path:
    other = path.with_name("other.wav")
    link(path, other)
    return other


def test_every_format_refuses_its_source(tmp_path: Path) -> None:
    for i, writer in enumerate(WRITERS):
        path = tmp_path / f"{i}{writer.suffix}"
        write_recording(path, recording(np.sin(300 * T)))
        before = path.read_bytes()
        opened = tonecomb.open(path, rate=1000.0)
        with pytest.raises(UserError, match="never written to"):
            write_recording(path, opened)
        assert path.read_bytes() == before, writer.name


def test_a_table_among_the_outputs_is_not_replaced(tmp_path: Path) -> None:
    """The source is named like one of the tables that would be written beside it."""
    folder = tmp_path / "o"
    folder.mkdir()
    table = folder / "spectrum.csv"
    table.write_text("t,x\n" + "".join(f"{t},{np.sin(300 * t)}\n" for t in T))
    before = table.read_bytes()
    for force in ([], ["--force"]):
        made = call("analyse", table, "--out", folder, *force)
        assert made.returncode == 2 and "never written to" in made.stderr
        assert table.read_bytes() == before and list(folder.iterdir()) == [table]


def test_files_of_others_are_not_replaced_unasked(source: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    out.mkdir()
    (out / "peaks.csv").write_text("mine")
    made = call("analyse", source, "--out", out)
    assert made.returncode == 2 and "give --force" in made.stderr
    assert [one.name for one in out.iterdir()] == ["peaks.csv"], "nothing was written"
    assert call("analyse", source, "--out", out, "--force").returncode == 0
    assert (out / "peaks.csv").read_text() != "mine"
    assert call("analyse", source, "--out", out).returncode == 0, "and ours are ours"


@pytest.mark.parametrize(
    "command",
    [
        lambda source, target: ("convert", source, target),
        lambda source, target: ("make", "two-tones", target),
        lambda source, target: ("analyse", source, "--write-signal", target),
    ],
)
def test_what_is_there_is_replaced_only_when_asked(
    source: Path, tmp_path: Path, command: Callable[[Path, Path], tuple[object, ...]]
) -> None:
    target = tmp_path / "there.wav"
    target.write_bytes(b"mine")
    made = call(*command(source, target))
    assert made.returncode == 2 and "is there already" in made.stderr
    assert target.read_bytes() == b"mine"
    assert call(*command(source, target), "--force").returncode == 0
    assert soundfile.info(target).frames > 0


def test_the_demo_is_not_written_over_a_folder(tmp_path: Path) -> None:
    (tmp_path / "station-log.csv").write_text("mine")
    made = call("demo-data", tmp_path)
    assert made.returncode == 2 and (tmp_path / "station-log.csv").read_text() == "mine"
    assert len(list(tmp_path.iterdir())) == 1


@pytest.mark.parametrize("option", [(), ("--session",), ("--machine",)])
def test_a_pipe_is_not_waited_for(source: Path, tmp_path: Path, option: tuple[str, ...]) -> None:
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)
    told: list[object] = []
    arguments = ("analyse", *((source, *option, pipe) if option else (pipe,)))
    waiting = threading.Thread(target=lambda: told.append(call(*arguments)), daemon=True)
    waiting.start()
    waiting.join(20)
    assert told, "it hangs"
    (made,) = told
    assert made.returncode == 2 and "is a pipe, not a file" in made.stderr  # type: ignore[attr-defined]


def test_a_device_without_an_end_is_not_read() -> None:
    for what in ("describe", "analyse"):
        made = call(what, "/dev/zero")
        assert made.returncode == 2 and "is a device, not a file" in made.stderr


def test_no_file_is_put_in_a_devices_place(tmp_path: Path) -> None:
    """As who runs everything as root might: by a link, which a defect would replace alone."""
    target, source = tmp_path / "null.wav", tmp_path / "x.wav"
    target.symlink_to("/dev/null")
    write_recording(source, recording(np.sin(300 * T)))
    made = call("convert", source, target, "--force")
    assert made.returncode == 2 and "is a device, not a file" in made.stderr
    assert target.is_symlink()


# Data of bounded size


def edited(tmp_path: Path, edit: Callable[[dict], object]) -> Path:
    kept = Path(__file__).parent / "kept" / f"session-v{session.VERSION}.tcomb"
    body = json.loads(kept.read_text())
    edit(body["document"])
    path = tmp_path / "edited.tcomb"
    path.write_text(json.dumps(body))
    return path


def _set(path: str, value: object) -> Callable[[dict], object]:
    def change(body: dict) -> None:
        *inside, last = path.split("/")
        for key in inside:
            body = body[int(key)] if key.isdigit() else body[key]  # type: ignore[index]
        body[int(last) if last.isdigit() else last] = value

    return change


COMB = {"name": "A", "spacing": 20.0, "carrier": None, "first": 1, "last": 100_000_000, "std": 0.0}


@pytest.mark.parametrize(
    "edit, told",
    [
        (_set("recordings/0/combs", [COMB]), "last is 1e\\+08"),
        (_set("recordings/0/combs", [{**COMB, "last": 5}] * 60), "there are 60 combs"),
        (_set("recordings/0/method/search/peaks/most", 10**9), "most is 1e\\+09"),
        (_set("recordings/0/name", "x" * 100_000), "is not a session"),
        (_set("recordings/0/marks", [{"time": 1.0, "note": "a"}] * 20_000), "20000 marks"),
        (
            _set("recordings/0/combs", [{**COMB, "spacing": math.nan, "last": 5}]),
            "is not a session",
        ),
        (
            _set("recordings/0/combs", [{**COMB, "spacing": math.inf, "last": 5}]),
            "is not a session",
        ),
    ],
)
def test_a_session_is_of_bounded_size(
    tmp_path: Path, edit: Callable[[dict], object], told: str
) -> None:
    with pytest.raises(UserError, match=told) as refused:
        session.load(edited(tmp_path, edit))
    assert len(refused.value.text) < 400, "and it is told in few words"


def test_what_is_too_deep_or_too_large_is_refused(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "deep.tcomb"
    file.write_text(
        '{"format":"tone-comb session","version":8,"document":' + "[" * 300 + "]" * 300 + "}"
    )
    with pytest.raises(UserError, match="is not a session"):
        session.load(file)
    with pytest.raises(UserError, match="is not a list of presets"):
        file.write_text('{"format":"tone-comb presets","version":3,"presets":[NaN]}')
        presets.load(file)
    monkeypatch.setattr(limits, "MOST_BYTES", 100)
    with pytest.raises(UserError, match="is not a session"):
        session.load(edited(tmp_path, lambda _: None))


# Text that goes out


def test_names_cannot_steer_a_terminal_or_a_spreadsheet(tmp_path: Path) -> None:
    evil = "=cmd|' /C calc'!A0"
    table = tmp_path / "evil\x1b[31m.csv"
    rows = "".join(f"{t},{np.sin(300 * t)},{np.cos(100 * t)}\n" for t in T)
    table.write_text(f"t,{evil},@SUM(1+1)\n" + rows)
    made = call("analyse", table, "--out", tmp_path / "out")
    assert made.returncode == 0, made.stderr
    assert "\x1b" not in made.stdout + made.stderr and "\x07" not in made.stdout
    for file in (tmp_path / "out").rglob("*.csv"):
        for line in file.read_text().splitlines():
            for cell in line.split(","):
                assert not cell.lstrip('"').startswith(("=", "@", "+")), (file, line)
    assert "\x1b" not in call("describe", table).stdout


def test_a_broken_pipe_is_quiet(demo: Path) -> None:
    import subprocess
    import sys

    made = subprocess.run(
        f"{sys.executable} -m tonecomb analyse {demo / 'undersampled.wav'} | head -1",
        shell=True,
        capture_output=True,
        text=True,
        check=False,
    )
    assert made.stdout.count("\n") == 1 and made.stderr == ""
    if Path("/dev/full").exists():
        full = subprocess.run(
            f"{sys.executable} -m tonecomb describe {demo / 'undersampled.wav'} > /dev/full",
            shell=True,
            capture_output=True,
            text=True,
            check=False,
        )
        assert full.returncode == 2 and full.stderr.count("\n") == 1
        assert full.stderr.startswith("tone-comb: ") and "no space left" in full.stderr


def test_a_source_that_shrinks_is_told_and_does_not_kill(tmp_path: Path) -> None:
    """A memory map would end the process."""
    for suffix, write in (
        (".npy", lambda p: np.save(p, np.sin(np.arange(2e6)))),
        (".feather", _feather),
    ):
        path = tmp_path / f"shrinks{suffix}"
        write(path)
        opened = tonecomb.open(path, rate=1000.0)
        assert np.isfinite(opened.samples.read(0, 0, 1000)).all()
        os.truncate(path, path.stat().st_size // 4)
        with pytest.raises(UserError, match="shrinks"):
            opened.samples.read(0, opened.length - 1000, opened.length)
    shutil.rmtree(tmp_path, ignore_errors=True)


def _feather(path: Path) -> None:
    import pyarrow as pa
    from pyarrow import feather

    table = pa.table({"x": np.sin(np.arange(8e6))})
    feather.write_feather(table, path, compression="uncompressed", chunksize=100_000)


# What is small and takes much


@pytest.mark.parametrize("name", ["(" * 60_000, "[a" * 30_000, "a" * 100_000, "=" * 60_000])
def test_a_header_of_many_brackets_is_read_at_once(tmp_path: Path, name: str) -> None:
    """It took 46 s."""
    table = tmp_path / "table.csv"
    table.write_text(f"time,{name}\n" + "".join(f"{t},{np.sin(300 * t)}\n" for t in T))
    opened = tonecomb.open(table)
    assert opened.rate == pytest.approx(1000.0) and len(opened.channels[0].name) <= 200


@pytest.mark.parametrize("suffix", ["parquet", "feather"])
def test_a_row_group_too_large_to_be_held_is_read_in_pieces(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, suffix: str
) -> None:
    import pyarrow as pa
    import pyarrow.parquet as pq
    from pyarrow import feather

    from tonecomb.formats import columnar

    for name, size in (("_LARGE", 1000), ("_PIECE", 300), ("_BATCH", 128)):
        monkeypatch.setattr(columnar, name, size)
    x = np.random.default_rng(0).standard_normal(5000)
    stamps = pa.array(np.arange(5000) * 10**6 + 17 * 10**17, pa.timestamp("ns"))
    table, file = pa.table({"time": stamps, "word": ["a"] * 5000, "x": x}), tmp_path / f"a.{suffix}"
    if suffix == "parquet":
        pq.write_table(table, file, row_group_size=2500)
    else:
        feather.write_feather(table, file, compression="zstd", chunksize=2500)
    opened = tonecomb.open(file)
    assert opened.rate == 1000.0 and opened.length == 5000
    assert np.array_equal(opened.samples.read(0, 2200, 2800), x[2200:2800])
    assert np.array_equal(opened.samples.read(0, 0, 5000), x)


def test_a_line_without_an_end_is_refused_before_it_is_held(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from tonecomb.formats import text_table

    monkeypatch.setattr(text_table, "_LONGEST", 1 << 16)
    table = tmp_path / "endless.csv"
    rows = "".join(f"{t},{np.sin(300 * t)}\n" for t in T)
    table.write_text(f"time,x\n{rows}" + "1" * (6 << 20))
    with pytest.raises(UserError, match=r"A line of endless\.csv is longer than") as told:
        tonecomb.open(table)
    assert f"it begins {len(rows) + 7} bytes into the file" in str(told.value)


WRITTEN = [writer.suffix.lstrip(".") for writer in WRITERS]


@pytest.mark.parametrize("suffix", WRITTEN)
def test_where_no_more_can_be_written_the_old_file_stays(
    source: Path, tmp_path: Path, suffix: str
) -> None:
    """A limit on the size of files, as a disk that is full sets one, too."""
    folder = tmp_path / "out"
    folder.mkdir()
    file = folder / f"x.{suffix}"
    file.write_text("as it was")
    long = tmp_path / "long.npy"
    np.save(long, np.random.default_rng(0).standard_normal(200_000))
    made = subprocess.run(
        [
            sys.executable,
            "-m",
            "tonecomb",
            "convert",
            str(long),
            str(file),
            "--rate",
            "1000",
            "--force",
        ],
        capture_output=True,
        text=True,
        check=False,
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (100_000, 100_000)),
    )
    assert made.returncode == 2 and made.stderr.count("\n") == 1, made.stderr
    assert "could not be written: " in made.stderr
    assert file.read_text() == "as it was" and list(folder.iterdir()) == [file]


@pytest.mark.skipif(os.geteuid() != 0, reason="only root may mount")
@pytest.mark.parametrize("suffix", WRITTEN)
def test_a_full_disk_is_told(tmp_path: Path, suffix: str) -> None:
    disk = tmp_path / "disk"
    disk.mkdir()
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=64k", "tmpfs", str(disk)],
        capture_output=True,
        check=False,
    )
    if mounted.returncode:
        pytest.skip("nothing may be mounted here")
    try:
        of = recording(np.random.default_rng(0).standard_normal(200_000))
        with pytest.raises(UserError, match="could not be written: no space left on device"):
            write_recording(disk / f"x.{suffix}", of)
        assert not list(disk.iterdir())
    finally:
        subprocess.run(["umount", str(disk)], check=True)


def test_a_report_says_of_which_state_of_the_file_it_is(source: Path, tmp_path: Path) -> None:
    opened = tonecomb.open(source)
    said = Knowledge(source=files.fingerprint(source))
    tonecomb.analyse(opened, said=said).write(tmp_path / "before")
    assert "was changed after" not in (tmp_path / "before" / "report.html").read_text()
    with source.open("ab") as file:
        file.write(b"more")
    tonecomb.analyse(opened, said=said).write(tmp_path / "after")
    told = (tmp_path / "after" / "report.html").read_text()
    assert "the file was changed after it was opened" in told
    assert f"it had {said.source.size} bytes" in told if said.source else False
