"""Tables and spectra in other programs' files, read back by other libraries."""

from __future__ import annotations

import io
from dataclasses import replace
from pathlib import Path

import h5py
import numpy as np
import openpyxl
import pytest
import pyuff
from tests.cli.test_cli import call
from tests.support import recording

import tonecomb
from tonecomb.core.base.errors import UserError
from tonecomb.formats import functions, tables_as
from tonecomb.formats.analysed import Analysed
from tonecomb.formats.columns import Column, Table
from tonecomb.formats.report.folder import ALSO, PICTURES


def analysed(fs: float = 1000.0, **settings: object) -> Analysed:
    t, chance = np.arange(8_000) / fs, np.random.default_rng(1)
    x = 0.3 * np.cos(2 * np.pi * 0.1237 * fs * t) + 0.01 * chance.normal(size=len(t))
    made = replace(recording(x, fs=fs, unit="g"), name="=1+1")
    return tonecomb.analyse(made, tonecomb.Method.of(frame=1024, **settings))


def test_a_workbook_has_every_table_with_all_digits_and_no_formula() -> None:
    result = analysed()
    book = openpyxl.load_workbook(io.BytesIO(tables_as.workbook(result.tables())))
    assert book.sheetnames == [table.name for table in result.tables()]
    peaks = book["peaks"]
    heads = [cell.value for cell in peaks[3]]
    column = heads.index("frequency [Hz]") + 1
    held = peaks.cell(4, column).value
    assert held == pytest.approx(result.peaks[0].tone.frequency, rel=1e-15)
    assert peaks["A1"].value == "=1+1" and peaks["A1"].data_type == "s", "words stay words"
    assert peaks["A2"].value == result.sentence
    spectrum = np.array([[cell.value for cell in row] for row in book["spectrum"].iter_rows(4)])
    np.testing.assert_allclose(spectrum[:, 1].astype(float), result.analysis.curve.values, 1e-15)


def test_hdf5_has_arrays_with_units() -> None:
    result = analysed()
    with h5py.File(io.BytesIO(tables_as.hdf5(result.tables()))) as file:
        peaks = file["peaks"]
        assert peaks.attrs["method"] == result.sentence
        held = peaks["frequency_hz"]
        assert held.attrs["unit"] == "Hz" and held[0] == result.peaks[0].tone.frequency
        np.testing.assert_array_equal(file["spectrum/value"], result.analysis.curve.values)


@pytest.mark.parametrize("suffix", [".csv", ".txt", ""])
def test_several_tables_do_not_go_into_a_file_of_one(suffix: str) -> None:
    with pytest.raises(UserError, match=r"holds one table, .* ends in \.xlsx or \.h5"):
        tables_as.written(analysed().tables(), suffix)


def test_more_rows_than_a_sheet_has_are_told() -> None:
    column: Column[int] = Column("x", "x", float)
    long = Table("spectrum", "r", "m", (column,), range(1_048_576))
    with pytest.raises(UserError, match="CSV or HDF5"):
        tables_as.workbook([long])


@pytest.mark.parametrize(("scaling", "kind"), [("amplitude", 0), ("power", 2), ("psd", 9)])
@pytest.mark.parametrize("fs", [1024.0, 44_100.0])
def test_a_spectrum_as_uff_58(tmp_path: Path, scaling: str, kind: int, fs: float) -> None:
    """Also where six digits do not hold the step."""
    result = analysed(fs, scaling=scaling)
    (tmp_path / "a.uff").write_bytes(functions.spectrum_as_uff(result.analysis))
    held = pyuff.UFF(str(tmp_path / "a.uff")).read_sets(0)
    assert held["func_type"] == kind and held["abscissa_spec_data_type"] == 18
    np.testing.assert_allclose(held["x"], result.spectrum.frequency, rtol=1e-12)
    np.testing.assert_array_equal(held["data"], result.analysis.curve.values)
    with pytest.raises(UserError):  # it holds no samples, and is not taken for some
        tonecomb.open(tmp_path / "a.uff").length  # noqa: B018


def test_bands_are_no_uff() -> None:
    display = tonecomb.Display(drawn="octave")
    with pytest.raises(UserError, match="bin by bin"):
        functions.spectrum_as_uff(analysed(display=display).analysis)


@pytest.mark.parametrize("pictures", PICTURES)
def test_from_the_command_line_and_again(tmp_path: Path, pictures: str) -> None:
    """What was written is ours, and may be written again."""
    source, out = tmp_path / "two.wav", tmp_path / "out"
    call("make", "two-tones", source)
    options = [part for suffix in ALSO for part in ("--also", suffix[1:])]
    for _ in range(2):
        done = call(
            "analyse", source, "--out", out, *options, "--pictures", pictures, "--sections", "peaks"
        )
        assert done.returncode == 0, done.stderr
    names = {path.name for path in out.iterdir()}
    assert {"tables.xlsx", "tables.h5", "spectrum.uff", f"spectrum.{pictures}"} <= names
    head = {"png": b"\x89PNG", "svg": b"<?xml", "pdf": b"%PDF-"}[pictures]
    assert (out / f"spectrum.{pictures}").read_bytes().startswith(head)
