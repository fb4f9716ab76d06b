"""Colours of levels, low to high: for spectrograms on the screen and on paper.

Our own sequence goes from paper through ochre, copper and plum to ink. It is made in OKLab (B.
Ottosson, "A perceptual color space for image processing", 2020): lightness falls in even steps, the
two chroma coordinates follow the named colours.
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.record.recording import Array

Table = NDArray[np.uint8]
MAPS = {"paper": "Paper to ink", "grey": "Grey", "viridis": "Viridis", "cividis": "Cividis"}
_ANCHORS = ("#FBF7EE", "#E3BE6A", "#B4572A", "#7A3E75", "#22303A")
_TO_LMS = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)


def oklab(rgb: Array) -> Array:
    """sRGB from 0 to 1, shape (…, 3), as lightness and the two chroma coordinates."""
    linear = np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)
    return np.asarray(np.cbrt(linear @ _TO_LMS.T) @ _TO_LAB.T)


def srgb(lab: Array) -> Array:
    """The way back, cut to what a screen shows."""
    linear = (lab @ np.linalg.inv(_TO_LAB).T) ** 3 @ np.linalg.inv(_TO_LMS).T
    linear = np.clip(linear, 0.0, 1.0)
    return np.asarray(
        np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
    )


@cache
def table(name: str, dark: bool = False) -> Table:
    """256 colours, low to high, shape (256, 3). On a ``dark`` ground our own sequence and grey
    run the other way, so that what is low keeps to the ground."""
    if name in ("viridis", "cividis"):
        from matplotlib import colormaps

        return np.asarray(colormaps[name](np.arange(256))[:, :3] * 255).round().astype(np.uint8)
    anchors = oklab(np.array([[int(c[i : i + 2], 16) / 255 for i in (1, 3, 5)] for c in _ANCHORS]))
    if name == "grey":
        anchors = anchors * [1.0, 0.0, 0.0]
    light = np.linspace(anchors[0, 0], anchors[-1, 0], 256)
    # Against falling lightness, which rises with the number of the anchor.
    chroma = [np.interp(-light, -anchors[:, 0], anchors[:, i]) for i in (1, 2)]
    values = srgb(np.stack([light, *chroma], axis=1))
    values = values[::-1] if dark else values
    return np.asarray(values * 255).round().astype(np.uint8)
