"""Taking steps out of a chain that others were made after."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from tonecomb.core.base.setting import settings
from tonecomb.core.steps.step import Step


def channels_of(step: Step) -> tuple[int, ...]:
    """The channels that a step names."""
    return tuple(getattr(step, "channels", ()))


def maker_of(steps: tuple[Step, ...], own: int, channel: int) -> Step | None:
    """The step that added ``channel`` to the ``own`` ones of a recording; None for one of those."""
    adding = [step for step in steps if step.adds]
    return adding[channel - own] if own <= channel < own + len(adding) else None


def without_channel(steps: tuple[Step, ...], own: int, channel: int) -> tuple[Step, ...]:
    """The chain without the step that added ``channel`` to the ``own`` ones of a recording, and
    without those that were made of it; what is named after it is counted anew."""
    number, kept = own, []
    gone: set[int] = set()
    renamed: dict[int, int] = {i: i for i in range(own)}
    for step in steps:
        if not step.adds:
            kept.append(step)
            continue
        if number == channel or gone & set(channels_of(step)):
            gone.add(number)
        else:
            renamed[number] = own + sum(one.adds for one in kept)
            kept.append(_renamed(step, renamed))
        number += 1
    return tuple(kept)


def _renamed(step: Step, numbers: dict[int, int]) -> Step:
    named: dict[str, Any] = {
        attribute: tuple(numbers.get(i, i) for i in getattr(step, attribute))
        for attribute, setting, _ in settings(type(step))
        if setting.kind == "channels"
    }
    return replace(step, **named)
