"""Frozen dataclasses as JSON, and back without guessing: no key too many, no text for a number."""

from __future__ import annotations

from typing import Any, TypeVar

import cattrs

T = TypeVar("T")
_CONVERTER = cattrs.Converter(forbid_extra_keys=True)


def _register(kind: type, accepted: tuple[type, ...]) -> None:
    def check(value: Any, _: type) -> Any:
        # True is an int to Python, and not to anyone else.
        if not isinstance(value, accepted) or (isinstance(value, bool) and kind is not bool):
            raise ValueError(f"{value!r} is not of the kind {kind.__name__}")
        return kind(value)

    _CONVERTER.register_structure_hook(kind, check)


_register(int, (int,))
_register(float, (int, float))
_register(str, (str,))
_register(bool, (bool,))


def structure(value: Any, kind: type[T]) -> T:
    """``value``, as JSON has it, as a ``kind``; :func:`first_cause` of what it raises says what
    does not fit."""
    return _CONVERTER.structure(value, kind)


def first_cause(error: BaseException) -> str:
    """In one line what went wrong first inside."""
    while isinstance(error, BaseExceptionGroup) and error.exceptions:
        error = error.exceptions[0]
    return str(error).splitlines()[0] if str(error) else type(error).__name__
