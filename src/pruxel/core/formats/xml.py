"""XML of formats, walked over without entities, within budgets."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from xml.parsers import expat

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.errors import ErrorCode, InputError

_DEEPEST = 256
_MOST = 200_000_000
_MOST_KEPT = 4_000_000
Begin = Callable[[str, dict[str, str], int], None]
Finish = Callable[[str, str], None]


def walk_xml(data: bytes, name: str, begin: Begin, finish: Finish) -> None:
    """Call `begin` with tag, attributes and line, `finish` with tag and text, of every element, without namespaces.

    Raises `InputError` for what is no XML, defines entities, or is too deep.
    """
    parser = expat.ParserCreate()
    parser.buffer_text = True
    texts: list[list[str]] = []
    count = 0

    def started(tag: str, attributes: dict[str, str]) -> None:
        nonlocal count
        count += 1
        if len(texts) > _DEEPEST or count > _MOST:
            raise _bad(parser, name, f"more than {_DEEPEST} levels of elements, or too many", ErrorCode.BUDGET)
        texts.append([])
        begin(tag.rpartition(":")[2], attributes, parser.CurrentLineNumber)

    def ended(tag: str) -> None:
        finish(tag.rpartition(":")[2], "".join(texts.pop()))

    def said(text: str) -> None:
        texts[-1].append(text)

    def refuse(*_: object) -> None:
        raise _bad(parser, name, "the XML defines entities of its own, which are not read", ErrorCode.BUDGET)

    parser.StartElementHandler, parser.EndElementHandler = started, ended
    parser.CharacterDataHandler = said
    parser.EntityDeclHandler = refuse
    try:
        parser.Parse(data, True)  # noqa: FBT003 - expat's own flag: this is all
    except expat.ExpatError as error:
        raise InputError(
            ErrorCode.MALFORMED,
            f"the XML cannot be read: {expat.ErrorString(error.code)}",
            file=name,
            offset=parser.CurrentByteIndex,
            field=f"line {error.lineno}, column {error.offset + 1}",
        ) from None
    except (UnicodeDecodeError, LookupError, ValueError) as error:
        raise InputError(ErrorCode.MALFORMED, f"the XML cannot be read: {error}", file=name) from None


def _bad(parser: expat.XMLParserType, name: str, message: str, code: ErrorCode) -> InputError:
    return InputError(code, message, file=name, field=f"line {parser.CurrentLineNumber}")


@dataclass(eq=False, slots=True)
class Tag:
    """An element: its name without namespace, attributes, text, elements below, and the line where it begins."""

    name: str
    attributes: dict[str, str]
    line: int
    text: str = ""
    children: list[Tag] = field(default_factory=list)

    def all(self, *names: str) -> Iterator[Tag]:
        """The elements right below that have one of these names."""
        return (child for child in self.children if child.name in names)

    def first(self, *path: str) -> Tag | None:
        """The first element down a path of names."""
        here: Tag | None = self
        for name in path:
            here = None if here is None else next(here.all(name), None)
        return here

    def under(self) -> Iterator[Tag]:
        """This element and all below, from the top down."""
        waiting = [self]
        while waiting:
            tag = waiting.pop()
            yield tag
            waiting.extend(reversed(tag.children))

    def get(self, key: str) -> str:
        """An attribute without spaces around it; nothing where it is not."""
        return self.attributes.get(key, "").strip()


def tree_of_xml(data: bytes, name: str) -> Tag:
    """The outermost element with all below; raises `InputError`."""
    top = Tag("", {}, 0)
    path = [top]
    count = 0

    def begin(tag: str, attributes: dict[str, str], line: int) -> None:
        nonlocal count
        count += 1
        if count > _MOST_KEPT:
            raise InputError(ErrorCode.BUDGET, f"more than {_MOST_KEPT:,} elements", file=name, field=f"line {line}")
        made = Tag(tag, attributes, line)
        path[-1].children.append(made)
        path.append(made)

    def finish(_tag: str, text: str) -> None:
        path.pop().text = text

    walk_xml(data, name, begin, finish)
    return top.children[0]


def numbers_in(text: str, file: str, line: int) -> DoubleArray:
    """(n,) the numbers of a text, between spaces; raises `InputError` for what is none."""
    words = text.split()
    try:
        return np.array([float(word) for word in words], np.float64)
    except ValueError:
        strange = next(word for word in words if not _is_number(word))
        raise InputError(
            ErrorCode.MALFORMED,
            "something stands where numbers are listed",
            file=file,
            field=f"line {line}",
            expected="numbers between spaces",
            found=strange[:40],
        ) from None


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True
