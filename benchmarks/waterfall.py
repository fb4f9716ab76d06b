"""A surface of 200 × 400 cells turned on a stage of 820 × 560 pixels, and its full size."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np

from benchmarks.timing import medians
from tonecomb.desktop.stage.waterfall.relief import Picture, draw
from tonecomb.desktop.stage.waterfall.scene import Scene, Stance
from tonecomb.formats.report.colours import table

SIZES = ((820, 560), (1600, 800))


def main() -> None:
    rng = np.random.default_rng(0)
    at = np.arange(400)[None, :] - 40 - 0.6 * np.arange(200)[:, None]
    heights = 0.08 + 0.05 * rng.random((200, 400))
    for k in range(3):
        heights += 0.7 / (k + 1) * np.exp(-(((at - 100 * k) / 3) ** 2))
    heights = np.clip(heights, 0, 1)
    colours = table("paper")

    def turned(width: int, height: int, drop: float) -> Picture:
        stance = replace(Stance(), azimuth=float(rng.uniform(-60, 60)))
        return draw(heights, Scene(stance, width, height, drop=drop), colours)

    print(
        "Surface of 200 × 400 cells (goals: 15 pictures a second while turning at half size, "
        "full size within 150 ms)\n"
    )
    print("| screen | half size | with a map on the floor | full size | with a map |")
    print("|--:|--:|--:|--:|--:|")
    for width, height in SIZES:
        seconds = medians(
            {
                "half": partial(turned, width // 2, height // 2, 0.0),
                "half map": partial(turned, width // 2, height // 2, 0.9),
                "full": partial(turned, width, height, 0.0),
                "full map": partial(turned, width, height, 0.9),
            }
        )
        cells = " | ".join(f"{1000 * seconds[k]:.0f} ms" for k in seconds)
        print(f"| {width} × {height} | {cells} |")
