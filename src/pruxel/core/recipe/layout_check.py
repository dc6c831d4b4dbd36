"""All that is wrong with a layout, before any file is read: keys, types, names, and what each section yields."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, get_args

from pydantic import BaseModel, ValidationError

from pruxel.core.base.context import Context
from pruxel.core.base.errors import Fault
from pruxel.core.binary.conventions import Conventions
from pruxel.core.binary.elements import element
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.include import Known
from pruxel.core.binary.load import fault_at, key_marks, layout_faults, read_layout
from pruxel.core.binary.reading import Beside
from pruxel.core.binary.schema import ExpressionText, Layout
from pruxel.core.extract.clips import ClipsSpec, read_clips
from pruxel.core.extract.corners import Shape
from pruxel.core.extract.file import parse_file, rows
from pruxel.core.extract.level import PlacementsSpec, read_level
from pruxel.core.extract.markers import MarkersSpec
from pruxel.core.extract.material import FoundTexture, MaterialsSpec, read_materials
from pruxel.core.extract.meshes import MeshesSpec, read_model
from pruxel.core.extract.skeleton import SkeletonsSpec, read_skeleton, read_skeletons
from pruxel.core.extract.tables import TablesSpec, read_tables
from pruxel.core.extract.textures import TexturesSpec, read_textures
from pruxel.core.native.codecs import CODECS
from pruxel.core.scene.walk import world_from_local
from pruxel.core.sources.pack_spec import EntriesSpec
from pruxel.core.sources.pack_table import read_table

SECTIONS: dict[str, type[BaseModel]] = {
    "entries": EntriesSpec,
    "meshes": MeshesSpec,
    "placements": PlacementsSpec,
    "skeletons": SkeletonsSpec,
    "clips": ClipsSpec,
    "materials": MaterialsSpec,
    "textures": TexturesSpec,
    "markers": MarkersSpec,
    "tables": TablesSpec,
}
_ALWAYS = frozenset(
    {"file_end", "file_name", "endian", "start_of_record", "here", "row", "item", "group", "variant", "root"}
)


def check_layout(text: str, name: str, known: Known | None = None) -> tuple[Layout | None, list[Fault]]:
    """The layout, where there is one, and everything that is wrong with it, with line and column.

    `known` are the layouts that it may include.
    """
    layout, faults = read_layout(text, name, known)
    if layout is None:
        return None, faults
    found = list(faults)
    marks = key_marks(text)
    for kind, said in layout.yields.items():
        model = SECTIONS.get(kind)
        if model is None:
            continue
        try:
            spec = model.model_validate(said)
        except ValidationError as error:
            found += layout_faults(error.errors(include_url=False), text, name, ("yields", kind))
            continue
        found += _unknown_names(layout, spec, ("yields", kind), marks, name)
    for record, fields in layout.records.items():
        for number, field in enumerate(fields):
            found += _unknown_names(layout, field, ("records", record, str(number)), marks, name)
    for key in layout.let:
        found += _unknown(layout, layout.let[key], ("let", key), marks, name)
    return layout, found


def what_it_yields(layout: Layout, data: memoryview, name: str, beside: Beside | None = None) -> list[str]:
    """A line for each kind of thing that a file holds by a layout; raises `InputError`.

    `beside` gives the bytes of files by their names.
    """
    context, found = Context(), list[str]()
    if "entries" in layout.yields:
        table = read_table(layout, data, name, context, {}, any_version=False)
        return [f"{len(table):,} entries"]
    file = parse_file(data, layout, name, Conventions(), context, beside)
    if "skeletons" in layout.yields:
        found += [f"skeleton '{one.name}', {len(one.nodes):,} joints" for one in read_skeletons(file, context)]
    if "meshes" in layout.yields:
        rest = None
        if "skeletons" in layout.yields:
            rest = world_from_local(read_skeleton(file, context))
        model = read_model(file, context, rest)
        for mesh in model.scene.meshes:
            corners = sum(len(one.indices) for one in mesh.primitives)
            materials = f"{len(mesh.primitives)} material" + ("s" if len(mesh.primitives) != 1 else "")
            found.append(f"mesh '{mesh.name}', {corners:,} triangles, {materials}")
        found += [fault.line() for fault in model.faults]
    if "clips" in layout.yields:
        found += [f"clip '{one.name}', {one.seconds:.2f} s, {one.frames} frames" for one in read_clips(file, context)]
    if "materials" in layout.yields:
        loose = read_materials(file, lambda path: FoundTexture(path, None), context)
        found += [f"material '{one.material.name}'" for one in loose]
    if "textures" in layout.yields:
        found += [
            f"texture '{t.name}', {t.texels.shape[1]} x {t.texels.shape[0]}" for t in read_textures(file, context)
        ]
    if "placements" in layout.yields:
        level = read_level(file)
        found.append(f"{len(level.placements.model):,} placements of {len(level.models)} models")
    if "tables" in layout.yields:
        found.append(f"{len(read_tables(file, context)):,} rows of a table")
    if "markers" in layout.yields:
        spec = file.spec("markers", MarkersSpec)
        found.append(f"{sum(1 for _ in rows(spec.each, spec.where, file.head, name)):,} named points")
    return found or [f"{len(file.head.values)} fields"]


def _known(layout: Layout) -> frozenset[str]:
    """All names that an expression of this layout can mean anywhere."""
    own = {spec.name for fields in layout.records.values() for spec in fields if spec.name}
    given = {key for fields in layout.records.values() for spec in fields for key in spec.given}
    return _ALWAYS | own | given | layout.constants.keys() | layout.let.keys() | set(CODECS)


def _unknown_names(
    layout: Layout, spec: BaseModel, path: tuple[str, ...], marks: Mapping[tuple[str, ...], tuple[int, int]], name: str
) -> Iterator[Fault]:
    for place, text in _expressions(spec):
        yield from _unknown(layout, text, (*path, *place), marks, name)


def _unknown(
    layout: Layout, text: str, path: tuple[str, ...], marks: Mapping[tuple[str, ...], tuple[int, int]], name: str
) -> Iterator[Fault]:
    if layout.text is not None:
        return  # what a tree holds is known when it is read
    for word in sorted(compile_expression(text).names - _known(layout)):
        if element(word) is None:
            words = f"'{text}' names '{word}', which is no field, constant or name of this layout"
            yield fault_at(path, words, marks, name)


def _expressions(spec: BaseModel) -> Iterator[tuple[tuple[str, ...], str]]:
    """Every expression of a part of a layout, with the keys that lead to it."""
    for key, field in type(spec).model_fields.items():
        value = getattr(spec, key)
        said = field.alias or key
        if isinstance(value, BaseModel):
            yield from (((said, *place), text) for place, text in _expressions(value))
        elif isinstance(value, str) and _is_expression(field.annotation, field.metadata):
            if (key, value) != ("until", "end") and not (key == "shape" and value in get_args(Shape)):
                yield (said,), value
        elif isinstance(value, dict):
            for inner, one in value.items():
                if isinstance(one, BaseModel):
                    yield from (((said, str(inner), *place), text) for place, text in _expressions(one))
                elif isinstance(one, str) and _has_text(field.annotation):
                    yield (said, str(inner)), one


_TEXT: Any = ExpressionText


def _is_expression(annotation: Any, metadata: list[Any]) -> bool:  # noqa: ANN401
    """Whether a key's type is that of expressions, perhaps with others beside it."""
    return _has_text(annotation) or any(one in _TEXT.__metadata__ for one in metadata)


def _has_text(annotation: Any) -> bool:  # noqa: ANN401
    if annotation == _TEXT:
        return True
    return any(_has_text(one) for one in getattr(annotation, "__args__", ()))
