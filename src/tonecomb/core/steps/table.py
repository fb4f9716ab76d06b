"""Every step that there is. To add one: its module, a line here, and its editor."""

from __future__ import annotations

from tonecomb.core.base.errors import UserError
from tonecomb.core.steps.as_sampled import AsSampled
from tonecomb.core.steps.comb_notch import CombNotch
from tonecomb.core.steps.combine import Difference, Sum, VectorSum
from tonecomb.core.steps.decimate import Decimate
from tonecomb.core.steps.envelope import Envelope
from tonecomb.core.steps.filters import BandPass, BandStop, HighPass, LowPass, Notch
from tonecomb.core.steps.isolate import Isolate
from tonecomb.core.steps.keep import Keep
from tonecomb.core.steps.motion import Derivative, DoubleIntegral, Integral
from tonecomb.core.steps.remove import RemoveDrift, RemoveLine, RemoveMean
from tonecomb.core.steps.scale import Scale
from tonecomb.core.steps.steady import Steady
from tonecomb.core.steps.step import Step

STEPS: list[type[Step]] = [
    Keep,
    RemoveMean,
    RemoveLine,
    RemoveDrift,
    Decimate,
    AsSampled,
    LowPass,
    HighPass,
    BandPass,
    BandStop,
    Notch,
    CombNotch,
    Isolate,
    Steady,
    Envelope,
    VectorSum,
    Sum,
    Difference,
    Scale,
    Integral,
    DoubleIntegral,
    Derivative,
]


def step_kind(key: str) -> type[Step]:
    """The kind of step with this key; :class:`UserError` where there is none."""
    found = next((kind for kind in STEPS if kind.key == key), None)
    if found is None:
        listed = ", ".join(kind.key for kind in STEPS)
        raise UserError(f"There is no step ‘{key}’", remedy=f"choose from {listed}")
    return found
