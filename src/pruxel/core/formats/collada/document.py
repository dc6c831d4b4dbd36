"""A COLLADA document: its elements by their names, its lists of values, and what it says of axes and unit."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from urllib.parse import unquote

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, frozen
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.formats.xml import Tag, numbers_in, tree_of_xml

_ARRAYS = ("float_array", "Name_array", "IDREF_array", "int_array", "bool_array", "SIDREF_array")
_MOST_VALUES = 400_000_000


@dataclass(eq=False)
class Document:
    """The outermost element, what has an `id`, and what is told of what could not be used."""

    top: Tag
    file: str
    by_id: dict[str, Tag]
    notes: list[str] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    _parsed: dict[Tag, DoubleArray] = field(default_factory=dict)

    def find(self, reference: str) -> Tag | None:
        """The element that `#id`, or `id` alone, names; None for another document's."""
        return self.by_id.get(unquote(reference.removeprefix("#")))

    def target(self, tag: Tag | None, key: str = "url") -> Tag | None:
        """The element that an attribute names; one that is not there is told."""
        reference = "" if tag is None else tag.get(key)
        found = self.find(reference)
        if found is None and tag is not None:
            self.tell(f"{tag.name} names '{reference[:80]}', which is not in the document", tag)
        return found

    def tell(self, message: str, tag: Tag) -> None:
        """A fault at an element."""
        self.faults.append(Fault(ErrorCode.REFERENCE, message, file=self.file, field=f"line {tag.line}"))

    def library(self, *path: str) -> Iterator[Tag]:
        """All elements of a kind in the libraries of that kind: `library("library_images", "image")`."""
        for shelf in self.top.all(path[0]):
            yield from shelf.all(path[1])

    def numbers(self, tag: Tag | None, default: tuple[float, ...] = ()) -> DoubleArray:
        """The numbers of an element's text, the default where there is no such element or not as many."""
        if tag is None:
            return np.array(default, np.float64)
        found = self._listed_numbers(tag)
        return found if len(found) >= len(default) else np.array(default, np.float64)

    def indices(self, tag: Tag) -> AnyArray:
        """(n,) int64: the whole numbers of an element's text."""
        found = self._listed_numbers(tag)
        with np.errstate(invalid="ignore"):
            return np.where(np.abs(found) < 2**31, found, -1).astype(np.int64)

    def values(self, source: Tag | None) -> DoubleArray:
        """(n, k) the numbers of a source as its accessor takes them; (0, 1) where there are none."""
        listed, accessor = self._listed(source)
        if source is None or listed is None or listed.name not in {"float_array", "int_array"}:
            return np.zeros((0, 1))
        flat = self._listed_numbers(listed)
        count, stride, offset, named = _shape(accessor, len(flat))
        count = min(count, max(len(flat) - offset, 0) // stride)
        rows = flat[offset : offset + count * stride].reshape(count, stride)
        return rows[:, named] if named and len(named) < stride else rows

    def _listed_numbers(self, tag: Tag) -> DoubleArray:
        """The numbers of an element, parsed once: many pieces may draw from one list.

        Commas of decimals, as some programs write them, are read and told.
        """
        if tag not in self._parsed:
            try:
                found = numbers_in(tag.text, self.file, tag.line)
            except InputError:
                if "," not in tag.text or "." in tag.text:
                    raise
                found = numbers_in(tag.text.replace(",", "."), self.file, tag.line)
                self.notes.append(f"{self.file}: numbers have commas in place of decimal points, and are read so")
            self._parsed[tag] = frozen(found)
        return self._parsed[tag]

    def names(self, source: Tag | None) -> list[str]:
        """The names that a source lists."""
        listed, _ = self._listed(source)
        return [] if listed is None else listed.text.split()

    def _listed(self, source: Tag | None) -> tuple[Tag | None, Tag | None]:
        if source is None:
            return None, None
        accessor = source.first("technique_common", "accessor")
        named = None if accessor is None else self.find(accessor.get("source"))
        listed = named if named is not None and named.name in _ARRAYS else next(source.all(*_ARRAYS), None)
        return listed, accessor


def _shape(accessor: Tag | None, length: int) -> tuple[int, int, int, list[int]]:
    """Rows, numbers a row, where the first stands, and which of a row have a name (those without are passed over)."""
    if accessor is None:
        return length, 1, 0, []
    stride = whole_number(accessor, "stride", 1) or 1
    params = list(accessor.all("param"))
    named = [place for place, param in enumerate(params) if param.get("name")]
    if len(params) != stride:
        named = []  # a parameter may be of several numbers: a matrix
    return (
        whole_number(accessor, "count", length),
        stride,
        whole_number(accessor, "offset", 0),
        named,
    )


def whole_number(tag: Tag, key: str, default: int) -> int:
    """An attribute that is a whole number from 0 on."""
    text = tag.get(key)
    return min(int(text), _MOST_VALUES) if text.isdecimal() and len(text) < 12 else default


@dataclass(frozen=True)
class Input:
    """A list of values that corners, joints or keys draw from: what they mean, where, in which place, which set."""

    semantic: str
    source: Tag
    offset: int
    number: int


def inputs_of(document: Document, tag: Tag) -> list[Input]:
    """The inputs of an element, in their order."""
    found = []
    for one in tag.all("input"):
        source = document.target(one, "source")
        if source is not None:
            own = whole_number(one, "offset", 0), whole_number(one, "set", 0)
            found.append(Input(one.get("semantic").upper(), source, *own))
    return found


def document_of(data: bytes, name: str) -> Document:
    """Parse a document; raises `InputError`."""
    top = tree_of_xml(data, name)
    if top.name != "COLLADA":
        raise InputError(
            ErrorCode.UNKNOWN_FORMAT, "this is XML, but not COLLADA", file=name, expected="<COLLADA>",
            found=f"<{top.name[:40]}>",
        )  # fmt: skip
    by_id: dict[str, Tag] = {}
    for tag in top.under():
        if key := tag.get("id"):
            by_id.setdefault(key, tag)
    return Document(top, name, by_id)
