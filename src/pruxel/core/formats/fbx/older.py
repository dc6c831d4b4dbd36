"""Nodes of versions 6.x → nodes as versions 7.x have them, so that only one kind of document is read.

Versions 6.x know objects by their names, keep geometry, cameras, lights and shapes within the models themselves, hang
textures on models instead of materials, and list the keys of a clip as takes: a row of time, value and letters.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.errors import ErrorCode, Fault
from pruxel.core.formats.fbx.document import TICKS
from pruxel.core.formats.fbx.elements import Element
from pruxel.core.formats.fbx.objects import flat, plain_name, said, whole

_VIEWS = {"Camera", "Light"}
_TABLES = {"Properties60"}
# What hangs on which property of a material, by the layer that says where on the model it lies.
_TEXTURED = {
    "LayerElementTexture": "DiffuseColor",
    "LayerElementBumpTextures": "Bump",
    "LayerElementNormalMapTextures": "NormalMap",
    "LayerElementEmissiveTextures": "EmissiveColor",
    "LayerElementTransparentTextures": "TransparentColor",
    "LayerElementSpecularTextures": "SpecularColor",
}
_MOVED = {"T": "Lcl Translation", "R": "Lcl Rotation", "S": "Lcl Scaling"}
_FLAGS = {"C": 0x2, "L": 0x4, "U": 0x8}  # held, straight, curved
_MOST_BETWEEN = 9  # values that may stand between a key and the next
_Key = tuple[float, float, int, float, float]  # time, value, flags, slope behind it, slope before the next


@dataclass(eq=False)
class _Newer:
    """What a document of versions 7.x would list."""

    file: str
    objects: list[Element] = field(default_factory=list)
    joins: list[Element] = field(default_factory=list)
    geometry: dict[str, str] = field(default_factory=dict)  # of each model with one, by the model's key
    shapes: dict[str, dict[str, str]] = field(default_factory=dict)  # channels by model and shape
    faults: list[Fault] = field(default_factory=list)
    made: int = 0

    def add(self, kind: str, name: str, sort: str, children: Sequence[Element] = ()) -> str:
        """A new object with the name of one of the file; its key can be that of none."""
        self.made += 1
        key = f"{plain_name(name)}\x00\x01{kind} {self.made}"
        self.objects.append(Element(kind, (key, sort), list(children)))
        return key

    def join(self, child: str, parent: str, slot: str | None = None) -> None:
        self.joins.append(Element("C", ("OO", child, parent) if slot is None else ("OP", child, parent, slot)))


def as_newer(top: Sequence[Element], file: str) -> tuple[list[Element], list[Fault]]:
    """The same document with geometries, attributes, deformers and clips as objects, and what could not be taken."""
    sections = {element.name: element for element in top}
    new = _Newer(file)
    for one in sections.get("Objects", Element("")).children:
        key = _key(one)
        if one.name == "Model" and key:
            _model(new, one, key)
        else:
            new.objects.append(one)
    _connections(new, sections.get("Connections", Element("")))
    for take in sections.get("Takes", Element("")).all("Take"):
        _take(new, take)
    objects, joins = Element("Objects", (), new.objects), Element("Connections", (), new.joins)
    kept = [one for one in top if one.name not in {"Objects", "Connections", "Takes"}]
    return [*kept, objects, joins], new.faults


def _key(one: Element) -> str:
    return one.properties[0] if one.properties and isinstance(one.properties[0], str) else ""


def _sort(one: Element) -> str:
    texts = [value for value in one.properties if isinstance(value, str)]
    return texts[1] if len(texts) > 1 else ""


def _model(new: _Newer, model: Element, key: str) -> None:
    """A model, and what versions 7.x have beside it: its geometry with its shapes, or its camera or light."""
    new.objects.append(model)
    if model.first("Vertices") is not None:
        shapes = list(model.all("Shape"))
        inner = [one for one in model.children if one.name not in _TABLES and one.name != "Shape"]
        geometry = new.geometry[key] = new.add("Geometry", key, "Mesh", inner)
        new.join(geometry, key)
        if shapes:
            _shapes(new, model, key, geometry, shapes)
    elif _sort(model) in _VIEWS:
        new.join(new.add("NodeAttribute", key, _sort(model), model.children), key)


def _shapes(new: _Newer, model: Element, key: str, geometry: str, shapes: Sequence[Element]) -> None:
    """Shapes weigh by the model's own properties of their names, in hundredths."""
    rows = [row for table in model.children if table.name in _TABLES for row in table.children]
    weights = {str(row.properties[0]): row.properties[-1] for row in rows if len(row.properties) > 3}
    blend = new.add("Deformer", "", "BlendShape")
    new.join(blend, geometry)
    for shape in shapes:
        name = _key(shape)
        weight = weights.get(name, 0.0)
        percent = float(weight) if isinstance(weight, int | float) and abs(weight) < 1e6 else 0.0
        channel = new.add("Deformer", name, "BlendShapeChannel", [Element("DeformPercent", (percent,))])
        new.join(channel, blend)
        new.join(new.add("Geometry", name, "Shape", shape.children), channel)
        new.shapes.setdefault(key, {})[name] = channel


