"""Readings as tables: each column says once what it is, for JSON, CSV, pages and the clipboard."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from tonecomb.version import __version__

Row = TypeVar("Row")


_RUN = ("=", "+", "-", "@", "\t", "\r")


def harmless(text: str) -> str:
    """Words for a spreadsheet, which would take what begins like a formula for one."""
    return f"'{text}" if text.startswith(_RUN) else text


@dataclass(frozen=True)
class Column(Generic[Row]):
    """``key`` names it in JSON; ``heading`` and ``unit`` stand at its head; ``value`` gives a
    row's number, words, or None for nothing.

    ``digits`` is how numbers are written to files; ``told`` how a row's cell is read by people,
    where that is more than its value in those digits. Where ``rarely``, JSON leaves the key out
    when there is nothing.
    """

    key: str
    heading: str
    value: Callable[[Row], Any]
    unit: str = ""
    digits: str = ".10g"
    told: Callable[[Row], str] | None = None
    rarely: bool = False

    @property
    def title(self) -> str:
        """Heading and unit."""
        return harmless(f"{self.heading} [{self.unit}]" if self.unit else self.heading)

    def cell(self, row: Row) -> str:
        """A cell in a file; empty where there is nothing."""
        value = self.value(row)
        if value is None or (isinstance(value, float) and math.isnan(value)):
            return ""
        return harmless(value) if isinstance(value, str) else f"{value:{self.digits}}"

    def read(self, row: Row) -> str:
        """A cell as people read it."""
        return self.told(row) if self.told is not None else self.cell(row)


@dataclass(frozen=True)
class Table(Generic[Row]):
    """A reading. ``method`` is the sentence by which its figures were made, ``of`` the
    recording."""

    name: str
    of: str
    method: str
    columns: tuple[Column[Row], ...]
    rows: Sequence[Row]

    def values(self) -> list[dict[str, Any]]:
        """For JSON: a dictionary a row, where numbers keep all their digits."""
        told = []
        for row in self.rows:
            pairs = ((column, column.value(row)) for column in self.columns)
            told.append(
                {
                    column.key: value
                    for column, value in pairs
                    if not (column.rarely and (value is None or value == ""))
                }
            )
        return told

    def _lines(self) -> Iterable[list[str]]:
        yield [column.title for column in self.columns]
        for row in self.rows:
            yield [column.cell(row) for column in self.columns]

    def csv(self) -> str:
        """The table for a spreadsheet, with recording and method in comment lines."""
        out = io.StringIO()
        csv.writer(out).writerows(self._lines())
        return comments(self.of, self.method) + out.getvalue()

    def arrow(self) -> Any:
        """As a ``pyarrow.Table``: numbers stay numbers, nothing is null; ``to_pandas()`` of it, or
        :meth:`pandas`, goes on from there. Units and method are in its metadata."""
        import pyarrow as pa

        columns, fields = [], []
        for column in self.columns:
            values = [column.value(row) for row in self.rows]
            made = pa.array([None if v is None else v for v in values])
            columns.append(made)
            about = {"unit": column.unit, "heading": column.heading}
            fields.append(pa.field(column.key, made.type, metadata=about))
        about = {"recording": self.of, "method": self.method}
        return pa.Table.from_arrays(columns, schema=pa.schema(fields, metadata=about))

    def pandas(self) -> Any:
        """As a ``pandas.DataFrame``, where pandas is installed."""
        return self.arrow().to_pandas()

    def html(self, most: int = 60) -> str:
        """The first rows as an HTML table, as people read them."""
        from html import escape

        head = "".join(f"<th>{escape(one.title)}</th>" for one in self.columns)
        rows = "".join(
            "<tr>" + "".join(f"<td>{escape(one.read(row))}</td>" for one in self.columns) + "</tr>"
            for row in self.rows[:most]
        )
        return f"<table><thead><tr>{head}</tr></thead><tbody>{rows}</tbody></table>"

    def _repr_html_(self) -> str:
        return self.html()

    def tabbed(self) -> str:
        """The table with tabs, as a spreadsheet takes it from the clipboard."""
        return "".join("\t".join(line) + "\n" for line in self._lines())


def comments(of: str, method: str) -> str:
    """What every table begins with: recording, method, and the program that made it."""
    said = " ".join(f"{of}: {method}".split())
    lines = (f"# {said}", f"# Tone Comb {__version__}")
    return "".join(line + "\r\n" for line in lines)


def series(
    name: str, of: str, method: str, columns: Sequence[tuple[str, str, Any]], digits: str = ".8g"
) -> Table[int]:
    """A table of arrays of one length: key, title, and values of each column, shape (rows,)."""

    def column(key: str, title: str, values: Any) -> Column[int]:
        heading, _, unit = title.partition(" [")
        return Column(key, heading, lambda i: float(values[i]), unit.removesuffix("]"), digits)

    made = tuple(column(*one) for one in columns)
    return Table(name, of, method, made, range(len(columns[0][2])))
