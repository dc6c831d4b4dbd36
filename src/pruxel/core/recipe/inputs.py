"""Entries → scene: by the layout that fits, or by an open format's reader; materials and textures resolved."""

from __future__ import annotations

from dataclasses import dataclass, replace

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.binary.schema import Layout
from pruxel.core.binary.versions import fitting_layout
from pruxel.core.extract.clips import LooseClip, read_clips, with_clips
from pruxel.core.extract.level import Level, read_level
from pruxel.core.extract.material import FoundTexture, LooseMaterial, read_material
from pruxel.core.extract.model import read_model
from pruxel.core.extract.skeleton import on_skeleton, read_skeleton
from pruxel.core.formats import gltf, obj
from pruxel.core.formats.registry import format_for
from pruxel.core.images.decode import decode_image, media_type
from pruxel.core.pictures.sheet import texture_sheet
from pruxel.core.scene.assign import assign_materials
from pruxel.core.scene.beside import side_by_side
from pruxel.core.scene.checks import entered
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Material, Unresolved
from pruxel.core.scene.model import Scene
from pruxel.core.scene.place import placed
from pruxel.core.sources.kinds import HEAD_BYTES, Kind, layouts_for
from pruxel.core.sources.references import Resolution
from pruxel.core.sources.stack import MergedView

READERS = (gltf.GLB, gltf.GLTF, obj.OBJ)


