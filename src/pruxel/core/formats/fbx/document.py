"""An FBX document while it is put together: objects with identifiers, what is connected to what, and the frame of it.

Layout of versions 7.x: settings, definitions (how many objects of each class), objects, connections.
"""

from __future__ import annotations

from collections import Counter
from typing import Any

from pruxel import __version__
from pruxel.core.formats.fbx.elements import Element, Int64
from pruxel.core.formats.fbx.options import FbxOptions

TICKS = 46_186_158_000  # a second
_SEPARATOR = "\x00\x01"  # between the name of an object and its class, in binary files
_FIRST_ID = 1_000_000
# Which object class stands under which word in the names of objects, where the two differ.
_WORDS = {"AnimationStack": "AnimStack", "AnimationLayer": "AnimLayer", "AnimationCurveNode": "AnimCurveNode"}
_WORDS |= {"AnimationCurve": "AnimCurve", "Video": "Video"}


def prop(name: str, kind: str, label: str, flags: str, *values: Any) -> Element:  # noqa: ANN401
    """One row of a table of properties."""
    return Element("P", (name, kind, label, flags, *values))


def number(name: str, value: float, flags: str = "A") -> Element:
    """A row that holds a number."""
    return prop(name, "Number", "", flags, float(value))


def color(name: str, values: tuple[float, float, float]) -> Element:
    """A row that holds a colour."""
    return prop(name, "Color", "", "A", *map(float, values))


def table(*rows: Element) -> Element:
    """A table of properties."""
    return Element("Properties70", (), list(rows))


def ticks(seconds: float) -> Int64:
    """A time as the format counts it."""
    return Int64(round(seconds * TICKS))


class Document:
    """Objects and connections in the order in which they are added."""

    def __init__(self) -> None:
        self.objects: list[Element] = []
        self.connections: list[Element] = []
        self.takes: list[Element] = []

    def add(self, kind: str, name: str, sort: str, word: str | None = None) -> tuple[Int64, Element]:
        """A new object of a class; returns its identifier and the node to be filled."""
        ident = Int64(_FIRST_ID + len(self.objects))
        made = Element(kind, (ident, f"{name}{_SEPARATOR}{word or _WORDS.get(kind, kind)}", sort))
        self.objects.append(made)
        return ident, made

    def join(self, child: Int64, parent: Int64, slot: str | None = None) -> None:
        """Hang an object below another, or onto one of its properties."""
        what = ("OO", child, parent) if slot is None else ("OP", child, parent, slot)
        self.connections.append(Element("C", what))

    def elements(self, options: FbxOptions, seconds: float) -> list[Element]:
        """The whole file; `seconds` is how long its longest clip is."""
        return [
            _header(options.number),
            Element("FileId", (bytes(range(16)),)),
            Element("CreationTime", ("1970-01-01 10:00:00:000",)),
            Element("Creator", (f"Pruxel {__version__}",)),
            _settings(options, seconds),
            Element(
                "Documents",
                (),
                [
                    Element("Count", (1,)),
                    Element(
                        "Document",
                        (Int64(1), "", "Scene"),
                        [
                            table(
                                prop("SourceObject", "object", "", ""),
                                prop("ActiveAnimStackName", "KString", "", "", ""),
                            ),
                            Element("RootNode", (Int64(0),)),
                        ],
                    ),
                ],
            ),
            Element("References"),
            self._definitions(),
            Element("Objects", (), self.objects),
            Element("Connections", (), self.connections),
            Element("Takes", (), [Element("Current", ("",)), *self.takes]),
        ]

    def _definitions(self) -> Element:
        counts = Counter(one.name for one in self.objects)
        kinds = [Element("ObjectType", ("GlobalSettings",), [Element("Count", (1,))])]
        kinds += [Element("ObjectType", (kind,), [Element("Count", (many,))]) for kind, many in counts.items()]
        return Element(
            "Definitions", (), [Element("Version", (100,)), Element("Count", (len(self.objects) + 1,)), *kinds]
        )


def _header(version: int) -> Element:
    clock = ("Year", 1970), ("Month", 1), ("Day", 1), ("Hour", 10), ("Minute", 0), ("Second", 0), ("Millisecond", 0)
    stamp = [Element("Version", (1000,)), *(Element(word, (value,)) for word, value in clock)]
    return Element(
        "FBXHeaderExtension",
        (),
        [
            Element("FBXHeaderVersion", (1003,)),
            Element("FBXVersion", (version,)),
            Element("EncryptionType", (0,)),
            Element("CreationTimeStamp", (), stamp),
            Element("Creator", (f"Pruxel {__version__}",)),
        ],
    )


def _settings(options: FbxOptions, seconds: float) -> Element:
    """Axes by number (0 x, 1 y, 2 z) with their signs, and the unit in centimetres."""
    up, front, sign = (1, 2, 1) if options.up == "y" else (2, 1, -1)
    unit = 100.0 / options.per_metre

    def whole(name: str, value: int) -> Element:
        return prop(name, "int", "Integer", "", value)

    return Element(
        "GlobalSettings",
        (),
        [
            Element("Version", (1000,)),
            table(
                whole("UpAxis", up),
                whole("UpAxisSign", 1),
                whole("FrontAxis", front),
                whole("FrontAxisSign", sign),
                whole("CoordAxis", 0),
                whole("CoordAxisSign", 1),
                whole("OriginalUpAxis", -1),
                whole("OriginalUpAxisSign", 1),
                prop("UnitScaleFactor", "double", "Number", "", unit),
                prop("OriginalUnitScaleFactor", "double", "Number", "", unit),
                prop("AmbientColor", "ColorRGB", "Color", "", 0.0, 0.0, 0.0),
                prop("DefaultCamera", "KString", "", "", "Producer Perspective"),
                prop("TimeMode", "enum", "", "", 11),
                prop("TimeSpanStart", "KTime", "Time", "", Int64(0)),
                prop("TimeSpanStop", "KTime", "Time", "", ticks(seconds)),
                prop("CustomFrameRate", "double", "Number", "", -1.0),
            ),
        ],
    )
