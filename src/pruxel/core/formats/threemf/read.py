"""Read 3MF: objects of meshes and components, items in place, base materials and groups of colours."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, as_floats, as_indices, usable_rows
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.formats.registry import Find, ReadResult
from pruxel.core.formats.xml import walk_xml
from pruxel.core.formats.zipped import package_of
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.geometry.unique import unique_rows
from pruxel.core.scene.checks import entered
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.reframe import axes_of, reframed
from pruxel.core.scene.walk import placed_by

_METRES = {"micron": 1e-6, "millimeter": 1e-3, "centimeter": 1e-2, "inch": 0.0254, "foot": 0.3048, "meter": 1.0}
_WITHOUT_PLACE = {"texture2d", "texture2dgroup", "compositematerials", "multiproperties", "beamlattice", "slicestack"}
_DEEPEST = 32
_MOST_PLACED = 200_000


def begins(head: bytes) -> bool:
    """Whether first bytes are of such a package: a ZIP that names its kinds of content, and a model, early on."""
    return head.startswith(b"PK\x03\x04") and b"3D/" in head and b".model" in head


@dataclass(eq=False)
class _Object:
    key: str
    name: str
    pid: str | None
    pindex: int
    points: list[float] = field(default_factory=list)
    corners: list[int] = field(default_factory=list)
    marks: list[tuple[str | None, int, int, int]] = field(default_factory=list)
    components: list[tuple[str, DoubleArray]] = field(default_factory=list)


@dataclass(eq=False)
class _Model:
    unit: str = "millimeter"
    objects: dict[str, _Object] = field(default_factory=dict)
    materials: dict[str, list[tuple[str, tuple[float, ...]]]] = field(default_factory=dict)
    colors: dict[str, list[tuple[float, ...]]] = field(default_factory=dict)
    items: list[tuple[str, DoubleArray, str]] = field(default_factory=list)
    passed: dict[str, int] = field(default_factory=dict)


def read(data: memoryview, name: str, _find: Find, context: Context) -> ReadResult:
    """Every item of the build as a part, objects shared; raises `InputError`."""
    context.progress(0.0, name)
    model = _parsed(_model_part(data, name, context.limits), name)
    context.progress(0.5, name)
    builder = _Builder(model, name)
    scene = builder.scene()
    if not scene.meshes:
        raise InputError(
            ErrorCode.MALFORMED,
            "there is no mesh in this 3MF file",
            file=name,
            expected="objects with triangles that the build places",
            found=f"{len(model.objects):,} objects, {len(model.items):,} items",
        )
    turned = reframed(scene, axes_of("z").T, _METRES.get(model.unit, 1e-3))
    return ReadResult(entered(turned, name), tuple(builder.faults))


def _model_part(data: memoryview, name: str, limits: Limits) -> bytes:
    package = package_of(data, name, limits)
    listed = [path for path in package.paths if path.lower().endswith(".model")]
    first = next((path for path in listed if path.lower() == "3d/3dmodel.model"), listed[0] if listed else None)
    if first is None:
        raise InputError(
            ErrorCode.MALFORMED, "the package has no model", file=name, expected="3D/3dmodel.model",
            found=", ".join(package.paths[:5]) or "nothing",
        )  # fmt: skip
    return package.read(first)


def _parsed(text: bytes, name: str) -> _Model:
    model = _Model()
    current: list[_Object] = []
    group: list[str] = []

    def begin(tag: str, a: dict[str, str], _line: int) -> None:
        if tag == "vertex" and current:
            current[-1].points += (_number(a, "x"), _number(a, "y"), _number(a, "z"))
        elif tag == "triangle" and current:
            one = current[-1]
            one.corners += (_whole(a, "v1"), _whole(a, "v2"), _whole(a, "v3"))
            p1 = _whole(a, "p1", -1)
            one.marks.append((a.get("pid"), p1, _whole(a, "p2", p1), _whole(a, "p3", p1)))
        elif tag == "object":
            made = _Object(a.get("id", ""), a.get("name", ""), a.get("pid"), _whole(a, "pindex", 0))
            model.objects.setdefault(made.key, made)
            current.append(made)
        elif tag == "component" and current:
            current[-1].components.append((a.get("objectid", ""), _matrix(a.get("transform"))))
        elif tag == "item":
            placed = a.get("objectid", ""), _matrix(a.get("transform")), a.get("partnumber", "")
            model.items.append(placed)
        elif tag == "model":
            model.unit = a.get("unit", "millimeter")
        elif tag in {"basematerials", "colorgroup"}:
            group.append(a.get("id", ""))
        elif tag == "base" and group:
            base = a.get("name", ""), _color(a.get("displaycolor", ""))
            model.materials.setdefault(group[-1], []).append(base)
        elif tag == "color" and group:
            model.colors.setdefault(group[-1], []).append(_color(a.get("color", "")))
        elif tag in _WITHOUT_PLACE:
            model.passed[tag] = model.passed.get(tag, 0) + 1

    walk_xml(text, name, begin, lambda _tag, _text: None)
    return model


def _number(attributes: dict[str, str], key: str) -> float:
    try:
        return float(attributes[key])
    except (KeyError, ValueError):
        return float("nan")


def _whole(attributes: dict[str, str], key: str, otherwise: int = -1) -> int:
    text = attributes.get(key, "")
    return int(text) if text.isdecimal() and len(text) < 10 else otherwise


def _matrix(text: str | None) -> DoubleArray:
    """(4, 4) of twelve numbers, rows of points times it; the identity for what is none."""
    found = np.eye(4)
    try:
        values = np.array([float(word) for word in (text or "").split()])
    except ValueError:
        return found
    if values.size == 12 and np.isfinite(values).all():
        found[:3] = values.reshape(4, 3).T
    return found


def _color(text: str) -> tuple[float, ...]:
    """#RRGGBB or #RRGGBBAA as linear light; white for what is none."""
    digits = text.lstrip("#")
    try:
        values = [int(digits[at : at + 2], 16) / 255 for at in range(0, len(digits), 2)]
    except ValueError:
        return (1.0, 1.0, 1.0, 1.0)
    if len(values) not in {3, 4}:
        return (1.0, 1.0, 1.0, 1.0)
    linear = linear_from_srgb(np.array(values[:3], np.float32)).tolist()
    return (*linear, values[3] if len(values) == 4 else 1.0)


