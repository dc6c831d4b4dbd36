"""Write 3MF: an object for each mesh, an item for each part that shows it, base materials and colours of vertices."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal
from xml.sax.saxutils import quoteattr

import numpy as np
from pydantic import Field

from pruxel import __version__
from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, IndexArray
from pruxel.core.base.context import Context
from pruxel.core.formats.registry import Options, OutFile
from pruxel.core.formats.solids import PER_METRE, joined
from pruxel.core.formats.textures import link_name
from pruxel.core.geometry.colors import srgb_from_linear
from pruxel.core.geometry.unique import bits_of, unique_rows
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.scene.pose import standing
from pruxel.core.scene.reframe import axes_of, reframed
from pruxel.core.scene.walk import parts, world_from_local

UNITS = {"mm": "millimeter", "cm": "centimeter", "m": "meter", "in": "inch"}
_CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
_MATERIAL = "http://schemas.microsoft.com/3dmanufacturing/material/2015/02"
_TYPES = (
    '<?xml version="1.0" encoding="UTF-8"?>\n<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
    '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
    '<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>'
)
_RELS = (
    '<?xml version="1.0" encoding="UTF-8"?>\n'
    '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship '
    'Target="/3D/3dmodel.model" Id="rel0" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/>'
    "</Relationships>"
)
_STILL = (1980, 1, 1, 0, 0, 0)  # the same scene, the same bytes


class ThreemfOptions(Options):
    """The unit, which the file says; the format's own axis up is Z."""

    unit: Literal["mm", "cm", "m", "in"] = Field("mm", title="Unit", description="The file says it")


@dataclass(frozen=True, eq=False)
class Solid:
    """One object: points (n, 3) that no two triangles hold twice, triangles (m, 3), the material of each (m,), -1 none.

    `colors` (m, 3, 4) uint8 display values of the triangles' corners, absent where no vertex has one.
    """

    name: str
    points: FloatArray
    triangles: IndexArray
    materials: AnyArray
    colors: AnyArray | None


@dataclass(frozen=True, eq=False)
class Placed:
    """A part: which solid, its name, and where it stands (4, 4)."""

    solid: int
    name: str
    world: DoubleArray


def solids_of(scene: Scene, unit: str) -> tuple[list[Solid], list[Placed]]:
    """Each mesh once with every part that shows it; what is bent or mirrored becomes a solid of its own."""
    scene = reframed(scene, axes_of("z"), PER_METRE[unit])
    world = world_from_local(scene)
    bent = {index: mesh for index, _, mesh in standing(scene)}
    listed, placed, known = list[Solid](), list[Placed](), dict[int, int]()
    for index, node, mesh in parts(scene):
        if not mesh.primitives:
            continue
        own = node.skin is not None or any(p.targets for p in mesh.primitives)
        own = own or float(np.linalg.det(world[index][:3, :3])) <= 0
        if own or node.mesh not in known:
            solid = _solid(node.name if own else mesh.name or node.name, bent[index] if own else mesh)
            if not len(solid.triangles):
                continue
            listed.append(solid)
            if not own and node.mesh is not None:
                known[node.mesh] = len(listed) - 1
        number = len(listed) - 1 if own or node.mesh is None else known[node.mesh]
        placed.append(Placed(number, node.name, np.eye(4) if own else world[index]))
    return listed, placed


def _solid(name: str, mesh: Mesh) -> Solid:
    primitives = list(mesh.primitives)
    positions, indices = joined(primitives)
    first, new_of_old = unique_rows(bits_of(positions))
    triangles = new_of_old[indices]
    a, b, c = triangles.T
    kept = (a != b) & (b != c) & (a != c)
    materials = np.repeat(
        [-1 if p.material is None else p.material for p in primitives], [len(p.indices) for p in primitives]
    )
    colors = None
    if any(p.colors for p in primitives):
        colors = np.concatenate([_display(p) for p in primitives])[indices][kept]
    return Solid(name, positions[first], triangles[kept], materials[kept], colors)


def _display(primitive: Primitive) -> AnyArray:
    if not primitive.colors:
        return np.full((len(primitive.positions), 4), 255, np.uint8)
    color = primitive.colors[0]
    shown = np.concatenate([srgb_from_linear(color[:, :3]), color[:, 3:]], axis=1)
    return np.rint(np.clip(shown, 0, 1) * 255).astype(np.uint8)


