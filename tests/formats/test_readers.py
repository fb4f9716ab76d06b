"""Recordings in: one contract for every reader, then what each format can get wrong."""

from __future__ import annotations

import hashlib
import os
import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st
from tests.support import read_all, write_csv

from tonecomb.core.errors import Cancelled, UserError
from tonecomb.core.recording import Channel, Recording
from tonecomb.formats import files
from tonecomb.formats.registry import READERS, Given, open_recording
from tonecomb.formats.sound import parse_channels, write_wav


class ReaderContract:
    """Every reader passes this. ``make`` writes a file that another library or a hand made."""

    fs = 200.0

    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        raise NotImplementedError

    def test_reads_what_is_there(self, tmp_path: Path) -> None:
        path, expected = self.make(tmp_path)
        before = hashlib.sha256(path.read_bytes()).hexdigest()
        opened = open_recording(path)
        assert (opened.sample_rate, opened.length) == (self.fs, len(expected))
        assert opened.rate_source in ("header", "time column")
        assert f"{self.fs:g} Hz" in opened.rate_found
        np.testing.assert_allclose(read_all(opened), expected, atol=2e-3)
        np.testing.assert_allclose(opened.samples.read(0, 17, 45), expected[17:45], atol=2e-3)
        assert hashlib.sha256(path.read_bytes()).hexdigest() == before

    def test_content_decides_not_the_name(self, tmp_path: Path) -> None:
        path, expected = self.make(tmp_path)
        other = path.rename(path.with_suffix(".dat"))
        np.testing.assert_allclose(read_all(open_recording(other)), expected, atol=2e-3)

    def test_exactly_one_reader_knows_it(self, tmp_path: Path) -> None:
        start = files.head(self.make(tmp_path)[0])
        assert sum(reader.sniff(start) for reader in READERS) == 1

    def test_what_the_user_says_counts_more(self, tmp_path: Path) -> None:
        opened = open_recording(self.make(tmp_path)[0], Given(rate=50.0, unit="mm/s"))
        assert (opened.sample_rate, opened.rate_source) == (50.0, "given")
        assert opened.channels[0].unit == "mm/s"

    def test_can_be_cancelled(self, tmp_path: Path) -> None:
        def stop(fraction: float) -> None:
            raise Cancelled

        with pytest.raises(Cancelled):
            open_recording(self.make(tmp_path)[0], progress=stop)

    @pytest.mark.parametrize("seed", range(25))
    def test_damaged_files_are_read_or_refused(self, tmp_path: Path, seed: int) -> None:
        """Never another exception, whatever bytes are changed or cut off."""
        path, _ = self.make(tmp_path)
        rng = np.random.default_rng(seed)
        content = bytearray(path.read_bytes())
        for at in rng.integers(0, min(len(content), 2000), rng.integers(1, 20)):
            content[at] = rng.integers(0, 256)
        path.write_bytes(bytes(content[: rng.integers(0, len(content) + 1)]))
        try:
            opened = open_recording(path)
            assert len(read_all(opened)) == opened.length > 0
        except UserError as error:
            assert error.text.endswith(".")
            assert "\n" not in error.text


class TestWav(ReaderContract):
    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        x = 0.5 * np.sin(np.arange(1000) / 9)
        soundfile.write(folder / "a.wav", np.stack([x, -x], axis=1), 200, subtype="PCM_16")
        return folder / "a.wav", x


class SoundContract(ReaderContract):
    container = ""
    subtype = "PCM_24"

    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        x = 0.5 * np.sin(np.arange(1000) / 9)
        path = folder / "a.snd"
        with soundfile.SoundFile(
            path, "w", 200, 2, format=self.container, subtype=self.subtype
        ) as file:
            file.write(np.stack([x, -x], axis=1))
        return path, x

    def test_cut_files_are_refused(self, tmp_path: Path) -> None:
        path, _ = self.make(tmp_path)
        content = path.read_bytes()
        for share in (0.2, 0.5, 0.97):
            path.write_bytes(content[: int(share * len(content))])
            with pytest.raises(UserError, match=r"cut short|fewer samples|is damaged"):
                open_recording(path)