@dataclass(frozen=True)
class Opener:
    """Opens entries of one stack."""

    stack: MergedView

    def scene(self, paths: list[str], context: Context) -> Scene:
        """All entries as one scene, clips on the joints of the others; raises `InputError` when one cannot be read."""
        clips = [path for path in paths if self.stack.kind_of(path) is Kind.CLIPS]
        others = [path for path in paths if path not in clips]
        if not others:
            raise InputError(
                ErrorCode.USAGE,
                "clips alone make no scene",
                file=paths[0] if paths else None,
                hint="Choose a model or a skeleton that has their joints with them.",
            )
        opened = [self._one(path, part) for path, part in context.each(others, lambda p: p)]
        scene = opened[0] if len(opened) == 1 else side_by_side(opened[0].name, opened)
        for path in clips:
            scene, share = with_clips(scene, self.clips(path, context))
            if share < 1:
                scene = replace(scene, notes=(*scene.notes, f"{path}: {share:.0%} of its joints are here"))
        return entered(scene, paths[0])

    def _one(self, path: str, context: Context, above: tuple[str, ...] = ()) -> Scene:
        """One entry. `above` wait for it: the level that places it, the models whose skeleton it is."""
        data = self.stack.read(path, context)
        layout = self._layout(data, path)
        if layout is not None and layout.reads == "level" and not above:
            return self._placed(read_level(data, layout, path, self.stack.profile.conventions, context), path, context)
        if layout is not None and layout.reads == "model":
            return entered(self._by_layout(data, layout, (*above, path), context), path)
        if layout is not None and layout.reads == "skeleton":
            return entered(read_skeleton(data, layout, path, self.stack.profile.conventions, context), path)
        spec = format_for(path)
        if spec is not None and spec.read is not None:
            found = spec.read(data, path, lambda name: self._bytes(name, path, context), context)
            return _noted(found.scene, found.faults)
        kind = self.stack.kind_of(path)
        if kind is Kind.TEXTURE:
            decode_image(data, path, context.limits)
            name = path.rsplit("/", 1)[-1].rsplit(".", 1)[0]
            return texture_sheet(Image(name, EncodedImage(bytes(data), media_type(data, path))), path)
        raise InputError(
            ErrorCode.UNKNOWN_FORMAT,
            f"nothing here can open this {kind} as a scene",
            file=path,
            offset=0,
            expected="a model or level that a layout or an open format describes, or a texture",
            found=f"bytes {bytes(data[:8]).hex(' ')}",
            hint="Describe the format in a layout (docs/layouts.md), or extract the raw file.",
        )

    def _placed(self, level: Level, path: str, context: Context) -> Scene:
        """All that a level places; models that cannot be had are left out and told."""
        models, faults = list[Scene](), list[Fault]()
        vertices = 0
        places = self.stack.resolve_all(level.models, path)
        listed = list(zip(level.models, level.counts(), places, strict=True))
        for (name, often, place), part in context.part(0.0, 0.9).each(listed, lambda one: one[0]):
            model = Scene(name)
            if often:
                try:
                    model = self._one(_path_in(place, "model", name, path), part, (path,))
                except InputError as error:
                    faults.append(error.fault)
            models.append(model)
            vertices += sum(len(p.positions) for mesh in model.meshes for p in mesh.primitives)
            if vertices > context.limits.vertices:
                raise InputError(
                    ErrorCode.BUDGET,
                    "the level's models hold more than one scene may",
                    file=path,
                    expected=f"at most {context.limits.vertices:,} vertices",
                )
        title = path.rsplit("/", 1)[-1].rsplit(".", 1)[0]
        return _noted(placed(title, models, level.placements, context.limits), faults)

    def _path_of(self, what: str, name: str, beside: str) -> str:
        """Where a model or skeleton lies that the entry `beside` names; raises `InputError` with near names."""
        return _path_in(self.stack.resolve(name, beside), what, name, beside)

    def mentions(self, path: str, context: Context) -> list[str]:
        """The names of other entries in this one's content: materials, textures, placed models. Raises `InputError`."""
        data = self.stack.read(path, context)
        layout = self._layout(data, path)
        found: list[str] = []
        if layout is not None and layout.reads == "model":
            model = read_model(data, layout, path, self.stack.profile.conventions, context)
            found = [material.name for material in model.scene.materials]
            found += [] if model.skeleton is None else [model.skeleton]
        elif layout is not None and layout.reads == "material":

            def heard(name: str) -> FoundTexture:
                found.append(name)
                return FoundTexture(name, None)

            read_material(data, layout, path, heard, context)
        elif layout is not None and layout.reads == "level":
            found = list(read_level(data, layout, path, self.stack.profile.conventions, context).models)
        elif (spec := format_for(path)) is not None and spec.read is not None:
            spec.read(data, path, found.append, context)
        return list(dict.fromkeys(found))

    def material(self, path: str, context: Context) -> LooseMaterial:
        """A material by itself; raises `InputError` when no layout reads it."""
        data = self.stack.read(path, context)
        layout = self._layout(data, path)
        if layout is None or layout.reads != "material":
            raise InputError(ErrorCode.UNKNOWN_FORMAT, "no layout reads this material", file=path)
        return read_material(data, layout, path, lambda name: self._texture(name, path, context), context)

    def clips(self, path: str, context: Context) -> tuple[LooseClip, ...]:
        """Clips by themselves; raises `InputError` when no layout reads them."""
        data = self.stack.read(path, context)
        layout = self._layout(data, path)
        if layout is None or layout.reads != "clips":
            raise InputError(ErrorCode.UNKNOWN_FORMAT, "no layout reads these clips", file=path)
        return read_clips(data, layout, path, self.stack.profile.conventions, context)

    def level(self, path: str, context: Context) -> Level:
        """A level's placements; raises `InputError` when no layout reads it."""
        data = self.stack.read(path, context)
        layout = self._layout(data, path)
        if layout is None or layout.reads != "level":
            raise InputError(ErrorCode.UNKNOWN_FORMAT, "no layout reads this level", file=path)
        return read_level(data, layout, path, self.stack.profile.conventions, context)

    def _layout(self, data: memoryview, path: str) -> Layout | None:
        found = layouts_for(bytes(data[:HEAD_BYTES]), path, self.stack.profile.layouts)
        return fitting_layout(found, data, path) if found else None

    def _bytes(self, name: str, beside: str, context: Context) -> bytes | None:
        found = self.stack.resolve(name, beside)
        return None if found.path is None else bytes(self.stack.read(found.path, context))

    def _by_layout(self, data: memoryview, layout: Layout, above: tuple[str, ...], context: Context) -> Scene:
        """The last of `above`, a model."""
        path = above[-1]
        model = read_model(data, layout, path, self.stack.profile.conventions, context.part(0.0, 0.6))
        scene, faults = model.scene, model.faults
        if model.skeleton is not None:
            scene, more = self._on_skeleton(scene, model.skeleton, above, context)
            faults = [*faults, *more]
        assigned: dict[int, tuple[Material, dict[str, Image]]] = {}
        for (index, material), part in context.part(0.6, 1.0).each(
            list(enumerate(scene.materials)), lambda m: m[1].name
        ):
            loose = self._material(material, path, part)
            assigned[index] = (loose.material, loose.images)
        return _noted(assign_materials(scene, assigned), faults)

    def _on_skeleton(
        self, scene: Scene, name: str, above: tuple[str, ...], context: Context
    ) -> tuple[Scene, list[Fault]]:
        """The last model `above` on the skeleton that it names; without it stays rigid, and a fault says why."""
        path = above[-1]
        try:
            found = self._path_of("skeleton", name, path)
            if found in above:
                return scene, [Fault(ErrorCode.REFERENCE, f"the skeleton '{found}' leads back to itself", file=path)]
            skeleton = self._one(found, context, above)
            if not skeleton.skins:
                return scene, [Fault(ErrorCode.REFERENCE, f"'{found}' is no skeleton", file=path)]
            return on_skeleton(scene, skeleton)
        except InputError as error:
            return scene, [error.fault]

    def _material(self, bare: Material, model: str, context: Context) -> LooseMaterial:
        """The material that a model names; one that cannot be had stays plain and says why."""
        found = self.stack.resolve(bare.name, model)
        if found.path is None:
            near = f" Near names: {', '.join(found.near)}." if found.near else ""
            why = f"No such material in the sources.{near}"
            return LooseMaterial(replace(bare, unresolved=(Unresolved("material", bare.name, why),)))
        try:
            data = self.stack.read(found.path, context)
            layout = self._layout(data, found.path)
            if layout is None or layout.reads != "material":
                raise InputError(
                    ErrorCode.UNKNOWN_FORMAT,
                    "no layout reads this material",
                    file=found.path,
                    found=f"bytes {bytes(data[:8]).hex(' ')}",
                )
            path = found.path
            return read_material(data, layout, path, lambda name: self._texture(name, path, context), context)
        except InputError as error:
            gap = Unresolved("material", bare.name, error.fault.line())
            return LooseMaterial(replace(bare, unresolved=(gap,)))

    def _texture(self, name: str, beside: str, context: Context) -> FoundTexture:
        found = self.stack.resolve(name, beside)
        if found.path is None:
            near = f" Near names: {', '.join(found.near)}." if found.near else ""
            return FoundTexture(name, None, f"No such entry in the sources.{near}")
        try:
            return FoundTexture(found.path, bytes(self.stack.read(found.path, context)))
        except InputError as error:
            return FoundTexture(found.path, None, error.fault.line())


def _path_in(found: Resolution, what: str, name: str, beside: str) -> str:
    if found.path is None:
        near = f"near names: {', '.join(found.near)}" if found.near else None
        raise InputError(ErrorCode.REFERENCE, f"no {what} '{name}' in the sources", file=beside, hint=near)
    return found.path


def _noted(scene: Scene, faults: list[Fault] | tuple[Fault, ...]) -> Scene:
    return replace(scene, notes=scene.notes + tuple(fault.line() for fault in faults))
