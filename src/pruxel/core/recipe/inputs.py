"""Entries → scene: by the layout that fits, or by an open format's reader; materials and textures resolved."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.base.words import some
from pruxel.core.binary.reading import Beside
from pruxel.core.binary.versions import fitting_layouts
from pruxel.core.disk.below import HEAD_BYTES
from pruxel.core.extract.clips import LooseClip, read_clips
from pruxel.core.extract.clips_on_scene import lacking, with_clips
from pruxel.core.extract.file import ParsedFile, first_that_reads
from pruxel.core.extract.level import Level, read_level
from pruxel.core.extract.markers import with_markers
from pruxel.core.extract.material import FoundTexture, LooseMaterial, part_material, read_materials
from pruxel.core.extract.meshes import PartMaterial, read_model, skeleton_named
from pruxel.core.extract.skeleton import on_skeleton, read_skeleton
from pruxel.core.extract.tables import read_tables
from pruxel.core.extract.textures import LooseTexture, read_textures
from pruxel.core.formats import every  # noqa: F401 - registers all formats
from pruxel.core.formats.registry import format_for
from pruxel.core.images.decode import decode_image, media_type
from pruxel.core.knowledge.catalogue import read_rows
from pruxel.core.knowledge.kinds import Kind, layouts_for
from pruxel.core.knowledge.schemes import with_schemes
from pruxel.core.pictures.sheet import material_sheet, texture_sheet
from pruxel.core.recipe.asked import Asked
from pruxel.core.recipe.playing import MOST_TRIED, on_nearest
from pruxel.core.scene.assign import assign_materials
from pruxel.core.scene.beside import side_by_side
from pruxel.core.scene.checks import entered
from pruxel.core.scene.edit import keep_nodes
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Material, Unresolved
from pruxel.core.scene.model import Scene
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.place import placed, tinted
from pruxel.core.scene.walk import world_from_local
from pruxel.core.sources.references import Resolution
from pruxel.core.sources.stack import MergedView

_DEEPEST_LEVEL = 8


@dataclass(frozen=True)
class Opener:
    """Opens entries of one stack."""

    stack: MergedView

    def scene(self, paths: list[str], context: Context) -> Scene:
        """All entries as one scene, clips on the joints of the others; raises `InputError` when one cannot be read."""
        clips = [path for path in paths if self.stack.kind_of(path) is Kind.CLIPS]
        others = [path for path in paths if path not in clips]
        if not others:
            return self._clips_alone(clips, context)
        opened = [self._one(path, part) for path, part in context.each(others, lambda p: p)]
        scene = opened[0] if len(opened) == 1 else side_by_side(opened[0].name, opened)
        for path in clips:
            clips_there = self.clips(path, context)
            lost = lacking(scene, clips_there)
            scene, share = with_clips(scene, clips_there)
            if share < 1:
                words = f"{path}: {share:.0%} of its joints are here, missing: {some(lost)}"
                scene = replace(scene, notes=(*scene.notes, words))
        return entered(with_schemes(scene, self.stack.profile.spec.schemes), paths[0])

    def _one(
        self, path: str, context: Context, above: tuple[str, ...] = (), opened: dict[str, Scene] | None = None
    ) -> Scene:
        """One entry. `above` wait for it: the levels that place it, the models whose skeleton it is.

        `opened` is what levels have opened so far: each only once, however levels stand in levels.
        """
        data = self.stack.read(path, context)
        file = self._file(data, path, context)
        if file is not None and file.yields("placements") and not (file.yields("skeletons") and above):
            return self._placed(file, (*above, path), context, {} if opened is None else opened)
        if file is not None and file.yields("meshes"):
            return entered(self._by_layout(file, (*above, path), context), path)
        if file is not None and file.yields("skeletons"):
            return entered(_with_its_own(read_skeleton(file, context), file, context), path)
        spec = format_for(path, bytes(data[:HEAD_BYTES]))
        if spec is not None and spec.read is not None:
            asked = Asked(self.stack, path, context)
            found = spec.read(data, path, asked, context)
            return _noted(asked.told(found.scene), found.faults)
        kind = self.stack.kind_of(path)
        if kind is Kind.MATERIAL:
            return material_sheet(self.material(path, context), path)
        if kind is Kind.TEXTURE:
            picture = self.picture(path, context)
            decode_image(picture, path, context.limits)
            name = path.rsplit("/", 1)[-1].rsplit(".", 1)[0]
            return texture_sheet(Image(name, EncodedImage(bytes(picture), media_type(picture, path))), path)
        raise InputError(
            ErrorCode.UNKNOWN_FORMAT,
            f"nothing here can open this {kind} as a scene",
            file=path,
            offset=0,
            expected="a model or level that a layout or an open format describes, or a texture",
            found=f"bytes {bytes(data[:8]).hex(' ')}",
            hint="Describe the format in a layout (docs/layouts.md), or extract the raw file.",
        )

    def _placed(self, file: ParsedFile, above: tuple[str, ...], context: Context, opened: dict[str, Scene]) -> Scene:
        """All that a level, the last of `above`, places, and what it holds itself.

        Models, and levels within it, that cannot be had are left out and told.
        """
        level, path = read_level(file), above[-1]
        models, faults = list[Scene](), list[Fault]()
        vertices = 0
        places = self.stack.resolve_all(level.models, path)
        listed = list(zip(level.models, level.tints, level.counts(), places, strict=True))
        itself = f"{path}\0"  # its own meshes, where it places those
        for (name, tint, often, place), part in context.part(0.0, 0.9).each(listed, lambda one: one[0]):
            model = Scene(name)
            if often:
                try:
                    found = _path_in(place, "model", name, path)
                    key = itself if found == path else found
                    if key not in opened:
                        opened[key] = self._within(found, above, file, part, opened)
                        vertices += _vertices(opened[key])
                    model = opened[key] if tint is None else tinted(opened[key], tint)
                except InputError as error:
                    faults.append(error.fault)
            models.append(model)
            if vertices > context.limits.vertices:
                raise InputError(
                    ErrorCode.BUDGET,
                    "the level's models hold more than one scene may",
                    file=path,
                    expected=f"at most {context.limits.vertices:,} vertices",
                )
        where = level.placements
        if file.yields("meshes") and itself not in opened:
            models.append(self._by_layout(file, above, context.part(0.9, 1.0)))
            where = where.with_one(len(models) - 1)
        title = path.rsplit("/", 1)[-1].rsplit(".", 1)[0]
        return _noted(placed(title, models, where, context.limits), faults)

    def _within(
        self, path: str, above: tuple[str, ...], level: ParsedFile, context: Context, opened: dict[str, Scene]
    ) -> Scene:
        """A model or level that stands in the level that is the last of `above`: perhaps one of its own meshes."""
        if path == above[-1] and level.yields("meshes"):
            return entered(self._by_layout(level, above, context), path)
        if path in above or len(above) > _DEEPEST_LEVEL:
            raise InputError(ErrorCode.REFERENCE, f"the level '{path}' stands within itself", file=above[-1])
        return self._one(path, context, above, opened)

    def mentions(self, path: str, context: Context) -> list[str]:
        """The names of other entries in this one's content: materials, textures, placed models. Raises `InputError`."""
        data = self.stack.read(path, context)
        file = self._file(data, path, context)
        found: list[str] = []
        if file is None:
            spec = format_for(path, bytes(data[:HEAD_BYTES]))
            return [] if spec is None else Asked(self.stack, path, context).mentioned(spec, data)

        def heard(name: str) -> FoundTexture:
            found.append(name)
            return FoundTexture(name, None)

        if file.yields("meshes"):
            skeleton = skeleton_named(file)
            for said in read_model(file, context).materials if not file.yields("placements") else ():
                found += [name for _, name in said.textures] or ([] if said.number is not None else [said.name])
            found += [] if skeleton is None else [skeleton]
        if file.yields("materials"):
            read_materials(file, heard, context)
        if file.yields("placements"):
            found += read_level(file).models
        return list(dict.fromkeys(found))

    def material(self, path: str, context: Context) -> LooseMaterial:
        """A material by itself, the first of several; raises `InputError` when no layout reads it."""
        file = self._yielding("materials", path, context)
        return self._first_material(file, context)

    def _clips_alone(self, paths: list[str], context: Context) -> Scene:
        """Clips on the nearest model that has their joints; raises `InputError` when none has."""
        loose = tuple(clip for path in paths for clip in self.clips(path, context))
        scene, on = self.played(loose, paths[0], context) if paths else (None, None)
        if scene is None:
            raise InputError(
                ErrorCode.USAGE,
                "clips alone make no scene, and no model near them has their joints",
                file=paths[0] if paths else None,
                hint="Choose a model or a skeleton that has their joints with them.",
            )
        noted = replace(scene, notes=(*scene.notes, f"{on} has the joints of these clips"))
        return entered(with_schemes(noted, self.stack.profile.spec.schemes), paths[0])

    def played(self, clips: tuple[LooseClip, ...], path: str, context: Context) -> tuple[Scene | None, str | None]:
        """Clips that stand at a path on the nearest model that has their joints, and its path; None where none has."""
        return on_nearest(
            lambda kind: self.stack.near(path, kind, MOST_TRIED),
            lambda candidate, silent: self.scene([candidate], silent),
            clips, context,
        )  # fmt: skip

    def clips(self, path: str, context: Context) -> tuple[LooseClip, ...]:
        """Clips by themselves; raises `InputError` when no layout reads them."""
        return read_clips(self._yielding("clips", path, context), context)

    def rows(self, path: str, context: Context) -> list[dict[str, str]]:
        """The rows of a table, as a layout or an open format says; raises `InputError`."""
        data = self.stack.read(path, context)
        file = self._file(data, path, context)
        return read_tables(file, context) if file is not None and file.yields("tables") else read_rows(data, path)

    def level(self, path: str, context: Context) -> Level:
        """A level's placements; raises `InputError` when no layout reads it."""
        return read_level(self._yielding("placements", path, context))

    def picture(self, path: str, context: Context) -> memoryview:
        """A texture as a picture of an open format: as it is, or the first that a layout finds. Raises `InputError`."""
        return self.pictured(self.stack.read(path, context), path, context)

    def pictured(self, data: memoryview, path: str, context: Context) -> memoryview:
        """The same for bytes that are read already."""
        file = self._file(data, path, context)
        if file is None or not file.yields("textures"):
            return data
        found = read_textures(file, context)
        if not found:
            raise InputError(ErrorCode.MALFORMED, "there is no texture", file=path)
        return memoryview(found[0].png())

    def _yielding(self, kind: str, path: str, context: Context) -> ParsedFile:
        """An entry that yields a kind of thing; raises `InputError` when no layout says so."""
        data = self.stack.read(path, context)
        file = self._file(data, path, context)
        if file is None or not file.yields(kind):
            raise InputError(
                ErrorCode.UNKNOWN_FORMAT,
                f"no layout reads {kind} from this",
                file=path,
                found=f"bytes {bytes(data[:8]).hex(' ')}",
            )
        return file

    def _file(self, data: memoryview, path: str, context: Context) -> ParsedFile | None:
        """The records of an entry, where a layout describes it."""
        described = layouts_for(bytes(data[:HEAD_BYTES]), len(data), path, self.stack.profile.layouts)
        if not described or all(layout.reads == "pack" for layout in described):
            return None

        return first_that_reads(
            fitting_layouts(described, data, path),
            data,
            path,
            self.stack.profile.conventions,
            context,
            beside(self.stack, path, context),
        )

    def _by_layout(self, file: ParsedFile, above: tuple[str, ...], context: Context) -> Scene:
        """A model, the last of `above`: on its skeleton, with its materials, and with the clips of its own file."""
        skeleton, faults = self._skeleton(file, above, context)
        rest = None if skeleton is None else world_from_local(skeleton)[list(skeleton.skins[0].joints)]
        model = read_model(file, context.part(0.0, 0.6), rest)
        inner = {one.name: one for one in read_textures(file, context)} if file.yields("textures") else {}
        own = list[LooseMaterial]()
        if file.yields("materials"):
            own = read_materials(file, lambda name: self._texture(name, file.entry, context, inner), context)
        assigned: dict[int, tuple[Material, dict[str, Image]]] = {}
        for (index, said), part in context.part(0.6, 1.0).each(list(enumerate(model.materials)), lambda m: m[1].name):
            loose = self._material(said, model.scene.materials[index], file, own, inner, part)
            assigned[index] = (loose.material, loose.images)
        scene, faults = assign_materials(model.scene, assigned), [*faults, *model.faults]
        if skeleton is not None:
            scene, more = on_skeleton(scene, skeleton)
            faults += more
        return _with_its_own(_noted(replace(scene, notes=(*scene.notes, *file.notes)), faults), file, context)

    def _skeleton(self, file: ParsedFile, above: tuple[str, ...], context: Context) -> tuple[Scene | None, list[Fault]]:
        """The skeleton that a model names, or that stands in its own file; without it, a fault says why."""
        try:
            name = skeleton_named(file)
            if name is None:
                return (read_skeleton(file, context) if file.yields("skeletons") else None), []
            place = self.stack.resolve(name, file.entry)
            found = _path_in(place, "skeleton", name, file.entry)
            if found in above:
                raise InputError(ErrorCode.REFERENCE, f"the skeleton '{found}' leads back to itself", file=file.entry)
            skeleton = _found(self._one(found, context, above), place)
            if not skeleton.skins:
                raise InputError(ErrorCode.REFERENCE, f"'{found}' is no skeleton", file=file.entry)
        except InputError as error:
            return None, [error.fault]
        only = keep_nodes(skeleton, skeleton.skins[0].joints) if skeleton.meshes else skeleton
        return only, []

    def _material(
        self,
        said: PartMaterial,
        bare: Material,
        file: ParsedFile,
        own: list[LooseMaterial],
        inner: Mapping[str, LooseTexture],
        context: Context,
    ) -> LooseMaterial:
        """The material that a part names; one that cannot be had stays plain and says why."""
        model = file.entry
        if said.number is not None:
            if 0 <= said.number < len(own):
                return own[said.number]
            gap = Unresolved(
                "material", said.name, f"The file yields {len(own)} materials, none of number {said.number}."
            )
            return LooseMaterial(replace(bare, unresolved=(gap,)))
        if said.textures or said.base_color is not None:
            return part_material(said, model, lambda name: self._texture(name, model, context, inner), context)
        for loose in own:
            if loose.material.name == said.name:
                return loose
        found = self.stack.resolve(said.name, model)
        if found.path is None:
            near = f" Near names: {', '.join(found.near)}." if found.near else ""
            why = f"No such material in the sources.{near}"
            return LooseMaterial(replace(bare, unresolved=(Unresolved("material", said.name, why),)))
        try:
            loose = self._first_material(self._yielding("materials", found.path, context), context)
            origin = replace(loose.material.origin, found=found.how)
            return replace(loose, material=replace(loose.material, origin=origin))
        except InputError as error:
            gap = Unresolved("material", said.name, error.fault.line())
            return LooseMaterial(replace(bare, unresolved=(gap,)))

    def _first_material(self, file: ParsedFile, context: Context) -> LooseMaterial:
        found = read_materials(file, lambda name: self._texture(name, file.entry, context), context)
        if not found:
            raise InputError(ErrorCode.MALFORMED, "there is no material", file=file.entry)
        return found[0]

    def _texture(
        self, name: str, beside: str, context: Context, inner: Mapping[str, LooseTexture] | None = None
    ) -> FoundTexture:
        """A texture by its name: one of the same file (`inner`), or an entry."""
        if inner and name in inner:
            return FoundTexture(f"{beside}#{name}.png", inner[name].png())
        found = self.stack.resolve(name, beside)
        if found.path is None:
            near = f" Near names: {', '.join(found.near)}." if found.near else ""
            return FoundTexture(name, None, f"No such entry in the sources.{near}")
        try:
            return FoundTexture(found.path, bytes(self.picture(found.path, context)), how=found.how)
        except InputError as error:
            return FoundTexture(found.path, None, error.fault.line())


