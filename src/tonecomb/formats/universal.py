"""Universal files (UFF, UNV): time responses in data sets 58, text and binary, through pyuff."""

from __future__ import annotations

import math
import re
import warnings
from pathlib import Path
from typing import Any

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.base.units import UNKNOWN, unit
from tonecomb.core.method.given import Import
from tonecomb.core.record import timebase
from tonecomb.core.record.recording import Array, Recording, Samples
from tonecomb.formats import atomic
from tonecomb.formats.contents import MOST_COLUMNS, Contents, FileColumn, damaged, foreign, scalar
from tonecomb.formats.on_disk import ArraySeries, aside

KIND = "UFF"
_START = re.compile(rb"^\s{0,80}-1[ \t]*\r?\n\s{0,5}\d{1,5}")
_EVEN, _TIME = 1, 1
_FREQUENCY = 18  # of the abscissa
# How the header writes the step: five digits after the point.
_STEP_DIGITS = 6e-6
_QUANTITIES = {"Acceleration": 12, "Velocity": 11, "Displacement": 8, "Force": 13, "Pressure": 15}
_NONE = ("", "NONE")


def sniff(start: bytes) -> bool:
    """Whether a file that starts so is a universal file: a line with -1, then one with a number."""
    return _START.match(start) is not None


class _Sets(Samples):
    """The data of each set that was read, in the order of the columns."""

    def __init__(self) -> None:
        self.series: list[ArraySeries] = []

    def read(self, channel: int, start: int, stop: int) -> Array:
        return self.series[channel].read(start, stop)


def open_universal(path: Path, how: Import, progress: Progress) -> Contents:
    """Read every data set 58 with a real time response."""
    import pyuff

    with foreign(path, KIND):
        file = pyuff.UFF(str(path))
        kinds = [int(kind) for kind in file.get_set_types()]
    wanted = [i for i, kind in enumerate(kinds) if kind == 58]
    if not wanted or len(wanted) > MOST_COLUMNS:
        held = ", ".join(str(kind) for kind in sorted(set(kinds))[:5]) or "none"
        raise UserError(
            f"{path.name} holds no data set 58",
            f"the sets in it: {held}",
            "export the time responses as data set 58",
        )
    columns: list[FileColumn] = []
    sets, start, remark = _Sets(), "", ""
    for n, i in enumerate(wanted):
        with foreign(path, KIND):
            held = file.read_sets(i)
            column, stamps, values = _series(path, held, len(columns))
        start = start or _moment(str(held.get("id3", "")))
        remark = remark or _named(held, "id2")
        if stamps is not None and not any(c.role == "time" for c in columns):
            columns.append(FileColumn("time", "s", len(stamps), role="time"))
            sets.series.append(ArraySeries(aside(stamps)))
        columns.append(column)
        sets.series.append(ArraySeries(aside(values)))
        progress((n + 1) / len(wanted))
    return Contents(
        KIND,
        tuple(columns),
        sets,
        row="sample",
        rate_found="from the abscissa's step",
        start=start,
        comment=remark,
    )


def _series(
    path: Path, held: dict[str, Any], number: int
) -> tuple[FileColumn, Array | None, Array]:
    """A set's column, its own stamps where they are uneven, and its values."""
    values, count = np.asarray(held["data"]), int(held["num_pts"])
    name = _named(held, "id1") or f"channel {number + 1}"
    over_hertz = held.get("abscissa_spec_data_type") == _FREQUENCY
    if np.iscomplexobj(values) or int(held["func_type"]) not in (0, _TIME) or over_hertz:
        empty = np.full(len(values), np.nan)
        return (
            FileColumn(name, "", len(values), role="leave out", note="no time response"),
            None,
            empty,
        )
    if not 0 < count <= len(values):
        raise damaged(path, KIND, f"‘{name}’ promises {count} samples but holds {len(values)}")
    symbol = _named(held, "ordinate_axis_units_lab")
    values = np.array(values[:count], dtype=np.float64)
    if int(held["abscissa_spacing"]) == _EVEN:
        step = scalar(held["abscissa_inc"]) or 0.0
        rate = timebase.shortest(1 / step, _STEP_DIGITS) if step > 1e-12 else None
        return FileColumn(name, symbol, count, rate, role="data"), None, values
    stamps = np.array(held["x"][:count], dtype=np.float64)
    return FileColumn(name, symbol, count, role="data"), stamps, values


def _named(held: dict[str, Any], key: str) -> str:
    text = " ".join(str(held.get(key, "")).split())
    return "" if text in _NONE else text


def _moment(text: str) -> str:
    """ISO 8601 of the third line where it holds a date, "" where not."""
    from datetime import datetime

    for pattern in ("%d-%b-%y %H:%M:%S", "%Y-%m-%dT%H:%M:%S"):
        try:
            return datetime.strptime(text.strip(), pattern).isoformat()
        except ValueError:
            continue
    return ""


def write_text(path: Path, recording: Recording, progress: Progress) -> None:
    """Write a data set 58 for each channel as text in double precision."""
    _write(path, recording, 0, progress)


def write_binary(path: Path, recording: Recording, progress: Progress) -> None:
    """Write a data set 58b for each channel in double precision."""
    _write(path, recording, 1, progress)


def add_set(file: Any, held: Any) -> None:
    """Put a data set at the end of a file of pyuff's; :class:`OSError` where that fails. It catches
    all that goes wrong and raises bare exceptions."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", ResourceWarning)  # it leaves closing to Python
        try:
            file.write_sets(held, mode="add")  # overwriting loses the header of binary sets
        except Exception as error:
            if type(error) is not Exception:
                raise
            raise OSError(str(error)) from error


def _write(path: Path, recording: Recording, binary: int, progress: Progress) -> None:
    import pyuff

    r, step = recording, 1 / recording.rate
    if not math.isclose(float(f"{step:.5e}"), step, rel_tol=_STEP_DIGITS):
        raise UserError(f"UFF cannot hold a step of {step:g} s", remedy="choose another format")
    with atomic.replacing(path) as partial:
        # Where there is no room the library leaves a file open whose rest cannot be written.
        atomic.need(partial, (8 if binary else 13) * r.length * len(r.channels))
        file = pyuff.UFF(str(partial))
        for i, channel in enumerate(r.channels):
            values = r.samples.read(i, 0, r.length)
            if not np.isfinite(values).all():
                raise UserError(
                    f"{channel.name} has missing or infinite samples, which UFF cannot hold",
                    remedy="interpolate or cut them first, or choose another format",
                )
            known = unit(channel.unit)
            held = pyuff.prepare_58(
                binary=binary,
                func_type=_TIME,
                id1=channel.name[:80],
                id2=" ".join(r.comment.split())[:80] or "NONE",
                id3=r.start[:19] or "NONE",
                id4="NONE",
                id5="NONE",
                rsp_node=i + 1,
                rsp_dir=0,
                ref_node=0,
                ref_dir=0,
                load_case_id=0,
                abscissa_spacing=_EVEN,
                abscissa_spec_data_type=17,
                abscissa_axis_units_lab="s",
                ordinate_spec_data_type=_QUANTITIES.get(known.quantity, 0),
                ordinate_axis_units_lab="NONE" if known.symbol == UNKNOWN else known.symbol[:20],
                orddenom_spec_data_type=0,
                z_axis_spec_data_type=0,
                data=values,
                x=np.arange(r.length) * step,
            )
            add_set(file, held)
            progress((i + 1) / len(r.channels))