def _connections(new: _Newer, section: Element) -> None:
    """All connections; skins hang on geometries, and textures on the materials of the faces that they lie on."""
    kinds = {_key(one): one for one in new.objects}
    materials: dict[str, list[str]] = {}
    textures: dict[str, list[str]] = {}
    for one in section.children:
        values = list(one.properties)
        if len(values) < 3 or not all(isinstance(value, str) for value in values[:3]):
            continue
        child, parent = values[1], values[2]
        kind = kinds[child].name if child in kinds else ""
        if kind in {"Texture", "LayeredTexture"} and parent in new.geometry:
            textures.setdefault(parent, []).append(child)
            continue
        if kind == "Material":
            materials.setdefault(parent, []).append(child)
        onto = new.geometry.get(parent, parent) if kind == "Deformer" else parent
        new.joins.append(Element("C", (values[0], child, onto, *values[3:])))
    done = set[tuple[str, str]]()
    for model, listed in textures.items():
        for texture, material, slot in _laid(kinds[model], listed, materials.get(model, [])):
            if (material, slot) not in done:
                done.add((material, slot))
                new.join(texture, material, slot)


def _laid(model: Element, textures: Sequence[str], materials: Sequence[str]) -> Iterator[tuple[str, str, str]]:
    """Which texture lies on which material's faces for the most part, by layer; one layer's lie on all otherwise."""
    of_faces = _of_faces(model.first("LayerElementMaterial"), "Materials")
    for layer, slot in _TEXTURED.items():
        found = model.first(layer)
        if found is None or said(found, "MappingInformationType") in {"NoMappingInformation", ""}:
            continue
        ids = _of_faces(found, "TextureId")
        for number, material in enumerate(materials):
            count = min(len(ids), len(of_faces))
            theirs = ids if count < 2 else ids[:count][of_faces[:count] == number]
            fits = theirs[(theirs >= 0) & (theirs < len(textures))].tolist()
            if fits:
                yield textures[Counter(fits).most_common(1)[0][0]], material, slot
    if textures and not any(model.first(layer) for layer in _TEXTURED):
        yield from ((textures[0], material, "DiffuseColor") for material in materials)


def _of_faces(layer: Element | None, key: str) -> AnyArray:
    """A layer's whole number of each face; a single one is that of all."""
    values = whole(layer, key)
    return values[:1] if said(layer, "MappingInformationType") == "AllSame" else values


def _take(new: _Newer, take: Element) -> None:
    """A take → a stack with one layer; its curves hang on the properties that they move."""
    start = next(iter(whole(take, "LocalTime").tolist()), 0)
    table = Element("Properties70", (), [Element("P", ("LocalStart", "KTime", "Time", "", start))])
    stack = new.add("AnimationStack", _key(take), "", [table])
    layer = new.add("AnimationLayer", "", "")
    new.join(layer, stack)
    for model in take.all("Model"):
        key = _key(model)
        for channel in model.all("Channel"):
            name = _key(channel)
            if name == "Transform":
                for part in channel.all("Channel"):
                    if _key(part) in _MOVED:
                        _curves(new, layer, key, _MOVED[_key(part)], {_key(one): one for one in part.all("Channel")})
            elif name in new.shapes.get(key, {}):
                _curves(new, layer, new.shapes[key][name], "DeformPercent", {"DeformPercent": channel})


