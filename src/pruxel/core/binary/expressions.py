"""Expressions in layouts: arithmetic on numbers and arrays, comparison, choice, fields, and named functions.

An expression is parsed by Python's own grammar, and only the kinds of node listed here are let through; calls are
those of `functions`. It is compiled once to nested closures. There is no way to anything but the fields of the file.
"""

from __future__ import annotations

import ast
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Protocol

import numpy as np

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.arithmetic import BINARY, COMPARE, UNARY, combined, compared, field_of, item_of, truth, unary
from pruxel.core.binary.functions.registry import FUNCTIONS, Function

_LONGEST = 1000
_DEEPEST = 40
# Of places in the file, and of whether a field was read: they take names, not values.
_OF_NAMES = ("start", "end", "has")


class Scope(Protocol):
    """Where an expression finds the fields read so far."""

    def lookup(self, name: str) -> Any:  # noqa: ANN401 - any value of a field
        """Return the value of a field; raises KeyError."""

    def place(self, name: str, which: str) -> int:
        """Return the byte offset where a field starts or ends; raises KeyError."""

    def charge(self, elements: int) -> None:
        """Count elements that were made; raises `InputError` when they are too many for the file."""


Run = Callable[[Scope], Any]


@dataclass(frozen=True)
class Expression:
    """A checked expression; call it with a scope. `names` are the fields it starts from."""

    text: str
    run: Run
    names: frozenset[str]

    def __call__(self, scope: Scope) -> Any:  # noqa: ANN401
        """Evaluate; raises `InputError` when a field is missing or a value is out of bounds."""
        try:
            return self.run(scope)
        except KeyError as error:
            raise self._failure(f"there is no '{error.args[0]}' here") from error
        except IndexError as error:
            raise self._failure(f"there is no item {error.args[0]}") from error
        except ValueError as error:
            raise self._failure(str(error)) from error
        except (TypeError, AttributeError, OverflowError, ArithmeticError, MemoryError, RecursionError) as error:
            raise self._failure("its values do not go together") from error

    def _failure(self, why: str) -> InputError:
        return InputError(
            ErrorCode.LAYOUT,
            f"the layout's expression '{self.text}' has no value: {why}",
            hint="Check the names and the order of the fields in the layout.",
        )


