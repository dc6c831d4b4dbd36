"""Records of varying size, a compiled walk over all of them: where each field begins, and how many values it has.

Sizes, counts and conditions are small programs over the whole numbers read so far in the record; what the rest of the
file says is put in as constants. Only what can be said so is walked this way (`program_of` gives None for the rest).
"""

from __future__ import annotations

import ast
from collections.abc import Mapping
from dataclasses import dataclass

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.binary.elements import element
from pruxel.core.binary.fields.fixed import fixed_dtype
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import FieldSpec, Layout

_OPS: dict[type[ast.AST], int] = {
    ast.Add: 2, ast.Sub: 3, ast.Mult: 4, ast.FloorDiv: 5, ast.Mod: 6, ast.BitAnd: 7, ast.BitOr: 8, ast.BitXor: 9,
    ast.LShift: 10, ast.RShift: 11, ast.Eq: 12, ast.NotEq: 13, ast.Lt: 14, ast.LtE: 15, ast.Gt: 16, ast.GtE: 17,
    ast.And: 18, ast.Or: 19, ast.Not: 20, ast.USub: 21, ast.Invert: 22, ast.IfExp: 23,
}  # fmt: skip
_CONSTANT, _LOAD = 0, 1
_UNUSUAL = ("at", "until", "align", "stride", "equals", "check", "codec", "cipher", "within")
_DEEPEST, _LONGEST = 24, 200
_PREFIXES = {"u8": 1, "u16": 2, "u32": 4}
# What one field is: an element, a block of so many bytes, a text with its length before it, one with a zero behind it.
_ELEMENT, _BYTES, _PREFIXED, _ENDED = 0, 1, 2, 3
TRUNCATED, NEGATIVE, UNENDED, ODD = 1, 2, 3, 4


@dataclass(frozen=True, eq=False)
class Program:
    """A walk over the fields `specs` of a record.

    `fields` (f, 8) int64: what it is, bytes of one value, where and how long the programs of its count and condition
    are, whether its value is kept for programs (1 to 8 bytes, below zero if signed), big endian. `code` (c, 2) int64.
    """

    fields: AnyArray
    code: AnyArray
    specs: tuple[FieldSpec, ...]


def program_of(layout: Layout, kind: str, version: int | None, scope: Record) -> Program | None:
    """The walk over records of a kind inside `scope`; None where a field needs more than it can do."""
    names: dict[str, int] = {}
    bits: dict[str, tuple[int, Mapping[str, tuple[int, int]]]] = {}
    rows: list[list[int]] = []
    code: list[tuple[int, int]] = []
    specs: list[FieldSpec] = []
    for spec in layout.records[kind]:
        there = _there(spec, version)
        if there is None:
            return None
        if not there:
            continue
        row = _row(spec, layout, version)
        if row is None:
            return None
        compiler = _Compiler(scope, names, bits, code)
        for place, text in ((2, _count_text(spec)), (4, spec.when)):
            begin = len(code)
            if text is not None and not compiler.add(text):
                return None
            row[place], row[place + 1] = begin, len(code) - begin
        if spec.name is not None and row[6]:
            names[spec.name] = len(rows)
            if spec.bits is not None:
                bits[spec.name] = (len(rows), spec.bits)
        rows.append(row)
        specs.append(spec)
    if not rows:
        return None
    plain = np.array(code, np.int64).reshape(-1, 2)
    return Program(np.array(rows, np.int64), plain, tuple(specs))


def _there(spec: FieldSpec, version: int | None) -> bool | None:
    if spec.since is None and spec.before is None:
        return True
    if version is None:
        return None
    return (spec.since is None or version >= spec.since) and (spec.before is None or version < spec.before)


def _count_text(spec: FieldSpec) -> str | None:
    if spec.type in {"bytes", "pad"} or (spec.type == "text" and spec.size is not None):
        return spec.size
    return spec.count


def _row(spec: FieldSpec, layout: Layout, version: int | None) -> list[int] | None:
    """What a field is, its programs still empty; None where it cannot be walked."""
    unusual = (
        spec.at,
        spec.until,
        spec.align,
        spec.stride,
        spec.equals,
        spec.check,
        spec.codec,
        spec.cipher,
        spec.within,
    )
    if any(one is not None for one in unusual) or spec.given:
        return None
    big = int((spec.endian or layout.endian) == "big")
    if spec.type in {"bytes", "pad"}:
        return None if spec.repeated else [_BYTES, 1, 0, 0, 0, 0, 0, big]
    if spec.type == "text":
        if spec.repeated or spec.encoding.startswith("utf-16"):
            return None
        if spec.prefix is not None:
            return [_PREFIXED, _PREFIXES[spec.prefix], 0, 0, 0, 0, 0, big]
        return [_BYTES if spec.size is not None else _ENDED, 1, 0, 0, 0, 0, 0, big]
    kind = element(spec.type)
    if kind is None:
        fixed = None if spec.type not in layout.records else fixed_dtype(layout, spec.type, version, None)
        return None if fixed is None or not spec.repeated else [_ELEMENT, fixed.dtype.itemsize, 0, 0, 0, 0, 0, big]
    kept = 0
    if kind.whole and kind.width == 1 and not spec.repeated and kind.code != "u8":
        kept = -kind.size if kind.code[0] == "i" else kind.size
    return [_ELEMENT, kind.size, 0, 0, 0, 0, kept, big]


