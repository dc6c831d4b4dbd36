"""Read FBX, binary and text, of versions from 6.0 on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.formats.corners import Shape, primitive_of
from pruxel.core.formats.fbx.binary import begins_as_binary, read_binary
from pruxel.core.formats.fbx.objects import Key, Objects, Thing, is_root, objects_of, said
from pruxel.core.formats.fbx.older import as_newer
from pruxel.core.formats.fbx.read_clips import Target, clips_of
from pruxel.core.formats.fbx.read_geometry import face_numbers, layers_of, polygons_of
from pruxel.core.formats.fbx.read_materials import finder, loose_material
from pruxel.core.formats.fbx.read_nodes import Placement, geometric_of, local_by_inheritance, placement_of
from pruxel.core.formats.fbx.read_skins import LooseShape, LooseSkin, shapes_of, skin_of
from pruxel.core.formats.fbx.text import begins_as_text, read_text
from pruxel.core.formats.fbx.views import CAMERA, LIGHT, camera_of, light_of
from pruxel.core.formats.loose_materials import with_blending, with_loose_materials
from pruxel.core.formats.registry import Find, ReadResult
from pruxel.core.geometry.transforms import compose, matrix_quaternion
from pruxel.core.scene.checks import entered
from pruxel.core.scene.edit import tree_of, with_shared_skins
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Camera, Light, Mesh, Node, Scene, Skin, as_matrix
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.pose import moved
from pruxel.core.scene.reframe import reframed, turned

_OLDEST, _NUMBERED = 6000, 7000
# What has a place, what only says how others are used, and what others say anyway.
_TAKEN = {"Model", "Geometry", "Material", "Texture", "Video", "Deformer", "AnimationStack", "AnimationLayer"}
_TAKEN |= {"AnimationCurveNode", "AnimationCurve", "NodeAttribute", "Pose", "LayeredTexture", "GlobalSettings"}
_KNOWN_ATTRIBUTES = {"LimbNode", "Null", "Root", "Limb", "", "Mesh", "IKEffector", "FKEffector", "Camera", "Light"}
_TAKEN |= {"DisplayLayer", "SceneInfo", "Document", "CollectionExclusive", "SelectionNode", "Collection"}


def begins(head: bytes) -> bool:
    """Whether first bytes are of this format."""
    return begins_as_binary(head) or begins_as_text(head)


def read(data: memoryview, name: str, find: Find, context: Context) -> ReadResult:
    """Everything of the file that a scene has a place for; raises `InputError`."""
    context.progress(0.0, name)
    parse = read_binary if begins_as_binary(bytes(data[:32])) else read_text
    top, version = parse(data, name, context.limits)
    if version < _OLDEST:
        raise InputError(
            ErrorCode.UNKNOWN_FORMAT,
            "this version of FBX cannot be read",
            file=name,
            expected="version 6.0 to 7.7",
            found=f"version {version / 1000:.1f}" if version else "no version",
            hint="Save it again as FBX 2011 or later.",
        )
    top, faults = (top, list[Fault]()) if version >= _NUMBERED else as_newer(top, name)
    objects = objects_of(top, version)
    context.progress(0.3, name)
    reader = _Reader(objects, name, faults=faults)
    turn, metres = _frame(objects, reader.notes)
    scene = reader.scene(turn, metres)
    context.progress(0.8, name)
    passed: list[str] = []
    listed = {i: loose_material(objects, thing, reader.uv_names, passed) for i, thing in enumerate(reader.materials)}
    scene = with_blending(with_loose_materials(scene, listed, finder(objects, find)))
    reader.tell_what_has_no_place(passed)
    scene = reframed(with_shared_skins(replace(scene, notes=tuple(reader.notes))), turn, metres)
    return ReadResult(entered(scene, name), tuple(reader.faults))


def _frame(objects: Objects, notes: list[str]) -> tuple[np.ndarray, float]:
    """ours_from_file (3, 3), and how many metres the file's unit is: what its settings say."""
    settings = objects.settings
    turn = np.zeros((3, 3))
    for row, (axis, otherwise) in enumerate((("CoordAxis", 0), ("UpAxis", 1), ("FrontAxis", 2))):
        column = int(settings.number(axis, otherwise))
        turn[row, column if 0 <= column < 3 else otherwise] = settings.number(f"{axis}Sign", 1.0) or 1.0
    turn = np.sign(turn)
    if abs(abs(np.linalg.det(turn)) - 1) > 1e-9:
        notes.append("the file's axes make no sense; taken for Y up")
        turn = np.eye(3)
    elif np.linalg.det(turn) < 0:
        # A left-handed file: its third axis is told, its values are right-handed all the same.
        turn[0] = np.cross(turn[1], turn[2])
    unit = settings.number("UnitScaleFactor", 0.0)
    if not 1e-6 < unit < 1e6:
        notes.append("the file does not say its unit of length; taken for centimetres")
        unit = 1.0
    return turn, unit / 100


