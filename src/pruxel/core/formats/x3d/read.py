"""Read X3D and VRML97: groups and placements, shapes with their looks, lines and points, views, lights, clips."""

from __future__ import annotations

import gzip
import zlib
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np

from pruxel.core.base.arrays import AnyArray, as_floats, usable_rows
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.formats.corners import primitive_of
from pruxel.core.formats.loose_materials import LooseMaterial, beside, with_blending, with_loose_materials
from pruxel.core.formats.registry import Find, ReadResult
from pruxel.core.formats.x3d.classic import parse_classic
from pruxel.core.formats.x3d.faces import box_mapping, colors_of, face_set, layered, points_of, runs_of
from pruxel.core.formats.x3d.looks import loose_material, material_in
from pruxel.core.formats.x3d.markup import parse_markup
from pruxel.core.formats.x3d.placing import matrices, placement
from pruxel.core.formats.x3d.routes import clips_of
from pruxel.core.formats.x3d.solids import SOLIDS
from pruxel.core.formats.x3d.things import Thing, World
from pruxel.core.formats.x3d.views import VIEWS, view_of
from pruxel.core.scene.checks import entered
from pruxel.core.scene.edit import tree_of
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Camera, Light, Mesh, Node, Primitive, Scene, Strokes
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.reframe import reframed
from pruxel.core.scene.walk import placed_by

_CLASSIC = (b"#VRML V2.0", b"#X3D")
_PLACING = {"Transform", "HAnimJoint", "HAnimHumanoid", "HAnimSite", "CADPart", "EspduTransform"}
_GROUPS = {"Group", "StaticGroup", "Anchor", "Collision", "Billboard", "Switch", "LOD", "HAnimSegment", "Layer"}
_GROUPS |= {"CADAssembly", "CADFace", "CADLayer", "LayerSet", "Viewport", "PickableGroup"}
# What says nothing of what there is to see, and the parts of what is read elsewhere.
_SILENT = {"WorldInfo", "NavigationInfo", "Background", "TextureBackground", "Fog", "TimeSensor"}
_SILENT |= {"PositionInterpolator", "OrientationInterpolator", "ColorInterpolator", "ScalarInterpolator"}
_SILENT |= {"MetadataSet", "MetadataString", "MetadataFloat"}
_LINES = {"IndexedLineSet", "LineSet", "PointSet"}
_DEEPEST = 256


def begins(head: bytes) -> bool:
    """Whether first bytes are of these formats, unpacked; VRML 1.0 is another."""
    return head.removeprefix(b"\xef\xbb\xbf").startswith(_CLASSIC) or b"<X3D" in head


def read(data: memoryview, name: str, find: Find, context: Context) -> ReadResult:
    """Everything that a scene has a place for; raises `InputError`."""
    context.progress(0.0, name)
    text = _unpacked(bytes(data), name, context.limits).removeprefix(b"\xef\xbb\xbf")
    if text.startswith(b"#VRML V1"):
        raise InputError(
            ErrorCode.UNKNOWN_FORMAT, "this is VRML 1.0", file=name, expected="VRML 2.0 (VRML97), or X3D",
            found=text[:20].decode("latin-1"), hint="Convert it to VRML97 first.",
        )  # fmt: skip
    classic = text.startswith(_CLASSIC) or b"<" not in text[:4096]
    world = parse_classic(text.decode("utf-8", "replace"), name) if classic else parse_markup(text, name)
    context.progress(0.4, name)
    builder = _Builder(world, name, context.limits.nodes)
    scene = builder.scene()
    context.progress(0.8, name)
    scene = with_loose_materials(scene, dict(enumerate(builder.looks)), lambda link: beside(find, link))
    scene = with_blending(scene)
    scene = replace(scene, notes=tuple(f"{name}: {note}" for note in dict.fromkeys(world.notes)))
    metres = world.metres if 1e-9 < world.metres < 1e9 else 1.0
    return ReadResult(entered(reframed(scene, np.eye(3), metres), name), tuple(builder.faults))


def _unpacked(data: bytes, name: str, limits: Limits) -> bytes:
    if not data.startswith(b"\x1f\x8b"):
        return data
    most = min(limits.text_bytes, max(int(len(data) * limits.ratio), limits.ratio_free_bytes))
    try:
        found = zlib.decompressobj(16 + zlib.MAX_WBITS).decompress(data, most + 1)
    except (zlib.error, gzip.BadGzipFile) as error:
        raise InputError(ErrorCode.MALFORMED, f"the file cannot be unpacked: {error}", file=name) from None
    if len(found) > most:
        raise InputError(
            ErrorCode.BUDGET, "the file unpacks to implausibly much", file=name, expected=f"at most {most:,} bytes"
        )
    return found


