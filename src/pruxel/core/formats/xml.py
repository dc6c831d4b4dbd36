"""XML of formats, walked over without entities, within budgets."""

from __future__ import annotations

from collections.abc import Callable
from xml.parsers import expat

from pruxel.core.base.errors import ErrorCode, InputError

_DEEPEST = 256
_MOST = 200_000_000
Begin = Callable[[str, dict[str, str]], None]
Finish = Callable[[str, str], None]


def walk_xml(data: bytes, name: str, begin: Begin, finish: Finish) -> None:
    """Call `begin` with tag and attributes, `finish` with tag and text, of every element, without namespaces.

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
        begin(tag.rpartition(":")[2], attributes)

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
