"""Recordings in: one contract for every reader, then what each format can get wrong."""

from __future__ import annotations

import hashlib
import os
import struct
import warnings
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import h5py
import numpy as np
import pyarrow
import pyarrow.feather
import pyarrow.parquet
import pytest
import pyuff
import scipy.io
import soundfile
from hypothesis import given
from hypothesis import strategies as st
from tests.support import read_all, recording, write_csv

from tonecomb.core.base.errors import Cancelled, UserError
from tonecomb.core.method.given import ColumnGiven, Given, Import
from tonecomb.core.method.method import default_method
from tonecomb.core.record.recording import Channel
from tonecomb.core.results.search import run
from tonecomb.core.say.cautions import cautions
from tonecomb.formats import files
from tonecomb.formats.registry import (
    READERS,
    WRITERS,
    open_recording,
    understand,
    write_recording,
)
from tonecomb.formats.sound import parse_channels


class ReaderContract:
    """Every reader passes this. ``make`` writes a file that another library or a hand made."""

    fs = 200.0
    atol = 2e-3
    parts_atol = 0.0

    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        raise NotImplementedError

    def test_reads_what_is_there(self, tmp_path: Path) -> None:
        path, expected = self.make(tmp_path)
        before = hashlib.sha256(path.read_bytes()).hexdigest()
        opened = open_recording(path)
        assert (opened.sample_rate, opened.length) == (self.fs, len(expected))
        assert opened.rate_source in ("header", "time column")
        assert f"{self.fs:g} Hz" in opened.rate_found
        np.testing.assert_allclose(read_all(opened), expected, atol=self.atol)
        np.testing.assert_allclose(opened.samples.read(0, 17, 45), expected[17:45], atol=self.atol)
        assert hashlib.sha256(path.read_bytes()).hexdigest() == before

    def test_content_decides_not_the_name(self, tmp_path: Path) -> None:
        path, expected = self.make(tmp_path)
        other = path.rename(path.with_suffix(".dat"))
        np.testing.assert_allclose(read_all(open_recording(other)), expected, atol=self.atol)

    def test_exactly_one_reader_knows_it(self, tmp_path: Path) -> None:
        start = files.head(self.make(tmp_path)[0])
        known = [reader.name for reader in READERS if reader.sniff(start)]
        assert len(known) == 1 or known[1:] == ["text table"], "what is text may be a table too"

    def test_what_the_user_says_counts_more(self, tmp_path: Path) -> None:
        opened = open_recording(self.make(tmp_path)[0], Given(rate=50.0, unit="mm/s"))
        assert (opened.sample_rate, opened.rate_source) == (50.0, "given")
        assert opened.channels[0].unit == "mm/s"

    def test_can_be_cancelled(self, tmp_path: Path) -> None:
        def stop(fraction: float) -> None:
            raise Cancelled

        with pytest.raises(Cancelled):
            open_recording(self.make(tmp_path)[0], progress=stop)

    def test_parts_are_the_whole(self, tmp_path: Path) -> None:
        """Lazy reading: any block is what it is in the whole, from any thread."""
        opened = open_recording(self.make(tmp_path)[0])
        whole = read_all(opened)
        places = np.random.default_rng(3).integers(0, opened.length, (40, 2))
        with ThreadPoolExecutor(4) as pool:
            blocks = list(pool.map(lambda p: opened.samples.read(0, min(p), max(p)), places))
        for place, block in zip(places, blocks, strict=True):
            part = whole[min(place) : max(place)]
            np.testing.assert_allclose(block, part, rtol=0, atol=self.parts_atol)


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
            path, "w", int(self.fs), 2, format=self.container, subtype=self.subtype
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


class TestCaf(SoundContract):
    container = "CAF"


class TestAu(SoundContract):
    container = "AU"


class LossyContract(SoundContract):
    """Sound as telephones and field recorders make it."""

    fs = 8000.0
    atol = 0.1  # as the coder likes it

    def test_it_says_so(self, tmp_path: Path) -> None:
        understood = understand(self.make(tmp_path)[0])
        assert [problem.code for problem in understood.recording.problems] == ["lossy"]
        assert understood.guesses == (), "it opens without a question"