@lru_cache(maxsize=8192)
def compile_expression(text: str) -> Expression:
    """Parse and check an expression; raises ValueError in words that fit a layout's author."""
    if len(text) > _LONGEST:
        raise ValueError(f"an expression has at most {_LONGEST} characters")
    try:
        tree = ast.parse(text.strip(), mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise ValueError(f"'{text}' is not an expression") from None
    names: set[str] = set()
    try:
        run = _compiled(tree, names, 0)
    except RecursionError:
        raise ValueError(f"'{text}' is nested too deeply") from None
    except ValueError as error:
        raise ValueError(f"'{text}' {error}") from None
    return Expression(text, run, frozenset(names))


_WORDS: dict[type[ast.AST], str] = {
    ast.Pow: "'**' (powers)", ast.Is: "'is'", ast.IsNot: "'is not'", ast.Lambda: "a function of its own",
    ast.ListComp: "a loop", ast.SetComp: "a loop", ast.DictComp: "a loop", ast.GeneratorExp: "a loop",
    ast.Dict: "keys with values", ast.Set: "a set", ast.JoinedStr: "a text with values in it", ast.NamedExpr: "':='",
    ast.Starred: "'*'", ast.Await: "'await'", ast.Yield: "'yield'", ast.YieldFrom: "'yield'",
}  # fmt: skip


def _unknown(kind: type[ast.AST]) -> ValueError:
    """In words of our own: what stands there has a name only in the language it is written in."""
    return ValueError(f"uses {_WORDS.get(kind, 'something')}, which layouts do not have")


def _compiled(node: ast.expr, names: set[str], depth: int) -> Run:
    if depth > _DEEPEST:
        raise ValueError("is nested too deeply")
    found = _BY_NODE.get(type(node))
    if found is None:
        raise _unknown(type(node))
    return found(node, names, depth + 1)


def _constant(node: ast.Constant, _names: set[str], _depth: int) -> Run:
    value = node.value
    if not isinstance(value, int | float | str):
        raise ValueError("holds a constant that is neither number nor text")
    if isinstance(value, int) and abs(value) > 1 << 64:
        raise ValueError("holds a number beyond 64 bits")
    return lambda _scope: value


def _name(node: ast.Name, names: set[str], _depth: int) -> Run:
    name = node.id
    names.add(name)
    return lambda scope: scope.lookup(name)


def _attribute(node: ast.Attribute, names: set[str], depth: int) -> Run:
    inner, name = _compiled(node.value, names, depth), node.attr
    if name.startswith("_"):
        raise ValueError("reaches for a private name")
    return lambda scope: field_of(inner(scope), name)


def _subscript(node: ast.Subscript, names: set[str], depth: int) -> Run:
    inner, index = _compiled(node.value, names, depth), _index(node.slice, names, depth)

    def run(scope: Scope) -> Any:  # noqa: ANN401
        found = item_of(inner(scope), index(scope))
        if isinstance(found, np.ndarray):
            scope.charge(found.size)
        return found.item() if isinstance(found, np.generic) else found

    return run


def _index(node: ast.expr, names: set[str], depth: int) -> Run:
    if isinstance(node, ast.Slice):
        given = (node.lower, node.upper, node.step)
        begin, end, step = (None if one is None else _compiled(one, names, depth) for one in given)
        return lambda scope: slice(*(None if one is None else one(scope) for one in (begin, end, step)))
    if isinstance(node, ast.Tuple):
        parts = [_index(one, names, depth) for one in node.elts]
        return lambda scope: tuple(part(scope) for part in parts)
    return _compiled(node, names, depth)


def _unary(node: ast.UnaryOp, names: set[str], depth: int) -> Run:
    op, inner = type(node.op), _compiled(node.operand, names, depth)
    if op not in UNARY:
        raise _unknown(op)
    return lambda scope: unary(op, inner(scope))


def _binary(node: ast.BinOp, names: set[str], depth: int) -> Run:
    op = type(node.op)
    if op not in BINARY:
        raise _unknown(op)
    left, right = _compiled(node.left, names, depth), _compiled(node.right, names, depth)

    def run(scope: Scope) -> Any:  # noqa: ANN401
        found = combined(op, left(scope), right(scope))
        if isinstance(found, np.ndarray):
            scope.charge(found.size)
        return found

    return run


def _logic(node: ast.BoolOp, names: set[str], depth: int) -> Run:
    parts = [_compiled(value, names, depth) for value in node.values]
    test = all if isinstance(node.op, ast.And) else any
    return lambda scope: test(truth(part(scope)) for part in parts)


def _comparison(node: ast.Compare, names: set[str], depth: int) -> Run:
    ops = [type(op) for op in node.ops]
    for op in ops:
        if op not in COMPARE:
            raise _unknown(op)
    parts = [_compiled(value, names, depth) for value in (node.left, *node.comparators)]

    def run(scope: Scope) -> Any:  # noqa: ANN401
        left = parts[0](scope)
        for op, part in zip(ops[:-1], parts[1:-1], strict=True):
            right = part(scope)
            if not truth(compared(op, left, right)):
                return False
            left = right
        found = compared(ops[-1], left, parts[-1](scope))
        return bool(found) if isinstance(found, np.bool_) else found

    return run


def _choice(node: ast.IfExp, names: set[str], depth: int) -> Run:
    test, then, other = (_compiled(part, names, depth) for part in (node.test, node.body, node.orelse))
    return lambda scope: then(scope) if truth(test(scope)) else other(scope)


def _tuple(node: ast.Tuple, names: set[str], depth: int) -> Run:
    parts = [_compiled(part, names, depth) for part in node.elts]
    return lambda scope: tuple(part(scope) for part in parts)


def _call(node: ast.Call, names: set[str], depth: int) -> Run:
    called = node.func.id if isinstance(node.func, ast.Name) else ""
    if called in _OF_NAMES:
        return _of_name(node, called)
    function = FUNCTIONS.get(called)
    if function is None:
        raise ValueError(f"calls something other than {', '.join([*_OF_NAMES, *sorted(FUNCTIONS)])}")
    if any(isinstance(one, ast.Starred) for one in node.args) or any(word.arg is None for word in node.keywords):
        raise ValueError("unpacks arguments, which layouts do not do")
    function.check(len(node.args), [str(word.arg) for word in node.keywords])
    given = [_compiled(one, names, depth) for one in node.args]
    words = {str(word.arg): _compiled(word.value, names, depth) for word in node.keywords}
    return _calling(function, given, words)


def _calling(function: Function, given: list[Run], words: dict[str, Run]) -> Run:
    def run(scope: Scope) -> Any:  # noqa: ANN401
        values = [one(scope) for one in given]
        named = {word: one(scope) for word, one in words.items()}
        try:
            found = function.call(*values, **named)
        except (TypeError, AttributeError):
            raise ValueError(f"'{function.name}' cannot work with these values; {function.usage}") from None
        if isinstance(found, np.ndarray):
            scope.charge(found.size)
            return found.item() if found.ndim == 0 else found
        return found.item() if isinstance(found, np.generic) else found

    return run


def _of_name(node: ast.Call, called: str) -> Run:
    if len(node.args) != 1 or node.keywords or not isinstance(node.args[0], ast.Name):
        raise ValueError(f"gives '{called}' something other than the name of one field")
    name = node.args[0].id
    if called == "has":
        return lambda scope: _is_there(scope, name)
    return lambda scope: scope.place(name, called)


def _is_there(scope: Scope, name: str) -> bool:
    try:
        scope.lookup(name)
    except KeyError:
        return False
    return True


_BY_NODE: dict[type[ast.expr], Callable[[Any, set[str], int], Run]] = {
    ast.Constant: _constant,
    ast.Name: _name,
    ast.Attribute: _attribute,
    ast.Subscript: _subscript,
    ast.UnaryOp: _unary,
    ast.BinOp: _binary,
    ast.BoolOp: _logic,
    ast.Compare: _comparison,
    ast.IfExp: _choice,
    ast.Tuple: _tuple,
    ast.Call: _call,
}
