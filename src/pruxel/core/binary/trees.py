"""Text formats that are trees of values: JSON, XML, tables of cells, blocks of keys and values.

Each becomes plain values that expressions walk: mappings, lists, texts, numbers, and arrays where a list holds numbers
only. Deep nesting and more values than a file may hold are refused.
"""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Callable
from typing import Any
from xml.parsers import expat

import numpy as np

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.fields.words import number_in

_DEEPEST = 64
_MOST_VALUES = 4_000_000
_TOKEN = re.compile(r'"((?:[^"\\]|\\.)*)"|(//[^\n]*|#[^\n]*|/\*.*?\*/)|([{}])|(\n)|([^\s{}"]+)', re.DOTALL)


def read_tree(kind: str, data: memoryview, name: str) -> Any:  # noqa: ANN401 - any value of a field
    """The value of a whole text; raises `InputError` with line and column where the format has them."""
    text = _text(data, name)
    return _READERS[kind](text, name)


def _text(data: memoryview, name: str) -> str:
    raw = bytes(data)
    for mark, encoding in ((b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"), (b"", "utf-8-sig")):
        if raw.startswith(mark):
            try:
                return raw.decode(encoding).replace("\r\n", "\n")
            except UnicodeDecodeError:
                if mark:
                    raise _bad(name, "the text is not UTF-16, as its mark says") from None
    return raw.decode("latin-1").replace("\r\n", "\n")


def _bad(name: str, why: str, place: str | None = None) -> InputError:
    return InputError(
        ErrorCode.MALFORMED, why, file=name, field=place, hint="The layout may read another kind of text."
    )


def _json(text: str, name: str) -> Any:  # noqa: ANN401
    try:
        return _arrays(json.loads(text), 0, [0], name)
    except json.JSONDecodeError as error:
        raise _bad(name, f"not JSON: {error.msg.lower()}", f"line {error.lineno}, column {error.colno}") from None
    except (RecursionError, ValueError):
        raise _bad(name, "not JSON: nested too deeply, or a number that is none") from None


def _arrays(value: Any, depth: int, count: list[int], name: str) -> Any:  # noqa: ANN401
    """Lists of numbers, and of rows of numbers, as arrays."""
    count[0] += 1
    if depth > _DEEPEST or count[0] > _MOST_VALUES:
        raise _bad(name, f"more than {_MOST_VALUES:,} values, or {_DEEPEST} levels")
    if isinstance(value, dict):
        return {key: _arrays(one, depth + 1, count, name) for key, one in value.items()}
    if not isinstance(value, list):
        return value
    if value and all(type(one) in {int, float} for one in value):
        count[0] += len(value)
        return _numbers(value)
    inner = [_arrays(one, depth + 1, count, name) for one in value]
    if inner and all(isinstance(one, np.ndarray) for one in inner) and len({one.shape for one in inner}) == 1:
        return np.stack(inner)
    return inner


def _numbers(values: list[Any]) -> Any:  # noqa: ANN401
    """(n,) int64 or float64; a list where one is too large."""
    if any(isinstance(one, int) and abs(one) >= 1 << 63 for one in values):
        return values
    return np.asarray(values)


def _xml(text: str, name: str) -> dict[str, Any]:
    """The root element: attributes by name, children as lists by tag, `text`, `tag`. Namespaces are left out."""
    root: dict[str, Any] = {}
    stack = [root]
    words: list[list[str]] = [[]]
    count = 0
    parser = expat.ParserCreate()

    def begin(tag: str, attributes: dict[str, str]) -> None:
        nonlocal count
        count += 1 + len(attributes)
        if len(stack) > _DEEPEST or count > _MOST_VALUES:
            raise _bad(
                name, f"more than {_MOST_VALUES:,} values, or {_DEEPEST} levels", f"line {parser.CurrentLineNumber}"
            )
        plain = tag.rpartition(":")[2]
        node: dict[str, Any] = {"tag": plain} | {key.rpartition(":")[2]: value for key, value in attributes.items()}
        same = stack[-1].setdefault(plain, [])
        (same if isinstance(same, list) else stack[-1].setdefault("children", [])).append(node)
        stack.append(node)
        words.append([])

    def finish(_tag: str) -> None:
        stack.pop().setdefault("text", "".join(words.pop()).strip())

    def said(text: str) -> None:
        words[-1].append(text)

    def refuse(*_: object) -> None:
        raise _bad(name, "the XML defines entities or a type of its own, which is not read")

    parser.StartElementHandler, parser.EndElementHandler = begin, finish
    parser.CharacterDataHandler = said
    parser.EntityDeclHandler = refuse
    try:
        parser.Parse(text, True)  # noqa: FBT003 - expat's own flag: this is all
    except expat.ExpatError as error:
        place = f"line {error.lineno}, column {error.offset + 1}"
        raise _bad(name, f"not XML: {expat.ErrorString(error.code)}", place) from None
    [top] = next(iter(root.values()))
    return dict(top)


def _table(text: str, name: str) -> list[dict[str, Any]]:
    """Rows by the names of the first one, in lower case with `_` for what is no letter or digit."""
    head = text[:4096].split("\n", 1)[0]
    by = max(",;\t|", key=head.count)
    rows = csv.reader(io.StringIO(text), delimiter=by)
    try:
        names = [re.sub(r"\W+", "_", cell.strip().lower()) or f"column_{at}" for at, cell in enumerate(next(rows, []))]
        found: list[dict[str, Any]] = []
        for row in rows:
            if len(found) * max(len(names), 1) > _MOST_VALUES:
                raise _bad(name, f"more than {_MOST_VALUES:,} cells", f"line {rows.line_num}")
            if row:
                found.append({key: _plain(cell) for key, cell in zip(names, row, strict=False)})
    except csv.Error as error:
        raise _bad(name, f"no table of cells: {error}", f"line {rows.line_num}") from None
    return found


def _plain(word: str) -> str | int | float:
    """A number where a text is one."""
    found = number_in(word)
    return word if found is None else found


def _blocks(text: str, name: str) -> dict[str, Any]:
    """Lines of a key and its value, and blocks in braces, which are lists by the key before them, or by `blocks`.

    Values are texts as they stand; of several words they are joined by blanks. `//`, `#` and `/* */` are comments.
    """
    root: dict[str, Any] = {}
    stack, line, count = [root], list[str](), 0
    ended = False  # the line is over, and only a brace that follows at once still belongs to its key

    def end_of_line() -> None:
        nonlocal ended
        ended = False
        if line:
            stack[-1].setdefault(line[0], " ".join(line[1:]))
            line.clear()

    for match in _TOKEN.finditer(text):
        quoted, comment, brace, end, word = match.groups()
        count += 1
        if count > _MOST_VALUES or len(stack) > _DEEPEST:
            raise _bad(name, f"more than {_MOST_VALUES:,} words, or {_DEEPEST} levels", _line_of(text, match.start()))
        if end is not None:
            ended = True
            continue
        if ended and brace != "{":
            end_of_line()
        if comment is not None:
            continue
        if brace == "{":
            node: dict[str, Any] = {"title": " ".join(line[1:])}
            key = line[0] if line else "blocks"
            line.clear()
            ended = False
            same = stack[-1].setdefault(key, [])
            (same if isinstance(same, list) else stack[-1].setdefault("blocks", [])).append(node)
            stack.append(node)
        elif brace == "}":
            end_of_line()
            if len(stack) == 1:
                raise _bad(name, "a block ends that never began", _line_of(text, match.start()))
            stack.pop()
        else:
            line.append(word if quoted is None else quoted.replace('\\"', '"'))
    end_of_line()
    if len(stack) > 1:
        raise _bad(name, f"{len(stack) - 1} blocks have no end")
    return root


def _line_of(text: str, at: int) -> str:
    return f"line {text.count(chr(10), 0, at) + 1}"


_READERS: dict[str, Callable[[str, str], Any]] = {"json": _json, "xml": _xml, "table": _table, "blocks": _blocks}