class TestVorbis(LossyContract):
    container, subtype = "OGG", "VORBIS"


class TestOpus(LossyContract):
    container, subtype = "OGG", "OPUS"


class TestMp3(LossyContract):
    container, subtype = "MP3", "MPEG_LAYER_III"
    parts_atol = 1e-6  # a decoder that starts in the middle rounds otherwise


class TestTelephone(LossyContract):
    container, subtype = "WAV", "ULAW"


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


X = 30 * np.sin(np.arange(400) / 3)
TABLE = np.stack([X, X / 2, -X], axis=1)


class TestHdf5(ReaderContract):
    """Another program's layout: a group with a table, its rate in an attribute above."""

    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        with h5py.File(folder / "a.h5", "w") as file:
            run = file.create_group("runs/first")
            run.attrs["sampling_rate"] = 200
            data = run.create_dataset(
                "acc", data=TABLE.astype(">f4"), chunks=(64, 3), compression=4
            )
            data.attrs["units"] = "m/s^2"
        return folder / "a.h5", X

    def test_names_and_units(self, tmp_path: Path) -> None:
        channels = open_recording(self.make(tmp_path)[0]).channels
        assert channels[2] == Channel("runs/first/acc 3", "m/s²")


class TestMatlab73(ReaderContract):
    """As MATLAB writes it: a head of 512 bytes, tables turned on their side."""

    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        with h5py.File(folder / "a.mat", "w", userblock_size=512) as file:
            file["Fs"] = np.array([[200.0]])
            file.create_group("run")["data"] = TABLE.T
            file["note"] = np.frombuffer(b"t\0e\0s\0t\0", np.uint16)[None]
            file["note"].attrs["MATLAB_class"] = np.bytes_("char")
            file.create_group("#refs#")["a"] = np.zeros((1, 9000))
        with (folder / "a.mat").open("r+b") as raw:
            raw.write(b"MATLAB 7.3 MAT-file, Platform: GLNXA64".ljust(124) + b"\0\2IM")
        return folder / "a.mat", X


class TestMatlab5(ReaderContract):
    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        content = {"run": {"fs": 200.0, "data": TABLE, "who": "me"}, "z": np.array([1 + 2j, 3])}
        scipy.io.savemat(folder / "a.mat", content, do_compression=True)
        return folder / "a.mat", X


class UffContract(ReaderContract):
    binary = 0

    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        file = pyuff.UFF(str(folder / "a.uff"))
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", ResourceWarning)
            for n, kind in enumerate((1, 4)):  # a time response and what is none
                data = X if kind == 1 else X * (1 + 1j)
                file.write_sets(
                    pyuff.prepare_58(
                        binary=self.binary,
                        func_type=kind,
                        id1=f"c{n}",
                        id2="NONE",
                        id3="NONE",
                        id4="NONE",
                        id5="NONE",
                        load_case_id=0,
                        rsp_node=1,
                        rsp_dir=1,
                        ref_node=1,
                        ref_dir=1,
                        abscissa_spacing=1,
                        abscissa_spec_data_type=17,
                        data=data,
                        ordinate_spec_data_type=12,
                        ordinate_axis_units_lab="m/s2",
                        orddenom_spec_data_type=0,
                        z_axis_spec_data_type=0,
                        x=np.arange(400) / 200,
                    )
                )
        return folder / "a.uff", X

    def test_only_time_responses(self, tmp_path: Path) -> None:
        opened = understand(self.make(tmp_path)[0])
        assert opened.recording.channels == (Channel("c0", "m/s²"),)
        assert [c.note for c in opened.columns] == ["", "no time response"]


class TestUffText(UffContract):
    pass


class TestUffBinary(UffContract):
    binary = 1


class TestNpy(ReaderContract):
    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        np.save(folder / "a.npy", np.stack([np.arange(400) / 200, X], axis=1))
        return folder / "a.npy", X


def test_an_npy_as_python_2_wrote_it(tmp_path: Path) -> None:
    """Its lengths have an L, of which the library warns."""
    head = b"{'descr': '<f8', 'fortran_order': False, 'shape': (400L,), }".ljust(117) + b"\n"
    body = b"\x93NUMPY\x01\x00" + len(head).to_bytes(2, "little") + head + X.tobytes()
    (tmp_path / "a.npy").write_bytes(body)
    assert np.array_equal(read_all(open_recording(tmp_path / "a.npy")), X)


