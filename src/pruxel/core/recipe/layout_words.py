"""All words of the layout language with what they mean: keys by block, functions, types."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from pydantic import BaseModel

from pruxel.core.binary.functions.registry import FUNCTIONS
from pruxel.core.binary.schema import FieldSpec, Layout, Match, Version
from pruxel.core.extract.clips import ClipsSpec, RootSpec
from pruxel.core.extract.corners import Triangles
from pruxel.core.extract.elements import WIDTHS, DescribedElements, ElementSpec, Vertices
from pruxel.core.extract.frames import FramesSpec, RangesSpec
from pruxel.core.extract.level import PlacementsSpec
from pruxel.core.extract.markers import MarkersSpec
from pruxel.core.extract.material import MaterialsSpec, TextureList
from pruxel.core.extract.meshes import MeshesSpec, VariantsSpec, WeightedPoints
from pruxel.core.extract.placing import PlacingSpec
from pruxel.core.extract.skeleton import SkeletonsSpec
from pruxel.core.extract.tables import TablesSpec
from pruxel.core.extract.textures import TexturesSpec
from pruxel.core.knowledge.name_lists import Hashing
from pruxel.core.recipe.layout_check import SECTIONS
from pruxel.core.sources.pack_spec import EntriesSpec

MODELS: dict[str, type[BaseModel]] = {
    "layout": Layout,
    "match": Match,
    "version": Version,
    "field": FieldSpec,
    "entries": EntriesSpec,
    "hashing": Hashing,
    "meshes": MeshesSpec,
    "placing": PlacingSpec,
    "vertices": Vertices,
    "attribute": ElementSpec,
    "described": DescribedElements,
    "triangles": Triangles,
    "points": WeightedPoints,
    "variants": VariantsSpec,
    "frames": FramesSpec,
    "ranges": RangesSpec,
    "skeletons": SkeletonsSpec,
    "clips": ClipsSpec,
    "root": RootSpec,
    "materials": MaterialsSpec,
    "texture list": TextureList,
    "markers": MarkersSpec,
    "placements": PlacementsSpec,
    "textures": TexturesSpec,
    "tables": TablesSpec,
}
_SCALARS = "u8 i8 u16 i16 u32 i32 u64 i64 f16 f32 f64 unorm8 snorm8 unorm16 snorm16 unorm10_10_10_2 snorm10_10_10_2"


@dataclass(frozen=True)
class Word:
    """A word of the language: a key of a block, a function or a type."""

    word: str
    kind: str
    about: str


def language_words() -> Iterator[Word]:
    """Every word once for each block that knows it."""
    for block, model in MODELS.items():
        for name, field in model.model_fields.items():
            yield Word(field.alias or name, block, " ".join((field.description or "").split()))
    for function in FUNCTIONS.values():
        yield Word(function.name, "function", f"{function.usage}: {' '.join(function.about.split())}")
    for scalar in _SCALARS.split():
        yield Word(scalar, "type", "an element type; x2 to x16 behind it for several")
    for semantic in WIDTHS:
        yield Word(semantic, "attribute", "an attribute of vertices")
    for kind in SECTIONS:
        yield Word(kind, "section", f"what the file yields: {kind}")