class _Compiler:
    """Expressions → postfix code over whole numbers; anything else is given up."""

    def __init__(
        self,
        scope: Record,
        names: Mapping[str, int],
        bits: Mapping[str, tuple[int, Mapping[str, tuple[int, int]]]],
        code: list[tuple[int, int]],
    ) -> None:
        self._scope, self._names, self._bits, self._code = scope, names, bits, code

    def add(self, text: str) -> bool:
        """Append the code of an expression; False, with nothing appended, where it cannot be said so."""
        begin = len(self._code)
        try:
            deepest = self._node(ast.parse(text, mode="eval").body)
        except (_GivenUpError, SyntaxError, ValueError, RecursionError):
            del self._code[begin:]
            return False
        return deepest <= _DEEPEST and len(self._code) - begin <= _LONGEST

    def _node(self, node: ast.expr) -> int:
        """Append the code of a node; returns how deep the stack gets."""
        match node:
            case ast.Constant(value=int() as plain):
                self._put(_CONSTANT, int(plain))
                return 1
            case ast.Name():
                return self._name(node.id)
            case ast.Attribute(value=ast.Name(id=name), attr=part) if name in self._bits:
                return self._bit(name, part)
            case ast.BinOp() if type(node.op) in _OPS:
                return self._several((node.left, node.right), type(node.op))
            case ast.Compare(ops=[op]) if type(op) in _OPS:
                return self._several((node.left, node.comparators[0]), type(op))
            case ast.BoolOp(values=[first, second]):
                return self._several((first, second), type(node.op))
            case ast.UnaryOp() if type(node.op) in _OPS:
                return self._several((node.operand,), type(node.op))
            case ast.IfExp():
                return self._several((node.test, node.body, node.orelse), ast.IfExp)
        raise _GivenUpError

    def _several(self, nodes: tuple[ast.expr, ...], op: type[ast.AST]) -> int:
        deepest = max(self._node(one) + at for at, one in enumerate(nodes))
        self._put(_OPS[op], 0)
        return deepest

    def _name(self, name: str) -> int:
        if name in self._names and name not in self._bits:
            self._put(_LOAD, self._names[name])
            return 1
        if name in self._names:
            raise _GivenUpError
        try:
            value = self._scope.lookup(name)
        except KeyError:
            raise _GivenUpError from None
        if not isinstance(value, int) or abs(value) >= 1 << 62 or name in {"here", "start_of_record"}:
            raise _GivenUpError
        self._put(_CONSTANT, int(value))
        return 1

    def _bit(self, name: str, part: str) -> int:
        slot, fields = self._bits[name]
        first, count = (0, 63) if part == "raw" else fields.get(part, (-1, 0))
        if part != "raw" and (first < 0 or count > 62):
            raise _GivenUpError
        self._put(_LOAD, slot)
        if part != "raw":
            self._put(_CONSTANT, first)
            self._put(_OPS[ast.RShift], 0)
            self._put(_CONSTANT, (1 << count) - 1)
            self._put(_OPS[ast.BitAnd], 0)
        return 2

    def _put(self, op: int, value: int) -> None:
        self._code.append((op, value))


class _GivenUpError(Exception):
    """An expression that the walk cannot work out."""


