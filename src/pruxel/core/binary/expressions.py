"""Expressions in layouts: arithmetic, comparison, choice and field access. Nothing else can be written.

An expression is parsed by Python's own grammar and only the node types listed here are let through, so there are no
calls but the few named functions, no attributes but fields, and no numbers beyond 64 bits and a bit.
"""

from __future__ import annotations

import ast
import operator
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Protocol

import numpy as np

from pruxel.core.base.errors import ErrorCode, InputError

_LONGEST = 400
_LARGEST = 1 << 66
_DEEPEST_SHIFT = 64

_BINARY: dict[type[ast.AST], Callable[[Any, Any], Any]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.FloorDiv: operator.floordiv,
    ast.Div: operator.truediv,
    ast.Mod: operator.mod,
    ast.BitAnd: operator.and_,
    ast.BitOr: operator.or_,
    ast.BitXor: operator.xor,
    ast.LShift: operator.lshift,
    ast.RShift: operator.rshift,
}
_COMPARE: dict[type[ast.AST], Callable[[Any, Any], bool]] = {
    ast.Eq: operator.eq,
    ast.NotEq: operator.ne,
    ast.Lt: operator.lt,
    ast.LtE: operator.le,
    ast.Gt: operator.gt,
    ast.GtE: operator.ge,
    ast.In: lambda item, group: item in group,
}
_UNARY: dict[type[ast.AST], Callable[[Any], Any]] = {
    ast.USub: operator.neg,
    ast.Not: operator.not_,
    ast.Invert: operator.invert,
}


def _align(value: int, step: int) -> int:
    return -(-value // step) * step


_FUNCTIONS: dict[str, Callable[..., Any]] = {"min": min, "max": max, "align": _align, "len": len}
_PLACES = ("start", "end")


class Scope(Protocol):
    """Where an expression finds the fields read so far."""

    def lookup(self, name: str) -> Any:  # noqa: ANN401 - any value of a field
        """Return the value of a field; raises KeyError."""

    def place(self, name: str, which: str) -> int:
        """Return the byte offset where a field starts or ends; raises KeyError."""


@dataclass(frozen=True)
class Expression:
    """A parsed expression; call it with a scope."""

    text: str
    tree: ast.expr

    def __call__(self, scope: Scope) -> Any:  # noqa: ANN401
        """Evaluate; raises `InputError` when a field is missing or a value is out of bounds."""
        try:
            return _evaluate(self.tree, scope)
        except (KeyError, IndexError) as error:
            raise self._failure(f"there is no value {error} here") from error
        except (TypeError, ValueError, ZeroDivisionError, OverflowError, RecursionError) as error:
            raise self._failure(str(error)) from error

    def _failure(self, why: str) -> InputError:
        return InputError(
            ErrorCode.LAYOUT,
            f"the layout's expression '{self.text}' has no value: {why}",
            hint="Check the names and the order of the fields in the layout.",
        )


@lru_cache(maxsize=4096)
def compile_expression(text: str) -> Expression:
    """Parse and check an expression; raises ValueError in words that fit a layout's author."""
    if len(text) > _LONGEST:
        message = f"an expression has at most {_LONGEST} characters"
        raise ValueError(message)
    try:
        tree = ast.parse(text, mode="eval").body
    except (SyntaxError, RecursionError, MemoryError) as error:
        message = f"'{text}' is not an expression"
        raise ValueError(message) from error
    _check(tree, text)
    return Expression(text, tree)


_PLAIN = (ast.Name, ast.Constant, ast.BinOp, ast.UnaryOp, ast.BoolOp, ast.Compare, ast.IfExp, ast.Attribute)
_INERT = (ast.Load, ast.And, ast.Or, ast.Tuple, ast.Subscript, ast.Call, *_BINARY, *_COMPARE, *_UNARY)


def _check(tree: ast.expr, text: str) -> None:
    for node in ast.walk(tree):
        if not isinstance(node, _PLAIN + _INERT):
            message = f"'{text}' uses {type(node).__name__}, which layouts do not have"
            raise ValueError(message)  # noqa: TRY004 - the text is wrong
        if isinstance(node, ast.Constant) and not isinstance(node.value, int | float | str | bool):
            message = f"'{text}' holds a constant that is neither number nor text"
            raise ValueError(message)  # noqa: TRY004 - the text is wrong
        if isinstance(node, ast.Attribute) and node.attr.startswith("_"):
            message = f"'{text}' reaches for a private name"
            raise ValueError(message)
        if isinstance(node, ast.Call):
            known = isinstance(node.func, ast.Name) and node.func.id in {*_FUNCTIONS, *_PLACES}
            if not known or node.keywords:
                names = ", ".join([*_FUNCTIONS, *_PLACES])
                message = f"'{text}' calls something other than {names}"
                raise ValueError(message)


def _evaluate(node: ast.expr, scope: Scope) -> Any:  # noqa: ANN401
    match node:
        case ast.Constant():
            return node.value
        case ast.Name():
            return scope.lookup(node.id)
        case ast.Attribute():
            return field_of(_evaluate(node.value, scope), node.attr)
        case ast.Subscript():
            found = _evaluate(node.value, scope)[_index(_evaluate(node.slice, scope))]
            return found.item() if isinstance(found, np.generic) else found
        case ast.UnaryOp():
            return _UNARY[type(node.op)](_evaluate(node.operand, scope))
        case ast.BinOp():
            return _bounded(node, _evaluate(node.left, scope), _evaluate(node.right, scope))
        case ast.BoolOp():
            values = (_evaluate(value, scope) for value in node.values)
            return all(values) if isinstance(node.op, ast.And) else any(values)
        case ast.Compare():
            left = _evaluate(node.left, scope)
            for test, operand in zip(node.ops, node.comparators, strict=True):
                right = _evaluate(operand, scope)
                if not _COMPARE[type(test)](left, right):
                    return False
                left = right
            return True
        case ast.IfExp():
            return _evaluate(node.body if _evaluate(node.test, scope) else node.orelse, scope)
        case ast.Tuple():
            return tuple(_evaluate(item, scope) for item in node.elts)
        case ast.Call(func=ast.Name(id=name)):
            if name in _PLACES:
                return scope.place(ast.unparse(node.args[0]), name)
            return _FUNCTIONS[name](*(_evaluate(argument, scope) for argument in node.args))
    message = f"{type(node).__name__} has no meaning"
    raise TypeError(message)


def _index(value: Any) -> int:  # noqa: ANN401
    if not isinstance(value, int) or value < 0:
        message = f"{value!r} is not an index"
        raise ValueError(message)
    return value


_KINDS: dict[type, str] = {str: "text", tuple: "a list", memoryview: "bytes"}


def _bounded(node: ast.BinOp, left: Any, right: Any) -> Any:  # noqa: ANN401
    for value in (left, right):
        if not isinstance(value, int | float):
            message = f"{_KINDS.get(type(value), 'this kind of value')} cannot be computed with"
            raise TypeError(message)
    if isinstance(node.op, ast.LShift | ast.RShift) and not 0 <= right <= _DEEPEST_SHIFT:
        message = f"a shift by {right} bits"
        raise ValueError(message)
    value = _BINARY[type(node.op)](left, right)
    if abs(value) > _LARGEST:
        message = "a number beyond 64 bits"
        raise OverflowError(message)
    return value


def field_of(value: Any, name: str) -> Any:  # noqa: ANN401
    """One field of a record or mapping; raises KeyError."""
    if isinstance(value, Mapping):
        return value[name]
    lookup = getattr(value, "lookup", None)
    if lookup is None:
        raise KeyError(name)
    return lookup(name)