class TestRf64(SoundContract):
    container = "RF64"


class TestW64(SoundContract):
    container = "W64"

    def test_absurd_chunk_sizes(self, tmp_path: Path) -> None:
        path, _ = self.make(tmp_path)
        content = bytearray(path.read_bytes())
        for size in (0, 2**62, 2**64 - 1):
            content[56:64] = struct.pack("<Q", size)  # of the format chunk
            path.write_bytes(bytes(content))
            with pytest.raises(UserError, match="cut short or damaged"):
                open_recording(path)


class TestAiff(SoundContract):
    container = "AIFF"


class TestFlac(SoundContract):
    container = "FLAC"


class TestCommaTable(ReaderContract):
    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        x = np.sin(np.arange(400) / 3)
        rows = np.stack([np.arange(400) / 200.0, x], axis=1)
        np.savetxt(folder / "a.csv", rows, delimiter=",", header="t [s],x", comments="", fmt="%.6f")
        return folder / "a.csv", x


class TestSemicolonTable(ReaderContract):
    """Decimal commas, comment lines, a unit row, a byte-order mark and Windows line ends."""

    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        x = np.sin(np.arange(400) / 3)
        lines = ["# a logger", "Time;Deck vertical", "ms;m/s^2"]
        lines += [f"{5 * i},0;{v:.6f}".replace(".", ",") for i, v in enumerate(x)]
        (folder / "a.csv").write_bytes("\r\n".join(["\ufeff" + lines[0], *lines[1:]]).encode())
        return folder / "a.csv", x

    def test_names_and_units(self, tmp_path: Path) -> None:
        assert open_recording(self.make(tmp_path)[0]).channels == (
            Channel("Deck vertical", "m/s²"),
        )


@pytest.mark.parametrize("channels", [1, 2, 7])
@pytest.mark.parametrize(
    ("subtype", "step"),
    [("PCM_U8", 2**-7), ("PCM_16", 2**-15), ("PCM_24", 2**-23), ("PCM_32", 2**-31),
     ("FLOAT", 1e-7), ("DOUBLE", 1e-15)],
)  # fmt: skip
def test_wav_of_every_width(tmp_path: Path, subtype: str, step: float, channels: int) -> None:
    rng = np.random.default_rng(1)
    x = rng.uniform(-0.9, 0.9, (500, channels))
    soundfile.write(tmp_path / "a.wav", x, 12_800, subtype=subtype)
    opened = open_recording(tmp_path / "a.wav")
    assert (opened.sample_rate, len(opened.channels)) == (12_800.0, channels)
    for channel in range(channels):
        np.testing.assert_allclose(read_all(opened, channel), x[:, channel], atol=1.01 * step)
    assert {channel.unit for channel in opened.channels} == {"FS"}


def test_wav_keeps_names_units_and_size(tmp_path: Path) -> None:
    channels = (Channel("Motor DE", "m/s²"), Channel("Tacho", "V"))
    columns = [np.linspace(-50, 50, 300), np.linspace(0, 9, 300)]
    write_wav(tmp_path / "a.wav", 800, channels, columns)
    opened = open_recording(tmp_path / "a.wav")
    assert opened.channels == channels
    np.testing.assert_allclose(read_all(opened), columns[0], rtol=1e-6)


@given(st.text(max_size=60), st.integers(1, 4))
def test_any_comment_gives_channels(comment: str, count: int) -> None:
    assert len(parse_channels(comment, count)) == count


