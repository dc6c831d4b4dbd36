"""Read COLLADA: the shown scene with its meshes, skins, shapes, materials, cameras, lights and clips."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.formats.collada.clips import Shaped, clips_of
from pruxel.core.formats.collada.controllers import LooseShapes, LooseSkin, shapes_of, skin_of
from pruxel.core.formats.collada.document import Document, document_of
from pruxel.core.formats.collada.geometry import Surface, points_of, surface_of
from pruxel.core.formats.collada.materials import Bound, loose_material
from pruxel.core.formats.collada.moves import matrix_of, moves_of
from pruxel.core.formats.collada.package import opened
from pruxel.core.formats.collada.views import camera_of, light_of
from pruxel.core.formats.corners import Influences, primitive_of
from pruxel.core.formats.loose_materials import LooseMaterial, beside, with_loose_materials
from pruxel.core.formats.registry import Find, ReadResult
from pruxel.core.formats.xml import Tag
from pruxel.core.geometry.transforms import matrix_quaternion
from pruxel.core.scene.checks import entered
from pruxel.core.scene.edit import tree_of, with_shared_skins
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Camera, Light, Mesh, Node, Primitive, Scene, Skin, Strokes
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.reframe import axes_of, reframed
from pruxel.core.scene.walk import placed_by

# ours_from_file: of X up, what was -Y points right.
_TURNS = {"X_UP": np.array([[0.0, -1, 0], [1, 0, 0], [0, 0, 1]]), "Y_UP": np.eye(3), "Z_UP": axes_of("z").T}
_DEEPEST = 300
_INSTANCES = ("instance_geometry", "instance_controller", "instance_camera", "instance_light")


def begins(head: bytes) -> bool:
    """Whether first bytes are of this format: its element, or a ZIP whose first entries are such a document."""
    if head.startswith(b"PK\x03\x04"):
        return b".dae" in head
    return b"<COLLADA" in head or "<COLLADA".encode("utf-16-le") in head or "<COLLADA".encode("utf-16-be") in head


def read(data: memoryview, name: str, find: Find, context: Context) -> ReadResult:
    """Everything of the shown scene that ours has a place for; raises `InputError`."""
    context.progress(0.0, name)
    text = bytes(data)
    if text.startswith(b"PK\x03\x04"):
        text, find = opened(data, name, find, context.limits)
    document = document_of(text, name)
    context.progress(0.4, name)
    turn, metres = _frame(document)
    builder = _Builder(document, turn, context.limits.nodes)
    scene = builder.scene()
    context.progress(0.8, name)
    scene = with_loose_materials(scene, dict(enumerate(builder.looks)), lambda link: beside(find, link))
    scene = replace(scene, notes=tuple(dict.fromkeys(document.notes)))
    return ReadResult(entered(reframed(with_shared_skins(scene), turn, metres), name), tuple(document.faults))


def _frame(document: Document) -> tuple[np.ndarray, float]:
    """ours_from_file (3, 3), and how many metres the file's unit is."""
    asset = document.top.first("asset")
    axis = None if asset is None else asset.first("up_axis")
    up = "Y_UP" if axis is None else axis.text.strip().upper()
    unit = None if asset is None else asset.first("unit")
    try:
        metres = float("1" if unit is None else unit.get("meter").replace(",", ".") or "1")
    except ValueError:
        metres = 0.0
    if unit is None:
        document.notes.append(f"{document.file}: the file does not say its unit of length; taken for metres")
    if not 1e-9 < metres < 1e9:
        document.notes.append(f"{document.file}: the file's unit of length makes no sense; taken for metres")
        metres = 1.0
    return _TURNS.get(up, np.eye(3)), metres


