"""What came, on disk: read while it is written, bounded, holes where samples were lost."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Channel
from tonecomb.live import spool
from tonecomb.live.receiver import Receiver
from tonecomb.live.source import Block, Counts, Described
from tonecomb.live.spool import SpoolReader, SpoolSamples, SpoolWriter

DESCRIBED = Described("node", 1000.0, (Channel("a", "m/s²"), Channel("b", "N")))


@given(st.lists(st.tuples(st.integers(1, 9000), st.booleans()), min_size=1, max_size=20))
def test_everything_is_read_where_it_was_written(
    tmp_path_factory: pytest.TempPathFactory, blocks: list[tuple[int, bool]]
) -> None:
    folder = tmp_path_factory.mktemp("spool")
    writer = SpoolWriter(folder, DESCRIBED, 1 << 30)
    reader = SpoolReader(folder)
    rng, counts, at = np.random.default_rng(1), Counts(), 0
    wanted = np.empty((0, 2), np.float32)
    for length, lost in blocks:
        frames = rng.standard_normal((length, 2)).astype(np.float32)
        if lost:
            counts.lost_samples += length
            frames[:] = np.nan
        writer.take(Block(at, length, None if lost else frames), counts)
        at += length
        wanted = np.concatenate([wanted, frames])
        told = reader.progressed()
        assert (told.end, told.first, told.ended) == (at, 0, False)
        assert told.counts == counts
    assert np.array_equal(reader.frames(0, at), wanted, equal_nan=True)
    low, high = sorted(rng.integers(0, at + 1, 2).tolist())
    if high > low:
        samples = SpoolSamples(reader, low)
        (second,) = samples.read_many((1,), 0, high - low)
        assert np.array_equal(second, wanted[low:high, 1], equal_nan=True)
    writer.close()
    assert reader.progressed().ended
    for path in sorted(folder.glob("*.wav")):
        assert soundfile.info(path).frames <= 20_000, "each is a file of its own"


def test_the_oldest_goes_where_it_takes_too_much(tmp_path: Path) -> None:
    writer = SpoolWriter(tmp_path, DESCRIBED, 3 * 20_000 * 8)
    reader = SpoolReader(tmp_path)
    for i in range(100):
        frames = np.full((2000, 2), i, np.float32)
        writer.take(Block(2000 * i, 2000, frames), Counts())
    told = reader.progressed()
    assert told.end == 200_000 and told.first > 100_000
    assert sum(path.stat().st_size for path in tmp_path.glob("*.wav")) < 3.2 * 20_000 * 8
    assert np.isnan(reader.frames(0, 100)).all(), "what is gone is missing"
    assert (reader.frames(told.first, told.first + 1) == told.first // 2000).all()
    writer.close()
    reader.close()


def test_what_is_lost_takes_no_room(tmp_path: Path) -> None:
    """Three jumps of 9.9 s at a megahertz and 32 channels; the room holds whatever comes."""
    channels = tuple(Channel(f"c{i}", "V") for i in range(32))
    writer = SpoolWriter(tmp_path, Described("node", 1e6, channels), 64 << 20)
    reader, at = SpoolReader(tmp_path), 0
    for value in (1.0, 2.0, 3.0):
        frames = np.full((1000, 32), value, np.float32)
        writer.take(Block(at, 1000, frames), Counts())
        writer.take(Block(at + 1000, 9_900_000, None), Counts())
        at += 9_901_000
    taken = sum(512 * path.stat().st_blocks for path in tmp_path.iterdir())
    named = sum(path.stat().st_size for path in tmp_path.glob("*.wav"))
    assert taken < 1 << 20 and named <= 64 << 20
    writer.take(Block(at, 5, np.full((5, 32), 4.0, np.float32)), Counts())
    last = reader.frames(at - 3, at + 5)
    assert np.isnan(last[:3]).all() and (last[3:] == 4.0).all()
    writer.close()
    reader.close()


def test_an_end_by_itself_is_told_and_leaves_nothing(
    demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Killed, or ended since the disk is full; what is left of killed programs goes at the next
    start."""
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    source = f"{demo / 'run-up.flac'}@4"
    killed = Receiver(source)
    wait(killed)
    killed.process.kill()
    killed.process.wait()
    with pytest.raises(UserError, match="was ended by signal 9; go live again"):
        killed.look()
    killed.watch(None, [])
    killed.forget()
    assert not killed.folder.exists()

    full = Receiver(source, room=1 << 20)
    full.folder.rmdir() if not any(full.folder.iterdir()) else shutil.rmtree(full.folder)
    with pytest.raises(UserError, match="could not be"):
        wait(full)
    full.forget()

    gone = Receiver(source)
    gone.stop()
    gone.owner.close()  # as the system does where a program dies
    alive = Receiver(source)
    assert not gone.folder.exists()
    other = Receiver(source)
    assert alive.folder.exists(), "of one that lives"
    alive.forget()
    other.forget()


def test_its_own_end_is_in_order(demo: Path) -> None:
    receiver = Receiver(f"{demo / 'run-up.flac'}@4")
    wait(receiver)
    receiver.stop()
    assert receiver.process.returncode == 0
    receiver.forget()


def test_no_module_comes_out_of_the_current_folder(
    demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("queue", "numpy", "random", "multiprocessing", "tonecomb"):
        (tmp_path / f"{name}.py").write_text(f"open('{name}.ran', 'w').close()\n")
    monkeypatch.chdir(tmp_path)
    receiver = Receiver(f"{demo / 'run-up.flac'}@4")
    wait(receiver)
    receiver.forget()
    (tmp_path / "plan.json").write_text('{"format": "tone-comb plan", "version": 1}')
    waves = [demo / "undersampled.wav", demo / "run-up.flac"]
    command = [
        Path(sys.executable).with_name("tone-comb"),
        "batch",
        "plan.json",
        *waves,
        "--out",
        "out",
        "--workers",
        "2",
        "--no-reports",
    ]
    assert subprocess.run(command, check=False, capture_output=True).returncode == 0
    assert not list(tmp_path.glob("*.ran"))


def wait(reader_of: Receiver) -> SpoolReader:
    for _ in range(600):
        if (reader := reader_of.look()) is not None and reader.progressed().end:
            return reader
        time.sleep(0.02)
    raise AssertionError("nothing came")


def test_a_process_of_its_own_receives(demo: Path) -> None:
    receiver = Receiver(f"{demo / 'run-up.flac'}@4")
    try:
        reader = wait(receiver)
        assert reader.described.rate == 6400.0
        first = reader.progressed()
        time.sleep(0.5)
        then = reader.progressed()
        assert then.end - first.end == pytest.approx(0.5 * 4 * 6400, rel=0.4)
        assert then.age < 0.5
        receiver.stop()
        held, _ = soundfile.read(demo / "run-up.flac", dtype="float64", always_2d=True)
        end = reader.progressed().end
        size = np.abs(reader.frames(0, end)).max() / np.abs(held[:end]).max()
        assert reader.frames(0, end)[:, 0] == pytest.approx(
            size * held[:end, 0], rel=1e-5, abs=1e-6
        )
    finally:
        receiver.forget()
    assert not receiver.folder.exists()


def test_what_cannot_be_received_is_said(tmp_path: Path) -> None:
    receiver = Receiver(str(tmp_path / "none.wav"))
    with pytest.raises(UserError, match=r"none\.wav is no source"):
        wait(receiver)
    receiver.forget()
    assert spool.PIECE_S == 20.0