# The number of a mesh, that of its skin, and its shapes.
Made = tuple[int, int | None, list[LooseShape]]


@dataclass(eq=False)
class _Reader:
    objects: Objects
    file: str
    notes: list[str] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    materials: list[Thing] = field(default_factory=list)
    uv_names: list[str] = field(default_factory=list)
    meshes: list[Mesh] = field(default_factory=list)
    skins: list[Skin] = field(default_factory=list)
    parts: dict[tuple[Key, tuple[int, ...], bytes], Made] = field(default_factory=dict)

    def scene(self, turn: np.ndarray, metres: float) -> Scene:
        """Nodes, meshes, skins and clips in the file's own axes and unit."""
        models = list(self.objects.all("Model"))
        number_of = {model.key: number for number, model in enumerate(models)}
        parents = [self._parent(model, number_of) for model in models]
        placements = [placement_of(model) for model in models]
        nodes, worlds = self._nodes(models, parents, placements)
        channels: dict[Key, tuple[int, int]] = {}
        weights: dict[int, tuple[float, ...]] = {}
        for number, model in enumerate(models):
            for geometry in self.objects.under(model, "Geometry", "Mesh"):
                at = number if nodes[number].mesh is None else len(nodes)
                made = self._part(model, geometry, nodes[number].name, worlds[number], number_of)
                if made is None:
                    continue
                mesh, skin, shapes = made
                rest = tuple(shape.weight for shape in shapes)
                if at == len(nodes):
                    nodes.append(Node(geometry.name or f"{nodes[number].name}.part"))
                    parents.append(number)
                nodes[at] = replace(nodes[at], mesh=mesh, skin=skin)
                channels |= {shape.channel: (at, place) for place, shape in enumerate(shapes)}
                weights[at] = rest
        cameras, lights = self._views(models, nodes, parents, turn, metres)
        tree, roots = tree_of(nodes, parents)
        targets = {model.key: Target(number, placements[number]) for number, model in enumerate(models)}
        looks = {thing.key: number for number, thing in enumerate(self.materials)}
        return Scene(
            self.file.rsplit("/", 1)[-1].rsplit(".", 1)[0],
            nodes=tree,
            roots=roots,
            meshes=tuple(self.meshes),
            materials=tuple(Material(thing.name or "material") for thing in self.materials),
            skins=tuple(self.skins),
            cameras=cameras,
            lights=lights,
            clips=tuple(clips_of(self.objects, targets, channels, weights, looks, self.notes)),
        )

    def _views(
        self, models: list[Thing], nodes: list[Node], parents: list[int], turn: np.ndarray, metres: float
    ) -> tuple[tuple[Camera, ...], tuple[Light, ...]]:
        """Cameras and lights on the nodes of their models, or, where these hold more or move, below them."""
        cameras: list[Camera] = []
        lights: list[Light] = []
        above = set(parents)
        for number, model in enumerate(models):
            attribute = next(self.objects.under(model, "NodeAttribute"), None)
            sort = "" if attribute is None else attribute.sort
            if attribute is None or sort not in {"Camera", "Light"}:
                continue
            theirs = CAMERA if sort == "Camera" else LIGHT
            whole = matrix_quaternion(theirs.T @ turn)
            moves = next(self.objects.under(model, "AnimationCurveNode"), None) is not None
            node, at = nodes[number], number
            if number in above or moves or node.mesh is not None or len(set(node.scale)) > 1 or node.matrix is not None:
                at = len(nodes)
                nodes.append(Node(f"{node.name}.{sort.lower()}", origin=node.origin))
                parents.append(number)
            nodes[at] = turned(nodes[at], whole)
            if sort == "Camera":
                cameras.append(camera_of(attribute, node.name, metres))
                nodes[at] = replace(nodes[at], camera=len(cameras) - 1)
            else:
                lights.append(light_of(attribute, node.name, metres))
                nodes[at] = replace(nodes[at], light=len(lights) - 1)
        return tuple(cameras), tuple(lights)

    def _parent(self, model: Thing, number_of: Mapping[Key, int]) -> int:
        """The model above one; a ring is cut where it closes."""
        own = number_of[model.key]
        for above, slot in self.objects.above.get(model.key, ()):
            if above in number_of and number_of[above] != own and not slot:
                return number_of[above] if not self._rings(model.key, above) else -1
            if is_root(above):
                return -1
        return -1

    def _rings(self, start: Key, above: Key) -> bool:
        seen: set[Key] = {start}
        while above not in seen:
            seen.add(above)
            over = [k for k, slot in self.objects.above.get(above, ()) if not slot and k in self.objects.things]
            over = [k for k in over if self.objects.things[k].kind == "Model"]
            if not over:
                return False
            above = over[0]
        return True

    def _nodes(
        self, models: list[Thing], parents: list[int], placements: list[Placement]
    ) -> tuple[list[Node], list[np.ndarray]]:
        """Nodes in the order of the models, and where each stands (4, 4)."""
        nodes = [Node(model.name or "node", origin=Origin(entry=self.file)) for model in models]
        worlds: list[np.ndarray | None] = [None] * len(models)
        for first in range(len(models)):
            chain = [first]
            while parents[chain[-1]] >= 0 and worlds[parents[chain[-1]]] is None:
                chain.append(parents[chain[-1]])
            for number in reversed(chain):
                own, above = placements[number], parents[number]
                parent = np.eye(4) if above < 0 else worlds[above]
                assert parent is not None
                place, turn = own.place, own.turn
                matrix = local_by_inheritance(own, placements[above] if above >= 0 else None, parent)
                nodes[number] = replace(
                    nodes[number],
                    translation=place,
                    rotation=turn,
                    scale=(own.scale[0], own.scale[1], own.scale[2]),
                    matrix=None if matrix is None else as_matrix(matrix),
                )
                worlds[number] = parent @ (compose(place, turn, own.scale) if matrix is None else matrix)
        return nodes, [np.eye(4) if world is None else world for world in worlds]

    def _part(
        self, model: Thing, geometry: Thing, name: str, world: np.ndarray, number_of: Mapping[Key, int]
    ) -> Made | None:
        """The mesh of a model, its skin and its shapes; None for a geometry without a polygon."""
        own = [self._material(thing) for thing in self.objects.under(model, "Material")]
        geometric = geometric_of(model)
        known = self.parts.get((geometry.key, tuple(own), geometric.tobytes()))
        if known is not None:
            return known
        polygons = polygons_of(geometry.element, geometry.name or name, self.file)
        self.faults += polygons.faults
        if not len(polygons.sizes):
            return None
        skin = skin_of(self.objects, geometry, len(polygons.points), lambda: world, self.file, self.faults)
        shapes = shapes_of(self.objects, geometry, len(polygons.points), self.notes)
        numbers = face_numbers(geometry.element.first("LayerElementMaterial"), "Materials", polygons)
        for layer in list(geometry.element.all("LayerElementUV")):
            if (uv := said(layer, "Name")) not in self.uv_names:
                self.uv_names.append(uv)
        layers = layers_of(geometry.element, polygons)
        primitives = []
        alike = bool((numbers == numbers[0]).all())  # mostly: to sort them takes twenty times as long
        for number in [int(numbers[0])] if alike else np.unique(numbers).tolist():
            faces = numbers == number
            material = own[number] if 0 <= number < len(own) else own[0] if own else None
            influences = None if skin is None else skin.influences
            listed: list[Shape] = [one.shape for one in shapes]
            primitives.append(primitive_of(polygons, layers, faces, material, influences, listed, self.file))
        if not np.allclose(geometric, np.eye(4), atol=1e-9):
            primitives = [moved(p, geometric) for p in primitives]
        weights = tuple(shape.weight for shape in shapes)
        self.meshes.append(Mesh(geometry.name or name, tuple(primitives), target_weights=weights))
        made = len(self.meshes) - 1, self._skin(skin, number_of), shapes
        if not shapes:
            self.parts[(geometry.key, tuple(own), geometric.tobytes())] = made
        return made

    def _material(self, thing: Thing) -> int:
        if thing not in self.materials:
            self.materials.append(thing)
        return self.materials.index(thing)

    def _skin(self, skin: LooseSkin | None, number_of: Mapping[Key, int]) -> int | None:
        if skin is None:
            return None
        joints = tuple(number_of[key] for key in skin.joints)
        self.skins.append(Skin(skin.name, joints, skin.inverse_bind))
        return len(self.skins) - 1

    def tell_what_has_no_place(self, properties: list[str]) -> None:
        """Objects of classes, and textures on properties, that a scene has no place for."""
        strange: dict[str, int] = {}
        for thing in self.objects.things.values():
            what = thing.kind if thing.kind != "NodeAttribute" else thing.sort
            if thing.kind == "NodeAttribute":
                known = what in {
                    "LimbNode",
                    "Null",
                    "Root",
                    "Limb",
                    "",
                    "Mesh",
                    "IKEffector",
                    "FKEffector",
                    "Camera",
                    "Light",
                }
            else:
                known = what in _TAKEN
            if not known:
                strange[what] = strange.get(what, 0) + 1
        for one in properties:
            strange[f"texture on {one}"] = strange.get(f"texture on {one}", 0) + 1
        if strange:
            words = ", ".join(
                f"{what} ({count:,} times)" if count > 1 else what for what, count in sorted(strange.items())
            )
            self.notes.append(f"{self.file}: not taken over: {words}")
