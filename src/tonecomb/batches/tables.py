"""What was found in all recordings, as one table a kind of finding: CSV, and Parquet."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from tonecomb.batches.one import TABLES, Outcome
from tonecomb.core.say.plain import printable
from tonecomb.formats import atomic, guard
from tonecomb.formats.columns import harmless
from tonecomb.version import __version__

_FIRST = ("recording", "file", "start", "channel", "unit")


def rows(outcomes: Sequence[Outcome], table: str) -> Iterator[dict[str, Any]]:
    """Of one table, or of ``recordings``: a row a channel, or a file that could not be used."""
    for one in outcomes:
        head = {"recording": one.name, "file": one.path, "start": one.start}
        if table == "recordings" and one.failed:
            yield head | {"failed": one.failed}
        for outcome in one.channels:
            whose = head | {"channel": outcome.channel, "unit": outcome.unit}
            if table != "recordings":
                yield from (whose | row for row in outcome.rows[table])
                continue
            yield whose | {
                "duration_s": one.duration,
                "rms": outcome.rms,
                "zone": outcome.worst,
                "exceeded": "; ".join(outcome.exceeded),
                "not_judged": "; ".join(outcome.not_judged),
                "report": outcome.report,
                "in_short": " ".join(outcome.short),
                "method": outcome.method,
                "failed": "",
            }


def refuse_others(out: Path) -> None:
    """Raise :class:`UserError` where a table's place is taken by a file of others. That a Parquet
    file is ours the CSV file beside it says."""
    for name in ("recordings", *TABLES):
        guard.refuse_others(out / f"{name}.csv")
        if not (out / f"{name}.csv").exists():
            guard.refuse_others(out / f"{name}.parquet")


def write(out: Path, outcomes: Sequence[Outcome]) -> list[Path]:
    """Write every table into a folder; the files."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    written = []
    for name in ("recordings", *TABLES):
        found = list(rows(outcomes, name))
        keys = list(dict.fromkeys((*_FIRST, *(key for row in found for key in row))))
        target = out / f"{name}.csv"
        text = io.StringIO()
        text.write(f"# Tone Comb {__version__}: {name} of {len(outcomes)} recordings\r\n")
        lines = csv.writer(text)
        lines.writerow(keys)
        lines.writerows([_cell(row.get(key)) for key in keys] for row in found)
        atomic.write_text(target, text.getvalue())
        columns = {key: _column([row.get(key) for row in found]) for key in keys}
        with atomic.replacing(out / f"{name}.parquet") as partial, partial.open("wb") as file:
            pq.write_table(pa.table(columns), file)
        written += [target, out / f"{name}.parquet"]
    return written


def _cell(value: Any) -> str:
    if value is None or (isinstance(value, float) and math.isnan(value)):
        return ""
    if isinstance(value, float):
        return f"{value:.10g}"
    return harmless(printable(str(value)))


def _column(values: list[Any]) -> Any:
    """Numbers as numbers, whatever is missing as null."""
    import pyarrow as pa

    kinds = {type(value) for value in values if value is not None}
    if kinds <= {int, float} and kinds:
        return pa.array([None if v is None else float(v) for v in values], pa.float64())
    if kinds == {bool}:
        return pa.array(values, pa.bool_())
    return pa.array([None if v is None else printable(str(v)) for v in values], pa.string())