def beside(stack: MergedView, path: str, context: Context) -> Beside:
    """What gives the bytes of the entries that the one at `path` names."""

    def read(name: str) -> memoryview | None:
        found = stack.resolve(name, path)
        return None if found.path is None else stack.read(found.path, context)

    return read


def _vertices(scene: Scene) -> int:
    return sum(len(p.positions) for mesh in scene.meshes for p in mesh.primitives)


def _path_in(found: Resolution, what: str, name: str, beside: str) -> str:
    if found.path is None:
        near = f"near names: {', '.join(found.near)}" if found.near else None
        raise InputError(ErrorCode.REFERENCE, f"no {what} '{name}' in the sources", file=beside, hint=near)
    return found.path


def _found(skeleton: Scene, place: Resolution) -> Scene:
    """The skeleton with a note on its nodes of how it was found."""
    origin = Origin(entry=place.path or "", found=place.how)
    return replace(skeleton, nodes=tuple(replace(node, origin=origin) for node in skeleton.nodes))


def _with_its_own(scene: Scene, file: ParsedFile, context: Context) -> Scene:
    """The scene with the clips and the named points that stand in its own file."""
    if file.yields("clips"):
        scene, _ = with_clips(scene, read_clips(file, context))
    return with_markers(scene, file, context) if file.yields("markers") else scene


def _noted(scene: Scene, faults: list[Fault] | tuple[Fault, ...]) -> Scene:
    return replace(scene, notes=scene.notes + tuple(fault.line() for fault in faults))
