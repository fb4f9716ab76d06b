"""The colours that paper and screen have in common; the bench's themes and every picture that is
drawn take them from here."""

from __future__ import annotations

GROUND, RAISED, LINES = "#F6F3EC", "#FFFDF8", "#D9D2C3"
INK, QUIET = "#22303A", "#66727A"
ACCENT, SECOND = "#B4572A", "#157A7E"
TRACES = (
    "#1F4E79", "#B4572A", "#4C7A3D", "#7A3E75", "#157A7E", "#B98A1A", "#6B7785", "#B23A5A",
)  # fmt: skip
TRACE = TRACES[0]