@dataclass(eq=False)
class _Builder:
    world: World
    file: str
    most_nodes: int
    nodes: list[Node] = field(default_factory=list)
    parents: list[int] = field(default_factory=list)
    meshes: list[Mesh] = field(default_factory=list)
    known: dict[Thing, int | None] = field(default_factory=dict)
    numbers: dict[Thing, list[int]] = field(default_factory=dict)
    looks: list[LooseMaterial] = field(default_factory=list)
    materials: dict[tuple[Thing | None, bool], int] = field(default_factory=dict)
    worn: dict[Thing, list[int]] = field(default_factory=dict)
    cameras: list[Camera] = field(default_factory=list)
    lights: list[Light] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    passed: dict[str, int] = field(default_factory=dict)

    def scene(self) -> Scene:
        for thing in self.world.top:
            self._node(thing, -1, ())
        clips = clips_of(self.world, self.numbers, self.worn)
        if self.passed:
            words = ", ".join(f"{k} ({n:,} times)" if n > 1 else k for k, n in sorted(self.passed.items()))
            self.world.notes.append(f"not taken over: {words}")
        tree, roots = tree_of(self.nodes, self.parents)
        return Scene(
            self.file.rsplit("/", 1)[-1].rsplit(".", 1)[0],
            nodes=tree,
            roots=roots,
            meshes=tuple(self.meshes),
            materials=tuple(Material(look.material.name) for look in self.looks),
            cameras=tuple(self.cameras),
            lights=tuple(self.lights),
            clips=tuple(clips),
        )

    def _node(self, thing: Thing, parent: int, above: tuple[Thing, ...]) -> None:
        if thing.kind == "Shape":
            self._shape(thing, parent)
        elif thing.kind in VIEWS:
            self._view(thing, parent)
        elif thing.kind in _PLACING or thing.kind in _GROUPS:
            self._group(thing, parent, above)
        elif thing.kind not in _SILENT:
            self.passed[thing.kind] = self.passed.get(thing.kind, 0) + 1

    def _group(self, thing: Thing, parent: int, above: tuple[Thing, ...]) -> None:
        if thing in above or len(above) > _DEEPEST:
            words = f"{thing.kind} '{thing.name}' holds itself, or lies too deep; it is left out"
            self.faults.append(Fault(ErrorCode.REFERENCE, words, file=self.file, field=f"line {thing.line}"))
            return
        number = self._added(thing.name or thing.kind, parent)
        self.numbers.setdefault(thing, []).append(number)
        if thing.kind in _PLACING:
            own = matrices({key: value[None] for key, value in placement(thing).items()})[0]
            self.nodes[number] = placed_by(self.nodes[number], own)
        for child in _children(thing):
            self._node(child, number, (*above, thing))

    def _added(self, name: str, parent: int) -> int:
        if len(self.nodes) >= self.most_nodes:
            raise InputError(
                ErrorCode.BUDGET, "more nodes than one scene may have", file=self.file,
                expected=f"at most {self.most_nodes:,}",
                hint="Nodes that use each other many times over multiply; this looks like a trap.",
            )  # fmt: skip
        self.nodes.append(Node(name, origin=Origin(entry=self.file)))
        self.parents.append(parent)
        return len(self.nodes) - 1

    def _view(self, thing: Thing, parent: int) -> None:
        seen = view_of(thing)
        number = self._added(seen.thing.name, parent)
        self.nodes[number] = placed_by(self.nodes[number], seen.matrix)
        if isinstance(seen.thing, Camera):
            self.cameras.append(seen.thing)
            self.nodes[number] = replace(self.nodes[number], camera=len(self.cameras) - 1)
        else:
            self.lights.append(seen.thing)
            self.nodes[number] = replace(self.nodes[number], light=len(self.lights) - 1)

    def _shape(self, shape: Thing, parent: int) -> None:
        if shape not in self.known:
            self.known[shape] = self._mesh(shape)
        mesh = self.known[shape]
        if mesh is not None:
            number = self._added(shape.name or self.meshes[mesh].name, parent)
            self.nodes[number] = replace(self.nodes[number], mesh=mesh)

    def _mesh(self, shape: Thing) -> int | None:
        geometry = next((t for _, t in shape.below if t.kind != "Appearance"), None)
        if geometry is None:
            return None
        name = geometry.name or shape.name or geometry.kind
        appearance = shape.inner("Appearance")
        made: Primitive | Strokes | None
        if geometry.kind in _LINES:
            made = self._strokes(geometry, appearance)
        else:
            made = self._faces(geometry, appearance, name)
        if made is None:
            return None
        mesh = Mesh(name, strokes=(made,)) if isinstance(made, Strokes) else Mesh(name, (made,))
        self.meshes.append(mesh)
        return len(self.meshes) - 1

    def _faces(self, geometry: Thing, appearance: Thing | None, name: str) -> Primitive | None:
        faces = SOLIDS[geometry.kind](geometry) if geometry.kind in SOLIDS else face_set(geometry)
        if faces is None:
            self.passed[geometry.kind] = self.passed.get(geometry.kind, 0) + 1
            return None
        if faces.uvs is None and len(faces.point) and (faces.point < len(faces.points)).all():
            faces = replace(faces, uvs=box_mapping(faces.points, faces.point)) if self._textured(appearance) else faces
        polygons, layers = layered(faces, name, self.file)
        self.faults += polygons.faults
        if not len(polygons.sizes):
            return None
        material = self._material(appearance, double_sided=not geometry.flag("solid", default=True))
        every = np.ones(len(polygons.sizes), bool)
        return primitive_of(polygons, layers, every, material, None, (), self.file)

    @staticmethod
    def _textured(appearance: Thing | None) -> bool:
        return appearance is not None and appearance.inner("ImageTexture", "MultiTexture") is not None

    def _material(self, appearance: Thing | None, *, double_sided: bool) -> int | None:
        if appearance is None and not double_sided:
            return None
        key = (appearance, double_sided)
        if key not in self.materials:
            shown = appearance or Thing("Appearance", "", self.file, 0)
            self.materials[key] = len(self.looks)
            own = material_in(shown)
            if own is not None:
                self.worn.setdefault(own, []).append(len(self.looks))
            self.looks.append(loose_material(shown, self.world.notes, double_sided=double_sided))
        return self.materials[key]

    def _strokes(self, geometry: Thing, appearance: Thing | None) -> Strokes | None:
        points = points_of(geometry)
        indices = _STROKES[geometry.kind](geometry, len(points))
        inside: AnyArray = np.asarray(((indices >= 0) & (indices < len(points))).all(axis=1))
        fine = usable_rows(points)
        inside[inside] = fine[indices[inside]].all(axis=1)
        if not inside.any():
            return None
        colors = colors_of(geometry)
        plain = colors is not None and len(colors) >= len(points) and not len(geometry.indices("colorIndex"))
        return Strokes(
            as_floats(np.where(fine[:, None], points, 0.0), 3),
            indices[inside].astype(np.uint32),
            colors=(as_floats(colors[: len(points)], 4),) if plain and colors is not None else (),
            material=self._material(appearance, double_sided=False),
        )