class TestNpz(ReaderContract):
    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        np.savez_compressed(folder / "a.npz", x=X, dt=1 / 200, table=np.asfortranarray(TABLE))
        return folder / "a.npz", X


class TestParquet(ReaderContract):
    """With times in a column and several row groups."""

    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        at = np.datetime64("2026-03-04T08:00:00", "us") + 5000 * np.arange(400)
        table = pyarrow.table({"at": at, "site": ["hut"] * 400, "x": X.astype(np.float32)})
        pyarrow.parquet.write_table(table, folder / "a.parquet", row_group_size=150)
        return folder / "a.parquet", X


class TestFeather(ReaderContract):
    def make(self, folder: Path) -> tuple[Path, np.ndarray]:
        table = pyarrow.table({"time [ms]": 5 * np.arange(400), "x": X})
        table = table.rename_columns(["time_ms", "x"])
        pyarrow.feather.write_feather(table, folder / "a.feather", chunksize=90)
        return folder / "a.feather", X


KEPT = recording(
    np.sin(np.arange(5000) / 5) * 40, np.random.default_rng(1).normal(size=5000), fs=2560.0
)
KEPT = replace(
    KEPT,
    channels=(Channel("Motor DE", "m/s²"), Channel("Tacho; raw [a]", "V")),
    start="2026-03-04T08:30:00",
    comment="tower 7, north side",
)


@pytest.mark.parametrize("suffix", [writer.suffix for writer in WRITERS])
def test_what_is_written_is_read_again(tmp_path: Path, suffix: str) -> None:
    """Samples, rate, names, units, start and comment; the table in docs/formats.md says so."""
    path = tmp_path / f"a{suffix}"
    write_recording(path, KEPT)
    opened = open_recording(path)
    assert (opened.sample_rate, opened.length) == (2560.0, 5000)
    assert (opened.start, opened.comment) == (KEPT.start, KEPT.comment)
    assert [channel.unit for channel in opened.channels] == ["m/s²", "V"]
    assert opened.channels[0].name == "Motor DE"
    assert opened.channels[1].name == {
        ".wav": "Tacho, raw (a)",
        ".flac": "Tacho, raw (a)",
    }.get(suffix, "Tacho; raw [a]")
    close = {".wav": 6e-8, ".flac": 2.0**-23, ".uff": 2e-12}.get(suffix, 0.0)
    for i in range(2):
        np.testing.assert_allclose(read_all(opened, i), read_all(KEPT, i), atol=42 * close, rtol=0)
    assert list(tmp_path.iterdir()) == [path], "nothing is left beside it"


@pytest.mark.parametrize("suffix", [writer.suffix for writer in WRITERS])
def test_writing_stops_cleanly_and_never_hits_the_source(tmp_path: Path, suffix: str) -> None:
    path = tmp_path / f"a{suffix}"
    path.write_text("old")

    def stop(fraction: float) -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        write_recording(path, KEPT, stop)
    assert path.read_text() == "old"
    assert list(tmp_path.iterdir()) == [path]
    with pytest.raises(UserError, match="is the recording's own file"):
        write_recording(path, replace(KEPT, path=path))
    holes = recording(np.array([1.0, np.nan, 3.0, np.inf]))
    if suffix in (".flac", ".uff", ".bunv"):
        with pytest.raises(UserError, match="missing or infinite samples, which"):
            write_recording(path, holes)
    else:
        write_recording(path, holes)
        np.testing.assert_array_equal(read_all(open_recording(path)), read_all(holes))