def wav_bytes(tmp_path: Path) -> bytes:
    soundfile.write(tmp_path / "x.wav", np.zeros(1000), 1000, subtype="PCM_16")
    return (tmp_path / "x.wav").read_bytes()


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        (
            lambda b: b[:1044],
            "cut short: its header promises 1000 samples per channel .* holds 500",
        ),
        (lambda b: b[:30], "cut short or damaged"),
        (lambda b: b[:12] + b[36:], "cannot be read"),
        (lambda b: b"ID3" + bytes(500), "named like a WAV file but does not hold one: it starts"),
        (lambda b: b[:40] + struct.pack("<I", 0), "holds no samples"),
        (lambda b: b[:20] + b"\x55\x00" + b[22:], "cannot be read"),
        (lambda b: b[:24] + bytes(4) + b[28:], "sample rate of 0|cannot be read"),
        (lambda b: b"", "x.wav is empty"),
    ],
)
def test_bad_wav(tmp_path: Path, change: object, sentence: str) -> None:
    content = wav_bytes(tmp_path)
    (tmp_path / "x.wav").write_bytes(change(content))  # type: ignore[operator]
    with pytest.raises(UserError, match=sentence):
        open_recording(tmp_path / "x.wav")


def test_wav_from_a_pipe_has_no_length(tmp_path: Path) -> None:
    content = bytearray(wav_bytes(tmp_path))
    content[40:44] = struct.pack("<I", 0xFFFFFFFF)
    (tmp_path / "x.wav").write_bytes(bytes(content))
    assert open_recording(tmp_path / "x.wav").length == 1000


def test_a_file_that_vanishes_or_shrinks(tmp_path: Path) -> None:
    content = wav_bytes(tmp_path)
    opened = open_recording(tmp_path / "x.wav")
    (tmp_path / "x.wav").write_bytes(content[:1044])
    with pytest.raises(UserError, match="fewer samples than its header promises"):
        read_all(opened)
    (tmp_path / "x.wav").unlink()
    with pytest.raises(UserError, match="can no longer be read"):
        read_all(opened)


TABLES = {
    "a;b\n1;2\n3;4\n": (None, ["a", "b"]),
    "1.5\n2.5\n3.5\n": (None, ["column 1"]),
    "time,a [g]\n0,1\n0.01,2\n0.02,3\n": (100.0, ["a"]),
    "Time (ms)\tx\n0\t1\n1\t2\n2\t3\n": (1000.0, ["x"]),
    "time_ms,x\n10,1\n20,2\n30,3\n": (100.0, ["x"]),
    "x,elapsed [us]\n1,0\n2,500\n3,1000\n": (2000.0, ["x"]),
    "0.0,5\n0.02,6\n0.04,7\n": (50.0, ["column 2"]),
    "1,5\n2,6\n3,7\n": (None, ["column 1", "column 2"]),
    'Logger 7\n\n"t [s]","x, y"\n0,1\n0.5,2\n1.0,\n': (2.0, ["x, y"]),
    "t [s];x\n0,0;1,5\n0,1;2,5\n0,2;3,5\n": (10.0, ["x"]),
}


@pytest.mark.parametrize("text", TABLES)
def test_tables(tmp_path: Path, text: str) -> None:
    rate, names = TABLES[text]
    (tmp_path / "a.csv").write_text(text)
    opened = open_recording(tmp_path / "a.csv")
    assert opened.sample_rate == (None if rate is None else pytest.approx(rate))
    assert [channel.name for channel in opened.channels] == names
    assert opened.length in (2, 3)


@given(
    rate=st.sampled_from([0.5, 100.0, 12_800.0, 44_100.0, 48_000 / 1.001]),
    digits=st.integers(5, 8),
    start=st.floats(0, 1e4),
)
def test_rates_survive_rounded_stamps(
    tmp_path_factory: pytest.TempPathFactory, rate: float, digits: int, start: float
) -> None:
    path = tmp_path_factory.mktemp("t") / "a.csv"
    rows = "".join(f"{start + i / rate:.{digits}f},{i % 7}\n" for i in range(3000))
    path.write_text("time [s],x\n" + rows)
    found = open_recording(path).sample_rate
    assert found == pytest.approx(rate, rel=10.0**-digits * rate / 1000)


