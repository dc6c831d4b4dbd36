"""Read glTF 2.0 and GLB. Source: Khronos, "glTF 2.0 Specification"."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.formats.fields import Fields
from pruxel.core.formats.gltf import container, materials
from pruxel.core.formats.gltf.access import Access
from pruxel.core.formats.gltf.clips import ClipReader
from pruxel.core.formats.gltf.extras import extras_text
from pruxel.core.formats.gltf.meshes import MeshReader
from pruxel.core.formats.gltf.nodes import NodeReader, camera, light, unskinned
from pruxel.core.formats.gltf.variants import VARIANTS, names_in
from pruxel.core.formats.registry import Find, ReadResult
from pruxel.core.images.decode import image_info, media_type
from pruxel.core.scene.checks import entered, tree_without_rings
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Material, Sampler, Texture
from pruxel.core.scene.missing import without_images
from pruxel.core.scene.model import Mesh, Node, Scene, Stage
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.walk import parts

READABLE = container.READABLE | materials.READABLE
_SOURCES = ("KHR_texture_basisu", "EXT_texture_webp", "MSFT_texture_dds")


def read(data: memoryview, name: str, find: Find, context: Context) -> ReadResult:
    """Read either form; raises `InputError`.

    What cannot be used comes back as faults and notes, nothing goes in silence.
    """
    outside = container.opened(data, name, READABLE)
    access = Access(outside.document, name, find, context.limits, outside.binary)
    return _Reader(outside.document, access, context, list(outside.notes)).result()


@dataclass(eq=False)
class _Reader:
    document: Fields
    access: Access
    context: Context
    notes: list[str]
    faults: list[Fault] = field(default_factory=list)
    broken_images: dict[int, str] = field(default_factory=dict)

    def result(self) -> ReadResult:
        document, name = self.document, self.access.name
        document.pass_over("extensionsUsed")
        listed = document.objects("nodes")
        mesh_list, skin_list = document.objects("meshes"), document.objects("skins")
        camera_list, light_list = document.objects("cameras"), self._extension("KHR_lights_punctual", "lights")
        counts = {
            "meshes": len(mesh_list),
            "skins": len(skin_list),
            "cameras": len(camera_list),
            "lights": len(light_list),
        }
        node_reader = NodeReader(self.access, counts)
        nodes = node_reader.nodes(listed)
        stages, shown = self._stages(nodes, len(listed))
        _check_tree(nodes, stages, name)
        textures, images = self._textures()
        stuff = self._materials(len(textures))
        meshes = self._meshes(mesh_list, len(stuff))
        skins = [node_reader.skin(found, i, len(listed)) for i, found in enumerate(skin_list)]
        nodes = unskinned(_with_mesh_only(nodes, meshes), meshes, skins, node_reader.faults, name)
        clip_reader = ClipReader(self.access, len(listed), len(stuff))
        clips = [clip_reader.clip(found, i) for i, found in enumerate(document.objects("animations"))]
        scene = Scene(
            name.rsplit("/", 1)[-1].rsplit(".", 1)[0],
            nodes=unique_names(nodes),
            roots=stages[shown].roots,
            stages=tuple(stage for number, stage in enumerate(stages) if number != shown and stage.roots),
            meshes=tuple(meshes),
            materials=stuff,
            textures=textures,
            images=images,
            skins=tuple(skins),
            cameras=tuple(camera(found, i) for i, found in enumerate(camera_list)),
            lights=tuple(light(found, i) for i, found in enumerate(light_list)),
            clips=tuple(clip for clip in clips if clip.tracks),
            extras=extras_text(document),
        )
        faults = (*self.faults, *node_reader.faults, *clip_reader.faults)
        _check_shows_something(scene, faults, name)
        scene = without_images(scene, self.broken_images)
        leftovers = document.not_taken()
        self.notes += (
            node_reader.notes + clip_reader.notes + ([f"not taken over: {', '.join(leftovers)}"] if leftovers else [])
        )
        told = tuple(f"{name}: {note}" for note in self.notes)
        return ReadResult(entered(replace(scene, notes=told), name), faults)

    def _extension(self, name: str, key: str) -> list[Fields]:
        """What an extension of the whole document lists."""
        extensions = self.document.object("extensions")
        found = None if extensions is None else extensions.object(name)
        return [] if found is None else found.objects(key)

    def _stages(self, nodes: list[Node], count: int) -> tuple[list[Stage], int]:
        """All scenes and which of them is shown: without any, all nodes that stand below none."""
        found = self.document.objects("scenes")
        stages = [Stage(s.text("name", ""), s.integers("nodes", count)) for s in found]
        for scene in found:
            scene.pass_over("name")
        if not stages:
            below = {child for node in nodes for child in node.children}
            self.document.pass_over("scene")
            return [Stage("", tuple(i for i in range(count) if i not in below))], 0
        shown = self.document.index("scene", len(stages), 0)
        reached: set[int] = set()
        pending = [root for stage in stages for root in stage.roots]
        while pending:
            index = pending.pop()
            if index not in reached:
                reached.add(index)
                pending += nodes[index].children
        lost = sum(node.mesh is not None for index, node in enumerate(nodes) if index not in reached)
        if lost:
            self.notes.append(f"{lost:,} nodes with a mesh stand in no scene and are not shown")
        return stages, shown

    def _meshes(self, listed: list[Fields], count: int) -> list[Mesh]:
        variants = names_in(self._extension(VARIANTS, "variants"))
        reader = MeshReader(self.access, count, variants, self.faults)
        meshes = []
        for number, found in enumerate(listed):
            self.context.progress(number / len(listed), self.access.name)
            meshes.append(reader.mesh(found, number))
        return meshes

    def _materials(self, textures: int) -> tuple[Material, ...]:
        """All materials; one that cannot be read is a plain one, and told."""
        reader = materials.MaterialReader(textures, self.notes)
        made = []
        for number, found in enumerate(self.document.objects("materials")):
            try:
                made.append(reader.material(found, number))
            except InputError as error:
                self.faults.append(error.fault)
                made.append(Material(f"material {number + 1}"))
                found.give_up()
        return tuple(made)

    def _textures(self) -> tuple[tuple[Texture, ...], tuple[Image, ...]]:
        """Textures and images; one without a readable image gets an empty one that is marked as broken."""
        images = [self._image(found, number) for number, found in enumerate(self.document.objects("images"))]
        samplers = [materials.sampler_from(found) for found in self.document.objects("samplers")]
        textures = []
        for number, found in enumerate(self.document.objects("textures")):
            sampler = found.index("sampler", len(samplers), None)
            source = self._source(found, len(images))
            if source is None:
                source = len(images)
                images.append(Image(f"texture {number + 1}", EncodedImage(b"", "application/octet-stream")))
                self.broken_images[source] = "The file gives no image that can be read for it."
            found.pass_over("name")
            used = Sampler() if sampler is None else samplers[sampler]
            textures.append(Texture(source, used, extras=extras_text(found)))
        return tuple(textures), tuple(images)

    def _source(self, found: Fields, images: int) -> int | None:
        """The image of a texture: the plain one while it can be read, else one that an extension names."""
        extensions = found.object("extensions")
        named = [None if extensions is None else extensions.object(key) for key in _SOURCES]
        choices: list[int | None] = [found.index("source", images, None)]
        choices += [None if ext is None else ext.index("source", images, None) for ext in named]
        given = [choice for choice in choices if choice is not None]
        return next((choice for choice in given if choice not in self.broken_images), given[0] if given else None)

    def _image(self, found: Fields, number: int) -> Image:
        uri = found.values.get("uri")
        linked = (
            uri.rsplit("/", 1)[-1].rsplit(".", 1)[0] if isinstance(uri, str) and not uri.startswith("data:") else ""
        )
        name = found.text("name", "") or linked or f"image {number + 1}"
        found.pass_over("mimeType")
        data = b""
        try:
            if "bufferView" in found:
                views = len(self.document.objects("bufferViews"))
                data = bytes(self.access.view_bytes(found.index("bufferView", views)))
            else:
                data = self.access.uri(found)
            image_info(data, name + _ending(uri))
        except InputError as error:
            self.broken_images[number] = error.fault.line()
            self.faults.append(error.fault)
        kind = media_type(data, name + _ending(uri))
        return Image(
            name,
            EncodedImage(data, kind),
            extras=extras_text(found),
            origin=Origin(entry=self.access.name, record=found.place),
        )


def _check_shows_something(scene: Scene, faults: tuple[Fault, ...], name: str) -> None:
    """Raise what kept the only parts from being read, or say that there is none."""
    if scene.skins or any(True for _ in parts(scene)):
        return
    if faults:
        last = faults[-1]
        # What is wrong with a part, an image say, is wrong with this file.
        raise InputError.of(last if last.file == name else replace(last, file=name, field=last.file))
    raise InputError(
        ErrorCode.MALFORMED,
        "this glTF file shows nothing",
        file=name,
        field="scenes",
        expected="a node with a mesh, or a skeleton",
        found=f"{len(scene.nodes)} nodes and {len(scene.meshes)} meshes",
        hint="It may be a part of another file, or hold cameras and lights only.",
    )


def _ending(uri: object) -> str:
    """A link's ending: some pictures are known by it alone."""
    text = uri if isinstance(uri, str) and not uri.startswith("data:") else ""
    return f".{text.rsplit('.', 1)[-1]}" if "." in text.rsplit("/", 1)[-1] else ""


def _with_mesh_only(nodes: list[Node], meshes: list[Mesh]) -> list[Node]:
    """Nodes whose mesh lost all it had are plain places."""
    kept = {i for i, mesh in enumerate(meshes) if mesh.primitives or mesh.strokes}
    return [node if node.mesh is None or node.mesh in kept else replace(node, mesh=None, skin=None) for node in nodes]


def _check_tree(nodes: list[Node], stages: list[Stage], name: str) -> None:
    """Refuse rings and doubled parents before anybody walks over them."""
    for stage in stages:
        broken = next(tree_without_rings(Scene(name, nodes=tuple(nodes), roots=stage.roots)), None)
        if broken is not None:
            raise InputError(
                ErrorCode.MALFORMED,
                f"the nodes are no tree: {broken}",
                file=name,
                field="nodes",
                expected="each node below one other at most, and never below itself",
                hint="The file is damaged; save it again from where it came.",
            )