def test_what_others_read_of_ours(tmp_path: Path) -> None:
    """The files mean the same to the libraries that engineers use."""
    for suffix in (".h5", ".parquet", ".feather", ".csv", ".bunv", ".flac"):
        write_recording(tmp_path / f"a{suffix}", KEPT)
    x = read_all(KEPT)
    with h5py.File(tmp_path / "a.h5") as file:
        np.testing.assert_array_equal(file["channels/01"], x)
        assert (file["channels/01"].attrs["unit"], file.attrs["sample_rate_hz"]) == ("m/s²", 2560)
    for table in (
        pyarrow.parquet.read_table(tmp_path / "a.parquet"),
        pyarrow.feather.read_table(tmp_path / "a.feather"),
    ):
        np.testing.assert_array_equal(table["Motor DE"], x)
    rows = np.loadtxt(tmp_path / "a.csv", delimiter=",", encoding="utf-8", skiprows=3)
    np.testing.assert_array_equal(rows[:, 1], x)
    held = pyuff.UFF(str(tmp_path / "a.bunv")).read_sets(0)
    np.testing.assert_array_equal(held["data"], x)
    assert held["ordinate_axis_units_lab"].strip() == "m/s²"
    raw, rate = soundfile.read(tmp_path / "a.flac")
    assert rate == 2560
    np.testing.assert_allclose(raw[:, 0] * 41, x, atol=2e-5)


