"""Read the nodes of a text FBX file: the same nodes as the binary ones, written out."""

from __future__ import annotations

import re
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.formats.fbx.elements import Element

_DEEPEST = 64
_MANY = 8  # numbers in a row from which they are an array
_NUMBER = rb"[-+]?(?:\d++\.?\d*+|\.\d++)(?:[eE][-+]?\d++)?"
_TOKEN = re.compile(
    rb"(?P<blank>[\s,]++|;[^\n]*+)|(?P<name>[A-Za-z_][\w|\- ]*+(?=:)):|(?P<text>\"[^\"]*+\")"
    rb"|(?P<numbers>" + _NUMBER + rb"(?![\w.#])(?:\s*+,\s*+" + _NUMBER + rb"(?![\w.#]))*+)"
    rb"|(?P<many>\*\d++)|(?P<open>\{)|(?P<close>\})|(?P<word>[^\s,{}\":;]++)"
)
_ENTITIES = {"&quot;": '"', "&cr;": "\r", "&lf;": "\n"}
_WHOLE = re.compile(rb"[-+]?\d+\Z")
_FIRST = re.compile(rb"(?:\xef\xbb\xbf)?\s*(?:;[^\n]*\n\s*)*(?:FBXHeaderExtension\s*:|Objects\s*:)")
_SAYS = re.compile(rb"(?:\xef\xbb\xbf)?\s*; ?FBX \d+\.\d+")
_VERSION = re.compile(rb"FBXVersion\s*:\s*(\d+)")


def begins_as_text(head: bytes) -> bool:
    """Whether a text file of this format stands there."""
    return bool(_FIRST.match(head) or _SAYS.match(head))


def read_text(data: memoryview, name: str, limits: Limits) -> tuple[list[Element], int]:
    """All top nodes and the version; raises `InputError`."""
    text = bytes(data)
    if len(text) > limits.text_bytes:
        raise InputError(
            ErrorCode.BUDGET,
            "the text is larger than one file may be",
            file=name,
            expected=f"at most {limits.text_bytes:,} bytes",
            found=f"{len(text):,}",
        )
    root = Element("", [])
    stack, current, nodes, place = [root], root, 0, 0
    while place < len(text):
        token = _TOKEN.match(text, place)
        if token is None:
            place += 1  # a stray sign
            continue
        place, kind = token.end(), token.lastgroup
        if kind == "name":
            nodes += 1
            if nodes > limits.records:
                raise InputError(ErrorCode.BUDGET, "there are too many nodes", file=name, offset=token.start())
            current = Element(token["name"].decode("utf-8", "replace"), [])
            stack[-1].children.append(current)
        elif kind == "open":
            if len(stack) > _DEEPEST:
                raise InputError(ErrorCode.BUDGET, "nodes lie too deep in each other", file=name, offset=token.start())
            stack.append(current)
        elif kind == "close":
            if len(stack) > 1:
                _as_array(stack.pop())
            current = Element("", [])
        elif kind in {"text", "numbers", "many", "word"}:
            _add(current, kind, token[kind])
    while len(stack) > 1:
        _as_array(stack.pop())
    found = _VERSION.search(text)
    return root.children, int(found[1][:9]) if found else 0


def _add(current: Element, kind: str, raw: bytes) -> None:
    properties = current.properties
    assert isinstance(properties, list)
    if kind == "text":
        value = raw[1:-1].decode("utf-8", "surrogateescape")
        for entity, sign in _ENTITIES.items():
            value = value.replace(entity, sign)
        properties.append(value)
    elif kind == "numbers":
        pieces = raw.split(b",") if raw.count(b",") < _MANY else None
        properties += [_number(one.strip()) for one in pieces] if pieces is not None else [_numbers(raw)]
    else:
        properties.append(raw.decode("utf-8", "replace"))


def _number(raw: bytes) -> int | float:
    if _WHOLE.match(raw) and len(raw) < 20:
        return int(raw)
    return float(raw)


def _numbers(raw: bytes) -> AnyArray:
    """A long row of numbers: whole ones if all are."""
    pieces = raw.split(b",")
    if b"." not in raw and b"e" not in raw and b"E" not in raw:
        return np.array([max(-(2**63), min(int(one), 2**63 - 1)) for one in pieces], np.int64)
    return np.fromiter(map(float, pieces), np.float64, len(pieces))


def _as_array(one: Element) -> None:
    """`*3 { a: 1,2,3 }` is an array, as the binary form has it."""
    properties: list[Any] = list(one.properties)
    if not (properties and isinstance(properties[0], str) and properties[0].startswith("*")):
        return
    inner = one.first("a")
    if inner is None:
        one.properties = [np.zeros(0)]
        return
    pieces = [np.atleast_1d(p) for p in inner.properties if not isinstance(p, str)]
    one.properties = [np.concatenate(pieces) if pieces else np.zeros(0)]
    one.children = []