class _Builder:
    def __init__(self, model: _Model, file: str) -> None:
        self.model, self.file = model, file
        self.faults: list[Fault] = []
        self.meshes: list[Mesh] = []
        self.nodes: list[Node] = []
        self.materials: dict[tuple[str, int], int] = {}
        self.listed: list[Material] = []
        self.known: dict[str, int | None] = {}

    def scene(self) -> Scene:
        items = self.model.items or [(key, np.eye(4), "") for key in self.model.objects]
        roots = [self._place(key, matrix, title, ()) for key, matrix, title in items]
        stem = self.file.rsplit("/", 1)[-1].rsplit(".", 1)[0]
        notes = []
        if self.model.passed:
            words = ", ".join(f"{tag} ({count:,} times)" for tag, count in sorted(self.model.passed.items()))
            notes.append(f"{self.file}: not taken over: {words}")
        return Scene(
            stem,
            nodes=unique_names(self.nodes),
            roots=tuple(number for number in roots if number is not None),
            meshes=tuple(self.meshes),
            materials=tuple(self.listed),
            notes=tuple(notes),
        )

    def _place(self, key: str, matrix: DoubleArray, title: str, above: tuple[str, ...]) -> int | None:
        found = self.model.objects.get(key)
        if found is None or key in above or len(above) > _DEEPEST or len(self.nodes) > _MOST_PLACED:
            why = "is not there" if found is None else "holds itself, or lies too deep"
            self.faults.append(Fault(ErrorCode.REFERENCE, f"object '{key}' {why}; left out", file=self.file))
            return None
        node = placed_by(Node(title or found.name or f"object {key}"), matrix)
        number = len(self.nodes)
        self.nodes.append(node)
        if key not in self.known:
            self.known[key] = self._mesh(found)
        children = [self._place(child, own, "", (*above, key)) for child, own in found.components]
        self.nodes[number] = replace(
            node, mesh=self.known[key], children=tuple(child for child in children if child is not None)
        )
        return number

    def _mesh(self, found: _Object) -> int | None:
        points = np.array(found.points, np.float64).reshape(-1, 3)
        corners = np.array(found.corners, np.int64).reshape(-1, 3)
        finite = usable_rows(points)
        inside = (corners >= 0) & (corners < len(points))
        good: AnyArray = np.asarray(inside.all(axis=1))
        good[good] = finite[corners[good]].all(axis=1)
        if not good.all():
            words = f"{int((~good).sum()):,} triangles of '{found.name or found.key}' have corners that are no points"
            self.faults.append(
                Fault(ErrorCode.MALFORMED, words, file=self.file, expected=f"3 corners below {len(points):,}")
            )
        if not good.any():
            return None
        rows = np.nonzero(good)[0]
        colored, material = self._marks(found, rows)
        primitives = []
        for number in np.unique(material).tolist():
            mine = rows[material == number]
            colors = None if colored is None else colored[material == number].reshape(-1, 4)
            primitives.append(self._primitive(points, corners[mine], colors, None if number < 0 else number))
        self.meshes.append(Mesh(found.name or f"object {found.key}", tuple(primitives)))
        return len(self.meshes) - 1

    def _marks(self, found: _Object, rows: AnyArray) -> tuple[AnyArray | None, AnyArray]:
        """Linear colours of corners (m, 3, 4) where groups give some, and the material of each triangle (m,)."""
        material = np.full(len(rows), -1)
        colors = np.ones((len(rows), 3, 4), np.float32)
        any_color = False
        for at, row in enumerate(rows.tolist()):
            pid, *places = found.marks[row]
            if pid is None:
                pid, places = found.pid, [found.pindex] * 3
            elif places[0] < 0:
                places = [found.pindex] * 3
            if pid in self.model.colors:
                palette = self.model.colors[pid]
                colors[at] = [palette[place] if 0 <= place < len(palette) else (1, 1, 1, 1) for place in places]
                any_color = True
            elif pid in self.model.materials and 0 <= places[0] < len(self.model.materials[pid]):
                material[at] = self._material(pid, places[0])
        return (colors if any_color else None), material

    def _material(self, pid: str, place: int) -> int:
        if (pid, place) not in self.materials:
            title, color = self.model.materials[pid][place]
            r, g, b, alpha = color
            mode = "BLEND" if alpha < 1 else "OPAQUE"
            self.listed.append(Material(title or "material", base_color=(r, g, b, alpha), alpha_mode=mode))  # type: ignore[arg-type]
            self.materials[(pid, place)] = len(self.listed) - 1
        return self.materials[(pid, place)]

    def _primitive(
        self, points: DoubleArray, corners: AnyArray, colors: AnyArray | None, material: int | None
    ) -> Primitive:
        columns = [corners.reshape(-1, 1)]
        if colors is not None:
            columns.append(np.ascontiguousarray(colors, np.float32).view(np.int32))
        first, vertex = unique_rows(np.concatenate([c.astype(np.int64) for c in columns], axis=1))
        positions = as_floats(points[corners.reshape(-1)[first]], 3)
        indices = as_indices(vertex)
        return Primitive(
            positions,
            indices,
            normals=vertex_normals(positions, indices),
            colors=() if colors is None else (as_floats(colors[first], 4),),
            material=material,
            origin=Origin(entry=self.file),
        )