@dataclass(eq=False)
class _Builder:
    document: Document
    turn: np.ndarray
    most_nodes: int
    nodes: list[Node] = field(default_factory=list)
    parents: list[int] = field(default_factory=list)
    numbers: dict[Tag, list[int]] = field(default_factory=dict)
    waiting: list[tuple[int, Tag]] = field(default_factory=list)
    meshes: list[Mesh] = field(default_factory=list)
    skins: list[Skin] = field(default_factory=list)
    cameras: list[Camera] = field(default_factory=list)
    lights: list[Light] = field(default_factory=list)
    materials: dict[Tag, int] = field(default_factory=dict)
    looks: list[LooseMaterial] = field(default_factory=list)
    surfaces: dict[Tag, Surface | None] = field(default_factory=dict)
    known: dict[tuple[object, ...], int | None] = field(default_factory=dict)
    shaped: dict[Tag, Shaped] = field(default_factory=dict)
    joints: dict[str, list[Tag]] = field(default_factory=dict)

    def scene(self) -> Scene:
        """The scene that the document shows, else its first, else all geometries as they are."""
        for tag in self._roots():
            self._node(tag, -1, ())
        self._index_joints()
        for number, instance in self.waiting:
            self._hang(number, instance)
        tree, roots = tree_of(self.nodes, self.parents)
        stem = self.document.file.rsplit("/", 1)[-1].rsplit(".", 1)[0]
        return Scene(
            stem,
            nodes=tree,
            roots=roots,
            meshes=tuple(self.meshes),
            materials=tuple(Material(look.material.name) for look in self.looks),
            skins=tuple(self.skins),
            cameras=tuple(self.cameras),
            lights=tuple(self.lights),
            clips=tuple(clips_of(self.document, self.numbers, self.shaped)),
        )

    def _roots(self) -> Sequence[Tag]:
        shown = self.document.top.first("scene", "instance_visual_scene")
        chosen = None if shown is None else self.document.target(shown)
        listed = list(self.document.library("library_visual_scenes", "visual_scene"))
        if chosen is None and listed:
            chosen = listed[0]
        if chosen is not None:
            return list(chosen.all("node"))
        geometries = list(self.document.library("library_geometries", "geometry"))
        if geometries:
            self.document.notes.append(f"{self.document.file}: there is no scene; all geometries are shown")
        return [
            Tag("node", {"name": g.get("name") or g.get("id")}, g.line, children=[_instance_of(g)]) for g in geometries
        ]

    def _node(self, tag: Tag, parent: int, above: tuple[Tag, ...]) -> None:
        if tag in above or len(above) > _DEEPEST:
            self.document.tell(f"node '{tag.get('name')}' holds itself, or lies too deep; it is left out", tag)
            return
        if len(self.nodes) >= self.most_nodes:
            raise InputError(
                ErrorCode.BUDGET, "more nodes than one scene may have", file=self.document.file,
                expected=f"at most {self.most_nodes:,}",
                hint="Nodes that place each other many times over multiply; this looks like a trap.",
            )  # fmt: skip
        number = self._added(tag.get("name") or tag.get("id") or tag.get("sid") or "node", parent)
        self.nodes[number] = placed_by(self.nodes[number], matrix_of(moves_of(self.document, tag)))
        self.numbers.setdefault(tag, []).append(number)
        for child in tag.children:
            if child.name == "node":
                self._node(child, number, (*above, tag))
            elif child.name == "instance_node":
                target = self.document.target(child)
                if target is not None and target.name == "node":
                    self._node(target, number, (*above, tag))
            elif child.name in _INSTANCES:
                self.waiting.append((number, child))

    def _added(self, name: str, parent: int) -> int:
        self.nodes.append(Node(name, origin=Origin(entry=self.document.file)))
        self.parents.append(parent)
        return len(self.nodes) - 1

    def _index_joints(self) -> None:
        for key in ("sid", "id", "name"):
            for tag in self.numbers:
                if word := tag.get(key):
                    self.joints.setdefault(word, []).append(tag)

    def _hang(self, number: int, instance: Tag) -> None:
        """Give a node what an instance brings; a second mesh, or a turned view, gets a node of its own below."""
        target = self.document.target(instance)
        if target is None:
            return
        if instance.name == "instance_camera" and (camera := camera_of(self.document, target)) is not None:
            self.cameras.append(camera)
            self._view(number, camera.name, camera=len(self.cameras) - 1)
        elif instance.name == "instance_light" and (light := light_of(self.document, target)) is not None:
            self.lights.append(light)
            self._view(number, light.name, light=len(self.lights) - 1)
        elif instance.name in {"instance_geometry", "instance_controller"}:
            self._part(number, instance, target)

    def _view(self, number: int, name: str, camera: int | None = None, light: int | None = None) -> None:
        """Views look along their own -Z, which turns with the file's axes: a node below makes up for it."""
        own = self.nodes[number]
        turned = not np.array_equal(self.turn, np.eye(3))
        if turned or own.camera is not None or own.light is not None:
            number = self._added(name, number)
        turn = matrix_quaternion(self.turn) if turned else self.nodes[number].rotation
        self.nodes[number] = replace(self.nodes[number], camera=camera, light=light, rotation=turn)

    def _part(self, number: int, instance: Tag, target: Tag) -> None:
        """A mesh with its skin and shapes."""
        skin: LooseSkin | None = None
        source: Tag | None = target
        if target.name == "controller" and (own := target.first("skin")) is not None:
            skin = skin_of(self.document, target)
            source = self.document.target(own, "source")
        morph = None if source is None else source.first("morph")
        geometry = source if morph is None else self.document.target(morph, "source")
        surface = None if geometry is None else self._surface(geometry)
        if geometry is None or surface is None:
            return
        bound = self._bound(instance)
        joints = () if skin is None else self._joints(instance, skin)
        key = (geometry, target, tuple((s, b.material) for s, b in bound.items()), tuple(j >= 0 for j in joints))
        shapes = LooseShapes((), (), None)
        if morph is not None:
            shapes = shapes_of(self.document, morph, surface, self._surface)
        if key not in self.known:
            self.known[key] = self._mesh(surface, bound, skin, joints, shapes)
        mesh = self.known[key]
        if mesh is None:
            return
        if self.nodes[number].mesh is not None:
            number = self._added(surface.name, number)
        self.nodes[number] = replace(self.nodes[number], mesh=mesh, skin=self._skin(skin, joints))
        if shapes.source is not None and shapes.shapes:
            before = self.shaped.get(shapes.source, Shaped((), shapes.weights))
            self.shaped[shapes.source] = Shaped((*before.nodes, number), shapes.weights)

    def _surface(self, geometry: Tag) -> Surface | None:
        if geometry not in self.surfaces:
            self.surfaces[geometry] = surface_of(self.document, geometry)
        return self.surfaces[geometry]

    def _bound(self, instance: Tag) -> dict[str, Bound]:
        """The materials that an instance wears, by the symbols of its geometry."""
        found: dict[str, Bound] = {}
        common = instance.first("bind_material", "technique_common")
        for one in () if common is None else common.all("instance_material"):
            material = self.document.target(one, "target")
            if material is None:
                continue
            sets = {}
            for tag in one.all("bind_vertex_input"):
                text = tag.get("input_set")
                sets[tag.get("semantic")] = int(text) if text.isdecimal() and len(text) < 5 else 0
            found.setdefault(one.get("symbol"), Bound(material, sets))
        return found

    def _material(self, symbol: str, bound: dict[str, Bound], sets: tuple[int, ...]) -> int | None:
        own = bound.get(symbol)
        if own is None:
            named = self.document.find(symbol)
            if named is None or named.name != "material":
                return None
            own = Bound(named, {})
        if own.material not in self.materials:
            self.materials[own.material] = len(self.looks)
            self.looks.append(loose_material(self.document, own, sets))
        return self.materials[own.material]

    def _mesh(
        self,
        surface: Surface,
        bound: dict[str, Bound],
        skin: LooseSkin | None,
        joints: tuple[int, ...],
        shapes: LooseShapes,
    ) -> int | None:
        influences: Influences | None = None
        if skin is not None and max(joints, default=-1) >= 0:
            new = np.cumsum([j >= 0 for j in joints]) - 1
            influences = skin.influences(np.where(np.array(joints) >= 0, new, -1), len(surface.points))
        primitives: list[Primitive] = []
        for piece in surface.pieces:
            every = np.ones(len(piece.polygons.sizes), bool)
            material = self._material(piece.symbol, bound, piece.uv_sets)
            if every.any():
                primitives.append(
                    primitive_of(
                        piece.polygons, piece.layers, every, material, influences, shapes.shapes, self.document.file
                    )
                )
        strokes = tuple(
            Strokes(points_of(surface), lines.astype(np.uint32), material=self._material(symbol, bound, ()))
            for symbol, lines in surface.lines
        )
        if not primitives and not strokes:
            return None
        self.meshes.append(Mesh(surface.name, tuple(primitives), strokes=strokes, target_weights=shapes.weights))
        return len(self.meshes) - 1

    def _joints(self, instance: Tag, skin: LooseSkin) -> tuple[int, ...]:
        """The node of each joint, -1 for those that are not there: looked for below the skeleton's roots first."""
        roots = [tag for one in instance.all("skeleton") if (tag := self.document.find(one.text.strip())) is not None]
        below = {tag.get("sid"): tag for root in reversed(roots) for tag in root.under() if tag.name == "node"}
        found = []
        for name in skin.joints:
            tag = below.get(name) or next(iter(self.joints.get(name, ())), None)
            found.append(-1 if tag is None or tag not in self.numbers else self.numbers[tag][0])
        missing = [name for name, number in zip(skin.joints, found, strict=True) if number < 0]
        if missing:
            words = f"{len(missing):,} joints of '{skin.name}' are no nodes of the scene: {', '.join(missing[:5])}"
            self.document.tell(words, instance)
        return tuple(found)

    def _skin(self, skin: LooseSkin | None, joints: tuple[int, ...]) -> int | None:
        there = [place for place, number in enumerate(joints) if number >= 0]
        if skin is None or not there:
            return None
        made = Skin(skin.name or "skin", tuple(joints[p] for p in there), skin.inverse_bind[there])
        self.skins.append(made)
        return len(self.skins) - 1


def _instance_of(geometry: Tag) -> Tag:
    return Tag("instance_geometry", {"url": f"#{geometry.get('id')}"}, geometry.line)
