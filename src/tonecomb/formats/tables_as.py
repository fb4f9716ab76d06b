"""Tables in the files that other programs take: CSV, a spreadsheet's workbook, HDF5.

One table is one CSV file; a workbook has a sheet, HDF5 a group for each.
"""

from __future__ import annotations

import io
import math
import zipfile
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.formats import atomic
from tonecomb.formats.columns import Table
from tonecomb.version import __version__

_ROWS = 1_048_576  # of a sheet
_NAME = 31  # letters of a sheet's name
_HEAD = 3  # rows above those of the table: recording, method, headings


def workbook(tables: Sequence[Table[Any]]) -> bytes:
    """Office Open XML: numbers as numbers with all their digits, words never as formulas.

    Raises :class:`UserError` where a table has more rows than a sheet.
    """
    import xlsxwriter

    out = io.BytesIO()
    plain = {
        "in_memory": True,
        "strings_to_formulas": False,
        "strings_to_urls": False,
        "strings_to_numbers": False,
        "nan_inf_to_errors": True,
    }
    with xlsxwriter.Workbook(out, plain) as book:
        book.set_properties({"comments": f"Tone Comb {__version__}"})
        strong = book.add_format({"bold": True})
        for table in tables:
            if len(table.rows) > _ROWS - _HEAD:
                raise UserError(
                    f"A workbook's sheet has {_ROWS} rows, and the {table.name} has "
                    f"{len(table.rows)}",
                    remedy="save it as CSV or HDF5, or within a narrower range",
                )
            sheet = book.add_worksheet(table.name[:_NAME])
            sheet.write_string(0, 0, table.of)
            sheet.write_string(1, 0, table.method)
            for i, column in enumerate(table.columns):
                sheet.write_string(_HEAD - 1, i, column.title, strong)
                sheet.set_column(i, i, max(12, len(column.title) + 2))
                for at, row in enumerate(table.rows, start=_HEAD):
                    _put(sheet, at, i, column.value(row))
            sheet.freeze_panes(_HEAD, 0)
    with zipfile.ZipFile(out, "a") as packed:  # what says so inside is compressed
        packed.comment = f"Tone Comb {__version__}".encode()
    return out.getvalue()


def _put(sheet: Any, row: int, column: int, value: Any) -> None:
    if value is None:
        return
    if isinstance(value, bool):
        sheet.write_boolean(row, column, value)
    elif isinstance(value, str):
        sheet.write_string(row, column, value)
    elif math.isfinite(value):
        sheet.write_number(row, column, value)


def hdf5(tables: Sequence[Table[Any]]) -> bytes:
    """A group a table, an array a column with its unit and heading; no number is nan."""
    import h5py

    out = io.BytesIO()
    with h5py.File(out, "w") as file:
        file.attrs["program"] = f"Tone Comb {__version__}"
        for table in tables:
            group = file.create_group(table.name)
            group.attrs["recording"], group.attrs["method"] = table.of, table.method
            group.attrs["columns"] = [column.key for column in table.columns]
            for column in table.columns:
                held = group.create_dataset(column.key, data=_array(column.value, table.rows))
                held.attrs["unit"], held.attrs["heading"] = column.unit, column.heading
    return out.getvalue()


def _array(value: Callable[[Any], Any], rows: Sequence[Any]) -> Any:
    found = [value(row) for row in rows]
    if all(one is None or isinstance(one, (int, float, np.number)) for one in found):
        return np.array([np.nan if one is None else float(one) for one in found])
    return ["" if one is None else str(one) for one in found]


def _csv(tables: Sequence[Table[Any]]) -> bytes:
    if len(tables) != 1:
        raise UserError(
            f"A file of this name holds one table, and there are {len(tables)}",
            remedy="choose a name that ends in .xlsx or .h5",
        )
    (table,) = tables
    return atomic.utf8(table.csv())


AS: dict[str, tuple[str, Callable[[Sequence[Table[Any]]], bytes]]] = {
    ".csv": ("CSV", _csv),
    ".xlsx": ("Workbook", workbook),
    ".h5": ("HDF5", hdf5),
}
"""By a file's suffix: what it is called, and what writes it."""


def written(tables: Sequence[Table[Any]], suffix: str) -> bytes:
    """Tables as the file of a suffix, CSV for one that is not known."""
    return AS.get(suffix.lower(), AS[".csv"])[1](tables)
