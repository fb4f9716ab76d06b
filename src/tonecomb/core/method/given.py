"""What the user says about a file, over what the file says itself."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from tonecomb.core.record.sensors import ChannelGiven
from tonecomb.core.record.timebase import TimeChoice
from tonecomb.core.synthesis.made import Made

Role = Literal["time", "data", "leave out"]
MissingChoice = Literal["refuse", "interpolate", "cut"]


@dataclass(frozen=True)
class ColumnGiven:
    """What is said about one column of the file; None leaves that to the file."""

    role: Role | None = None
    name: str | None = None
    unit: str | None = None


@dataclass(frozen=True)
class Import:
    """How a file is to be read.

    ``columns`` has an entry for each column of the file, or none at all. ``delimiter`` and
    ``decimal`` are for text tables. ``time_base`` says what becomes of uneven stamps and
    ``missing`` what becomes of samples that are no numbers; where one of them is ``cut``,
    ``piece`` (from 0) is the piece that is kept, None for the longest.
    """

    columns: tuple[ColumnGiven, ...] = ()
    delimiter: str | None = None
    decimal: str | None = None
    time_base: TimeChoice = "nominal"
    missing: MissingChoice = "refuse"
    piece: int | None = None


@dataclass(frozen=True)
class Given:
    """All that the user says: a rate in Hz, a unit for every channel, how to read the file, and
    what is known of single channels. Where there is no file, the description by which the recording
    is ``made``, or the source from which it came ``live``."""

    rate: float | None = None
    unit: str | None = None
    how: Import = field(default_factory=Import)
    channels: tuple[ChannelGiven, ...] = ()
    made: Made | None = None
    live: str = ""


NOTHING_GIVEN = Given()
