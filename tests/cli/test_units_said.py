"""What the command line says of channels: units, sensitivities, what full scale stands for."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import h5py
import numpy as np
import pyarrow as pa
import pyarrow.parquet
import pytest
import soundfile
from tests.cli.test_cli import call

T = np.arange(4000) / 1000
X = 3.0 * np.sin(2 * np.pi * 50 * T)


@pytest.fixture(scope="module")
def mixed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Columns of three quantities, and one of which nothing is said."""
    path = tmp_path_factory.mktemp("units") / "mixed.csv"
    names = ["time [s]", "acc1 [m/s²]", "acc2", "temp [°C]"]
    rows = np.stack([T, X, X / 9.80665, 40 + 0 * T], axis=1)
    np.savetxt(path, rows, delimiter=",", header=",".join(names), comments="", fmt="%.6f")
    return path


@pytest.fixture(scope="module")
def bare(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A WAV whose full scale is 32 m/s²."""
    path = tmp_path_factory.mktemp("units") / "bare.wav"
    soundfile.write(path, X / 32, 1000, subtype="PCM_24")
    return path


def described(path: Path, *said: str) -> dict[str, Any]:
    done = call("describe", path, "--json", *said)
    assert done.returncode == 0, done.stderr
    return dict(json.loads(done.stdout))


def test_a_unit_is_given_to_the_channel_that_is_named(mixed: Path) -> None:
    told = described(mixed, "--unit", "acc2=g")
    assert [one["unit"] for one in told["channels"]] == ["m/s²", "g", "°C"]
    assert told["channels"][1]["rms"] == pytest.approx(3 / 9.80665 / 2**0.5, rel=1e-4)


@pytest.mark.parametrize(
    ("said", "words"),
    [
        (["--unit", "mm/s"], "‘acc1’ of mixed.csv is in m/s², not in mm/s: the file says so"),
        (["--unit", "temp=m/s²"], "‘temp’ of mixed.csv is in °C, not in m/s²"),
        (["--unit", "acc9=g"], "has no channel ‘acc9’; choose from: acc1, acc2, temp"),
        (["--unit", "acc2=xyz"], "The unit ‘xyz’ is not known"),
        (["--unit", "acc2=g", "--unit", "acc2=mm/s"], "twice"),
        (["--unit", "g", "--unit", "mm/s"], "twice"),
        (["--unit", "=g"], "names no channel"),
        (["--full-scale", "acc1=32 m/s²"], "it has no full scale"),
        (["--full-scale", "32"], "is no value with its unit, like 32 m/s²"),
        (["--sensitivity", "100 mV"], "is no value with its unit, like 100 mV/g"),
        (["--sensitivity", "0 mV/g"], "sensitivity of 0 cannot be used"),
    ],
)
def test_what_cannot_be_is_refused(mixed: Path, said: list[str], words: str) -> None:
    done = call("describe", mixed, *said)
    assert done.returncode == 2 and not done.stdout
    assert words in done.stderr


def test_bare_numbers_get_a_caution_with_a_unit_and_none_with_a_scale(bare: Path) -> None:
    told = described(bare, "--unit", "mm/s")
    assert [one["code"] for one in told["problems"]] == ["unscaled"]
    assert "is in FS in the file and was called mm/s without a scale" in told["problems"][0]["text"]
    told = described(bare, "--full-scale", "32 m/s²")
    assert told["problems"] == [] and told["channels"][0]["unit"] == "m/s²"
    assert told["channels"][0]["rms"] == pytest.approx(3 / 2**0.5, rel=1e-5)
    told = described(bare, "--sensitivity", "channel 1=100 mV/g")
    assert "was taken to be in mV" in told["problems"][0]["text"]
    (told,) = json.loads(call("analyse", bare, "--json", "--unit", "g").stdout)["analyses"]
    assert "unscaled" in {one["code"] for one in told["cautions"]}


def test_units_in_brackets_are_read_in_every_format(tmp_path: Path) -> None:
    table = pa.table({"DE (mm/s)": X, "NDE [g]": X, "plain (left)": X, "t [s]": T})
    pyarrow.parquet.write_table(table, tmp_path / "a.parquet")
    np.savez(tmp_path / "a.npz", **{"DE (mm/s)": X, "NDE [g]": X, "plain (left)": X, "t [s]": T})
    with h5py.File(tmp_path / "a.h5", "w") as file:
        for name, x in {"DE (mm⁄s)": X, "NDE [g]": X, "plain (left)": X, "t [s]": T}.items():
            file[name] = x
    for name in ("a.parquet", "a.npz", "a.h5"):
        units = {one["name"]: one["unit"] for one in described(tmp_path / name)["channels"]}
        assert units["NDE"] == "g" and "plain (left)" in units
        if name != "a.h5":  # a name cannot have a stroke there
            assert units["DE"] == "mm/s"
