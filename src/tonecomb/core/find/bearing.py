"""The frequencies at which a rolling bearing's faults hit, from its geometry."""

from __future__ import annotations

import math
from dataclasses import dataclass

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.machine import Known


@dataclass(frozen=True)
class Bearing:
    """``elements`` rolling elements of ``diameter`` on a circle of ``pitch`` diameter (one unit),
    at a contact ``angle`` in degrees; its inner ring turns with the shaft, the outer one stands.
    Elements slip: what is measured may be ``tolerance`` percent off."""

    name: str
    elements: int
    diameter: float
    pitch: float
    angle: float = 0.0
    tolerance: float = 2.0

    def check(self) -> None:
        """Raise :class:`UserError` for a bearing that cannot be."""
        if not (0 < self.diameter < self.pitch and 0 <= self.angle < 90):
            raise UserError(
                "No bearing has such elements",
                f"{self.diameter:g} across on a circle of {self.pitch:g}, at {self.angle:g}°",
                "give a diameter smaller than the circle's, and an angle below 90°",
            )
        most = int(math.pi / math.asin(self.diameter / self.pitch) + 1e-9)
        if not 1 <= self.elements <= most:
            raise UserError(
                f"{self.elements} elements do not fit into the bearing",
                f"there is room for {most} of {self.diameter:g} on a circle of {self.pitch:g}",
                "check the diameters: that of the circle runs through the elements' middles",
            )

    def known(self) -> tuple[Known, ...]:
        """Its frequencies in multiples of the shaft's (Harris, Rolling Bearing Analysis, ch. 25):
        hits of a fault on the outer ring, on the inner ring, on an element (both rings count), and
        the cage's turns."""
        self.check()
        ratio = self.diameter / self.pitch * math.cos(math.radians(self.angle))
        every = (
            ("outer ring", self.elements / 2 * (1 - ratio)),
            ("inner ring", self.elements / 2 * (1 + ratio)),
            ("element", self.pitch / self.diameter * (1 - ratio**2)),
            ("cage", (1 - ratio) / 2),
        )
        return tuple(
            Known(f"{self.name} {what}".strip(), times, True, self.tolerance)
            for what, times in every
        )
