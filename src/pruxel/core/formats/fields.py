"""Typed reading of a JSON document that remembers what nobody asked for.

A reader asks for each value by name and gets a number, text, list or object of the kind it needs, or an error that
names the place. What was never asked for is told at the end by `not_taken`, whatever it is: no reader can drop a key
in silence.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Collection, Iterator
from dataclasses import dataclass, field
from typing import Any

from pruxel.core.base.errors import ErrorCode, InputError

_LARGEST_INTEGER = 1 << 53
_NOTHING: Any = object()


@dataclass(eq=False)
class Fields:
    """One object of the document. `place` is its path from the top, `pattern` the same with `[]` for every number."""

    values: dict[str, Any]
    file: str
    place: str = ""
    pattern: str = ""
    _asked: set[str] = field(default_factory=set)
    _read: bool = False
    _inside: dict[tuple[str, int], Fields] = field(default_factory=dict)

    def bad(self, key: str, message: str, expected: str | None = None, found: object = _NOTHING) -> InputError:
        """The error for a value of this object."""
        shown = None if found is _NOTHING else _shown(found)
        place = f"{self.place}.{key}".strip(".")
        return InputError(
            ErrorCode.MALFORMED, message, file=self.file, field=place or None, expected=expected, found=shown
        )

    def _value(self, key: str, expected: str, default: Any) -> Any:  # noqa: ANN401
        self._asked.add(key)
        self._read = True
        value = self.values.get(key)
        if value is None:
            if default is _NOTHING:
                raise self.bad(key, "something that must be there is missing", expected, "nothing")
            return _NOTHING
        return value

    def __contains__(self, key: str) -> bool:
        return self.values.get(key) is not None

    def pass_over(self, *keys: str) -> None:
        """These say nothing that a scene would need a place for."""
        self._asked.update(keys)

    def give_up(self) -> None:
        """The whole object is left out, and told elsewhere."""
        self._read = True
        self._asked.update(self.values)
        for inside in self._inside.values():
            inside.give_up()

    def integer(self, key: str, default: Any = _NOTHING, low: int = 0, high: int = _LARGEST_INTEGER) -> Any:  # noqa: ANN401
        """A whole number within bounds, both included."""
        value = self._value(key, f"a whole number, {low:,} to {high:,}", default)
        if value is _NOTHING:
            return default
        if isinstance(value, float) and value.is_integer() and abs(value) < _LARGEST_INTEGER:
            value = int(value)
        if isinstance(value, bool) or not isinstance(value, int) or not low <= value <= high:
            raise self.bad(key, "a whole number is out of range", f"{low:,} to {high:,}", value)
        return value

    def number(self, key: str, default: Any = _NOTHING, low: float = -math.inf, high: float = math.inf) -> Any:  # noqa: ANN401
        """A finite number within bounds, both included."""
        value = self._value(key, "a number", default)
        return default if value is _NOTHING else self._checked(key, value, low, high)

    def numbers(
        self,
        key: str,
        count: int | None,
        default: Any = _NOTHING,  # noqa: ANN401
        low: float = -math.inf,
        high: float = math.inf,
    ) -> Any:  # noqa: ANN401
        """A tuple of `count` finite numbers (any count for None) within bounds."""
        expected = f"{count} numbers" if count is not None else "a list of numbers"
        value = self._value(key, expected, default)
        if value is _NOTHING:
            return default
        if not isinstance(value, list) or (count is not None and len(value) != count):
            raise self.bad(key, "a list of numbers has another length", expected, value)
        return tuple(self._checked(key, item, low, high) for item in value)

    def _checked(self, key: str, value: object, low: float, high: float) -> float:
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
            raise self.bad(key, "not a number", "a finite number", value)
        if not low <= value <= high:
            raise self.bad(key, "a number is out of range", _bounds(low, high), value)
        return float(value)

    def text(self, key: str, default: Any = _NOTHING) -> Any:  # noqa: ANN401
        """Text; NUL becomes a space."""
        value = self._value(key, "text", default)
        if value is _NOTHING:
            return default
        if not isinstance(value, str):
            raise self.bad(key, "not a text", "text", value)
        return value.replace("\0", " ")

    def flag(self, key: str, *, default: bool = False) -> bool:
        """True or false."""
        value = self._value(key, "true or false", default)
        if value is _NOTHING:
            return default
        if not isinstance(value, bool):
            raise self.bad(key, "neither true nor false", "true or false", value)
        return value

    def choice(self, key: str, options: Collection[str], default: Any = _NOTHING) -> Any:  # noqa: ANN401
        """One of several words."""
        value = self.text(key, default)
        if value is not default and value not in options:
            raise self.bad(key, "not one of the words that are allowed", " or ".join(sorted(options)), value)
        return value

    def object(self, key: str) -> Fields | None:
        """The object of that name, or None when there is none."""
        value = self._value(key, "an object", None)
        return None if value is _NOTHING else self._entered(key, -1, value)

    def needed(self, key: str) -> Fields:
        """The object of that name; raises `InputError` when there is none."""
        return self._entered(key, -1, self._value(key, "an object", _NOTHING))

    def objects(self, key: str) -> list[Fields]:
        """The list of objects of that name, empty when there is none."""
        value = self._value(key, "a list of objects", None)
        if value is _NOTHING:
            return []
        if not isinstance(value, list):
            raise self.bad(key, "not a list", "a list of objects", value)
        return [self._entered(key, number, item) for number, item in enumerate(value)]

    def integers(self, key: str, below: int) -> tuple[int, ...]:
        """A list of indices below a bound, empty when there is none."""
        value = self._value(key, "a list of whole numbers", None)
        if value is _NOTHING:
            return ()
        if not isinstance(value, list):
            raise self.bad(key, "not a list", "a list of whole numbers", value)
        for item in value:
            if isinstance(item, bool) or not isinstance(item, int) or not 0 <= item < below:
                raise self.bad(key, "it names something that the file does not hold", _indices(below), item)
        return tuple(value)

    def texts(self, key: str) -> tuple[str, ...]:
        """A list of texts, empty when there is none; what is no text is left out."""
        value = self._value(key, "a list of texts", None)
        return tuple(v for v in value if isinstance(v, str)) if isinstance(value, list) else ()

    def index(self, key: str, below: int, default: Any = _NOTHING) -> Any:  # noqa: ANN401
        """An index into a list of `below` things."""
        value = self._value(key, _indices(below), default)
        if value is _NOTHING:
            return default
        if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value < below:
            raise self.bad(key, "it names something that the file does not hold", _indices(below), value)
        return value

    def plain(self, key: str) -> Any:  # noqa: ANN401
        """The bare value, whatever it is, or None."""
        self._asked.add(key)
        self._read = True
        return self.values.get(key)

    def _entered(self, key: str, number: int, value: Any) -> Fields:  # noqa: ANN401
        at = (key, number)
        if at not in self._inside:
            if not isinstance(value, dict):
                where = key if number < 0 else f"{key}[{number}]"
                raise self.bad(where, "not an object", "an object", value)
            place = f"{self.place}.{key}".strip(".")
            pattern = f"{self.pattern}.{key}".strip(".")
            if number >= 0:
                place, pattern = f"{place}[{number}]", f"{pattern}[]"
            self._inside[at] = Fields(value, self.file, place, pattern)
        return self._inside[at]

    def not_taken(self) -> list[str]:
        """What nobody asked for, by path, with how often it was met.

        `meshes[].primitives[].attributes._HEAT (3 times)`.
        """
        counts = Counter(self._unasked())
        return [pattern if count == 1 else f"{pattern} ({count:,} times)" for pattern, count in sorted(counts.items())]

    def _unasked(self) -> Iterator[str]:
        """Paths of what nobody asked for; an object that nobody looked into is one."""
        if not self._read:
            yield self.pattern
            return
        for key in self.values.keys() - self._asked:
            value = self.values[key]
            inner = value if key == "extensions" and isinstance(value, dict) else ()
            yield from (f"{self.pattern}.{key}.{name}".strip(".") for name in inner)
            if not inner:
                yield f"{self.pattern}.{key}".strip(".")
        for inside in self._inside.values():
            yield from inside._unasked()  # noqa: SLF001


def _indices(below: int) -> str:
    return f"0 to {below - 1:,}" if below else "nothing: the list is empty"


def _bounds(low: float, high: float) -> str:
    if high == math.inf:
        return f"{low:g} or more"
    return f"{high:g} or less" if low == -math.inf else f"{low:g} to {high:g}"


def _shown(value: object) -> str:
    if isinstance(value, dict):
        return "an object"
    text = str(value) if isinstance(value, str) else repr(value)
    text = {"True": "true", "False": "false", "None": "null"}.get(text, text)
    return text if len(text) <= 80 else f"{text[:77]}…"
