"""The colours that paper and screen have in common; the bench's themes and every picture that is
drawn take them from here."""

from __future__ import annotations

from functools import cache

READABLE = 4.5  # contrast that words have at least
_MIDDLE = 0.18  # luminance from which a ground is a light one
GROUND, RAISED, LINES = "#F6F3EC", "#FFFDF8", "#D9D2C3"
INK, QUIET = "#22303A", "#5F6A71"
ACCENT, SECOND = "#A55026", "#147377"
TRACES = (
    "#1F4E79",
    "#B4572A",
    "#4C7A3D",
    "#7A3E75",
    "#157A7E",
    "#B98A1A",
    "#6B7785",
    "#B23A5A",
)
TRACE = TRACES[0]


def contrast(one: str, other: str) -> float:
    """The contrast of two colours (WCAG 2.1, 1 to 21)."""
    light, dark = sorted((_luminance(one), _luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@cache
def readable(colour: str, ground: str) -> str:
    """A colour for words on a ground: the same, darker or lighter until it has a contrast of
    4.5."""
    parts, towards = _parts(colour), 0 if _luminance(ground) > _MIDDLE else 255
    for share in range(0, 101, 2):
        mixed = (round(part + share / 100 * (towards - part)) for part in parts)
        text = "#" + "".join(f"{part:02X}" for part in mixed)
        if contrast(text, ground) >= READABLE:
            return text
    return text


def _parts(colour: str) -> tuple[int, int, int]:
    red, green, blue = (int(colour[i : i + 2], 16) for i in (1, 3, 5))
    return red, green, blue


def _luminance(colour: str) -> float:
    parts = [part / 255 for part in _parts(colour)]
    r, g, b = (c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
    return 0.2126 * r + 0.7152 * g + 0.0722 * b
