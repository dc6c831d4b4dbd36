"""The functions that expressions may call: each a plain Python function over numbers, texts and arrays."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

F = TypeVar("F", bound=Callable[..., Any])


@dataclass(frozen=True)
class Function:
    """One function: its name, what it does in a sentence, and the group it is listed under."""

    name: str
    call: Callable[..., Any]
    group: str

    @property
    def usage(self) -> str:
        """How it is written: `name(a, b, c=1)`."""
        parameters = inspect.signature(self.call).parameters.values()
        words = [
            f"*{p.name}"
            if p.kind is p.VAR_POSITIONAL
            else p.name
            if p.default is p.empty
            else f"{p.name}={p.default!r}"
            for p in parameters
        ]
        return f"{self.name}({', '.join(words)})"

    @property
    def about(self) -> str:
        """What it does."""
        return inspect.getdoc(self.call) or ""

    def check(self, count: int, words: list[str]) -> None:
        """Raise `ValueError` when arguments are missing or too many."""
        try:
            inspect.signature(self.call).bind(*range(count), **dict.fromkeys(words, 0))
        except TypeError:
            raise ValueError(f"calls {self.name} with other arguments than {self.usage}") from None


def _said(parameter: inspect.Parameter) -> str:
    if parameter.kind is parameter.VAR_POSITIONAL:
        return f"*{parameter.name}"
    return parameter.name if parameter.default is parameter.empty else f"{parameter.name}={parameter.default!r}"


FUNCTIONS: dict[str, Function] = {}


def function(group: str, name: str = "") -> Callable[[F], F]:
    """Register a function; `name` where Python's own word stands in the way."""

    def register(call: F) -> F:
        known = name or call.__name__.rstrip("_")
        FUNCTIONS[known] = Function(known, call, group)
        return call

    return register