@pytest.mark.parametrize("userblock", [0, 512])
@pytest.mark.parametrize("kind", ["<f8", ">f8", "<f4", ">f4", "<f2", "<i2", ">i4", "u1", "pair"])
def test_hdf5_in_one_piece(tmp_path: Path, kind: str, userblock: int) -> None:
    """What lies in one piece is read past the library: the numbers are those that it gives, and
    stay so when another file takes the name; a file that is cut off is told of."""
    path = tmp_path / "a.h5"
    whole = np.arange(1200) % 250
    if kind == "pair":
        table = np.zeros(1200, np.dtype([("a", ">i2"), ("b", "<f4")], align=True))
        table["a"], table["b"] = whole, whole / 8
    else:
        table = whole.astype(kind)
    with h5py.File(path, "w", userblock_size=userblock) as file:
        file.attrs["sample_rate"] = 200.0
        file["x"] = table if kind == "pair" else table.reshape(400, 3)
    with h5py.File(path) as file:
        data = file["x"]
        told = [data[name] for name in ("a", "b")] if kind == "pair" else list(data[...].T)
    opened = open_recording(path)
    for i, one in enumerate(told):
        np.testing.assert_array_equal(opened.samples.read(i, 7, 300), one[7:300])
    kept, other = path.rename(tmp_path / "kept.h5"), tmp_path / "b.h5"
    other.write_bytes(b"another")
    other.replace(path)
    np.testing.assert_array_equal(opened.samples.read(0, 0, 50), told[0][:50])
    os.truncate(kept, kept.stat().st_size // 4)
    with pytest.raises(UserError, match="shorter since it was opened"):
        opened.samples.read(0, 0, 400)


def test_hdf5_stays_in_its_file(tmp_path: Path) -> None:
    """Links out of the file, and numbers kept in others, are left alone; loops end."""
    np.arange(400.0).tofile(tmp_path / "secret.bin")
    with h5py.File(tmp_path / "other.h5", "w") as file:
        file["secret"] = np.arange(400.0)
    with h5py.File(tmp_path / "a.h5", "w") as file:
        file["x"] = X
        file["external"] = h5py.ExternalLink("other.h5", "secret")
        file["soft"] = h5py.SoftLink("/x")
        file["loop"] = file["/"]
        file.create_dataset("raw", (400,), "f8", external=[(str(tmp_path / "secret.bin"), 0, 3200)])
        layout = h5py.VirtualLayout((400,), "f8")
        layout[:] = h5py.VirtualSource(str(tmp_path / "other.h5"), "secret", (400,))
        file.create_virtual_dataset("virtual", layout)
        file.create_dataset("unwritten", (400,), "f8", chunks=(50,))
    opened = understand(tmp_path / "a.h5")
    assert [channel.name for channel in opened.recording.channels] == ["x"]
    assert {c.name: c.note for c in opened.columns} == {
        "x": "",
        "raw": "its numbers lie in another file",
        "virtual": "its numbers lie in another file",
        "unwritten": "0 of 8 parts were ever written",
    }


class Tripwire:
    """An object whose unpickling leaves a trace."""

    def __init__(self, trace: Path) -> None:
        self.trace = trace

    def __reduce__(self) -> tuple[object, ...]:
        return (Path.touch, (self.trace,))


@pytest.mark.parametrize("save", [np.save, np.savez])
def test_pickles_are_never_loaded(tmp_path: Path, save: Callable[..., None]) -> None:
    path = tmp_path / ("a.npy" if save is np.save else "a.npz")
    save(path, np.array([Tripwire(tmp_path / "sprung")], dtype=object))
    with pytest.raises(UserError, match=r"damaged or of a kind of NP[YZ] that cannot be read"):
        open_recording(path)
    assert not (tmp_path / "sprung").exists()


def test_series_that_do_not_belong_together(tmp_path: Path) -> None:
    """The longest stay by default; the user may choose others, of one length."""
    np.savez(tmp_path / "a.npz", slow=np.arange(50.0), x=X, y=X, fs=200.0)
    opened = understand(tmp_path / "a.npz")
    assert [channel.name for channel in opened.recording.channels] == ["x", "y"]
    assert opened.guesses == ("1 series of another length or rate is left out.",)
    said = tuple(ColumnGiven("data" if c.name == "slow" else "leave out") for c in opened.columns)
    chosen = understand(tmp_path / "a.npz", Given(how=Import(columns=said)))
    assert (chosen.recording.length, chosen.recording.channels[0].name) == (50, "slow")
    both = tuple(ColumnGiven("data") for _ in said)
    with pytest.raises(UserError, match="do not belong together: they have 50 and 400 samples"):
        understand(tmp_path / "a.npz", Given(how=Import(columns=both)))
    with pytest.raises(UserError, match="has 3 columns, but 2 were described"):
        understand(tmp_path / "a.npz", Given(how=Import(columns=both[:2])))


@pytest.mark.parametrize("channels", [1, 2, 7])
@pytest.mark.parametrize(
    ("subtype", "step"),
    [
        ("PCM_U8", 2**-7),
        ("PCM_16", 2**-15),
        ("PCM_24", 2**-23),
        ("PCM_32", 2**-31),
        ("FLOAT", 1e-7),
        ("DOUBLE", 1e-15),
    ],
)
def test_wav_of_every_width(tmp_path: Path, subtype: str, step: float, channels: int) -> None:
    rng = np.random.default_rng(1)
    x = rng.uniform(-0.9, 0.9, (500, channels))
    soundfile.write(tmp_path / "a.wav", x, 12_800, subtype=subtype)
    opened = open_recording(tmp_path / "a.wav")
    assert (opened.sample_rate, len(opened.channels)) == (12_800.0, channels)
    for channel in range(channels):
        np.testing.assert_allclose(read_all(opened, channel), x[:, channel], atol=1.01 * step)
    assert {channel.unit for channel in opened.channels} == {"FS"}


@given(st.text(max_size=60), st.integers(1, 4))
def test_any_comment_gives_channels(comment: str, count: int) -> None:
    assert len(parse_channels(f"channels: {comment}", count)) == count


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
        (lambda b: b"IDX" + bytes(500), "named like a WAV file but does not hold one: it starts"),
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


@pytest.mark.parametrize(
    ("container", "subtype", "words"),
    [
        ("OGG", "VORBIS", "Nothing is left above"),
        ("MP3", "MPEG_LAYER_III", "Nothing is left above"),
        ("WAV", "ULAW", "its noise rises and falls"),
        ("CAF", "ALAC_16", None),
    ],
)
def test_what_coding_lost_is_told(
    tmp_path: Path, container: str, subtype: str, words: str | None
) -> None:
    """Noise up to 22 kHz, of which the coder keeps what one hears."""
    noise = 0.1 * np.random.default_rng(2).normal(size=200_000)
    path = tmp_path / "a.snd"
    with soundfile.SoundFile(path, "w", 44_100, 1, format=container, subtype=subtype) as file:
        for block in np.split(noise, 50):  # libsndfile's Vorbis takes no more at once
            file.write(block)
    opened = open_recording(path)
    told = {one.code: one.text for one in cautions(run(default_method(opened), opened), opened)}
    assert told.get("lossy") is None if words is None else words in told["lossy"]
    if words == "Nothing is left above":
        limit = float(told["lossy"].rsplit(" Hz", 1)[0].rsplit(" ", 1)[1])
        assert 15_000 < limit < 21_000