def write(scene: Scene, stem: str, options: ThreemfOptions, context: Context) -> list[OutFile]:
    """One package; triangles with corners at fewer than three places are none in this format and are left out."""
    listed, placed = solids_of(scene, options.unit)
    context.progress(0.3, stem)
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for name, text in (("[Content_Types].xml", _TYPES), ("_rels/.rels", _RELS)):
            archive.writestr(_entry(name), text)
        with archive.open(_entry("3D/3dmodel.model"), "w", force_zip64=True) as model:
            for piece in _model(scene, listed, placed, options):
                model.write(piece.encode())
    return [OutFile(f"{link_name(stem)}.3mf", (packed.getvalue(),))]


def _entry(name: str) -> zipfile.ZipInfo:
    found = zipfile.ZipInfo(name, _STILL)
    found.compress_type = zipfile.ZIP_DEFLATED
    return found


def _model(scene: Scene, listed: list[Solid], placed: list[Placed], options: ThreemfOptions) -> Iterator[str]:
    yield '<?xml version="1.0" encoding="UTF-8"?>\n'
    yield f'<model unit="{UNITS[options.unit]}" xml:lang="en-US" xmlns="{_CORE}" xmlns:m="{_MATERIAL}">\n'
    yield f'<metadata name="Application">Pruxel {__version__}</metadata>\n<resources>\n'
    next_id, base = 1, 0
    if scene.materials and any((s.materials >= 0).any() for s in listed):
        base, next_id = next_id, next_id + 1
        yield f'<basematerials id="{base}">\n'
        for material in scene.materials:
            name = quoteattr(material.name or "material")
            yield f'<base name={name} displaycolor="{_hex(material.base_color)}"/>\n'
        yield "</basematerials>\n"
    numbers = []
    for solid in listed:
        palette, places = None, None
        if solid.colors is not None:
            palette, next_id = next_id, next_id + 1
            kinds, places = np.unique(solid.colors.reshape(-1, 4), axis=0, return_inverse=True)
            places = places.reshape(-1, 3)
            yield f'<m:colorgroup id="{palette}">\n'
            yield "".join(f'<m:color color="#{bytes(row).hex().upper()}"/>\n' for row in kinds.tolist())
            yield "</m:colorgroup>\n"
        numbers.append(next_id)
        yield f'<object id="{next_id}" name={quoteattr(solid.name)} type="model"><mesh>\n'
        next_id += 1
        yield from _mesh(solid, base, palette, places)
        yield "</mesh></object>\n"
    yield "</resources>\n<build>\n"
    for part in placed:
        matrix = " ".join(f"{value:.9g}" for value in part.world[:3].T.reshape(-1).tolist())
        name = quoteattr(part.name)
        yield f'<item objectid="{numbers[part.solid]}" transform="{matrix}" partnumber={name}/>\n'
    yield "</build>\n</model>\n"


def _hex(color: tuple[float, float, float, float]) -> str:
    shown = [*srgb_from_linear(np.array(color[:3], np.float32)).tolist(), color[3]]
    return "#" + "".join(f"{round(min(max(value, 0.0), 1.0) * 255):02X}" for value in shown)


def _mesh(solid: Solid, base: int, palette: int | None, places: AnyArray | None) -> Iterator[str]:
    yield "<vertices>\n"
    yield from _lines('<vertex x="%.9g" y="%.9g" z="%.9g"/>\n', solid.points)
    yield "</vertices>\n<triangles>\n"
    corners = solid.triangles.astype(np.int64)
    if palette is not None and places is not None:
        line = f'<triangle v1="%d" v2="%d" v3="%d" pid="{palette}" p1="%d" p2="%d" p3="%d"/>\n'
        yield from _lines(line, np.concatenate([corners, places], axis=1))
    else:
        bare = solid.materials < 0
        yield from _lines('<triangle v1="%d" v2="%d" v3="%d"/>\n', corners[bare])
        dressed = np.concatenate([corners, solid.materials[:, None]], axis=1)[~bare]
        yield from _lines(f'<triangle v1="%d" v2="%d" v3="%d" pid="{base}" p1="%d"/>\n', dressed)
    yield "</triangles>\n"


_AT_ONCE = 20_000


def _lines(line: str, rows: AnyArray) -> Iterator[str]:
    """A line for each row (n, k), many at once."""
    for start in range(0, len(rows), _AT_ONCE):
        some = rows[start : start + _AT_ONCE]
        yield line * len(some) % tuple(some.reshape(-1).tolist())


def drawn_in_order(solid: Solid) -> AnyArray:
    """(m,) numbers of the triangles in the order in which the file has them."""
    if solid.colors is not None:
        return np.arange(len(solid.triangles))
    bare = solid.materials < 0
    return np.concatenate([np.nonzero(bare)[0], np.nonzero(~bare)[0]])
