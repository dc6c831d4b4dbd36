"""The `extract` section of a layout that reads models or materials: which record value means what.

Every value is an expression. Those of parts see the part's record and all enclosing ones.
"""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from pruxel.core.binary.schema import ExpressionText, Strict
from pruxel.core.sources.profile import Conventions

Semantic = Literal["position", "normal", "tangent", "uv0", "uv1", "uv2", "color", "joints", "weights", "ignored"]
MaterialSlot = Literal["base_color", "normal", "emissive", "packed", "packed2", "occlusion"]


class FixedElement(Strict):
    """One vertex element whose place is known beforehand."""

    semantic: Semantic
    format: str
    offset: int = Field(ge=0, le=4096)


class VertexStream(Strict):
    """Interleaved vertices: a block of bytes, and where each element lies in a vertex.

    `elements` is a fixed list, or an expression for records that carry `semantic`, `format`, `offset` as numbers, which
    `semantics` and `formats` translate.
    """

    data: ExpressionText
    count: ExpressionText
    stride: ExpressionText
    elements: ExpressionText | tuple[FixedElement, ...]
    semantic: str = "semantic"
    format: str = "format"
    offset: str = "offset"
    semantics: dict[int, Semantic] = {}
    formats: dict[int, str] = {}
    position_scale: ExpressionText | None = None
    position_bias: ExpressionText | None = None


class IndexStream(Strict):
    """Triangle corners: a block of bytes and the type of one index."""

    data: ExpressionText
    count: ExpressionText
    type: ExpressionText


class ModelExtract(Strict):
    """How records become nodes and meshes.

    `skeleton` names the entry whose joints the vertices are weighted to; `palette` gives a part's own list of joint
    numbers, when its vertices count in that.
    """

    parts: ExpressionText
    name: ExpressionText
    vertices: VertexStream
    indices: IndexStream
    material: ExpressionText | None = None
    parent: ExpressionText | None = None
    detail: ExpressionText | None = None
    role: ExpressionText | None = None
    translation: ExpressionText | None = None
    rotation: ExpressionText | None = None
    scale: ExpressionText | None = None
    skeleton: ExpressionText | None = None
    palette: ExpressionText | None = None
    conventions: Conventions | None = None


class TextureList(Strict):
    """The records that name a material's textures."""

    list: ExpressionText
    slot: str = "slot"
    path: str = "path"
    slots: dict[int, MaterialSlot]


class MaterialExtract(Strict):
    """How records become a material.

    `channels` says in which channel of which texture a quantity lies: `roughness: packed.r`; a leading `~` inverts.
    """

    name: ExpressionText | None = None
    base_color: ExpressionText | None = None
    metallic: ExpressionText | None = None
    roughness: ExpressionText | None = None
    emissive: ExpressionText | None = None
    double_sided: ExpressionText | None = None
    alpha: ExpressionText | None = None
    alpha_cutoff: ExpressionText | None = None
    textures: TextureList | None = None
    channels: dict[Literal["roughness", "metallic", "opacity", "occlusion"], str] = {}
    normal_green: Literal["up", "down"] = "up"