def test_missing_cells_stay_missing(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("t [s],x\n0,1\n1,\n2,NaN\n3,inf\n4,5\n")
    x = read_all(open_recording(tmp_path / "a.csv"))
    np.testing.assert_array_equal(x, [1, np.nan, np.nan, np.inf, 5])


def test_gaps_and_jitter_are_told(tmp_path: Path) -> None:
    stamps = [0, 10, 20, 30, 80, 90, 100, 110]
    (tmp_path / "a.csv").write_text("time [ms],x\n" + "".join(f"{t},1\n" for t in stamps))
    opened = open_recording(tmp_path / "a.csv")
    assert opened.sample_rate == 100.0
    assert [problem.code for problem in opened.problems] == ["gaps"]
    assert "a gap of 0.04 s" in opened.problems[0].text
    assert "after line 5" in opened.problems[0].text
    uneven = np.cumsum(np.random.default_rng(1).uniform(8, 12, 50))
    (tmp_path / "b.csv").write_text("time [ms],x\n" + "".join(f"{t:.3f},1\n" for t in uneven))
    assert [p.code for p in open_recording(tmp_path / "b.csv").problems] == ["jitter"]


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("Dear reader,\nthis is a letter.\nYours\n", "is text, but not a table of numbers"),
        ("t [s];x [g]\n", "has a header but no rows of numbers: it ends after line 1"),
        ("t [s];x [g]\ns;g\n", "header but no rows"),
        ("t [s],x\n0,1\n1,2\n2,oops\n3,4\n", "Line 4 of a.csv holds the word ‘oops’ .*‘x’"),
        ("t [s],x\n0,1\n1,2,3\n2,3\n", "Line 3 of a.csv has 3 cells, but .* 2"),
        ("t [s],x\n0,1\n2,2\n1,3\n", "stands still or runs backward at line 4"),
        ("t [s],x\n0,1\n,2\n2,3\n", "Line 3 of a.csv has no time"),
        ("t [s]\n0\n1\n2\n", "holds only a time column"),
        ("t [s],x\n0,1\n", "single row"),
        ("\x00\x01\x02binary", "named like a text table"),
    ],
)
def test_bad_tables(tmp_path: Path, text: str, sentence: str) -> None:
    (tmp_path / "a.csv").write_text(text)
    with pytest.raises(UserError, match=sentence):
        open_recording(tmp_path / "a.csv")


@pytest.mark.parametrize("rate", [0.0, -5.0, float("nan"), float("inf")])
def test_impossible_rates(tmp_path: Path, rate: float) -> None:
    with pytest.raises(UserError, match=r"sample rate of .* cannot be used; give one above zero"):
        open_recording(write_csv(tmp_path / "a.csv"), Given(rate=rate))


def test_files_that_cannot_be_opened(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(UserError, match="does not exist"):
        open_recording(tmp_path / "nothing.wav")
    with pytest.raises(UserError, match="is a folder"):
        open_recording(tmp_path)
    (tmp_path / "a.xyz").write_bytes(bytes(range(256)))
    with pytest.raises(UserError, match=r"no format that can be read; use WAV.*text table"):
        open_recording(tmp_path / "a.xyz")
    path = write_csv(tmp_path / "secret.csv")
    if os.geteuid() == 0:  # root may read anything: let the system say no another way

        def refuse(self: Path, *args: object, **kwargs: object) -> None:
            raise PermissionError(13, "Permission denied")

        monkeypatch.setattr(Path, "open", refuse)
    else:
        path.chmod(0)
    with pytest.raises(UserError, match="may not be read: permission denied"):
        open_recording(path)


def test_the_demo_opens_as_its_truth_says(demo: Path) -> None:
    import json

    for entry in json.loads((demo / "truth.json").read_text())["recordings"].values():
        opened: Recording = open_recording(demo / entry["file"])
        assert opened.sample_rate == entry["sample_rate_hz"]
        assert opened.duration == entry["duration_s"]
        names = [channel["name"] for channel in entry["channels"]]
        assert opened.channels == tuple(Channel(name, "m/s²") for name in names)
