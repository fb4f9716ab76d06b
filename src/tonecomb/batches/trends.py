"""How the level of one measuring point went over its recordings."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from tonecomb.batches.one import Outcome

if TYPE_CHECKING:
    from matplotlib.figure import FigureBase

    from tonecomb.formats.report.figures import Panel

_LEAST = 3  # recordings from which there is a trend
_MOST = 12  # points that are drawn, those that grew most first
_COUNTED = re.compile(r"[\d_:.\-T]+")


@dataclass(frozen=True)
class DatedTrend:
    """A ``point``, its overall rms in ``unit`` and when each was taken, by time."""

    point: str
    unit: str
    taken: tuple[datetime, ...]
    rms: tuple[float, ...]

    @property
    def growth(self) -> float:
        """The last over the first."""
        return self.rms[-1] / self.rms[0] if self.rms[0] > 0 else 0.0


def trends(outcomes: Sequence[Outcome]) -> list[DatedTrend]:
    """Those of points with three recordings or more that say when they were taken, the one that
    grew most first. One point are channels of one name and unit, of recordings in one folder whose
    names differ in numbers alone."""
    points: dict[tuple[str, ...], list[tuple[datetime, float]]] = defaultdict(list)
    for one in outcomes:
        try:
            taken = datetime.fromisoformat(one.start).replace(tzinfo=None)
        except ValueError:
            continue
        name = " ".join(_COUNTED.sub(" ", one.name).split())
        for outcome in one.channels:
            folder = Path(one.path).parent.name
            points[folder, name, outcome.channel, outcome.unit].append((taken, outcome.rms))
    dated_trends = []
    for (folder, name, channel, unit), readings in points.items():
        readings.sort()
        times, levels = zip(*readings, strict=True)
        if len(set(times)) >= _LEAST:
            point = " · ".join(part for part in (folder, name, channel) if part)
            dated_trends.append(DatedTrend(point, unit, times, levels))
    return sorted(dated_trends, key=lambda trend: -trend.growth)


def drawn(found: Sequence[DatedTrend]) -> str:
    """The first of them as one SVG element, "" where there are none."""
    from tonecomb.formats.report import figures

    if not found:
        return ""
    picture = figures.stacked([_panel(one) for one in found[:_MOST]], "svg").decode()
    return picture[picture.index("<svg") :]


def _panel(one: DatedTrend) -> Panel:
    from tonecomb.formats.report.figures import Panel

    def draw(part: FigureBase) -> None:
        axes = part.subplots()
        taken = np.array(one.taken, dtype="datetime64[s]")
        axes.plot(taken, np.array(one.rms), marker="o", markersize=3, linewidth=1.2)
        axes.set_ylim(0.0, 1.12 * max(one.rms) or 1.0)
        axes.set_ylabel(f"Rms, {one.unit}")
        axes.set_title(f"{one.point}: {one.growth:.3g} × the first", fontsize=9, loc="left")

    return Panel(1.9, draw)
