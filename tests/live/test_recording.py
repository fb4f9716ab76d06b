"""Recording what a source sends: whole files whatever ends it, split, full disks, kills."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections import namedtuple
from datetime import datetime
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
import soundfile
from tests.cli.test_cli import call
from tests.support import read_all, recording

import tonecomb
from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Channel
from tonecomb.formats import growing
from tonecomb.formats.growing import DiskFull, GrowingFile
from tonecomb.live.played import PlayedSource
from tonecomb.live.recorder import Recorder
from tonecomb.live.watching import Trigger

CHANNELS = (Channel("Motor DE", "m/s²"), Channel("Hammer", "N"), Channel("tacho", "V"))


def test_a_growing_file_is_whole_at_any_time(tmp_path: Path) -> None:
    x = np.random.default_rng(0).standard_normal((5000, 3)).astype(np.float32)
    file = GrowingFile(tmp_path / "a.wav", 51200.0, CHANNELS, "2026-03-04T09:12:00", "night")
    for _ in range(3):
        file.write(x)
        file.lose(70_000)
        told = tonecomb.open(tmp_path / "a.wav")
        assert (told.length, told.rate, told.channels) == (file.length, 51200.0, CHANNELS)
        assert told.start == "2026-03-04T09:12:00"
    file.close()
    file.close()
    ended = tonecomb.open(tmp_path / "a.wav")
    wanted = np.concatenate([x[:, 1], np.full(70_000, np.nan)] * 3)
    assert np.array_equal(read_all(ended, 1), wanted, equal_nan=True)
    assert soundfile.info(tmp_path / "a.wav").frames == 225_000, "and other programs read it"
    with pytest.raises(UserError, match="is there already"):
        GrowingFile(tmp_path / "a.wav", 51200.0, CHANNELS)
    with pytest.raises(UserError, match=r"cannot hold a sample rate of 0\.5 Hz"):
        GrowingFile(tmp_path / "b.wav", 0.5, CHANNELS)


def test_a_full_disk_ends_it_in_order(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    usage = namedtuple("usage", "total used free")
    room = [growing.LEAST_FREE * 2]
    monkeypatch.setattr(growing.shutil, "disk_usage", lambda _: usage(0, 0, room[0]))
    monkeypatch.setattr(growing, "_LOOK", 20_000)
    x = np.random.default_rng(0).standard_normal(40_000)
    source = PlayedSource.of(recording(x, fs=1000.0), 1000.0)
    recorder = Recorder(source, tmp_path / "a.wav")

    def progress(_: float) -> None:
        if recorder.samples > 15_000:
            room[0] = 1 << 20

    recorder.duration = 40.0
    recorder.run(lambda: False, progress)
    assert "nearly full" in recorder.told and recorder.written == [tmp_path / "a.wav"]
    kept = tonecomb.open(tmp_path / "a.wav")
    assert 15_000 < kept.length < 40_000
    assert np.array_equal(read_all(kept), x.astype(np.float32)[: kept.length])
    with pytest.raises(DiskFull):
        GrowingFile(tmp_path / "b.wav", 1000.0, CHANNELS)


def test_files_are_split_without_a_hole(tmp_path: Path) -> None:
    x = np.random.default_rng(0).standard_normal(10_000).astype(np.float32).astype(float)
    source = PlayedSource.of(recording(x, fs=1000.0), 1000.0)
    recorder = Recorder(source, tmp_path / "night.wav", split=3.0)
    recorder.run(lambda: False)
    names = [path.name for path in recorder.written]
    assert names == [f"night-000{i}.wav" for i in (1, 2, 3, 4)]
    parts = [read_all(tonecomb.open(path)) for path in recorder.written]
    assert [len(part) for part in parts] == [3000, 3000, 3000, 1000]
    assert np.array_equal(np.concatenate(parts), x)


@pytest.mark.parametrize("suffix", [".h5", ".parquet"])
def test_other_formats_are_made_at_the_end(tmp_path: Path, suffix: str) -> None:
    x = np.random.default_rng(0).standard_normal(3000).astype(np.float32).astype(float)
    source = PlayedSource.of(recording(x, 2 * x, fs=1000.0), 1000.0)
    recorder = Recorder(source, tmp_path / f"a{suffix}", duration=2.5)
    recorder.run(lambda: False)
    assert [path.name for path in tmp_path.iterdir()] == [f"a{suffix}"]
    found = tonecomb.open(tmp_path / f"a{suffix}")
    assert found.length == 2500 and np.array_equal(read_all(found, 1), (2 * x)[:2500])


@pytest.mark.parametrize(
    ("target", "options", "sentence"),
    [
        ("a.doc", {}, "not tell in which format"),
        ("a.wav", {"duration": 0.0}, "duration of 0 s"),
        ("a.wav", {"split": -1.0}, "split of -1 s"),
        ("there.wav", {}, "is there already"),
    ],
)
def test_what_cannot_be_recorded_is_said(
    tmp_path: Path, target: str, options: dict[str, float], sentence: str
) -> None:
    (tmp_path / "there.wav").touch()
    source = PlayedSource.of(recording(np.zeros(10), fs=10.0))
    with pytest.raises(UserError, match=sentence):
        Recorder(source, tmp_path / target, **options)


def program(*arguments: object) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-m", "tonecomb", *map(str, arguments)],
        text=True,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        stdin=subprocess.DEVNULL,
    )


def wait_for(path: Path, size: int = 1) -> None:
    for _ in range(600):
        if path.exists() and path.stat().st_size >= size:
            return
        time.sleep(0.02)
    raise AssertionError(f"{path.name} did not come")


def test_node_and_record_in_processes_of_their_own(tmp_path: Path) -> None:
    """Ended by the time, by Ctrl+C, and by a kill: the file opens each time."""
    port = 40_000 + os.getpid() % 20_000
    described = tmp_path / "node.sdp"
    node = program("node", "--port", port, "--sdp", described, "--speed", 26, "--duration", 60)
    try:
        wait_for(described)
        timed = call("record", described, tmp_path / "timed.wav", "--duration", 1.5)
        assert timed.returncode == 0 and timed.stdout.strip() == str(tmp_path / "timed.wav")
        assert "1.500 s, 19200 samples" in timed.stderr and "lost" not in timed.stderr
        found = tonecomb.analyse(tonecomb.open(tmp_path / "timed.wav"))
        assert any(abs(peak.tone.frequency - 26.0) < 0.05 for peak in found.peaks)
        for number, name in ((signal.SIGINT, "stopped"), (signal.SIGKILL, "killed")):
            target = tmp_path / f"{name}.wav"
            recording_ = program("record", described, target)
            wait_for(target, 40_000)
            recording_.send_signal(number)
            out, err = recording_.communicate(timeout=20)
            kept = tonecomb.open(target)
            assert kept.length * 12 > 40_000 - 2000 and kept.channels[0].name == "Motor DE"
            assert np.isfinite(read_all(kept)).all()
            if name == "stopped":
                assert recording_.returncode == 0 and out.strip() == str(target), err
    finally:
        node.terminate()
        node.communicate(timeout=20)


def test_what_record_and_node_refuse(tmp_path: Path) -> None:
    for arguments, word in (
        (("record", "rtp://nowhere", tmp_path / "a.wav"), "no address of a stream"),
        (("record", tmp_path / "x.sdp", tmp_path / "a.wav"), "does not exist"),
        (("node", "--speed", "900"), "cannot turn 900 times a second"),
        (("node", "--address", "here"), "here is no address"),
        (("record", "rtp://127.0.0.1:0/L24/8000/1", tmp_path / "a.wav"), "to port 0"),
    ):
        refused = call(*arguments)
        assert refused.returncode == 2 and word in refused.stderr, refused.stderr
        assert not refused.stdout and not (tmp_path / "a.wav").exists()


def test_captures_have_what_was_before_the_trigger(tmp_path: Path) -> None:
    """Pulses at known places, one of them in a hole, one too soon after another."""
    rate, x = 1000.0, 0.01 * np.random.default_rng(0).standard_normal(20_000)
    places = (50, 2500, 2600, 7000, 12_345, 19_900)
    for at in places:
        x[at : at + 5] = 2.0 + at / 1e5
    x[7000:7010] = np.nan
    source = PlayedSource.of(recording(x, fs=rate), 50.0)
    trigger = Trigger(0, 1.0, before=0.1, length=0.4)
    recorder = Recorder(source, tmp_path / "hits.wav", trigger=trigger)
    recorder.run(lambda: False)
    found = [event.at for event in recorder.events.values()]
    assert found == [50, 2500, 12_345, 19_900]
    assert [path.name for path in recorder.written] == [f"hits-{i:04d}.wav" for i in (1, 2, 3, 4)]
    starts = []
    for event, path in zip(recorder.events.values(), recorder.written, strict=True):
        kept = tonecomb.open(path)
        wanted = x[max(0, event.at - 100) : event.at + 300].astype(np.float32)
        assert np.array_equal(read_all(kept, 0), wanted, equal_nan=True)
        starts.append(datetime.fromisoformat(kept.start))
    apart = [(b - a).total_seconds() for a, b in pairwise(starts)]
    assert apart == pytest.approx([2.4, 9.845, 7.555], abs=0.002), "each has its own start"


def test_captures_and_alarms_from_the_command_line(demo: Path, tmp_path: Path) -> None:
    out, told = tmp_path / "taps.wav", ["--trigger", "Hammer:50", "--length", "0.5"]
    made = call("record", f"{demo / 'bracket-taps.uff'}@20", out, *told, "--alarm", "2:50:70:0.1")
    assert made.returncode == 0 and "capture 1, Hammer at" in made.stderr
    paths = [Path(line) for line in made.stdout.split()]
    assert len(paths) == 13 and paths[-1].name == "taps-alarms.csv"
    table = paths[-1].read_text().splitlines()
    assert table[0].startswith("number,channel,start_s,end_s,highest,unit,frequency_hz")
    assert len(table) > 2 and ",Bracket," in table[1] and ",62," in table[1]


@pytest.mark.parametrize(
    "options, told",
    [
        (["--trigger", "Hammer"], "is no trigger"),
        (["--trigger", "Hammer:x"], "is no trigger"),
        (["--trigger", "Knock:5"], "no channel Knock"),
        (["--trigger", "1:5", "--length", "0.05"], "cannot be"),
        (["--trigger", "1:5", "--split", "5"], "leave --split out"),
        (["--alarm", "1:5"], "is no alarm"),
        (["--alarm", "2:900:5:1"], "no band"),
    ],
)
def test_what_cannot_be_watched_for_is_told(
    demo: Path, tmp_path: Path, options: list[str], told: str
) -> None:
    made = call("record", demo / "bracket-taps.uff", tmp_path / "a.wav", *options)
    assert made.returncode == 2 and told in made.stderr and not made.stdout
    assert not list(tmp_path.iterdir())


def test_a_node_goes_with_whoever_sends_it_keys(tmp_path: Path) -> None:
    node = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "tonecomb",
            "node",
            "--port",
            str(47_000 + os.getpid() % 9_000),
            "--sdp",
            str(tmp_path / "n.sdp"),
            "--keys",
        ],
        stdin=subprocess.PIPE,
        stdout=subprocess.DEVNULL,
    )
    assert node.stdin is not None
    node.stdin.write(b"+")
    node.stdin.close()
    assert node.wait(30) == 0