def _children(thing: Thing) -> list[Thing]:
    """What is below a group, of a switch the chosen, of levels of detail the finest."""
    below = [child for name, child in thing.below if name not in {"proxy", "metadata", "skeleton", "coord", "skin"}]
    if thing.kind == "HAnimHumanoid":
        below += list(thing.held("skeleton"))
    if thing.kind == "Switch":
        chosen = int(thing.number("whichChoice", -1.0))
        return below[chosen : chosen + 1] if chosen >= 0 else []
    return below[:1] if thing.kind == "LOD" else below


def _indexed_lines(thing: Thing, _count: int) -> AnyArray:
    index = thing.indices("coordIndex")
    rows, sizes = runs_of(index)
    return _segments(index[rows], sizes)


def _lines(thing: Thing, count: int) -> AnyArray:
    sizes = thing.indices("vertexCount").clip(0)
    sizes = sizes[np.cumsum(sizes) <= count]
    return _segments(np.arange(int(sizes.sum())), sizes)


def _segments(points: AnyArray, sizes: AnyArray) -> AnyArray:
    pairs = np.stack([points[:-1], points[1:]], axis=1) if len(points) > 1 else np.zeros((0, 2), np.int64)
    keep = np.ones(len(pairs), bool)
    ends = np.cumsum(sizes)[:-1] - 1
    keep[ends[(ends >= 0) & (ends < len(keep))]] = False
    return pairs[keep]


_STROKES: dict[str, Callable[[Thing, int], AnyArray]] = {
    "IndexedLineSet": _indexed_lines,
    "LineSet": _lines,
    "PointSet": lambda _thing, count: np.arange(count)[:, None],
}
