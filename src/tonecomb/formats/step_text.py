"""Steps of a chain as files have them, and as the command line does:
``NAME[:VALUE…][:key=value…]``, like ``keep:2:22`` or ``integral:low-cut=2``.

Both follow from what the fields of a step say of themselves.
"""

from __future__ import annotations

from dataclasses import MISSING
from typing import Any

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.setting import Setting, settings
from tonecomb.core.steps.step import Step
from tonecomb.core.steps.table import STEPS, step_kind
from tonecomb.formats import setting_text

_KEY = "step"
_OFF = "off"


def written(step: Step) -> dict[str, Any]:
    """A step as JSON has it."""
    told = {_KEY: step.key, **setting_text.written(step)}
    return told | {_OFF: True} if step.off else told


def read(value: Any) -> Step:
    """The step that :func:`written` wrote; :class:`ValueError` says what is wrong."""
    if not isinstance(value, dict) or not isinstance(value.get(_KEY), str):
        raise ValueError(f"{value!r} is no step")
    try:
        kind = step_kind(value[_KEY])
    except UserError as error:
        raise ValueError(error.what) from error
    given = {name: one for name, one in value.items() if name != _KEY}
    off = given.pop(_OFF, False)
    if not isinstance(off, bool):
        raise ValueError(f"{off!r} is neither on nor off")
    made = setting_text.read(kind, given, f"a step ‘{kind.key}’")
    return kind(**made, off=off)


def parse(text: str) -> Step:
    """A step from the command line. Channels count from 1 there."""
    name, *parts = text.split(":")
    kind = step_kind(name)
    known = settings(kind)
    made: dict[str, Any] = {}
    loose: list[str] = []
    for part in parts:
        head, equals, value = part.partition("=")
        if not equals and part == _OFF:
            made[_OFF] = True
            continue
        if not equals and any(part == s.name for _, s, _ in known if s.kind == "flag"):
            value = "yes"
        elif not equals:
            loose.append(part)
            continue
        found = next(((a, s) for a, s, _ in known if s.name == head), None)
        if found is None:
            raise _wrong(text, kind, f"it has no {head}")
        made[found[0]] = _value(found[1], [value], text, kind)
    free = [(a, s) for a, s, _ in known if a not in made and s.kind != "flag"]
    while loose and free:
        attribute, setting = free.pop(0)
        # Channels take all values there are.
        count = len(loose) if setting.kind == "channels" else 1
        made[attribute] = _value(setting, [loose.pop(0) for _ in range(count)], text, kind)
    if loose:
        raise _wrong(text, kind, f"‘{loose[0]}’ is one value too many")
    lacking = [s.name for a, s, default in known if default is MISSING and a not in made]
    if lacking:
        raise _wrong(text, kind, f"its {lacking[0]} is missing")
    return kind(**made)


def _value(setting: Setting, texts: list[str], whole: str, kind: type[Step]) -> Any:
    try:
        if setting.kind == "channels":
            numbers = [int(one) for text in texts for one in text.split(",")]
            if min(numbers) < 1:
                raise ValueError
            return tuple(number - 1 for number in numbers)
        if setting.kind == "text":
            return texts[0]
        if setting.kind == "flag":
            return {"yes": True, "no": False}[texts[0]]
        if setting.kind == "choice":
            return setting_text.checked(setting, texts[0])
        if setting.kind == "regions":
            return setting_text.checked(setting, texts[0].split("+"))
        if setting.kind == "pairs":
            return setting_text.checked(setting, [float(one) for one in texts[0].split("/")])
        return setting_text.checked(
            setting, int(texts[0]) if setting.kind == "whole" else float(texts[0])
        )
    except (ValueError, KeyError) as error:
        offered = f"; choose from {', '.join(setting.choices)}" if setting.choices else ""
        raise _wrong(whole, kind, f"‘{texts[0]}’ is no {setting.name}{offered}") from error


def _wrong(text: str, kind: type[Step], why: str) -> UserError:
    return UserError(f"‘{text}’ is no step", why, f"give it like {usage(kind)}")


def usage(kind: type[Step]) -> str:
    """How a step is typed: ``keep:START:END``."""
    text = kind.key
    for _, setting, default in settings(kind):
        if setting.kind == "channels":
            text += ":CHANNEL:…" if default is MISSING else "[:CHANNEL]"
        elif default is MISSING:
            text += f":{setting.name.upper()}"
        elif setting.kind == "flag":
            text += f"[:{setting.name}]"
        else:
            text += f"[:{setting.name}={setting.name.upper()}]"
    return text


def typed(step: Step) -> str:
    """A step as it would be typed."""
    parts = [step.key]
    for attribute, setting, default in settings(type(step)):
        value = getattr(step, attribute)
        if value == default:
            continue
        if setting.kind == "channels":
            parts.append(f"{setting.name}={','.join(str(i + 1) for i in value)}")
        elif setting.kind == "regions":
            parts.append("+".join(one.written().replace(" ", "/") for one in value))
        elif setting.kind == "pairs":
            parts.append("/".join(f"{number:.17g}" for pair in value for number in pair))
        elif setting.kind == "flag":
            parts.append(setting.name if value else f"{setting.name}=no")
        else:
            parts.append(
                f"{setting.name}={value:.17g}"
                if setting.kind == "number"
                else f"{setting.name}={value}"
            )
    return ":".join([*parts, _OFF] if step.off else parts)


def listed() -> str:
    """Every step, how it is typed and what it is for."""
    width = max(len(usage(kind)) for kind in STEPS)
    return "\n".join(f"  {usage(kind):<{width}}  {kind.tip}" for kind in STEPS)
