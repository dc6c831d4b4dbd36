"""VRML97, and X3D in its words → nodes.

A field is followed by its value: numbers, texts, TRUE or FALSE, a node, or a list of these between brackets. No table
of fields is needed: what follows a name tells what it is.
"""

from __future__ import annotations

import re

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.formats.x3d.things import Route, Thing, World

_TOKEN = re.compile(r'[\s,]*(?:#[^\n\r]*[\s,]*)*("(?:[^"\\]|\\.)*"|[\[\]{}]|[^\s,\[\]{}"#]+)', re.DOTALL)
_NUMBER = re.compile(
    r"[-+]?(?:0[xX][0-9a-fA-F]+|(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?|nan|inf(?:inity)?)\Z", re.IGNORECASE
)
_REMARK = re.compile(r"#[^\n\r]*")
_DEEPEST = 256
_STATEMENTS = {"PROFILE": 1, "COMPONENT": 1, "META": 2, "UNIT": 3, "EXPORT": 1, "IMPORT": 1}


def parse_classic(text: str, name: str) -> World:
    """The nodes of a text; raises `InputError`."""
    return _Parser(text, name).world()


class _Parser:
    def __init__(self, text: str, file: str) -> None:
        self.text, self.file = text, file
        self.at = 0
        self.found = World()
        self.passed: dict[str, int] = {}
        self.strange: set[str] = set()

    def world(self) -> World:
        while (word := self.next()) is not None:
            self.statement(word)
        self.found.notes += [f"not taken over: {kind} ({count:,} times)" for kind, count in sorted(self.passed.items())]
        return self.found

    def next(self) -> str | None:
        match = _TOKEN.match(self.text, self.at)
        if match is None:
            return None
        self.at = match.end()
        return match[1]

    def peek(self) -> str | None:
        match = _TOKEN.match(self.text, self.at)
        return None if match is None else match[1]

    def needed(self, expected: str) -> str:
        word = self.next()
        if word is None:
            raise self.bad("the file ends in the middle of a node", expected, "the end of the file")
        return word

    def bad(self, message: str, expected: str, found: str, code: ErrorCode = ErrorCode.MALFORMED) -> InputError:
        return InputError(
            code, message, file=self.file, field=f"line {self.line()}", expected=expected, found=found[:60]
        )

    def line(self) -> int:
        return self.text.count("\n", 0, self.at) + 1

    def statement(self, word: str) -> None:
        """What stands outside of all nodes."""
        if word == "ROUTE":
            self.route()
        elif word in {"PROTO", "EXTERNPROTO"}:
            self.proto(word)
        elif word == "UNIT":
            category, _, factor = (self.needed("a unit") for _ in range(3))
            if category == "length":
                self.found.metres = Thing("UNIT", "", self.file, 0, {"factor": factor}).number("factor", 1.0)
        elif word in _STATEMENTS:
            for _ in range(_STATEMENTS[word]):
                self.needed("a word")
        elif word in "[]{}":
            raise self.bad("a bracket stands where a node begins", "the name of a kind of node", word)
        else:
            thing = self.node(word, 0)
            if thing is not None:
                self.found.top.append(thing)

    def route(self) -> None:
        source, _, output = self.needed("a field").partition(".")
        self.needed("TO")
        target, _, taken = self.needed("a field").partition(".")
        self.found.routes.append(Route(source, output, target, taken))

    def proto(self, word: str) -> None:
        """A kind of node that the file makes itself is passed over."""
        own = self.needed("a name")
        self.strange.add(own)
        self.passed[word] = self.passed.get(word, 0) + 1
        self.skip("[", "]")
        if word == "PROTO":
            self.skip("{", "}")
        elif self.peek() == "[":
            self.skip("[", "]")
        else:
            self.needed("an address")

    def skip(self, opening: str, closing: str) -> None:
        if self.needed(opening) != opening:
            raise self.bad("a bracket is missing", opening, "something else")
        depth = 1
        while depth:
            word = self.needed(closing)
            depth += (word == opening) - (word == closing)

    def node(self, word: str, depth: int) -> Thing | None:
        """The node that begins with a word; None for NULL and for kinds that the file makes itself."""
        if depth > _DEEPEST:
            raise self.bad(f"more than {_DEEPEST} levels of nodes", "fewer", word, ErrorCode.BUDGET)
        if word == "NULL":
            return None
        if word == "USE":
            own = self.needed("a name")
            return self.found.named.get(own)
        name = ""
        if word == "DEF":
            name = self.needed("a name")
            word = self.needed("a kind of node")
        line = self.line()
        if self.needed("{") != "{":
            raise self.bad("a node has no body", "{", self.text[self.at - 1 : self.at + 20])
        made = Thing(word, name, self.file, line)
        while (key := self.needed("}")) != "}":
            self.field(made, key, depth)
        if name:
            self.found.named[name] = made
        if word in self.strange or word == "Script":
            self.passed[word] = self.passed.get(word, 0) + 1
            return None
        return made

    def field(self, made: Thing, key: str, depth: int) -> None:
        """A field of a node with its value; statements within nodes are taken as those outside."""
        if key == "ROUTE":
            self.route()
            return
        if key in {"PROTO", "EXTERNPROTO"}:
            self.proto(key)
            return
        if key in "[]{}":
            raise self.bad(f"a bracket stands where a field of {made.kind} begins", "the name of a field", key)
        ahead = self.peek()
        if ahead == "[":
            self.next()
            self.list(made, key, depth)
        elif ahead is None or ahead in "]}{":
            return
        elif self.is_value(ahead):
            made.values[key] = self.values()
        elif ahead == "IS":
            self.next()
            self.needed("a field")
        else:
            thing = self.node(self.needed("a node"), depth + 1)
            if thing is not None:
                made.below.append((key, thing))

    def list(self, made: Thing, key: str, depth: int) -> None:
        """What stands between brackets: nodes, or values, which are kept as they are written."""
        ahead = self.peek()
        if ahead is not None and ahead != "]" and not self.is_value(ahead):
            while (word := self.needed("]")) != "]":
                thing = self.node(word, depth + 1)
                if thing is not None:
                    made.below.append((key, thing))
            return
        if ahead is not None and ahead.startswith('"'):
            texts = []
            while (word := self.needed("]")) != "]":
                texts.append(word)
            made.values[key] = " ".join(texts)
            return
        end = self.text.find("]", self.at)
        if end < 0:
            raise self.bad("the file ends in the middle of a list", "]", "the end of the file")
        written = self.text[self.at : end]
        if "#" in written:
            # A remark may hold a bracket; then the list ends behind it.
            while (mark := written.rfind("#")) >= 0 and "\n" not in written[mark:] and "\r" not in written[mark:]:
                end = self.text.find("]", end + 1)
                if end < 0:
                    raise self.bad("the file ends in the middle of a list", "]", "the end of the file")
                written = self.text[self.at : end]
            written = _REMARK.sub(" ", written)
        self.at = end + 1
        made.values[key] = written

    @staticmethod
    def is_value(word: str) -> bool:
        return word.startswith('"') or word in {"TRUE", "FALSE", "true", "false"} or _NUMBER.match(word) is not None

    def values(self) -> str:
        """Values that follow each other without brackets."""
        first = self.needed("a value")
        found = [first]
        if _NUMBER.match(first):
            while (ahead := self.peek()) is not None and _NUMBER.match(ahead):
                found.append(self.needed("a number"))
        return " ".join(found)