@numba.njit(cache=True, nogil=True)
def _worked_out(code, begin, length, slots, stack):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """The value of a program, and whether it has one."""
    top = 0
    for at in range(begin, begin + length):
        op, value = code[at, 0], code[at, 1]
        if op == 0:
            stack[top] = value
            top += 1
        elif op == 1:
            stack[top] = slots[value]
            top += 1
        elif op == 20:
            stack[top - 1] = 0 if stack[top - 1] else 1
        elif op == 21:
            stack[top - 1] = -stack[top - 1]
        elif op == 22:
            stack[top - 1] = ~stack[top - 1]
        elif op == 23:
            stack[top - 3] = stack[top - 2] if stack[top - 3] else stack[top - 1]
            top -= 2
        else:
            a, b = stack[top - 2], stack[top - 1]
            top -= 1
            if op in (5, 6) and b == 0:
                return 0, False
            if op in (10, 11) and not 0 <= b <= 62:
                return 0, False
            if op == 2:
                a = a + b
            elif op == 3:
                a = a - b
            elif op == 4:
                a = a * b
            elif op == 5:
                a = a // b
            elif op == 6:
                a = a % b
            elif op == 7:
                a = a & b
            elif op == 8:
                a = a | b
            elif op == 9:
                a = a ^ b
            elif op == 10:
                a = a << b
            elif op == 11:
                a = a >> b
            elif op == 12:
                a = 1 if a == b else 0
            elif op == 13:
                a = 1 if a != b else 0
            elif op == 14:
                a = 1 if a < b else 0
            elif op == 15:
                a = 1 if a <= b else 0
            elif op == 16:
                a = 1 if a > b else 0
            elif op == 17:
                a = 1 if a >= b else 0
            elif op == 18:
                a = b if a else a
            else:
                a = a or b
            stack[top - 1] = a
    return stack[0], True


@numba.njit(cache=True, nogil=True)
def _number(data, at, size, signed, big):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    value = np.int64(0)
    for k in range(size):
        byte = np.int64(data[at + k] if big else data[at + size - 1 - k])
        value = (value << 8) | byte
    if signed and size < 8 and value >> (8 * size - 1):
        value -= np.int64(1) << (8 * size)
    return value


@numba.njit(cache=True, nogil=True)
def walk(data, start, fields, code, begins, places, counts):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN201
    """Where each record begins, `begins` (rows,), and each field: `places` and `counts` (rows, f), int64, are filled.

    A place is a first byte, -1 where the field is not there; a count the number of its values.
    data (n,) uint8. Returns where the last record ends, the rows done, and what ended the walk: 0 nothing, or one of
    the reasons above, with the field and the byte of it.
    """
    rows, width = places.shape
    slots = np.zeros(width, np.int64)
    stack = np.zeros(64, np.int64)
    at = start
    for row in range(rows):
        begins[row] = at
        for f in range(width):
            slots[f] = 0
            if fields[f, 5]:
                wanted, good = _worked_out(code, fields[f, 4], fields[f, 5], slots, stack)
                if not good:
                    return at, row, 4, f
                if not wanted:
                    places[row, f] = -1
                    counts[row, f] = 0
                    continue
            kind, size, count = fields[f, 0], fields[f, 1], np.int64(1)
            if fields[f, 3]:
                count, good = _worked_out(code, fields[f, 2], fields[f, 3], slots, stack)
                if not good:
                    return at, row, 4, f
            if count < 0:
                return at, row, 2, f
            if kind == 2:
                if at + size > len(data):
                    return at, row, 1, f
                count = _number(data, at, size, 0, fields[f, 7])
                at += size
                size = np.int64(1)
            elif kind == 3:
                stop = at
                while stop < len(data) and data[stop] != 0 and stop - at <= 65536:
                    stop += 1
                if stop >= len(data) or stop - at > 65536:
                    return at, row, 3, f
                count = stop - at
            if count > len(data) or at + count * size > len(data):
                return at, row, 1, f
            places[row, f] = at
            counts[row, f] = count
            kept = fields[f, 6]
            if kept:
                slots[f] = _number(data, at, abs(kept), kept < 0, fields[f, 7])
            at += count * size
            if kind == 3:
                at += 1
    return at, rows, 0, 0


@numba.njit(cache=True, nogil=True)
def gathered(data, places, sizes, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN201
    """Copy runs of bytes, `sizes` (n,) of them from `places` (n,) on, one behind the other into `out`."""
    to = 0
    for n in range(len(places)):
        for k in range(sizes[n]):
            out[to] = data[places[n] + k]
            to += 1


def read_only(data: memoryview) -> AnyArray:
    """(n,) uint8 of a block of bytes, never to be written: so that the kernels are compiled for one kind of array."""
    found = np.frombuffer(data, np.uint8)
    if found.flags.writeable:
        found = found.view()
        found.flags.writeable = False
    return found


def warm() -> None:
    """Compile the kernels beforehand."""
    fields, one = np.array([[_ELEMENT, 1, 0, 0, 0, 0, 1, 0]], np.int64), np.zeros(1, np.int64)
    data = read_only(memoryview(bytes(1)))
    walk(data, 0, fields, np.zeros((0, 2), np.int64), one, np.zeros((1, 1), np.int64), np.zeros((1, 1), np.int64))
    gathered(data, np.zeros(1, np.int64), np.ones(1, np.int64), np.zeros(1, np.uint8))