def _curves(new: _Newer, layer: str, target: str, slot: str, axes: dict[str, Element]) -> None:
    curves = {axis: curve for axis, one in axes.items() if (curve := _curve(new, one)) is not None}
    if not curves:
        return
    node = new.add("AnimationCurveNode", slot, "")
    new.join(node, layer)
    new.join(node, target, slot)
    for axis, curve in curves.items():
        new.join(new.add("AnimationCurve", "", "", curve), node, f"d|{axis}")


def _curve(new: _Newer, channel: Element) -> list[Element] | None:
    """The keys of a channel as arrays; None where it has none: its default is what the model says anyway."""
    listed = channel.first("Key")
    if listed is None:
        return None
    values = flat(list(listed.properties))
    keys, read = _keys(values)
    if read < len(values):
        new.faults.append(
            Fault(
                ErrorCode.MALFORMED,
                f"channel '{_key(channel)}' cannot be read beyond its key {len(keys):,}",
                file=new.file,
                expected="a time, a value and a letter (C, L or U)",
                found=", ".join(str(value) for value in values[read : read + 4]),
                hint="The keys before it were taken.",
            )
        )
    if not keys:
        return None
    times, held, flags, leaving, arriving = (np.array(column) for column in zip(*keys, strict=True))
    smooth = _smooth(times / TICKS, held)
    leaving = np.where(np.isnan(leaving), smooth, leaving)
    arriving = np.where(np.isnan(arriving), np.append(smooth[1:], 0.0), arriving)
    slopes = np.stack([leaving, arriving, np.zeros(len(keys)), np.zeros(len(keys))], axis=1)
    return [
        Element("KeyTime", (times,)),
        Element("KeyValueFloat", (held,)),
        Element("KeyAttrFlags", (flags,)),
        Element("KeyAttrDataFloat", (slopes.reshape(-1),)),
        Element("KeyAttrRefCount", (np.ones(len(keys)),)),
    ]


def _keys(values: Sequence[Any]) -> tuple[list[_Key], int]:
    """Keys, and how many values they are made of.

    Of a curved one its slope, and that with which it arrives at the next; NaN where the letters leave it to the
    reader. Weights and whatever else stands before the next key are passed over.
    """
    keys, place = list[_Key](), 0
    while _begins_key(values, place):
        time, value, letter = values[place : place + 3]
        place += 3
        leaving = arriving = 0.0
        if letter == "U":
            two = values[place + 1 : place + 3]
            said_outright = values[place : place + 1] in (["s"], ["b"]) and len(two) == 2 and all(map(_is_number, two))
            leaving, arriving = (float(two[0]), float(two[1])) if said_outright else (np.nan, np.nan)
            place += 3 if said_outright else 0
        keys.append((float(time), float(value), _FLAGS[letter], leaving, arriving))
        between = range(place, min(place + _MOST_BETWEEN, len(values) + 1))
        for further in between:
            if further == len(values) or _begins_key(values, further):
                place = further
                break
            if not (_is_number(values[further]) or len(str(values[further])) == 1):
                break
    return keys, place


def _begins_key(values: Sequence[Any], place: int) -> bool:
    three = values[place : place + 3]
    return len(three) == 3 and _is_number(three[0]) and _is_number(three[1]) and three[2] in _FLAGS


def _is_number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _smooth(seconds: AnyArray, values: AnyArray) -> AnyArray:
    """(k,) slopes that run on through each key, level at the first and the last."""
    slopes = np.zeros(len(values))
    span = seconds[2:] - seconds[:-2]
    slopes[1:-1] = np.divide(values[2:] - values[:-2], span, out=np.zeros(len(span)), where=span > 0)
    return slopes
