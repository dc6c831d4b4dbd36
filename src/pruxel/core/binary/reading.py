"""The state of reading one file by a layout, and the values, places and budgets that every field asks for."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, NoReturn

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.records import Budget, Let, Record
from pruxel.core.binary.schema import FieldSpec, Layout

_FREE_RECORDS = 4096


@dataclass
class Spent:
    """What one reading has used up so far, inner ones included."""

    records: int = 0
    unpacked: int = 0


Beside = Callable[[str], memoryview | None]
Enter = Callable[["Reading", str, int, Record, Mapping[str, Any]], tuple[Record, int]]


@dataclass
class Reading:
    """The state of one reading: where the bytes are, and what it has used up."""

    layout: Layout
    data: memoryview
    name: str
    context: Context
    enter: Enter
    version: int | None = None
    spent: Spent = field(default_factory=Spent)
    depth: int = 0
    constants: dict[str, Any] = field(default_factory=dict)
    keys: Mapping[str, bytes] = field(default_factory=dict)
    any_version: bool = False
    beside: Beside | None = None
    begun: Callable[[Record], None] | None = None
    sealed: dict[str, str] = field(default_factory=dict)
    size: int = 0
    budget: Budget = field(default_factory=Budget)

    def __post_init__(self) -> None:
        self.constants = {"file_end": len(self.data), "file_name": self.name, "endian": self.layout.endian}
        self.constants |= self.layout.constants
        self.constants |= {name: Let(compile_expression(text).run) for name, text in self.layout.let.items()}
        self.size = self.size or len(self.data)
        self.budget.size = self.size


def evaluate(reading: Reading, text: str, record: Record, spec: FieldSpec, at: int) -> Any:  # noqa: ANN401
    """The value of an expression among the fields read so far; raises `InputError` with the place."""
    record.here = at
    try:
        return compile_expression(text)(record)
    except InputError as error:
        fault = error.fault
        raise InputError(
            fault.code,
            fault.message,
            file=reading.name,
            offset=at,
            field=f"{record.kind}.{spec.name or spec.type}",
            expected=fault.expected,
            hint=fault.hint,
        ) from error


def whole(reading: Reading, text: str, record: Record, spec: FieldSpec, at: int) -> int:
    """Evaluate to a whole number that is not negative."""
    value = evaluate(reading, text, record, spec, at)
    if isinstance(value, bool) or not isinstance(value, int) or value < 0:
        raise InputError(
            ErrorCode.MALFORMED,
            f"'{text}' should be a count, size or offset",
            file=reading.name,
            offset=at,
            field=f"{record.kind}.{spec.name or spec.type}",
            expected="a whole number from 0",
            found=repr(value),
        )
    return value


def integer(reading: Reading, record: Record, spec: FieldSpec, value: Any, at: int, what: str) -> int:  # noqa: ANN401
    """A value as the whole number that `what` needs it to be; raises `InputError`."""
    if isinstance(value, int) or (isinstance(value, float) and value.is_integer()):
        return int(value)
    raise InputError(
        ErrorCode.MALFORMED,
        f"'{what}' needs a whole number",
        file=reading.name,
        offset=at,
        field=f"{record.kind}.{spec.name}",
        found=repr(value)[:80],
    )


def need(reading: Reading, at: int, size: int, record: Record, spec: FieldSpec) -> None:
    """Raise when the file ends before `at + size`."""
    length = len(reading.data)
    if at + size > length:
        beyond = at > length
        raise InputError(
            ErrorCode.ENTRY_OUTSIDE_FILE if beyond else ErrorCode.TRUNCATED,
            "the field points outside the file" if beyond else "the file ends inside this field",
            file=reading.name,
            offset=at,
            field=f"{record.kind}.{spec.name or spec.type}",
            expected=f"{size:,} bytes from byte {at:,}",
            found=f"a file of {length:,} bytes",
            hint="The copy may be incomplete, or the layout may not fit this version.",
        )


def most_records(reading: Reading) -> int:
    """A file of few bytes holds few records, even where they overlap."""
    return min(reading.context.limits.records, _FREE_RECORDS + reading.size)


def over_budget(
    reading: Reading, record: Record, spec: FieldSpec, at: int, count: int, what: str = "a count"
) -> NoReturn:
    """Raise for a number that no file of this size can mean."""
    raise InputError(
        ErrorCode.BUDGET,
        f"{what} is larger than the file can hold",
        file=reading.name,
        offset=at,
        field=f"{record.kind}.{spec.name}",
        expected=f"at most {min(reading.context.limits.records, len(reading.data)):,}",
        found=f"{count:,}",
        hint="The field may be damaged, or the layout may not fit this version.",
    )


def byte_order(reading: Reading, spec: FieldSpec) -> str:
    """The byte order of a field, `<` or `>`."""
    return "<" if (spec.endian or reading.layout.endian) == "little" else ">"
